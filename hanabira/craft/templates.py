"""Templates: the usual areas of a view, to place in a box on the photo and fit by hand."""

from __future__ import annotations

import math
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING, Any

from hanabira.craft.supplies import DATA

if TYPE_CHECKING:
    from hanabira.core.area.shape import Point


@dataclass(frozen=True)
class Proposed:
    """One area of a template; ``ring`` in shares of the box."""

    name: str
    surface_id: str
    ring: tuple[Point, ...]


@dataclass(frozen=True)
class Template:
    """A view with its usual areas, in working order."""

    id: str
    name: str
    areas: tuple[Proposed, ...]


@cache
def templates() -> Mapping[str, Template]:
    """All templates by id."""
    with open(DATA / "templates.toml", "rb") as f:
        raw = tomllib.load(f)
    return {key: Template(key, v["name"], tuple(Proposed(a["name"], a["surface"], _ring(a)) for a in v["areas"])) for key, v in raw.items()}


def _ring(area: dict[str, Any]) -> tuple[Point, ...]:
    if "ring" in area:
        return tuple((float(x), float(y)) for x, y in area["ring"])
    return ellipse(*area["ellipse"])


def ellipse(x: float, y: float, a: float, b: float, turn_deg: float = 0.0, n: int = 12) -> tuple[Point, ...]:
    """Points on an ellipse, turned counter-clockwise as seen with y running down."""
    t = math.radians(turn_deg)
    out = []
    for k in range(n):
        u, v = a * math.cos(2 * math.pi * k / n), b * math.sin(2 * math.pi * k / n)
        out.append((x + u * math.cos(t) - v * math.sin(t), y - u * math.sin(t) - v * math.cos(t)))
    return tuple(out)
