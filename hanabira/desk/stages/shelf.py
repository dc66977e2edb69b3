"""Shelf: all commissions of the studio."""

from __future__ import annotations

import datetime
from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QFrame, QScrollArea, QSizePolicy

from hanabira.core.token import Token
from hanabira.craft.reader import papers
from hanabira.desk import icon as icons
from hanabira.desk.controls import Words
from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.paint import text
from hanabira.desk.photoview import to_image
from hanabira.desk.stages.base import Stage
from hanabira.desk.theme import role
from hanabira.studio.pictures import read_picture
from hanabira.studio.records import Area, Commission, Photo, Recipe

if TYPE_CHECKING:
    from hanabira.desk.window import Desk

ROW = 112.0


def spoken_date(iso: str | None) -> str:
    """A date in words; empty when there is none."""
    if not iso:
        return "no due date"
    d = datetime.date.fromisoformat(iso)
    return f"due {d.day} {d:%B %Y}"


class Boards(Drawn):
    """Commissions standing on shelf boards, each with its picture and what is known of it."""

    wanted = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__("Commissions on the shelf")
        self.rows: list[tuple[Commission, str]] = []
        self.pictures: dict[str, QImage] = {}
        self.open_id = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)

    def design_size(self, width: float) -> tuple[float, float]:
        return 320, 24 + ROW * max(1, len(self.rows))

    def stops(self, w: float, h: float) -> list[Stop]:
        return [
            Stop(
                c.id, QRectF(16, 12 + k * ROW, w - 32, ROW - 8), f"{c.name}, {words}", f"Open {c.name}", lambda c=c: self.wanted.emit(c.id)
            )
            for k, (c, words) in enumerate(self.rows)
        ]

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("mat"))
        for k, (c, words) in enumerate(self.rows):
            r = QRectF(16, 12 + k * ROW, w - 32, ROW - 8)
            path = QPainterPath()
            path.addRoundedRect(r, 6, 6)
            p.fillPath(path, role("plum_wash" if self.hovered == c.id else "card"))
            if c.id == self.open_id:
                p.setPen(QPen(role("ink"), 2))
                p.drawPath(path)
            frame = QRectF(r.left() + 10, r.top() + 8, 72, r.height() - 16)
            image = self.pictures.get(c.id)
            if image is not None:
                k_ = min(frame.width() / image.width(), frame.height() / image.height())
                size = (image.width() * k_, image.height() * k_)
                p.drawImage(QRectF(frame.center().x() - size[0] / 2, frame.center().y() - size[1] / 2, *size), image)
            else:
                icons.draw(p, "photo", QRectF(frame.center().x() - 16, frame.center().y() - 16, 32, 32), "ink2")
            x = frame.right() + 18
            text(p, QRectF(x, r.top() + 12, r.right() - x - 12, 32), c.name, "title", "ink", elide=True)
            who = " · ".join(q for q in (c.animal, f"for {c.client}" if c.client else "") if q)
            text(p, QRectF(x, r.top() + 45, r.right() - x - 12, 18), who, "small", "ink2", elide=True)
            text(p, QRectF(x, r.top() + 66, r.right() - x - 12, 18), words, "small", "ink2", elide=True)


class Shelf(Stage):
    """The studio's room with all commissions."""

    name = "Shelf"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.boards = Boards()
        scroll = QScrollArea()
        scroll.setObjectName("shelf")
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setFocusPolicy(scroll.focusPolicy().NoFocus)
        scroll.setWidget(self.boards)
        self.centre = scroll
        self.boards.wanted.connect(self._open)
        self.model.commissions_changed.connect(lambda: self.refresh() if self.open else None)

    def _open(self, key: str) -> None:
        self.model.open_commission(key)
        if self.model.commission is not None:
            self.desk.go(self.model.commission.stage)

    def refresh(self) -> None:
        rows = []
        photos = self.model.store.all(Photo)
        areas = self.model.store.all(Area)
        done = {r.area_id for r in self.model.store.all(Recipe)}
        for c in reversed(self.model.commissions):
            mine = [a for a in areas if a.commission_id == c.id]
            solved = sum(a.id in done for a in mine)
            state = f"{len(mine)} areas, {solved} with layers" if mine else "no areas yet"
            size = f"{c.width_mm:.0f} × {c.height_mm:.0f} mm, {papers()[c.paper_id].name.lower() if c.paper_id in papers() else c.paper_id}"
            rows.append((c, f"{size} · {spoken_date(c.due)} · {state}"))
            photo = next((q for q in photos if q.commission_id == c.id), None)
            if photo is not None and c.id not in self.boards.pictures:
                self._picture(c.id, photo)
        self.boards.rows = rows
        self.boards.open_id = self.model.commission.id if self.model.commission else ""
        self.boards.refresh()
        n = len(rows)
        self.desk.bench.head.set("", "Shelf", f"{n} commission{'' if n == 1 else 's'} in this studio" if n else "an empty studio")
        words = (
            "Choose a commission to go on with it."
            if n
            else "A commission is one portrait: the animal, the client’s photo, the paper, the date. Make the first one, then add the photo."
        )
        self.desk.bench.set_parts([Words(words, "body", "ink")])
        self.desk.set_next("New commission", "add")
        self.desk.mark_values(None)

    def _picture(self, key: str, photo: Photo) -> None:
        path, crop, size = self.model.store.photo_path(photo), photo.crop, photo.width_px

        def work(token: Token) -> QImage:
            pixels = read_picture(path, 400, token).pixels
            k = pixels.shape[1] / size
            x, y, w, h = (int(v * k) for v in crop)
            return to_image(pixels[y : y + max(1, h), x : x + max(1, w)])

        def done(image: QImage) -> None:
            self.boards.pictures[key] = image
            self.boards.update()

        self.model.jobs.run(f"shelf {key}", "Opening pictures", work, done, quiet=True, failed=lambda _fault: None)

    def next(self) -> None:
        self.desk.new_commission()
