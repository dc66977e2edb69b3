"""A small picture of patches with the ground round them: what a question is about."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QPainter, QPainterPath, QPen, QPolygonF

from hanabira.desk.drawn import Drawn
from hanabira.desk.paint import two_tone
from hanabira.desk.theme import role

SIDE, ROUND = 92.0, 0.35
"""Design pixels of a side, and how much of the patches' own size is shown round them."""
Ring = Sequence[tuple[float, float]]


class PatchPicture(Drawn):
    """``rings`` in photo pixels; the ``image`` shows the whole photo of ``photo`` (w, h) pixels."""

    def __init__(self, name: str, rings: Sequence[Ring], image: QImage, photo: tuple[int, int]) -> None:
        super().__init__(name)
        self.rings, self.image, self.photo = tuple(rings), image, photo

    def design_size(self, width: float) -> tuple[float, float]:
        return SIDE, SIDE

    def shown(self) -> QRectF:
        """The square of the photo that is shown, in its pixels."""
        xs, ys = [x for r in self.rings for x, _y in r], [y for r in self.rings for _x, y in r]
        side = (1 + 2 * ROUND) * max(max(xs) - min(xs), max(ys) - min(ys))
        return QRectF((min(xs) + max(xs) - side) / 2, (min(ys) + max(ys) - side) / 2, side, side)

    def paint(self, p: QPainter, w: float, h: float) -> None:
        frame, at = QRectF(0.5, 0.5, SIDE - 1, SIDE - 1), self.shown()
        k = self.image.width() / self.photo[0]
        p.fillRect(frame, role("mat"))
        p.save()
        p.setClipRect(frame)
        scale = frame.width() / at.width()
        whole = QRectF(frame.left() - at.left() * scale, frame.top() - at.top() * scale, self.photo[0] * scale, self.photo[1] * scale)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.drawImage(whole, self.image, QRectF(0, 0, self.photo[0] * k, self.photo[1] * k))
        for ring in self.rings:
            path = QPainterPath()
            path.addPolygon(QPolygonF([QPointF(frame.left() + (x - at.left()) * scale, frame.top() + (y - at.top()) * scale) for x, y in ring]))
            path.closeSubpath()
            two_tone(p, path, 1.2, [5.0, 3.0], 230)
        p.restore()
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(role("edge"), 1))
        p.drawRect(frame)
