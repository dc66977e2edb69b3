"""A paper in figures; `tooth` says what a pencil does on it."""

from __future__ import annotations

from dataclasses import dataclass, replace

YULE_NIELSEN = 1.4
"""Exponent of the mean over zones: light that enters beside a hair leaves through it."""


@dataclass(frozen=True)
class Paper:
    """A paper's tooth. ``cap`` room for pigment, ``off`` smoothness, ``soft`` slope of the contact, ``grip`` bite."""

    id: str
    name: str
    cap: float
    off: float
    soft: float
    grip: float
    ground_hex: str = "#f4f3ef"
    grounds: tuple[tuple[str, str], ...] = ()
    note: str = ""
    n: float = YULE_NIELSEN
    """Exponent of the mean over zones."""

    def with_ground(self, ground_hex: str) -> Paper:
        """The same paper in another colour."""
        return replace(self, ground_hex=ground_hex)
