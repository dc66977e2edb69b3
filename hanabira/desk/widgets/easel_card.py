"""What is to be done now, in type that can be read from the chair: step, pencil, pressure, stroke at true size, clocks, next."""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFont, QFontMetricsF, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from hanabira.desk import icon as icons
from hanabira.desk.drawn import Drawn
from hanabira.desk.paint import CENTRE, LEFT, RIGHT, bed, hair, hatch, mapped, pencilled, shorter, swatch, text, units
from hanabira.desk.theme import font, role
from hanabira.session.words import stroke_words

if TYPE_CHECKING:
    from hanabira.core.colour.spaces import Array

LARGE, GROWS = 1.3, 0.72
"""How much larger the large type is."""
LEAST = (430.0, 430.0)
"""Design pixels that the card needs in its usual type."""
ACTS = {
    "reserve": "Leave the paper bare", "indent": "Indent the lines", "outline": "Map the edges", "ground": "Lay the ground",
    "undertone": "Lay the undertone", "gap": "Darken the gaps", "general": "Lay the general colour", "deepen": "Deepen", "texture": "Draw the texture",
    "blend": "Blend", "lift": "Lift", "scrape": "Scrape lights out", "light hair": "Draw the light hairs", "glaze": "Glaze",
    "accent": "Set the accents", "correct": "Correct", "highlight": "Set the highlights", "whisker": "Draw the whiskers", "fix": "Fix", "last look": "Look at the whole",
    "graphite": "Lift the graphite", "seam": "Work the seam", "second look": "Look at the anchors",
}  # fmt: skip
"""What a layer's role asks for, as an act."""


@dataclass(frozen=True)
class ClockPanel:
    """A panel with a time: what it is about, the time as it runs, how much of it is gone (0–1), and whether it is a drying one."""

    words: str
    time: str
    share: float = 0.0
    dries: bool = False


@dataclass(frozen=True)
class Now:
    """The step as it is drawn. ``clocks`` are the running step and what else runs; ``then`` what to have in hand next."""

    title: str = ""
    step: str = ""
    pencil: str = ""
    code: str = ""
    lab: Array | None = None
    paper: Array | None = None
    pressure: int = 0
    passes: int = 1
    stroke: str = ""
    stroke_mm: float = 0.0
    laid: str = ""
    direction_deg: float | None = None
    where: str = ""
    why: str = ""
    guess: str = ""
    clock: str = ""
    paused: bool = False
    next_words: str = ""
    next_lab: Array | None = None
    clocks: tuple[ClockPanel, ...] = ()
    waits: tuple[str, ...] = ()
    cautions: tuple[str, ...] = field(default=())


class EaselCard(Drawn):
    """Big, few words, nothing small to hit: everything is a key."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("Now at the easel", parent)
        self.now = Now()
        self.px_per_mm = 3.78
        self.large = False
        self.hidden_words: tuple[str, ...] = ()
        """Cautions that found no room when the card was last painted; they are counted on it and told on the bench."""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def set(self, now: Now, px_per_mm: float, large: bool = False) -> None:
        """Show another step or another minute."""
        self.now, self.px_per_mm, self.large = now, px_per_mm, large
        self.setAccessibleName(f"{now.step}. {now.title}. {now.pencil} {now.code}, {now.where}. {now.clock}. {' '.join(now.cautions)}")
        self.update()

    def design_size(self, width: float) -> tuple[float, float]:
        return 130, 130

    # -- type ------------------------------------------------------------------
    @staticmethod
    def _font(size: float, serif: bool) -> QFont:
        f = QFont(font("title" if serif else "body"))
        f.setPixelSize(round(size))
        return f

    def _line(
        self, p: QPainter, r: QRectF, words: str, size: float, serif: bool = False, ink: str = "ink", least: float = 16.0, align=LEFT
    ) -> None:  # noqa: ANN001
        """Words in one line, smaller where they do not fit, shortened at last."""
        words = units(words)
        f = self._font(size, serif)
        while size > least and QFontMetricsF(f).horizontalAdvance(words) > r.width():
            size -= 1
            f = self._font(size, serif)
        p.setFont(f)
        p.setPen(role(ink))
        p.drawText(r, int(align), shorter(p, r, words, QFontMetricsF(f)))

    # -- the card ------------------------------------------------------------------
    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("card"))
        mm = self.px_per_mm
        # the type is made for the chair; where the card is small it gives way before anything is cut
        fits = min(w / LEAST[0], h / LEAST[1])
        # in a large window it grows with the window, and once more where the artist asks for larger type
        k = min(fits, max(1.0, GROWS * fits) * (LARGE if self.large else 1.0))
        p.scale(k, k)
        w, h, mm = w / k, h / k, mm / k
        q = self.now
        x = 32.0 if w > 560 else 18.0
        room = w - 2 * x
        if not q.title:
            self._line(
                p, QRectF(x, h / 2 - 60, room, 50), q.step or ("Let it dry" if q.waits else "Nothing to do now"), 40, True, align=CENTRE
            )
            self._flow(p, QRectF(x, h / 2, room, h / 2 - 142), q.why, align=Qt.AlignmentFlag.AlignHCenter)
            self._clocks(p, QRectF(x, h - 142, room, 128))
            return
        y = 12.0
        self._line(p, QRectF(x, y, room, 30), q.step, 23, ink="ink2")
        self._line(p, QRectF(x, y + 28, room, 58), q.title, 46, True, least=28)
        y += 92
        foot = h - 142.0
        words_high, caution_high = self._words_high(room)
        free = foot - y - 40 - 12  # the line of the stroke and a gap
        block = min(156.0, max(74.0, 0.42 * free)) if q.lab is not None else 56.0
        stroke = q.stroke and q.lab is not None and not q.cautions
        panel = min(112.0, free - block - words_high - caution_high - 20) if stroke else 0.0
        if panel < 34:
            panel = 0.0
        self._pencil(p, QRectF(x, y, room, block))
        y += block + 14
        if panel:
            self._stroke(p, QRectF(x, y, room, panel), mm)
            y += panel + 6
        self._line(p, QRectF(x, y, room - (90 if panel else 0), 34), self._how(), 25)
        if panel:
            self._line(p, QRectF(x + room - 90, y, 90, 34), "true size", 19, ink="ink2", align=RIGHT)
        y += 40
        y = self._cautions(p, QRectF(x, y, room, max(0.0, foot - y - 8)))
        if foot - y >= words_high > 0:
            self._flow(p, QRectF(x, y, room, words_high), q.why)
        self._clocks(p, QRectF(x, foot, room, 128))

    def _words_high(self, room: float) -> tuple[float, float]:
        q = self.now
        why = self._flow(None, QRectF(0, 0, room, 10_000), q.why) if q.why else 0.0
        return why, sum(self._flow(None, QRectF(0, 0, room - 26, 10_000), c, False) + 14 for c in q.cautions)

    def _flow(
        self, p: QPainter | None, r: QRectF, words: str, aside: bool = True, align: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignLeft
    ) -> float:
        """A reason in italics, or a caution, over as many lines as it needs; its height."""
        f = QFont(font("aside" if aside else "strong"))
        f.setPixelSize(21 if aside else 19)
        flags = int(Qt.TextFlag.TextWordWrap) | int(align)
        high = QFontMetricsF(f).boundingRect(r, flags, units(words)).height()
        if p is not None:
            p.setFont(f)
            p.setPen(role("ink2" if aside else "ink"))
            p.drawText(r, flags, units(words))
        return high + 4

    def _how(self) -> str:
        q = self.now
        stroke = stroke_words(q.stroke, q.stroke_mm, q.laid)
        words = ", ".join(v for v in (stroke, q.where) if v)
        return f"{words[:1].upper()}{words[1:]}"

    def _pencil(self, p: QPainter, r: QRectF) -> None:
        """The swatch laid by hand beside the flat one, code and name, pressure in strokes that thicken."""
        q = self.now
        if q.lab is None or q.paper is None:
            self._line(p, r, f"{q.pencil[:1].upper()}{q.pencil[1:]}", 44, True, least=24)
            return
        wide = min(212.0, 0.36 * r.width())
        bed(p, r.adjusted(6, 6, wide - r.width() - 6, -6), 6)
        box = QRectF(r.left() + 6, r.top() + 6, wide - 12, r.height() - 12)
        swatch(p, box, mapped(q.paper))
        swatch(p, QRectF(box.left() + 0.62 * box.width(), box.top(), 0.38 * box.width(), box.height()), mapped(q.lab))
        p.save()
        p.setClipRect(box)
        pencilled(
            p,
            QRectF(box.left() + 10, box.top() + 10, 0.62 * box.width() - 18, box.height() - 20),
            mapped(q.lab),
            3,
            max(1, (q.pressure + q.passes) // 2),
        )
        p.restore()
        tx, tw = r.left() + wide + 22, r.width() - wide - 22
        if r.height() >= 130:
            self._line(p, QRectF(tx, r.top() - 4, tw, 62), q.code, 56)
            self._line(p, QRectF(tx, r.top() + 56, tw, 44), q.pencil, 34, True, least=20)
            py = r.bottom() - 40
        else:
            self._line(p, QRectF(tx, r.top() - 4, tw, 40), f"{q.code} {q.pencil}", 32, True, least=20)
            py = r.bottom() - 36
        step = min(24.0, tw / 14)
        for k in range(5):
            bar = QRectF(tx + k * step, py, 2.5 + 1.6 * k, 36)
            path = QPainterPath()
            path.addRoundedRect(bar, bar.width() / 2, bar.width() / 2)
            if k < q.pressure:
                p.fillPath(path, role("ink"))
            else:
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.setPen(QPen(role("edge"), 1.2))
                p.drawPath(path)
        words = f"pressure {q.pressure}" + (f", {q.passes} passes" if q.passes > 1 else "")
        self._line(p, QRectF(tx + 5 * step + 14, py, tw - 5 * step - 14, 36), words, 25, least=14)

    def _stroke(self, p: QPainter, r: QRectF, mm: float) -> None:
        """The stroke at true size on the portrait's paper, over a millimetre edge."""
        q = self.now
        assert q.lab is not None and q.paper is not None
        bed(p, r.adjusted(6, 6, -6, -6), 6)
        box = r.adjusted(6, 6, -6, -6)
        p.fillRect(box, mapped(q.paper))
        p.save()
        p.setClipRect(box)
        rng = random.Random(5)
        colour = mapped(q.lab)
        if q.stroke in ("flick", "hatch", "squiggle") and q.stroke_mm:
            d = q.direction_deg if q.direction_deg is not None else 60.0
            rows = max(1, int((box.height() - 16) / (3.4 * mm)))
            for k in range(int(box.width() / (2.6 * mm)) + 1):
                for n in range(rows):
                    u, v = (
                        box.left() + (k + rng.uniform(-0.4, 0.4)) * 2.6 * mm,
                        box.top() + 8 + (n + rng.uniform(0.2, 0.9)) * (box.height() - 20) / rows,
                    )
                    hair(
                        p, u, v, ang=d + rng.gauss(0, 6), length=q.stroke_mm * mm * rng.uniform(0.8, 1.1), c=colour, w=1.0 + 0.35 * q.pressure,
                        bend=rng.gauss(0, 8), alpha=235,
                    )
        else:
            pencilled(p, box.adjusted(6, 6, -6, -12), colour, 4, max(1, q.pressure // 2))
        p.restore()
        ink = (
            role("ink")
            if mapped(q.paper).lightness() > 110 and role("ink").lightness() < 128
            else mapped((95 if mapped(q.paper).lightness() < 110 else 8, 0, 0))
        )
        p.setPen(QPen(ink, 1))
        for k in range(int(box.width() / mm) + 1):
            p.drawLine(QPointF(box.left() + k * mm, box.bottom()), QPointF(box.left() + k * mm, box.bottom() - (8 if k % 10 == 0 else 4)))

    def _cautions(self, p: QPainter, r: QRectF) -> float:
        """Cautions with a hatch in their edge, as many as find room; the foot of the last one."""
        y, hidden = r.top(), []
        for n, words in enumerate(self.now.cautions):
            high = self._flow(None, QRectF(0, 0, r.width() - 26, 10_000), words, False) + 6
            if y + high > r.bottom() and n:
                hidden.append(words)
                continue
            p.fillRect(QRectF(r.left(), y, r.width(), high), role("raised"))
            hatch(p, QRectF(r.left(), y, 12, high), "ink", 5, 1.4)
            self._flow(p, QRectF(r.left() + 22, y + 4, r.width() - 26, high), words, False)
            y += high + 6
        self.hidden_words = tuple(hidden)
        if hidden:
            n = len(hidden)
            text(
                p,
                QRectF(r.left(), min(y, r.bottom() - 18), r.width(), 20),
                f"{n} more caution{'s' if n > 1 else ''} on the bench: Esc",
                "strong",
                "ink",
                LEFT,
                elide=True,
            )
            y += 20
        return y

    def _clocks(self, p: QPainter, r: QRectF) -> None:
        """Panels: the step's clock, what dries or when to rest, what comes then."""
        q = self.now
        panels = len(q.clocks) + bool(q.next_words)
        if not panels:
            return
        gap = 14.0
        wide = (r.width() - gap * (panels - 1)) / panels
        for k, c in enumerate(q.clocks):
            box = self._panel(p, QRectF(r.left() + k * (wide + gap), r.top(), wide, r.height()))
            left = box.left()
            if c.dries:
                icons.draw(p, "drop", QRectF(left, box.top() + 2, 24, 24), "ink")
                left += 30
            self._line(p, QRectF(left, box.top(), box.right() - left, 28), c.words, 21, ink="ink2", least=12)
            self._line(
                p, QRectF(box.left(), box.top() + 28, box.width(), 58), c.time, 52, ink="ink2" if k == 0 and q.paused else "ink", least=24
            )
            bar = QRectF(box.left(), box.bottom() - 10, box.width(), 10)
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(role("edge"), 1))
            p.drawRect(bar)
            full = QRectF(bar.left(), bar.top(), bar.width() * max(0.0, min(1.0, c.share)), bar.height())
            if c.dries:  # what still has to dry, draining to the left
                hatch(p, QRectF(bar.left(), bar.top(), bar.width() * (1 - max(0.0, min(1.0, c.share))), bar.height()), "ink", 5, 1.4)
            else:
                p.fillRect(full, role("ink"))
        if q.next_words:
            box = self._panel(p, QRectF(r.left() + (panels - 1) * (wide + gap), r.top(), wide, r.height()))
            head, _, rest = q.next_words.partition("\n")
            right = box.right()
            if q.next_lab is not None and box.width() > 110:
                side = 44.0
                bed(p, QRectF(box.right() - side, box.top() + 2, side - 2, side - 2))
                swatch(p, QRectF(box.right() - side, box.top() + 2, side - 2, side - 2), mapped(q.next_lab))
                right -= side + 8
            self._line(p, QRectF(box.left(), box.top(), right - box.left(), 28), "Then", 21, ink="ink2")
            self._line(p, QRectF(box.left(), box.top() + 48, box.width(), 30), head, 23, least=13)
            self._line(p, QRectF(box.left(), box.top() + 78, box.width(), 30), rest, 21, least=13, ink="ink2")

    @staticmethod
    def _panel(p: QPainter, r: QRectF) -> QRectF:
        path = QPainterPath()
        path.addRoundedRect(r, 8, 8)
        p.fillPath(path, role("well"))
        return r.adjusted(14, 8, -14, -10)
