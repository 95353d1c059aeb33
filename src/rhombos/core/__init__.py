"""The computing core: no I/O, no web, no database."""
