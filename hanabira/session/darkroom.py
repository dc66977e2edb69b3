"""Where photos are developed for the desk: decoded, prepared as their settings say, and looked at in the ways one can hold."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

import cv2
import numpy as np

from hanabira.core.area.shape import fill_ring, ring_area, smooth_ring
from hanabira.core.colour.spaces import Array, bytes_to_lab, lab_to_bytes, parse_hex
from hanabira.core.faults import Fault
from hanabira.core.forecast.portrait import LaidArea, portrait
from hanabira.core.optics.stack import bare
from hanabira.core.solver.area import follow
from hanabira.core.study.isolate import isolate
from hanabira.core.study.prepare import coverage, prepare, turn_pixels
from hanabira.session.looks import LOOKS, LookSource
from hanabira.session.view import PREVIEW_SIDE, View, screen
from hanabira.studio import account

if TYPE_CHECKING:
    from hanabira.core.solver.layer import Layer
    from hanabira.core.token import Token
    from hanabira.session.session import Session
    from hanabira.studio.pictures import Picture
    from hanabira.studio.records import Photo

_FORECAST_SIDE = 1100
_ALPHA_SIDE = 2400
"""The animal is cut on a copy of at most this many pixels a side; its soft edge is then enlarged."""


class Darkroom:
    """Makes `Session.view` and its looks. The decoded file and the cut are kept, so that a setting costs only its own work."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self._raw: tuple[str, Picture] | None = None
        self._alpha: tuple[object, Array] | None = None
        self._forecast: object = None
        self._others: dict[str, tuple[object, View]] = {}

    def forget(self) -> None:
        """Read files anew: one of them is another than it was."""
        self._raw = self._alpha = None
        self._others.clear()

    # -- the working photo ---------------------------------------------------
    def load(self) -> None:
        """Show a quick copy first, then the whole photo; both off the interface thread."""
        session, photo = self.session, self.session.photo
        if photo is None:
            session.view = None
            session.view_ready.emit()
            return

        session.unopened = ""

        def lost(fault: Fault) -> None:
            session.unopened = photo.digest
            session.messages.fault(fault)
            session.view_ready.emit()

        def show_quick(view: View) -> None:
            session.show_view(view)
            if not view.full:
                session.jobs.run(
                    "photo", f"Reading {photo.original_name} at full size", lambda token: self._whole(photo, token), session.show_view
                )

        raw = self._raw  # read once: a job may put another photo there meanwhile
        if raw is not None and raw[0] == photo.digest and max(raw[1].pixels.shape) > PREVIEW_SIDE:
            session.jobs.run("photo", f"Preparing {photo.original_name}", lambda token: self._small(photo, raw[1], token), show_quick, lost)
        else:
            session.jobs.run("photo", f"Opening {photo.original_name}", lambda token: self._quick(photo, token), show_quick, lost)

    def _quick(self, photo: Photo, token: Token) -> View:
        picture = self.session.store.read_photo(photo, PREVIEW_SIDE, token)
        if picture.pixels.shape[1] == picture.size[0]:
            self._raw = (photo.digest, picture)
        return self._develop(photo, picture.pixels, picture, token)

    def _small(self, photo: Photo, picture: Picture, token: Token) -> View:
        """A copy from the file as it lies decoded in memory."""
        k = PREVIEW_SIDE / max(picture.pixels.shape[:2])
        size = (round(picture.pixels.shape[1] * k), round(picture.pixels.shape[0] * k))
        return self._develop(photo, cv2.resize(picture.pixels, size, interpolation=cv2.INTER_AREA), picture, token)

    def _whole(self, photo: Photo, token: Token) -> View:
        raw = self._raw
        if raw is None or raw[0] != photo.digest:
            raw = (photo.digest, self.session.store.read_photo(photo, None, token))
            token.check()  # a cancelled job leaves the newer photo's pixels where they are
            self._raw = raw
        return self._develop(photo, raw[1].pixels, raw[1], token)

    def _develop(self, photo: Photo, pixels: np.ndarray, picture: Picture, token: Token) -> View:
        sign = self.session.light_sign(photo)  # before the pixels: what changes meanwhile makes them stale, never the other way round
        alpha = _both(self.alpha(photo, pixels, token), picture.alpha, photo, pixels.shape[:2])
        done = prepare(pixels, photo.prep, photo.width_px, self.backdrop, alpha, token)
        view = View.of(done, picture.size, picture.remarks, token)
        view.shows = sign
        view.coverage = None if alpha is None else (np.clip(alpha, 0, 1) * 255).astype(np.uint8)
        view.plain = (
            None
            if alpha is None or not photo.prep.cut_out
            else prepare(self._at_preview(pixels), replace(photo.prep, cut_out=False), photo.width_px)
        )
        return view

    @staticmethod
    def _at_preview(pixels: np.ndarray) -> np.ndarray:
        k = PREVIEW_SIDE / max(pixels.shape[:2])
        if k >= 1:
            return pixels
        return cv2.resize(pixels, (round(pixels.shape[1] * k), round(pixels.shape[0] * k)), interpolation=cv2.INTER_AREA)

    @property
    def raw(self) -> np.ndarray | None:
        """The photo on the sheet as it was taken, upright; None until it is read at full size."""
        photo, raw = self.session.photo, self._raw
        return raw[1].pixels if photo is not None and raw is not None and raw[0] == photo.digest else None

    @property
    def backdrop(self) -> tuple[Array, Array]:
        """The portrait's backdrop, encoded sRGB, at top and foot."""
        c = self.session.commission
        top, foot = c.backdrop_hexes if c else ("#ffffff", "#ffffff")
        return parse_hex(top), parse_hex(foot)

    def alpha(self, photo: Photo, pixels: np.ndarray, token: Token) -> Array | None:
        """Coverage of the animal at the size of ``pixels`` (as decoded), found once for each cut."""
        if len(photo.prep.outline) < 3:
            return None
        sign = (photo.digest, photo.prep.cut)
        kept = self._alpha
        if kept is None or kept[0] != sign:
            k = min(1.0, _ALPHA_SIDE / max(pixels.shape[:2]))
            small = cv2.resize(pixels, (round(pixels.shape[1] * k), round(pixels.shape[0] * k)), interpolation=cv2.INTER_AREA)
            found = coverage(turn_pixels(small, photo.prep), photo.prep, photo.width_px, token)
            assert found is not None
            if max(small.shape[:2]) < 1000 and photo.width_px > pixels.shape[1]:
                return cv2.resize(found, pixels.shape[1::-1], interpolation=cv2.INTER_LINEAR)
            token.check()
            self._alpha = kept = (sign, found)
        found = kept[1]
        if found.shape == pixels.shape[:2]:
            return found
        return np.clip(cv2.resize(found, pixels.shape[1::-1], interpolation=cv2.INTER_CUBIC), 0, 1)

    @property
    def cover(self) -> Array | None:
        """Coverage of the animal as it was found last for the photo on the sheet, at its own size; None before."""
        photo, kept = self.session.photo, self._alpha
        return kept[1] if photo is not None and kept is not None and kept[0] == (photo.digest, photo.prep.cut) else None

    # -- other photos of the commission ---------------------------------------
    def other(self, photo: Photo) -> View | None:
        """A copy of another photo, prepared; None while it is being made (`Session.other_ready` tells)."""
        sign = (photo.digest, photo.prep.pixels, self.session.commission.backdrop_hexes if self.session.commission else ())
        kept = self._others.get(photo.id)
        if kept is not None and kept[0] == sign:
            return kept[1]

        def work(token: Token) -> View:
            return View.of(self.copy_of(photo, token), photo.size, (), token)

        def keep(view: View) -> None:
            self._others[photo.id] = (sign, view)
            self.session.other_ready.emit(photo.id)

        self.session.jobs.run(f"other {photo.id}", f"Opening {photo.original_name}", work, keep, quiet=True)
        return None

    def copy_of(self, photo: Photo, token: Token) -> np.ndarray:
        """A prepared copy of any photo of the commission, at preview size; for work off the interface thread."""
        picture = self.session.store.read_photo(photo, PREVIEW_SIDE, token)
        return prepare(picture.pixels, photo.prep, photo.width_px, self.backdrop, None, token)

    # -- looks --------------------------------------------------------------
    def want_look(self, name: str) -> None:
        """Make a look of the photo ready; `Session.look_ready` tells when it is."""
        session, view = self.session, self.session.view
        if view is None:
            return
        maths, photo = LOOKS[name][3], session.photo
        if maths is None:
            self._want_forecast(view)
            return
        if name in view.looks:
            session.look_ready.emit(name)
            return
        assert photo is not None
        steps, only = session.shape_steps, session.shape_only
        backdrop, kept = self.backdrop, self.cover

        def work(token: Token) -> np.ndarray:
            pixels = view.preview()
            alpha = kept
            if alpha is None and name == "backdrop":
                h, w = pixels.shape[:2]
                ring = photo.prep.outline or ((w * 0.04, h * 0.04), (w * 0.96, h * 0.04), (w * 0.96, h * 0.96), (w * 0.04, h * 0.96))
                k = pixels.shape[1] / photo.width_px if photo.prep.outline else 1.0
                alpha = isolate(pixels, tuple((x * k, y * k) for x, y in ring), token=token)
            if alpha is not None and alpha.shape != pixels.shape[:2]:
                alpha = cv2.resize(alpha, pixels.shape[1::-1], interpolation=cv2.INTER_AREA)
            return screen(maths(LookSource(pixels, alpha, view.plain, steps, only, backdrop)))

        def done(image: np.ndarray) -> None:
            view.looks[name] = image
            if session.view is view:
                session.look_ready.emit(name)

        session.jobs.run(f"look {name}", LOOKS[name][0], work, done, quiet=True)

    # -- the portrait after some of its layers -----------------------------------
    def _layers_laid(self) -> dict[str, tuple[Layer, ...]]:
        """What of each area's recipe is taken as laid: at the easel what is done, in Recipe all, of the chosen area up to the chosen layer."""
        session = self.session
        c = session.commission
        out = {}
        log = session.planner.log() if c is not None and c.stage == "Easel" else None
        for a in session.areas:
            layers = session.recipe_layers(a.id)
            if log is not None:
                layers = account.laid(a.id, layers, log, session.kit)
            elif a.id == session.area_id and c is not None and c.stage == "Recipe":
                layers = layers[: session.layer_at + 1]
            if layers:
                out[a.id] = layers
        return out

    def foretold(self, view: View, laid: Mapping[str, tuple[Layer, ...]]) -> Callable[[Token], np.ndarray]:
        """Work for any thread that paints the sheet with these layers by area, in the photo's own lightness, (h, w, 3) uint8.

        An area that is not measured is left out.
        """
        session = self.session
        kit, paper, size = session.kit, session.paper, view.size
        parts = []
        for a in sorted(session.areas, key=lambda a: (a.level, -abs(ring_area(a.ring)))):
            m, targets = session.measures(a.id), session.targets(a.id)
            if a.id in laid and m is not None and targets is not None:
                parts.append((a, targets, laid[a.id], session.drawing(a.id)))

        def work(token: Token) -> np.ndarray:
            pixels = view.preview(_FORECAST_SIDE)
            h, w = pixels.shape[:2]
            k = w / size[0]
            curve = lambda a, r: (smooth_ring(r) if a.smooth else np.asarray(r, float)) * k  # noqa: E731
            areas = []
            for n, (a, targets, layers, drawing) in enumerate(parts):
                token.report(0.8 * n / max(1, len(parts)), f"Laying {a.name}")
                told = follow(paper, kit, layers, targets)
                inside = fill_ring(curve(a, a.ring), h, w)
                for hole in a.holes:
                    inside &= ~fill_ring(curve(a, hole), h, w)
                assert drawing is not None
                drawn = drawing((h, w), (0.0, 0.0), k)
                areas.append(LaidArea(inside, drawn, {b: told.band(b).lab for b in drawn.photo}))
            return lab_to_bytes(portrait(bytes_to_lab(pixels).astype(float), bare(paper).lab, areas))

        return work

    def _want_forecast(self, view: View) -> None:
        session, laid = self.session, self._layers_laid()
        if not laid:
            session.messages.remark("Nothing is laid yet that could be shown.")
            return
        waiting = [key for key in laid if session.measures(key) is None]
        for key in waiting:
            session.want_measures(key)
        sign = (tuple(laid.items()), session.kit_id, session.paper, tuple(sorted(waiting)), session.areas)
        if "forecast" in view.looks and self._forecast == sign:
            session.look_ready.emit("forecast")
            return
        view.looks.pop("forecast", None)
        foretold = self.foretold(view, laid)
        work = lambda token: screen(foretold(token))  # noqa: E731

        def done(image: np.ndarray) -> None:
            view.looks["forecast"] = image
            self._forecast = sign
            if session.view is view:
                session.look_ready.emit("forecast")

        session.jobs.run("look forecast", "Laying the layers", work, done, quiet=True)


def _both(cut: Array | None, clear: np.ndarray | None, photo: Photo, shape: tuple[int, ...]) -> Array | None:
    """How much of each pixel is animal (h, w), 0–1: what was cut out of what the file itself holds; None where everything may be."""
    if clear is None:
        return cut
    own = cv2.resize(clear, shape[::-1], interpolation=cv2.INTER_AREA if clear.shape[0] > shape[0] else cv2.INTER_LINEAR)
    own = turn_pixels(own, photo.prep).astype(float) / 255
    return own if cut is None else np.minimum(cut, own)
