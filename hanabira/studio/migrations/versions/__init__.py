"""One module a schema change."""
