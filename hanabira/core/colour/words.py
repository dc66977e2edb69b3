"""Plain words for colours: value steps, names, warm and cool."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from hanabira.core.colour import spaces

if TYPE_CHECKING:
    from numpy.typing import ArrayLike

NEUTRAL_CHROMA = 8.0
"""Below this C* a colour counts as a grey that leans, and warm or cool is read from the lean."""


def value_step(lightness: float) -> int:
    """Value step 1 (dark) to 10 (light) of an L* 0–100: ten equal steps.

    >>> value_step(31), value_step(0), value_step(100)
    (4, 1, 10)
    """
    return int(min(10, max(0, float(lightness)) // 10 + 1))


def nearness(delta_e00: float) -> str:
    """How near two colours are, in words before the figure: what an eye sees of that ΔE00 side by side.

    Limits as a colour is looked at on neighbouring patches: about one is hardly seen, 2.3 just noticed (Mahy, Van Eycken and Oosterlinck 1994), from
    five on it is plainly another colour.

    >>> nearness(1.0), nearness(3.0)
    ('very close (ΔE00 1.0)', 'close (ΔE00 3.0)')
    """
    words = next(w for limit, w in _NEAR if delta_e00 < limit)
    return f"{words} (ΔE00 {delta_e00:.1f})"


_NEAR = (
    (0.8, "a match"),
    (2.3, "very close"),
    (3.5, "close"),
    (5.0, "near, seen side by side"),
    (10.0, "plainly off"),
    (float("inf"), "another colour"),
)


def tone(lab: ArrayLike) -> str:
    """What a mixture gives, by lean and value: “a cool dark”, “a warm light”.

    >>> tone([22, -1, -6]), tone([82, 3, 12])
    ('a cool dark', 'a warm light')
    """
    lightness = float(np.asarray(lab, float)[0])
    value = "dark" if lightness < 35 else "middle value" if lightness < 65 else "light"
    return f"a {temperature(lab)} {value}"


def warmth(lab: ArrayLike, neutral: ArrayLike | None = None) -> float:
    """Signed lean of a colour toward warm (+) or cool (−), in Lab units.

    The projection of (a*, b*), taken against ``neutral`` when given, on the hue 60°
    (orange), whose opposite is blue.

    >>> round(warmth([50, 5, 8.66]), 2)
    10.0
    """
    v = np.asarray(lab, float)
    a, b = v[1], v[2]
    if neutral is not None:
        n = np.asarray(neutral, float)
        a, b = a - n[1], b - n[2]
    return float(a * np.cos(np.radians(60)) + b * np.sin(np.radians(60)))


def temperature(lab: ArrayLike, neutral: ArrayLike | None = None) -> str:
    """``warm``, ``cool`` or ``neutral`` of a Lab colour.

    Near grey (C* below 8) the lean must exceed 1.5 units; above, the hue decides:
    warm from 330° over 60° to 150°.
    """
    lean = warmth(lab, neutral)
    if float(spaces.chroma(lab)) < NEUTRAL_CHROMA:
        return "warm" if lean > 1.5 else "cool" if lean < -1.5 else "neutral"
    return "warm" if lean > 0 else "cool"


_HUES = (
    (12, "rose"), (30, "red"), (45, "red-orange"), (62, "orange"), (78, "golden orange"), (98, "yellow"), (118, "yellow-green"),
    (150, "green"), (185, "blue-green"), (225, "turquoise"), (262, "blue"), (290, "blue-violet"), (318, "violet"), (342, "purple"), (360, "rose"),
)  # fmt: skip
_EARTHS = (
    # hue limits, then names from dark to light for middling chroma
    (20, 52, ("red-brown black", "dark oxblood", "brick brown", "russet", "clay", "shell")),
    (52, 72, ("brown black", "dark umber", "chestnut", "tan", "fawn", "sand")),
    (72, 100, ("olive black", "olive brown", "bronze", "ochre", "straw", "cream")),
)
_GREYS = ("black", "charcoal", "dark grey", "middle grey", "light grey", "pale grey", "white")
_GREY_LIMITS = (15, 27, 42, 60, 77, 91)


def _grey(lightness: float) -> str:
    for limit, name in zip(_GREY_LIMITS, _GREYS, strict=False):
        if lightness < limit:
            return name
    return _GREYS[-1]


def hue_name(lab: ArrayLike) -> str:
    """Name of the hue alone, whatever its strength."""
    h = float(spaces.hue_deg(lab))
    return next(name for limit, name in _HUES if h < limit or limit == 360)


def colour_name(lab: ArrayLike) -> str:
    """A plain name for a Lab colour, as an artist would say it.

    >>> colour_name([3, 0, 0]), colour_name([60, 0, 0]), colour_name([45, 25, 35]), colour_name([62, 0, -9])
    ('black', 'light grey', 'chestnut', 'light grey blue-violet')
    """
    v = np.asarray(lab, float)
    lightness, c, h = float(v[0]), float(spaces.chroma(v)), float(spaces.hue_deg(v))
    weak = 4.0 if lightness > 20 else 5.5
    if c < weak:
        lean = warmth(v)
        side = "warm " if lean > 1.5 else "cool " if lean < -1.5 else ""
        return f"{side}{_grey(lightness)}"
    if c < 12:
        if lightness < 22:
            return "warm black" if warmth(v) > 0 else "cool black"
        return (
            f"{_grey(lightness)} {hue_name(v)}"
            if not 20 <= h < 100
            else ("brown grey" if lightness < 60 else "warm pale grey" if lightness < 85 else "warm white")
        )
    if c < 58:
        for low, high, names in _EARTHS:
            if low <= h < high:
                return names[int(np.searchsorted((18, 30, 45, 62, 80), lightness))]
    level = "dark " if lightness < 32 else "" if lightness < 68 else "light " if lightness < 86 else "pale "
    strength = "dull " if c < 25 else "bright " if c > 62 else ""
    return f"{level}{strength}{hue_name(v)}"


_FAMILIES = ((20, "pink"), (50, "red"), (75, "orange"), (108, "yellow"), (190, "green"), (285, "blue"), (335, "violet"), (360, "pink"))


def hue_family(lab: ArrayLike) -> str:
    """The family of a hue in one plain word; dark warm ones are brown, weak ones grey.

    >>> hue_family([30, 12, 20]), hue_family([60, 1, 2]), hue_family([60, 10, -20])
    ('brown', 'grey', 'violet')
    """
    v = np.asarray(lab, float)
    if float(spaces.chroma(v)) < 7:
        return "grey"
    h = float(spaces.hue_deg(v)) % 360
    word = next(name for limit, name in _FAMILIES if h < limit or limit == 360)
    return "brown" if word in ("orange", "red", "yellow") and v[0] < 45 else word
