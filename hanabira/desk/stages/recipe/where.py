"""Where the chosen layer goes, outlined on the drained photo."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QColor, QPainter

from hanabira.desk.gestures.outlines import ring_path
from hanabira.desk.paint import disc, text, two_tone
from hanabira.desk.stages.recipe import by_place

if TYPE_CHECKING:
    from hanabira.desk.stages.recipe.stage import RecipeStage
    from hanabira.desk.widgets.mat import Mat


class WhereOutline:
    """Outline and number of the area whose layer is shown on the drained photo."""

    def __init__(self, stage: RecipeStage) -> None:
        self.stage = stage

    def __call__(self, p: QPainter, mat: Mat) -> None:
        area = self.stage.session.area
        if area is None:
            return
        path = ring_path(area.ring, mat, area.smooth)
        two_tone(p, path, 2.0)
        box = path.boundingRect()
        on_edge = path.pointAtPercent(0.0)
        c = (
            on_edge
            if mat.inner.contains(on_edge)
            else QPointF(max(mat.inner.left() + 18, box.left()), max(mat.inner.top() + 18, box.top()))
        )
        disc(p, c, area.number, True)
        layers = self.stage.layers
        if layers and not by_place.is_map(self.stage):
            forecast = self.stage.look == "forecast"
            words = (
                f"The portrait, here up to layer {self.stage.at + 1}"
                if forecast
                else f"In full colour: where layer {self.stage.at + 1} goes"
            )
            p.fillRect(QRectF(mat.inner.left() + 8, mat.inner.bottom() - 30, 250, 22), QColor(240, 240, 240, 235))
            text(p, QRectF(mat.inner.left() + 14, mat.inner.bottom() - 30, 240, 22), words, "small", QColor("#101010"), elide=True)
