"""Measures of one area of a photo."""
