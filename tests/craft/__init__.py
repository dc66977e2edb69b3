"""The craft's data."""
