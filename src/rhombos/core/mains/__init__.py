"""The input of a unit on one-phase mains, with no design about it."""
