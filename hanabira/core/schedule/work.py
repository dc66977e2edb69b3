"""What has to be done: areas with their layers, as steps with minutes; and what the log teaches about minutes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from hanabira.core.optics.tools import laying_of
from hanabira.core.sentences import say

LIGHTS = ("highlight", "light hair", "scrape", "whisker", "fix")
DARKS = ("general", "deepen", "gap", "texture", "undertone", "ground", "outline")
JUDGED_LAST = ("nose", "mouth", "tongue", "teeth-and-gums")
"""Surfaces whose values are judged when the fur beside them stands."""
EYES = ("eye",)
HARD = ("curly-or-wavy", "mane-and-tail", "long-fur", "wet", "barred-feathers", "iridescent-feathers", "collar-and-tag")
"""Textures that are put off when nobody minds."""
BAND_SHARE: Mapping[str, float] = {
    "everywhere": 1.0, "all but the highlights": 0.95, "all but the lights": 0.82, "gaps": 0.25, "all but the gaps": 0.75, "lights": 0.18, "highlights": 0.05,
}  # fmt: skip
"""About which share of an area a layer covers, by where it goes."""
SECONDS_A_STROKE = {"flick": 0.5, "hatch": 0.42, "squiggle": 0.75, "dot": 0.4}
MM2_A_SECOND = {"side": 34.0, "circle": 12.0}
TOOL_SECONDS_A_MM2 = {"solvent": 0.05, "stump": 0.07, "lift": 0.08, "erase": 0.08, "scrape": 0.5, "indent": 0.45, "reserve": 0.0, "blender": 0.09, "tape": 0.2, "peel": 0.02, "wax": 0.1}
TEXTURE: Mapping[str, float] = {
    "eye": 2.6, "nose": 1.6, "mouth": 1.4, "tongue": 1.2, "curly-or-wavy": 1.4, "mane-and-tail": 1.15, "wet": 1.4, "background": 0.5, "fluffy-down": 0.8,
    "down": 0.8, "collar-and-tag": 1.8, "barred-feathers": 1.3, "iridescent-feathers": 1.4, "scaled-leg": 1.4, "lash": 2.0, "whisker": 1.2,
}  # fmt: skip
"""How much slower a surface goes than its strokes alone."""
FINISH_TIME: Mapping[int, float] = {1: 0.55, 2: 0.75, 3: 1.0, 4: 1.25, 5: 1.55}
"""How much longer an area takes by its finish level."""
MOST_LOG = float(np.log(4.0))
"""What an area's time may differ from our guess and still teach, as a log ratio."""
LOW, HIGH = 0.72, 1.5
"""A range, not a number: from a good day to a bad one."""


@dataclass(frozen=True)
class LayerWork:
    """One layer to lay. ``spacing_mm`` 0 where strokes have none."""

    role: str
    pencil: str
    tool: str = ""
    pressure: int = 2
    passes: int = 1
    stroke: str = "flick"
    stroke_mm: float = 0.0
    where: str = "everywhere"
    spacing_mm: float = 0.6
    id: str = ""
    """The layer's lasting id; without one its place in the recipe names it."""
    share: float | None = None
    """Share of the area that its places take; None where it goes by value (see `BAND_SHARE`)."""
    stage: int = -1
    """Which stage of the hand's work it belongs to, 0 the first wash; −1 where nobody said."""
    title: str = ""
    """What the hand does, in the words of its gesture; empty where nobody said."""
    laid: str = ""
    """How its colour is brought on (`optics.tools`)."""
    crosses: bool = False
    """It goes along lines that run over into other areas: whiskers."""


@dataclass(frozen=True)
class AreaWork:
    """One area to paint: size and middle in mm of the picture, ids of the areas it touches, its layers in recipe order.

    ``value_l`` is the mean L* of its pencils; None where the kit is not known. ``hair_deg`` is the way from root to tip, counter-clockwise from the
    right; None where nobody combed.
    """

    id: str
    number: int
    name: str
    surface_id: str
    mm2: float
    middle: tuple[float, float]
    neighbours: tuple[str, ...] = ()
    finish: int = 3
    layers: tuple[LayerWork, ...] = ()
    value_l: float | None = None
    hair_deg: float | None = None

    def key(self, at: int) -> str:
        """Key of the step that lays the layer at this place."""
        return f"{self.id}:{self.layers[at].id or at}"


@dataclass(frozen=True)
class Pace:
    """The artist's own pace against ours: a factor for everything and one a surface, with how many logged areas stand behind it."""

    overall: float = 1.0
    surface: Mapping[str, float] = field(default_factory=dict)
    logged: int = 0

    def factor(self, surface_id: str) -> float:
        """By what our guess is multiplied."""
        return self.overall * self.surface.get(surface_id, 1.0)


def layer_minutes(area: AreaWork, layer: LayerWork) -> float:
    """Our guess in minutes for one layer, before the artist's own pace.

    Strokes are counted from the painted square millimetres and the room one stroke takes; flat layers go by area.
    """
    share = BAND_SHARE.get(layer.where, 1.0) if layer.share is None else layer.share
    mm2 = max(0.0, area.mm2) * share
    fine = FINISH_TIME.get(area.finish, 1.0)
    if layer.tool:
        seconds = mm2 * TOOL_SECONDS_A_MM2.get(layer.tool, 0.08)
        if layer.tool in ("indent", "scrape"):
            seconds *= fine
    elif layer.stroke in SECONDS_A_STROKE:
        length = layer.stroke_mm if layer.stroke_mm > 0 else 4.0
        room = max(0.3, layer.spacing_mm or 0.6) * length * 0.75
        seconds = mm2 / room * SECONDS_A_STROKE[layer.stroke] * (1 + 0.03 * length) * layer.passes * fine
    else:
        seconds = mm2 / MM2_A_SECOND.get(layer.stroke, 20.0) * layer.passes * (0.7 + 0.1 * layer.pressure) * fine
    seconds *= laying_of(layer.laid).minutes
    # choosing, sharpening and looking cost something however small the area is
    return (seconds * TEXTURE.get(area.surface_id, 1.0)) / 60 + 1.5


def area_minutes(area: AreaWork, pace: Pace | None = None) -> float:
    """Our guess for a whole area."""
    factor = pace.factor(area.surface_id) if pace else 1.0
    return sum(layer_minutes(area, q) for q in area.layers) * factor


def learned(log: Sequence[tuple[str, float, float]]) -> Pace:
    """The pace that a log tells: (surface, our guess, minutes taken) of finished areas.

    A shrinkage estimate (James and Stein 1961; normal model on log ratios): the overall factor starts from 1 with a
    spread of 50 %, a surface's own factor from the overall one with a spread of 25 %; one area scatters by 20 %. An area that took
    more than four times as long, or less than a quarter, was timed wrongly (a key pressed at once, a clock left running) and counts as that.
    """
    rows = [(s, float(np.clip(np.log(taken / guess), -MOST_LOG, MOST_LOG))) for s, guess, taken in log if guess > 0 and taken > 0]
    if not rows:
        return Pace()
    noise, wide, own = 0.20**2, 0.50**2, 0.25**2
    y = np.array([r for _, r in rows])
    each = noise + own
    overall = float(y.sum() / each / (len(y) / each + 1 / wide))
    surface = {}
    for s in dict.fromkeys(s for s, _ in rows):
        mine = np.array([r - overall for k, r in rows if k == s])
        surface[s] = float(np.exp(mine.sum() / noise / (len(mine) / noise + 1 / own)))
    return Pace(float(np.exp(overall)), surface, len(rows))


def evidence(pace: Pace, surface_id: str, surface_name: str) -> str:
    """What was learned, in words.

    >>> evidence(Pace(1.4, {}, 6), "short-fur", "short fur")
    'Your short fur takes 1.4 times our guess, from 6 logged areas.'
    """
    if not pace.logged:
        return say("pace.guess")
    f = pace.factor(surface_id)
    areas = say("pace.one") if pace.logged == 1 else say("pace.many", logged=pace.logged)
    if abs(f - 1) < 0.05:
        return say("pace.same", surface=surface_name, areas=areas)
    return say("pace.factor", surface=surface_name, factor=f, areas=areas)


EVEN_OUT = (1.08, 0.9)
"""Single good and bad days even out over many steps: the ends of the summed range move inward by these factors."""


def hours_range(low_min: float, high_min: float) -> tuple[float, float]:
    """Hours from a good run to a bad one, of steps whose minutes sum up from ``low_min`` to ``high_min``.

    >>> hours_range(600, 1200)
    (10.8, 18.0)
    """
    low, high = low_min / 60 * EVEN_OUT[0], high_min / 60 * EVEN_OUT[1]
    return low, max(low, high)
