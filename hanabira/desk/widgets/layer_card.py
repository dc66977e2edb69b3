"""Parts of the bench card for one layer: how it is laid, its caution with the cure, what could replace it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPainterPath, QPen, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from hanabira.desk import icon as icons
from hanabira.desk.controls import PetalButton
from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import LEFT, RIGHT, bed, hatch, height, mapped, pencilled, swatch, text
from hanabira.desk.theme import THIN, role, scale

if TYPE_CHECKING:
    from hanabira.core.colour.spaces import Array
    from hanabira.core.solver.cautions import Caution


def pressure_mark(p: QPainter, r: QRectF, n: int, ink: str = "ink") -> None:
    """Five strokes that thicken to the right; the first n are laid, the others only outlined."""
    w = r.width() / 5
    for k in range(5):
        x, t = r.left() + w * (k + 0.5), 1.6 + 1.5 * k
        path = QPainterPath()
        path.addRoundedRect(QRectF(x - t / 2 - 0.6, r.top() + (4 - k) * 1.5, t + 1.2, r.height() - (4 - k) * 1.5), t / 2, t / 2)
        if k < n:
            p.fillPath(path, role(ink))
        else:
            p.setPen(QPen(role("edge"), 1))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawPath(path)


class Pressure(Drawn):
    """The five pressures as strokes; a click, a figure key or the arrows choose one."""

    changed = pyqtSignal(int)

    def __init__(self, value: int, parent: QWidget | None = None) -> None:
        super().__init__(f"Pressure {value} of 5", parent)
        self.value = value
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)

    def design_size(self, width: float) -> tuple[float, float]:
        return 168, 32

    def stops(self, w: float, h: float) -> list[Stop]:
        words = ("", "light", "between light and medium", "medium", "between medium and heavy", "heavy")
        return [
            Stop(
                f"pressure {k}",
                QRectF(2 + (k - 1) * 25, 2, 25, 28),
                f"Pressure {k}, {words[k]}",
                f"Pressure {k}: {words[k]}",
                self._setter(k),
            )
            for k in range(1, 6)
        ]

    def _setter(self, k: int) -> Callable[[], None]:
        return lambda: self._set(k)

    def _set(self, k: int) -> None:
        if k != self.value:
            self.value = k
            self.refresh()
            self.changed.emit(k)

    def keyPressEvent(self, event) -> None:  # noqa: ANN001
        digit = event.key() - int(Qt.Key.Key_0)
        if 1 <= digit <= 5:
            self._set(digit)
        else:
            super().keyPressEvent(event)

    def paint(self, p: QPainter, w: float, h: float) -> None:
        pressure_mark(p, QRectF(2, 5, 125, 22), self.value)
        text(p, QRectF(130, 3, w - 130, 26), f"{self.value} of 5", "small", "ink")


class LaidSwatch(Drawn):
    """The pencil laid on this paper by hand, and flat beside it."""

    def __init__(self, lab: Array | None, paper: Array, pressure: int, parent: QWidget | None = None) -> None:
        super().__init__("How the pencil looks on this paper", parent)
        self.lab, self.paper, self.pressure = lab, paper, pressure
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)

    def design_size(self, width: float) -> tuple[float, float]:
        return 96, 92

    def paint(self, p: QPainter, w: float, h: float) -> None:
        sheet = QRectF(4, 4, 86, 82)
        bed(p, sheet)
        p.fillRect(sheet, mapped(self.paper))
        if self.lab is not None:
            pencilled(
                p,
                sheet.adjusted(7, 7, -7, -7),
                mapped(self.lab),
                3,
                1 + (self.pressure > 1) + (self.pressure > 3),
                3.4 - 0.3 * self.pressure,
            )


class CautionCard(Drawn):
    """Hatched edge, the petal that hangs its head, what goes wrong with its figure, and the cure."""

    cured = pyqtSignal(object)

    def __init__(self, caution: Caution, parent: QWidget | None = None) -> None:
        super().__init__(f"Caution: {caution.title}. {caution.text} {caution.cure}", parent)
        self.caution = caution
        self.button: PetalButton | None = None
        if caution.cure_code:
            self.button = PetalButton(caution.cure, "pencil", tip=caution.cure, parent=self)
            self.button.clicked.connect(lambda: self.cured.emit(caution))

    def _text_h(self, w: float) -> float:
        return height(self._words(), max(120.0, w - 62), "small")

    def _words(self) -> str:
        return self.caution.text if self.button or not self.caution.cure else f"{self.caution.text} {self.caution.cure}"

    def design_size(self, width: float) -> tuple[float, float]:
        return 220, 36 + self._text_h(width) + (54 if self.button else 10)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self.button:
            s = scale()
            hint = self.button.sizeHint()
            self.button.setGeometry(
                round(34 * s),
                round((34 + self._text_h(self.design_width)) * s),
                min(hint.width(), self.width() - round(40 * s)),
                hint.height(),
            )

    def paint(self, p: QPainter, w: float, h: float) -> None:
        r = QRectF(0.5, 0.5, w - 1, h - 1)
        p.fillRect(r, role("raised"))
        p.setPen(QPen(role("ink"), 1))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(r)
        hatch(p, QRectF(1, 1, 12, r.height() - 1), "ink", 5, 1.4)
        p.setPen(QPen(role("ink"), 1))
        p.drawLine(QPointF(13, 0), QPointF(13, r.bottom()))
        icons.draw(p, "wilt", QRectF(20, 6, 24, 24), "ink")
        text(p, QRectF(50, 7, w - 58, 22), self.caution.title, "name", "ink", elide=True)
        text(p, QRectF(50, 31, w - 60, self._text_h(w) + 2), self._words(), "small", "ink", wrap=True)


@dataclass(frozen=True)
class SwapRow:
    """One pencil that could stand there. ``masstone`` and ``gives`` are Lab."""

    code: str
    name: str
    masstone: Array
    gives: Array
    words: str
    delta_e00: float
    tooth: float
    owned: bool


class Swaps(Drawn):
    """Alternatives: the pencil, its predicted colour touching one long target, words and figures; a click takes it."""

    swapped = pyqtSignal(str)
    ROW = 41.0

    def __init__(self, rows: list[SwapRow], target: Array, parent: QWidget | None = None) -> None:
        super().__init__("Instead of this pencil", parent)
        self.rows, self.target = rows, target

    def design_size(self, width: float) -> tuple[float, float]:
        return 240, 25 + self.ROW * len(self.rows)

    def stops(self, w: float, h: float) -> list[Stop]:
        out = []
        for k, q in enumerate(self.rows):
            said = f"{q.code} {q.name}: {q.words}, ΔE00 {q.delta_e00:.1f}, {100 * q.tooth:.0f} % of the tooth" + (
                "" if q.owned else ", not owned"
            )
            act = None if k == 0 else self._taker(q.code)
            out.append(
                Stop(f"swap {q.code}", QRectF(0, 20 + k * self.ROW, w, self.ROW), said, said if k == 0 else f"Take {q.code} instead", act)
            )
        return out

    def _taker(self, code: str) -> Callable[[], None]:
        return lambda: self.swapped.emit(code)

    def paint(self, p: QPainter, w: float, h: float) -> None:
        high, n = self.ROW, len(self.rows)
        give = min(198.0, w - 142)
        for x, s in ((0, "pencil"), (give + 2, "gives"), (give + 42, "target")):
            text(p, QRectF(x, 0, 60, 18), s, "note", "ink2", LEFT)
        text(p, QRectF(w - 60, 0, 60, 18), "ΔE, tooth", "note", "ink2", RIGHT)
        best = min(range(n), key=lambda k: self.rows[k].delta_e00, default=0)
        for k in range(n):
            if self.hovered == f"swap {self.rows[k].code}" and k:
                p.fillRect(QRectF(40, 20 + k * high, give - 48, high), role("plum_wash"))
        bed(p, QRectF(give, 21, 80, high * n - 1))
        bed(p, QRectF(4, 25, 31, high * n - 10))
        swatch(p, QRectF(give + 40, 20, 40, high * n), mapped(self.target))
        for k, q in enumerate(self.rows):
            y = 20 + k * high
            r = QRectF(4, y + 5, 31, 31)
            swatch(p, r, mapped(q.masstone))
            if not q.owned:
                p.setPen(QPen(role("bed_ink"), 1.4, Qt.PenStyle.DashLine))
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawRect(r.adjusted(-3, -3, 3, 3))
            strong = "strong" if k == best else "body"
            text(p, QRectF(44, y + 2, give - 52, 20), f"{q.name}, now" if k == 0 else f"{q.code}{THIN} {q.name}", strong, "ink", elide=True)
            text(p, QRectF(44, y + 20, give - 52, 18), q.words if q.owned else f"{q.words}, not owned", "small", "ink2", elide=True)
            swatch(p, QRectF(give, y, 40, high), mapped(q.gives))
            text(p, QRectF(give + 84, y + 2, w - give - 84, 20), f"{q.delta_e00:.1f}", strong, "ink", RIGHT)
            text(p, QRectF(give + 84, y + 20, w - give - 84, 18), f"{100 * q.tooth:.0f}{THIN}%", "small", "ink2", RIGHT)
