"""The room's profile: the pressed plant, what it changes elsewhere, and what becomes of the answers."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt

from hanabira.core.practice.hand import pressures_of
from hanabira.craft.drills import drills
from hanabira.desk.controls import Caption, Words
from hanabira.desk.stage import scrolled
from hanabira.desk.stages.practice.bench import files
from hanabira.desk.widgets.key_line import LineKey
from hanabira.desk.widgets.profile_plant import Plate, ProfilePlant
from hanabira.session.practice_profile import effects, hue_words, pace_words

if TYPE_CHECKING:
    from PyQt6.QtGui import QKeyEvent

    from hanabira.desk.stages.practice.stage import PracticeRoom


class PlateBench:
    """The profile instead of a drill."""

    def __init__(self, s: PracticeRoom) -> None:
        self.s = s
        self.plant = ProfilePlant(self.key)
        self.widget = scrolled(self.plant)
        self.widget.setFocusProxy(self.plant)

    def key(self, event: QKeyEvent) -> bool:
        """Y or Escape goes back to the drill."""
        if Qt.Key(event.key()) not in (Qt.Key.Key_Escape, Qt.Key.Key_Y):
            return False
        self.next()
        return True

    def next(self) -> None:
        """Back to the drill."""
        self.s.show_plate(False)

    def refresh(self) -> None:
        """The plant and what it changes."""
        s = self.s
        found, hand = s.practising.profile(), [r for _at, r in s.practising.hand_results()]
        strokes = next((r.figures for r in reversed(hand) if r.drill == "flicks" and "spread_deg" in r.figures), None)
        right = {drills()[k].name if k in drills() else k: v for k, v in found.right.items()}
        flicks = (strokes["spread_deg"], strokes["variation"], strokes["run_mm"]) if strokes else None
        self.plant.set(Plate(found.steps, pressures_of(hand) or (), flicks, right))
        s.head.set("What your practice adds up to", found.whole.sentence, "")
        s.keys.set("", (), [LineKey("Y", "back to the drill", lambda: s.show_plate(False))])
        said = effects(s.practising)
        parts: list = [Caption("What it changes elsewhere")]
        parts += [Words(q, "small", "ink") for q in said] or [Words("Nothing yet: only what is certain is told in Recipe and Check.")]
        hues, pace = hue_words(s.practising), pace_words(s.practising)
        if hues:
            parts += [Caption("By hue"), *(Words(q, "small", "ink") for q in hues)]
        if pace:
            parts += [Caption("Your pace, by your log"), *(Words(q, "small", "ink") for q in pace[:6])]
        parts += files(s)
        s.desk.bench.head.set("", "Your profile", f"{sum(d.answers for d in found.steps.values())} values named, {len(hand)} sheets read")
        s.desk.bench.set_parts(parts)
        s.desk.set_next("To the drill", "practice")
