"""One class an edit. Each is a set of records before and after, stored in one transaction."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from hanabira.core.faults import Fault
from hanabira.core.study import framing, prepare
from hanabira.craft import kitfile
from hanabira.studio.layer_ids import carried
from hanabira.studio.records import Area, Commission, Photo, Recipe, Record, StudioKit, cover_crop, new_id

if TYPE_CHECKING:
    from hanabira.core.area.shape import Point
    from hanabira.core.optics.kit import Kit
    from hanabira.core.places.place import Place
    from hanabira.core.solver.layer import Layer
    from hanabira.session.session import Session
    from hanabira.session.undo import Undoable


class Edit:
    """Base: ``before`` and ``after`` records; a record in only one of them is made or deleted.

    `Session.do` carries the edit out before it is pushed, so that a fault leaves no edit behind.
    """

    merge_key = ""
    """Edits of one gesture or one typed field have the same key, and become one."""

    def __init__(self, session: Session, words: str, before: Sequence[Record], after: Sequence[Record]) -> None:
        self.session, self.words, self.before, self.after = session, words, tuple(before), tuple(after)

    def carry_out(self) -> None:
        """Do it the first time. Raises `Fault`; then nothing changed."""
        self._swap(self.before, self.after)

    def redo(self) -> bool:
        """Do it again; whether that could be stored."""
        return self._try(self.before, self.after)

    def undo(self) -> bool:
        """Take it back; whether that could be stored."""
        return self._try(self.after, self.before)

    def _try(self, old: Sequence[Record], new: Sequence[Record]) -> bool:
        try:
            self._swap(old, new)
        except Fault as fault:
            self.session.messages.fault(fault)
            return False
        return True

    def _swap(self, old: Sequence[Record], new: Sequence[Record]) -> None:
        kept = {_key(r) for r in new}
        self.session.apply(put=new, drop=[r for r in old if _key(r) not in kept])

    def take_over(self, later: Undoable) -> None:
        """Become one with a later edit of the same gesture: taken back, both are."""
        assert isinstance(later, Edit)
        known = {_key(r) for r in (*self.before, *self.after)}
        self.before += tuple(r for r in later.before if _key(r) not in known)
        mine = {_key(r): r for r in self.after}
        mine.update({_key(r): r for r in later.after})
        gone = {_key(r) for r in later.before} - {_key(r) for r in later.after}
        self.after = tuple(r for k, r in mine.items() if k not in gone)


def _key(record: Record) -> tuple[type, str]:
    return type(record), record.area_id if isinstance(record, Recipe) else record.id


class EditBrief(Edit):
    """Change fields of the commission; the photo's crop follows new proportions."""

    def __init__(self, session: Session, words: str, typed: bool = False, **fields: object) -> None:
        c = session.commission
        assert c is not None
        changed = replace(c, **fields)  # type: ignore[arg-type]
        before: list[Record] = [c]
        after: list[Record] = [changed]
        (w0, h0), (w1, h1) = c.picture_mm, changed.picture_mm
        if abs(w0 / h0 - w1 / h1) > 1e-6:
            for photo in session.photos:
                before.append(photo)
                after.append(replace(photo, crop=fit_crop(photo, w1 / h1)))
        super().__init__(session, words, before, after)
        if typed:  # typing into one field is one edit
            self.merge_key = f"{c.id} {words} {','.join(fields)}"


def fit_crop(photo: Photo, aspect: float) -> tuple[float, float, float, float]:
    """The photo's crop with other proportions: same middle, as large as before where the photo allows."""
    x, y, w, h = photo.crop
    cx, cy, area = x + w / 2, y + h / 2, w * h
    nw = min((area * aspect) ** 0.5, photo.width_px, photo.height_px * aspect)
    nh = nw / aspect
    return (min(max(0.0, cx - nw / 2), photo.width_px - nw), min(max(0.0, cy - nh / 2), photo.height_px - nh), nw, nh)


class SetStage(Edit):
    """Remember which stage is open; not an edit one takes back."""

    def __init__(self, session: Session, stage: str) -> None:
        assert session.commission is not None
        super().__init__(session, "stage", [session.commission], [replace(session.commission, stage=stage)])


class AddPhoto(Edit):
    """Put a new photo on the paper, before those that were there; areas belong to their photo. ``sheet``: the commission before and after."""

    def __init__(
        self, session: Session, photo: Photo, others: Sequence[Photo] | None = None, sheet: tuple[Commission, Commission] | None = None
    ) -> None:
        others = session.photos if others is None else others
        moved = [replace(p, position=i + 1) for i, p in enumerate(others)]
        before, after = sheet if sheet is not None else (None, None)
        super().__init__(
            session, "photo", [*([before] if before is not None else []), *others],
            [*([after] if after is not None else []), replace(photo, position=0), *moved],
        )  # fmt: skip


class ChoosePhoto(Edit):
    """Make another photo the main one."""

    def __init__(self, session: Session, photo: Photo) -> None:
        order = [photo, *(p for p in session.photos if p.id != photo.id)]
        super().__init__(session, "main photo", session.photos, [replace(p, position=i) for i, p in enumerate(order)])


class RemovePhoto(Edit):
    """Take a photo off the paper, with the areas drawn on it. Its file stays in the studio."""

    def __init__(self, session: Session, photo: Photo) -> None:
        areas = [a for a in session.all_areas if a.photo_id == photo.id]
        borrowed = [a for a in session.all_areas if a.colour_photo_id == photo.id and a.photo_id != photo.id]
        recipes = [session.recipes[a.id] for a in areas if a.id in session.recipes]
        own = [replace(a, colour_photo_id="", colour_ring=()) for a in borrowed]
        super().__init__(session, "photo", [photo, *areas, *borrowed, *recipes], own)


class FramePhoto(Edit):
    """Move or scale the photo under the sheet; one gesture is one edit. Raises `Fault` for a frame that shows next to nothing."""

    def __init__(self, session: Session, photo: Photo, crop: tuple[float, float, float, float], gesture: int = 0) -> None:
        self._refused = ""
        if session.commission is not None and crop[2] < 0.999 * framing.least_width(photo.size, session.commission.picture_mm):
            fine, share = crop[2] / session.commission.picture_mm[0], 100 * crop[2] * crop[3] / (photo.width_px * photo.height_px)
            self._refused = f"{share:.1f} % of the photo at {fine:.2f} px a mm shows nothing of the animal’s coat."
        super().__init__(session, "frame", [photo], [replace(photo, crop=crop)])
        if gesture:
            self.merge_key = f"frame {photo.id} {gesture}"

    def carry_out(self) -> None:
        """Do it the first time. Raises `Fault` for a frame that shows next to nothing."""
        if self._refused:
            raise Fault(self._refused, "The frame stayed as it was.", "Show more of the photo, or choose a smaller sheet.")
        super().carry_out()


class WholePhoto(FramePhoto):
    """Show as much of the photo as the paper's proportions allow."""

    def __init__(self, session: Session, photo: Photo) -> None:
        assert session.commission is not None
        w, h = session.commission.picture_mm
        super().__init__(session, photo, cover_crop(photo.width_px, photo.height_px, w / h))


class SetPrep(Edit):
    """Change settings of a photo that move no points: light, cut, focal point."""

    def __init__(self, session: Session, photo: Photo, words: str, gesture: str = "", **fields: object) -> None:
        super().__init__(session, words, [photo], [replace(photo, prep=replace(photo.prep, **fields))])  # type: ignore[arg-type]
        if gesture:
            self.merge_key = f"{gesture} {photo.id}"


class TurnPhoto(Edit):
    """Straighten a photo or turn it over; its areas, strokes and crop stay with the animal."""

    def __init__(self, session: Session, photo: Photo, tilt_deg: float, mirrored: bool, gesture: str = "") -> None:
        old, size = photo.prep.geometry, photo.size
        prep = prepare.turned(photo.prep, size, tilt_deg, mirrored)
        move = lambda line: prepare.move_points(line, size, old, prep.geometry)  # noqa: E731
        x, y, w, h = photo.crop
        ((cx, cy),) = move(((x + w / 2, y + h / 2),))
        crop = (cx - w / 2, cy - h / 2, w, h)
        inside = tuple(float(min(max(0.0, a), max(0.0, most - b))) for a, b, most in ((crop[0], w, size[0]), (crop[1], h, size[1])))
        crop = prepare.fit_inside((inside[0], inside[1], w, h), size, prep.tilt_deg * (-1 if mirrored else 1))
        before: list[Record] = [photo]
        after: list[Record] = [replace(photo, prep=prep, crop=crop)]
        for a in session.all_areas:
            moved = a
            if a.photo_id == photo.id:
                moved = replace(
                    a, ring=move(a.ring), holes=tuple(map(move, a.holes)), combing=tuple(map(move, a.combing)), eye=move(a.eye),
                    marking_edits=tuple((how, move(line)) for how, line in a.marking_edits),
                    place_edits=tuple((place, how, move(line)) for place, how, line in a.place_edits),
                )  # fmt: skip
            if a.colour_photo_id == photo.id:
                moved = replace(moved, colour_ring=move(a.colour_ring))
            if moved != a:
                before.append(a)
                after.append(moved)
        super().__init__(session, "straighten" if mirrored == photo.prep.mirrored else "mirror", before, after)
        if gesture:
            self.merge_key = f"{gesture} {photo.id}"


class SetPart(Edit):
    """Say what a photo is for."""

    def __init__(self, session: Session, photo: Photo, part: str) -> None:
        super().__init__(session, "part of the photo", [photo], [replace(photo, part=part)])


class ChangeAreas(Edit):
    """Change, make and delete areas in one edit: join, cut, push, comb, reorder, a template."""

    def __init__(self, session: Session, words: str, before: Sequence[Area] = (), after: Sequence[Area] = (), gesture: str = "") -> None:
        kept = {a.id for a in after}
        recipes = [session.recipes[a.id] for a in before if a.id not in kept and a.id in session.recipes]
        super().__init__(session, words, [*before, *recipes], after)
        self.merge_key = gesture


class AddArea(Edit):
    """A newly drawn area, named after its number until the artist names it."""

    def __init__(
        self, session: Session, ring: Sequence[Point], smooth: bool, name: str = "", surface_id: str = "short-fur",
        holes: Sequence[Sequence[Point]] = (), eye: Sequence[Point] = (),
    ) -> None:  # fmt: skip
        assert session.commission is not None and session.photo is not None
        number = max((a.number for a in session.all_areas), default=0) + 1
        self.area = Area(
            new_id(), session.commission.id, session.photo.id, number=number, name=name or f"Area {number}", surface_id=surface_id, ring=tuple(ring),
            smooth=smooth, holes=tuple(map(tuple, holes)), eye=tuple(eye),
        )  # fmt: skip
        super().__init__(session, "area", [], [self.area])


class RenameArea(Edit):
    """Give an area the artist's own name."""

    def __init__(self, session: Session, area: Area, name: str) -> None:
        super().__init__(session, "name", [area], [replace(area, name=name)])


class SetSurface(Edit):
    """Say what an area is made of."""

    def __init__(self, session: Session, area: Area, surface_id: str) -> None:
        super().__init__(session, "surface", [area], [replace(area, surface_id=surface_id)])


class ReshapeArea(Edit):
    """Move an area or its edge; one gesture is one edit."""

    def __init__(self, session: Session, area: Area, ring: Sequence[Point], words: str = "edge", gesture: int = 0) -> None:
        super().__init__(session, words, [area], [replace(area, ring=tuple(ring))])
        if gesture:
            self.merge_key = f"ring {area.id} {gesture}"


class DeleteArea(Edit):
    """Delete an area with its recipe."""

    def __init__(self, session: Session, area: Area) -> None:
        recipe = [session.recipes[area.id]] if area.id in session.recipes else []
        super().__init__(session, f"{area.name}", [area, *recipe], [])


class SetLayers(Edit):
    """Change the layers of an area's recipe: solve, swap, press, move, remove, add."""

    def __init__(self, session: Session, area: Area, layers: Sequence[Layer], words: str, places: Sequence[Place] | None = None) -> None:
        """``places`` are those the layers were planned by, where they are others than before."""
        old = session.recipes.get(area.id)
        kept = tuple(places) if places is not None else old.places if old else ()
        ids = {p.id for p in kept}
        aims = tuple(q for q in old.aims if q[0] in ids) if old else ()
        tried = tuple(q for q in old.tried if q[0] in ids) if old else ()  # a chip belongs to the stack that it names: it serves again when that comes back
        new = Recipe(area.id, carried(old.layers, layers) if old else tuple(layers), old.note if old else "", kept, aims, tried)
        super().__init__(session, words, [old] if old else [], [new])


class Aim(Edit):
    """Move the target of a place: lighter or darker, warmer or cooler, richer or duller; the measure stays."""

    def __init__(self, session: Session, recipe: Recipe, place: str, shift: tuple[float, float, float]) -> None:
        rest = tuple(q for q in recipe.aims if q[0] != place)
        aims = rest if not any(shift) else (*rest, (place, *shift))
        super().__init__(session, f"aim of the {place}", [recipe], [replace(recipe, aims=aims)])
        self.merge_key = f"aim {recipe.area_id} {place}"


class EditKit(Edit):
    """Change a kit of the studio: a pencil's facts, an import, a fit."""

    def __init__(self, session: Session, before: StudioKit, after: StudioKit, words: str) -> None:
        super().__init__(session, words, [before], [after])

    @classmethod
    def of(cls, session: Session, key: str, kit: Kit, words: str, **fields: str) -> EditKit:
        """The edit that leaves a kit with these pencils."""
        before = session.kit_record(key)
        return cls(session, before, replace(before, pencils=kitfile.kit_csv(kit), **fields), words)


class AddKit(Edit):
    """A further kit in the studio."""

    def __init__(self, session: Session, kit: StudioKit) -> None:
        super().__init__(session, f"kit {kit.name}", [], [kit])


class NoteRecipe(Edit):
    """The artist's note under a recipe."""

    def __init__(self, session: Session, recipe: Recipe, note: str) -> None:
        super().__init__(session, "note", [recipe], [replace(recipe, note=note)])
        self.merge_key = f"note {recipe.area_id}"
