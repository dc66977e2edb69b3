"""The demo's animals."""
