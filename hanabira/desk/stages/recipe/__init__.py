"""Recipe: the layers of an area."""
