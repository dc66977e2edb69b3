"""Study: the photo on the sheet, ways to look at it, and the frame."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QHBoxLayout

from hanabira.core.area.measures import Measures, measure
from hanabira.core.area.shape import rectangle
from hanabira.core.token import Token
from hanabira.desk.commands import ChoosePhoto, FramePhoto, RemovePhoto, WholePhoto
from hanabira.desk.controls import Caption, PetalButton, Words
from hanabira.desk.gestures import Frame, Gesture
from hanabira.desk.stages.base import PictureStage
from hanabira.desk.theme import u
from hanabira.desk.widgets.measure_cards import Shares, ValuePatches
from hanabira.desk.widgets.roll import Way
from hanabira.desk.widgets.rose import PetalRose, petals_of

if TYPE_CHECKING:
    from hanabira.desk.window import Desk

WAYS = (
    Way("look", "squint", "Look", "1", "Drag to move the view, wheel to come nearer"),
    Way("frame", "frame", "Frame", "2", "Drag the photo under the sheet, wheel to scale it"),
)


class Study(PictureStage):
    """Looks to hold or pin, the value under the pointer, the frame, and the picture's values as a whole."""

    name = "Study"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk, WAYS)
        self.mat.empty_words = "Add the client’s photo first, in Brief."
        self.roll.way_chosen.connect(self.choose_way)
        self._frame = Frame(self._framed, lambda: (self.model.photo.width_px, self.model.photo.height_px) if self.model.photo else (1, 1))
        self._whole: tuple[object, Measures] | None = None

    def choose_way(self, way: str) -> None:
        """Take another pencil from the roll."""
        gesture: Gesture | None = self._frame if way == "frame" else None
        self.mat.gesture = gesture
        self.roll.choose(way)
        self.mat.refresh()

    def _framed(self, crop: tuple[float, float, float, float], gesture: int) -> None:
        if self.model.photo:
            self.model.do(FramePhoto(self.model, self.model.photo, crop, gesture))

    def whole(self) -> None:
        """Show as much of the photo as the sheet's proportions allow."""
        if self.model.photo:
            self.model.do(WholePhoto(self.model, self.model.photo))

    def next(self) -> None:
        if self.model.photo:
            self.desk.go("Areas")
        else:
            self.desk.ask_photo()

    def refresh(self) -> None:
        self.show_sheet()
        photo, c, bench = self.model.photo, self.model.commission, self.desk.bench
        if photo is None or c is None:
            bench.head.set("", "No photo yet", "The client’s photo is the first thing needed")
            bench.set_parts([Words("JPEG, PNG, TIFF, WebP and HEIC can be read. The file stays as it is; the studio keeps a copy.")])
            self.desk.set_next("Add the client’s photo", "photo")
            self.desk.mark_values(None)
            return
        k = photo.crop[2] / c.picture_mm[0]
        bench.head.set("", photo.original_name, f"{photo.width_px} × {photo.height_px} px · {k:.1f} px a mm of paper")
        fine = (
            "Fine enough for single hairs."
            if k >= 4
            else "Good for fur; the finest hairs are missing."
            if k >= 2
            else "Coarse: ask the client for a larger file."
        )
        parts: list = [
            Words(fine),
            Caption("Frame"),
            Words(f"{100 * photo.crop[2] * photo.crop[3] / (photo.width_px * photo.height_px):.0f} % of the photo lies on the sheet."),
        ]
        row = QHBoxLayout()
        whole = PetalButton("As much as fits", "frame", tip="Show as much of the photo as the sheet’s proportions allow")
        whole.clicked.connect(self.whole)
        row.addWidget(whole)
        row.addStretch(1)
        parts.append(row)
        m = self._measures()
        if m is not None:
            petals = petals_of(m)
            rose, shares = PetalRose(petals), Shares(petals)
            shares.pointed.connect(rose.lift)
            pair = QHBoxLayout()
            pair.setSpacing(u(10))
            pair.addWidget(rose)
            pair.addWidget(shares, 1)
            opened = Caption("Values of the picture", "how measured")
            opened.opened.connect(lambda: self.desk.explain("values"))
            parts += [opened, ValuePatches(m), Caption("Its colours"), pair]
            self.desk.mark_values({b: float(v[0]) for b, v in m.values.band_lab.items()})
        else:
            self.desk.mark_values(None)
        if len(self.model.photos) > 1:
            parts.append(Caption("Other photos"))
            for other in self.model.photos[1:]:
                line = QHBoxLayout()
                use = PetalButton(other.original_name, "photo", tip="Work from this photo")
                use.clicked.connect(lambda _=False, q=other: self.model.do(ChoosePhoto(self.model, q)))
                away = PetalButton("Remove", "away", tip="Take this photo off the commission")
                away.clicked.connect(lambda _=False, q=other: self.model.do(RemovePhoto(self.model, q)))
                line.addWidget(use, 1)
                line.addWidget(away)
                parts.append(line)
        bench.set_parts(parts)
        self.desk.set_next("Draw the areas", "loop")

    def _measures(self) -> Measures | None:
        """Values and colours of what lies on the sheet, read off the interface thread."""
        photo, view = self.model.photo, self.model.view
        if photo is None or view is None:
            return None
        sign = (photo.digest, photo.crop)
        if self._whole and self._whole[0] == sign:
            return self._whole[1]
        pixels = view.preview(900)
        k = pixels.shape[1] / photo.width_px
        ring = rectangle(*(v * k for v in photo.crop))

        def work(token: Token) -> Measures:
            return measure(pixels, ring, None, None, hair=False, token=token)

        def done(m: Measures) -> None:
            self._whole = (sign, m)
            if self.open:
                self.refresh()

        self.model.jobs.run("study measures", "Reading the picture’s values", work, done, quiet=True)
        return None
