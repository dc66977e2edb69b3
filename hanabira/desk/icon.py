"""Our icons: SVG files in one stroke, tinted with a role of the theme."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QByteArray, QRectF
from PyQt6.QtSvg import QSvgRenderer

from hanabira.desk.theme import role

if TYPE_CHECKING:
    from PyQt6.QtGui import QColor, QPainter

FOLDER = Path(__file__).parent / "icons"


@lru_cache(maxsize=256)
def _renderer(name: str, colour: str) -> QSvgRenderer:
    svg = (FOLDER / f"{name}.svg").read_text("utf-8").replace("currentColor", colour)
    return QSvgRenderer(QByteArray(svg.encode()))


def names() -> list[str]:
    """All icons that ship."""
    return sorted(p.stem for p in FOLDER.glob("*.svg"))


def draw(p: QPainter, name: str, r: QRectF, colour: str | QColor = "ink") -> None:
    """Draw an icon into a square rectangle."""
    c = role(colour) if isinstance(colour, str) else colour
    _renderer(name, c.name()).render(p, r)
