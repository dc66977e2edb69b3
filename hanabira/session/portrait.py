"""A portrait as one animal: one palette over all its areas, the same recipe on both sides, every area solved in turn."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from hanabira.core.colour.spaces import chroma, parse_hex, srgb_to_lab
from hanabira.core.faults import Fault, RecipeFault
from hanabira.core.solver.palette import Palette, choose, further
from hanabira.core.solver.place_plan import PlacePlanner
from hanabira.core.study.bounce import takes_on
from hanabira.craft.hand import palette_rules
from hanabira.session.aims import shift_of
from hanabira.session.asked import measure_one, plan_one
from hanabira.session.edits import Edit, EditBrief
from hanabira.studio.beside import meet
from hanabira.studio.overlaps import IN_THE_WAY

if TYPE_CHECKING:
    from hanabira.core.area.measures import Measures
    from hanabira.core.solver.layer import Layer
    from hanabira.core.solver.technique import LayerPlan
    from hanabira.core.token import Token
    from hanabira.session.asked import Asked
    from hanabira.session.session import Session
    from hanabira.session.workers import Workers
    from hanabira.studio.records import Area, Recipe

PAIRED = ("eye", "ear-inside")
"""Surfaces that come in pairs: the second one is laid like the first, also where nobody said that they are two sides of one animal."""
LEAST_AREAS = 2
"""One area needs no palette: its own recipe is sparing enough."""


AIMS: Mapping[str, tuple[str, Mapping[str, float]]] = {
    "warmer": ("warmer", {"warmer": 1.0}), "cooler": ("cooler", {"warmer": -1.0}), "richer": ("richer", {"richer": 1.0}),
    "quieter": ("quieter", {"richer": -1.0}), "darks": ("with lighter darks", {"darks": 1.0}),
}  # fmt: skip
"""Ways in which a whole animal is aimed, a step at a time."""
DEEP_L, LEAST_SHIFT, PALE_C = 35.0, 0.25, 4.0
"""L* under which a place is one of the darks; a shift smaller than the second is none; a ground weaker than the third (C*) throws no colour."""


class Portrait:
    """Solves what concerns all areas together. Reads the session; edits go through it."""

    def __init__(self, session: Session) -> None:
        self.session = session

    # -- the other side -------------------------------------------------------------
    def twin_of(self, area: Area) -> Area | None:
        """The solved area of the other side: the one that is named, either way, or the first of a pair that comes by twos."""
        return twin_among(area, self.session.areas, self.session.recipes)

    def other_side(self, area: Area, others: Sequence[Area] | None = None, recipes: Mapping[str, Recipe] | None = None) -> tuple[Layer, ...]:
        """Layers of the other side, when it was planned by places; ``others`` and ``recipes`` as they would be."""
        known = self.session.recipes if recipes is None else recipes
        twin = twin_among(area, self.session.areas if others is None else others, known)
        return known[twin.id].layers if twin is not None and known[twin.id].places else ()

    # -- one palette ------------------------------------------------------------------
    @property
    def palette(self) -> tuple[str, ...]:
        """The pencils that were chosen for the portrait, as far as the kit has them."""
        c = self.session.commission
        return tuple(code for code in c.palette if code in self.session.kit.usable.index) if c is not None else ()

    @property
    def wants_palette(self) -> bool:
        """Whether choosing one would change anything: translucent pencils, several areas, no limit already set."""
        m = self.session
        return not self.palette and not m.from_tray and m.kit.medium == "pencil" and len(self.to_draw) >= LEAST_AREAS

    def choose(self, then: Callable[[], None] | None = None) -> None:
        """Choose the pencils of the portrait over all its areas, off the interface thread, and keep them as one edit."""
        m = self.session
        asked = {a.id: found for a in self.to_draw if (found := m.workshop.asked(a)) is not None}
        if not asked or len(asked) < len(self.to_draw):
            m.messages.fault(RecipeFault("The photo is not open yet.", do="Wait a moment, then try again."))
            return
        kept = tuple(dict.fromkeys(q.code for a in m.areas for q in m.recipe_layers(a.id) if q.locked and q.code))

        def work(token: Token) -> tuple[Palette, Mapping[str, Measures]]:
            return over_all(tuple(asked.values()), kept, m.workers, token)

        def done(found: tuple[Palette, Mapping[str, Measures]]) -> None:
            palette, measured = found
            for key, one in asked.items():
                if key in measured:
                    m.measuring.learn(one.request, measured[key])
            if m.commission is None or not palette.codes:
                return
            if m.do(EditBrief(m, "palette of the portrait", palette=palette.codes)):
                more = "" if then is not None else " Solve them anew to follow."
                m.messages.remark(f"{len(palette.codes)} pencils are chosen over {len(asked)} areas.{more}")
            if then is not None:
                then()

        m.jobs.run("palette", "Choosing the pencils of the portrait", work, done, asked=True)

    def let_go(self) -> None:
        """Let recipes take any pencil again; one undoable edit."""
        if self.palette:
            self.session.do(EditBrief(self.session, "any pencil", palette=()))

    # -- aims of the whole animal --------------------------------------------------------
    def aim(self, key: str) -> bool:
        """Move the targets of every place of every solved area one step in one of `AIMS`, as one edit; the measures stay."""
        words, steps = AIMS[key]
        old, new = [], []
        for r in self.session.recipes.values():
            if not r.places:
                continue
            mine = {place: shift for place, *shift in r.aims}
            for p in r.places:
                was = mine.get(p.id, [0.0, 0.0, 0.0])
                darks = steps.get("darks", 0.0) if p.photo_lab[0] < DEEP_L else 0.0
                more = shift_of(p.photo_lab, steps.get("warmer", 0.0), steps.get("richer", 0.0), darks)
                mine[p.id] = [round(a + b, 3) for a, b in zip(was, more, strict=True)]
            aims = tuple((k, v[0], v[1], v[2]) for k, v in mine.items() if any(abs(q) >= LEAST_SHIFT for q in v))
            old.append(r)
            new.append(replace(r, aims=aims))
        return self._aimed(words, old, new)

    def hold_back(self) -> bool:
        """Hold every solved area back by its distance from the focus: less contrast and strength, softer; one edit."""
        shop = self.session.workshop
        if self.session.photo is None or self.session.photo.prep.focal is None:
            self.session.messages.remark("Set the focus in Study first: nothing is far from nowhere.")
            return False
        pairs = [(r, shop.held_back(a, r)) for a in self.session.areas if (r := self.session.recipes.get(a.id)) is not None and r.places]
        return self._aimed("held back away from the focus", [a for a, _b in pairs], [b for _a, b in pairs])

    def under_backdrop(self) -> bool:
        """Let the coat take on the colour of the portrait's backdrop, and lose that of its old surroundings, where it turns from the light; one edit."""
        m = self.session
        hexes = m.commission.backdrop_hexes if m.commission is not None else ("#ffffff", "#ffffff")
        ground = np.mean([srgb_to_lab(parse_hex(q)) for q in hexes], 0)
        before = m.animal.before
        if float(chroma(ground)) < PALE_C and (before is None or float(chroma(before)) < PALE_C):
            m.messages.remark("This backdrop has no colour to throw, and none is known of the old surroundings.")
            return False
        old, new = [], []
        for a in m.areas:
            r = m.recipes.get(a.id)
            if r is None or not r.places or a.surface_id in ("eye", "nose"):
                continue
            middle = sum(p.photo_lab[0] * p.share for p in r.places) / (sum(p.share for p in r.places) or 1.0)
            mine = {place: shift for place, *shift in r.aims}
            for p in r.places:
                more = (0.0, 0.0) if p.reserved else takes_on(p.photo_lab, middle, ground, before)
                mine[p.id] = [mine.get(p.id, [0.0])[0], *more]  # its colour is told anew: twice asked is not twice as much
            old.append(r)
            new.append(replace(r, aims=tuple((k, v[0], v[1], v[2]) for k, v in mine.items() if any(abs(q) >= LEAST_SHIFT for q in v))))
        return self._aimed("under the new backdrop (an estimate)", old, new)

    def _aimed(self, words: str, old: Sequence[Recipe], new: Sequence[Recipe]) -> bool:
        m = self.session
        changed = [(a, b) for a, b in zip(old, new, strict=True) if a != b]
        if not changed:
            m.messages.remark("Solve the areas by their places first; then their targets can be moved together.")
            return False
        if not m.do(Edit(m, f"the animal {words}", [a for a, _b in changed], [b for _a, b in changed])):
            return False
        m.messages.remark(f"{len(changed)} areas are aimed {words}; the measures stay. Solve every area anew to follow.")
        return True

    # -- every area --------------------------------------------------------------------
    @property
    def to_draw(self) -> tuple[Area, ...]:
        """The areas that are drawn: all but what is in the way."""
        return tuple(a for a in self.session.areas if a.surface_id != IN_THE_WAY)

    def unsolved(self) -> tuple[Area, ...]:
        """Areas without layers, in working order."""
        return tuple(a for a in self.to_draw if not self.session.recipe_layers(a.id))

    def solve_all(self) -> None:
        """Solve every area that has no layers yet, one after the other, with one palette; what is solved stays when it is cancelled."""
        left = [a.id for a in self.unsolved()]
        if not left:
            self.session.messages.remark("Every area has its layers.")
        elif self.wants_palette and len(left) == len(self.to_draw):
            self.choose(lambda: self._solve(left, anew=False))
        else:
            self._solve(left, anew=False)

    def solve_anew(self) -> None:
        """Solve every area anew with the palette, one edit for each; locked layers and aims stay."""
        keys = [a.id for a in self.to_draw]
        if self.wants_palette:
            self.choose(lambda: self._solve(keys, anew=True))
        elif keys:
            self._solve(keys, anew=True)

    def _eyes_first(self, keys: Sequence[str]) -> list[str]:
        """Eyes before all else: their colours come back round them."""
        eyes = {a.id for a in self.session.areas if a.surface_id == "eye"}
        return sorted(keys, key=lambda key: key not in eyes)

    def _solve(self, keys: Sequence[str], anew: bool) -> None:
        """Solve areas in turn, side by side where they do not meet; with ``anew`` also those that have layers by now."""
        m, left, count = self.session, self._eyes_first(keys), len(keys)

        def go_on() -> None:
            here = {a.id: a for a in m.areas}
            left[:] = [key for key in left if key in here and (anew or not m.recipe_layers(key))]
            wave = apart([here[key] for key in left], m.workers.most, m.mm_per_px or 1.0)
            left[:] = [key for key in left if key not in {a.id for a in wave}]
            if wave:
                m.workshop.solve_together(wave, go_on, f"Solving {' and '.join(a.name for a in wave)}, {count - len(left)} of {count}")
            else:
                m.messages.remark(f"{count} areas are solved." if count > 1 else "The area is solved.")

        go_on()


def twin_among(area: Area, others: Sequence[Area], recipes: Mapping[str, Recipe]) -> Area | None:
    """The solved area of the other side among some: the one that is named, either way, or the first of a pair that comes by twos."""
    solved = [a for a in others if a.id != area.id and a.id in recipes and recipes[a.id].layers]
    for a in solved:
        if a.id == area.twin_id or a.twin_id == area.id:
            return a
    alike = (a for a in solved if area.surface_id in PAIRED and a.surface_id == area.surface_id and not a.twin_id and not area.twin_id)
    return next(alike, None)


def apart(areas: Sequence[Area], most: int, mm_per_px: float) -> list[Area]:
    """The first of some areas with up to ``most`` in all that can be solved beside it: none is another's twin, comes in a pair with it, or meets it."""
    out: list[Area] = []
    for a in areas:
        if len(out) < most and not any(_tied(a, b, mm_per_px) for b in out):
            out.append(a)
    return out


def _tied(a: Area, b: Area, mm_per_px: float) -> bool:
    twins = a.twin_id == b.id or b.twin_id == a.id or (a.surface_id == b.surface_id and a.surface_id in PAIRED)
    return twins or meet(a, b, mm_per_px)


def over_all(
    asked: Sequence[Asked], fixed: Sequence[str], beside: Workers, token: Token, thorough: bool = True
) -> tuple[Palette, dict[str, Measures]]:  # fmt: skip
    """Areas measured, and the palette over them, ``fixed`` pencils in it; for any thread. What was solved on the way is kept for solving by it.

    A palette that is not ``thorough`` is chosen by mixtures alone; no recipe is asked what it still wants. Areas that cannot be measured are left out; raises the
    `Fault` of the first where that are all.
    """
    shipped = [q.shipped() for q in asked]
    told = lambda n, _m: token.report(0.3 * (n + 1) / len(asked), f"Looking at {asked[n].area.name}")  # noqa: E731
    found_out = beside.run(measure_one, shipped, token, told)
    measured = {q.area.id: m for q, m in zip(asked, found_out, strict=True) if not isinstance(m, Fault)}
    if not measured:
        raise next(m for m in found_out if isinstance(m, Fault))
    asked = [q for q in asked if q.area.id in measured]
    fields = []
    for one in asked:
        m = measured[one.area.id]
        assert m.places is not None
        craft, rules = one.craft_and_rules(m)
        fields.append(PlacePlanner(one.kit, one.paper, m.places, craft, rules, reach=one.reach).area)
    token.report(0.3, "Choosing the pencils")
    found = choose(fields, palette_rules(), fixed)
    if not thorough:
        return found, measured

    def with_(n: int, some: frozenset[str]) -> tuple[Asked, Measures]:
        one = asked[n]
        return replace(one, palette=tuple(sorted(some)), request=replace(one.request, view=None)), measured[one.area.id]

    def plan(n: int, some: frozenset[str]) -> LayerPlan:
        token.check()
        return plan_one(with_(n, some))

    def plan_all(some: frozenset[str]) -> list[LayerPlan]:
        told = lambda n, _p: token.report(0.4 + 0.3 * (n + 1) / len(asked), "Solving with the palette")  # noqa: E731
        return list(beside.run(plan_one, [with_(n, some) for n in range(len(asked))], token, told))

    return further(found, len(asked), plan, palette_rules(), plan_all=plan_all), measured
