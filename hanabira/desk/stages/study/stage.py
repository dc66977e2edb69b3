"""Study: the photo on the sheet, its settings, ways to look at it, the grid and the true-size print."""

from __future__ import annotations

from typing import TYPE_CHECKING

from hanabira.core.area import measures as area_measures
from hanabira.core.area.shape import Point, rectangle
from hanabira.core.colour import spaces
from hanabira.core.faults import Fault
from hanabira.core.study import framing, neutral, prepare
from hanabira.core.study import warmth as warmths
from hanabira.core.study.grid import Grid
from hanabira.core.study.preparation import Light
from hanabira.desk.gestures.marks import PickSpot, Ruler, Spots, Stroke
from hanabira.desk.gestures.outlines import Frame, Gesture, Loop, ShownRing
from hanabira.desk.stage import PictureStage
from hanabira.desk.stages.study import cards as study_cards
from hanabira.desk.widgets.roll import Way
from hanabira.desk.widgets.study_marks import CutOver, GridOver, LightOver
from hanabira.session.edits import FramePhoto, SetPrep, TurnPhoto, WholePhoto

if TYPE_CHECKING:
    import numpy as np

    from hanabira.core.token import Token
    from hanabira.desk.window import Desk

WAYS = (
    Way("look", "squint", "Look", "1", "Drag to move the view, wheel to come nearer"),
    Way("frame", "frame", "Frame", "2", "Drag the photo under the sheet, wheel to scale it; straighten it, set its focal point"),
    Way("light", "sun", "Lamp", "3", "Take a coloured cast out, set the exposure, say where the lamp or the sun stands"),
    Way("cut", "backdrop", "Cut out", "4", "Draw roughly round the animal to put the portrait’s backdrop behind it"),
    Way("grid", "grid", "Grid and print", "5", "Measure on the paper, lay a grid over the picture, print it at true size"),
)
TOOLS = {"frame": "move", "light": "pick", "cut": "outline", "grid": "line"}
"""The tool of each way that is in hand first."""


class StudyStage(PictureStage):
    """Looks to hold or pin, the value under the pointer, and what was set on the photo."""

    name = "Study"
    without = "Add the client’s photo first, in Brief."

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk, WAYS)
        self.roll.way_chosen.connect(self.choose_way)
        self.session.animal_changed.connect(self._if_open)
        self.way, self.tools = "look", dict(TOOLS)
        self.known_hex = "#27324f"
        self.gestures: dict[str, Gesture] = {
            "move": Frame(self._framed, lambda: self.session.photo.size if self.session.photo else (1, 1), self._least, self._closest),
            "level": Spots(2, self._leveled),
            "focal": PickSpot(self._focal),
            "pick": PickSpot(self.pick_neutral),
            "known": PickSpot(self.pick_known),
            "sun": Spots(2, self._sun_line),
            "outline": Loop(lambda ring, _smooth: self.cut_out(ring), lambda _at: False),
            "keep": Stroke(lambda line: self._stroke("keep", line), 3.0),
            "drop": Stroke(lambda line: self._stroke("drop", line), 3.0),
            "line": Ruler(2, lambda _points: None),
            "angle": Ruler(3, lambda _points: None),
        }
        prep = lambda: self.session.photo.prep if self.session.photo else None  # noqa: E731
        self.mat.overlays = [
            GridOver(lambda: self.grid if self.grid_on else None),
            LightOver(prep, lambda: self.way == "frame"),
            CutOver(prep, lambda: self.way == "cut"),
        ]
        self._whole: tuple[object, area_measures.Measures] | None = None
        self._warmth: tuple[object, warmths.Warmth] | None = None

    # -- ways and tools ----------------------------------------------------------
    def choose_way(self, way: str) -> None:
        """Take another pencil from the roll; the bench card follows."""
        self.way = way
        for gesture in self.gestures.values():
            gesture.cancel()
        self.mat.gesture = self.gestures.get(self.tools.get(way, ""))
        self.roll.choose(way)
        self.mat.refresh()
        if self.open:
            self.refresh()

    def choose_tool(self, tool: str) -> None:
        """Take another tool of the way in hand."""
        self.tools[self.way] = tool
        self.choose_way(self.way)

    # -- frame ---------------------------------------------------------------------
    def _framed(self, crop: tuple[float, float, float, float], gesture: int) -> None:
        if self.session.photo:
            self.session.do(FramePhoto(self.session, self.session.photo, crop, gesture))

    def _least(self) -> float:
        """The narrowest frame of the photo, in its pixels."""
        photo, c = self.session.photo, self.session.commission
        return framing.least_width(photo.size, c.picture_mm) if photo is not None and c is not None else 1.0

    def _closest(self) -> None:
        photo, c = self.session.photo, self.session.commission
        if photo is not None and c is not None:
            fine = photo.crop[2] / c.picture_mm[0]
            self.session.messages.remark(f"Closer than this the photo has nothing to show: {fine:.1f} px a mm.")

    def whole(self) -> None:
        """Show as much of the photo as the sheet's proportions allow."""
        if self.session.photo:
            self.session.do(WholePhoto(self.session, self.session.photo))

    def turn(self, tilt_deg: float, mirrored: bool | None = None, gesture: str = "") -> None:
        """Straighten or turn over; everything drawn stays with the animal."""
        photo = self.session.photo
        if photo is not None:
            over = photo.prep.mirrored if mirrored is None else mirrored
            if (tilt_deg, over) != photo.prep.geometry:
                self.session.do(TurnPhoto(self.session, photo, tilt_deg, over, gesture))

    def _leveled(self, points: tuple[Point, ...]) -> None:
        photo = self.session.photo
        if photo is not None:
            more = prepare.level_tilt(points[0], points[1])
            self.turn(photo.prep.tilt_deg + (-more if photo.prep.mirrored else more))

    def mirror(self) -> None:
        """Turn the photo over for good (the look only shows it)."""
        if self.session.photo is not None:
            self.turn(self.session.photo.prep.tilt_deg, not self.session.photo.prep.mirrored)

    def _focal(self, at: Point) -> None:
        if self.session.photo is not None:
            self.session.do(SetPrep(self.session, self.session.photo, "focal point", focal=at))

    def to_third(self, column: int, row: int) -> None:
        """Move the frame so that the focal point lies on a third."""
        photo = self.session.photo
        if photo is not None and photo.prep.focal is not None:
            crop = prepare.focal_crop(photo.crop, photo.size, photo.prep.focal, (column, row))
            self.session.do(FramePhoto(self.session, photo, crop))

    # -- light -----------------------------------------------------------------------
    def _before_light(self, at: Point) -> np.ndarray | None:
        """Colour of a place as it was taken: the light's setting must not be measured through itself."""
        photo, raw = self.session.photo, self.session.darkroom.raw
        if photo is None or raw is None:
            return None
        import cv2
        import numpy as np

        m = cv2.invertAffineTransform(prepare.matrix(photo.size, *photo.prep.geometry))
        x, y = m @ [at[0], at[1], 1]
        k = raw.shape[1] / photo.width_px
        cx, cy, n = int(x * k), int(y * k), max(4, round(4 * k))
        patch = raw[max(0, cy - n) : cy + n + 1, max(0, cx - n) : cx + n + 1].reshape(-1, 3)
        return np.median(patch, 0) / 255 if len(patch) else None

    def pick_neutral(self, at: Point) -> None:
        """Take the cast out by a place that is really grey or white."""
        colour = self._before_light(at)
        if colour is None:
            self.desk.say("That place lies outside the photo.", "The light stays as it is.", "Pick something grey on the picture.")
            return
        try:
            self.session.animal.set_white(neutral.from_pick(colour), "a grey or white place")
        except Fault as fault:
            self.session.messages.fault(fault)

    def pick_known(self, at: Point) -> None:
        """Take the cast out by a place whose true colour the client told."""
        colour = self._before_light(at)
        if colour is not None:
            try:
                self.session.animal.set_white(
                    neutral.from_known(colour, spaces.srgb_to_lab(spaces.parse_hex(self.known_hex))), f"a patch known as {self.known_hex}"
                )
            except Fault as fault:
                self.session.messages.fault(fault)

    def automatic_light(self) -> None:
        """Guess the light from the whole photo."""
        raw = self.session.darkroom.raw
        if raw is not None:
            try:
                white = neutral.automatic(raw)
            except Fault as fault:
                self.session.messages.fault(fault)
                return
            self.session.animal.set_white(white, "a guess from the whole photo")

    def as_taken(self) -> None:
        """Back to the light as the camera took it; the exposure too."""
        photo = self.session.photo
        if photo is not None and not photo.prep.light.as_taken:
            self.session.do(SetPrep(self.session, photo, "light", light=Light(), light_how=""))

    def expose(self, stops: float) -> None:
        """Set the exposure."""
        from dataclasses import replace

        photo = self.session.photo
        if photo is not None and stops != photo.prep.light.exposure:
            light = replace(photo.prep.light, exposure=stops)
            self.session.do(SetPrep(self.session, photo, "exposure", "exposure", light=light))

    def _sun_line(self, points: tuple[Point, ...]) -> None:
        import math

        (ax, ay), (bx, by) = points
        self.set_sun(math.degrees(math.atan2(by - ay, ax - bx)) % 360)

    def set_sun(self, degrees: float | None) -> None:
        """Say where the light comes from."""
        if self.session.photo is not None:
            self.session.do(SetPrep(self.session, self.session.photo, "direction of the light", sun_deg=degrees))

    # -- cut out -----------------------------------------------------------------------
    def cut_out(self, ring: ShownRing) -> None:
        """A rough outline was drawn: cut the animal out and put the backdrop behind it."""
        if self.session.photo is not None:
            self.session.do(SetPrep(self.session, self.session.photo, "cut-out", outline=tuple(ring), keep=(), drop=(), cut_out=True))

    def _stroke(self, which: str, line: ShownRing) -> None:
        photo = self.session.photo
        if photo is None:
            return
        if len(photo.prep.outline) < 3:
            self.desk.say("There is no outline to correct yet.", "Nothing was changed.", "Draw roughly round the animal first.")
            return
        self.session.do(SetPrep(self.session, photo, f"{which} stroke", **{which: (*getattr(photo.prep, which), line)}))

    def show_cut(self, on: bool) -> None:
        """Put the backdrop behind the animal, or show the photo as taken; the outline is kept."""
        if self.session.photo is not None and on != self.session.photo.prep.cut_out:
            self.session.do(SetPrep(self.session, self.session.photo, "backdrop", cut_out=on))

    def forget_cut(self) -> None:
        """Drop the outline and its strokes."""
        if self.session.photo is not None and self.session.photo.prep.outline:
            self.session.do(SetPrep(self.session, self.session.photo, "cut-out", outline=(), keep=(), drop=(), cut_out=False))

    # -- grid ----------------------------------------------------------------------------
    @property
    def grid(self) -> Grid:
        """The grid as it is set."""
        s = self.session.settings
        return Grid(s.get("grid_mm"), s.get("grid_diagonals"), s.get("grid_numbers"))

    @property
    def grid_on(self) -> bool:
        """Whether it lies over the picture."""
        return self.session.settings.get("grid_on")

    def set_grid(self, key: str, value: object) -> None:
        """Change one setting of the grid."""
        self.session.settings.set(key, value)
        self.mat.refresh()
        self.refresh()

    # -- bench -----------------------------------------------------------------------------
    def next(self) -> None:
        if self.session.photo:
            self.desk.go("Areas")
        else:
            self.desk.ask_photo()

    def refresh(self) -> None:
        self.show_sheet()
        study_cards.fill(self)

    def whole_measures(self) -> area_measures.Measures | None:
        """Values and colours of what lies on the sheet, read off the interface thread."""
        photo, view = self.session.photo, self.session.view
        if photo is None or view is None:
            return None
        sign = (photo.digest, photo.crop, photo.prep.pixels, id(view))
        if self._whole and self._whole[0] == sign:
            return self._whole[1]
        pixels = view.preview(900)
        k = pixels.shape[1] / photo.width_px
        ring, coverage = rectangle(*(v * k for v in photo.crop)), view.coverage

        def work(token: Token) -> area_measures.Measures:
            return area_measures.measure(pixels, ring, None, None, hair=False, token=token, coverage=coverage)

        def done(m: area_measures.Measures) -> None:
            self._whole = (sign, m)
            if self.open:
                self.refresh()

        self.session.jobs.run("study measures", "Reading the picture’s values", work, done, quiet=True)
        return None

    def warmth(self) -> warmths.Warmth | None:
        """How warm and cool lie on the animal, against its own middle; None until it is read."""
        photo, view = self.session.photo, self.session.view
        if photo is None or view is None:
            return None
        sign = (photo.digest, photo.prep.pixels, id(view))
        if self._warmth and self._warmth[0] == sign:
            return self._warmth[1]
        pixels, cover = view.preview(), self.session.darkroom.cover

        def done(found: warmths.Warmth) -> None:
            self._warmth = (sign, found)
            if self.open:
                self.refresh()

        self.session.jobs.run("warmth", "Weighing warm and cool", lambda _t: warmths.warmth_map(pixels, cover)[1], done, quiet=True)
        return None
