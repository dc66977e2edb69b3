"""What is read of the animal as one, and of its light: the lamp's cast, light of its surroundings, its coats. Areas are read inside it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, TypeVar, cast

import cv2
import numpy as np

from hanabira.core.area.one_coat import Read, together
from hanabira.core.study import bounce as bounces
from hanabira.core.study import cast as casts
from hanabira.core.study import sun as suns
from hanabira.core.study import surround
from hanabira.craft import readers
from hanabira.craft.supplies import surfaces
from hanabira.session.edits import SetPrep

if TYPE_CHECKING:
    from hanabira.core.area.measures import Measures
    from hanabira.core.colour.spaces import Array
    from hanabira.session.session import Session
    from hanabira.studio.records import Area

T = TypeVar("T")


class Animal:
    """One model of the commission's animal. Whatever must be looked for is looked for off the interface thread; `Session.animal_changed` tells that it is there."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self._left: set[str] = set()
        self._found: dict[str, tuple[object, object]] = {}
        """What was found, by the job that looked for it, and what it was found in."""

    def forget(self) -> None:
        """Another commission is opened."""
        self._found.clear()

    def _sought(self, job: str, words: str, sign: object, look: Callable[[], T]) -> T | None:
        """What was found in just this; None while it is being looked for, which begins here."""
        known = self._found.get(job)
        if known is not None and known[0] == sign:
            return cast("T", known[1])

        def done(found: T) -> None:
            self._found[job] = sign, found
            self.session.animal_changed.emit()

        self.session.jobs.run(job, words, lambda _t: look(), done, quiet=True)
        return None

    # -- its light ----------------------------------------------------------------------
    def cast(self) -> casts.Cast | None:
        """The cast that the photo as taken seems to have; None until it is read, once it was answered, or when nothing tells the light."""
        photo, raw = self.session.photo, self.session.darkroom.raw if self.session.view is not None else None
        if photo is None or raw is None or photo.prep.light_how or photo.id in self._left:
            return None
        return self._sought("cast", "Looking for a cast", photo.digest, lambda: casts.estimate_cast(raw, readers.cast_model()))

    def take_cast_out(self) -> None:
        """Set the light by the suspected cast, as one edit."""
        found, photo = self.cast(), self.session.photo
        if found is not None and photo is not None:
            self.set_white(found.white, "what greys, lights and edges agree on")

    def leave_cast(self) -> None:
        """The light is as it should be: do not ask again for this photo."""
        if self.session.photo is not None:
            self._left.add(self.session.photo.id)
            self.session.animal_changed.emit()

    def set_white(self, white: tuple[float, float, float] | None, how: str) -> None:
        """Set what counts as white in the photo, and say how it was found."""
        photo = self.session.photo
        if photo is not None:
            self.session.do(SetPrep(self.session, photo, "light", light=replace(photo.prep.light, white=white), light_how=how))

    # -- what its surroundings throw into it -----------------------------------------------
    def in_its_own(self) -> tuple[object, np.ndarray, np.ndarray] | None:
        """What depends on the cut: a signature, the animal in its own surroundings (h, w, 3), and its coverage (h, w); None until it is cut out and read."""
        photo, view = self.session.photo, self.session.view
        c, cover = self.session.commission, self.session.darkroom.cover if view is not None else None
        if photo is None or view is None or cover is None or c is None:
            return None
        pixels = view.plain if view.plain is not None else view.preview()
        return (photo.digest, photo.prep.pixels, photo.prep.cut, c.backdrop_hexes), pixels, cover

    def thrown(self) -> bounces.Bounce | None:
        """Light of the old surroundings in the animal's rim; None until it is cut out and read, or when there is none."""
        got = self.in_its_own()
        if got is None:
            return None
        sign, pixels, cover = got
        return self._sought("bounce", "Looking for light of the surroundings", sign, lambda: bounces.bounce(pixels, cover))

    def reads(self) -> tuple[surround.Reads, ...] | None:
        """How its values are seen here and on the backdrop; None until it is cut out and read."""
        got = self.in_its_own()
        if got is None:
            return None
        (sign, pixels, cover), backdrop = got, self.session.darkroom.backdrop[0]
        return self._sought("surroundings", "Judging the surroundings", sign, lambda: surround.reads(pixels, cover, backdrop))

    def sun(self) -> suns.Sun | None:
        """Where the light comes from, as estimated; None until the animal is cut out and read."""
        got = self.in_its_own()
        if got is None:
            return None
        sign, pixels, cover = got
        return self._sought("sun", "Looking for the light", sign, lambda: suns.estimate_sun(pixels, cover))

    @property
    def before(self) -> Array | None:
        """Middle Lab of the animal's old surroundings; None while it is not cut out, or the photo was not read at full size."""
        got = self.in_its_own()
        if got is None:
            return None
        _sign, pixels, cover = got
        return bounces.surroundings(pixels, cv2.resize(np.asarray(cover, np.float32), pixels.shape[1::-1]))

    # -- its coats -------------------------------------------------------------------------
    def coats(self, area: Area) -> tuple[tuple[str, float], ...]:
        """The coats that an area reads as beside those that it meets, with their shares; empty before it is measured and for what bears no hair."""
        own, s = self.session.measures(area.id), surfaces().get(area.surface_id)
        if own is None or not own.coats or s is None or not s.hair:
            return ()
        near = [m for a, _d in self.session.neighbours(area) if surfaces()[a.surface_id].hair and (m := self.session.measures(a.id)) is not None]
        return together(_read(own), [_read(m) for m in near if m.coats])


def _read(m: Measures) -> Read:
    lab = m.values.band_lab["general"]
    return Read((float(lab[0]), float(lab[1]), float(lab[2])), m.coats)
