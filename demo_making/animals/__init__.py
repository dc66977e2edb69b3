"""Synthetic animals: photo-like portraits with their ground truth, deterministic from a seed."""
