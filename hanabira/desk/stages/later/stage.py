"""Stages and rooms that are not built yet say so in one line."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QSizePolicy

from hanabira.desk import icon as icons
from hanabira.desk.drawn import Drawn
from hanabira.desk.paint import text
from hanabira.desk.stage import Stage
from hanabira.desk.theme import role

if TYPE_CHECKING:
    from hanabira.desk.window import Desk

LINES = {
    "Practice": ("practice", "Comes later: exercises for values, strokes and layers."),
}


class _Page(Drawn):
    def __init__(self, icon: str, words: str) -> None:
        super().__init__(words)
        self.icon_name, self.words = icon, words
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def design_size(self, width: float) -> tuple[float, float]:
        return 240, 200

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("mat"))
        icons.draw(p, self.icon_name, QRectF(w / 2 - 24, h / 2 - 64, 48, 48), "mat_ink")
        text(p, QRectF(w * 0.15, h / 2, w * 0.7, 80), self.words, "name", "mat_ink", Qt.AlignmentFlag.AlignHCenter, wrap=True)


class Later(Stage):
    """One honest line, and the way back to what works."""

    def __init__(self, desk: Desk, name: str) -> None:
        super().__init__(desk)
        self.name = name
        self.centre = _Page(*LINES[name])

    def refresh(self) -> None:
        self.desk.bench.head.set("", self.name, "not in this version")
        self.desk.bench.set_parts([])
        back = "Recipe" if self.model.recipes else "Areas" if self.model.photo else "Brief"
        if self.model.commission is None:
            back = "Shelf"
        self._back = back
        self.desk.set_next(f"Back to {back}", "strata" if back == "Recipe" else "petal")
        self.desk.mark_values(None)

    def next(self) -> None:
        self.desk.show_room("Shelf") if self._back == "Shelf" else self.desk.go(self._back)
