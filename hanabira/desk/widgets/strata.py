"""Strata: a recipe as a cut through the paper, tooth at the bottom, open tooth on top."""

from __future__ import annotations

import math
import random
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from hanabira.desk import icon as icons
from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import LEFT, RIGHT, bed, hair, hatch, mapped, swatch, text, width
from hanabira.desk.theme import THIN, role, scale

if TYPE_CHECKING:
    from hanabira.core.colour.spaces import Array

HEAD_H, PAPER_H, TOP_H = 92.0, 46.0, 92.0
LEAST_ROW, MOST_ROW = 46.0, 57.0
LEFT_W, CORE_W = 176.0, 112.0
FULL_W, LEAST_W = 412.0, 312.0
NARROW = 27.0
"""What the words beside the cut give up in a narrow view, before the cut itself does."""


@dataclass(frozen=True)
class Stratum:
    """One layer as the strata draw it. ``uses`` share of the tooth in this band; ``here`` whether it goes into the band."""

    code: str
    role: str
    pencil: str
    masstone: Array | None
    pressure: int
    passes: int
    stroke: str
    after: Array
    uses: float
    here: bool
    caution: str = ""
    at: int = -1
    """Number of the layer, where some are left out."""


@dataclass(frozen=True)
class Cut:
    """A whole recipe in one band or place."""

    name: str
    band: str
    strata: tuple[Stratum, ...]
    paper: Array
    paper_name: str
    target: Array
    figures: str
    words: str
    places: tuple[tuple[str, str], ...] = ()
    """Ids and names of the places that can be shown, from dark to light."""


def mix(a: QColor, b: QColor, t: float) -> QColor:
    """Straight mix of two screen colours; only for the drawing of a band."""
    return QColor(*(round(x + (y - x) * t) for x, y in zip(a.getRgb()[:3], b.getRgb()[:3], strict=False)))


class Strata(Drawn):
    """Left: pencil's swatch, code, role. Middle: the cut. Right: touching predicted colours under the target.

    Drag a layer to move it. Keys: arrows choose, Alt with an arrow moves a layer, Delete removes it.
    """

    chosen_layer = pyqtSignal(int)
    band_wanted = pyqtSignal(str)
    move_wanted = pyqtSignal(int, int)
    remove_wanted = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("Section of the layers", parent)
        self.cut: Cut | None = None
        self.chosen = 0
        self._held: tuple[int, QPointF] | None = None
        self._over: int | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self._x = 308.0
        rng = random.Random(8)
        self._bumps = [(rng.uniform(0.5, 1.0), rng.uniform(0, 6.28), f) for f in (0.105, 0.19, 0.31, 0.52)]

    def set(self, cut: Cut | None, chosen: int) -> None:
        """Show a recipe."""
        if cut and any(q.at < 0 for q in cut.strata):
            cut = replace(cut, strata=tuple(replace(q, at=k) for k, q in enumerate(cut.strata)))
        self.cut, self.chosen = cut, chosen
        if cut:
            self.setAccessibleDescription(f"{cut.name}, {cut.band}: {cut.figures}. {cut.words}")
        self.refresh()

    def design_size(self, width: float) -> tuple[float, float]:
        n = len(self.cut.strata) if self.cut else 4
        return LEAST_W, HEAD_H + TOP_H + n * LEAST_ROW + PAPER_H + 24

    # -- layout -----------------------------------------------------------------
    def _row(self, h: float) -> float:
        n = max(1, len(self.cut.strata) if self.cut else 1)
        return max(LEAST_ROW, min(MOST_ROW, (h - HEAD_H - TOP_H - PAPER_H - 24) / n))

    def _given(self, w: float) -> float:
        return min(NARROW, max(0.0, FULL_W - w))

    def _base(self, h: float) -> float:
        return h - 14 - PAPER_H

    def _row_rect(self, k: int, w: float, h: float) -> QRectF:
        row = self._row(h)
        return QRectF(0, self._base(h) - (k + 1) * row, w, row)

    def stops(self, w: float, h: float) -> list[Stop]:
        if self.cut is None:
            return []
        out = []
        for key, name, r in self._tabs(w):
            said = f"Stack in the {name}" + (", shown" if key == self.cut.band else "")
            out.append(Stop(f"band {key}", r, said, f"Show what lies in the {name}", self._call(self.band_wanted.emit, key)))
        for k in range(len(self.cut.strata) - 1, -1, -1):
            q = self.cut.strata[k]
            words = f"Layer {q.at + 1}: {q.role}, {q.code} {q.pencil}, pressure {q.pressure}, {q.passes} pass{'es' if q.passes > 1 else ''}"
            words += f", after it L* {q.after[0]:.0f}" if q.here else ", not laid here"
            words += f". Caution: {q.caution}" if q.caution else ""
            out.append(
                Stop(
                    f"layer {q.at}",
                    self._row_rect(k, w - 1, h).adjusted(2, 1, -2, -1),
                    words,
                    words,
                    self._call(self.chosen_layer.emit, q.at),
                )
            )
        return out

    def _tabs(self, w: float) -> list[tuple[str, str, QRectF]]:
        """The shown place with as many of its neighbours in value as the line holds: id, name, where."""
        assert self.cut is not None
        places = self.cut.places
        at = next((k for k, (key, _n) in enumerate(places) if key == self.cut.band), 0)
        wide = [width(name, "strong") + 18 for _key, name in places]
        low = high = at
        room = w - 32 - (wide[at] if wide else 0)
        while True:
            sides = [k for k in (high + 1, low - 1) if 0 <= k < len(places) and wide[k] + 4 <= room]
            if not sides:
                break
            k = min(sides, key=lambda k: abs(k - at))
            room -= wide[k] + 4
            low, high = min(low, k), max(high, k)
        out, x = [], 18.0
        for k in range(low, high + 1) if places else ():
            out.append((*places[k], QRectF(x, 58, wide[k], 26)))
            x += wide[k] + 4
        return out

    @staticmethod
    def _call(f: Callable, value: object) -> Callable[[], None]:
        return lambda: f(value)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = self._stops[self._current].key if self._stops else ""
        if key.startswith("layer "):
            k = int(key.split()[1])
            alt = event.modifiers() & Qt.KeyboardModifier.AltModifier
            if alt and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
                self.move_wanted.emit(k, self._beside(k, 1 if event.key() == Qt.Key.Key_Up else -1))
                return
            if event.key() == Qt.Key.Key_Delete:
                self.remove_wanted.emit(k)
                return
        super().keyPressEvent(event)
        key = self._stops[self._current].key if self._stops else ""
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down) and key.startswith("layer "):
            self.chosen_layer.emit(int(key.split()[1]))

    # -- dragging a layer ---------------------------------------------------------
    def mousePressEvent(self, event: QMouseEvent) -> None:
        stop = self.at(event.position())
        super().mousePressEvent(event)
        held = stop is not None and stop.key.startswith("layer ") and event.button() == Qt.MouseButton.LeftButton
        self._held = (int(stop.key.split()[1]), event.position()) if held and stop is not None else None
        self._over = None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is not None and (self._over is not None or (event.position() - self._held[1]).manhattanLength() > 10):
            self._over = self._layer_under(event.position())
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            self.update()
            return
        super().mouseMoveEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        held, over, self._held, self._over = self._held, self._over, None, None
        self.setCursor(Qt.CursorShape.ArrowCursor)
        self.update()
        if held is not None and over is not None and over != held[0]:
            self.move_wanted.emit(held[0], over)

    def _beside(self, at: int, by: int) -> int:
        """The number of the layer drawn over (+1) or under (−1) one; one beyond the ends where there is none."""
        drawn = [q.at for q in self.cut.strata] if self.cut else []
        k = drawn.index(at) + by if at in drawn else -1
        return drawn[k] if 0 <= k < len(drawn) else at + by

    def _layer_under(self, at: QPointF) -> int:
        """The layer whose row is nearest to a widget position."""
        rows = [q for q in self._stops if q.key.startswith("layer ")]
        y = at.y() / scale()
        return int(min(rows, key=lambda q: abs(q.rect.center().y() - y)).key.split()[1])

    # -- painting ------------------------------------------------------------------
    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("card"))
        if self.cut is None:
            return
        cut = self.cut
        self._verdict(p, w, cut)
        row, base = self._row(h), self._base(h)
        column = len(cut.strata) * row
        given = self._given(w)
        core = QRectF(LEFT_W - given, 0, CORE_W - (FULL_W - w - given), 0)
        self._x = 308.0 - (FULL_W - w)
        per_percent = min(5.05, (base - HEAD_H - 6) / 100)
        bed(p, QRectF(self._x, base - column - 58, 54, column + 58 + PAPER_H))
        if cut.strata:
            bed(p, QRectF(19, base - column + 8, 32, column - 16))
        used = 100 * sum(q.uses for q in cut.strata)
        self._open(p, core, base - 100 * per_percent, base - used * per_percent, 100 - used, base - column)
        lower = self._edge(base, 0, core)
        paper = mapped(cut.paper)
        self._paper(p, core, lower, base, paper)
        level, fill = base, 0.0
        for k, q in enumerate(cut.strata):
            level -= q.uses * 100 * per_percent
            fill += q.uses
            upper = self._edge(level, min(1.0, fill), core) if q.here and q.uses > 1e-4 else lower
            if q.here:
                self._band(p, q, k, lower, upper, paper)
            self._layer_row(p, q, k, self._row_rect(k, w, h), (lower[0].y() + upper[0].y()) / 2, (lower[-1].y() + upper[-1].y()) / 2, core)
            lower = upper
        self._ends(p, w, base, column, cut, paper)
        if self._held is not None and self._over is not None and self._over != self._held[0]:
            drawn = [q.at for q in cut.strata]
            row_at = self._row_rect(drawn.index(self._over), w, h) if self._over in drawn else QRectF()
            y = row_at.bottom() if self._over < self._held[0] else row_at.top()  # layers grow upward
            p.fillRect(QRectF(6, y - 2, w - 12, 4), role("plum"))

    def _tooth(self, x: float) -> float:
        """Height of the paper's tooth at x, about 0 (valley) to 1 (peak)."""
        v = sum(a * math.sin(f * x + ph) / (1 + 5 * f) for a, ph, f in self._bumps)
        return max(0.0, min(1.0, 0.5 + v * 0.62))

    def _edge(self, level: float, fill: float, core: QRectF) -> list[QPointF]:
        """Top edge of a band: the tooth shows through less the more of it is filled."""
        amp = 30.0 * (1 - fill) ** 1.25 + 2.0
        return [QPointF(x, level - amp * (self._tooth(x) - 0.5)) for x in range(int(core.left()), int(core.right()) + 1, 2)]

    def _verdict(self, p: QPainter, w: float, cut: Cut) -> None:
        n = width(cut.figures, "strong")
        if w >= FULL_W - 40:  # the bench's head says the name as well
            text(p, QRectF(18, 10, w - n - 44, 22), cut.name, "name", "ink", elide=True)
            text(p, QRectF(w - n - 15, 10, n + 2, 22), cut.figures, "strong", "ink", RIGHT)
        else:
            text(p, QRectF(18, 10, w - 32, 22), cut.figures, "strong", "ink", LEFT, elide=True)
        words = cut.words if width(cut.words, "small") <= w - 32 else cut.words.split(";")[0]
        text(p, QRectF(18, 33, w - 32, 18), words, "small", "ink2", elide=True)
        for key, name, r in self._tabs(w):
            here = key == cut.band
            if self.hovered == f"band {key}":
                p.fillRect(r, role("plum_wash"))
            text(p, r, name, "strong" if here else "body", "ink", Qt.AlignmentFlag.AlignCenter)
            if here:
                p.setPen(QPen(role("ink"), 2.4, cap=Qt.PenCapStyle.RoundCap))
                p.drawLine(QPointF(r.left() + 9, 83), QPointF(r.right() - 9, 83))
        p.setPen(QPen(role("line"), 1))
        p.drawLine(QPointF(18, 88), QPointF(w - 14, 88))

    def _open(self, p: QPainter, core: QRectF, top: float, bottom: float, left: float, rows_top: float) -> None:
        """Unused tooth stays open: dotted walls, a height mark and words."""
        p.setPen(QPen(role("ink2"), 1.4, Qt.PenStyle.DotLine, Qt.PenCapStyle.RoundCap))
        p.drawLine(QPointF(core.left(), top), QPointF(core.left(), bottom))
        p.drawLine(QPointF(core.right(), top), QPointF(core.right(), bottom))
        p.drawLine(QPointF(core.left(), top), QPointF(core.right(), top))
        x = core.center().x()
        if bottom - top > 34:
            p.setPen(QPen(role("ink2"), 1.2, cap=Qt.PenCapStyle.RoundCap))
            p.drawLine(QPointF(x, top + 6), QPointF(x, bottom - 12))
            for y, d in ((top + 6, 5), (bottom - 12, -5)):
                p.drawLine(QPointF(x, y), QPointF(x - 4, y + d))
                p.drawLine(QPointF(x, y), QPointF(x + 4, y + d))
        y = min(max(HEAD_H + 2, top + 2), rows_top - 62)
        icons.draw(p, "tooth", QRectF(18, y + 6, 22, 22), "ink")
        text(p, QRectF(48, y, 126 - self._given(self.design_width), 20), f"{max(0.0, left):.0f}{THIN}% tooth left", "strong", "ink")
        words = (
            "full: no layer holds"
            if left < 5
            else "room for one light pass"
            if left < 14
            else "room for a few light passes"
            if left < 45
            else "room for many layers"
        )
        text(p, QRectF(48, y + 19, 124 - self._given(self.design_width), 52), words, "small", "ink2", wrap=True)

    def _paper(self, p: QPainter, core: QRectF, edge: list[QPointF], base: float, paper: QColor) -> None:
        """Body of the sheet with a few fibres."""
        path = QPainterPath(edge[0])
        for q in edge:
            path.lineTo(q)
        path.lineTo(core.right(), base + PAPER_H)
        path.lineTo(core.left(), base + PAPER_H)
        path.closeSubpath()
        p.fillPath(path, paper)
        rng = random.Random(2)
        p.save()
        p.setClipPath(path)
        ink = QColor(0, 0, 0, 46) if paper.lightness() > 90 else QColor(255, 255, 255, 60)
        p.setBrush(Qt.BrushStyle.NoBrush)
        for _ in range(26):
            x, y = rng.uniform(core.left(), core.right()), rng.uniform(base + 2, base + PAPER_H)
            f = QPainterPath(QPointF(x, y))
            f.quadTo(x + rng.uniform(4, 10), y + rng.uniform(-5, 5), x + rng.uniform(10, 24), y + rng.uniform(-3, 3))
            p.setPen(QPen(ink, 0.9))
            p.drawPath(f)
        p.restore()

    def _band(self, p: QPainter, q: Stratum, k: int, lower: list[QPointF], upper: list[QPointF], paper: QColor) -> None:
        """Band in the pencil's colour, paler the lighter the pressure, with its stroke mark."""
        path = QPainterPath(upper[0])
        for pt in upper:
            path.lineTo(pt)
        for pt in reversed(lower):
            path.lineTo(pt)
        path.closeSubpath()
        mass = mapped(q.masstone) if q.masstone is not None else role("bed")
        p.fillPath(path, mix(mass, paper, 0.52 - 0.11 * q.pressure + 0.03))
        p.save()
        p.setClipPath(path)
        mark = mass.darker(132) if mass.lightness() > 60 else mix(mass, QColor(255, 255, 255), 0.52)
        if q.masstone is None:
            hatch(p, path.boundingRect(), "bed_ink", 5, 1)
        else:
            self._marks(p, q.stroke, path.boundingRect(), mark, k)
        p.restore()
        if q.at == self.chosen:
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(role("card"), 4.5))
            p.drawPath(path)
            p.setPen(QPen(role("ink"), 2))
            p.drawPath(path)

    @staticmethod
    def _marks(p: QPainter, stroke: str, r: QRectF, c: QColor, seed: int) -> None:
        """Flick, side of the point, hatch, circle, squiggle: drawn, not written."""
        rng = random.Random(seed)
        y = r.top() - 4
        while y < r.bottom() + 8:
            x = r.left() - 6
            while x < r.right() + 6:
                a, b = x + rng.uniform(-2, 2), y + rng.uniform(-2, 2)
                if stroke == "flick":
                    hair(
                        p, a, b, ang=24, length=17, c=c, w=1.7, bend=rng.uniform(-8, 12), alpha=190,
                    )
                    x += 13
                elif stroke == "hatch":
                    p.setPen(QPen(QColor(c.red(), c.green(), c.blue(), 200), 1.2))
                    p.drawLine(QPointF(a, b + 8), QPointF(a + 6, b - 3))
                    x += 5
                elif stroke == "side":
                    p.setPen(QPen(QColor(c.red(), c.green(), c.blue(), 70), 4.5, cap=Qt.PenCapStyle.RoundCap))
                    p.drawLine(QPointF(a, b), QPointF(a + 24, b - 2))
                    x += 22
                elif stroke == "squiggle":
                    path = QPainterPath(QPointF(a, b))
                    path.cubicTo(a + 5, b - 7, a + 5, b + 7, a + 12, b)
                    p.setBrush(Qt.BrushStyle.NoBrush)
                    p.setPen(QPen(c, 1.2))
                    p.drawPath(path)
                    x += 13
                else:
                    p.setBrush(Qt.BrushStyle.NoBrush)
                    p.setPen(QPen(c, 1.2))
                    p.drawEllipse(QPointF(a, b), 3, 2.6)
                    x += 9
            y += 8

    def _layer_row(self, p: QPainter, q: Stratum, k: int, r: QRectF, y_left: float, y_right: float, core: QRectF) -> None:
        """Swatch with code and role, leaders to the band, predicted colour and its value."""
        mid = r.center().y()
        here, less = q.at == self.chosen, self._given(self.design_width)
        if here or self.hovered == f"layer {q.at}":
            p.fillRect(QRectF(55, r.top() + 2, 103 - less, r.height() - 4), role("well" if here else "plum_wash"))
        if here:
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(role("bed_ink"), 2))
            p.drawRect(QRectF(17, mid - 18, 36, 36))
        if q.masstone is not None:
            swatch(p, QRectF(19, mid - 16, 32, 32), mapped(q.masstone))
        else:
            icons.draw(p, "drop", QRectF(23, mid - 12, 24, 24), "bed_ink")
        ink = "ink" if q.here else "ink2"
        if q.caution:
            top = mid - 24
            icons.draw(p, "wilt", QRectF(58, mid + 7, 16, 16), "ink")
            text(p, QRectF(76, mid + 7, 84 - less, 17), q.caution, "note", "ink", elide=True)
            hatch(p, QRectF(5, r.top() + 3, 8, r.height() - 6), "ink", 4, 1.4)
        else:
            top = mid - 19
        text(
            p,
            QRectF(60, top, 98 - less, 20),
            (f"{q.code}{THIN} {q.role}" if less < NARROW / 2 else q.code) if q.code else q.role,
            "strong",
            ink,
            elide=True,
        )
        text(
            p,
            QRectF(60, top + (16 if q.caution else 19), 98 - less, 18),
            q.pencil if q.here else "not laid here",
            "small",
            "ink2",
            elide=True,
        )
        p.setPen(
            QPen(
                role("ink" if here else "edge"),
                2 if here else 1,
                Qt.PenStyle.SolidLine if q.here else Qt.PenStyle.DotLine,
                Qt.PenCapStyle.RoundCap,
            )
        )
        p.setBrush(Qt.BrushStyle.NoBrush)
        for a, b in (
            (QPointF(159 - less, mid), QPointF(core.left() - 3, y_left)),
            (QPointF(core.right() + 3, y_right), QPointF(self._x - 4, mid)),
        ):
            path = QPainterPath(a)
            path.cubicTo(QPointF((a.x() + b.x()) / 2, a.y()), QPointF((a.x() + b.x()) / 2, b.y()), b)
            p.drawPath(path)
        swatch(p, QRectF(self._x, r.top(), 54, r.height()), mapped(q.after))
        last = self.cut is not None and k == len(self.cut.strata) - 1
        text(p, QRectF(self._x + 62, mid - (18 if last else 9), 42, 18), f"{q.after[0]:.0f}", "strong" if last else "body", ink, LEFT)
        if last:
            text(p, QRectF(self._x + 62, mid - 1, 42, 18), "result", "note", "ink2")

    def _ends(self, p: QPainter, w: float, base: float, column: float, cut: Cut, paper: QColor) -> None:
        """Paper under the first predicted colour, the target on the last one."""
        top = base - column
        swatch(p, QRectF(self._x, base, 54, PAPER_H), paper)
        text(p, QRectF(18, base + 3, 140, 20), "Paper", "strong", "ink")
        text(p, QRectF(18, base + 21, 156 - self._given(w), 18), cut.paper_name, "small", "ink2", elide=True)
        text(p, QRectF(self._x + 62, base + 14, 42, 18), f"{cut.paper[0]:.0f}", "body", "ink")
        swatch(p, QRectF(self._x, top - 58, 54, 58), mapped(cut.target))
        text(p, QRectF(self._x + 62, top - 40, 42, 18), f"{cut.target[0]:.0f}", "strong", "ink")
        text(p, QRectF(self._x + 62, top - 23, 42, 18), "target", "note", "ink2")
        text(p, QRectF(self._x, top - 81, 54, 18), "after it", "note", "ink2")
        text(p, QRectF(self._x + 62, top - 81, 42, 18), "L*", "note", "ink2", LEFT)
