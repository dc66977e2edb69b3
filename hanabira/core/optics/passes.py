"""A layer as the optics are asked for it, and the tools that are layers of their own."""

from __future__ import annotations

from dataclasses import dataclass

TOOLS = ("solvent", "stump", "lift", "erase", "scrape", "indent", "reserve")
"""Tools that are layers of their own."""


@dataclass(frozen=True)
class Pass:
    """One layer as asked for: a pencil's code at a pressure with passes, or a tool. ``coverage`` of the paper lies under its strokes (1: a film)."""

    code: str = ""
    pressure: int = 3
    passes: int = 1
    tool: str = ""
    coverage: float = 1.0
