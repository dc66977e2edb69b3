"""The kit room."""
