"""Drawn over areas: the marking's outline, combing strokes, the anatomy of eyes, noses and whiskers, and a figure's sample."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

import cv2
import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPolygonF

from hanabira.core.colour import spaces
from hanabira.desk.gestures.marks import draw_stroke
from hanabira.desk.paint import two_tone

if TYPE_CHECKING:
    from hanabira.core.area.measures import Measures
    from hanabira.core.area.shape import Point, Region
    from hanabira.core.area.whiskers import Whiskers
    from hanabira.desk.widgets.mat import Mat
    from hanabira.session.view import View
    from hanabira.studio.records import Area

HATCH_PX = 7.0
"""Distance of the hatching over what the photo lost."""


class Tracing:
    """A marking's outline, as it would be traced."""

    def __init__(self, rings: Callable[[], tuple[tuple[Point, ...], ...]]) -> None:
        self.rings = rings

    def __call__(self, p: QPainter, mat: Mat) -> None:
        path = QPainterPath()
        for ring in self.rings():
            for k, q in enumerate(ring):
                path.lineTo(mat.photo_px(*q)) if k else path.moveTo(mat.photo_px(*q))
            path.closeSubpath()
        if not path.isEmpty():
            two_tone(p, path, 1.1)


class CombStrokes:
    """The artist's strokes from root (dot) to tip, while combing."""

    def __init__(self, area: Callable[[], Area | None], on: Callable[[], bool]) -> None:
        self.area, self.on = area, on

    def __call__(self, p: QPainter, mat: Mat) -> None:
        area = self.area()
        if area is not None and self.on():
            for line in area.combing:
                draw_stroke(p, mat, line, 2.0, arrow=True)


class Lost:
    """Where the photo is burnt out or crushed: hatched, so that nobody takes it for a colour."""

    def __init__(self, measures: Callable[[], Measures | None]) -> None:
        self.measures = measures

    def __call__(self, p: QPainter, mat: Mat) -> None:
        m = self.measures()
        if m is not None:
            hatch(p, mat, m.clipping.rings)


class Uncovered:
    """What of the animal lies under no area: hatched wide and the other way, since no plan speaks of it."""

    def __init__(self, gaps: Callable[[], Sequence[Sequence[Point]]]) -> None:
        self.gaps = gaps

    def __call__(self, p: QPainter, mat: Mat) -> None:
        hatch(p, mat, self.gaps(), 2.6 * HATCH_PX, False)


def hatch(p: QPainter, mat: Mat, rings: Sequence[Sequence[Point]], step: float = HATCH_PX, rising: bool = True) -> None:
    """Slanting lines over some rings of photo points."""
    if not rings:
        return
    path = QPainterPath()
    for ring in rings:
        path.addPolygon(QPolygonF([mat.photo_px(*q) for q in ring]))
        path.closeSubpath()
    p.save()
    p.setClipPath(path, Qt.ClipOperation.IntersectClip)
    box, lines = path.boundingRect(), QPainterPath()
    at = box.left() - box.height()
    while at < box.right():
        low, high = (box.bottom(), box.top()) if rising else (box.top(), box.bottom())
        lines.moveTo(at, low)
        lines.lineTo(at + box.height(), high)
        at += step
    two_tone(p, lines, 0.9)
    p.restore()
    two_tone(p, path, 0.9, [2, 3])


class Anatomy:
    """What was found in an eye, a nose or a whisker pad."""

    def __init__(self, measures: Callable[[], Measures | None], tip: Callable[[], Point | None] = lambda: None) -> None:
        """``tip`` is an ear's, set or proposed."""
        self.measures, self.tip = measures, tip

    def __call__(self, p: QPainter, mat: Mat) -> None:
        m = self.measures()
        if m is None:
            return
        k = mat.mm_per_px * mat.zoom
        tip = self.tip()
        if tip is not None:
            path = QPainterPath()
            path.addEllipse(mat.photo_px(*tip), 6, 6)
            two_tone(p, path, 1.3)
        if m.eye is not None:
            c = mat.photo_px(*m.eye.centre)
            path = QPainterPath()
            path.addEllipse(c, m.eye.iris_px * k, m.eye.iris_px * k)
            if m.eye.pupil_px:
                path.addEllipse(c, m.eye.pupil_px * k, m.eye.pupil_px * k)
            two_tone(p, path, 1.2, [4, 3])
            if m.eye.catchlight is not None:
                a, r = math.radians(m.eye.catchlight.angle_deg), m.eye.catchlight.radius * m.eye.iris_px * k
                at = c + QPointF(math.cos(a) * (-1 if mat.mirrored else 1), -math.sin(a)) * r
                ring = QPainterPath()
                ring.addEllipse(at, 7, 7)
                two_tone(p, ring, 1.4)
        if m.nose is not None and m.nose.nostrils:
            path = QPainterPath()
            spots = [mat.photo_px(*q) for q in m.nose.nostrils]
            for q in spots:
                path.addEllipse(q, 6, 6)
            if len(spots) == 2:
                path.moveTo(spots[0])
                path.lineTo(spots[1])
            two_tone(p, path, 1.3)
        if m.whiskers is not None:
            draw_whiskers(p, mat, m.whiskers)


def draw_whiskers(p: QPainter, mat: Mat, whiskers: Whiskers) -> None:
    """Each whisker from its root to its tip."""
    path = QPainterPath()
    for w in whiskers.found:
        path.moveTo(mat.photo_px(*w.root))
        path.lineTo(mat.photo_px(*w.tip))
    two_tone(p, path, 1.0, [5, 3])


def sample_picture(region: Region, m: Measures, sample: str, view: View) -> tuple[np.ndarray, QRectF]:
    """The area drained to pale grey but for the pixels a figure was read from.

    ``sample`` is ``band general`` and the like, ``colour 2`` for a palette colour, ``hidden 0`` for a hidden hue.
    Returns pixels (h, w, 3) uint8 and the rectangle they cover in full photo pixels.
    """
    shrink = min(1.0, math.sqrt(900_000 / region.mask.size))
    size = (max(1, round(region.mask.shape[1] * shrink)), max(1, round(region.mask.shape[0] * shrink)))
    pixels = cv2.resize(region.pixels, size, interpolation=cv2.INTER_AREA) if shrink < 1 else region.pixels
    mask = cv2.resize(region.mask.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
    lab = spaces.bytes_to_lab(pixels)
    what, _, which = sample.partition(" ")
    if what == "band":
        low, high = m.values.limits[which]
        chosen = (lab[..., 0] >= low) & (lab[..., 0] <= high)
    elif what == "colour":
        weight = np.array([0.6, 1.0, 1.0])
        far = np.stack([(((lab - np.asarray(c.lab)) * weight) ** 2).sum(-1) for c in m.palette])
        chosen = far.argmin(0) == int(which)
    else:
        h = np.asarray(m.hidden[int(which)].lab)
        chosen = (np.hypot(lab[..., 1] - h[1], lab[..., 2] - h[2]) < 7) & (np.abs(lab[..., 0] - h[0]) < 14)
    grey = pixels.astype(np.float32) @ np.array([0.2126, 0.7152, 0.0722], np.float32)
    pale = np.repeat(np.clip(grey * 0.4 + 128, 0, 255).astype(np.uint8)[..., None], 3, 2)
    out = np.where((mask & chosen)[..., None], pixels, np.where(mask[..., None], pale, pixels))
    k = view.scale
    return out.astype(np.uint8), QRectF(region.left / k, region.top / k, region.mask.shape[1] / k, region.mask.shape[0] / k)
