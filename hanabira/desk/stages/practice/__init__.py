"""Practice: drills from the artist's own shelf."""
