"""The whole animal parted at once: what was shown of it, the proposal, and taking it over. Nothing is stored before it is accepted."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import cv2
import numpy as np
from shapely import Polygon, unary_union

from hanabira.core.area.eye import LEAST_PX, measure_eye
from hanabira.core.area.shape import fill_ring, smooth_ring
from hanabira.core.faults import Fault
from hanabira.core.sentences import say
from hanabira.core.whole.face import face_of
from hanabira.core.whole.proposal import STRANGE, Proposal
from hanabira.core.whole.proposal import Animal as Parted
from hanabira.craft.patches import named_patches
from hanabira.session.edits import Edit, SetPrep
from hanabira.studio.overlaps import polygon_of
from hanabira.studio.records import Area, new_id

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from hanabira.core.area.shape import Point
    from hanabira.core.colour.spaces import Array
    from hanabira.core.token import Token
    from hanabira.session.session import Session
    from hanabira.session.view import View

SIDE = 1600
"""Pixels along the photo's longer side at which the animal is parted."""
REST = 0.004
"""Where less of the animal lies under no area, nothing is left to part."""
FACE_FIRST = {"eye": 0, "nose": 1}


JOIN_PX, LEAST_HOLE = 1.0, 400
"""Photo pixels over which two patches that share a border grow together, and the least hole that stays (in squares of these)."""


@dataclass(frozen=True)
class Asking:
    """A question about patches: ``animal``, whether one is animal at all, or ``one``, whether two are one."""

    kind: str
    patches: tuple[str, ...]


class Whole:
    """Parts the animal of the open photo. Reads the session; what is accepted goes through it as one edit."""

    few, many = 5, 14
    """Patches that can be asked for, eyes and nose apart."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.open = False
        """Whether a proposal is being made or looked at."""
        self.surface_id, self.by_form = "short-fur", False
        self.count = 0
        """Patches of coat as they stand, or as many as were asked for."""
        self.patches: tuple[Area, ...] = ()
        """The proposed areas as records that nobody stored, in working order."""
        self.chosen = ""
        self.notes: tuple[str, ...] = ()
        self.covered = 0.0
        self._asked = self._made = 0
        """Numbers of the last parting that was asked for, and of the one that stands."""
        self._clear()
        session.view_ready.connect(self._on_view)
        session.photo_changed.connect(self._on_photo)
        session.areas_changed.connect(self._on_areas)

    def _clear(self) -> None:
        self.eyes: tuple[tuple[Point, float], ...] = ()
        self.nose: Point | None = None
        self.patches, self.chosen, self.notes, self.covered = (), "", (), 0.0
        self._sign: tuple[object, ...] = ()
        self._wanted = 0
        self.asked: tuple[Asking, ...] = ()
        self._answered: set[tuple[object, ...]] = set()
        self._parted: Parted | None = None
        self._proposal: Proposal | None = None

    # -- what is shown of the animal ---------------------------------------------------
    def begin(self) -> None:
        """Begin, with the cut-out as it stands in Study, and with the eyes and the nose that are drawn already."""
        m = self.session
        if m.photo is None or m.view is None:
            m.messages.fault(Fault("There is no photo to part.", "Nothing was changed.", "Add the client’s photo first, in Brief."))
            return
        self._clear()
        self.open, self._sign = True, self._lies()
        self._known_face()
        self._say()
        self._work()

    def end(self) -> None:
        """Leave the proposal; what was accepted stays."""
        self.open = False
        self.session.jobs.cancel("whole")
        self.session.first.forget()
        self._clear()
        self._say()

    def _lies(self) -> tuple[object, ...]:
        """Which photo it is and how it lies on the sheet: patches hold for that only."""
        photo = self.session.photo
        return () if photo is None else (photo.id, photo.prep.geometry, photo.crop, self.session.mm_per_px)

    @property
    def needs_loop(self) -> bool:
        """Whether nobody has shown yet where the animal is."""
        view = self.session.view
        return view is None or view.coverage is None

    @property
    def face_known(self) -> bool:
        """Whether eyes and nose tell where the parts of the face lie."""
        return face_of(self.eyes, self.nose) is not None

    def draw_loop(self, ring: tuple[Point, ...]) -> None:
        """A loose loop round the animal: it is cut out as in Study, and parted when that is done."""
        photo = self.session.photo
        if photo is not None and len(ring) > 2:
            self.session.do(SetPrep(self.session, photo, "cut-out", outline=tuple(ring), keep=(), drop=(), cut_out=True))

    def show_eye(self, centre: Point, rim: Point) -> None:
        """An eye by two clicks; a third one begins anew."""
        view = self.session.view
        if view is None:
            return
        try:
            eye = measure_eye(view.pixels, *view.small((centre, rim)))
            if eye.iris_px < LEAST_PX:  # as fitted: a recipe could not be measured in it
                raise Fault("The eye is too small to measure.", do="Draw it by hand, or use a larger photo.")
        except Fault as fault:
            self.session.messages.fault(fault)
            return
        (at,) = view.large((eye.centre,))
        self.eyes = (*(self.eyes if len(self.eyes) < 2 else ()), (at, float(eye.iris_px / view.scale)))
        self._work()

    def show_nose(self, at: Point) -> None:
        """A place on the nose or beak."""
        self.nose = at
        self._work()

    def again(self) -> None:
        """Part what lies under no area once more, with the cut-out as it stands now."""
        self.patches, self._wanted = (), 0
        self._work()

    def forget_face(self) -> None:
        """Take back what was shown of the face."""
        self.eyes, self.nose = (), None
        self._work()

    def set_surface(self, surface_id: str) -> None:
        """What the coat is made of: the proposal stands, its patches are planned as this."""
        self.surface_id = surface_id
        if self._proposal is not None:
            self._told(self._proposal)

    def set_form(self, by_form: bool) -> None:
        """Part by the body's form, which leaves a marking inside an area, or by colour."""
        if by_form != self.by_form:
            self.by_form = by_form
            self._work()

    def set_count(self, count: int) -> None:
        """So many patches, eyes and nose apart."""
        self.count = self._wanted = wanted = min(self.many, max(self.few, count))
        parted = self._parted
        if parted is None or self._made != self._asked:  # what is shown of the animal has changed since
            self._work()
            return

        def done(found: Proposal) -> None:
            if self.open and self._parted is parted and self._wanted == wanted:
                self._told(found)

        self.session.jobs.run("whole", "Drawing the seams", lambda _t: parted.areas(wanted), done, quiet=True)

    # -- the proposal ------------------------------------------------------------------
    def _work(self) -> None:
        view, photo = self.session.view, self.session.photo
        if not self.open or view is None or photo is None or view.coverage is None or self.session.mm_per_px is None:
            self._say()
            return
        self._asked += 1
        asked, work = self._asked, self._asking(view, photo.crop, self.session.mm_per_px)

        def done(found: tuple[Parted, Proposal]) -> None:
            if self.open and asked == self._asked:
                self._parted, self._made = found[0], asked
                self._told(found[1])

        def failed(fault: Fault) -> None:
            self.session.messages.fault(fault)
            if self.open and not self.patches:
                self.end()

        self.session.jobs.run("whole", "Parting the whole animal", work, done, failed, asked=True)
        self._say()

    def _asking(self, view: View, crop: tuple[float, float, float, float], mm_per_px: float) -> Callable[[Token], tuple[Parted, Proposal]]:
        drawn = tuple((smooth_ring(a.ring) if a.smooth else np.asarray(a.ring, float)) for a in self.session.areas)
        eyes, nose, by_form, count = self.eyes, self.nose, self.by_form, self._wanted or None

        def work(token: Token) -> tuple[Parted, Proposal]:
            pixels = view.preview(SIDE)
            k = pixels.shape[1] / view.size[0]
            coverage = _left(view, pixels.shape[:2], crop, drawn, k)
            at = lambda p: (p[0] * k, p[1] * k)  # noqa: E731
            parted = Parted(pixels, coverage, mm_per_px / k, [(at(p), r * k) for p, r in eyes], None if nose is None else at(nose), by_form, token)
            return parted, parted.areas(count)

        return work

    def _told(self, found: Proposal) -> None:
        """Take a proposal over as records, in working order: eyes, nose, what is named, then the largest."""
        self._proposal = found
        view, photo, commission = self.session.view, self.session.photo, self.session.commission
        if view is None or photo is None or commission is None:
            return
        k = view.preview(SIDE).shape[1] / view.size[0]
        drawn_kinds = {kind for a in self.session.areas if (kind := _kind(a.surface_id))}
        number = max((a.number for a in self.session.all_areas), default=0)
        level = max((a.level for a in self.session.areas), default=0) + 1
        named = named_patches(found.areas, self.surface_id, number + 1)
        keep = [n for n, p in enumerate(named) if p.shape.kind not in drawn_kinds or not p.shape.kind]
        keep.sort(key=lambda n: (FACE_FIRST.get(named[n].shape.kind, 2 if named[n].known else 3), named[n].shape.eye[:1], -named[n].shape.share))
        named = named_patches([found.areas[n] for n in keep], self.surface_id, number + 1)
        up = lambda ring: tuple((x / k, y / k) for x, y in ring)  # noqa: E731
        place = {n: f"patch {at}" for at, n in enumerate(keep, 1)}
        self.patches = tuple(
            Area(
                place[n], commission.id, photo.id, number=number + at, name=p.name, surface_id=p.surface_id, ring=up(p.shape.ring), smooth=p.shape.kind == "eye",
                holes=tuple(up(h) for h in p.shape.holes), level=level if p.shape.kind else 0, eye=up(p.shape.eye),
                twin_id=place.get(p.shape.twin, "") if p.shape.twin is not None and p.shape.twin < n else "",
            )
            for at, (n, p) in enumerate(zip(keep, named, strict=True), 1)
        )  # fmt: skip
        self.covered, self.notes = found.covered, tuple(say(q) for q in found.notes)
        self.count = self._wanted or sum(not p.shape.kind for p in named)
        self.asked = self._questions(found, {n: place[n] for n in keep})
        if self.chosen not in {a.id for a in self.patches}:
            self.chosen = ""
        self._say()

    # -- what it asks ------------------------------------------------------------------
    def _questions(self, found: Proposal, place: Mapping[int, str]) -> tuple[Asking, ...]:
        """At most two: whether the strangest patch is animal at all, and whether the two that differ least are one."""
        out = []
        coats = [n for n in place if not found.areas[n].kind]
        strangest = max(coats, key=lambda n: found.areas[n].strange, default=None)
        if strangest is not None and found.areas[strangest].strange >= STRANGE:
            out.append(Asking("animal", (place[strangest],)))
        if found.alike is not None and all(n in place for n in found.alike) and len(coats) > self.few:
            out.append(Asking("one", (place[found.alike[0]], place[found.alike[1]])))
        return tuple(q for q in out if self._about(q) not in self._answered)

    def _about(self, asking: Asking) -> tuple[object, ...]:
        """What a question is about, whatever its patches are called by now."""
        rings = {a.id: a.ring for a in self.patches}
        return asking.kind, *sorted(rings.get(k, ()) for k in asking.patches)

    def answer(self, asking: Asking, yes: bool) -> None:
        """Yes: it is the animal, the two are one patch. No: it is left out, they stay two."""
        self._answered.add(self._about(asking))
        self.asked = tuple(q for q in self.asked if q != asking)
        if asking.kind == "animal" and not yes:
            self.leave_out(asking.patches[0])
        elif asking.kind == "one" and yes:
            self.join(*asking.patches)
        else:
            self._say()

    def join(self, into: str, gone: str) -> None:
        """Two patches become one; it keeps the first one's name and surface."""
        mine, other = (next((a for a in self.patches if a.id == k), None) for k in (into, gone))
        if mine is None or other is None:
            return
        shape = unary_union([polygon_of(q.ring, q.holes).buffer(JOIN_PX) for q in (mine, other)]).buffer(-JOIN_PX)
        if not isinstance(shape, Polygon):
            self.session.messages.remark("These patches do not meet: they stay two.")
            return
        rings = [tuple((float(x), float(y)) for x, y in q.coords[:-1]) for q in (shape.exterior, *shape.interiors)]
        one = replace(mine, ring=rings[0], holes=tuple(q for q in rings[1:] if len(q) > 3 and Polygon(q).area > JOIN_PX**2 * LEAST_HOLE), twin_id="")
        self.patches = tuple(one if a.id == into else replace(a, twin_id="") if a.twin_id in (into, gone) else a for a in self.patches if a.id != gone)
        self.asked = tuple(q for q in self.asked if not {into, gone} & set(q.patches))
        self.count = sum(not _kind(a.surface_id) for a in self.patches)
        self.chosen = ""
        self._say()

    def holds(self, key: str) -> bool:
        """Whether an id is that of a patch."""
        return any(a.id == key for a in self.patches)

    def patch(self) -> Area | None:
        """The chosen patch."""
        return next((a for a in self.patches if a.id == self.chosen), None)

    def choose(self, key: str) -> None:
        """Choose a patch, or none."""
        self.chosen = key
        self._say()

    def set_patch_surface(self, key: str, surface_id: str, alike: bool = False) -> None:
        """Say what one patch is made of, or all that are planned as it is."""
        mine = next((a for a in self.patches if a.id == key), None)
        if mine is not None:
            was = mine.surface_id
            self.patches = tuple(replace(a, surface_id=surface_id) if a.id == key or (alike and a.surface_id == was) else a for a in self.patches)
            self._say()

    def leave_out(self, key: str) -> None:
        """This patch is not the animal: it is not proposed any longer."""
        self.patches = tuple(a for a in self.patches if a.id != key)
        self.asked = tuple(q for q in self.asked if key not in q.patches)
        self.chosen = ""
        self.session.first.leave_out({key})
        self._say()

    # -- taking it over -----------------------------------------------------------------
    def accept(self, key: str) -> None:
        """Store one patch as an area; the others stay proposed."""
        self._store([a for a in self.patches if a.id == key], "patch")

    def accept_all(self) -> None:
        """Store all patches, in one edit."""
        if self._store(list(self.patches), "the whole animal"):
            self.end()

    def _store(self, patches: list[Area], words: str) -> bool:
        m = self.session
        if not patches or m.commission is None:
            return False
        number = max((a.number for a in m.all_areas), default=0)
        ids = {a.id: new_id() for a in patches}
        made = [replace(a, id=ids[a.id], number=number + n, twin_id=ids.get(a.twin_id, "")) for n, a in enumerate(patches, 1)]
        # what the first plan has worked out by now comes with its patch, and with the pencils that it was solved with
        first = m.first
        recipes = [replace(first.recipes[a.id], area_id=ids[a.id]) for a in patches if a.id in first.recipes]
        c = m.commission
        pencils = [(c, replace(c, palette=first.palette))] if recipes and first.palette and not c.palette else []
        gone = set(ids)
        left = tuple(a for a in self.patches if a.id not in gone)
        self.patches = left
        self.asked = tuple(q for q in self.asked if not gone & set(q.patches))
        if not m.do(Edit(m, words, [old for old, _new in pencils], [*made, *recipes, *(new for _old, new in pencils)])):
            self.patches = (*patches, *left)
            return False
        first.leave_out(gone)
        m.choose_area(made[0].id if len(made) == 1 else "")
        if not left:
            self.end()
        else:
            self.chosen = left[0].id
            self._say()
        return True

    # -- what happens meanwhile ----------------------------------------------------------
    def _known_face(self) -> None:
        for a in self.session.areas:
            if a.surface_id == "eye" and len(a.eye) == 2 and len(self.eyes) < 2:
                (x, y), (u, v) = a.eye
                self.eyes = (*self.eyes, ((x, y), float(np.hypot(u - x, v - y))))
            elif _kind(a.surface_id) == "nose":
                x, y = np.asarray(a.ring).mean(0).tolist()
                self.nose = (x, y)

    def _on_view(self) -> None:
        if self.open and not self.patches and self._parted is None:
            self._work()

    def _on_photo(self) -> None:
        sign, now = self._sign, self._lies()
        if self.open and now != sign:
            self.end()
            if now[:1] == sign[:1]:
                self.session.messages.remark("The photo lies another way on the sheet: the proposal was left.")

    def _on_areas(self) -> None:
        if self.open:
            self._say()

    def _say(self) -> None:
        self.session.whole_changed.emit()


def _kind(surface_id: str) -> str:
    return {"eye": "eye", "nose": "nose", "beak-and-cere": "nose"}.get(surface_id, "")


def _left(view: View, shape: tuple[int, ...], crop: tuple[float, float, float, float], drawn: tuple[Array, ...], k: float) -> Array:
    """How much of each pixel of a copy (h, w) is animal on the sheet that lies under no area yet. Raises `Fault` where nothing is."""
    h, w = shape
    assert view.coverage is not None
    out = cv2.resize(view.coverage, (w, h), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    x, y, cw, ch = (v * k for v in crop)
    on = np.zeros((h, w), bool)
    on[max(0, round(y)) : max(0, round(y + ch)), max(0, round(x)) : max(0, round(x + cw))] = True
    animal = float((out[on] > 0.5).sum())
    for ring in drawn:
        on &= ~fill_ring(ring * k, h, w)
    if drawn and (out[on] > 0.5).sum() <= REST * animal:
        raise Fault("All of the animal lies under areas.", "Nothing was parted.", "Delete an area first, if it should be parted another way.")
    return np.where(on, out, 0).astype(np.float32)
