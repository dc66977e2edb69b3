"""The room's profile: the pressed plant, what it changes elsewhere, and what becomes of the answers."""

from __future__ import annotations

from typing import TYPE_CHECKING

from hanabira.core.practice.hand import pressures_of
from hanabira.craft.drills import drills
from hanabira.desk.controls import Caption, Words
from hanabira.desk.widgets.key_line import LineKey
from hanabira.desk.widgets.profile_plant import Plate
from hanabira.session.practice_profile import effects, hue_words, pace_words

if TYPE_CHECKING:
    from hanabira.desk.stages.practice.stage import Practice


def show_plate(s: Practice) -> None:
    """The profile with what it changes."""
    found, hand = s.practising.profile(), [r for _at, r in s.practising.hand_results()]
    strokes = next((r.figures for r in reversed(hand) if r.drill == "flicks" and "spread_deg" in r.figures), None)
    right = {drills()[k].name if k in drills() else k: v for k, v in found.right.items()}
    flicks = (strokes["spread_deg"], strokes["variation"], strokes["run_mm"]) if strokes else None
    s.plant.set(Plate(found.steps, pressures_of(hand) or (), flicks, right))
    s.head.set("What your practice adds up to", found.whole.sentence, "")
    s.desk.rule.set({}, 0, 100)
    s.desk.rule.guess_at(None)
    s.keys.set("", (), [LineKey("Y", "back to the drill", lambda: s.show_plate(False))])
    s.fill_stem()
    said = effects(s.practising)
    parts: list = [Caption("What it changes elsewhere")]
    parts += [Words(q, "small", "ink") for q in said] or [Words("Nothing yet: only what is certain is told in Recipe and Check.")]
    hues, pace = hue_words(s.practising), pace_words(s.practising)
    if hues:
        parts += [Caption("By hue"), *(Words(q, "small", "ink") for q in hues)]
    if pace:
        parts += [Caption("Your pace, by your log"), *(Words(q, "small", "ink") for q in pace[:6])]
    parts += s.files()
    s.desk.bench.head.set("", "Your profile", f"{sum(d.answers for d in found.steps.values())} values named, {len(hand)} sheets read")
    s.desk.bench.set_parts(parts)
    s.desk.set_next("To the drill", "practice")
