"""Synthetic animals and the demo studio."""
