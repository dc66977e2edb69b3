"""What a check needs of the open commission, taken on the interface thread; the work itself may run on any."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from hanabira.core.area.outline import Outline
from hanabira.core.forecast.portrait import PhotoLab
from hanabira.core.optics.stack import bare
from hanabira.core.places.place import Places, as_planned
from hanabira.core.progress.check import Expectation
from hanabira.core.progress.expected import AreaStack, Expected, expected
from hanabira.core.progress.on_sheet import DrawnAs, OnSheet, TracedArea, on_sheet
from hanabira.core.progress.sheet_map import GRID
from hanabira.core.progress.strip import patches
from hanabira.core.progress.told import accepted
from hanabira.core.solver.area import paper_targets
from hanabira.core.solver.place_plan import place_targets
from hanabira.session.measuring import EAR, Request
from hanabira.studio.account import laid
from hanabira.studio.checking import verdict_of
from hanabira.studio.records import Area, Commission, LogRow, Photo, PhotoCheck, Recipe, Shot

if TYPE_CHECKING:
    from hanabira.core.area.measures import Measures
    from hanabira.core.colour.spaces import Array
    from hanabira.core.optics.kit import Kit
    from hanabira.core.optics.paper import Paper
    from hanabira.core.solver.gamut import Gamut
    from hanabira.core.solver.layer import Layer
    from hanabira.core.solver.target import Reach
    from hanabira.core.token import Token
    from hanabira.session.session import Session
    from hanabira.session.view import View

STRIP_SETTING = "check_strip"
"""Setting of a commission's kit under which the colours of its own strip are kept."""


@dataclass(frozen=True)
class Subject:
    """The commission as a photo of the work is held against it. ``rows`` are those of the log that are older than the photo, ``earlier`` the last
    verdict before it with the rows of its day, ``near`` how near each area lies to the focus (0–1).
    """

    commission: Commission
    photo: Photo
    view: View
    areas: tuple[Area, ...]
    requests: Mapping[str, tuple[Request, Measures | None]]
    recipes: Mapping[str, Recipe]
    rows: tuple[LogRow, ...]
    kit: Kit
    paper: Paper
    reach: Gamut
    ends: Reach
    strip: Mapping[str, Sequence[float]]
    near: Mapping[str, float]
    lean: tuple[float, float, float] = (0.0, 0.0, 0.0)
    earlier: PhotoCheck | None = None
    earlier_rows: tuple[LogRow, ...] = ()

    @property
    def sign(self) -> tuple[object, ...]:
        """All that a verdict on this subject depends on."""
        asked = {key: request.sign for key, (request, _known) in self.requests.items()}
        return (
            self.commission, self.photo, self.areas, asked, dict(self.recipes), self.rows, self.kit, self.paper, dict(self.strip), dict(self.near), self.lean,
            self.earlier, self.earlier_rows,
        )  # fmt: skip

    @property
    def floor(self) -> int:
        """Worst lightfastness that a correction may have."""
        return self.commission.lasting_floor

    @property
    def own(self) -> tuple[str, ...]:
        """Pencils of the portrait."""
        return tuple(dict.fromkeys([*self.commission.tray, *(q.code for r in self.recipes.values() for q in r.layers if q.code)]))

    def measured(self, token: Token) -> Measured:
        """Measures of every area that has layers, those that are missing made now."""
        found: dict[str, Measures] = {}
        todo = [a for a in self.areas if self.layers_of(a.id)]
        for n, a in enumerate(todo):
            request, known = self.requests[a.id]
            if known is None:
                token.report(0.3 * n / max(1, len(todo)), f"Measuring {a.name}")
                known = request.measure(token)
            planned = any(p.kind == "marking" for p in self.recipes[a.id].places)
            if planned and not any(
                p.kind == "marking" for p in known.places or ()
            ):  # it was measured and not yet looked at for its marking
                known = request.look_at_marking(known)
            found[a.id] = known
        return Measured(self, found)

    def layers_of(self, key: str) -> tuple[Layer, ...]:
        """Layers of an area's recipe."""
        return self.recipes[key].layers if key in self.recipes else ()

    def laid_on(self, key: str, rows: Sequence[LogRow] | None = None) -> tuple[Layer, ...]:
        """What lies on an area by the log."""
        return laid(key, self.layers_of(key), self.rows if rows is None else rows, self.kit)


@dataclass(frozen=True)
class Measured:
    """A subject with its measures: from here sheets, plans and cameras are made."""

    subject: Subject
    measures: Mapping[str, Measures]

    def sheet(self, grid: float = GRID) -> OnSheet:
        """Photo and areas on the sheet, ``grid`` pixels a millimetre."""
        s = self.subject
        c, k = s.commission, s.view.scale
        x, y, w, h = s.photo.crop
        traced = []
        for a in s.areas:
            small = s.view.small
            outline = Outline(small(a.ring), a.smooth, tuple(small(q) for q in a.holes))
            places = self._places(a.id)
            if places is not None:
                traced.append(TracedArea.of(a.id, a.number, a.name, a.surface_id, outline, a.level, places, k))
            else:
                traced.append(TracedArea(a.id, a.number, a.name, a.surface_id, outline, a.level, self._bands(a.id)))
        return on_sheet(s.view.pixels, (x * k, y * k, w * k, h * k), (c.width_mm, c.height_mm), c.border_mm, traced, grid)

    def _places(self, key: str) -> Places | None:
        m, recipe = self.measures.get(key), self.subject.recipes.get(key)
        if m is None or m.places is None or recipe is None or not recipe.places:
            return None
        return as_planned(m.places, recipe.places)

    def _bands(self, key: str) -> DrawnAs:
        """An area that is planned by its values, or not at all."""
        m = self.measures.get(key)
        bands = PhotoLab({b: np.asarray(v, float) for b, v in m.values.band_lab.items()}) if m is not None else PhotoLab({})
        return lambda _shape, _corner, _scale: bands

    def targets(self, key: str) -> Mapping[str, Array]:
        """Paper targets of an area's places, or of its values while its recipe is one by values."""
        places, s = self._places(key), self.subject
        if places is not None:
            return place_targets(s.reach, places, {place: np.array(shift) for place, *shift in s.recipes[key].aims})
        return paper_targets(s.ends, {b: np.asarray(v) for b, v in self.measures[key].values.band_lab.items()})

    def expected(self) -> tuple[Expected, ...]:
        """What each area with layers should look like by now."""
        s, out = self.subject, []
        before = accepted(verdict_of(s.earlier.told)) if s.earlier is not None and s.earlier.told else {}
        for key in self.measures:
            recipe = s.recipes[key]
            skipped = frozenset(r.step.partition(":")[2] for r in s.rows if r.state == "skipped" and r.area_id == key)
            then = s.laid_on(key, s.earlier_rows)
            out.append(
                expected(
                    AreaStack(
                        key, recipe.layers, s.laid_on(key), skipped=skipped, targets=self.targets(key),
                        tried={(p, q): np.array(lab) for p, q, *lab in recipe.tried}, lean=s.lean,
                        accepted={place: (then, lab) for (area, place), lab in before.items() if area == key},
                    ),
                    s.paper, s.kit,
                )
            )  # fmt: skip
        return tuple(out)

    def plan(self) -> Expectation:
        """What a photo is held against."""
        s = self.subject
        return Expectation(
            self.sheet(), self.expected(), s.paper, np.asarray(bare(s.paper).lab), s.kit, patches(s.kit, s.paper, s.strip), self.tips()
        )

    def tips(self) -> dict[str, tuple[float, float]]:
        """Ear tips that the artist confirmed, in mm of the sheet."""
        c, (x, y, w, _h) = self.subject.commission, self.subject.photo.crop
        k = (c.width_mm - 2 * c.border_mm) / w
        return {
            a.id: (c.border_mm + (a.eye[0][0] - x) * k, c.border_mm + (a.eye[0][1] - y) * k)
            for a in self.subject.areas
            if a.surface_id == EAR and a.eye
        }


def subject_of(session: Session, shot: Shot | None = None) -> Subject | None:
    """The open commission as it stood when a photo was taken, or as it stands now; None while its photo is not there."""
    c, photo, view = session.commission, session.photo, session.view
    if c is None or photo is None or view is None or not view.full:
        return None
    rows = session.planner.log()
    earlier: PhotoCheck | None = None
    earlier_rows: tuple[LogRow, ...] = ()
    if shot is not None:
        rows = tuple(r for r in rows if r.at <= shot.at)
        before = [q for q in session.store.all(Shot, commission_id=c.id) if q.at < shot.at]
        kept = {q.id: q for q in session.store.all(PhotoCheck, commission_id=c.id)}
        last = next((q for q in sorted(before, key=lambda q: q.at, reverse=True) if q.id in kept), None)
        if last is not None:
            earlier, earlier_rows = kept[last.id], tuple(r for r in rows if r.at <= last.at)
    requests = {}
    for a in session.areas:
        known = session.measuring.kept(a.id)
        requests[a.id] = (session.measuring.request(a), known[1] if known is not None else None)
    far = {a.id: session.workshop.far(a) for a in session.areas}
    return Subject(
        c, photo, view, areas=session.areas, requests=requests, recipes=dict(session.recipes), rows=tuple(rows), kit=session.kit,
        paper=session.paper, reach=session.gamut, ends=session.reach, strip=session.settings.get(STRIP_SETTING).get(session.kit_id, {}),
        near={k: 0.5 if v is None else 1 - v for k, v in far.items()}, lean=_lean_of(session), earlier=earlier, earlier_rows=earlier_rows,
    )  # fmt: skip


def _lean_of(session: Session) -> tuple[float, float, float]:
    """The hand's lean that the artist agreed to for the kit, kept within reason."""
    kept = session.settings.get("hand_lean").get(session.kit_id, [])
    if not isinstance(kept, list) or len(kept) != 3 or not all(isinstance(v, int | float) for v in kept):
        return 0.0, 0.0, 0.0
    a, b, c = (max(-15.0, min(15.0, float(v))) for v in kept)
    return a, b, c
