"""Starting everything from a bare checkout. Standard library only: it runs before anything is installed."""
