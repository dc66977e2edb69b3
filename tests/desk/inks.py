"""How well painted words can be read: told whole, off one another, and standing out; the ground under them from a picture without words, their ink from the painter that draws them."""

from __future__ import annotations

from dataclasses import dataclass
from types import FunctionType
from unittest import mock

import numpy as np
from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtWidgets import QAbstractButton, QLabel, QLineEdit, QWidget

from hanabira.desk.drawn import Drawn
from tests.desk.survey import shown

LEAST = 4.5
"""Contrast of words with their ground (WCAG 2.2, 1.4.3), and of large ones."""
LEAST_LARGE, LARGE_PX = 3.0, 24.0
_SHARE = 0.15
"""This much of the ground under words may be nearer to their ink: an edge or a thread that they cross."""


def pixels(image: QImage) -> np.ndarray:
    """sRGB (h, w, 3) in 0–255."""
    image = image.convertToFormat(QImage.Format.Format_RGB888)
    bits = image.constBits()
    assert bits is not None
    bits.setsize(image.sizeInBytes())
    flat = np.frombuffer(bytes(bits), np.uint8).reshape(image.height(), image.bytesPerLine())
    return flat[:, : image.width() * 3].reshape(image.height(), image.width(), 3).astype(float)


def luminances(rgb: np.ndarray) -> np.ndarray:
    """Relative luminance (WCAG 2.2) of sRGB in 0–255."""
    v = rgb / 255
    return np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4) @ [0.2126, 0.7152, 0.0722]


def ratios(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    """Contrast ratios of luminances."""
    return (np.maximum(one, other) + 0.05) / (np.minimum(one, other) + 0.05)


@dataclass(frozen=True)
class Painted:
    """Words as a painter drew them: where they are seen in the root's pixels, their ink with its opacity, their size in pixels; the widget, and where in it."""

    words: str
    box: QRectF
    ink: QColor
    size: float
    widget: object
    at: QPointF


def painted_words(root: QWidget) -> list[Painted]:
    """All words that are painted under a root and not scrolled away."""
    drawn: list[Painted] = []
    real = QPainter.drawText

    def told(p: QPainter, *args: object) -> object:
        rect = next((q for q in args if isinstance(q, QRectF)), None)
        words = next((q for q in args if isinstance(q, str)), "")
        if rect is not None and words.strip():
            flags = next((q for q in args if isinstance(q, int)), 0)
            box = p.boundingRect(rect, flags, words)
            ink = QColor(p.pen().color())
            ink.setAlphaF(ink.alphaF() * p.opacity())
            place = p.deviceTransform().mapRect(box)
            seen = place.intersected(_visible(p.device(), root))
            if seen.width() * seen.height() > 0.5 * place.width() * place.height():  # the rest is scrolled away
                size = p.fontInfo().pixelSize() * p.deviceTransform().m22()
                drawn.append(Painted(words, seen, ink, size, p.device(), p.worldTransform().mapRect(box).center()))
        return real(p, *args)

    with mock.patch.object(QPainter, "drawText", told):
        root.grab()
    return drawn


def unreadable(root: QWidget) -> list[str]:
    """Words that run into other words, and shortened ones that the pointer does not tell whole."""
    seen = painted_words(root)
    out = []
    for n, one in enumerate(seen):
        for other in seen[:n]:
            both = one.box.intersected(other.box)
            if one.words != other.words and both.width() > 2 and both.height() > 0.35 * min(one.box.height(), other.box.height()):
                out.append(f"over each other: {one.words[:40]!r} and {other.words[:40]!r}")
        if one.words.endswith("…") and isinstance(one.widget, Drawn):
            tip = one.widget.tip(one.at)
            if one.words[:-1].strip() not in tip or one.words in tip:
                out.append(f"shortened and not told: {one.words!r}, the pointer says {tip[:60]!r}")
    return out


def faint(root: QWidget) -> list[str]:
    """Words under a root that stand out too little from what lies under them."""
    with mock.patch.object(QPainter, "drawText", lambda *_a: None):
        ground = pixels(root.grab().toImage())
    out = []
    high, wide = ground.shape[:2]
    for q in painted_words(root):
        x0, x1 = max(0, int(q.box.left())), min(wide, int(np.ceil(q.box.right())))
        y0, y1 = max(0, int(q.box.top())), min(high, int(np.ceil(q.box.bottom())))
        if x1 - x0 < 2 or y1 - y0 < 2:
            continue
        under = ground[y0:y1, x0:x1].reshape(-1, 3)
        a = q.ink.alphaF()
        seen = np.array([q.ink.red(), q.ink.green(), q.ink.blue()]) * a + under * (1 - a)
        got = float(np.quantile(ratios(luminances(seen), luminances(under)), _SHARE))
        if got < (LEAST_LARGE if q.size >= LARGE_PX else LEAST) - 0.05:
            out.append(f"faint: {q.words[:50]!r} {got:.1f} : 1 at {q.size:.0f} px")
    return out + _of_qt(root)


def _visible(device: object, root: QWidget) -> QRectF:
    """Where a painted widget can be seen, in the root's pixels; the whole root for what is painted elsewhere first."""
    if not isinstance(device, QWidget) or device is root:
        return QRectF(root.rect())
    seen = device.visibleRegion().boundingRect()
    return QRectF(QRect(device.mapTo(root, seen.topLeft()), seen.size()))


def _of_qt(root: QWidget) -> list[str]:
    """The same for words that the toolkit paints itself: the ink is what differs most from the commonest ground."""
    out = []
    for q in shown(root):
        words = q.text() if isinstance(q, QLabel | QAbstractButton | QLineEdit) else ""
        drawn_by_us = isinstance(type(q).paintEvent, FunctionType)
        if not words.strip() or not q.isEnabled() or q.width() < 8 or q.height() < 8 or drawn_by_us:
            continue
        if isinstance(q, QLabel) and q.textFormat() != Qt.TextFormat.PlainText and "<" in words:
            continue
        light = luminances(pixels(q.grab().toImage()))
        values, counts = np.unique(light.round(3), return_counts=True)
        got = float(ratios(light, values[counts.argmax()]).max())
        if got < LEAST - 0.4:  # thin strokes never reach their ink's own colour
            out.append(f"faint: {words[:50]!r} {got:.1f} : 1 in {type(q).__name__}")
    return out
