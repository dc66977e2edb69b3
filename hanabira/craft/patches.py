"""What proposed areas are called and made of: owners' words for parts of a face, a number and a colour for all others. Each is a guess until it is accepted."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from hanabira.core.colour.spaces import chroma, hue_deg
from hanabira.core.sentences import say

if TYPE_CHECKING:
    from hanabira.core.whole.proposal import Proposed

FEATHERS = ("contour-feathers", "down", "barred-feathers", "flight-feathers", "iridescent-feathers")
"""Surfaces of birds: what is touched between their eyes is a beak, and they have no ears to be seen."""
BLACK_L, WHITE_L, GREY_C = 24.0, 78.0, 9.0
"""Under this L* a coat is called black; a grey (C* under the last) over the second is white."""


@dataclass(frozen=True)
class Patch:
    """A proposed area with its ``name``, whether that is more than a number (``known``), and the ``surface_id`` it is planned as."""

    shape: Proposed
    name: str
    surface_id: str
    known: bool


def coat_word(lab: Sequence[float]) -> str:
    """A colour as owners say it of a coat.

    >>> coat_word((15, 1, 2)), coat_word((88, 0, 4)), coat_word((58, 22, 38))
    ('black', 'white', 'ginger')
    """
    lightness, c, hue = float(lab[0]), float(chroma(lab)), float(hue_deg(lab)) % 360
    if lightness < BLACK_L:
        return "black"
    if c < GREY_C:
        return "white" if lightness > WHITE_L else "grey" if lightness > 42 else "dark grey"
    if 25 <= hue < 95:
        if lightness > 72:
            return "cream" if c < 35 else "golden"
        if c > 38:
            return "ginger" if hue < 76 else "golden"
        return "tan" if lightness > 52 else "brown"
    if c < 16:
        return "grey"
    return "red" if hue < 25 or hue > 330 else "green" if hue < 190 else "blue"


def named_patches(shapes: Sequence[Proposed], surface_id: str, first: int = 1) -> tuple[Patch, ...]:
    """Patches in the order of the shapes. ``surface_id`` is the coat's, as the artist says; ``first`` the number that the first one will have.

    An ear is planned as the inside of one, what was touched as nose, in feathers as a beak.
    """
    bird = surface_id in FEATHERS
    eyes = sorted((k for k, q in enumerate(shapes) if q.kind == "eye"), key=lambda k: shapes[k].eye[0][0])
    out = []
    for n, q in enumerate(shapes):
        if q.kind == "eye":
            sides = ("eye",) if len(eyes) != 2 else ("left-eye", "right-eye")
            key = sides[min(eyes.index(n), len(sides) - 1)]
            name = say(f"patch.{key}") if len(eyes) < 3 else f"{say('patch.eye')} {eyes.index(n) + 1}"
            out.append(Patch(q, name, "eye", True))
        elif q.kind == "nose":
            out.append(Patch(q, say("patch.beak" if bird else "patch.nose"), "beak-and-cere" if bird else "nose", True))
        elif q.part and not (bird and q.part.endswith("ear")):
            out.append(Patch(q, say(f"patch.{q.part.replace(' ', '-')}"), "ear-inside" if q.part.endswith("ear") else surface_id, True))
        else:
            out.append(Patch(q, say("patch.number", number=first + n, colour=coat_word(q.lab)), surface_id, False))
    often = Counter(p.name for p in out)
    seen: Counter[str] = Counter()
    for n, p in enumerate(out):
        seen[p.name] += 1
        if often[p.name] > 1 and seen[p.name] > 1:
            out[n] = Patch(p.shape, f"{p.name} {seen[p.name]}", p.surface_id, p.known)
    return tuple(out)
