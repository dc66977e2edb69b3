"""The profile as one pressed plant: a leaf for each value step, roots for the five pressures, a tuft drawn as the hand draws, buds for each drill."""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from hanabira.core.practice.profile import CERTAIN_ANSWERS, Diagnosis
from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import CENTRE, grey, hair, petal, text
from hanabira.desk.theme import role

STEP_PX, MOST_STEPS = 42.0, 2.0
"""Design units a value step of error, and the largest error that is drawn in full."""
PAPER_L = 95.0
NOT_YET = "not measured yet"
"""What stands where nothing was measured; the part's own sentence says what would measure it."""


@dataclass(frozen=True)
class Plate:
    """What is pressed: by value step its diagnosis; L* of pressures 1–5; spread in degrees, variation and run in mm of the flicks; by drill how many were
    right of how many.
    """

    steps: Mapping[int, Diagnosis] = field(default_factory=dict)
    pressures: Sequence[float] = ()
    flicks: tuple[float, float, float] | None = None
    right: Mapping[str, tuple[int, int]] = field(default_factory=dict)


class ProfilePlant(Drawn):
    """Every part is a stop with its sentence; what was never measured is left out, and its name says what would measure it."""

    takes_keys = True

    def __init__(self, key: Callable[[QKeyEvent], bool], parent: QWidget | None = None) -> None:
        super().__init__("Your profile", parent)
        self.take_key = key
        self.plate = Plate()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def set(self, plate: Plate) -> None:
        """Show another state."""
        self.plate = plate
        self.refresh()

    def design_size(self, width: float) -> tuple[float, float]:
        return 350, 330

    # -- where things lie ----------------------------------------------------------------
    def _top(self, h: float) -> float:
        return 0.5 * h

    def _leaf_x(self, k: int, w: float) -> float:
        return 40 + (w - 80) * (k - 0.5) / 10

    def _panels(self, w: float, h: float) -> list[QRectF]:
        top, third = self._top(h), (w - 48) / 3
        return [QRectF(24 + n * third, top + 14, third - 12, h - top - 22) for n in range(3)]

    def stops(self, w: float, h: float) -> list[Stop]:
        out = []
        for k in range(1, 11):
            x = self._leaf_x(k, w)
            d = self.plate.steps.get(k)
            words = d.sentence if d is not None else "No answers yet."
            out.append(Stop(f"step {k}", QRectF(x - 14, 22, 28, self._top(h) - 34), f"Step {k}: {words}", words, lambda: None))
        roots, tuft, buds = self._panels(w, h)
        out.append(Stop("pressures", roots, self._roots_words(), self._roots_words(), lambda: None))
        out.append(Stop("hair", tuft, self._tuft_words(), self._tuft_words(), lambda: None))
        out.append(Stop("answers", buds, self._buds_words(), self._buds_words(), lambda: None))
        return out

    def _roots_words(self) -> str:
        if not self.plate.pressures:
            return "Pressure ladder: not measured yet. The pressure ladder measures it."
        return "Pressures 1 to 5 lie at L* " + ", ".join(f"{v:.0f}" for v in self.plate.pressures) + "."

    def _tuft_words(self) -> str:
        if self.plate.flicks is None:
            return "Hair: not measured yet. Flicks along a combing measure it."
        spread, vary, run = self.plate.flicks
        return f"Your flicks run {run:.0f} mm, turn by {spread:.0f}° and vary by {vary:.0%} in length."

    def _buds_words(self) -> str:
        if not self.plate.right:
            return "Right answers: none yet."
        return "Right answers: " + ", ".join(f"{name} {good} of {all_}" for name, (good, all_) in self.plate.right.items()) + "."

    # -- painting ----------------------------------------------------------------------------
    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("card"))
        top = self._top(h)
        middle = 26 + (top - 46) / 2
        text(p, QRectF(24, 4, w - 48, 20), "Values: a leaf up is seen too light, down too dark", "caption")
        p.setPen(QPen(role("ink"), 1.4))
        p.setBrush(Qt.BrushStyle.NoBrush)
        path = QPainterPath(QPointF(28, middle))
        for x in range(28, int(w - 28), 6):
            path.lineTo(x, middle + 1.6 * math.sin(x / 46))
        p.drawPath(path)
        reach = min(STEP_PX, (top - 60) / 2 / MOST_STEPS)
        for k in range(1, 11):
            self._leaf(p, self._leaf_x(k, w), middle, k, reach)
            text(p, QRectF(self._leaf_x(k, w) - 20, top - 18, 40, 17), str(k), "note", "ink2", CENTRE)
        roots, tuft, buds = self._panels(w, h)
        self._roots(p, roots)
        self._tuft(p, tuft)
        self._buds(p, buds)

    def _leaf(self, p: QPainter, x: float, y: float, k: int, reach: float) -> None:
        d = self.plate.steps.get(k)
        p.save()
        p.translate(x, y)
        if d is None or not d.answers:
            p.setPen(QPen(role("edge"), 1.2, Qt.PenStyle.DashLine))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawEllipse(QPointF(0, 0), 4, 4)
            p.restore()
            return
        size = max(-MOST_STEPS, min(MOST_STEPS, d.bias))
        certain = d.answers >= CERTAIN_ANSWERS
        p.rotate(-90 if size >= 0 else 90)
        leaf = petal(max(9.0, abs(size) * reach), 9.0 if certain else 6.0)
        p.setPen(QPen(role("ink"), 1.3, Qt.PenStyle.SolidLine if certain else Qt.PenStyle.DashLine))
        p.setBrush(grey(10 * k - 5) if certain else Qt.BrushStyle.NoBrush)
        p.drawPath(leaf)
        p.restore()
        if math.isfinite(d.sigma):
            low, high = (max(-MOST_STEPS, min(MOST_STEPS, v)) * reach for v in (d.bias - d.sigma, d.bias + d.sigma))
            p.setPen(QPen(role("ink"), 1))
            p.drawLine(QPointF(x + 12, y - low), QPointF(x + 12, y - high))
        beside = y + 6 if size >= 0 else y - 22  # on the side of the stem where no leaf is
        text(p, QRectF(x - 24, beside, 48, 17), f"{d.bias:+.1f}".replace("-", "−"), "note", "ink", CENTRE)

    def _roots(self, p: QPainter, r: QRectF) -> None:
        text(p, QRectF(r.left(), r.top(), r.width(), 20), "Pressure 1 to 5", "caption")
        if not self.plate.pressures:
            text(p, QRectF(r.left(), r.top() + 24, r.width(), 20), NOT_YET, "small", "ink2", elide=True)
            return
        high = r.height() - 66
        first, last = self.plate.pressures[0], self.plate.pressures[-1]
        for k, value in enumerate(self.plate.pressures):
            x = r.left() + r.width() * (k + 0.5) / 5
            y0 = r.top() + 26
            y = y0 + high * (PAPER_L - value) / 90
            even = y0 + high * (PAPER_L - (first + (last - first) * k / 4)) / 90
            p.setPen(QPen(grey(value), 5.0, cap=Qt.PenCapStyle.RoundCap))
            p.drawLine(QPointF(x, y0), QPointF(x, y))
            p.setPen(QPen(role("ink"), 1.2, Qt.PenStyle.DashLine))
            p.drawLine(QPointF(x - 11, even), QPointF(x + 11, even))
            text(p, QRectF(x - 22, r.bottom() - 36, 44, 17), f"{value:.0f}", "note", "ink", CENTRE)
        text(p, QRectF(r.left(), r.bottom() - 18, r.width(), 18), "L*; dashed: an even ladder", "note", "ink2", elide=True)

    def _tuft(self, p: QPainter, r: QRectF) -> None:
        text(p, QRectF(r.left(), r.top(), r.width(), 20), "Your hair", "caption")
        if self.plate.flicks is None:
            text(p, QRectF(r.left(), r.top() + 24, r.width(), 20), NOT_YET, "small", "ink2", elide=True)
            return
        spread, vary, run = self.plate.flicks
        paper = QRectF(r.left(), r.top() + 24, r.width() - 8, r.height() - 66)
        p.fillRect(paper, QColor(246, 245, 241))  # hair is shown on paper in either theme
        p.save()
        p.setClipRect(paper)
        rng = random.Random(4)
        for k in range(40):
            x = paper.left() + (k % 10 + 0.5 + rng.uniform(-0.3, 0.3)) * paper.width() / 10
            y = paper.bottom() - (k // 10 + rng.uniform(0.1, 0.5)) * paper.height() / 4.6
            hair(
                p, x, y, ang=60 + rng.gauss(0, spread), length=3.78 * run * math.exp(rng.gauss(0, vary)), c=QColor(50, 44, 40), w=2.2, bend=0,
                alpha=235,
            )
        p.restore()
        text(p, QRectF(r.left(), r.bottom() - 38, r.width(), 18), f"{run:.0f} mm, turned by {spread:.0f}°", "note", "ink2", elide=True)
        text(p, QRectF(r.left(), r.bottom() - 20, r.width(), 18), f"{vary:.0%} in length", "note", "ink2", elide=True)

    def _buds(self, p: QPainter, r: QRectF) -> None:
        text(p, QRectF(r.left(), r.top(), r.width(), 20), "Right answers", "caption")
        if not self.plate.right:
            text(p, QRectF(r.left(), r.top() + 24, r.width(), 20), NOT_YET, "small", "ink2", elide=True)
            return
        rows = list(self.plate.right.items())
        one = min(26.0, (r.height() - 24) / max(1, len(rows)))
        for n, (name, (good, all_)) in enumerate(rows):
            y = r.top() + 24 + n * one
            share = good / max(1, all_)
            bar = QRectF(r.right() - 112, y + one / 2 - 4, 60, 8)
            p.setPen(QPen(role("edge"), 1))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRoundedRect(bar, 4, 4)
            p.fillRect(QRectF(bar.left(), bar.top(), bar.width() * share, bar.height()), role("ink"))
            text(p, QRectF(r.left(), y, r.width() - 118, one), name, "note", "ink", elide=True)
            text(p, QRectF(r.right() - 48, y, 48, one), f"{good}/{all_}", "note", "ink2")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self.take_key(event):
            super().keyPressEvent(event)
