"""Pencil film on paper: spectra, layers, tooth."""
