"""Drawn over the studied photo: the grid, the light's direction, the focal point, the strokes of the cut."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen

from hanabira.desk.gestures.marks import draw_stroke
from hanabira.desk.paint import CENTRE, text, two_tone, width

if TYPE_CHECKING:
    from hanabira.core.study.grid import Grid
    from hanabira.core.study.preparation import Preparation
    from hanabira.desk.widgets.mat import Mat


class GridOver:
    """The drawing grid in millimetres of the picture, with its diagonals and numbers."""

    def __init__(self, grid: Callable[[], Grid | None]) -> None:
        self.grid = grid

    def __call__(self, p: QPainter, mat: Mat) -> None:
        grid = self.grid()
        if grid is None:
            return
        b = mat.border_mm
        w, h = mat.sheet_mm[0] - 2 * b, mat.sheet_mm[1] - 2 * b
        p.save()
        p.setClipRect(mat.picture_rect.intersected(mat.inner), Qt.ClipOperation.IntersectClip)
        for lines, dash in ((grid.slants(w, h), [5.0, 4.0]), (grid.lines(w, h), None)):
            path = QPainterPath()
            for x0, y0, x1, y1 in lines:
                path.moveTo(mat.px(b + x0, b + y0))
                path.lineTo(mat.px(b + x1, b + y1))
            # quieter than an outline: the fur must stay readable under many lines
            for colour, wide in ((QColor(0, 0, 0, 70), 2.0), (QColor(255, 255, 255, 190), 0.8)):
                pen = QPen(colour, wide)
                if dash:
                    pen.setDashPattern(dash)
                p.setPen(pen)
                p.drawPath(path)
        p.restore()
        # in the bare border where it is wide enough, else just inside
        out = 1 if b * mat.zoom >= 13 else -1
        step, shown = max(1, math.ceil(16 / max(grid.spacing_mm * mat.zoom, 1e-6))), 0
        for x, y, name in grid.numbers(w, h):
            shown = 0 if (y == 0 and name == "1") or (x == 0 and name == "a") else shown + 1
            if shown % step:
                continue
            c = mat.px(b + x, b + y) + (QPointF(0, -8.5 * out) if y == 0 else QPointF(-9.5 * out, 0))
            r = QRectF(0, 0, width(name, "note") + 6, 15)
            r.moveCenter(c)
            if out < 0:
                p.fillRect(r, QColor(241, 241, 241, 225))
            text(p, r, name, "note", QColor("#1b1b1b") if out < 0 or mat.paper.lightness() > 110 else QColor("#f4f4f4"), CENTRE)


class LightOver:
    """Where the light comes from, as a small sun of three rays at the picture's rim, and the focal point as a ring."""

    def __init__(self, prep: Callable[[], Preparation | None], focal: Callable[[], bool]) -> None:
        self.prep, self.focal = prep, focal

    def __call__(self, p: QPainter, mat: Mat) -> None:
        prep = self.prep()
        if prep is None:
            return
        r = mat.picture_rect.intersected(mat.inner)
        if prep.sun_deg is not None and r.width() > 60:
            a = math.radians(180 - prep.sun_deg if mat.mirrored else prep.sun_deg)
            d = QPointF(math.cos(a), -math.sin(a))
            reach = min(r.width() / 2 / max(abs(d.x()), 1e-6), r.height() / 2 / max(abs(d.y()), 1e-6)) - 26
            foot = r.center() + d * reach
            path = QPainterPath()
            path.addEllipse(foot, 7, 7)
            for turn in (-0.5, 0.0, 0.5):
                ray = QPointF(math.cos(a + math.pi + turn), -math.sin(a + math.pi + turn))
                path.moveTo(foot + ray * 11)
                path.lineTo(foot + ray * (26 if turn == 0 else 20))
            two_tone(p, path, 1.8)
        if prep.focal is not None and self.focal():
            c = mat.photo_px(*prep.focal)
            path = QPainterPath()
            path.addEllipse(c, 13, 13)
            path.addEllipse(c, 3, 3)
            two_tone(p, path, 1.5)


class CutOver:
    """The rough outline and the keep and drop strokes, while the cut is worked on."""

    def __init__(self, prep: Callable[[], Preparation | None], on: Callable[[], bool]) -> None:
        self.prep, self.on = prep, on

    def __call__(self, p: QPainter, mat: Mat) -> None:
        prep = self.prep()
        if prep is None or not self.on():
            return
        if len(prep.outline) > 2:
            draw_stroke(p, mat, (*prep.outline, prep.outline[0]), 1.0, dash=[5, 4])
        for line in prep.keep:
            draw_stroke(p, mat, line, 3.0)
        for line in prep.drop:
            draw_stroke(p, mat, line, 3.0, dash=[1.2, 1.6])
        p.setPen(QPen(QColor(0, 0, 0), 1))
