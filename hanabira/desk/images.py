"""Arrays as Qt draws them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtGui import QIcon, QImage, QPixmap

from hanabira.session import view as views

if TYPE_CHECKING:
    import numpy as np


def wrap(four: np.ndarray) -> QImage:
    """QImage that looks into a copy made by `hanabira.session.view.screen` and keeps it alive."""
    h, w = four.shape[:2]
    image = QImage(four.data, w, h, w * 4, QImage.Format.Format_RGB32)
    image.memory = four  # type: ignore[attr-defined]
    return image


def to_image(pixels: np.ndarray) -> QImage:
    """QImage of (h, w, 3) uint8 sRGB."""
    return wrap(views.screen(pixels))


def plain_icon(image: QPixmap) -> QIcon:
    """An icon that keeps its colours: the toolkit tints chosen and disabled ones, and a swatch must not change."""
    out = QIcon()
    for mode in (QIcon.Mode.Normal, QIcon.Mode.Selected, QIcon.Mode.Disabled, QIcon.Mode.Active):
        out.addPixmap(image, mode)
    return out
