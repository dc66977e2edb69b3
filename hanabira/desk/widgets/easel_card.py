"""What is to be done now, in type that can be read from the chair: step, pencil, pressure, stroke at true size, clock, next."""

from __future__ import annotations

import random
from dataclasses import dataclass, field

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFont, QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from hanabira.core.colour.spaces import Array
from hanabira.desk.drawn import Drawn
from hanabira.desk.paint import CENTRE, LEFT, bed, hair, height, keycap, mapped, pencilled, swatch, text, width
from hanabira.desk.theme import font, role

KEYS = (("Enter", "Done"), ("Back", "Back"), ("X", "Skip"), ("N", "Note"), ("C", "Other pencil"), ("P", "Pause"))


@dataclass(frozen=True)
class Now:
    """The step as it is drawn; ``clock`` is what has passed, ``guess`` what it should take."""

    title: str = ""
    step: str = ""
    pencil: str = ""
    code: str = ""
    lab: Array | None = None
    paper: Array | None = None
    pressure: int = 0
    stroke: str = ""
    stroke_mm: float = 0.0
    direction_deg: float | None = None
    where: str = ""
    why: str = ""
    guess: str = ""
    clock: str = ""
    paused: bool = False
    next_words: str = ""
    waits: tuple[str, ...] = ()
    cautions: tuple[str, ...] = field(default=())


class EaselCard(Drawn):
    """Big, few words, nothing small to hit: everything is a key."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("Now at the easel", parent)
        self.now = Now()
        self.px_per_mm = 3.78
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def set(self, now: Now, px_per_mm: float) -> None:
        """Show another step or another minute."""
        self.now, self.px_per_mm = now, px_per_mm
        self.setAccessibleName(f"{now.title}. {now.step}. {now.pencil} {now.code}, {now.where}. {now.clock}")
        self.update()

    def design_size(self, width: float) -> tuple[float, float]:
        return 380, 380

    def _big(self, p: QPainter, r: QRectF, words: str, size: int, serif: bool, ink: str = "ink", align=LEFT) -> float:  # noqa: ANN001
        """Words as large as fit a line, at most ``size``; the height used."""
        f = QFont(font("title" if serif else "strong"))
        f.setPixelSize(size)
        p.setFont(f)
        while size > 22 and p.fontMetrics().horizontalAdvance(words) > r.width():
            size -= 2
            f.setPixelSize(size)
            p.setFont(f)
        p.setPen(role(ink))
        p.drawText(
            QRectF(r.left(), r.top(), r.width(), size * 1.35),
            int(align),
            p.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(r.width())),
        )
        return size * 1.3

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("card"))
        q, x, y = self.now, 24.0, 14.0
        room = w - 48
        if not q.title:
            text(p, QRectF(x, h / 3, room, 80), q.why or "Nothing to do now.", "name", "ink", CENTRE, wrap=True)
            return
        y += self._big(p, QRectF(x, y, room, 64), q.title, 44, True)
        y += self._big(p, QRectF(x, y, room, 34), q.step, 26, False, "ink2") + 6
        if q.lab is not None and q.paper is not None:
            bed(p, QRectF(x + 4, y + 4, 150, 74))
            swatch(p, QRectF(x + 4, y + 4, 75, 74), mapped(q.lab))
            swatch(p, QRectF(x + 79, y + 4, 75, 74), mapped(q.paper))
            pencilled(p, QRectF(x + 83, y + 8, 67, 66), mapped(q.lab), 3, max(1, q.pressure // 2))
            used = self._big(p, QRectF(x + 176, y - 4, room - 176, 60), q.code, 52, False)
            self._big(p, QRectF(x + 176, y + used - 8, room - 176, 40), q.pencil, 28, True)
        else:
            self._big(p, QRectF(x, y, room, 60), q.pencil, 44, True)
        y += 92
        if q.pressure:
            text(p, QRectF(x, y, 100, 26), "Pressure", "body", "ink2", LEFT)
            for k in range(5):
                pen = QPen(role("ink" if k < q.pressure else "line"), 1.5 + 2.2 * k, cap=Qt.PenCapStyle.RoundCap)
                p.setPen(pen)
                p.drawLine(QPointF(x + 104 + 26 * k, y + 22), QPointF(x + 116 + 26 * k, y + 5))
            y += 32
        y += self._big(p, QRectF(x, y, room, 34), f"{q.where[:1].upper()}{q.where[1:]}", 24, False) if q.where else 0
        y = self._stroke(p, QRectF(x, y + 6, room, 64)) + 8
        high = height(q.why, room, "aside")
        text(p, QRectF(x, y, room, high), q.why, "aside", "ink2", wrap=True)
        y += high + 6
        for words in (*q.waits, *q.cautions):
            high = height(words, room - 14, "small")
            if y + high > h - 122:
                break
            p.fillRect(QRectF(x, y, 3, high), role("ink"))
            text(p, QRectF(x + 12, y, room - 14, high), words, "small", "ink", wrap=True)
            y += high + 4
        foot = h - 116
        p.setPen(QPen(role("line"), 1))
        p.drawLine(QPointF(x, foot), QPointF(w - 24, foot))
        self._big(p, QRectF(x, foot + 2, 190, 52), q.clock, 42, False, "ink2" if q.paused else "ink")
        text(p, QRectF(x + 196, foot + 6, room - 196, 22), "paused" if q.paused else q.guess, "body", "ink2", LEFT, elide=True)
        text(p, QRectF(x + 196, foot + 28, room - 196, 22), q.next_words, "body", "ink", LEFT, elide=True)
        kx, ky = x, h - 56.0
        for key, words in KEYS:
            n = max(26.0, width(key, "note") + 12)
            wide = n + 8 + width(words, "body") + 16
            if kx + wide > w - 16 and kx > x:
                kx, ky = x, ky + 27
            keycap(p, QRectF(kx, ky, n, 22), key)
            text(p, QRectF(kx + n + 6, ky, wide - n, 22), words, "body", "ink", LEFT)
            kx += wide

    def _stroke(self, p: QPainter, r: QRectF) -> float:
        """The stroke at true size on a millimetre edge; nothing for tools without one."""
        q, mm = self.now, self.px_per_mm
        if q.lab is None or not q.stroke:
            return r.top()
        n = int(min(60, r.width() / mm))
        box = QRectF(r.left(), r.top(), n * mm, 58)
        p.fillRect(box, role("well"))
        p.save()
        p.setClipRect(box)
        rng = random.Random(5)
        colour = mapped(q.lab)
        if q.stroke in ("flick", "hatch", "squiggle") and q.stroke_mm:
            d = q.direction_deg if q.direction_deg is not None else 60.0
            for k in range(int(box.width() / (2.6 * mm)) + 1):
                for line in (0.35, 0.75):
                    u, v = box.left() + k * 2.6 * mm + rng.uniform(-2, 2), box.top() + box.height() * line + rng.uniform(-4, 4)
                    hair(
                        p,
                        u,
                        v,
                        d + rng.gauss(0, 6),
                        q.stroke_mm * mm * rng.uniform(0.8, 1.1),
                        colour,
                        1.0 + 0.35 * q.pressure,
                        rng.gauss(0, 8),
                        235,
                    )
        else:
            pencilled(p, box.adjusted(6, 8, -6, -8), colour, 4, max(1, q.pressure // 2))
        p.restore()
        p.setPen(QPen(role("ink"), 1))
        for k in range(n + 1):
            p.drawLine(QPointF(box.left() + k * mm, box.bottom()), QPointF(box.left() + k * mm, box.bottom() - (7 if k % 10 == 0 else 3)))
        words = f"{q.stroke}, {q.stroke_mm:.0f} mm" if q.stroke_mm else q.stroke
        text(p, QRectF(r.left(), box.bottom() + 2, r.width(), 18), words, "small", "ink2")
        return box.bottom() + 20
