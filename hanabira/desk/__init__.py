"""The interface."""
