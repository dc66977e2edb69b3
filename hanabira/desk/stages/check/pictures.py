"""Pictures of a judged photo, and what is drawn over the sheet: outlines where there is a fault, areas that are not begun, a hatch over a refused photo."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen, QTransform

from hanabira.core.study.looks import grey
from hanabira.desk.gestures.outlines import photo_path
from hanabira.desk.images import to_image
from hanabira.desk.paint import CENTRE, disc, hatch, text, two_tone, width
from hanabira.session.progress_files import client_on_sheet

if TYPE_CHECKING:
    from hanabira.desk.stages.check.stage import CheckStage
    from hanabira.desk.widgets.mat import Mat
    from hanabira.session.session import Session
    from hanabira.studio.records import Area


class Pictures:
    """Images of the shown photo's sheet, of what is wanted, and of the client's photo on the sheet, plain or in values; made once."""

    MOST = 8

    def __init__(self, stage: CheckStage) -> None:
        self.stage = stage
        self._made: dict[tuple[str, str, str], QImage] = {}

    def forget(self) -> None:
        """Another commission is open."""
        self._made.clear()

    def image(self, which: str, values: bool) -> QImage | None:
        """``sheet``, ``wanted`` or ``client``; None while the photo is not judged."""
        j = self.stage.judged
        if j is None:
            return None
        key = (j.shot_id, which, "values" if values else "")
        if key not in self._made:
            if len(self._made) >= self.MOST:
                self._made.clear()
            pixels = {"sheet": j.sheet, "wanted": j.wanted}.get(which)
            if pixels is None:
                pixels = client_on_sheet(self.stage.session, j.sheet.shape[:2])
            self._made[key] = to_image(grey(pixels) if values else pixels)
        return self._made[key]


def to_mm(session: Session, x: float, y: float) -> tuple[float, float]:
    """Millimetres of the sheet of a photo pixel."""
    c, photo, k = session.commission, session.photo, session.mm_per_px
    assert c is not None and photo is not None and k is not None
    return c.border_mm + (x - photo.crop[0]) * k, c.border_mm + (y - photo.crop[1]) * k


def on_sheet(session: Session, a: Area, px_mm: float) -> QPainterPath:
    """An area's outline in pixels of the sheet's picture, ``px_mm`` of them a millimetre."""
    x, y = to_mm(session, 0.0, 0.0)
    k = session.mm_per_px or 1.0
    return QTransform(k * px_mm, 0, 0, k * px_mm, x * px_mm, y * px_mm).map(photo_path(a.ring, a.smooth))


def marks(s: CheckStage, p: QPainter, mat: Mat) -> None:
    """Outlines only where there is a fault, with a disc by urgency; areas not begun dashed; a wide hatch over a refused photo."""
    data = s.data
    if s.judged is None or s.pins is not None:
        if data is not None and data.get("refused") and not s.working and s.shot is not None and s.pins is None:
            hatch(p, mat.sheet_rect, QColor(20, 20, 20, 102), 22, 3)
        return
    if data is None or s.held:
        return
    begun = {a["id"] for a in data["areas"] if a["begun"]}
    px_mm = mat.crop[2] / mat.sheet_mm[0]
    chosen = s.fault
    numbers: dict[str, int] = {}
    for n, f in enumerate(s.faults, 1):
        numbers.setdefault(f["area_id"], n)
    for a in s.session.areas:
        if a.id in begun and a.id not in numbers:
            continue
        path = mat.from_photo.map(on_sheet(s.session, a, px_mm))
        if a.id not in numbers:
            pen = QPen(QColor(90, 90, 90), 1)
            pen.setDashPattern([4, 4])
            p.setPen(pen)
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawPath(path)
            room = path.boundingRect()
            if width("not begun", "note") < 0.9 * room.width():
                text(p, room, "not begun", "note", QColor("#3a3a3a"), CENTRE)
            continue
        here = chosen is not None and chosen["area_id"] == a.id
        two_tone(p, path, 2.4 if here else 1.2, None if here else [5, 3], 235)
        disc(p, path.boundingRect().center(), numbers[a.id], here)
