"""Practice: drills from the artist's own pictures, what their answers tell, and what comes back."""
