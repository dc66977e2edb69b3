"""A layer as the optics are asked for it."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Pass:
    """One layer as asked for: a pencil's code at a pressure with passes, or a tool. ``coverage`` of the paper lies under its strokes (1: a film);
    ``laid`` is how the colour is brought on (`tools.LAYINGS`), empty the usual point.
    """

    code: str = ""
    pressure: int = 3
    passes: int = 1
    tool: str = ""
    coverage: float = 1.0
    laid: str = ""
