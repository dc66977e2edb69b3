"""The room's hand drills: print the sheet, fill it, photograph it, and see what was measured where it was drawn."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt

from hanabira.core.colour.spaces import lab_to_bytes
from hanabira.core.practice.hand import Filled, HandResult, sheets
from hanabira.core.swatch.read import PX_PER_MM
from hanabira.desk.controls import Caption, Words, act_button, row
from hanabira.desk.images import to_image
from hanabira.desk.stages.practice.bench import instead, why
from hanabira.desk.widgets.hand_page import HandPage, shown_mm
from hanabira.desk.widgets.key_line import LineKey
from hanabira.devices.hand_filled import SimulatedHand, photo_of
from hanabira.devices.simulated_paper import SimulatedSheet
from hanabira.studio.pictures import read_picture

if TYPE_CHECKING:
    from PyQt6.QtGui import QImage, QKeyEvent

    from hanabira.desk.stages.practice.stage import PracticeRoom


class HandBench:
    """What the room does while a hand drill is chosen."""

    def __init__(self, s: PracticeRoom) -> None:
        self.s = s
        self.widget = HandPage(self.key)
        self.result: HandResult | None = None
        self.image: QImage | None = None
        self.tries = 0
        self.printed = ""
        """The drill whose sheet was written last."""

    def prepare(self) -> None:
        """Another drill, or none read yet."""
        self.result, self.image = None, None

    def key(self, event: QKeyEvent) -> bool:
        """P prints, O reads a photo, Enter does what comes next."""
        act = {
            Qt.Key.Key_P: self.print_sheet, Qt.Key.Key_O: self.read_photo, Qt.Key.Key_Return: self.next, Qt.Key.Key_Enter: self.next,
            Qt.Key.Key_Y: lambda: self.s.show_plate(True),
        }.get(Qt.Key(event.key()))  # fmt: skip
        if act is None:
            return False
        act()
        return True

    def next(self) -> None:
        """Print the sheet, then read its photo, then begin again."""
        if self.result is not None:
            self.prepare()
            self.s.refresh()
        elif self.printed != self.s.drill.id:
            self.print_sheet()
        else:
            self.read_photo()

    def print_sheet(self) -> None:
        """The sheet as PDF."""
        target = self.s.desk.ask_target(f"{self.s.drill.id}.pdf")
        if target is not None:
            self.printed = self.s.drill.id
            self.s.practising.write_sheet(self.s.drill.id, Path(target))
            self.s.refresh()

    def read_photo(self) -> None:
        """A photo or scan of the filled sheet."""
        path = self.s.desk.ask_open_path()
        if path:
            self.s.practising.read_sheet(self.s.drill.id, lambda: read_picture(Path(path)).pixels, self._read)

    def simulate(self) -> None:
        """Let the simulated hand fill the sheet and the simulated camera photograph it. It is not the artist's hand, so nothing of it is kept."""
        drill, kit = self.s.drill.id, self.s.session.kit
        self.tries += 1
        hand = SimulatedHand(seed=self.tries)
        self.s.practising.read_sheet(drill, lambda: photo_of(sheets()[drill], hand, SimulatedSheet(kit)), self._read, keep=False)

    def _read(self, result: HandResult, filled: Filled) -> None:
        part = shown_mm(filled.sheet)
        x0, y0, x1, y1 = (round(v * PX_PER_MM) for v in (part.left(), part.top(), part.right(), part.bottom()))
        self.image = to_image(lab_to_bytes(filled.lab[y0:y1, x0:x1]))
        self.result = result if self.s.drill.id == result.drill else None
        if self.s.open:
            self.s.refresh()

    # -- what is shown ------------------------------------------------------------------
    def refresh(self) -> None:
        """The head, the sheet, the bench, the keys and the next act."""
        s, d, r = self.s, self.s.drill, self.result
        s.desk.bench.head.set("", d.name, f"hand drill · about {d.minutes} min")
        s.desk.bench.set_parts([*why(s), *self._parts(), *instead(s)])
        self.widget.set(sheets()[d.id], self.image if r is not None else None, r.marks if r is not None else ())
        if r is not None:
            s.head.set(r.sentences[0], " ".join(r.sentences[1:]), "")
            s.desk.set_next("Once more", "back")
        else:
            s.head.set(d.how[0][1], "Print the sheet at 100 % on your drawing paper, fill it, and photograph it with all four marks.", "")
            s.desk.set_next(
                "Print the sheet" if self.printed != d.id else "Read a photo of it", "sheet" if self.printed != d.id else "loupe"
            )
        s.keys.set(
            "",
            (),
            [
                LineKey("P", "print the sheet", self.print_sheet),
                LineKey("O", "read a photo of it", self.read_photo),
                LineKey("Y", "your profile", lambda: s.show_plate(True)),
            ],
        )

    def _parts(self) -> list:
        """What the bench says of a hand drill."""
        s, d = self.s, self.s.drill
        out: list = [Caption("How it goes"), *(Words(words, "small", "ink") for _key, words in d.how)]
        out.append(
            row(
                act_button("Print the sheet", "sheet", self.print_sheet),
                act_button("Read a photo", "loupe", self.read_photo, "A photo or scan with all four marks in it"),
                None,
            )
        )
        out.append(
            row(
                act_button(
                    "Let a simulated hand try", "pencil", self.simulate, "Fills and photographs the sheet by itself, to see how it is read"
                ),
                None,
            )
        )
        mine = [r for _at, r in s.practising.hand_results() if r.drill == d.id]
        if self.result is not None and not any(r == self.result for r in mine):
            out += [Caption("The simulated hand’s sheet"), *(Words(w, "small", "ink") for w in self.result.sentences)]
            out.append(Words("It is not yours, so nothing of it is kept."))
        if mine:
            out.append(Caption("Your last sheet"))
            out += [Words(w, "small", "ink") for w in mine[-1].sentences]
            if len(mine) > 1:
                out.append(Words(f"{len(mine)} sheets so far."))
        if d.id == "same-chip":
            out += self._unsteady()
        return out

    def _unsteady(self) -> list:
        """The spread of the same chip, offered to recipes."""
        s = self.s
        now, found = float(s.session.settings.get("hand_unsteady")), s.practising.unsteady()
        out: list = []
        if found is not None:
            out.append(Words(f"Your hand scatters {found:.1f} times as far as the usual one that recipes expect.", "small", "ink"))
            if abs(found - now) > 0.1:
                out.append(
                    row(
                        act_button("Count on this hand", "pencil", lambda: self._count(found), "Recipes then say what your hand may miss"),
                        None,
                    )
                )
        if now != 1.0:
            out.append(Words(f"Recipes count on a hand of {now:.1f} times the usual scatter, as you said."))
            out.append(row(act_button("Count on the usual hand again", "plumb", lambda: self._count(1.0)), None))
        return out

    def _count(self, times: float) -> None:
        self.s.practising.count_on_hand(times)
        self.s.refresh()
