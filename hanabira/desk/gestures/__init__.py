"""What the pointer does on the mat."""
