"""Swatch sheets: their geometry, and reading them back from a photo or scan."""
