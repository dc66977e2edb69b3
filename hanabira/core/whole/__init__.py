"""The whole animal at once: its areas proposed from a cut-out and a few clicks."""
