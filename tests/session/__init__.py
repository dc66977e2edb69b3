"""The open commission, without a window."""
