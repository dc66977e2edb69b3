"""What stands on the practice room's bench: why a drill, how it goes, what the answers tell, what else there is; and what is shown instead of questions."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

from hanabira.core.practice.profile import CERTAIN_ANSWERS
from hanabira.craft.drills import drills
from hanabira.desk.controls import Caption, Words, act_button, row

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QWidget

    from hanabira.desk.stages.practice.stage import PracticeRoom


class Aside(Protocol):
    """What the room shows instead of questions: the profile, a sheet for the hand, or a part."""

    @property
    def widget(self) -> QWidget:
        """What stands in the middle."""

    def next(self) -> None:
        """The next act."""

    def refresh(self) -> None:
        """Head, middle, bench, keys and the next act, as they are now."""


def why(s: PracticeRoom) -> list:
    """Why this drill, and how the round stands."""
    d, proposal = s.drill, s.practising.proposal()
    parts: list = []
    if not s.began:
        until = s.practising.paused()
        why = (
            f"Nothing is proposed until {until}; this one is yours to choose."
            if until
            else proposal.why
            if proposal.drill.id == d.id
            else "You chose it."
        )
        parts += [Caption("Why this one"), Words(why, "small", "ink")]
        pause = (
            act_button("Propose again", "practice", lambda: s._pause(0))
            if until
            else act_button("Not this week", "night", lambda: s._pause(7), "No drill is proposed for seven days; all stay here")
        )
        parts.append(row(pause, None))
        if s.practising.done_today():
            parts.append(Words("Today’s drill is done; this one is extra."))
    elif s.round is not None and s.round.answers:
        right = sum(a.right for a in s.round.answers if not a.neutral)
        parts += [Caption("So far today"), Words(f"{right} of {s.asked()} right", "strong", "ink")]
        if s.on_neutral is not None and s.last is not None:
            pulled = ((s.last.said_step or 0.0) * 10 - s.on_neutral) / 10
            way = "lighter" if pulled > 0 else "darker"
            what = f"made it {abs(pulled):.1f} steps {way} for you" if abs(pulled) >= 0.25 else "changed nothing for you"
            parts.append(Words(f"On neutral you said L* {s.on_neutral:.0f}: the surround {what}.", "small", "ink"))
    return parts


def of_the_eye(s: PracticeRoom) -> list:
    """How an eye drill goes, what the answers tell, and what else there is."""
    d, found = s.drill, s.practising.profile()
    parts: list = []
    parts.append(Caption("How it goes"))
    parts += [Words(f"{key}: {words}", "small", "ink") for key, words in (*d.how, ("Esc", "stop; what you did is kept"))]
    parts.append(Words("The spots come from your own shelf. Nothing you do here touches a commission.", "aside"))
    parts.append(row(act_button("Your profile", "petal", lambda: s.show_plate(True), "What all answers and sheets add up to (Y)"), None))
    parts.append(Caption("What your answers tell"))
    parts.append(Words(found.whole.sentence, "small", "ink"))
    for words, q in (("beside darker", found.darker_round), ("beside lighter", found.lighter_round)):
        if q.answers >= CERTAIN_ANSWERS // 2:
            parts.append(Words(f"{words}: {q.bias:+.1f} ± {q.sigma:.1f} steps, {q.answers} answers".replace("-", "−")))
    for key, (good, all_) in found.right.items():
        parts.append(Words(f"{drills()[key].name if key in drills() else key}: {good} of {all_} right"))
    parts += instead(s)
    parts += files(s)
    return parts


def instead(s: PracticeRoom) -> list:
    """All other drills, by bench."""
    out: list = []
    for bench, words, icon in (
        ("eye", "Or instead, for the eye", "practice"), ("hand", "Or instead, for the hand", "pencil"), ("part", "Or a part by itself", "loop"),
    ):  # fmt: skip
        out.append(Caption(words))
        out += [
            row(act_button(f"{q.name}, {q.minutes} min", icon, lambda key=q.id: s.choose_drill(key)), None)
            for q in drills().values()
            if q.bench == bench and q.id != s.drill.id
        ]
    return out


def files(s: PracticeRoom) -> list:
    """Writing and forgetting what was answered."""
    if not s.practising.rounds():
        return []
    return [
        Caption("Your answers"),
        row(
            act_button("Write as a table", "write", s.write_table),
            act_button("Write as data", "write", s.write_data, "The profile as JSON"),
            None,
        ),
        row(act_button("Forget them all", "brush", s.forget), None),
    ]
