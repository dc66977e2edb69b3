"""Synthetic birds: an owl, a jackdaw-like bird with a sheen, and barred flight feathers, with their ground truth."""
