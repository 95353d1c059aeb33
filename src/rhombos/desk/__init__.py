"""What the server has worked out beside it: requests, the work that answers them, and the processes that do it. No web, no
database."""
