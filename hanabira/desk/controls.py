"""Small controls: the petal button, the step control, captions and labels."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from functools import cache

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QPainter, QPainterPath, QPaintEvent, QPen, QResizeEvent, QTextLayout
from PyQt6.QtWidgets import (
    QAbstractButton,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QLabel,
    QSizePolicy,
    QWidget,
)

from hanabira.desk import icon as icons
from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import LEFT, RIGHT, focus_ring, height, painting, text, units, width
from hanabira.desk.rows import Row
from hanabira.desk.theme import font, role, scale, u
from hanabira.handbook.pages import glossary


def leaf(r: QRectF, tip: float = 12.0, round_: float = 6.0) -> QPainterPath:
    """Button outline: softly rounded on the left, a petal's tip on the right."""
    p = QPainterPath(QPointF(r.left() + round_, r.top()))
    p.lineTo(r.right() - tip * 1.6, r.top())
    p.cubicTo(r.right() - tip * 0.6, r.top(), r.right() - tip * 0.2, r.center().y() - 3, r.right(), r.center().y())
    p.cubicTo(r.right() - tip * 0.2, r.center().y() + 3, r.right() - tip * 0.6, r.bottom(), r.right() - tip * 1.6, r.bottom())
    p.lineTo(r.left() + round_, r.bottom())
    p.quadTo(r.left(), r.bottom(), r.left(), r.bottom() - round_)
    p.lineTo(r.left(), r.top() + round_)
    p.quadTo(r.left(), r.top(), r.left() + round_, r.top())
    return p


class PetalButton(QAbstractButton):
    """A button. ``main`` is the one next thing of a stage: filled, with the petal's tip."""

    def __init__(self, label: str, icon: str | None = None, main: bool = False, tip: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.icon_name, self.main = icon, main
        self.signs_only = False
        self.setText(label)
        if tip:
            self.setToolTip(tip)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)

    def setText(self, label: str) -> None:
        super().setText(label)
        self.setAccessibleName(label)
        self.updateGeometry()

    def sizeHint(self) -> QSize:
        if self.signs_only:
            return QSize(round(50 * scale()), round(50 * scale()))
        w = width(self.text(), "strong") + 30 + (26 if self.icon_name else 0) + (14 if self.main else 0)
        return QSize(int((w + 13) * scale()) + 1, round(50 * scale()))

    def minimumSizeHint(self) -> QSize:
        if self.signs_only:
            return self.sizeHint()
        longest = max((width(q, "caption") for q in self.text().split()), default=30.0)
        w = max(longest, width(self.text(), "caption") * 0.56) + 34 + (26 if self.icon_name else 0) + (14 if self.main else 0)
        return QSize(min(self.sizeHint().width(), round(w * scale())), self.sizeHint().height())

    def paintEvent(self, _: QPaintEvent | None) -> None:
        with painting(self) as p:
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
            s = scale()
            p.scale(s, s)
            whole = QRectF(0, 0, self.width() / s, self.height() / s)
            r = whole.adjusted(5, 5, -5, -5)
            shape = leaf(r) if self.main else QPainterPath()
            if not self.main:
                shape.addRoundedRect(r, 6, 6)
            off, hover = not self.isEnabled(), self.underMouse()
            if self.main and not off:
                p.fillPath(shape, role("plum_fill"))
                if hover or self.isDown():
                    p.setPen(QPen(role("on_plum"), 1.2))
                    p.drawPath(leaf(r.adjusted(3, 3, -5, -3), 11, 4))
            else:
                p.fillPath(shape, role("plum_wash" if hover and not off else "raised"))
                pen = QPen(role("edge"), 1)
                if off:
                    pen.setStyle(Qt.PenStyle.DashLine)
                p.setPen(pen)
                p.drawPath(shape)
            ink = "on_plum" if self.main and not off else "ink2" if off else "ink"
            x = r.left() + 13
            if self.icon_name:
                icons.draw(p, self.icon_name, QRectF(r.center().x() - 10 if self.signs_only else x - 1, r.center().y() - 10, 20, 20), ink)
                x += 26
            room = QRectF(x, r.top(), r.right() - x - (12 if self.main else 6), r.height())
            if self.signs_only:
                pass
            elif width(self.text(), "strong") <= room.width() - 1:
                text(p, room, self.text(), "strong", ink, LEFT)
            else:  # two small lines rather than a word cut short
                high = min(room.height(), height(self.text(), room.width(), "caption"))
                text(p, QRectF(room.left(), room.center().y() - high / 2, room.width(), high), self.text(), "caption", ink, wrap=True)
            if self.hasFocus():
                ring = whole.adjusted(1, 1, -1, -1)
                path = leaf(ring, 15, 9) if self.main else QPainterPath()
                if not self.main:
                    path.addRoundedRect(ring, 9, 9)
                focus_ring(p, path)


def act_button(words: str, icon: str | None, run: Callable[[], object], tip: str = "") -> PetalButton:
    """A button that does one thing."""
    q = PetalButton(words, icon, tip=tip)
    q.clicked.connect(lambda _=False: run())
    return q


class Caption(Drawn):
    """Heading of one group on the bench card; a dotted underline means it opens."""

    opened = pyqtSignal()

    def __init__(self, label: str, opens: str = "", parent: QWidget | None = None) -> None:
        super().__init__(label, parent)
        self.label, self.opens = label, opens

    def design_size(self, width: float) -> tuple[float, float]:
        return 120, 24

    def stops(self, w: float, h: float) -> list[Stop]:
        if not self.opens:
            return []
        n = width(self.opens, "note")
        return [Stop("open", QRectF(w - n - 4, 0, n + 4, 24), f"{self.label}: {self.opens}", f"Show {self.opens}", self.opened.emit)]

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.setPen(QPen(role("line"), 1))
        p.drawLine(QPointF(0, 0.5), QPointF(w, 0.5))
        n = width(self.opens, "note") if self.opens else 0
        text(p, QRectF(0, 4, w - n - 8, h - 4), self.label, "caption", "ink", elide=True)
        if self.opens:
            text(p, QRectF(w - n, 4, n + 1, h - 4), self.opens, "note", "plum" if self.hovered else "ink2", RIGHT)
            p.setPen(QPen(role("ink2"), 1.4, Qt.PenStyle.DotLine, Qt.PenCapStyle.RoundCap))
            p.drawLine(QPointF(w - n, 22), QPointF(w, 22))


def measured_caption(explain: Callable[[str], object], words: str, topic: str) -> Caption:
    """A caption over measured figures that opens how they are measured."""
    q = Caption(words, "how measured")
    q.opened.connect(lambda: explain(topic))
    return q


_COMMON = {
    "area", "border", "coat", "edge", "layer", "lean", "light", "log", "mat", "marking", "measure", "place", "stroke", "step", "surface", "target", "value",
    "commission", "correction", "exposure", "fault", "fit", "general", "ground", "hue", "kit", "pass", "pressure", "reach", "recipe", "session", "tray",
    "backdrop", "lift", "forecast", "iris", "pupil", "aim", "anchor", "deepen", "scrape", "neighbour", "whisker", "temperature", "bundle",
}  # fmt: skip
"""Words of the craft that everybody reads without asking: dotted everywhere they would be noise. They stand in the handbook."""
MOST_DOTTED = 2


@cache
def _dotted() -> re.Pattern[str]:
    words = sorted((w for w in glossary() if w not in _COMMON), key=len, reverse=True)
    return re.compile(r"(?<![\w*])(" + "|".join(re.escape(w) for w in words) + r")(?![\w*])", re.IGNORECASE)


class Words(Drawn):
    """A paragraph in one of the type roles, as high as it needs. The first words of the craft in it are dotted and open what they mean."""

    def __init__(self, words: str, type_: str = "small", ink: str = "ink2", parent: QWidget | None = None) -> None:
        super().__init__(words, parent)
        self.words, self.type_, self.ink = words, type_, ink
        self.dots = type_ in ("small", "body", "aside")
        """Whether words of the craft are dotted in it: not in headings."""

    def refresh(self) -> None:
        super().refresh()
        self.setFocusPolicy(
            Qt.FocusPolicy.NoFocus
        )  # by the keyboard its words are found in the handbook: each paragraph a stop would be too many

    def stops(self, w: float, h: float) -> list[Stop]:
        out = []
        for word, r in self._places(w):
            key = word.lower() if word.lower() in glossary() else word
            told = glossary().get(key)
            if told is not None:
                high = max(r.height(), 24.0 / scale())
                at = QRectF(
                    r.center().x() - max(r.width(), 24.0 / scale()) / 2, r.center().y() - high / 2, max(r.width(), 24.0 / scale()), high
                )
                out.append(Stop(f"word {key}", at, f"{word}: what it means", told.words, lambda key=key: self._open(key)))
        return out

    def _open(self, word: str) -> None:
        above: QWidget | None = self.parentWidget()
        while above is not None and not hasattr(above, "open_word"):
            above = above.parentWidget()
        if above is not None:
            above.open_word(word, self)

    def _places(self, w: float) -> list[tuple[str, QRectF]]:
        """Dotted words and where they stand, in design units."""
        if not self.dots or not self.words:
            return []
        plain = units(self.words)
        found: list[re.Match[str]] = []
        for m in _dotted().finditer(plain):
            if m.group(1).lower() not in {q.group(1).lower() for q in found}:
                found.append(m)
            if len(found) == MOST_DOTTED:
                break
        if not found:
            return []
        layout = QTextLayout(plain, font(self.type_))
        layout.beginLayout()
        line, y, out = layout.createLine(), 0.0, []
        leading = QFontMetricsF(font(self.type_)).lineSpacing()
        while line.isValid():
            line.setLineWidth(max(w, 60.0))
            for m in found:
                if line.textStart() <= m.start() < line.textStart() + line.textLength():
                    left, _ = line.cursorToX(m.start())
                    right, _ = line.cursorToX(min(m.end(), line.textStart() + line.textLength()))
                    out.append((m.group(1), QRectF(left, y, right - left, leading)))
            y += leading
            line = layout.createLine()
        layout.endLayout()
        return out

    def set(self, words: str) -> None:
        """Show other words."""
        self.words = words
        self.setAccessibleName(words)
        self.refresh()

    def design_size(self, width: float) -> tuple[float, float]:
        return 60, (height(self.words, max(width, 60), self.type_) + 3) if self.words else 0

    def paint(self, p: QPainter, w: float, h: float) -> None:
        if self.words:
            text(p, QRectF(0, 0, w, h), self.words, self.type_, self.ink, wrap=True)
        for word, r in self._places(w):
            p.setPen(
                QPen(role("plum" if self.hovered == f"word {word.lower()}" else "ink2"), 1.2, Qt.PenStyle.DotLine, Qt.PenCapStyle.RoundCap)
            )
            p.drawLine(QPointF(r.left(), r.bottom() - 0.5), QPointF(r.right(), r.bottom() - 0.5))


class Stepper(Drawn):
    """A number with a control to either side; arrow keys and the wheel change it too."""

    changed = pyqtSignal(int)

    def __init__(self, name: str, low: int, high: int, value: int, words: str = "", parent: QWidget | None = None) -> None:
        super().__init__(name, parent)
        self.low, self.high, self.value, self.words = low, high, value, words
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)

    def _whole(self) -> float:
        return 96 + (width(self.words, "small") + 8 if self.words else 0)

    def design_size(self, width: float) -> tuple[float, float]:
        """The words stand beside the figure, or under it where there is no room."""
        whole = self._whole()
        return whole, 32 if width >= whole - 1 or not self.words else 34 + height(self.words, max(width, 96.0), "small")

    def sizeHint(self) -> QSize:
        return QSize(round(self._whole() * scale()) + 1, round(32 * scale()))

    def minimumSizeHint(self) -> QSize:
        return QSize(round(100 * scale()), round(32 * scale()))

    def stops(self, w: float, h: float) -> list[Stop]:
        name = self.accessibleName()
        less, more = f"{name}: less than {self.value}", f"{name}: more than {self.value}"
        return [
            Stop(
                "less",
                QRectF(3, 3, 28, 26),
                less,
                less,
                lambda: self._set(self.value - 1),
                "" if self.value > self.low else f"{self.low} is the least",
            ),
            Stop(
                "more",
                QRectF(63, 3, 28, 26),
                more,
                more,
                lambda: self._set(self.value + 1),
                "" if self.value < self.high else f"{self.high} is the most",
            ),
        ]

    def _set(self, value: int) -> None:
        value = min(self.high, max(self.low, value))
        if value != self.value:
            self.value = value
            self.refresh()
            self.changed.emit(value)

    def paint(self, p: QPainter, w: float, h: float) -> None:
        for stop, name in zip(self._stops, ("minus", "add"), strict=False):
            path = QPainterPath()
            path.addRoundedRect(stop.rect.adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)
            p.fillPath(path, role("plum_wash" if self.hovered == stop.key and not stop.off else "raised"))
            pen = QPen(role("edge"), 1)
            if stop.off:
                pen.setStyle(Qt.PenStyle.DashLine)
            p.setPen(pen)
            p.drawPath(path)
            icons.draw(p, name, QRectF(stop.rect.center().x() - 8, stop.rect.center().y() - 8, 16, 16), "ink2" if stop.off else "ink")
        text(p, QRectF(33, 3, 28, 26), str(self.value), "strong", "ink", Qt.AlignmentFlag.AlignCenter)
        if self.words and w >= self._whole() - 1:
            text(p, QRectF(97, 3, w - 97, 26), self.words, "small", "ink2")
        elif self.words:
            text(p, QRectF(3, 33, w - 3, h - 33), self.words, "small", "ink2", wrap=True)


class Pick(Drawn):
    """One of a few words: the chosen one is bold on a heavy line; arrows and Enter choose."""

    picked = pyqtSignal(str)

    def __init__(self, name: str, choices: Sequence[tuple[str, str]], chosen: str, parent: QWidget | None = None) -> None:
        super().__init__(name, parent)
        self.choices, self.chosen = list(choices), chosen

    def _rects(self, w: float) -> list[QRectF]:
        out: list[QRectF] = []
        x = y = 0.0
        for _key, words in self.choices:
            n = width(words, "strong") + 16
            if out and x + n > max(w, 100):
                x, y = 0.0, y + 32
            out.append(QRectF(x, y + 2, n, 28))
            x += n + 2
        return out

    def design_size(self, width: float) -> tuple[float, float]:
        return 120, self._rects(width)[-1].bottom() + 2 if self.choices else 0

    def stops(self, w: float, h: float) -> list[Stop]:
        return [
            Stop(key, r, f"{words}, chosen" if key == self.chosen else words, words, lambda key=key: self._take(key))
            for (key, words), r in zip(self.choices, self._rects(w), strict=True)
        ]

    def _take(self, key: str) -> None:
        self.chosen = key
        self.refresh()
        self.picked.emit(key)

    def paint(self, p: QPainter, w: float, h: float) -> None:
        for (key, words), r in zip(self.choices, self._rects(w), strict=True):
            here = key == self.chosen
            if self.hovered == key and not here:
                p.fillRect(r, role("plum_wash"))
            text(p, r, words, "strong" if here else "body", "ink", Qt.AlignmentFlag.AlignCenter)
            p.setPen(QPen(role("plum" if here else "line"), 2.4 if here else 1))
            p.drawLine(QPointF(r.left() + 3, r.bottom() - 0.5), QPointF(r.right() - 3, r.bottom() - 0.5))


def row(*parts: QWidget | None) -> Row:
    """Widgets side by side, in more lines where the width does not hold them; None is a spring."""
    box = Row(u(4))
    for part in parts:
        box.add_spring() if part is None else box.addWidget(part)
    return box


def _arrow(q: QWidget, *names: str) -> None:
    """Our own marks at the right of a field that opens or counts."""
    with painting(q) as p:
        n = u(14)
        x = q.width() - n - u(7)
        for k, name in enumerate(names):
            y = (q.height() - n) / 2 if len(names) == 1 else q.height() * (0.27 + 0.46 * k) - u(11) / 2
            size = n if len(names) == 1 else u(11)
            icons.draw(p, name, QRectF(x, y, size, size), "ink" if q.isEnabled() else "ink2")


class Choice(QComboBox):
    """A field that opens a list. Where it is too narrow for what is chosen, the whole of it is its tooltip."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.setMinimumContentsLength(6)
        self._told = ""
        self.currentTextChanged.connect(lambda _words: self._tell())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._tell()

    def _tell(self) -> None:
        words = self.currentText()
        cut = self.fontMetrics().horizontalAdvance(words) + u(34) > self.width()
        if self.toolTip() == self._told:  # one that says more than the words stays
            self._told = words if cut else ""
            self.setToolTip(self._told)

    def minimumSizeHint(self) -> QSize:
        return QSize(min(super().minimumSizeHint().width(), u(110)), super().minimumSizeHint().height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        _arrow(self, "down")

    def wheelEvent(self, event) -> None:  # noqa: ANN001 - a passing wheel must not change anything
        event.ignore()


class Number(QDoubleSpinBox):
    """A field for a figure with its unit."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        _arrow(self, "up", "down")

    def wheelEvent(self, event) -> None:  # noqa: ANN001
        if self.hasFocus():
            super().wheelEvent(event)
        else:
            event.ignore()


def form() -> QFormLayout:
    """Labels with fields beside them, or under them where the width does not hold both."""
    q = QFormLayout()
    q.setContentsMargins(0, u(4), 0, u(4))
    q.setHorizontalSpacing(u(12))
    q.setVerticalSpacing(u(6))
    q.setRowWrapPolicy(QFormLayout.RowWrapPolicy.WrapLongRows)
    q.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.ExpandingFieldsGrow)
    return q


def label(words: str, type_: str = "small", ink: str = "ink2") -> QLabel:
    """A one-line label for forms."""
    q = QLabel(units(words))
    q.setMinimumHeight(u(30))
    q.setAlignment(LEFT)
    q.setFont(font(type_, scaled=True))
    q.setStyleSheet(f"color: {role(ink).name()}; font-size: {font(type_, scaled=True).pixelSize()}px;")
    return q
