"""Whole-photo maths: ways to look at a picture."""
