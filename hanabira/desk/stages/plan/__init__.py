"""Plan: order, days, materials."""
