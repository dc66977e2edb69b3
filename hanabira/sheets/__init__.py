"""Printed matter."""
