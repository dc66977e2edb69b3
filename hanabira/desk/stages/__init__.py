"""One module a stage of the work."""
