"""What a hand does, in the order in which it does it: the pairs of a pencil and a gesture among which the search chooses.

A gesture fixes the stage (the order), the pressures and passes it may have, which pencils serve it and which places it may go over; the optics choose
among what is left. So nothing heavy can come early: it is not in the list (docs/methods/gestures.md).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from hanabira.core.colour.spaces import Array

STAGE = 1000.0
"""Stages lie so far apart in the order; within one the palest pencil comes first."""
ANY_L, ANY_C = (0.0, 100.0), (0.0, 200.0)
TOPS = ("highlight", "light", "gloss", "wet", "ridge", "hairs")
"""Words in the ids of places that are lights."""


@dataclass(frozen=True)
class Gesture:
    """A gesture of the hand; the craft data says why each figure is as it is.

    ``choices`` are its pressures with passes and ``look`` the pair that is tried first. ``wide`` ones are laid with the side where the run bears it,
    ``free`` ones may be lighter in weight and paler than what came before. ``share`` of a coat at least and ``most`` of it. Its pencils: L* and C*
    (``pencil_l``, ``pencil_c``), and whether a ``black`` serves; one does so only on places of ``black_values``. Its places: L* on paper of a coat's
    (``coat_values``) and of others (``part_values``), in a coat also so much under its general value (``under_general``) or within so much of its darkest
    (``of_darkest``; the darkest itself always); ``tops`` True: lights alone, False: none of them; ``kept``: ``also`` or ``only`` what keeps its paper. ``cost`` (ΔE00)
    beyond any layer's; ``times`` layers of it at most in one recipe, each ``further`` one dearer by so much; on a ``surface`` of one kind alone, where one is named.
    ``paper`` says on which side of the paper's own L* its places lie (``under``, ``over``), ``stands`` whether its pencils are those that are lighter than it.
    Its strokes lie ``apart`` of their width from one another in hair and feathers (0: a closed film) and narrow over the share ``taper`` of their length;
    ``coverage`` is what they close then (`optics.strokes`).
    """

    id: str
    stage: int
    choices: tuple[tuple[int, int], ...]
    look: tuple[int, int]
    wide: bool = False
    free: bool = False
    share: float = 0.0
    most: float = 1.0
    pencil_l: tuple[float, float] = ANY_L
    pencil_c: tuple[float, float] = ANY_C
    black: bool = True
    black_values: tuple[float, float] = ANY_L
    coat_values: tuple[float, float] = ANY_L
    part_values: tuple[float, float] = ANY_L
    under_general: float | None = None
    of_darkest: float | None = None
    tops: bool | None = None
    kept: str = ""
    cost: float = 0.0
    times: int = 99
    further: float = 0.0
    surface: str = ""
    apart: float = 0.0
    taper: float = 0.0
    coverage: float = 1.0
    paper: str = ""
    stands: bool | None = None

    @property
    def pressures(self) -> tuple[int, ...]:
        """The pressures it may have, rising."""
        return tuple(sorted({p for p, _n in self.choices}))

    def served_by(self, lightness: Array, strength: Array, black: np.ndarray, lighter: np.ndarray) -> np.ndarray:
        """Which pencils (n,) serve it, by their L*, C*, whether they are blacks and whether they are lighter than the paper."""
        stand = np.ones(len(lightness), bool) if self.stands is None else lighter == self.stands
        return np.asarray(_within(lightness, self.pencil_l) & _within(strength, self.pencil_c) & (self.black | ~black) & stand)


@dataclass(frozen=True)
class FormRules:
    """What colour alone never asks for; the craft data says why. Shadow shapes where a coat has so many ``values``, the deepest ``step_l`` (L*) under the
    general; a glaze over ``hue_places`` within ``hue_turn`` degrees that have ``hue_c`` (C*); a blend on surfaces that are evened as ``blend`` says.
    No place may lose more than ``may_cost`` (ΔE00); glaze and blend come from the finish ``tied_from`` on. A marking has a wash of its own where its ground holds ``own_wash`` of the area.
    Two areas share a pencil where their colours lie within ``border_de`` (ΔE76).
    """

    values: int
    step_l: float
    hue_places: int
    hue_turn: float
    hue_c: float
    blend: tuple[str, ...]
    may_cost: float
    tied_from: int
    own_wash: float
    border_de: float


PLAIN = Gesture("", 0, ((1, 1), (2, 1), (3, 1), (4, 1), (5, 1), (3, 2), (4, 2)), (3, 1))
"""A layer of what covers, ordered by its value alone."""


@dataclass(frozen=True)
class Ground:
    """What a gesture looks at: L* on paper of the places (n,), which are a coat's values, which lights, which keep their paper; the general L*; which are
    bare among hair (skin, hollows); L* of the paper.
    """

    values: Array
    chain: np.ndarray
    tops: np.ndarray
    reserved: np.ndarray
    general_l: float
    bare: np.ndarray | None = None
    paper_l: float = 100.0

    def may(self, g: Gesture) -> np.ndarray:
        """Places (n,) that a gesture may go over."""
        value, chain = self.values, self.chain
        coat, part = _within(value, g.coat_values), _within(value, g.part_values)
        if g.under_general is not None:
            coat = coat & (value < self.general_l - g.under_general)
        if g.of_darkest is not None and chain.any():
            least = value[chain].min()
            coat = coat & (value <= least + g.of_darkest) | (value == least)
        out = np.where(chain, coat, part)
        if g.paper:
            out = out & (value < self.paper_l if g.paper == "under" else value > self.paper_l)
        if g.surface and self.bare is not None:
            out = out & ~self.bare
        if g.tops is not None:
            out = out & (self.tops if g.tops else ~self.tops)
        return np.asarray({"": out & ~self.reserved, "also": out | self.reserved, "only": self.reserved}[g.kept])


def _within(values: Array, limits: tuple[float, float]) -> np.ndarray:
    return np.asarray((values >= limits[0]) & (values <= limits[1]))


BARE = ("skin", "hollow")
"""Words in the names of places among hair on which nothing grows."""


def is_bare(name: str) -> bool:
    """Whether nothing grows on a place by its name."""
    return any(word in name for word in BARE)


def is_top(place: str) -> bool:
    """Whether a place is a light by its id."""
    return any(word in place for word in TOPS)


@dataclass(frozen=True)
class Candidates:
    """Pairs of a pencil (its number) and a gesture (its number), and which places (n, places) each may go over."""

    pencil: np.ndarray
    gesture: np.ndarray
    may: np.ndarray

    def __len__(self) -> int:
        return len(self.pencil)

    def at(self, which: Sequence[int] | np.ndarray) -> Candidates:
        """Some of them."""
        chosen = np.asarray(which, int)
        return Candidates(self.pencil[chosen], self.gesture[chosen], self.may[chosen])

    def of(self, pencils: Sequence[int], gesture: int | None = None) -> Candidates:
        """Those of some pencils, or of one gesture (its number) of theirs."""
        ok = np.isin(self.pencil, list(pencils))
        return self.at(np.flatnonzero(ok if gesture is None else ok & (self.gesture == gesture)))

    def places(self) -> Mapping[tuple[int, int], np.ndarray]:
        """Where each pair may go, by pencil and gesture."""
        return {(int(p), int(g)): m for p, g, m in zip(self.pencil, self.gesture, self.may, strict=True)}


def candidates(gestures: Sequence[Gesture], lightness: Array, strength: Array, black: np.ndarray, allowed: np.ndarray, ground: Ground, lighter: np.ndarray | None = None
) -> Candidates:
    """All pairs that the craft knows, among the ``allowed`` pencils, that may go anywhere at all; ``lighter`` than the paper are some of them."""
    stand = np.zeros(len(lightness), bool) if lighter is None else lighter
    found = []
    for n, g in enumerate(gestures):
        anywhere = ground.may(g)
        under_black = anywhere & _within(ground.values, g.black_values)
        for i in np.flatnonzero(allowed & g.served_by(lightness, strength, black, stand)):
            here = under_black if black[i] else anywhere
            if here.any():
                found.append((int(i), n, here))
    pencil, number, may = zip(*found, strict=True) if found else ((), (), ())
    return Candidates(np.array(pencil, int), np.array(number, int), np.array(may, bool).reshape(-1, len(ground.values)))
