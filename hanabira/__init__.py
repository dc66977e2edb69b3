"""Hanabira: plan animal portraits in coloured pencil and pastel."""

__version__ = "0.1.0"
