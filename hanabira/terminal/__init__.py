"""The program from a terminal: a module a group of commands."""
