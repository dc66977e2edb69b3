"""Check: a photo of the work held against what the plan wants it to be by now."""
