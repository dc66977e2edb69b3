"""Colour: spaces, differences, value steps, words."""
