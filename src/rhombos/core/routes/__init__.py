"""Routes: an architecture is an ordered list of blocks, and how power and limits pass between them."""
