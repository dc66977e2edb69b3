"""Brief: what was ordered."""
