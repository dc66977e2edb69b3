"""What is stored, written and read."""
