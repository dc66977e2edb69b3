"""What else than a drawn stroke changes a sheet: tools that go over colour, keep it off, or bring it on another way (docs/methods/stacks.md).

Figures of solvent, stump, lift, erase and scrape are as before. Those of the colourless blender, of powder, sponge and of a sharp or blunt point are estimates
of the craft's, from what they are said to do; no measured sample of theirs was to be had.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True)
class Rub:
    """A tool that goes over what lies there. It evens the films by the share ``evens``; of the filled tooth ``keeps`` stays filled; ``crush`` of the paper is
    pressed down; ``fills`` is what clear binder takes of the room that is left. With ``runs`` colour dissolves and the tool must dry.
    """

    evens: float
    keeps: float = 1.0
    crush: float = 0.0
    fills: float = 0.0
    runs: bool = False


RUBS: Mapping[str, Rub] = {
    "solvent": Rub(0.8, keeps=0.7, runs=True),
    "stump": Rub(0.45, crush=0.02),
    "blender": Rub(0.35, crush=0.04, fills=0.12),
}
"""A colourless blender is a pencil of binder alone: it presses harder than a stump, evens less, and its own wax stays in the tooth."""
REMOVED: Mapping[str, float] = {"lift": 0.35, "erase": 0.8, "scrape": 0.9}
"""Share of the film that goes (what stands highest first)."""
KEEPS_OFF = ("indent", "reserve", "tape", "peel", "wax")
"""What leaves the paper under it as it is: lines pressed in, paper left free, tape and its peeling off, clear wax that nothing takes on afterwards."""
TOOLS = (*RUBS, *REMOVED, *KEEPS_OFF)
"""Tools that are layers of their own."""


@dataclass(frozen=True)
class Laying:
    """How a pencil's colour comes onto the paper, beside the usual stroke of a used point.

    ``deposit`` and ``crush`` are factors of a pass's; ``reach`` is how much deeper into the tooth it comes (in depths, 0 peak to 1 valley); ``width`` a factor of
    the stroke's (0: it leaves none); ``worn`` what it takes of the pencil against a drawn pass; ``minutes`` of the time.
    """

    deposit: float = 1.0
    reach: float = 0.0
    crush: float = 1.0
    width: float = 1.0
    worn: float = 1.0
    minutes: float = 1.0


USUAL = Laying()
LAYINGS: Mapping[str, Laying] = {
    "sharp": Laying(reach=0.06, width=0.7, worn=1.4, minutes=1.15),
    "blunt": Laying(reach=-0.06, width=1.4, worn=0.8, minutes=0.85),
    "powder": Laying(deposit=0.5, reach=0.6, crush=0.0, width=0.0, worn=1.6, minutes=0.35),
    "sponge": Laying(deposit=0.8, reach=0.3, crush=0.0, width=0.0, worn=1.0, minutes=0.25),
}
"""A sharp point reaches between the grains, a blunt one skims them. Shavings rubbed in with a cloth, or pan colour on a sponge, lie evenly in the valleys too and press
nothing down; a third of the shavings stays in the cloth."""


def laying_of(laid: str) -> Laying:
    """How colour is brought on by the name of a way; empty is the usual point. `KeyError` for an unknown name.

    >>> laying_of("powder").width
    0.0
    """
    return LAYINGS[laid] if laid else USUAL
