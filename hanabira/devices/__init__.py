"""Doors to outside things, each with a small simulated stand-in that ships."""
