"""The pictures of the empty shelf, from the demo studio: ``python -m tools.first_shelf``. Each is a real result of the application."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np  # noqa: E402  (the platform has to be named before the toolkit is loaded)
from PyQt6.QtCore import QPointF, Qt  # noqa: E402
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath  # noqa: E402

from hanabira.core.token import Token  # noqa: E402
from hanabira.demo.studio import build_demo  # noqa: E402
from hanabira.desk.paint import disc, two_tone  # noqa: E402
from hanabira.desk.start import make_app  # noqa: E402
from tools.screenshots import Shown, opened  # noqa: E402

TARGET = Path(__file__).parent.parent / "hanabira" / "desk" / "first"
SIZE = (484, 616)
"""Pixels of a picture: twice what is shown."""


def main() -> None:
    """Write the three pictures."""
    app = make_app()
    TARGET.mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        studio = Path(folder) / "demo"
        build_demo(studio)
        with opened(app, studio, TARGET, commission="demo-tansy") as shown:
            shown.desk.go("Recipe")
            shown.quiet(3)
            for name, image in (("measure", measured(shown)), ("lay", laid(shown)), ("near", near(shown))):
                image.save(str(TARGET / f"{name}.jpg"), "JPG", 88)


def _photo(shown: Shown) -> QImage:
    """The client's photo."""
    assert shown.session.view is not None
    return _scaled(shown.session.view.pixels, shown)


def _forecast(shown: Shown) -> np.ndarray:
    """Every area as its whole recipe is foretold, (h, w, 3) uint8."""
    m = shown.session
    for a in m.areas:
        m.want_measures(a.id)
        shown.quiet(1)
    assert m.view is not None
    return m.darkroom.foretold(m.view, {a.id: m.recipe_layers(a.id) for a in m.areas if m.recipe_layers(a.id)})(Token())


def _scaled(pixels: np.ndarray, shown: Shown) -> QImage:
    """What of a picture lies on the sheet, scaled to fill ours."""
    photo = shown.session.photo
    assert photo is not None
    k = pixels.shape[1] / photo.width_px
    x, y, w, h = (round(v * k) for v in photo.crop)
    part = np.ascontiguousarray(pixels[y : y + h, x : x + w, :3])
    image = QImage(part.data, part.shape[1], part.shape[0], 3 * part.shape[1], QImage.Format.Format_RGB888).copy()
    scaled = image.scaled(*SIZE, Qt.AspectRatioMode.KeepAspectRatioByExpanding, Qt.TransformationMode.SmoothTransformation)
    return scaled.copy(0, 0, *SIZE).convertToFormat(QImage.Format.Format_RGB32)


def measured(shown: Shown) -> QImage:
    """The photo with its areas."""
    out, photo = _photo(shown), shown.session.photo
    assert photo is not None
    k = max(SIZE[0] / photo.crop[2], SIZE[1] / photo.crop[3])
    at = lambda x, y: QPointF((x - photo.crop[0]) * k, (y - photo.crop[1]) * k)  # noqa: E731
    p = QPainter(out)
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    for a in shown.session.areas:
        path = QPainterPath(at(*a.ring[0]))
        for q in a.ring[1:]:
            path.lineTo(at(*q))
        path.closeSubpath()
        two_tone(p, path, 2.0, [5, 3])
    for a in shown.session.areas[::3]:
        disc(p, at(*np.mean(np.array(a.ring), 0)), a.number, False)
    p.end()
    return out


def laid(shown: Shown) -> QImage:
    """The layers of an area through the tooth of the paper."""
    strata = shown.desk.current.strata
    strata.resize(SIZE[0] * 3 // 4, SIZE[1] * 3 // 4)
    shown.app.processEvents()
    out = QImage(*SIZE, QImage.Format.Format_RGB32)
    out.fill(QColor("#f4f3ef"))
    p = QPainter(out)
    p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    p.drawImage(out.rect(), strata.grab().toImage())
    p.end()
    return out


def near(shown: Shown) -> QImage:
    """Half the forecast of the finished sheet, half the photo."""
    forecast = _scaled(_forecast(shown), shown)
    out = _photo(shown)
    p = QPainter(out)
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    seam = [(0.53 + 0.02 * np.sin(7 * t), t) for t in np.linspace(0, 1, 40)]
    left = QPainterPath(QPointF(0, 0))
    for x, y in seam:
        left.lineTo(x * SIZE[0], y * SIZE[1])
    left.lineTo(0, SIZE[1])
    left.closeSubpath()
    p.save()
    p.setClipPath(left)
    p.drawImage(0, 0, forecast)
    p.restore()
    line = QPainterPath(QPointF(seam[0][0] * SIZE[0], 0))
    for x, y in seam[1:]:
        line.lineTo(x * SIZE[0], y * SIZE[1])
    two_tone(p, line, 2.0)
    p.end()
    return out


if __name__ == "__main__":
    main()
