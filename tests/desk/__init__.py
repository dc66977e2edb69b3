"""Real windows, offscreen."""
