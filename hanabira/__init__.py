"""Hanabira: plan animal portraits in coloured pencil and pastel."""

__version__ = "0.2.0"
