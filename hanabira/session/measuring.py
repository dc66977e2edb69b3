"""Measures of areas: what each is asked for, when it is still true, and the asking."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

from hanabira.core.area.dapples import SOFT, Dapples, classed, find_dapples
from hanabira.core.area.face import Face, face_lines
from hanabira.core.area.in_the_way import InTheWay, cleared
from hanabira.core.area.measures import NOT_LOOKED, Measures, measure
from hanabira.core.area.outline import Outline
from hanabira.core.area.pattern import Pattern, find_pattern
from hanabira.core.area.seams import Seam, seam
from hanabira.core.area.shape import Point, Region, RingAndCurve, cut
from hanabira.core.places.find import corrected, find_places
from hanabira.core.places.hand_scale import Hand
from hanabira.craft.hand import hand_scale
from hanabira.craft.markings import marking_model
from hanabira.craft.readers import readers
from hanabira.craft.supplies import named, parts_of, surfaces
from hanabira.session.view import View
from hanabira.studio.overlaps import polygon_of

if TYPE_CHECKING:
    import numpy as np

    from hanabira.core.area.marking import Marking
    from hanabira.core.places.place import Places
    from hanabira.core.token import Token
    from hanabira.session.session import Session
    from hanabira.studio.overlaps import Overlaps
    from hanabira.studio.records import Area, Photo
    from hanabira.studio.workings import Workings


DAPPLED = ("spots", "rosettes", "patches")
"""Classes under which dapples are met."""
EAR = "ear-inside"
"""The surface whose tip is asked for."""


@dataclass(frozen=True)
class Request:
    """What an area is measured from. Two that are equal give the same measures; what is not compared only carries the pixels.

    ``over`` are the outlines that lie on top, ``way`` those of what is said to be in the way, ``light`` says which photo in which light this is, ``other_light`` the same of the photo that
    colours are borrowed from.
    """

    area: Area
    over: tuple[RingAndCurve, ...]
    light: tuple[object, ...]
    other_light: tuple[object, ...] | None
    mm_per_px: float | None
    way: tuple[RingAndCurve, ...] = ()
    view: View | None = field(default=None, compare=False)
    other: Photo | None = field(default=None, compare=False)
    workings: Workings | None = field(default=None, compare=False)

    @property
    def sign(self) -> tuple[object, ...]:
        """What the measures are made from, whosever area it is: another commission with the same photo and outline has the same."""
        return replace(self.area, id="", commission_id="", photo_id="", colour_photo_id=""), self.over, self.light, self.other_light, self.mm_per_px, self.way

    def measure(self, token: Token) -> Measures:
        """Everything but the marking, which takes longest; for any thread."""
        assert self.workings is not None
        return self.workings.once("measures", self.sign, lambda: self._measure(token))

    def _measure(self, token: Token) -> Measures:
        a, view = self.area, self.view
        assert view is not None
        surface = surfaces().get(a.surface_id)
        hair, look_for = (surface.hair, surface.look_for) if surface else (True, ())
        pixels, way = self._pixels()
        m = measure(
            pixels, a.ring, None, self.mm_per_px, smooth=a.smooth, hair=hair, token=token, holes=a.holes, over=self.over, combing=a.combing, eye=a.eye,
            look_for=look_for, coverage=view.coverage, levels=view.clip_levels, readers=readers(),
        )  # fmt: skip
        return replace(m, places=self._places(m.marking, pixels), in_way=way)

    def _pixels(self) -> tuple[np.ndarray, InTheWay | None]:
        """The photo's pixels, with what is in the way of the area filled from beside it, and what that is. Only in fur is anything looked for, and not where the
        artist has said what is on it.
        """
        a, view = self.area, self.view
        assert view is not None
        surface = surfaces().get(a.surface_id)
        look = surface is not None and surface.fur and not a.marking_kind
        return cleared(view.pixels, a.ring, smooth=a.smooth, holes=a.holes, over=self.over, coverage=view.coverage, drawn=self.way, look=look)

    def _places(self, marking: Marking, pixels: np.ndarray) -> Places:
        """Where what would be planned apart lies, with the artist's corrections."""
        a, view = self.area, self.view
        assert view is not None
        surface = surfaces().get(a.surface_id)
        region = cut(pixels, a.ring, a.smooth, a.holes, self.over, view.coverage)
        found = find_places(
            pixels, region, surface.anatomy if surface else "coat", marking, self._hand(), eye=a.eye, said=bool(a.marking_kind),
            parts=parts_of(a.surface_id),
        )
        return corrected(named(found, a.surface_id), a.place_edits, pixels)

    def _hand(self) -> Hand:
        """A hand over this drawing; as long as its size is not known, over one as large as most."""
        assert self.view is not None
        return Hand(hand_scale(), self.mm_per_px or USUAL_MM / max(self.view.pixels.shape[:2]))

    def look_at_marking(self, known: Measures) -> Measures:
        """The measures with class and outline of the marking; for any thread."""
        assert self.workings is not None
        marking, places, pattern, dapples = self.workings.once("marking", self.sign, self._look_at_marking)
        return replace(known, marking=marking, places=places, pattern=pattern, dapples=dapples)

    def _look_at_marking(self) -> tuple[Marking, Places, Pattern | None, Dapples | None]:
        a, view = self.area, self.view
        assert view is not None
        pixels, _way = self._pixels()
        region = cut(pixels, a.ring, a.smooth, a.holes, self.over, view.coverage)
        marking, dapples = classed(marking_model(), region)
        if a.marking_kind:
            marking, dapples = replace(marking, kind=a.marking_kind, confidence=1.0, reason="said by the artist"), None
        separate = bool(a.marking_edits) or marking.kind not in (None, "plain", "gradient", "ticked")
        places = self._places(marking, pixels)
        surface = surfaces().get(a.surface_id)
        locks = surface is not None and surface.anatomy == "locks"
        if ("place.lines" in places.notes or locks) and not a.marking_kind:
            marking, separate = replace(marking, kind="plain"), bool(a.marking_edits)  # whiskers and locks are no marking
        pattern = find_pattern(region, a.marking_edits) if separate else None
        return marking, places, pattern, dapples or dapples_of(region, marking, pattern, a)


USUAL_MM = 300.0
"""Longer side of a drawing whose size is not known."""
NOT_MEASURED: dict[str, Any] = {"name": "", "number": 0, "level": 0, "coat": "", "finish": 0, "twin_id": ""}
"""Fields of an area on which no measure depends, emptied: what the artist calls it, how finely it is to be worked, which coat it is said to be. Which areas
lie over it, the request says by itself."""


def dapples_of(region: Region, marking: Marking, pattern: Pattern | None, area: Area) -> Dapples | None:
    """Soft rounds, where the outline of spots has no edge and the artist has not corrected it."""
    if pattern is None or marking.kind not in DAPPLED or area.marking_edits or pattern.edge_px < SOFT * pattern.size_px:
        return None
    return find_dapples(region, bool(area.marking_kind))


class Measuring:
    """Asks for measures off the interface thread and keeps them as long as they are true."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self._kept: dict[str, tuple[Request, Measures]] = {}
        self._seams: dict[tuple[str, str], tuple[object, Seam | None]] = {}
        self._wanted: dict[str, tuple[Request, bool]] = {}
        """What measures are under way from, and whether they go first."""
        self._asked: dict[str, dict[str, object]] = {}
        """Which seams of an area are being looked for, by the other area, and from what."""

    def forget(self) -> None:
        """Another commission is open."""
        self._kept.clear()
        self._seams.clear()
        self._asked.clear()
        self._wanted.clear()

    def request(self, area: Area, among: Overlaps | None = None) -> Request:
        """What an area would be measured from now, ``among`` others than the open commission's."""
        m, other = self.session, self._colour_photo(area)
        lies = m.overlaps if among is None else among
        return Request(
            replace(area, **NOT_MEASURED), lies.outlines_over(area), m.light_sign(m.photo) if m.photo else (),
            other_light=m.light_sign(other) if other is not None else None, mm_per_px=m.mm_per_px, way=lies.in_the_way(area), view=m.view, other=other, workings=m.workings,
        )  # fmt: skip

    def _colour_photo(self, area: Area) -> Photo | None:
        """The other photo that an area's values and colours are taken from, when the artist said so."""
        if len(area.colour_ring) < 3:
            return None
        return next((p for p in self.session.photos if p.id == area.colour_photo_id), None)

    def kept(self, key: str) -> tuple[Request, Measures] | None:
        """Measures of an area with what they were made from, when they are up to date."""
        area = next((a for a in self.session.areas if a.id == key), None)
        found = self._kept.get(key)
        return found if area is not None and found is not None and found[0] == self.request(area) else None

    def _keep(self, request: Request, m: Measures) -> None:
        # without the pixels: what is kept must not hold an old photo in memory
        self._kept[request.area.id] = (replace(request, view=None, other=None, workings=None), m)
        self.session.measures_changed.emit(request.area.id)

    def learn(self, request: Request, m: Measures) -> None:
        """Keep measures that were made elsewhere, when they are still true and say more than what is known."""
        area = next((a for a in self.session.areas if a.id == request.area.id), None)
        known = self.kept(request.area.id)
        if area is not None and self.request(area) == request and (known is None or known[1].marking.reason == NOT_LOOKED):
            self._kept[request.area.id] = (replace(request, view=None, other=None, workings=None), m)

    def want(self, key: str) -> None:
        """Measure an area; its marking only when it is the chosen one."""
        m = self.session
        area = next((a for a in m.areas if a.id == key), None)
        view = m.view
        if area is None or view is None or not view.full or m.photo is None or view.shows != m.light_sign(m.photo):
            return  # it is asked for again when the view that belongs to the photo's settings is there
        request, known = self.request(area), self.kept(key)
        if known is not None:
            if known[1].marking.kind is None and known[1].marking.reason == NOT_LOOKED:
                self._want_marking(request, area.name, known[1])
            return

        wanted, job = (request, key == m.area_id), f"measure {key}"
        if m.jobs.under_way(job) and self._wanted.get(key) in (wanted, (request, True)):
            return
        self._wanted[key] = wanted

        def then(found: Measures) -> None:
            self._keep(request, found)
            self._want_marking(request, area.name, found)

        work = lambda token: self._borrow(request, request.measure(token), token)  # noqa: E731
        m.jobs.run(job, f"Measuring {area.name}", work, then, first=wanted[1])

    def _borrow(self, request: Request, m: Measures, token: Token) -> Measures:
        """The measures with values and colours from another photo, when the artist said so; off the interface thread."""
        other = request.other
        if other is None:
            return m

        def look() -> Measures:
            copy = View.of(self.session.darkroom.copy_of(other, token), other.size)
            return measure(copy.pixels, copy.small(request.area.colour_ring), None, smooth=True, hair=False, token=token)

        theirs = self.session.workings.once("borrowed", (request.other_light, request.area.colour_ring), look)
        return replace(
            m,
            values=theirs.values,
            palette=theirs.palette,
            hidden=theirs.hidden,
            temperature=theirs.temperature,
            borrowed=other.original_name,
        )

    def _want_marking(self, request: Request, name: str, known: Measures) -> None:
        """The marking takes longer than all else together: it is looked at last, and only of the chosen area."""
        recipe = self.session.recipes.get(request.area.id)
        by_marking = recipe is not None and any(p.kind == "marking" for p in recipe.places)
        if (request.area.id == self.session.area_id or by_marking) and request.area.surface_id != "eye":
            self.session.jobs.run(
                f"marking {request.area.id}" if by_marking else "marking",
                f"Looking at the marking of {name}",
                lambda _t: request.look_at_marking(known),
                lambda m: self._keep(request, m),
                quiet=True,
                first=request.area.id == self.session.area_id,
            )

    def region_of(self, area: Area) -> Callable[[], Region]:
        """What cuts an area's pixels out of the photo as both are now, on whatever thread it is called."""
        view = self.session.view
        assert view is not None
        pixels, small, coverage = view.pixels, view.small, view.coverage
        over = tuple((small(r), soft) for r, soft in self.session.over_of(area))
        ring, holes = small(area.ring), tuple(map(small, area.holes))
        return lambda: cut(pixels, ring, area.smooth, holes, over, coverage)

    def face(self) -> Face:
        """The face's lines on the sheet, from what the artist has clicked or confirmed."""
        m = self.session
        eyes, nostrils, tips = [], [], []  # type: list[tuple[Point, float]], list[Point], list[Point]
        for a in m.areas:
            found = m.measures(a.id)
            if found is not None and found.eye is not None:
                eyes.append((found.eye.centre, found.eye.iris_px))
            if found is not None and found.nose is not None and found.nose.confirmed:
                nostrils += found.nose.nostrils
            if a.surface_id == EAR and len(a.eye) == 1:
                tips += a.eye
        return face_lines(eyes, nostrils, tips, m.mm_per_px or 0.0)

    def face_middle(self) -> Point:
        """The middle between the eyes that are known, else that of the picture, in photo pixels."""
        m = self.session
        eyes = [q.eye.centre for q in (m.measures(a.id) for a in m.areas) if q is not None and q.eye is not None]
        if not eyes:
            x, y, w, h = m.photo.crop if m.photo is not None else (0.0, 0.0, 1.0, 1.0)
            return x + w / 2, y + h / 2
        return sum(x for x, _ in eyes) / len(eyes), sum(y for _, y in eyes) / len(eyes)

    def seams(self, area: Area, within_mm: float) -> tuple[tuple[Area, Seam], ...]:
        """Seams of an area with those it meets, as far as they are known, the longest first; the others are asked for, and ``measures_changed``
        tells of the area again when they are there.
        """
        view, own = self.session.view, self.kept(area.id)
        if view is None or own is None:
            return ()
        tip = lambda m: m.combed.mean_deg if m is not None and m.combed is not None else None  # noqa: E731
        out, missing = [], {}
        for other, _d in self.neighbours(area, within_mm):
            theirs = self.kept(other.id)
            sign = (own[0], theirs[0] if theirs else None)
            known = self._seams.get((area.id, other.id))
            if known is None or known[0] != sign:
                a, b = (Outline(view.small(q.ring), q.smooth, tuple(map(view.small, q.holes))) for q in (area, other))
                missing[other.id] = sign, (a, b, tip(own[1]), tip(theirs[1] if theirs else None))
            elif known[1] is not None:
                out.append((other, known[1]))
        if missing:
            self._look_for_seams(area, missing)
        return tuple(sorted(out, key=lambda q: -q[1].length_px))

    def _look_for_seams(self, area: Area, missing: Mapping[str, tuple[object, tuple[Any, ...]]]) -> None:
        """Off the interface thread: an area among sixty may meet twenty others, which takes a second."""
        key, asked = f"seams {area.id}", {other: sign for other, (sign, _of) in missing.items()}
        if self._asked.get(area.id) == asked:
            return
        self._asked[area.id] = asked
        workings, view = self.session.workings, self.session.view
        assert view is not None
        pixels, shows = view.pixels, view.shows

        def look(token: Token) -> list[tuple[str, object, Seam | None]]:
            found = []
            for other, (sign, of) in missing.items():
                token.check()
                found.append((other, sign, workings.once("seam", (shows, *of), lambda of=of: seam(pixels, *of))))  # type: ignore[misc]
            return found

        def then(found: list[tuple[str, object, Seam | None]]) -> None:
            self._asked.pop(area.id, None)
            for other, sign, one in found:
                self._seams[area.id, other] = sign, one
            self.session.measures_changed.emit(area.id)

        self.session.jobs.run(key, f"Looking at the seams of {area.name}", look, then, quiet=True)

    def neighbours(self, area: Area, within_mm: float) -> tuple[tuple[Area, float], ...]:
        """Areas that touch or nearly touch one, with the difference of their general L* (theirs less its own)."""
        own, scale = self.kept(area.id), self.session.mm_per_px
        if own is None or scale is None:
            return ()
        shape, out = polygon_of(area.ring), []
        for a in self.session.areas:
            if a.id == area.id or a.id not in self._kept or shape.distance(polygon_of(a.ring)) * scale > within_mm:
                continue
            theirs = self.kept(a.id)
            if theirs is not None:
                out.append((a, theirs[1].values.general - own[1].values.general))
        return tuple(sorted(out, key=lambda q: -abs(q[1])))
