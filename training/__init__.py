"""Where figures and weights that ship were made: a script each, to be run again. None of it is part of the application."""
