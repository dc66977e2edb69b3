"""The morning look: the sheet alone, small, mirrored and turned over, before any number; what strikes first is said and kept."""

from __future__ import annotations

import datetime
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen, QTransform
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from hanabira.core.study.looks import squint
from hanabira.desk.controls import Caption, Words, act_button
from hanabira.desk.drawn import Drawn, Stop
from hanabira.desk.images import to_image
from hanabira.desk.paint import CENTRE, height, keycap, petal, text, two_tone, width
from hanabira.desk.theme import role, u
from hanabira.desk.widgets.key_line import KeyLine
from hanabira.session.checkroom import MORNING_WORDS
from hanabira.studio.checking import verdict_of

if TYPE_CHECKING:
    from hanabira.desk.stages.check.stage import CheckStage
    from hanabira.studio.records import Shot

SECONDS = 10
SKIPS = 3
SURE = (("G", "a guess"), ("C", "certain"))
FAR_M = 3.0
_SMALL = 92.0


class _Sheet(Drawn):
    """The photo of the sheet, large, with two small views; a touch says where."""

    def __init__(self, look: Morning) -> None:
        super().__init__("Your sheet, without any number")
        self.look = look
        self.image: QImage | None = None
        self.squinted: QImage | None = None
        self.shown = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    takes_keys = True

    def design_size(self, width: float) -> tuple[float, float]:
        return 200, 200

    def frame(self, w: float, h: float) -> QRectF:
        """Where the sheet lies, in design units."""
        if self.image is None:
            return QRectF()
        left = 200.0 if w > 640 else 14.0
        room = QRectF(left, 14, w - left - 40, h - 28)
        k = min(room.width() / self.image.width(), room.height() / self.image.height())
        out = QRectF(0, 0, self.image.width() * k, self.image.height() * k)
        out.moveCenter(room.center())
        return out

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.fillRect(QRectF(0, 0, w, h), role("mat"))
        if self.image is None:
            text(p, QRectF(20, h / 2 - 20, w - 40, 40), "The photo is being straightened", "name", "mat_ink", CENTRE)
            return
        r = self.frame(w, h)
        self._draw(p, r, self.squinted if self.shown == "squint" and self.squinted is not None else self.image, self.shown)
        if w > 640:
            a = self.image.height() / self.image.width()
            for k, (words, how) in enumerate(((f"as seen from {FAR_M:.0f} m", ""), ("in the mirror", "mirror"))):
                side = _SMALL if k == 0 else 1.3 * _SMALL
                small = QRectF(30, 0.1 * h + k * (h * 0.30), side, side * a)
                self._draw(p, small, self.image, how)
                text(p, QRectF(10, small.bottom() + 4, 170, 20), words, "small", "mat_ink")
        spot = self.look.spot
        if spot is not None:
            c = QPointF(r.left() + spot[0] * r.width(), r.top() + spot[1] * r.height())
            ring = QPainterPath()
            ring.addEllipse(c, spot[2] * r.width(), 0.8 * spot[2] * r.width())
            two_tone(p, ring, 2.0)
            tag = QRectF(c.x() + 12, c.y() + 0.8 * spot[2] * r.width() + 6, width("your place", "small") + 16, 24)
            p.fillRect(tag, role("card"))
            text(p, tag, "your place", "small", "ink", CENTRE)

    def _draw(self, p: QPainter, r: QRectF, image: QImage, how: str) -> None:
        p.save()
        if how in ("mirror", "turn"):
            p.setTransform(
                QTransform()
                .translate(r.center().x(), r.center().y())
                .scale(-1, 1 if how == "mirror" else -1)
                .translate(-r.center().x(), -r.center().y()),
                True,
            )
        p.drawImage(r, image)
        p.restore()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        q = event.position() / u(1000) * 1000
        r = self.frame(self.design_width, self.height() / u(1000) * 1000)
        if r.contains(q):
            self.look.touch((q.x() - r.left()) / r.width(), (q.y() - r.top()) / r.height())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        r = self.frame(self.design_width, self.height() / u(1000) * 1000)
        spot = self.look.spot
        if event.buttons() & Qt.MouseButton.LeftButton and spot is not None and r.width() > 0:
            q = event.position() / u(1000) * 1000
            far = QPointF(q.x() - r.left() - spot[0] * r.width(), q.y() - r.top() - spot[1] * r.height())
            self.look.widen(max(0.03, min(0.4, (far.x() ** 2 + far.y() ** 2) ** 0.5 / r.width())))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self.look.key(Qt.Key(event.key())):
            super().keyPressEvent(event)


class _Words(Drawn):
    """What strikes first, by the keys 1–9 and 0, in two columns."""

    def __init__(self, look: Morning) -> None:
        super().__init__("What is it?")
        self.look = look

    def _columns(self, w: float) -> int:
        return 2 if w > 300 else 1

    def design_size(self, width: float) -> tuple[float, float]:
        return 150, 32.0 * (-(-10 // self._columns(max(width, 150.0))))

    def _rects(self, w: float) -> list[QRectF]:
        n = self._columns(w)
        return [QRectF((k % n) * w / n, (k // n) * 32, w / n, 30) for k in range(10)]

    def stops(self, w: float, h: float) -> list[Stop]:
        order = [*range(1, 10), 0]
        return [
            Stop(str(k), r, f"{MORNING_WORDS[k]}, key {k}" + (", chosen" if self.look.word == k else ""), MORNING_WORDS[k], lambda k=k: self.look.say(k))
            for k, r in zip(order, self._rects(w), strict=True)
        ]  # fmt: skip

    def paint(self, p: QPainter, w: float, h: float) -> None:
        for k, r in zip([*range(1, 10), 0], self._rects(w), strict=True):
            keycap(p, QRectF(r.left(), r.top() + 4, 22, 22), str(k))
            here = self.look.word == k
            text(p, QRectF(r.left() + 30, r.top(), r.width() - 32, 30), MORNING_WORDS[k], "strong" if here else "small", "ink", elide=True)
            if here:
                p.setPen(QPen(role("plum"), 2.4))
                n = min(width(MORNING_WORDS[k], "strong"), r.width() - 32)
                p.drawLine(QPointF(r.left() + 30, r.bottom() - 1), QPointF(r.left() + 30 + n, r.bottom() - 1))


class _Sure(Drawn):
    """How sure: a guess, or certain."""

    def __init__(self, look: Morning) -> None:
        super().__init__("How sure?")
        self.look = look

    def design_size(self, width: float) -> tuple[float, float]:
        return 150, 32.0

    def stops(self, w: float, h: float) -> list[Stop]:
        return [
            Stop(key, QRectF(k * w / 2, 0, w / 2, 30), f"{words}, key {key}", words, lambda k=k: self.look.be_sure(bool(k)))
            for k, (key, words) in enumerate(SURE)
        ]  # fmt: skip

    def paint(self, p: QPainter, w: float, h: float) -> None:
        for k, (key, words) in enumerate(SURE):
            r = QRectF(k * w / 2, 0, w / 2, 30)
            keycap(p, QRectF(r.left(), r.top() + 4, 22, 22), key)
            here = self.look.certain == bool(k)
            text(p, QRectF(r.left() + 30, r.top(), r.width() - 32, 30), words, "strong" if here else "small", "ink")
            if here:
                p.setPen(QPen(role("plum"), 2.4))
                p.drawLine(QPointF(r.left() + 30, r.bottom() - 1), QPointF(r.left() + 30 + width(words, "strong"), r.bottom() - 1))


class _Mornings(Drawn):
    """Every morning so far a petal: full where the measure agreed."""

    def __init__(self, agreed: list[tuple[str, bool]]) -> None:
        super().__init__("Your mornings so far")
        self.agreed = agreed
        n = sum(ok for _d, ok in agreed)
        self.words = f"{n} of {len(agreed)} agreed with the measure" if agreed else "None yet on this portrait."
        self.setAccessibleDescription(self.words)

    def design_size(self, width: float) -> tuple[float, float]:
        return 120, (36 if self.agreed else 0) + height(self.words, max(width, 120.0), "small") + 4

    def paint(self, p: QPainter, w: float, h: float) -> None:
        for k, (_day, ok) in enumerate(self.agreed[-12:]):
            p.save()
            p.translate(12 + 22 * k, 30)
            p.rotate(-62)
            if ok:
                p.fillPath(petal(20, 6.5), role("ink"))
            else:
                p.setPen(QPen(role("ink"), 1.3))
                p.drawPath(petal(20, 6.5))
            p.restore()
        top = 36 if self.agreed else 0
        text(p, QRectF(0, top, w, h - top), self.words, "small", "ink2", wrap=True)


class _Flower(Drawn):
    """Ten petals that close one a second."""

    def __init__(self, look: Morning) -> None:
        super().__init__("Seconds until the numbers may come")
        self.look = look

    def design_size(self, width: float) -> tuple[float, float]:
        return 64, 64

    def paint(self, p: QPainter, w: float, h: float) -> None:
        p.translate(32, 32)
        for k in range(SECONDS):
            p.save()
            p.rotate(360 / SECONDS * k - 90)
            path = petal(28, 6.5, 7)
            if k < self.look.passed:
                p.fillPath(path, role("ink"))
            else:
                p.setPen(QPen(role("ink"), 1.2))
                p.drawPath(path)
            p.restore()


class Morning(QWidget):
    """The page of the morning look; the bench card holds its words."""

    def __init__(self, stage: CheckStage) -> None:
        super().__init__()
        self.stage = stage
        self.word: int | None = None
        self.certain = False
        self.spot: tuple[float, float, float] | None = None
        self.area_id = ""
        self.passed = 0
        self.sheet = _Sheet(self)
        self.keys = KeyLine()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self.sheet, 1)
        box.addWidget(self.keys)
        self.setFocusProxy(self.sheet)
        self._timer = QTimer(self)
        self._timer.setInterval(1000)
        self._timer.timeout.connect(self.tick)
        self._of: object = None

    # -- course ------------------------------------------------------------------------
    def begin(self) -> None:
        """Start anew."""
        self.word, self.certain, self.spot, self.area_id, self.passed = None, False, None, "", 0
        self._timer.start()
        self.refresh_all()

    def stop(self) -> None:
        """The look is over."""
        self._timer.stop()

    def tick(self) -> None:
        """A second has passed."""
        self.passed = min(SECONDS, self.passed + 1)
        if self.passed >= SECONDS:
            self._timer.stop()
        self.refresh_all()

    @property
    def ready(self) -> bool:
        """Whether the numbers may come: ten seconds are over and something was said."""
        return self.passed >= SECONDS and self.word is not None

    # -- what is said -----------------------------------------------------------------------
    def say(self, word: int) -> None:
        """What strikes first."""
        self.word = word
        self.refresh_all()

    def be_sure(self, certain: bool) -> None:
        """How sure."""
        self.certain = certain
        self.refresh_all()

    def touch(self, x: float, y: float) -> None:
        """Where it strikes: shares of the sheet's width and height."""
        self.spot = (x, y, 0.065)
        self.area_id = self._area_at(x, y)
        self.refresh_all()

    def widen(self, share: float) -> None:
        """How large the place is, as a share of the sheet's width."""
        if self.spot is not None:
            self.spot = (*self.spot[:2], share)
            self.sheet.update()

    def _area_at(self, x: float, y: float) -> str:
        from hanabira.desk.gestures.outlines import lies_inside

        c, photo, k = self.stage.session.commission, self.stage.session.photo, self.stage.session.mm_per_px
        if c is None or photo is None or k is None:
            return ""
        at = QPointF((x * c.width_mm - c.border_mm) / k + photo.crop[0], (y * c.height_mm - c.border_mm) / k + photo.crop[1])
        found = [a for a in self.stage.session.areas if lies_inside(a, at)]
        return max(found, key=lambda a: a.level).id if found else ""

    def key(self, key: Qt.Key) -> bool:
        """A key of the look; whether it was one."""
        if Qt.Key.Key_0 <= key <= Qt.Key.Key_9:
            self.say(key - Qt.Key.Key_0)
        elif key in (Qt.Key.Key_G, Qt.Key.Key_C):
            self.be_sure(key == Qt.Key.Key_C)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Up, Qt.Key.Key_Right, Qt.Key.Key_Down):
            self.step_area(-1 if key in (Qt.Key.Key_Left, Qt.Key.Key_Up) else 1)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.next()
        else:
            return False
        return True

    def step_area(self, step: int) -> None:
        """Choose an area without a pointer; its place on the sheet is marked."""
        areas = self.stage.session.areas
        c, photo, k = self.stage.session.commission, self.stage.session.photo, self.stage.session.mm_per_px
        if not areas or c is None or photo is None or k is None:
            return
        at = next((n for n, a in enumerate(areas) if a.id == self.area_id), -1 if step > 0 else 0)
        a = areas[(at + step) % len(areas)]
        mx, my = (sum(q[n] for q in a.ring) / len(a.ring) for n in (0, 1))
        self.area_id = a.id
        self.spot = (((mx - photo.crop[0]) * k + c.border_mm) / c.width_mm, ((my - photo.crop[1]) * k + c.border_mm) / c.height_mm, 0.065)
        self.refresh_all()

    def hold(self, look: str) -> None:
        """Squint, mirror or upside down while a key is held."""
        self.sheet.shown = {"mirror": "mirror", "squint": "squint", "temperature": "turn"}.get(look, "")
        self.sheet.update()

    def skip(self) -> None:
        """Not today."""
        settings = self.stage.session.settings
        n = settings.get("mornings_skipped") + 1
        settings.set("mornings_skipped", n)
        if n >= SKIPS:
            self.stage.session.messages.remark("The look before the numbers was put off three times. Check, Look first turns it off or on.")
        self.stage.show_numbers()

    def next(self) -> None:
        """Keep what was said and show the numbers, when they may come."""
        if not self.ready:
            self.stage.session.messages.remark(
                "First say what strikes you, or 0 for nothing at all."
                if self.word is None
                else "A few seconds more: look once at the whole."
            )
            return
        shot, c = self.stage.shot, self.stage.session.commission
        if shot is not None and c is not None:
            at = (self.spot[0] * c.width_mm, self.spot[1] * c.height_mm) if self.spot is not None else None
            self.stage.session.checkroom.say_first(shot, self.word or 0, self.area_id, self.certain, at)
        self.stage.show_numbers()

    def said_words(self, shot: Shot) -> str:
        """What was said of a photo, and whether the measure agrees."""
        room = self.stage.session.checkroom
        found = room.kept().get(shot.id)
        if found is None or not found.said:
            return ""
        said = verdict_of(found.said, "what was said")
        area = next((a.name for a in self.stage.session.areas if a.id == said.get("area")), "")
        word = MORNING_WORDS[int(said.get("word", 0)) % len(MORNING_WORDS)]
        agreed = room.agreed(shot)
        told = "" if agreed is None else " The measure agrees." if agreed else " The measure says otherwise."
        return f"You said first: {area + ' ' if area else ''}{word}, {'certain' if said.get('certain') else 'a guess'}.{told}"

    # -- what is shown ----------------------------------------------------------------------------
    def refresh_all(self) -> None:
        """Bring sheet and bench up to date."""
        s, desk = self.stage, self.stage.desk
        j = s.judged
        if j is not None and self._of is not j:
            self._of = j
            self.sheet.image, self.sheet.squinted = to_image(j.sheet), to_image(squint(j.sheet))
        elif j is None:
            s._want_pictures()
        self.sheet.update()
        left = SECONDS - self.passed
        note = f"numbers, rulers and outlines stay away for {left} s more" if left else ""
        self.keys.set("Hold", (("S", "squint"), ("M", "mirror"), ("T", "turn it upside down")), (), note)
        shot = s.shot
        if shot is None:
            return
        taken = datetime.datetime.fromisoformat(shot.at)
        nights = max(1, (s.now().date() - taken.date()).days)
        desk.bench.head.set(
            "", "Look first", f"{s.now():%d %B, %H:%M}, after {'one night' if nights == 1 else f'{nights} nights'}".lstrip("0")
        )
        area = s.area_of(self.area_id)
        flower = QHBoxLayout()
        flower.addWidget(
            Words("What strikes you first? Touch the place on the sheet, or choose its area with the arrow keys.", "small", "ink"), 1
        )
        flower.addWidget(_Flower(self))
        mornings = Caption("Your mornings so far")
        desk.bench.set_parts([
            flower, Words(f"{area.number}  {area.name}" if area is not None else "no place chosen: the whole", "strong", "ink"), Caption("What is it?"), _Words(self),
            Caption("How sure?"), _Sure(self), mornings, _Mornings(s.session.checkroom.mornings()), act_button("Not today", "night", self.skip),
        ])  # fmt: skip
        off = "" if self.ready else "Say what strikes you first, or 0" if self.word is None else f"In {left} s"
        desk.set_next("Show the numbers", "loupe", off)
