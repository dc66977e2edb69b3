"""The recipe workshop behind the desk: craft rules of an area, solving by them, the same again, and the portrait as a whole."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from hanabira.core.colour.spaces import Array
from hanabira.core.faults import Fault, RecipeFault
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.stack import Pass
from hanabira.core.solver.area import BANDS, WHERE, Layer, Variant, solve_with_pencil, variants
from hanabira.core.solver.technique import Craft, Plan, plan_area
from hanabira.core.token import Token
from hanabira.craft.supplies import surfaces
from hanabira.craft.techniques import FINISH, craft_of, school
from hanabira.session.edits import SetLayers
from hanabira.studio.records import Area

if TYPE_CHECKING:
    from hanabira.session.session import Session

JUMP_L = 10.0
"""A value step between neighbours that recipe and photo see differently by more than this is warned of."""


class Given(NamedTuple):
    """What an area is solved from, in the order in which the solver takes it."""

    kit: Kit
    paper: Paper
    targets: Mapping[str, Array]
    stroke: str
    stroke_mm: float
    reasons: Mapping[str, str]
    tray: tuple[str, ...]
    locked: tuple[Layer, ...]


class Workshop:
    """Solves areas by the craft's rules and looks at all recipes together. Reads the model; edits go through it."""

    def __init__(self, model: Session) -> None:
        self.model = model
        self.left_out: dict[str, tuple[str, ...]] = {}
        """Rules that were not followed at the last solve of an area."""

    # -- rules ---------------------------------------------------------------------
    @property
    def school(self) -> dict[str, str]:
        """Every switch of the open commission's school."""
        c = self.model.commission
        return school(self.model.kit.medium, c.school if c else ())

    def finish(self, area: Area) -> int:
        """Finish level of an area: as set, else falling from 5 at the focal point to 2 at the far corner."""
        if area.finish:
            return area.finish
        photo = self.model.photo
        if photo is None or photo.prep.focal is None:
            return 3
        c = np.asarray(area.ring).mean(0)
        far = math.hypot(c[0] - photo.prep.focal[0], c[1] - photo.prep.focal[1]) / math.hypot(photo.crop[2], photo.crop[3])
        return int(np.clip(round(5 - 6 * far), FINISH[0] + 1, FINISH[1]))

    def craft(self, area: Area) -> Craft | None:
        """What the craft says of an area; None until it is measured."""
        m = self.model.measures(area.id)
        c = self.model.commission
        if m is None or c is None:
            return None
        return craft_of(m, area.surface_id, self.model.kit.medium, area.coat, area.marking_kind, c.school, self.finish(area))

    # -- solving --------------------------------------------------------------------
    def given(self, key: str) -> Given | None:
        """What an area is solved from: kit, paper, targets, stroke, its length, reasons, tray, locked layers."""
        m = self.model
        area, targets, measured = next((a for a in m.areas if a.id == key), None), m.targets(key), m.measures(key)
        if area is None or targets is None or measured is None or m.commission is None:
            return None
        surface = surfaces()[area.surface_id]
        used = [q.code for r in m.recipes.values() if r.area_id != key for q in r.layers if q.code]
        tray = tuple(dict.fromkeys([*m.commission.tray, *used]))
        kit = m.kit.usable
        if m.from_tray and any(c in kit.index for c in m.commission.tray):
            kit = kit.subset(m.commission.tray)
        length = round(min(60.0, measured.length_mm or 0.0), 1)
        locked = tuple(q for q in m.recipe_layers(key) if q.locked)
        return Given(kit, m.paper, targets, surface.stroke, length, {"general": surface.why_general, "gap": surface.why_gap}, tray, locked)

    def solve(self, key: str, keep: Layer | None = None) -> None:
        """Solve an area by the craft's rules off the interface thread and keep it as one edit; ``keep`` must be among the layers."""
        m = self.model
        area, targets = next((a for a in m.areas if a.id == key), None), m.targets(key)
        if area is None:
            return
        if targets is None:
            m.want_measures(key)
            m.messages.fault(RecipeFault(f"“{area.name}” is not measured yet.", do="Wait a moment, then solve again."))
            return
        given, craft = self.given(key), self.craft(area)
        if given is None or craft is None:
            return
        kit, paper, goals, _stroke, _mm, _why, tray, locked = given

        def work(token: Token) -> Plan | tuple[Layer, ...]:
            if keep is not None:
                return solve_with_pencil(keep, *given)
            return plan_area(kit, paper, goals, craft, tray, locked, token)

        def done(found: Plan | tuple[Layer, ...]) -> None:
            if not any(a.id == key for a in m.areas):
                return
            layers = found.layers if isinstance(found, Plan) else found
            self.left_out[key] = found.left_out if isinstance(found, Plan) else ()
            if not layers:
                m.messages.remark(f"{area.name}: the bare paper is nearest to every band; no layer helps.")
                return
            m.layer_at = 0
            m.do(SetLayers(m, area, layers, "layers"))

        m.jobs.run(f"solve {key}", f"Solving the layers of {area.name}", work, done, asked=True)

    def offer_variants(self, key: str, done: Callable[[tuple[Variant, ...]], None]) -> None:
        """Solve an area in three ways, off the interface thread."""
        given = self.given(key)
        if given is not None:
            self.model.jobs.run(f"variants {key}", "Solving other ways", lambda token: variants(*given, token=token), done, asked=True)

    # -- the same again ---------------------------------------------------------------
    def same_again(self, source: Area, target: Area, exactly: bool) -> None:
        """Lay one area's recipe on another: copied, or the same pencils solved anew for its own measures. Differences are named."""
        m = self.model
        layers = tuple(replace(q, locked=False) for q in m.recipe_layers(source.id))
        if not layers:
            m.messages.fault(RecipeFault(f"“{source.name}” has no layers yet.", "Nothing was changed.", "Solve it first."))
            return
        if exactly:
            if m.do(SetLayers(m, target, layers, f"same as {source.name}")):
                m.messages.remark(self._differences(source, target))
            return
        given, craft = self.given(target.id), self.craft(target)
        if given is None or craft is None:
            m.want_measures(target.id)
            m.messages.fault(RecipeFault(f"“{target.name}” is not measured yet.", do="Wait a moment, then try again."))
            return
        kit, paper, goals, *_ = given
        codes = [c for c in dict.fromkeys(q.code for q in layers if q.code) if c in kit.index]
        some = kit.subset(codes) if len(codes) >= 2 else kit

        def done(plan: Plan) -> None:
            if m.do(SetLayers(m, target, plan.layers, f"same pencils as {source.name}")):
                m.messages.remark(self._differences(source, target))

        m.jobs.run(
            f"solve {target.id}",
            f"Solving {target.name} with the pencils of {source.name}",
            lambda t: plan_area(some, paper, goals, craft, token=t),
            done,
            asked=True,
        )

    def _differences(self, source: Area, target: Area) -> str:
        a, b = self.model.measures(source.id), self.model.measures(target.id)
        if a is None or b is None:
            return f"{target.name} now has the layers of {source.name}."
        parts = []
        for band in ("gap", "general", "light", "highlight"):
            d = float(b.values.band_lab[band][0] - a.values.band_lab[band][0])
            if abs(d) > 4:
                parts.append(f"{band} {abs(d):.0f} L* {'lighter' if d > 0 else 'darker'}")
        told = self.model.prediction(target.id)
        worst = max(told[0].bands.values(), key=lambda s: s.delta_e00) if told else None
        end = f" Its farthest band is the {worst.band}, ΔE00 {worst.delta_e00:.1f}." if worst is not None else ""
        return f"{target.name} beside {source.name}: {', '.join(parts) if parts else 'alike in value'}.{end}"

    def stacks(self) -> tuple[tuple[str, tuple[Pass, ...]], ...]:
        """Every band's stack of pencils in every recipe, by area and band, each stack once; those with tools are left out."""
        m, out, seen = self.model, [], set()
        for a in m.areas:
            layers = [q for q in m.recipe_layers(a.id) if q.tool != "indent"]
            for band in BANDS:
                mine = [q for q in layers if band in WHERE[q.where]]
                stack = tuple(q.as_pass for q in mine)
                if stack and not any(q.tool for q in mine) and stack not in seen and all(q.code in m.kit.index for q in mine):
                    seen.add(stack)
                    out.append((f"{a.number} {a.name}, {band}", stack))
        return tuple(out)

    # -- the whole portrait -------------------------------------------------------------
    def palette(self) -> tuple[tuple[str, int, tuple[int, ...]], ...]:
        """Pencils of all recipes: code, how many layers, numbers of the areas; the most used first."""
        used: dict[str, list[int]] = {}
        for a in self.model.areas:
            for q in self.model.recipe_layers(a.id):
                if q.code:
                    used.setdefault(q.code, []).append(a.number)
        return tuple((c, len(n), tuple(sorted(set(n)))) for c, n in sorted(used.items(), key=lambda q: (-len(q[1]), q[0])))

    def jumps(self) -> tuple[str, ...]:
        """Neighbouring areas whose step of value on paper disagrees with the photo's, and hues that part on one light side."""
        m, out, seen = self.model, [], set()
        for a in m.areas:
            pa = self._predicted(a)
            if pa is None:
                continue
            for b, photo in m.neighbours(a):
                pb = self._predicted(b)
                pair = frozenset((a.id, b.id))
                if pb is None or pair in seen:
                    continue
                seen.add(pair)
                paper = pb - pa
                if abs(paper - photo) > JUMP_L:
                    out.append(
                        f"{a.number} {a.name} and {b.number} {b.name}: {abs(photo):.0f} L* apart in the photo, {abs(paper):.0f} on paper."
                        + (" They have changed places." if paper * photo < 0 and abs(paper) > 4 else "")
                    )
        return tuple(out)

    def _predicted(self, area: Area) -> float | None:
        try:
            told = self.model.prediction(area.id)
        except Fault:
            return None
        return None if told is None else float(told[0].band("general").lab[0])
