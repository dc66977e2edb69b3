"""The recipe workshop behind the desk: craft rules of an area, solving by them, the same again, and the portrait as a whole."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from hanabira.core.area.coat_class import SURE
from hanabira.core.area.measures import Measures
from hanabira.core.colour.appearance import seen_step
from hanabira.core.colour.spaces import chroma
from hanabira.core.colour.words import hue_name
from hanabira.core.faults import Fault, RecipeFault
from hanabira.core.optics.stack import bare
from hanabira.core.optics.tools import KEEPS_OFF
from hanabira.core.solver.area import Variant, swaps
from hanabira.core.solver.form import Tie
from hanabira.core.solver.layer import BANDS, Layer, goes_over
from hanabira.core.solver.place_plan import PlacePlan
from hanabira.core.solver.place_words import places_in_words
from hanabira.core.token import Token
from hanabira.craft.rules import school
from hanabira.craft.techniques import craft_of
from hanabira.craft.tools import NONE, drawer, tools
from hanabira.session.asked import Asked, closeness, pencils, solve_one
from hanabira.session.edits import Edit, SetLayers
from hanabira.studio import planning
from hanabira.studio.beside import ties_of
from hanabira.studio.overlaps import IN_THE_WAY, Overlaps

if TYPE_CHECKING:
    from hanabira.core.optics.passes import Pass
    from hanabira.core.places.place import Places
    from hanabira.core.solver.technique import Craft
    from hanabira.session.session import Session
    from hanabira.studio.records import Area, Recipe

JUMP_L = 10.0
"""A value step between neighbours that recipe and photo see differently by more than this is warned of."""


HELD_L, HELD_C = 0.35, 0.3
"""Share of its contrast and of its strength that an area at the far corner gives up when it is held back."""
STEP_TOLD, PUSHES_C = 0.3, 10.0
"""Value steps by which neighbours change how an area reads, and C* from which they push its hue (CIECAM16 gives the step; the push is a word only)."""
RAREST = 6
"""So many of the pencils that are used least get a price."""


class Workshop:
    """Solves areas by the craft's rules and looks at all recipes together. Reads the session; edits go through it."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.left_out: dict[str, tuple[str, ...]] = {}
        """Rules that were not followed at the last solve of an area."""

    # -- rules ---------------------------------------------------------------------
    @property
    def school(self) -> dict[str, str]:
        """Every switch of the open commission's school."""
        c = self.session.commission
        return school(self.session.kit.medium, c.school if c else ())

    def finish(self, area: Area) -> int:
        """Finish level of an area, as everything that counts hours takes it."""
        return planning.finish_of(area, self.session.photo)

    def coat(self, area: Area) -> str:
        """The coat as the artist named it, for this area or for another that measures as the same coat; empty where it is read from the photo."""
        if area.coat:
            return area.coat
        mine = self._read_coat(area)
        if mine:
            for a in self.session.all_areas:
                if a.coat and a.id != area.id and self._read_coat(a) == mine:
                    return a.coat
        return ""

    def _read_coat(self, area: Area) -> str:
        """The first coat that an area reads as; empty before it is measured and for what bears no hair."""
        return next((k for k, _share in self.session.animal.coats(area)), "")

    def coat_doubt(self, area: Area) -> tuple[tuple[str, float], ...]:
        """The first two coats with their shares, where the artist should be asked."""
        found = self.session.animal.coats(area)
        return () if self.coat(area) or not found or found[0][1] >= SURE else found[:2]

    def far(self, area: Area) -> float | None:
        """How far an area lies from the focus, 0–1 of the sheet's diagonal; None while no focus is set."""
        return planning.far_of(area, self.session.photo) if self.session.photo is not None else None

    def hold_back(self, key: str) -> bool:
        """Move the targets of an area's places toward its own middle and take strength from them, the more the farther it lies from the focus.

        One undoable edit of aims; the measures stay.
        """
        m = self.session
        area, recipe = next((a for a in m.areas if a.id == key), None), m.recipes.get(key)
        if area is None or recipe is None or not recipe.places:
            m.messages.remark("Solve the area by its places first; then its targets can be held back.")
            return False
        far = self.far(area)
        if far is None:
            m.messages.remark("Set the focus in Study first: nothing is far from nowhere.")
            return False
        if not m.do(Edit(m, f"{area.name} held back", [recipe], [self.held_back(area, recipe)])):
            return False
        m.messages.remark(
            f"{area.name} lies {far:.0%} of the way from the focus: its contrast is held back by {HELD_L * far:.0%}. Solve it anew to follow."
        )
        return True

    def held_back(self, area: Area, recipe: Recipe) -> Recipe:
        """A recipe whose targets lie the nearer to the area's own middle, and have the less strength, the farther it is from the focus."""
        far = self.far(area) or 0.0
        whole = sum(p.share for p in recipe.places) or 1.0
        middle = sum(p.photo_lab[0] * p.share for p in recipe.places) / whole
        aims = []
        for p in recipe.places:
            lightness = HELD_L * far * (middle - p.photo_lab[0])
            aims.append((p.id, round(lightness, 2), round(-HELD_C * far * p.photo_lab[1], 2), round(-HELD_C * far * p.photo_lab[2], 2)))
        return replace(recipe, aims=tuple(q for q in aims if any(abs(v) >= 0.25 for v in q[1:])))

    def beside_words(self, area: Area) -> tuple[str, ...]:
        """How an area will read once its neighbours stand: its value step against them and against bare paper, and the way its hue is pushed."""
        m, near = self.session.measures(area.id), self.session.neighbours(area)
        around = [q.values.band_lab["general"] for q in (self.session.measures(a.id) for a, _d in near) if q is not None]
        if m is None or not around:
            return ()
        own, ground = np.asarray(m.values.band_lab["general"], float), np.mean(around, 0)
        now, then = seen_step(own, bare(self.session.paper).lab), seen_step(own, ground)
        out = []
        if abs(then - now) >= STEP_TOLD:
            way = "lighter" if then > now else "darker"
            out.append(f"Beside bare paper it reads step {now:.1f}; once its neighbours stand it reads {then:.1f}, {way} without a change.")
        if float(chroma(ground)) > PUSHES_C and float(np.linalg.norm(ground[1:] - own[1:])) > PUSHES_C:
            away = own - np.array([0.0, *(0.3 * ground[1:])])
            word = hue_name(np.array([50.0, *(-ground[1:])]))
            out.append(f"Their colour pushes it toward {word}" + (" and it may look stronger." if chroma(away) > chroma(own) else "."))
        return tuple(out)

    def tools(self) -> frozenset[str] | None:
        """Tools that are in the drawer; None: nothing was said, so any."""
        return drawer([q for q in self.session.settings.get("tools") if q in tools() or q == NONE])

    def ties(self, area: Area, others: Sequence[Area], recipes: Mapping[str, Recipe]) -> tuple[Tie, ...]:
        """What lies beside an area and is planned by places already."""
        m = self.session
        if m.photo is None or m.commission is None or not m.photo.crop[2]:
            return ()
        planned = {r.area_id: (r.layers, r.places) for r in recipes.values() if r.places}
        return ties_of(area, others, planned, m.kit, m.commission.picture_mm[0] / m.photo.crop[2])

    def craft(self, area: Area) -> Craft | None:
        """What the craft says of an area; None until it is measured."""
        m = self.session.measures(area.id)
        c = self.session.commission
        if m is None or c is None:
            return None
        return craft_of(m, area.surface_id, self.session.kit.medium, self.coat(area) or self._read_coat(area), area.marking_kind, c.school, self.finish(area), self.tools())

    # -- solving --------------------------------------------------------------------
    def asked(self, area: Area, others: Sequence[Area] | None = None, recipes: Mapping[str, Recipe] | None = None) -> Asked | None:
        """What an area would be solved from now; None while the photo is not there.

        ``others`` and ``recipes`` by area id are what it stands among: the open commission's, or as they would be.
        """
        m = self.session
        if m.commission is None or m.view is None or not m.view.full:
            return None
        stored = others is None
        others, recipes = m.areas if others is None else others, m.recipes if recipes is None else recipes
        used = [q.code for r in recipes.values() if r.area_id != area.id for q in r.layers if q.code]
        tray = tuple(dict.fromkeys([*m.commission.tray, *used]))
        kit = m.kit.usable
        if m.from_tray and any(c in kit.index for c in m.commission.tray):
            kit = kit.subset(m.commission.tray)
        known = m.measuring.kept(area.id)
        recipe = m.recipes.get(area.id)
        locked = tuple(q for q in m.recipe_layers(area.id) if q.locked)
        return Asked(
            replace(area, coat=self.coat(area) or self._read_coat(area)), m.measuring.request(area, None if stored else Overlaps(others)), known[1] if known else None,
            kit=kit, paper=m.paper, reach=m.gamut, school=tuple(m.commission.school), finish=self.finish(area), tray=tray, locked=locked,
            aims=recipe.aims if recipe else (), workings=m.workings, palette=() if m.from_tray else m.portrait.palette,
            twin=m.portrait.other_side(area, others, recipes), tools=self.tools(), ties=self.ties(area, others, recipes),
        )  # fmt: skip

    def solve(self, key: str, keep: Layer | None = None, then: Callable[[], None] | None = None, title: str = "") -> None:
        """Solve an area by the craft's rules off the interface thread and keep it as one edit; ``keep`` must be among the layers."""
        m = self.session
        area = next((a for a in m.areas if a.id == key), None)
        if area is None:
            return
        if area.surface_id == IN_THE_WAY:
            m.messages.remark(f"“{area.name}” is in the way: it is not drawn, and what lies under it is invented from beside it.")
            return
        asked = self.asked(area)
        if asked is None:
            m.messages.fault(RecipeFault(f"“{area.name}” is not measured yet.", do="Wait a moment, then solve again."))
            return

        def work(token: Token) -> tuple[PlacePlan, Measures]:
            measured = asked.measured(token)
            return (asked.with_pencil(measured, keep, token) if keep is not None else asked.solved(measured, token)), measured

        def done(found: tuple[PlacePlan, Measures]) -> None:
            self._take(asked, *found)
            if then is not None:
                then()

        m.jobs.run(f"solve {key}", title or f"Solving the layers of {area.name}", work, done, asked=True)

    def solve_together(self, areas: Sequence[Area], then: Callable[[], None], title: str) -> None:
        """Solve areas that do not meet side by side, each as an edit of its own."""
        m = self.session
        asked = [q for a in areas if (q := self.asked(a)) is not None]
        if len(asked) < len(areas):
            m.messages.fault(RecipeFault("The photo is not open yet.", do="Wait a moment, then solve again."))
            return

        def work(token: Token) -> list[tuple[PlacePlan, Measures] | Fault]:
            shipped = [q.shipped() for q in asked] if len(asked) > 1 else asked
            return m.workers.run(solve_one, shipped, token)

        def done(found: list[tuple[PlacePlan, Measures] | Fault]) -> None:
            for one, told in zip(asked, found, strict=True):
                if isinstance(told, Fault):
                    m.messages.fault(Fault(f"{one.area.name}: {told.what}", told.kept, told.do))
                else:
                    self._take(one, *told)
            then()

        m.jobs.run(f"solve {areas[0].id}", title, work, done, asked=True)

    def _take(self, asked: Asked, plan: PlacePlan, measured: Measures) -> None:
        """Keep what was solved as one edit, where its area is still there."""
        m, key = self.session, asked.area.id
        now = next((a for a in m.areas if a.id == key), None)
        if now is None:
            return
        m.measuring.learn(asked.request, measured)
        self.left_out[key] = plan.left_out
        if not any(q.code for q in plan.layers):
            m.messages.remark(f"{now.name}: the bare paper is nearest everywhere; no layer helps.")
            return
        m.layer_at = 0
        assert measured.places is not None
        m.do(SetLayers(m, now, plan.layers, "layers", measured.places.all))

    def spare(self, key: str) -> None:
        """Solve an area with the fewest pencils off the interface thread, keep it as one edit, and say what it costs; or say that none can go."""
        m = self.session
        area = next((a for a in m.areas if a.id == key), None)
        asked = self.asked(area) if area is not None else None
        before = m.recipe_layers(key)
        told = m.prediction(key)
        if area is None or asked is None or not before or told is None:
            return

        def work(token: Token) -> tuple[PlacePlan, Measures]:
            measured = asked.measured(token)
            return asked.sparing(measured, token), measured

        def done(found: tuple[PlacePlan, Measures]) -> None:
            plan, measured = found
            had, needs = pencils(before), pencils(plan.layers)
            now = next((a for a in m.areas if a.id == key), None)
            if now is None or m.recipe_layers(key) != before:
                return  # edited meanwhile: the answer is to another question
            if needs >= had or not needs:
                m.messages.remark(f"{area.name}: no fewer than these {had} pencils bring every place so near.")
                return
            assert measured.places is not None
            m.measuring.learn(asked.request, measured)
            m.layer_at = 0
            if m.do(SetLayers(m, now, plan.layers, "fewest pencils", measured.places.all)):
                self.left_out[key] = plan.left_out
                worst = max(s.delta_e00 for s in plan.prediction.bands.values())
                more = closeness(plan.prediction) - closeness(told[0])
                m.messages.remark(
                    f"{needs} pencils instead of {had}: on average ΔE00 {max(0.0, more):.1f} farther from the photo, {worst:.1f} in the worst place."
                )

        m.jobs.run(f"solve {key}", f"Solving {area.name} with the fewest pencils", work, done, asked=True)

    def offer_variants(self, key: str, done: Callable[[tuple[Variant, ...]], None]) -> None:
        """Solve an area in three ways, off the interface thread."""
        area = next((a for a in self.session.areas if a.id == key), None)
        asked = self.asked(area) if area is not None else None
        if asked is not None:
            work = lambda token: asked.variants(asked.measured(token), token)  # noqa: E731
            self.session.jobs.run(f"variants {key}", "Solving other ways", work, done, asked=True)

    # -- the same again ---------------------------------------------------------------
    def same_again(self, source: Area, target: Area, exactly: bool) -> None:
        """Lay one area's recipe on another: copied, or the same pencils solved anew for its own measures. Differences are named."""
        m = self.session
        layers = tuple(replace(q, locked=False) for q in m.recipe_layers(source.id))
        if not layers:
            m.messages.fault(RecipeFault(f"“{source.name}” has no layers yet.", "Nothing was changed.", "Solve it first."))
            return
        asked = self.asked(target)
        if asked is None or asked.known is None or asked.known.places is None:
            m.want_measures(target.id)
            m.messages.fault(RecipeFault(f"“{target.name}” is not measured yet.", do="Wait a moment, then try again."))
            return
        if exactly:
            there = asked.known.places
            copied = tuple(q for q in (self._moved(q, there) for q in layers) if q is not None)
            places = there.all if m.by_places(source.id) else ()
            if m.do(SetLayers(m, target, copied, f"same as {source.name}", places)):
                gone = len(layers) - len(copied)
                left = f" {gone} layer{'s' if gone > 1 else ''} found no place here." if gone else ""
                m.messages.remark(self._differences(source, target) + left)
            return
        codes = [c for c in dict.fromkeys(q.code for q in layers if q.code) if c in asked.kit.index]
        some = asked.kit.subset(codes) if len(codes) >= 2 else asked.kit

        def work(token: Token) -> tuple[PlacePlan, Measures]:
            measured = asked.measured(token)
            return replace(asked, locked=()).plan(measured, token, some), measured

        def done(found: tuple[PlacePlan, Measures]) -> None:
            plan, measured = found
            assert measured.places is not None
            if m.do(SetLayers(m, target, plan.layers, f"same pencils as {source.name}", measured.places.all)):
                m.messages.remark(self._differences(source, target))

        m.jobs.run(f"solve {target.id}", f"Solving {target.name} with the pencils of {source.name}", work, done, asked=True)

    @staticmethod
    def _moved(q: Layer, there: Places) -> Layer | None:
        """A layer as it goes on another area: on those of its places that are there."""
        if not q.on:
            return q
        on = tuple(k for k in q.on if k in there.ids)
        return replace(q, on=on, where=places_in_words(on, {p.id: p.name for p in there})) if on else None

    def _differences(self, source: Area, target: Area) -> str:
        a, b = self.session.measures(source.id), self.session.measures(target.id)
        if a is None or b is None:
            return f"{target.name} now has the layers of {source.name}."
        parts = []
        for band in ("gap", "general", "light", "highlight"):
            d = float(b.values.band_lab[band][0] - a.values.band_lab[band][0])
            if abs(d) > 4:
                parts.append(f"{band} {abs(d):.0f} L* {'lighter' if d > 0 else 'darker'}")
        told = self.session.prediction(target.id)
        worst = max(told[0].bands.values(), key=lambda s: s.delta_e00) if told else None
        end = f" Its farthest value is the {worst.band}, ΔE00 {worst.delta_e00:.1f}." if worst is not None else ""
        return f"{target.name} beside {source.name}: {', '.join(parts) if parts else 'alike in value'}.{end}"

    def stacks(self) -> tuple[tuple[str, tuple[Pass, ...]], ...]:
        """Every band's stack of pencils in every recipe, by area and band, each stack once; those with tools are left out."""
        m, out, seen = self.session, [], set()
        for a in m.areas:
            layers = [q for q in m.recipe_layers(a.id) if q.tool not in KEEPS_OFF]
            for band in [p.id for p in m.recipes[a.id].places] if m.by_places(a.id) else BANDS:
                mine = [q for q in layers if goes_over(q, band)]
                stack = tuple(q.as_pass for q in mine)
                if stack and not any(q.tool for q in mine) and stack not in seen and all(q.code in m.kit.index for q in mine):
                    seen.add(stack)
                    out.append((f"{a.number} {a.name}, {band}", stack))
        return tuple(out)

    # -- the whole portrait -------------------------------------------------------------
    def palette(self) -> tuple[tuple[str, int, tuple[int, ...]], ...]:
        """Pencils of all recipes: code, how many layers, numbers of the areas; the most used first."""
        used: dict[str, list[int]] = {}
        for a in self.session.areas:
            for q in self.session.recipe_layers(a.id):
                if q.code:
                    used.setdefault(q.code, []).append(a.number)
        return tuple((c, len(n), tuple(sorted(set(n)))) for c, n in sorted(used.items(), key=lambda q: (-len(q[1]), q[0])))

    def prices(self, most: int = RAREST) -> tuple[tuple[str, float, str], ...]:
        """What the rarest pencils of the portrait are worth: code, by how much ΔE00 its worst place rises when the best other pencil of the
        portrait takes its place, and that pencil; the most dispensable first.
        """
        m, rare = self.session, self.palette()[-most:]
        mine = {code for code, _n, _areas in self.palette()}
        owned = [p.code for p in m.kit if p.code in mine]
        if len(owned) < 2:
            return ()
        kit = m.kit.subset(owned)
        out = []
        for code, _n, _areas in rare:
            worst: tuple[float, str] | None = None
            for a in m.areas:
                targets, layers = m.targets(a.id), m.recipe_layers(a.id)
                if targets is None or not all(not q.code or q.code in kit.index for q in layers):
                    continue
                for k, q in enumerate(layers):
                    if q.code == code:
                        ranked = swaps(m.paper, kit, layers, k, targets, most=2)
                        if len(ranked) > 1:
                            cost = (ranked[1].delta_e00 - ranked[0].delta_e00, ranked[1].code)
                            worst = cost if worst is None or cost > worst else worst
            if worst is not None:
                out.append((code, worst[0], worst[1]))
        return tuple(sorted(out, key=lambda q: q[1]))

    def jumps(self) -> tuple[str, ...]:
        """Neighbouring areas whose step of value on paper disagrees with the photo's, and hues that part on one light side."""
        m, out, seen = self.session, [], set()
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
            told = self.session.prediction(area.id)
        except Fault:
            return None
        return None if told is None else float(told[0].band("general").lab[0])
