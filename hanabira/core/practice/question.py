"""Questions of the eye drills, made from a picture by a seed: the same seed asks the same."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import cv2
import numpy as np

from hanabira.core.area.hair import HairField
from hanabira.core.colour.spaces import Array, bytes_to_lab, chroma
from hanabira.core.colour.words import hue_family, warmth
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.practice.pairs import pairs_lab
from hanabira.core.sentences import say

SIDE = 900
"""Longer side in pixels at which spots are looked for."""
RADIUS = 0.009
"""Radius of a spot as a share of that side."""
EVEN_L, EVEN_AB = 4.0, 4.0
"""Spread inside a spot (standard deviation) beyond which nobody could name one value or hue for it."""
TRIES = 3000
AskedSpot = tuple[float, float]


@dataclass(frozen=True)
class SpotSeen:
    """A place of a picture: where (shares of its width and height), Lab of the spot, median Lab of what lies round it."""

    at: AskedSpot
    lab: Array
    around: Array

    @property
    def lift(self) -> float:
        """Value steps by which the spot is lighter than what lies round it."""
        return float(self.lab[0] - self.around[0]) / 10


@dataclass(frozen=True)
class Question:
    """One question. ``kind`` is value (answer is an L*), choice (an index of ``choices``), order (indices of ``spots``, darkest first), pair (two indices
    of ``choices``), shape (a ring in shares of the shown part) or strokes (degrees counter-clockwise from the right, one a spot).

    ``key`` names it for coming back, ``truth`` is the answer, ``lift`` how much lighter the spot is than its surround in steps, ``level`` how hard it is,
    ``why`` says what was right and ``trick`` what of the craft helps. ``labs`` (n, 3) are the spots' colours.
    """

    drill: str
    key: str
    prompt: str
    kind: str
    spots: tuple[AskedSpot, ...]
    labs: Array
    truth: float | int | tuple[float, ...]
    choices: tuple[str, ...] = ()
    lift: float = 0.0
    around_l: float = 50.0
    level: float = 0.0
    why: str = ""
    trick: str = ""
    part: tuple[float, float, float, float] | None = None
    """What of the picture is shown, as shares: left, top, width, height; None for what the spots ask for."""
    extra: Array | None = None
    """What the answer is held against beyond ``truth``: a mask (h, w) of the shown part, ΔE00 (n, n) of pairs, or the changed picture in Lab."""
    shown: tuple[AskedSpot, ...] = ()
    """Places that the answer points at."""
    words: tuple[str, ...] = ()
    """Lines that are shown instead of a picture."""
    notes: tuple[str, ...] = ()
    """What is to be said of each choice, where a wrong one has a reason of its own."""


class AskedPicture:
    """A picture made ready to be asked about: Lab small enough, and how even it is everywhere."""

    def __init__(self, pixels: np.ndarray, name: str) -> None:
        k = min(1.0, SIDE / max(pixels.shape[:2]))
        small = cv2.resize(pixels, None, fx=k, fy=k, interpolation=cv2.INTER_AREA) if k < 1 else pixels
        self.shapes: dict[tuple[int, int, int], np.ndarray | None] = {}
        """The darkest shape of parts of it by their corners and widths; looked for once, by the drill that asks for them."""
        self.hair: HairField | None = None
        """Direction of the hair all over it; measured once, by the drill that asks for it."""
        self.name, self.lab = name, bytes_to_lab(np.ascontiguousarray(small)).astype(float)
        self.radius = max(3, round(RADIUS * max(self.lab.shape[:2])))
        n = 2 * self.radius + 1
        self.mean = cv2.blur(self.lab, (n, n))
        self.spread = np.sqrt(np.maximum(cv2.blur(self.lab**2, (n, n)) - self.mean**2, 0))
        self._seen: dict[tuple[int, int], SpotSeen] = {}

    def seen(self, x: int, y: int) -> SpotSeen:
        """The spot at a pixel with its surround: a ring from 2 to 7 radii; looked at once."""
        if (x, y) not in self._seen:
            self._seen[x, y] = self._look(x, y)
        return self._seen[x, y]

    def _look(self, x: int, y: int) -> SpotSeen:
        r = self.radius
        h, w = self.lab.shape[:2]
        left, top = max(0, x - 7 * r), max(0, y - 7 * r)
        part = self.lab[top : min(h, y + 7 * r + 1), left : min(w, x + 7 * r + 1)]
        yy, xx = np.mgrid[0 : part.shape[0], 0 : part.shape[1]]
        far = np.hypot(xx - (x - left), yy - (y - top))
        spot, ring = part[far <= r], part[(far >= 2 * r) & (far <= 7 * r)]
        return SpotSeen(((x + 0.5) / w, (y + 0.5) / h), np.median(spot, 0), np.median(ring, 0))

    @cached_property
    def pool(self) -> list[tuple[int, int]]:
        """Even spots all over the picture, away from its edge, in pixels (x, y); looked for once."""
        h, w = self.lab.shape[:2]
        e = 8 * self.radius
        if w <= 2 * e or h <= 2 * e:
            return []
        rng = np.random.default_rng(0)
        xs, ys = rng.integers(e, w - e, TRIES), rng.integers(e, h - e, TRIES)
        even = (self.spread[ys, xs, 0] < EVEN_L) & (self.spread[ys, xs, 1:].max(1) < EVEN_AB)
        return [(int(x), int(y)) for x, y in zip(xs[even], ys[even], strict=True)]

    def spots(self, rng: np.random.Generator, count: int) -> list[SpotSeen]:
        """So many of the pool, by chance."""
        some = rng.permutation(len(self.pool))[:count]
        return [self.seen(*self.pool[int(k)]) for k in some]


def value_step(picture: AskedPicture, rng: np.random.Generator, level: float) -> Question | None:
    """Name the value of a spot whose surround differs by about ``level`` steps: the more, the more it misleads."""
    found = picture.spots(rng, 40)
    if not found:
        return None
    return value_of(picture, min(found, key=lambda s: abs(abs(s.lift) - level) + 0.4 * (s.lab[0] < 6) + 0.4 * (s.lab[0] > 96)))


def again(picture: AskedPicture, key: str) -> Question | None:
    """A value that was asked before, by its key; None where the key names another drill or picture."""
    start = f"value-step {picture.name} "
    if not key.startswith(start):
        return None
    x, comma, y = key[len(start) :].partition(",")
    try:
        at = float(x), float(y)
    except ValueError:
        return None
    h, w = picture.lab.shape[:2]
    e = 2 * picture.radius
    if not comma or not (e < at[0] * w < w - e and e < at[1] * h < h - e):
        return None
    found = picture.seen(int(at[0] * w), int(at[1] * h))
    return replace(value_of(picture, found), key=key)


def value_of(picture: AskedPicture, best: SpotSeen) -> Question:
    """The question after a spot's value."""
    way = "light" if best.lift > 0.5 else "dark" if best.lift < -0.5 else "even"
    step = 1 + min(9, int(best.lab[0] // 10))
    why = say(f"practice.value_{way}", step=step, value=best.lab[0], around=best.around[0])
    return Question(
        "value-step", key_of(picture, "value-step", best.at), say("practice.value_ask"), kind="value", spots=(best.at,), labs=best.lab[None],
        truth=float(best.lab[0]), choices=(), lift=best.lift, around_l=float(best.around[0]), level=abs(best.lift), why=why,
        trick=say("practice.value_trick"),
    )  # fmt: skip


WAYS = ("darker", "warmer", "greener")


def which(picture: AskedPicture, rng: np.random.Generator, level: float) -> Question | None:
    """Which of two spots is darker, warmer or greener. ``level`` 0–4 is how near they lie: 4 is a fifth of what 0 is."""
    found = picture.spots(rng, 90)
    way = str(rng.choice(WAYS))
    measure = {"darker": lambda s: -float(s.lab[0]), "warmer": lambda s: warmth(s.lab), "greener": lambda s: -float(s.lab[1])}[way]
    apart = {"darker": 14.0, "warmer": 12.0, "greener": 9.0}[way] * (1 - 0.2 * min(4.0, level))
    if len(found) < 2:
        return None
    first, then = rng.integers(len(found), size=400), rng.integers(1, len(found), size=400)
    then = (first + then) % len(found)  # another one
    marks, value, at = np.array([measure(s) for s in found]), np.array([s.lab[0] for s in found]), np.array([s.at for s in found])
    d, far = abs(marks[first] - marks[then]), np.hypot(*(at[first] - at[then]).T)
    cost = abs(d - apart) + 20 * (far < 0.12) + 50 * (d < 2) + (0.3 * abs(value[first] - value[then]) if way != "darker" else 0)
    best = int(cost.argmin())
    if cost[best] > 12:
        return None
    a, b = found[int(first[best])], found[int(then[best])]
    right = 0 if measure(a) > measure(b) else 1
    size = abs(measure(a) - measure(b))
    why = say(f"practice.which_{way}", spot=("left", "right")[right] if a.at[0] < b.at[0] else ("right", "left")[right], size=size)
    order = (0, 1) if a.at[0] < b.at[0] else (1, 0)
    spots, labs = (a.at, b.at), np.array([a.lab, b.lab])
    return Question(
        "which", key_of(picture, f"which {way}", a.at, b.at), say(f"practice.which_ask_{way}"), kind="choice", spots=tuple(spots[k] for k in order),
        labs=labs[list(order)], truth=order.index(right), choices=(say("practice.left"), say("practice.right")), lift=0.0, around_l=50.0,
        level=level, why=why, trick=say(f"practice.which_trick_{way}"),
    )  # fmt: skip


def order_six(picture: AskedPicture, rng: np.random.Generator, level: float) -> Question | None:
    """Six spots to be put in order from dark to light; at a higher ``level`` they lie nearer together."""
    found = sorted(picture.spots(rng, 160), key=lambda s: float(s.lab[0]))
    if len(found) < 30:
        return None
    span = float(found[-1].lab[0] - found[0].lab[0])
    gap = max(3.5, min(span / 6, 13.0 - 2.4 * min(4.0, level)))
    start = float(rng.uniform(found[0].lab[0], max(found[0].lab[0] + 0.1, found[-1].lab[0] - 5.2 * gap)))
    chosen: list[SpotSeen] = []
    value, at, free = np.array([s.lab[0] for s in found]), np.array([s.at for s in found]), np.ones(len(found), bool)
    for k in range(6):
        if not free.any():
            return None
        best = int(np.where(free, abs(value - start - k * gap), np.inf).argmin())
        chosen.append(found[best])
        free &= np.hypot(*(at - at[best]).T) > 0.09
    mixed = [int(v) for v in rng.permutation(6)]
    labs = np.array([chosen[k].lab for k in mixed])
    truth = tuple(int(v) for v in np.argsort(labs[:, 0], kind="stable"))
    if float(np.diff(np.sort(labs[:, 0])).min()) < 1.5:
        return None
    return Question(
        "order-six", key_of(picture, "order-six", *(chosen[k].at for k in mixed)), say("practice.order_ask"), kind="order",
        spots=tuple(chosen[k].at for k in mixed), labs=labs, truth=truth, choices=(), lift=0.0, around_l=50.0, level=level,
        why=say("practice.order_why", gap=float(np.diff(np.sort(labs[:, 0])).min())), trick=say("practice.order_trick"),
    )  # fmt: skip


HUES = ("blue", "violet", "brown", "yellow", "grey")


def white_or_not(picture: AskedPicture, rng: np.random.Generator, level: float) -> Question | None:
    """A spot that passes for white, grey or black: which hue hides in it?"""
    found = [s for s in picture.spots(rng, 120) if 1.5 <= float(chroma(s.lab)) < 14 and (s.lab[0] > 60 or s.lab[0] < 30)]
    if not found:
        return None
    wanted = 9.0 - 1.8 * min(4.0, level)
    best = min(found, key=lambda s: abs(float(chroma(s.lab)) - wanted))
    strong = best.lab * np.array([1.0, 4.0, 4.0])
    family = hue_family(np.array([60.0, strong[1], strong[2]]))
    family = {"orange": "brown", "red": "brown", "pink": "violet", "green": "yellow"}.get(family, family)
    if family not in HUES:
        return None
    return Question(
        "white-or-not", key_of(picture, "white-or-not", best.at), say("practice.white_ask"), kind="choice", spots=(best.at,), labs=best.lab[None],
        truth=HUES.index(family), choices=HUES, lift=best.lift, around_l=float(best.around[0]), level=level,
        why=say("practice.white_why", hue=family, strength=float(chroma(best.lab))), trick=say("practice.white_trick"),
    )  # fmt: skip


OUTCOMES = ("green", "mud", "chalk", "clean")
TRIED_PAIRS = 240
"""Pairs that are drawn until one comes to what was wished."""


def foretell(kit: Kit, paper: Paper, rng: np.random.Generator, level: float) -> Question | None:
    """Two pencils one over the other: green, mud, chalk, or clean? Foretold by the film model."""
    wanted = str(rng.choice(OUTCOMES))
    codes = [p.code for p in kit.usable]
    if len(codes) < 2:
        return None
    below = rng.integers(len(codes), size=TRIED_PAIRS)
    above = (below + rng.integers(1, len(codes), size=TRIED_PAIRS)) % len(codes)  # another one
    drawn = [codes[int(k)] for k in below], [codes[int(k)] for k in above]
    for first, then, lab in zip(*drawn, pairs_lab(paper, kit, *drawn), strict=True):
        what = outcome(np.asarray(kit.get(first).lab), np.asarray(kit.get(then).lab), lab)
        if what == wanted:
            spots = ((0.3, 0.5), (0.7, 0.5))
            why = say(f"practice.foretell_{what}", first=kit.get(first).name, then=kit.get(then).name, value=lab[0])
            return Question(
                "foretell", f"foretell {first} {then}",
                say("practice.foretell_ask", first=f"{first} {kit.get(first).name}", then=f"{then} {kit.get(then).name}"), kind="choice",
                spots=spots, labs=np.array([kit.get(first).lab, kit.get(then).lab, lab]), truth=OUTCOMES.index(what), choices=OUTCOMES, lift=0.0,
                around_l=50.0, level=level, why=why, trick=say("practice.foretell_trick"),
            )  # fmt: skip
    return None


def outcome(first: Array, then: Array, together: Array) -> str:
    """What two layers come to: green out of two that are not, mud out of two strong ones, chalk where a pale one greys a dark, else clean."""
    green = lambda v: v[1] < -6 and v[2] > 0  # noqa: E731
    if green(together) and not green(first) and not green(then):
        return "green"
    strong = min(float(chroma(first)), float(chroma(then)))
    if strong > 22 and float(chroma(together)) < 0.45 * strong and together[0] < 55:
        return "mud"
    if first[0] < 35 and then[0] > 80 and together[0] > first[0] + 12 and float(chroma(together)) < 12:
        return "chalk"
    return "clean"


def key_of(picture: AskedPicture, drill: str, *spots: AskedSpot) -> str:
    """What names a question for coming back: its drill, its picture and its places."""
    return f"{drill} {picture.name} " + " ".join(f"{x:.3f},{y:.3f}" for x, y in spots)


def right(q: Question, answer: float | int | Sequence[int]) -> bool:
    """Whether an answer counts as right: a value within half a step, the choice, the order with no more than one neighbouring pair swapped."""
    if q.kind == "value":
        return abs(float(answer) - float(q.truth)) <= 5.0  # type: ignore[arg-type]
    if q.kind == "choice":
        return int(answer) == int(q.truth)  # type: ignore[arg-type]
    given, true = tuple(answer), tuple(q.truth)  # type: ignore[arg-type]
    if given == true:
        return True
    swapped = [k for k in range(len(true)) if given[k] != true[k]]
    return len(swapped) == 2 and swapped[1] == swapped[0] + 1
