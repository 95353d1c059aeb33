"""The web interface of the core and the store: one router a resource, problem documents, no arithmetic."""
