"""Easel: one step at a time, and the log."""
