"""Kit chart: every pencil at its hue and value; the holes in the kit are named."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QSizePolicy

from hanabira.core.colour.spaces import Array, chroma, hue_deg
from hanabira.core.colour.words import value_step, warmth
from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import CENTRE, LEFT, RIGHT, grey, hatch, mapped, text, width
from hanabira.desk.theme import role, scale

if TYPE_CHECKING:
    from hanabira.core.optics.kit import Kit
    from hanabira.core.solver.kit_facts import Hole

START = 330.0
"""Hue at the left edge, so that the warm half comes first."""
HUES = ((355, "rose"), (28, "red"), (60, "orange"), (92, "yellow"), (138, "green"), (195, "teal"), (255, "blue"), (305, "violet"))
SIZE, FOOT = 28.0, 15.0
LEAST, WIDEST = (420.0, 340.0), 3000.0
ROOM, FULLEST = (SIZE + 5) * (SIZE + FOOT + 3), 0.8
"""What a swatch with its code takes, and how full the field may be until the chart is wider than its window and moves from side to side."""
NEUTRAL_C = 7.0
NEUTRAL_W = 92.0
STEPS, STEPS_FULL, FULL = 300, 60, 0.8
"""Most steps of pushing swatches apart, and where they would fill more than this share of the field."""
AGAIN, NEAR = 8, 40.0
"""Steps after which is looked anew which swatches lie near each other, and how far apart those may be."""


def along(hue: float) -> float:
    """0 to 1 along the axis; hues 0 to 110, where coats live, get twice the room."""
    d = (hue - START) % 360
    return (d if d < 30 else 30 + 2 * (d - 30) if d < 140 else 250 + (d - 140)) / 470


def apart(x: Array, y: Array, low: Array, high: Array, f: QRectF) -> tuple[Array, Array]:
    """Swatches pushed apart from a first guess (n,) until none covers another, within ``low`` to ``high`` across and the field in height.

    Every pair that overlaps gives way along the side on which it overlaps least, all pairs at once; where the field is too full some overlap is left.
    """
    n, wide, tall = len(x), SIZE + 5, SIZE + FOOT + 3
    steps = STEPS if n * wide * tall < FULL * f.width() * f.height() else STEPS_FULL
    first, second = np.triu_indices(n, 1)
    a, b = first[:0], first[:0]
    for k in range(steps):
        if k % AGAIN == 0:  # only what lies near can meet within the next few steps
            near = (np.abs(x[first] - x[second]) < wide + NEAR) & (np.abs(y[first] - y[second]) < tall + NEAR)
            a, b = first[near], second[near]
        dx, dy = x[a] - x[b], y[a] - y[b]
        ox, oy = wide - np.abs(dx), tall - np.abs(dy)
        over = (ox > 0) & (oy > 0)
        if not over.any() and k % AGAIN == 0:
            break
        across = over & (ox < oy)
        push = 0.26 * (1 - 0.6 * k / steps)
        # two in one place part in the order of the kit, the later one to the right and down
        right = np.where(across, ox, 0) * np.where(dx > 0, push, -push)
        down = np.where(over & ~across, oy, 0) * np.where(dy > 0, push, -push) / 2
        x = np.clip(x + np.bincount(a, right, n) - np.bincount(b, right, n), low, high)
        y = np.clip(y + np.bincount(a, down, n) - np.bincount(b, down, n), f.top() + SIZE / 2 + 2, f.bottom() - SIZE / 2 - FOOT)
    return x, y


class KitChart(Drawn):
    """x = hue from 330° on, greys in two columns (cool, warm); y = value, light on top."""

    chosen_pencil = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__("Kit by hue and value")
        self.kit: Kit | None = None
        self.shown: list[int] = []
        self.chosen = ""
        self.tray: set[str] = set()
        self.holes: tuple[Hole, ...] = ()
        self._pts: list[tuple[float, float]] = []
        self._placed_for: object = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def set(self, kit: Kit, shown: list[int], chosen: str, tray: set[str], holes: tuple[Hole, ...]) -> None:
        """Show pencils of a kit (their places in it), the chosen one, what lies in the tray and the holes."""
        self.kit, self.shown, self.chosen, self.tray, self.holes = kit, shown, chosen, tray, holes
        self.setAccessibleDescription(
            (f"{len(shown)} pencils shown. " if shown else "No pencil of this kit is like that. ") + ", ".join(h.name for h in holes)
        )
        self.refresh()

    def design_size(self, width: float) -> tuple[float, float]:
        high = max(LEAST[1], self.height() / scale())
        needed = 76 + len(self.shown) * ROOM / ((high - 68) * FULLEST)
        return min(max(LEAST[0], needed), WIDEST), LEAST[1]

    def _field(self, w: float, h: float) -> QRectF:
        return QRectF(58, 34, w - 76, h - 34 - 34)

    def _x(self, f: QRectF, hue: float) -> float:
        return f.left() + NEUTRAL_W + 20 + along(hue) * (f.width() - NEUTRAL_W - 36)

    @staticmethod
    def _y(f: QRectF, lightness: float) -> float:
        return f.bottom() - (lightness - 5) / 95 * f.height()

    def _place(self, w: float, h: float) -> None:
        """First guess from hue and value, then push apart until no swatch covers another."""
        assert self.kit is not None
        sign = (id(self.kit), tuple(self.shown), round(w), round(h))
        if sign == self._placed_for:
            return
        f, lab = self._field(w, h), self.kit.masstone_lab[self.shown]
        grey_ = np.asarray(chroma(lab)) < NEUTRAL_C
        x = np.array([
            f.left() + NEUTRAL_W * (0.75 if warmth(q) > 0 else 0.25) if g else self._x(f, float(hue_deg(q))) for q, g in zip(lab, grey_, strict=True)
        ])  # fmt: skip
        y = np.array([self._y(f, float(q[0])) for q in lab])
        x, y = apart(
            x, y, np.where(grey_, f.left() + 15, f.left() + NEUTRAL_W + 18), np.where(grey_, f.left() + NEUTRAL_W - 15, f.right() - 15), f
        )
        self._pts, self._placed_for = list(zip(x.tolist(), y.tolist(), strict=True)), sign

    def stops(self, w: float, h: float) -> list[Stop]:
        if self.kit is None or w < 100:
            return []
        self._place(w, h)
        out = []
        for (x, y), i in zip(self._pts, self.shown, strict=True):
            p = self.kit.pencils[i]
            lightness = float(self.kit.masstone_lab[i, 0])
            said = (
                f"{p.code} {p.name}, L* {lightness:.0f}, step {value_step(lightness)}"
                + ("" if p.owned else ", not owned")
                + (", in the tray" if p.code in self.tray else "")
            )
            out.append(Stop(p.code, QRectF(x - SIZE / 2, y - SIZE / 2, SIZE, SIZE + FOOT), said, said, self._chooser(p.code)))
        return out

    def _chooser(self, code: str) -> Callable[[], None]:
        return lambda: self.chosen_pencil.emit(code)

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("card"))
        if self.kit is None:
            return
        self._place(w, h)
        f = self._field(w, h)
        if not self.shown:  # no axes round nothing
            text(p, QRectF(40, h / 2 - 44, w - 80, 30), "No pencil of this kit is like that", "name", "ink", CENTRE)
            words = "Clear the search, or choose all hues, all values and all pencils. Another kit is chosen at the left."
            text(p, QRectF(60, h / 2 - 8, w - 120, 60), words, "small", "ink2", CENTRE, wrap=True)
            return
        p.fillRect(f, role("bed"))
        self._axes(p, f)
        for hole in self.holes:
            self._hole(p, f, hole)
        for (x, y), i in zip(self._pts, self.shown, strict=True):
            self._pencil(p, x, y, i)

    def _pencil(self, p: QPainter, x: float, y: float, i: int) -> None:
        assert self.kit is not None
        pencil, lab = self.kit.pencils[i], self.kit.masstone_lab[i]
        r = QRectF(round(x - SIZE / 2), round(y - SIZE / 2), SIZE, SIZE)
        p.setBrush(Qt.BrushStyle.NoBrush)
        if pencil.owned:
            p.fillRect(r, mapped(lab))
        else:
            half = QPainterPath(r.topLeft())
            half.lineTo(r.topRight())
            half.lineTo(r.bottomLeft())
            half.closeSubpath()
            p.fillPath(half, mapped(lab))
            p.setPen(QPen(role("bed_ink"), 1.2, Qt.PenStyle.DashLine))
            p.drawRect(r)
        if pencil.owned and abs(lab[0] - 60) < 9 and float(chroma(lab)) < 10:
            p.setPen(QPen(role("bed_ink", 110), 1))
            p.drawRect(r)
        if pencil.code in self.tray:
            p.fillRect(QRectF(r.left(), r.bottom() + FOOT - 1, SIZE, 2), role("bed_ink"))
        if pencil.code == self.chosen:
            p.setPen(QPen(role("bed_ink"), 2))
            p.drawRect(r.adjusted(-4, -4, 4, FOOT + 2))
        foot = QRectF(r.left() - 4, r.bottom() - 1, SIZE + 8, FOOT)
        wide = min(foot.width(), width(pencil.code, "note") + 4)
        p.fillRect(QRectF(r.center().x() - wide / 2, r.bottom() + 1, wide, FOOT - 3), role("bed"))  # no line or hatching under the code
        text(p, foot, pencil.code, "note", "bed_ink", CENTRE, elide=True)

    def _axes(self, p: QPainter, f: QRectF) -> None:
        for k in range(10):
            low, high = max(5.0, k * 10.0), min(100.0, (k + 1) * 10.0)
            y0, y1 = self._y(f, high), self._y(f, low)
            p.fillRect(QRectF(f.left() - 16, y0, 12, y1 - y0 + 0.5), grey(k * 10 + 5))
            p.setPen(QPen(role("bed_ink", 44), 1))
            if k:
                p.drawLine(QPointF(f.left(), y1), QPointF(f.right(), y1))
            text(p, QRectF(8, (y0 + y1) / 2 - 9, 30, 18), str(k + 1), "note", "ink", RIGHT)
        text(p, QRectF(20, f.top() - 22, 36, 18), "step", "note", "ink2")
        p.setPen(QPen(role("bed_ink", 150), 1, Qt.PenStyle.DashLine))
        p.drawLine(QPointF(f.left() + NEUTRAL_W, f.top()), QPointF(f.left() + NEUTRAL_W, f.bottom()))
        for x, s in ((0.0, "cool"), (NEUTRAL_W / 2, "warm")):
            text(p, QRectF(f.left() + x, f.bottom() + 6, NEUTRAL_W / 2, 18), s, "note", "ink2", CENTRE)
        text(p, QRectF(f.left(), f.top() - 22, NEUTRAL_W, 18), "greys", "note", "ink", CENTRE)
        right = -1.0
        for hue, s in HUES:
            x, words = self._x(f, hue), f"{s} {hue}°"
            n = width(words, "note")
            if x - n / 2 > right + 6:
                text(p, QRectF(x - n / 2 - 2, f.bottom() + 7, n + 4, 18), words, "note", "ink", CENTRE)
                right = x + n / 2
        for hue in range(0, 360, 10):
            p.setPen(QPen(role("ink"), 1))
            x = self._x(f, hue)
            p.drawLine(QPointF(x, f.bottom()), QPointF(x, f.bottom() + (6 if hue % 30 == 0 else 3)))
        for a, s in ((330, "warm half"), (150, "cool half")):
            x = self._x(f, a)
            p.setPen(QPen(role("edge"), 1.4, Qt.PenStyle.SolidLine if a == 330 else Qt.PenStyle.DotLine))
            p.drawLine(QPointF(x, f.top() - 4), QPointF(self._x(f, a + 179.9), f.top() - 4))
            text(p, QRectF(x, f.top() - 22, 90, 18), s, "note", "ink2", LEFT)

    def _hole(self, p: QPainter, f: QRectF, hole: Hole) -> None:
        """A hatched field where the kit has no pencil, named on the bed."""
        hue, value = float(hue_deg(hole.lab)), float(hole.lab[0])
        x, y = self._x(f, hue), self._y(f, value)
        r = QRectF(x - 46, y - 36, 92, 72).intersected(f.adjusted(NEUTRAL_W + 4, 4, -4, -4))
        path = QPainterPath()
        path.addRoundedRect(r, 10, 10)
        hatch(p, r, role("bed_ink", 120), 7, 1, path)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(role("bed_ink"), 1.2, Qt.PenStyle.DashLine))
        p.drawPath(path)
        n = min(r.width(), width(hole.name, "caption") + 12)
        pencils = [QRectF(q - SIZE / 2 - 4, v - SIZE / 2, SIZE + 8, SIZE + FOOT) for q, v in self._pts]
        for down in (0, -9, 9, -18, 18, -26, 26):  # beside the pencils that were pushed into it; where there is no room the bench names it
            chip = QRectF(r.center().x() - n / 2, r.center().y() - 9 + down, n, 18)
            if r.contains(chip) and not any(chip.intersects(q) for q in pencils):
                p.fillRect(chip, role("bed"))
                text(p, chip, hole.name, "caption", "bed_ink", CENTRE, elide=True)
                return
