"""Drawn over the picture: outlines with margin names, the combing, where a layer goes."""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING

import cv2
import numpy as np
import shapely
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPixmap, QPolygonF

from hanabira.core.area.shape import cut
from hanabira.core.colour import spaces
from hanabira.core.places.place import Places, labels_at
from hanabira.core.solver.layer import WHERE, Layer
from hanabira.desk.gestures.outlines import ring_path
from hanabira.desk.paint import LEFT, RIGHT, disc, hair, painting, text, two_tone, width
from hanabira.desk.theme import role, scale
from hanabira.studio.overlaps import box_of, curve_of, drawn

if TYPE_CHECKING:
    from hanabira.core.area.hair import HairField
    from hanabira.core.area.measures import Measures
    from hanabira.desk.widgets.mat import Mat
    from hanabira.studio.records import Area


ROW = 50.0
ELBOW = 12.0
_STRAIGHT_PX = 0.3
"""Device pixels by which an outline may be straightened."""


@dataclass
class SpotMark:
    """Where an area's number and its margin name stand, in design pixels."""

    area: Area
    at: QPointF
    left: bool
    y: float
    rect: QRectF


APART = 17.0
"""Discs nearer than this would hide each other: on a small picture the later ones give way until it is looked at nearer."""


def _apart(spots: list[SpotMark], chosen: str) -> list[SpotMark]:
    """Spots whose discs can be told apart, the chosen one first, drawn last."""
    kept: list[SpotMark] = []
    for s in sorted(spots, key=lambda s: (s.area.id != chosen, s.area.number)):
        if all(math.hypot(s.at.x() - q.at.x(), s.at.y() - q.at.y()) >= APART for q in kept):
            kept.append(s)
    return kept[::-1]


class DrawnOnce:
    """A drawing over the mat that is made once for each view of what it shows: choosing, pointing and measuring repaint the mat often."""

    def __init__(self) -> None:
        self._of: tuple[object, ...] = ()
        self._sign: object = None
        self._image: QPixmap | None = None

    def __call__(
        self, p: QPainter, mat: Mat, of: tuple[object, ...], draw: Callable[[QPainter, float], object], sign: tuple[object, ...] = ()
    ) -> None:
        """Show what ``draw`` makes with a painter at so many screen pixels to a design pixel. It is made anew where one of the things ``of``
        is another one, ``sign`` is unlike, or the sheet lies otherwise.
        """
        t, device = mat.from_photo, p.device()
        ratio = scale() * (device.devicePixelRatioF() if device is not None else 1.0)
        if mat.turn_deg:  # a picture of the window's size does not reach its turned corners, and is blurred by turning
            draw(p, ratio)
            return
        sign = (*sign, (t.m11(), t.m12(), t.m21(), t.m22(), t.dx(), t.dy()), mat.inner.getRect(), mat.width(), mat.height(), ratio)
        same = len(of) == len(self._of) and all(a is b for a, b in zip(of, self._of, strict=True))
        if self._image is None or not same or sign != self._sign:
            image = QPixmap(max(1, round(mat.width() / scale() * ratio)), max(1, round(mat.height() / scale() * ratio)))
            image.setDevicePixelRatio(ratio)
            image.fill(Qt.GlobalColor.transparent)
            with painting(image) as q:
                q.setRenderHint(QPainter.RenderHint.Antialiasing)
                draw(q, ratio)
            self._of, self._sign, self._image = of, sign, image
        p.drawPixmap(QPointF(0, 0), self._image)


SEWN, BASTED = (5, 3), (11, 8)
"""Stitches of outlines: of areas, and of what is only proposed (length, gap)."""


class Outlines:
    """Every area's outline and number; names stand in the mat's margins on thin leaders, as on a botanical plate."""

    def __init__(
        self, areas: Callable[[], Sequence[Area]], chosen: Callable[[], str], note: Callable[[Area], str], names: bool = True,
        loose: Callable[[Area], bool] = lambda _a: False,
    ) -> None:  # fmt: skip
        """``loose`` says which outlines are only basted: proposed, and drawn in long stitches."""
        self.loose = loose
        self.areas, self.chosen, self.note, self.names = areas, chosen, note, names
        self._placed: tuple[Sequence[Area], dict[str, tuple[float, float]]] = ((), {})
        self._standing = DrawnOnce()

    def __call__(self, p: QPainter, mat: Mat) -> None:
        spots = self.spots(mat)
        chosen = self.chosen()
        self._dashed(p, mat)
        for s in spots:
            if s.area.id == chosen:
                two_tone(p, ring_path(s.area.ring, mat, s.area.smooth), 2.4)
        if self.names and mat.roomy:
            # on a turned sheet the margins reach past the window: a name that would be cut is left to its number
            named = [s for s in spots if s.rect.height() > 30 and (not mat.turn_deg or mat.in_sight(self._words(s)))]
            for s in named:
                self._leader(p, s, mat)
            for s in named:
                self._name(p, s, s.area.id == chosen)
        for s in _apart(spots, chosen):
            disc(p, s.at, s.area.number, s.area.id == chosen)

    def _dashed(self, p: QPainter, mat: Mat) -> None:
        """All outlines, dashed."""
        areas = self.areas()

        def draw(q: QPainter, ratio: float) -> None:
            t = mat.from_photo
            # a few steps of tolerance, so that zooming by a little finds the same paths
            tolerance = 2.0 ** math.floor(math.log2(_STRAIGHT_PX / ratio / max(1e-6, math.hypot(t.m11(), t.m12()))))
            for a in areas:
                stitch = BASTED if self.loose(a) else SEWN
                two_tone(q, t.map(_coarse(a.ring, a.smooth, tolerance)), 1.1, list(stitch), 215)

        # names and numbers change without the outlines
        self._standing(p, mat, (), draw, tuple((a.ring, a.smooth, self.loose(a)) for a in areas))

    def _places(self) -> dict[str, tuple[float, float]]:
        """Where every area's number stands in photo pixels; worked out once for each state of the areas."""
        areas = self.areas()
        if self._placed[0] is not areas:
            boxes = np.array([box_of(a.ring, a.smooth) for a in areas]).reshape(-1, 4)
            out = {}
            for k, a in enumerate(areas):
                left, top, right, bottom = boxes[k]
                meet = (boxes[:, 0] <= right) & (boxes[:, 2] >= left) & (boxes[:, 1] <= bottom) & (boxes[:, 3] >= top)
                over = tuple((areas[i].ring, areas[i].smooth) for i in np.flatnonzero(meet).tolist() if i != k)
                out[a.id] = _place(a.ring, a.smooth, a.holes, over)
            self._placed = (areas, out)
        return self._placed[1]

    def spots(self, mat: Mat) -> list[SpotMark]:
        """Places of all numbers and names; names are spread at least `ROW` apart on either side."""
        out: list[SpotMark] = []
        sheet = mat.sheet_rect
        places = self._places()
        for area in self.areas():
            c = mat.photo_px(*places[area.id])
            out.append(SpotMark(area, c, c.x() < sheet.center().x(), c.y(), QRectF()))
        if not self.names or not mat.roomy:
            for s in out:
                s.rect = QRectF(s.at.x() - 12, s.at.y() - 12, 24, 24)
            return out
        inner = mat.inner
        left_edge, right_edge = max(sheet.left(), inner.left()) - ELBOW, min(sheet.right(), inner.right()) + ELBOW
        room_left, room_right = left_edge - inner.left() - 16, inner.right() - right_edge - 16
        for left in (True, False):
            self._spread([s for s in out if s.left == left], inner)
        # a full margin gives names to the other side
        most = max(1, int(inner.height() // ROW))
        for left in (True, False):
            rows = sorted((s for s in out if s.left == left), key=lambda s: abs(s.at.x() - sheet.center().x()))
            for s in rows[: max(0, len(rows) - most)]:
                s.left = not left
        # with both margins full some names give way; their numbers stay on the picture
        keep = self._room_for(out, most)
        for left, room in ((True, room_left), (False, room_right)):
            self._spread([s for s in out if s.left == left and s.area.id in keep], inner)
            for s in out:
                if s.area.id not in keep:
                    s.rect = QRectF(s.at.x() - 12, s.at.y() - 12, 24, 24)
                elif s.left == left:
                    w = max(40.0, room)
                    x = left_edge - 14 - w if left else right_edge + 14
                    s.rect = QRectF(x, s.y - 20, w, 40)
        return out

    def _room_for(self, spots: list[SpotMark], most: int) -> set[str]:
        """Areas whose names find room: the chosen one first, then by working order."""
        keep: set[str] = set()
        for left in (True, False):
            rows = sorted((s for s in spots if s.left == left), key=lambda s: (s.area.id != self.chosen(), s.area.number))
            keep |= {s.area.id for s in rows[:most]}
        return keep

    @staticmethod
    def _spread(rows: list[SpotMark], inner: QRectF) -> None:
        rows.sort(key=lambda s: s.at.y())
        y = inner.top() + 24
        for s in rows:
            s.y = max(y, s.at.y())
            y = s.y + ROW
        low = inner.bottom() - 24
        for s in reversed(rows):
            s.y = min(s.y, low)
            low = s.y - ROW

    def _leader(self, p: QPainter, s: SpotMark, mat: Mat) -> None:
        edge = s.rect.right() + 14 if s.left else s.rect.left() - 14
        path = QPainterPath(QPointF(edge - 10 if s.left else edge + 10, s.y))
        path.lineTo(edge, s.y)
        path.lineTo(s.at)
        p.setPen(QPen(QColor(0, 0, 0, 150), 2.4))
        p.drawPath(path)
        p.setPen(QPen(QColor(255, 255, 255, 235), 1))
        p.drawPath(path)

    def _words(self, s: SpotMark) -> QRectF:
        """What the name and its note take of the margin."""
        n = min(s.rect.width(), max(width(s.area.name, "name"), width(self.note(s.area), "note")))
        return QRectF(s.rect.right() - n if s.left else s.rect.left(), s.y - 20, n, 38)

    def _name(self, p: QPainter, s: SpotMark, here: bool) -> None:
        align = RIGHT if s.left else LEFT
        text(p, QRectF(s.rect.left(), s.y - 20, s.rect.width(), 21), s.area.name, "name", "mat_ink", align, elide=True)
        text(p, QRectF(s.rect.left(), s.y + 1, s.rect.width(), 17), self.note(s.area), "note", "mat_ink", align, elide=True)
        if here:
            n = min(width(s.area.name, "name"), s.rect.width())
            x = s.rect.right() - n if s.left else s.rect.left()
            p.setPen(QPen(role("mat_ink"), 2))
            p.drawLine(QPointF(x, s.y + 20), QPointF(x + n, s.y + 20))


@lru_cache(maxsize=4096)
def _coarse(ring: tuple, smooth: bool, tolerance: float) -> QPainterPath:
    """An outline in photo pixels without the points that cannot be seen: dashing costs by the point."""
    points = drawn(ring, smooth).astype(np.float32)
    if len(points) > 8:
        points = cv2.approxPolyDP(points[:, None], tolerance, True)[:, 0]
    path = QPainterPath()
    path.addPolygon(QPolygonF([QPointF(x, y) for x, y in points.tolist()]))
    path.closeSubpath()
    return path


@lru_cache(maxsize=4096)
def _place(ring: tuple, smooth: bool, holes: tuple, others: tuple) -> tuple[float, float]:
    """A place well inside an area for its number in photo pixels, clear of the smaller areas that lie on it where it can be.

    It depends on outlines only, so it is found once for them.
    """
    own = curve_of(ring, smooth, holes)
    left, top, right, bottom = box_of(ring, smooth)
    wide, high = right - left, bottom - top
    mx, my = sum(q[0] for q in ring) / len(ring), sum(q[1] for q in ring) / len(ring)
    over, at_mean = [], False
    for r, soft in others:
        x0, y0, x1, y1 = box_of(r, soft)
        if (x1 - x0) * (y1 - y0) < wide * high:
            over.append(curve_of(r, soft))
            at_mean = at_mean or bool(x0 <= mx <= x1 and y0 <= my <= y1 and shapely.contains_xy(over[-1], mx, my))
    if not at_mean and shapely.contains_xy(own, mx, my):
        return mx, my
    mean = np.array([mx, my])
    k, j = np.meshgrid(np.arange(1, 12), np.arange(1, 12), indexing="ij")
    spread = np.column_stack([left + wide * ((j.ravel() * 5) % 12) / 12, top + high * ((k.ravel() * 7) % 12) / 12])
    candidates = np.vstack([mean, [(left + right) / 2, (top + bottom) / 2], spread])
    x, y = candidates.T
    inside = shapely.contains_xy(own, x, y)
    free = inside.copy()
    for q in over:
        free &= ~shapely.contains_xy(q, x, y)
    if not free.any():
        at = candidates[np.argmax(inside)] if inside.any() else mean
        return float(at[0]), float(at[1])
    # the nearest free place to the middle, but not at its very edge
    d = 0.06 * math.sqrt(max(1.0, wide * high))
    deep = free & np.logical_and.reduce([shapely.contains_xy(own, x + u, y + v) for u, v in ((d, 0), (-d, 0), (0, d), (0, -d))])
    some = candidates[deep if deep.any() else free]
    at = some[np.argmin(np.hypot(*(some - mean).T))]
    return float(at[0]), float(at[1])


class Combing:
    """The measured hair as strokes at true paper scale; none where the photo shows no direction."""

    def __init__(self, area: Callable[[], Area | None], measures: Callable[[], Measures | None]) -> None:
        self.area, self.measures = area, measures
        self._standing = DrawnOnce()

    def __call__(self, p: QPainter, mat: Mat) -> None:
        area, m = self.area(), self.measures()
        if area is None or m is None or m.field is None or m.hair.direction_deg is None:
            return
        spacing_px = max(2.2 * (m.hair.width_px or 1.5), 2.0)
        way = m.combed.direction_deg if m.combed is not None else None
        field, length_px, spread_deg = m.field, m.hair.length_px or 12.0, m.hair.spread_deg or 0.0
        self._standing(
            p, mat, (area, m), lambda q, _ratio: draw_combing(
                q, mat, area, field=field, origin=m.origin, length_px=length_px, spacing_px=spacing_px, spread_deg=spread_deg, way=way,
            )
        )


def draw_combing(
    p: QPainter,
    mat: Mat,
    area: Area,
    field: HairField,
    origin: tuple[int, int],
    length_px: float,
    spacing_px: float,
    spread_deg: float,
    colour: QColor | None = None,
    way: np.ndarray | None = None,
    allowed: Callable[[float, float], bool] | None = None,
) -> None:
    """Strokes rooted on a jittered grid; spacing as measured, but never under 5 design pixels.

    ``way`` (r, c) is the direction from root to tip where the artist combed; strokes then taper to the tip.
    ``allowed`` keeps roots to places (photo pixels) where a layer goes.
    """
    path = ring_path(area.ring, mat, area.smooth)
    to_screen = mat.zoom * mat.mm_per_px
    pitch = max(spacing_px * to_screen, 5.0) / to_screen
    rng = random.Random(5)
    visible = path.boundingRect().intersected(mat.seen)
    if visible.isEmpty():
        return
    a, b = mat.photo_at(visible.topLeft()), mat.photo_at(visible.bottomRight())
    x_low, x_high = min(a.x(), b.x()), max(a.x(), b.x())
    length = min(length_px, 40 * pitch) * to_screen
    rows, cols = field.sure.shape
    white = colour or QColor(255, 255, 255)
    count = 0
    y = a.y()
    while y < b.y() and count < 6000:
        x = x_low
        while x < x_high:
            u, v = x + rng.uniform(-0.4, 0.4) * pitch, y + rng.uniform(-0.4, 0.4) * pitch
            n, turn, bend = length * rng.uniform(0.75, 1.15), rng.gauss(0, 0.6 * spread_deg), rng.gauss(0, 6)
            i, j = int((v - origin[1]) / field.step_px), int((u - origin[0]) / field.step_px)
            x += pitch * 1.7
            if not (0 <= i < rows and 0 <= j < cols and field.sure[i, j]):
                continue
            q = mat.photo_px(u, v)
            if not path.contains(q) or (allowed is not None and not allowed(u, v)):
                continue
            told = float(way[i, j]) if way is not None else float("nan")
            d = (told if told == told else float(field.direction_deg[i, j])) + turn
            if mat.mirrored:
                d = 180 - d
            start = q - QPointF(math.cos(math.radians(d)), -math.sin(math.radians(d))) * (n / 2)
            hair(
                p, start.x() + 0.5, start.y() + 0.9, ang=d, length=n, c=QColor(0, 0, 0), w=2.4, bend=bend, alpha=150,
            )
            hair(
                p, start.x(), start.y(), ang=d, length=n, c=white, w=1.5, bend=bend, alpha=250,
            )
            count += 1
        y += pitch * 0.95


def band_range(measures: Measures, where: str) -> tuple[float, float]:
    """L* from and to of the places a layer goes to: bands leave gaps between them, which go to the nearer one."""
    order = ("gap", "general", "light", "highlight")
    takes = [b in WHERE[where] for b in order]
    lims = measures.values.limits
    cuts = [(lims["gap"][1] + lims["general"][0]) / 2, (lims["general"][1] + lims["light"][0]) / 2, lims["light"][1]]
    edges = [-1.0, *cuts, 101.0]
    first, last = takes.index(True), len(takes) - 1 - takes[::-1].index(True)
    return edges[first], edges[last + 1]


def layer_picture(
    pixels: np.ndarray, size: tuple[int, int], area: Area, measures: Measures, layer: Layer, places: Places | None
) -> tuple[np.ndarray, QRectF]:
    """The photo round an area drained to pale grey, in full colour only where a layer goes: on its places, or by value in a recipe by values.

    Returns pixels (h, w, 3) uint8 and the rectangle they cover in full photo pixels.
    """
    k = pixels.shape[1] / size[0]
    ring = [(x * k, y * k) for x, y in area.ring]
    region = cut(pixels, ring, area.smooth)
    h, w = region.mask.shape
    pad = int(0.6 * max(h, w))
    x0, y0 = max(0, region.left - pad), max(0, region.top - pad)
    x1, y1 = min(pixels.shape[1], region.left + w + pad), min(pixels.shape[0], region.top + h + pad)
    view = pixels[y0:y1, x0:x1]
    shrink = min(1.0, math.sqrt(1_500_000 / max(1, view.shape[0] * view.shape[1])))
    mask = np.zeros(view.shape[:2], np.uint8)
    mask[region.top - y0 : region.top - y0 + h, region.left - x0 : region.left - x0 + w] = region.mask
    if shrink < 1:
        new = (round(view.shape[1] * shrink), round(view.shape[0] * shrink))
        view, mask = cv2.resize(view, new, interpolation=cv2.INTER_AREA), cv2.resize(mask, new, interpolation=cv2.INTER_NEAREST)
    if layer.on and places is not None:
        numbers = [n for n, p in enumerate(places, 1) if p.id in layer.on]
        there = np.isin(labels_at(places, view.shape[:2], (x0 / k, y0 / k), k * shrink), numbers)
        where_map = cv2.GaussianBlur(there.astype(np.float32), (0, 0), 0.8)
    else:
        lightness = cv2.GaussianBlur(spaces.bytes_to_lab(view)[..., 0], (0, 0), 1.2)
        # the bands of a layer always lie side by side: one stretch of values, soft at its ends
        low, high = band_range(measures, layer.where)
        where_map = np.clip((lightness - low) / 2 + 0.5, 0, 1) * np.clip((high - lightness) / 2 + 0.5, 0, 1)
    soft = cv2.GaussianBlur(mask.astype(np.float32), (0, 0), 1.0)
    where_map = (where_map * soft)[..., None]
    y = (view.astype(np.float32) @ np.array([0.2126, 0.7152, 0.0722], np.float32))[..., None]
    pale, inside = y * 0.55 + 92, y * 0.34 + 136
    base = pale * (1 - soft[..., None]) + inside * soft[..., None]
    out = base * (1 - where_map) + view * where_map
    return np.clip(out, 0, 255).astype(np.uint8), QRectF(x0 / k, y0 / k, (x1 - x0) / k, (y1 - y0) / k)


def grey_base(pixels: np.ndarray) -> np.ndarray:
    """The whole photo drained to the same pale grey."""
    y = pixels.astype(np.float32) @ np.array([0.2126, 0.7152, 0.0722], np.float32)
    return np.repeat(np.clip(y * 0.55 + 92, 0, 255).astype(np.uint8)[..., None], 3, 2)
