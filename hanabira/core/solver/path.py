"""What a stack of layers costs a place: closeness at the end, and what practice forbids on the way there.

One cost for each place, summed over the places of an area, and one for each layer: so a layer is judged place by place. The film
physics is that of `optics.stack`, over arrays (float32; recipes are checked with the exact one afterwards).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import Array, chroma, hue_deg
from hanabira.core.optics.bands import reflectance_to_lab
from hanabira.core.optics.film import Film, over, reflect_transmit
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.stack import bare, lightens, running, wet
from hanabira.core.optics.tools import RUBS, laying_of
from hanabira.core.optics.tooth import DEPTHS, SETTLE, room
from hanabira.core.solver.gestures import PLAIN, STAGE, Candidates, Gesture, Ground, candidates, is_top
from hanabira.core.solver.library import LIGHTER_L, covers
from hanabira.core.solver.pencil_kinds import PencilKinds, turn, within

F = np.float32


@dataclass(frozen=True)
class Costs:
    """Weights in units of ΔE00, found by trial on drawn animals at finish 3; docs/methods/stacks.md.

    ``layer`` a further layer, ``new`` a pencil new to the portrait, ``again`` a further pass, ``stranger`` a pencil far from every hue of the
    area and ``neutral`` one that practice neutralises with, ``state`` each a*b* unit off the way from paper to target, ``off`` a state of a
    hue that is nowhere, ``dip`` and ``ease`` pressure that falls by two or one, ``five`` the heaviest pressure too early, ``heavy`` a heavy first
    layer, ``tooth`` a full tooth, ``sink`` a pencil that cannot cover, ``dirty`` a dark on what must stay clean, ``seesaw`` colours that undo each
    other, ``black_first`` black without another dark under it, ``depth`` more than eight layers, ``rule`` a pencil that the coat's rule does not allow in a dark or a light, ``ragged`` a layer in the middle of the values only,
    ``earn`` what a layer must bring a place, ``idle`` a cover that no eye sees, ``mud`` a layer that dulls or veils a colour for good, ``press`` each
    step of pressure over three, ``early`` pressing before the last third of a place's layers, ``grey_black`` black in what is no dark.
    """

    layer: float = 0.6
    new: float = 1.0
    again: float = 0.08
    stranger: float = 1.2
    neutral: float = 0.2
    state: float = 0.12
    off: float = 5.0
    dip: float = 1.6
    ease: float = 0.8
    five: float = 8.0
    heavy: float = 1.2
    tooth: float = 150.0
    sink: float = 8.0
    dirty: float = 3.0
    seesaw: float = 0.5
    black_first: float = 1.0
    depth: float = 0.8
    rule: float = 40.0
    ragged: float = 0.12
    earn: float = 1.0
    idle: float = 1.2
    mud: float = 2.5
    press: float = 0.12
    early: float = 0.8
    grey_black: float = 0.4


BY_VALUE = {"dip": 0.5, "ease": 0.08, "heavy": 0.1, "early": 0.0, "press": 0.0, "sink": 2.5, "idle": 0.0, "mud": 0.0}
"""Costs where values alone order the layers: lights over a toned card are pressed on purpose."""
FINISH_FACTOR = {1: 2.6, 2: 1.4, 3: 1.0, 4: 0.75, 5: 0.5}
"""What a layer costs and must earn at each finish, as a factor."""
MOST_OF_MARK = 0.5
"""Share of a marking that counts as wide in it."""
IDLE_DE, BLENDED_L = 1.3, 42.0
"""A cover that moves its place by less (ΔE76) is seen by no eye; a pale blend serves over states lighter than the second."""
DULLED_C, MUDDY_C, MUDDY, VEILED_L, VEILED = 6.0, 18.0, 0.6, 4.0, 0.7
"""Colour is dulled for good where it ends so much (C*) under what is wanted, and either a colour stronger than the second lost all but this share, or a
layer that lightens by so much left only the last share of it."""
NO_BLACK_L = 22.0
"""A target lighter than this is no place for a black."""
TOOTH_LIMIT = 0.92
"""A last touch must always have room."""
BLACK_L, BLACK_C = 17.0, 5.0
"""A pencil is a black when its masstone is darker and duller; sepia, indigo and dark browns are darks."""
COAT_DARK_L, COAT_LIGHT_L = 40.0, 60.0
"""The coat's rules speak of pencils darker than the first in its darks, and paler than the second in its lights."""
MEASURED_TURN, MEASURED_C, MEASURED_BLACK_L = 40.0, 5.0, 9.0
"""A hue measured in a place with more than this strength allows pencils so near to it; a place that is black itself allows blacks."""
FAR_TURN, HUELESS_C, GREY_C = 60.0, 4.0, 12.0
"""A pencil so many degrees from every hue of the area is a stranger there, unless it has no hue (C*); among neutralisers greys cost nothing."""
STRAY_C, STRAY_AB, STRAY_TURN = 7.5, 9.0, 43.0
"""A state so strong (C*) and so far (a*b*) off its way is looked at; one so many degrees from every hue of the area cannot be judged by eye."""
BLACK_LAST = 500.0
"""Where a black stands in the order of a mid-toned card."""
UNDER_BLACK_L = 40.0
"""A pencil darker than this under the black makes it a coloured dark."""
RESERVED_COST, SECOND_TINT, SECOND_GREY, DULL_LIGHT_L, TINTED_LIGHT_L = 5000.0, 40.0, 3.0, 70.0, 86.0
"""What covering a reserved place with more than a pale tint costs (more than any miss), and each tint after the first; a light darker than the last is the sky in a
dull window, and a second grey may set its hue right."""


@dataclass(frozen=True)
class Target:
    """A place to be solved: its colour on paper and in the photo, how much the eye rests on it, which group of values it belongs to.

    ``chain`` groups are values of one coat: a layer covers a run of them. ``white`` places must stay clean. ``keeps_off``
    is what must not cover it: everything but the palest tint, darks, blacks, colour.
    """

    id: str
    target: Array
    photo: Array
    weight: float
    group: str
    chain: bool
    reserved: bool = False
    white: bool = False
    keeps_off: tuple[str, ...] = ()
    share: float = 0.0
    """Its part of the area."""
    bare: bool = False
    """Nothing grows on it."""


@dataclass
class State:
    """States of rows of spots; all arrays share their leading shape. ``sums`` is only kept when a tool blends later."""

    zones: Array
    fill: Array
    crush: Array
    lab: Array
    cost: Array
    black: Array
    hue: Array
    flips: Array
    depth: Array
    dark: Array
    sums: Array | None = None

    def at(self, index: Any) -> State:
        """The states at an index of the leading axes."""
        return State(*(None if v is None else v[index] for v in self.arrays()))  # type: ignore[arg-type]

    def put(self, index: Any, other: State) -> None:
        """Write other states over those at an index."""
        for mine, theirs in zip(self.arrays(), other.arrays(), strict=True):
            if mine is not None:
                mine[index] = theirs

    def copy(self) -> State:
        """A copy of its own."""
        return State(*(None if v is None else v.copy() for v in self.arrays()))  # type: ignore[arg-type]

    def arrays(self) -> tuple[Array | None, ...]:
        """All arrays in the order of the fields."""
        return (self.zones, self.fill, self.crush, self.lab, self.cost, self.black, self.hue, self.flips, self.depth, self.dark, self.sums)


@dataclass
class Field:
    """An area to be solved: kit, paper, places, and everything about pencils and places that does not change on the way."""

    kit: Kit
    paper: Paper
    places: Sequence[Target]
    hues: Array
    opaque: bool
    pencils: PencilKinds
    costs: Costs = field(default_factory=Costs)
    finish: int = 3
    tray: frozenset[str] = frozenset()
    banned: frozenset[str] = frozenset()
    palest_first: bool = False
    """Pastel laid from its lightest stick on, when the school says so."""
    gestures: tuple[Gesture, ...] = ()
    """What a hand does, in order; empty where values alone order the layers: sticks that cover, and pencils on a card darker than they are."""
    open_strokes: bool = True
    """Whether strokes may leave what is below them between them: hair and feathers do, skin and eyes are closed."""
    coat_darks: np.ndarray | None = None
    coat_lights: np.ndarray | None = None
    """Pencils (n,) bool that the coat's rules allow in its darks and in its lights; all when there is no rule."""

    def __post_init__(self) -> None:
        lab = self.kit.masstone_lab
        self.lightness, self.strength = lab[:, 0], np.asarray(chroma(lab))
        self.hue = np.asarray(hue_deg(lab)) % 360
        self.is_black = (self.lightness < BLACK_L) & (self.strength < BLACK_C)
        self.targets = np.array([p.target for p in self.places], float)
        self.wanted_c = np.hypot(self.targets[:, 1], self.targets[:, 2])
        share = np.array([p.share for p in self.places])
        self.share = share * np.array([p.chain for p in self.places])  # parts of an eye are as small as they are
        self.whole = float(self.share.sum())
        self.marks = np.array([p.group == "marking" and p.id != "edge" for p in self.places])
        self.weight = np.array([p.weight for p in self.places], float)
        self.reserved = np.array([p.reserved for p in self.places])
        self.second_tint = np.array([SECOND_GREY if p.photo[0] < TINTED_LIGHT_L else SECOND_TINT for p in self.places])
        self.factor = FINISH_FACTOR[self.finish]
        self.layer_cost, self.earn = self.costs.layer * self.factor, self.costs.earn * self.factor
        self.new_cost = self.costs.new * self.factor**0.5
        self.covers = np.zeros(len(self.kit), bool) if self.opaque else covers(self.kit, self.paper)
        self.on_tray = np.array([p.code in self.tray for p in self.kit])
        self.has_green = any(within(h, *self.pencils.green_state_h) for h in self.hues) or self._green_iris()
        self.bare = bare(self.paper)
        self.paper_lab = self.bare.lab
        self.room = room(self.paper).astype(F)
        self.way = (self.targets[:, 1:] - self.paper_lab[1:]).astype(float)
        self.way2 = np.maximum((self.way**2).sum(1), 1e-6)
        self.absorption, self.scattering = self.kit.film.absorption.astype(F), self.kit.film.scattering.astype(F)
        hand = self.kit.hand
        self.hand = np.stack([hand.reach + self.paper.off, hand.full, hand.deposit * self.paper.grip, hand.crush]).astype(F)
        self._pencils()
        self._forbidden()
        self.chains = []
        for group in dict.fromkeys(p.group for p in self.places):
            mine = [k for k, p in enumerate(self.places) if p.group == group]
            mine.sort(key=lambda k: self.targets[k, 0])
            self.chains.append((np.array(mine), self.places[mine[0]].chain))
        self.lights = np.array([p.id in ("light", "highlight") for p in self.places])
        self.kinds = self.gestures or (PLAIN,)
        self.on_card = any(g.stands is not None for g in self.gestures)
        self.candidates = self._candidates()
        self._may = self.candidates.places()

    def _green_iris(self) -> bool:
        """Whether an iris is so far from brown that green pencils mix it."""
        hue = np.degrees(np.arctan2(self.targets[:, 2], self.targets[:, 1]))
        iris = np.array(["iris" in p.id for p in self.places]) & (self.wanted_c >= self.pencils.green_iris_c)
        return bool((iris & np.asarray(within(hue, *self.pencils.green_iris_h))).any())

    def _candidates(self) -> Candidates:
        """What may be laid where; without gestures every pencil anywhere."""
        if not self.gestures:
            which = np.flatnonzero(self.allowed)
            return Candidates(which, np.zeros(len(which), int), np.ones((len(which), len(self.places)), bool))
        chain = np.array([p.chain for p in self.places])
        values = self.targets[chain, 0] if chain.any() else self.targets[:, 0]
        general = next((float(p.target[0]) for p in self.places if p.id == "general"), float(np.median(values)))
        tops = np.array([is_top(p.id) for p in self.places])
        bare_ = np.array([p.bare for p in self.places])
        ground = Ground(self.targets[:, 0], chain, tops, self.reserved, general, bare_, float(self.paper_lab[0]))
        return candidates(self.gestures, self.lightness, self.strength, self.is_black, self.allowed, ground, self.lightness > self.paper_lab[0] + LIGHTER_L)

    def _pencils(self) -> None:
        """What each pencil costs in this area, and which may not be taken at all."""
        far = np.all([turn(self.hue, h) > FAR_TURN for h in self.hues], 0) if len(self.hues) else np.ones(len(self.hue), bool)
        far = far & (self.strength > HUELESS_C)
        neutral = self.pencils.neutral(self.kit.masstone_lab)
        green = self.pencils.green(self.strength, self.hue) & (not self.has_green)
        c = self.costs
        self.pencil_cost = np.where(far, np.where(neutral & (self.strength > GREY_C), c.neutral, np.where(neutral, 0, c.stranger)), 0.0)
        self.allowed = ~green & (self.pencil_cost < 1) & np.array([p.code not in self.banned for p in self.kit])

    def _forbidden(self) -> None:
        """What covering a place with a pencil costs: darks on pale places, colour on whites, anything on what is reserved."""
        c = self.costs
        out = np.zeros((len(self.lightness), len(self.places)))
        for k, p in enumerate(self.places):
            if p.reserved:
                tints = self.pencils.tints(self.lightness, self.strength, bool(p.photo[0] < DULL_LIGHT_L))
                out[:, k] += np.where(tints, 0, RESERVED_COST)
            out[:, k] += np.where((self.lightness < self.pencils.dark_l) & (p.target[0] > self.pencils.dark_place_l), c.dirty, 0)
            out[:, k] += c.rule * self._against_the_coat(p)
            if p.target[0] > self.pencils.bears_l and not p.reserved:
                for what in p.keeps_off:
                    out[:, k] += np.where(self._kind(what), c.dirty, 0)
            if p.white and "gap" not in p.id:
                out[:, k] += np.where(self.pencils.dirties_white(self.lightness, self.strength, float(p.target[0])), c.rule, 0)
        self.forbidden = out

    def _against_the_coat(self, p: Target) -> np.ndarray:
        """Pencils that the coat's rules do not allow in a place. What was measured there is always allowed."""
        none = np.zeros(len(self.lightness), bool)
        if p.group not in ("coat", "ground"):
            return none
        measured = turn(self.hue, float(hue_deg(p.photo))) <= MEASURED_TURN if float(chroma(p.photo)) > MEASURED_C else none
        if float(p.photo[0]) < MEASURED_BLACK_L and float(chroma(p.photo)) <= MEASURED_C:
            measured = self.is_black
        if self.coat_darks is not None and p.id.startswith(("gap", "shade")):
            return ~self.coat_darks & (self.lightness < COAT_DARK_L) & ~measured
        if self.coat_lights is not None and p.id.startswith(("light", "half-tone", "highlight")):
            return ~self.coat_lights & (self.lightness > COAT_LIGHT_L) & ~measured
        return none

    def _kind(self, what: str) -> Array:
        """Which pencils are meant by a word of the lists of places."""
        if what == "everything":
            return ~self.pencils.tints(self.lightness, self.strength, dull=False)
        if what == "darks":
            return self.lightness < self.pencils.dark_l
        return self.is_black if what == "blacks" else self.strength > self.pencils.tint_c

    def key(self, pencil: int) -> float:
        """Where a pencil stands in the order: translucent palest first, opaque darkest first with black after the coat's own darks.

        On a mid-toned card both: what is darker than the card palest first, then the lights that stand opaque on it.
        """
        if self.opaque and not self.palest_first:
            return 25.2 if self.is_black[pencil] else float(self.lightness[pencil])
        if self.covers[pencil] or self.on_card and self.lightness[pencil] > self.paper_lab[0] + LIGHTER_L:  # on a card the lights come last, the lightest of all at the very end
            return float(self.lightness[pencil])
        # nothing goes over a pencil's black, so where lights come last it comes after them, in its own dark places
        return BLACK_LAST - float(self.lightness[pencil]) if self.is_black[pencil] and self.covers.any() else -float(self.lightness[pencil])

    # -- the state of spots -----------------------------------------------------------
    def gesture(self, key: str) -> Gesture | None:
        """A gesture by its id; None where layers have none."""
        return next((g for g in self.gestures if g.id == key), None)

    def is_free(self, key: str) -> bool:
        """Whether a gesture may be lighter than what came before it."""
        return any(g.free for g in self.gestures if g.id == key)

    def coverage(self, gesture: Gesture | None) -> float:
        """Share of its places that the strokes of a gesture close here."""
        return gesture.coverage if gesture is not None and self.open_strokes else 1.0

    def gesture_cost(self, key: str, before: int) -> float:
        """What a gesture costs beyond any layer, where so many of it were laid before."""
        return next((g.cost + g.further * before for g in self.kinds if g.id == key), 0.0)

    def may_go(self, pencil: int, gesture: str, place: int) -> bool:
        """Whether a pencil's gesture may go over a place."""
        at = next((n for n, g in enumerate(self.gestures) if g.id == gesture), None)
        found = None if at is None else self._may.get((pencil, at))
        return found is None or bool(found[place])

    def misfits(self, on: Array, least: Array, most: Array) -> Array:
        """Whether a gesture's places (…, places) hold less or more of the coat than it may; never where there is no coat."""
        on = np.asarray(on)
        covered = on @ self.share
        low = covered < np.asarray(least) * self.whole - 1e-9
        if self.marks.any():  # a marking is a shape of its own: what covers most of it is wide
            low &= (on & self.marks) @ self.share < MOST_OF_MARK * float(self.share[self.marks].sum())
        wrong = low | (covered > np.asarray(most) * self.whole + 1e-9)
        return np.asarray(wrong & (self.whole > 0.5) & (len(self.places) > 2))

    def fits(self, gesture: str, on: Sequence[bool]) -> bool:
        """Whether a gesture may hold just these places."""
        g = self.gesture(gesture)
        return g is None or not bool(self.misfits(np.array(on), np.array(g.share), np.array(g.most)))

    def key_of(self, pencil: int, gesture: Gesture | None) -> float:
        """Where a pencil stands in the order when it does something: by the stage of its gesture, then palest first."""
        return self.key(pencil) + (STAGE * gesture.stage if gesture is not None else 0.0)

    def start(self, shape: tuple[int, ...], sums: bool = False) -> State:
        """Untouched spots."""
        return State(
            np.broadcast_to(self.bare.zones.astype(F), (*shape, 3, 8)).copy(), np.zeros((*shape, 3), F), np.zeros(shape, F),
            lab=np.broadcast_to(self.paper_lab, (*shape, 3)).copy(), cost=np.zeros(shape), black=np.zeros(shape, bool), hue=np.full(shape, np.nan),
            flips=np.zeros(shape, int), depth=np.zeros(shape, int), dark=np.zeros(shape, bool),
            sums=np.zeros((*shape, 2, 3, 8), F) if sums else None,
        )  # fmt: skip

    def film(self, s: State, pencil: Array, pressure: Array, passes: Array, coverage: Array | float = 1.0, laid: str = "") -> State:
        """The films alone: zones, fill and crush after some passes; Lab and costs are those before. Arguments broadcast to the leading shape.

        ``coverage`` is the share that the strokes close (`optics.stack.opened`), ``laid`` how the colour is brought on (`optics.tools`).
        """
        way = laying_of(laid)
        paper = self.paper
        zones, fill, crush = s.zones, s.fill, s.crush
        pencil, pressure, passes = np.asarray(pencil), np.asarray(pressure), np.asarray(passes)
        a, b = self.absorption[pencil][..., None, :], self.scattering[pencil][..., None, :]
        reach, full, deposit, presses = self.hand[:, pressure - 1]
        reach, full, deposit = reach[..., None] + F(way.reach), full[..., None], deposit[..., None] * F(way.deposit)
        presses = presses * F(way.crush)
        sums = s.sums
        for n in range(int(passes.max(initial=0))):
            space = self.room * (1 - crush[..., None])
            depth = _DEPTHS * (1 - F(SETTLE) * fill / space)
            contact = 1 / (1 + np.exp(-(reach - depth) / F(paper.soft)))
            t = deposit * np.maximum(0, 1 - fill / (space * full)) * np.sqrt(contact)
            if n and passes.size > 1:
                live = (passes > n)[..., None]
                contact, t = np.where(live, contact, 0), np.where(live, t, 0)
                presses_now = np.where(passes > n, presses, 0)
            else:
                presses_now = presses
            r0, t2 = reflect_transmit(Film(a, b), t[..., None])
            c = contact[..., None]
            zones = c * over(r0, t2, zones) + (1 - c) * zones
            amount = contact * t
            fill, crush = fill + amount, crush + presses_now * (1 - crush)
            if sums is not None:
                sums = sums + np.stack(np.broadcast_arrays(a * amount[..., None], b * amount[..., None]), -3)
        share = np.asarray(coverage, F)
        if np.any(share < 1):
            zones = s.zones + share[..., None, None] * (zones - s.zones)
            fill, crush = s.fill + share[..., None] * (fill - s.fill), s.crush + share * (crush - s.crush)
            if sums is not None and s.sums is not None:
                sums = s.sums + share[..., None, None, None] * (sums - s.sums)
        return State(
            zones, fill, crush, lab=s.lab, cost=s.cost, black=s.black, hue=s.hue, flips=s.flips, depth=s.depth, dark=s.dark, sums=sums,
        )

    def see(self, zones: Array) -> Array:
        """Lab of zone reflectances (…, 3, 8)."""
        return np.asarray(reflectance_to_lab(self.mixed(zones)))

    def wet_l(self, zones: Array) -> float:
        """L* of zone reflectances (3, 8) while a solvent stands on them."""
        return float(reflectance_to_lab(wet(self.mixed(zones)))[0])

    def mixed(self, zones: Array) -> Array:
        """Reflectance (…, 8) of zones (…, 3, 8) as the eye mixes them (Yule and Nielsen 1951)."""
        n = self.paper.n
        return np.asarray((np.maximum(zones, 0) ** F(1 / n)).mean(-2) ** F(n))

    def lay(self, s: State, pencil: Array, pressure: Array, passes: Array, place: Array, free: Array | bool = False, coverage: Array | float = 1.0, laid: str = "") -> State:
        """A layer with its Lab and what practice says of it there. ``place`` are places of the rows; all broadcast against the leading shape.

        ``free`` layers (a pale blend, a glaze, a last light) may be paler than what they go over, as long as that is no dark. ``coverage`` and ``laid`` as in `film`.
        """
        out = self.film(s, pencil, pressure, passes, coverage, laid)
        lab = self.see(out.zones)
        c = self.costs
        off = lab[..., 1:] - self.paper_lab[1:]
        way = self.way[place]
        along = np.clip((off * way).sum(-1) / self.way2[place], 0, 1)
        far = np.hypot(off[..., 0] - way[..., 0] * along, off[..., 1] - way[..., 1] * along)
        cost = s.cost + c.state * np.maximum(0, far - 4)
        strength = np.hypot(lab[..., 1], lab[..., 2])
        odd = (strength > 4.4) & (far > 4.4)
        if odd.any():
            cost += self._strange(lab[odd], strength[odd], far[odd], odd)
        own_l = self.lightness[pencil]
        if not self.opaque:
            sinks = ((s.lab[..., 0] + 11 < own_l) & (own_l < 90) & ~(np.asarray(free) & (s.lab[..., 0] > BLENDED_L))) | ((own_l > 30) & s.black)
            cost += c.sink * sinks * ~self.covers[pencil]
            cost += c.press * np.maximum(0, np.asarray(pressure) - 3)
            # what its own cautions would complain of: covers that no eye sees, and colour that is dulled for good
            moved = np.sqrt(((lab - s.lab) ** 2).sum(-1))
            cost += c.idle * ((moved < IDLE_DE) & (s.depth > 0))
            wanted, was = self.wanted_c[place], np.hypot(s.lab[..., 1], s.lab[..., 2])
            dull = (strength < wanted - DULLED_C) & (was > strength)
            veiled = (lab[..., 0] > s.lab[..., 0] + VEILED_L) & (strength < VEILED * was)
            cost += c.mud * dull * (((was > MUDDY_C) & (strength < MUDDY * was)) | veiled)
        depth = s.depth + 1
        hue, flips, strong = s.hue, s.flips, self.strength[pencil] > 12
        if np.any(strong):
            own_h = self.hue[pencil]
            flip = strong & (turn(own_h, hue) > 100)  # not a number, where no strong pencil lies yet, is no flip
            if flip.any():
                flips = flips + flip
                cost += np.where(flip, np.where(flips > 1, 4 * c.seesaw, c.seesaw), 0)
            hue = np.where(strong, own_h, hue)
        black = self.is_black[pencil]
        cost += self.forbidden[pencil, place] + c.depth * (depth > 8)
        if np.any(black):
            cost += c.black_first * (black & ~s.dark)
            if not self.opaque:
                cost += c.grey_black * (black & (self.targets[place][..., 0] > NO_BLACK_L))
        reserved = self.reserved[place]
        if np.any(reserved):
            cost += np.where(depth > 2, SECOND_TINT, self.second_tint[place]) * (reserved & (depth > 1))
        return State(
            out.zones, out.fill, out.crush, lab=lab, cost=cost, black=s.black | black, hue=hue, flips=flips, depth=depth,
            dark=s.dark | (own_l < UNDER_BLACK_L), sums=out.sums,
        )

    def _strange(self, lab: Array, strength: Array, far: Array, where: Array) -> Array:
        """Costs of states off the way to their targets: greenish where nothing is green, or of a hue that is nowhere in the area."""
        c = self.costs
        hue = np.degrees(np.arctan2(lab[:, 2], lab[:, 1])) % 360
        found = np.zeros(len(hue))
        if not self.has_green:
            found += c.off * within(hue, *self.pencils.green_state_h)
        stray = (strength > STRAY_C) & (far > STRAY_AB)
        if stray.any():
            alone = (turn(hue[:, None], self.hues[None]) > STRAY_TURN).all(1) if len(self.hues) else np.ones(len(hue), bool)
            found += c.off * (stray & alone)
        out = np.zeros(where.shape)
        out[where] = found
        return out

    def use(self, s: State, tool: str) -> State:
        """A tool that goes over spots whose sums were kept (`optics.stack.rub`)."""
        assert s.sums is not None
        how = RUBS[tool]
        k, b = s.sums.mean(-2)[..., 0, :], s.sums.mean(-2)[..., 1, :]
        r0, t2 = reflect_transmit(Film(np.maximum(k, F(1e-9)), np.maximum(b, F(1e-9))), F(1.0))
        ground = self.bare.ground.astype(F)
        even = np.where((b.max(-1) > 1e-12)[..., None], over(r0, t2, ground), ground)
        share = F(how.evens)
        zones = (1 - share) * s.zones + share * even[..., None, :]
        if how.runs:
            lifted = lightens(self.mixed(zones), self.mixed(s.zones), ground)
            deep = (1 - share) * s.zones + share * running(s.zones, s.fill)[..., None, :]
            deep = np.where(lightens(self.mixed(deep), self.mixed(s.zones), ground)[..., None, None], s.zones, deep)
            zones = np.where(lifted[..., None, None], deep, zones)
        crush = s.crush + F(how.crush) * (1 - s.crush)
        fill = s.fill * F(how.keeps)
        fill = fill + F(how.fills) * np.maximum(0, self.room * (1 - crush[..., None]) - fill)
        return State(
            zones, fill, crush, lab=self.see(zones), cost=s.cost, black=s.black, hue=s.hue, flips=s.flips, depth=s.depth, dark=s.dark, sums=s.sums,
        )

    def used(self, s: State) -> Array:
        """Share of the tooth used."""
        return np.clip(s.fill / (self.room * (1 - s.crush[..., None])), 0, 1).mean(-1)

    def ended(self, s: State, place: Array) -> tuple[Array, Array]:
        """(cost of the rows without pressure, ΔE00 from the target) once nothing more is laid."""
        wanted = self.targets[place]
        de = np.asarray(delta_e00(s.lab, np.broadcast_to(wanted, s.lab.shape)))
        miss = (
            de
            + 0.10 * np.maximum(0, de - 2) ** 2
            + 0.25 * np.maximum(0, de - 4) ** 2
            + 0.15 * np.maximum(0, np.abs(s.lab[..., 0] - wanted[..., 0]) - 1.5)
        )
        return self.weight[place] * miss + s.cost + self.costs.tooth * np.maximum(0, self.used(s) - TOOTH_LIMIT), de

    def pressure_cost(self, presses: Sequence[int]) -> float:
        """What the order of pressures costs a place: it rises, falls only a little, and the heaviest comes last. Nothing for pastel."""
        if self.opaque:
            return 0.0
        c, out, most, total = self.costs, 0.0, 0, len(presses)
        first = True
        for at, q in enumerate(presses, 1):
            if not q:
                first = False
                continue
            if first:
                out += c.heavy * max(0, q - 2)
                first = False
            out += c.dip if q < most - 1 else c.ease if q == most - 1 else 0.0
            out += {5: c.five, 4: c.early}.get(q, 0.0) if at * 3 <= 2 * total else 0.0
            most = max(most, q)
        return out


_DEPTHS = DEPTHS.astype(F)
