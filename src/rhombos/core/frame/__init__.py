"""What every stage is put together with: points, worked steps, sheets and reports, the sizing, what is told of the whole."""
