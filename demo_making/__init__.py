"""Makes what the demo ships: renders its animals, solves its recipes, does its artist's work. It is no part of the application."""
