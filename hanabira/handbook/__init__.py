"""The handbook as Markdown, and what reads it."""
