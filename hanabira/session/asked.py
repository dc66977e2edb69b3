"""What an area is solved from, and the solving: for any thread and any process."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from hanabira.core.area.measures import NOT_LOOKED, Measures
from hanabira.core.faults import Fault
from hanabira.core.optics.kit import Kit
from hanabira.core.sentences import say
from hanabira.core.solver.area import Prediction, Variant
from hanabira.core.solver.form import Tie
from hanabira.core.solver.layer import Layer
from hanabira.core.solver.place_plan import PlacePlan, Rules, plan_places
from hanabira.core.solver.twins import other_side
from hanabira.core.token import SILENT, Token
from hanabira.craft.techniques import craft_of, rules_of

if TYPE_CHECKING:
    from hanabira.core.optics.paper import Paper
    from hanabira.core.solver.gamut import Gamut
    from hanabira.core.solver.technique import Craft
    from hanabira.session.measuring import Request
    from hanabira.studio.records import Area
    from hanabira.studio.workings import Workings

THRIFT = 4.0
"""How much dearer a further pencil is in the way with fewer of them."""


@dataclass(frozen=True)
class Asked:
    """What an area is solved from, taken on the interface thread; the solving itself may run on any."""

    area: Area
    request: Request
    known: Measures | None
    kit: Kit
    paper: Paper
    reach: Gamut
    school: tuple[tuple[str, str], ...]
    finish: int
    tray: tuple[str, ...]
    locked: tuple[Layer, ...]
    aims: tuple[tuple[str, float, float, float], ...]
    workings: Workings
    palette: tuple[str, ...] = ()
    """Pencils of the portrait; empty: any of the kit."""
    twin: tuple[Layer, ...] = ()
    """Layers of the other side."""
    tools: frozenset[str] | None = None
    """Tools of the drawer; None: any."""
    ties: tuple[Tie, ...] = ()
    """What lies beside the area and is solved already."""

    def shipped(self) -> Asked:
        """The same for another process: of the photo only what is measured on."""
        view = self.request.view
        return self if view is None else replace(self, request=replace(self.request, view=view.bare()))

    def measured(self, token: Token) -> Measures:
        """The area's measures with its marking."""
        m = self.known if self.known is not None else self.request.measure(token)
        looked = m.marking.kind is not None or m.marking.reason != NOT_LOOKED
        return m if looked or self.area.surface_id in ("eye", "nose") else self.request.look_at_marking(m)

    def plan(
        self, m: Measures, token: Token = SILENT, kit: Kit | None = None, thrift: float = 1.0, more: Sequence[Layer] = (), twin: tuple[Layer, ...] = ()
    ) -> PlacePlan:
        """Layers for the places of the measures, with this kit or another, sparing pencils by a factor, around ``more`` locked layers, or like ``twin``."""
        some = kit or self.kit
        assert m.places is not None
        places, locked = m.places, (*self.locked, *more)
        craft, rules = self.craft_and_rules(m, some)
        rules = replace(rules, thrift=thrift, palette=frozenset(self.palette), twin=twin)
        return self.workings.once(
            "plan", (tuple(some), some.fit, self.paper, places, craft, rules, self.tray, locked, self.reach),
            lambda: plan_places(
                some, self.paper, places, craft=craft, rules=rules, tray=self.tray, locked=locked, reach=self.reach, token=token,
            ),
        )  # fmt: skip

    def craft_and_rules(self, m: Measures, kit: Kit | None = None) -> tuple[Craft, Rules]:
        """What the craft says of the area, and what its measures and the artist's aims ask beside its colours."""
        a, some = self.area, kit or self.kit
        craft = craft_of(m, a.surface_id, some.medium, a.coat, a.marking_kind, self.school, self.finish, self.tools)
        return craft, replace(rules_of(m, craft, some, self.paper.id), aims={place: np.array(shift) for place, *shift in self.aims}, ties=self.ties)

    def solved(self, m: Measures, token: Token) -> PlacePlan:
        """The plan; on the second of two sides the same again, where that comes as near as its own would."""
        return other_side(lambda twin: self.plan(m, token, twin=twin), self.twin)

    def sparing(self, m: Measures, token: Token) -> PlacePlan:
        """The plan with the fewest pencils: those of the portrait at no price, or every one at its own; the closer of two that need as many."""
        plans = []
        for n, asked in enumerate((self, replace(self, tray=()))):
            token.report(n / 2, "Solving with the fewest pencils")
            plans.append(asked.plan(m, thrift=THRIFT))
        return min(plans, key=lambda q: (pencils(q.layers), closeness(q.prediction)))

    def with_pencil(self, m: Measures, keep: Layer, token: Token) -> PlacePlan:
        """The best plan with one pencil in it for certain: its pressure is free, its places and the pencil are not."""
        others = replace(self, locked=tuple(q for q in self.locked if q.id != keep.id))
        plans = []
        for n, pressure in enumerate((1, 3, 5)):
            token.report(n / 3, "Trying the pencil")
            fixed = replace(keep, pressure=pressure, passes=1, locked=True)
            plan = others.plan(m, more=(fixed,))
            free = tuple(replace(q, locked=keep.locked) if q == fixed else q for q in plan.layers)
            plans.append(replace(plan, layers=free))
        return min(plans, key=lambda q: closeness(q.prediction))

    def variants(self, m: Measures, token: Token) -> tuple[Variant, ...]:
        """Three ways to lay the area, the closest first, each with what differs from it in pencils and closeness."""
        token.report(0.0, "Solving the closest way")
        best = self.plan(m)
        token.report(0.35, "Solving with fewer pencils")
        few = self.plan(m, thrift=THRIFT)
        free = [q for q in best.layers if q.code and not q.locked]
        most = max(dict.fromkeys(q.code for q in free), key=lambda c: sum(q.passes for q in free if q.code == c), default="")
        rest = Kit(self.kit.name, tuple(p for p in self.kit if p.code != most), self.kit.fit)
        token.report(0.7, "Solving without the main pencil")
        without = self.plan(m, kit=rest if most and len(self.kit) > 3 else None)
        base = closeness(best.prediction)
        out = [Variant(say("variant.closest", pencils=pencils(best.layers), de=base), best.layers)]
        named = say("variant.without", name=self.kit.get(most).name, code=most) if most else say("variant.other")
        for name, plan in ((say("variant.fewer"), few), (named, without)):
            if plan.layers and all(plan.layers != v.layers for v in out):
                de = closeness(plan.prediction)
                more = f"{de - base:+.1f}".replace("-", "\u2212")
                out.append(Variant(say("variant.told", what=name, pencils=pencils(plan.layers), de=de, more=more), plan.layers))
        return tuple(out)


def closeness(told: Prediction) -> float:
    """Mean ΔE00 that is to be expected over the places."""
    return float(np.mean([s.expected_de00 for s in told.bands.values()]))


def pencils(layers: Sequence[Layer]) -> int:
    """How many different pencils lie there."""
    return len({q.code for q in layers if q.code})


def solve_one(asked: Asked) -> tuple[PlacePlan, Measures] | Fault:
    """The plan of one area with the measures that it rests on; what hinders it comes back as a fault, so that others go on."""
    try:
        measured = asked.measured(SILENT)
        return asked.solved(measured, SILENT), measured
    except Fault as fault:
        return fault


def measure_one(asked: Asked) -> Measures | Fault:
    """The measures of one area, its marking included; what hinders it comes back as a fault."""
    try:
        return asked.measured(SILENT)
    except Fault as fault:
        return fault


def plan_one(asked: tuple[Asked, Measures]) -> PlacePlan:
    """The plan of an area that is measured."""
    return asked[0].plan(asked[1])
