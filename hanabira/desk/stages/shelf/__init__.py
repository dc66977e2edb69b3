"""Shelf: all commissions."""
