"""The computation, on its own."""
