"""What lies beside the path: each module joins one block to the settled path; `shared` is what every route has."""
