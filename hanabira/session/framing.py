"""A photo on the sheet: taken in so that the animal is not cut without a word, three shapes of sheet, and what the frame leaves off."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from hanabira.core.faults import Fault
from hanabira.core.study.framing import Box, SheetShape, cut_sides, framed, held, outlined, proposed, seems, sheet_shapes
from hanabira.session.edits import AddPhoto, Edit
from hanabira.studio.records import Commission, Photo, new_id

if TYPE_CHECKING:
    from hanabira.core.token import Token
    from hanabira.session.session import Session

LOOKED_AT = 600
"""Longer side of the copy in which the animal is looked for when a photo comes in."""
OFF = 0.02
"""A photo of which more than this lies off the sheet is said to."""
HALF = 128


class Framing:
    """What the frame of the open commission's photo shows and leaves off."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self._kept: tuple[object, Box, bool] | None = None

    # -- where the animal is ----------------------------------------------------------
    def place(self) -> tuple[Box, bool] | None:
        """Where the animal of the open photo lies, and whether that is the artist's own cut-out; None until the photo is open."""
        photo, view = self.session.photo, self.session.view
        if photo is None or view is None:
            return None
        sign = (photo.digest, photo.prep.pixels, view.full)
        if self._kept is None or self._kept[0] != sign:
            cut = view.coverage is not None and bool((view.coverage >= HALF).any())
            if cut:
                rows, columns = np.nonzero(np.asarray(view.coverage) >= HALF)
                h, w = np.asarray(view.coverage).shape
                ring = np.array([[columns.min(), rows.min()], [columns.max() + 1, rows.max() + 1]])
                self._kept = sign, outlined(ring, (w, h)), True
            else:
                self._kept = sign, seems(view.levels_rgb()), False
        return self._kept[1], self._kept[2]

    def shapes(self) -> tuple[SheetShape, ...]:
        """Ways for the open photo to lie on a sheet; none until it is open."""
        m, found = self.session, self.place()
        if m.commission is None or m.photo is None or found is None:
            return ()
        c, crop, size = m.commission, m.photo.crop, m.photo.size
        first, *others = sheet_shapes(size, (c.width_mm, c.height_mm), c.border_mm, found[0])
        off = 1 - crop[2] * crop[3] / (size[0] * size[1])
        return replace(first, crop=crop, holds=held(crop, size, found[0]), off=off), *others

    def words(self) -> tuple[str, ...]:
        """What the frame shows: how finely, how much, and where it cuts the animal."""
        m, found = self.session, self.place()
        c, photo = m.commission, m.photo
        if c is None or photo is None:
            return ()
        fine = photo.crop[2] / c.picture_mm[0]
        share = 100 * photo.crop[2] * photo.crop[3] / (photo.width_px * photo.height_px)
        out = [f"{share:.0f} % of the photo lies on the sheet, {fine:.1f} px a mm."]
        if found is not None:
            sides = cut_sides(photo.crop, photo.size, found[0])
            if sides:
                out.append(_cut_words(sides, found[1]))
        return tuple(out)

    def hours(self, shape: SheetShape) -> tuple[str, str]:
        """The first hours on a sheet, and the day on which it is about finished; empty until the photo is open."""
        m, found = self.session, self.place()
        c, photo = m.commission, m.photo
        if c is None or photo is None or found is None:
            return "", ""
        plan = m.planner.first_on(replace(c, width_mm=shape.width_mm, height_mm=shape.height_mm), replace(photo, crop=shape.crop), *found)
        if not plan.whole.areas:
            return "", ""
        low, high = plan.hours
        return f"{low:.0f}–{high:.0f} h", f"by {plan.ready.day} {plan.ready:%b}" if plan.ready is not None else ""

    # -- another sheet -----------------------------------------------------------------
    def take(self, shape: SheetShape) -> bool:
        """Another sheet, with the photo on it so that the animal is kept; one undoable edit."""
        m = self.session
        c, photo = m.commission, m.photo
        if c is None or photo is None:
            return False
        now = replace(c, width_mm=shape.width_mm, height_mm=shape.height_mm)
        others = [p for p in m.photos if p.id != photo.id]
        fitted = [replace(p, crop=framed(p.size, now.picture_mm[0] / now.picture_mm[1], Box(0.25, 0.25, 0.75, 0.75))) for p in others]
        return m.do(Edit(m, "shape of the sheet", [c, photo, *others], [now, replace(photo, crop=shape.crop), *fitted]))

    # -- a photo comes in --------------------------------------------------------------------
    def add_photo(self, path: Path | str) -> None:
        """Take a picture file into the studio and put it on the paper; one undoable edit when it is done.

        The first photo of an order turns the sheet where the animal would be cut otherwise. What is cut, and what lies off the sheet, is said.
        """
        m = self.session
        if m.commission is None:
            return
        commission, source = m.commission, Path(path)

        def work(token: Token) -> tuple[Photo, Box] | None:
            if any(p.commission_id == commission.id for p in m.store.heal(source)):
                return None  # the file of a photo that is there already
            digest, suffix, (w, h) = m.store.take_in(source, token)
            photo = Photo(
                new_id(), commission.id, digest, suffix=suffix, original_name=source.name, width_px=w, height_px=h,
                crop=(0.0, 0.0, float(w), float(h)), part="main", position=-1,
            )
            return photo, seems(m.store.read_photo(photo, LOOKED_AT, token).pixels)

        def done(found: tuple[Photo, Box] | None) -> None:
            if found is None:
                m.messages.remark(f"{source.name} is back in its place.")
                m.darkroom.forget()
                m.load_photo()
                m.photo_changed.emit()
                return
            self._put(commission.id, *found)

        m.jobs.run("add photo", f"Taking in {source.name}", work, done, lasting=True)

    def _put(self, key: str, photo: Photo, box: Box) -> None:
        m = self.session
        c = m.store.get(Commission, key)
        if c is None:
            return
        others = m.store.all(Photo, commission_id=key)
        shapes = sheet_shapes(photo.size, (c.width_mm, c.height_mm), c.border_mm, box)
        # a sheet on which work was begun, or that was agreed with a photo, stays
        shape = proposed(shapes) if not others else shapes[0]
        turned = replace(c, width_mm=shape.width_mm, height_mm=shape.height_mm)
        if not m.do(AddPhoto(m, replace(photo, crop=shape.crop), others, (c, turned) if turned != c else None), key):
            return
        if m.commission is None or m.commission.id != key:
            m.messages.remark(f"{photo.original_name} went to {c.name}.")
        sides = cut_sides(shape.crop, photo.size, box)
        words = []
        if turned != c:
            words.append(f"The sheet was turned to {turned.width_mm:.0f} × {turned.height_mm:.0f} mm, so that less of the animal is cut, as it seems.")
        if sides:
            words.append(_cut_words(sides, False))
        if words and shape.off > OFF:
            words.append(f"{100 * shape.off:.0f} % of the photo lies off the sheet.")
        if words:
            m.messages.fault(Fault(words[0], " ".join(words[1:]), "Brief offers other shapes of the sheet; Study moves the frame."))
        elif shape.off > OFF:
            m.messages.remark(f"{100 * shape.off:.0f} % of the photo lies off the sheet; the animal is whole, as it seems.")


def _cut_words(sides: tuple[str, ...], sure: bool) -> str:
    """Where the animal is cut."""
    where = " and ".join([", ".join(sides[:-1]), sides[-1]] if len(sides) > 1 else sides)
    return f"The animal is cut at the {where}." if sure else f"As it seems, the animal is cut at the {where}."
