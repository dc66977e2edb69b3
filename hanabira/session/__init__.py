"""An open commission and all that is asked of it, without any window."""
