"""The first plan: recipes for patches that nobody has accepted yet, worked out in the background, so that hours, price and days stand before anything is stored."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from hanabira.core.faults import Fault
from hanabira.session.asked import closeness, solve_one
from hanabira.session.portrait import LEAST_AREAS, apart, over_all
from hanabira.studio.records import Area, Recipe

if TYPE_CHECKING:
    from collections.abc import Sequence

    from hanabira.core.area.measures import Measures
    from hanabira.core.solver.palette import Palette
    from hanabira.core.solver.place_plan import PlacePlan
    from hanabira.core.token import Token
    from hanabira.session.asked import Asked
    from hanabira.session.session import Session

JOB = "first plan"
UNREADABLE = "Nothing can be read there."


class First:
    """Tries recipes of the proposed patches. Nothing of them is stored; accepting a patch takes its recipe over."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.recipes: dict[str, Recipe] = {}
        """Recipes by the id of their patch, as far as they are worked out."""
        self.near: dict[str, float] = {}
        """How near each comes on average, ΔE00 that is to be expected."""
        self.palette: tuple[str, ...] = ()
        """Pencils chosen over all patches; empty: any."""
        self.stopped = ""
        """Why no recipes come, where something went wrong."""
        self.failed: dict[str, str] = {}
        """Patches that could not be read or solved, and why: they stay estimated."""
        self._measured: dict[str, Measures] = {}
        self._sign: tuple[object, ...] = ()

    @property
    def under_way(self) -> bool:
        """Whether recipes are being worked out."""
        return self.session.jobs.under_way(JOB)

    def want(self) -> None:
        """Work out recipes for the patches as they stand now; what was asked for older ones is dropped."""
        m = self.session
        patches = m.whole.patches if m.whole.open else ()
        sign = self._lies(patches)
        if sign == self._sign:
            return
        m.jobs.cancel(JOB)
        self._clear(sign)
        if patches:
            self._begin(patches)

    def forget(self) -> None:
        """The proposal was left, or another commission is opened."""
        self.session.jobs.cancel(JOB)
        self._clear(())

    def _clear(self, sign: tuple[object, ...]) -> None:
        self._sign, self.recipes, self.near, self.palette = sign, {}, {}, ()
        self.stopped, self.failed, self._measured = "", {}, {}

    def leave_out(self, gone: set[str]) -> None:
        """Patches that were accepted or left out are asked for no longer; the others' recipes stay."""
        self.recipes = {k: r for k, r in self.recipes.items() if k not in gone}
        self._sign = self._lies(self.session.whole.patches)

    def _lies(self, patches: Sequence[Area]) -> tuple[object, ...]:
        """What recipes are worked out from: patches, areas round them, kit, paper and school."""
        m, c = self.session, self.session.commission
        if c is None or not patches:
            return ()
        asked = tuple((a.id, a.ring, a.holes, a.surface_id, a.twin_id) for a in patches)
        return asked, m.kit_sign, c.paper_id, c.ground_hex, c.school, c.tray, c.tray_only, c.palette, m.mm_per_px, m.light_sign(m.photo) if m.photo else ()

    # -- the work -----------------------------------------------------------------------
    def _begin(self, patches: tuple[Area, ...]) -> None:
        m = self.session
        asked = self._asked(patches, patches)
        if not asked:
            return
        sign, kept = self._sign, m.portrait.palette
        chooses = not kept and not m.from_tray and m.kit.medium == "pencil" and len(patches) >= LEAST_AREAS

        def look(token: Token) -> tuple[Palette, dict[str, Measures]]:
            return over_all(asked, (), m.workers, token, thorough=False)

        def looked(found: tuple[Palette, dict[str, Measures]]) -> None:
            if self._sign == sign:
                self.palette, self._measured = found[0].codes if chooses else kept, found[1]
                self.failed = {a.id: UNREADABLE for a in patches if a.id not in found[1]}
                self._go_on()

        m.jobs.run(JOB, "Looking at the patches", look, looked, self._failed, quiet=True)

    def _asked(self, some: Sequence[Area], patches: Sequence[Area]) -> list[Asked]:
        m = self.session
        recipes = {**m.recipes, **self.recipes}
        found = [m.workshop.asked(a, (*m.areas, *patches), recipes) for a in some]
        out = []
        for q in found:
            if q is not None:
                known = self._measured.get(q.area.id)
                out.append(replace(q, palette=self.palette or q.palette, known=known if known is not None else q.known))
        return out

    def _go_on(self) -> None:
        """The next patches side by side, eyes first."""
        m, sign = self.session, self._sign
        patches = m.whole.patches
        left = sorted((a for a in patches if a.id not in self.recipes and a.id in self._measured), key=lambda a: a.surface_id != "eye")
        wave = apart(left, m.workers.most, m.mm_per_px or 1.0)
        asked = self._asked(wave, patches)
        if not asked:
            self._tell()
            return

        def work(token: Token) -> list[tuple[PlacePlan, Measures] | Fault]:
            return m.workers.run(solve_one, [q.shipped() for q in asked] if len(asked) > 1 else asked, token)

        def done(found: list[tuple[PlacePlan, Measures] | Fault]) -> None:
            if self._sign != sign:
                return
            here = {a.id for a in m.whole.patches}
            for one, told in zip(asked, found, strict=True):
                if isinstance(told, Fault):
                    self.failed[one.area.id] = told.what
                    continue
                plan, measured = told
                if one.area.id in here and measured.places is not None:
                    self.recipes[one.area.id] = Recipe(one.area.id, plan.layers, "", measured.places.all)
                    self.near[one.area.id] = closeness(plan.prediction)
            for one in asked:
                self._measured.pop(one.area.id, None)
            self._go_on()

        m.jobs.run(JOB, "Working out the first plan", work, done, self._failed, quiet=True)
        self._tell()

    def _failed(self, fault: Fault) -> None:
        """Hours are estimated all the same; the card says why there are no recipes."""
        self.stopped = str(fault)
        self._tell()

    def _tell(self) -> None:
        self.session.first_changed.emit()
