"""Check: a photo of the work against the plan, and the one correction that helps."""
