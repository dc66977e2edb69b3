"""Widgets that draw one thing each."""
