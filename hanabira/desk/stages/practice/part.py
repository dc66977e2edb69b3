"""Parts in the practice room: where to take one from, how often it was tried, and how near each try came."""

from __future__ import annotations

from typing import TYPE_CHECKING

from hanabira.desk.controls import Caption, Words, act_button, row
from hanabira.desk.stages.practice.bench import instead, why
from hanabira.session.parts import IN_A_ROW, areas_for, begin_part, tried

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QWidget

    from hanabira.desk.stages.practice.stage import PracticeRoom
    from hanabira.studio.records import Area


class PartBench:
    """What the room does while a part is chosen."""

    def __init__(self, s: PracticeRoom) -> None:
        self.s = s

    @property
    def widget(self) -> QWidget:
        """The picture that a part is taken from, without questions."""
        return self.s.picture

    def next(self) -> None:
        """Begin with the first area that fits."""
        found = areas_for(self.s.session, self.s.drill.id)
        if found:
            self.begin(found[0])

    def begin(self, area: Area) -> None:
        """A small sheet of this area; it opens at Recipe."""
        if begin_part(self.s.session, self.s.drill.id, area) is not None:
            self.s.desk.go("Recipe")
            self.s.session.messages.remark("A sheet for practice, on its own shelf: nothing of the portrait it comes from changes.")

    def refresh(self) -> None:
        """The head, the picture, the bench and the next act."""
        s, d = self.s, self.s.drill
        s.picture.set(s.image_of(next(iter(s.pictures()), None)), None, False)
        s.desk.bench.head.set("", d.name, f"part drill · about {d.minutes} min")
        s.desk.bench.set_parts([*why(s), *self._parts(), *instead(s)])
        areas, done = areas_for(s.session, d.id), tried(s.session, d.id)
        near = [t.near for t in done if t.near is not None]
        words = f"{len(done)} of {IN_A_ROW} in a row" if done else d.how[0][1]
        if near:
            words += ", ΔE00 from the plan " + " → ".join(f"{v:.1f}" for v in near)
        s.head.set(f"{d.name}, on a sheet of its own", words, "")
        s.keys.set("", (), [])
        if areas:
            s.desk.set_next(f"Begin with {areas[0].name}"[:34], "practice")
        else:
            s.desk.set_next(
                "Begin", "practice", "No area of the open commission is one. Open another commission, or draw such an area first."
            )

    def _parts(self) -> list:
        """What the bench says of a part."""
        s, d = self.s, self.s.drill
        out: list = [Caption("How it goes"), *(Words(words, "small", "ink") for _key, words in d.how)]
        areas = areas_for(s.session, d.id)
        if areas:
            out.append(Caption("Take it from"))
            out += [row(act_button(a.name, "loop", lambda a=a: self.begin(a)), None) for a in areas[:6]]
        else:
            out.append(Words("No area of the open commission is one: open another commission, or draw such an area first.", "small", "ink"))
        done = tried(s.session, d.id)
        if done:
            out.append(Caption(f"Tried {len(done)} of {IN_A_ROW}"))
            for t in done:
                words = f"{t.commission.name}: " + (f"ΔE00 {t.near:.1f} from the plan" if t.near is not None else "no photo checked yet")
                out.append(row(act_button(words, "practice", lambda key=t.commission.id: s.session.open_commission(key)), None))
        return out
