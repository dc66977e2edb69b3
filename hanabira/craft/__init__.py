"""What artists know, as data, and the small code that reads it."""
