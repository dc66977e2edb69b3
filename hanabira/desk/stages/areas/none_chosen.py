"""The bench card of Areas while no area is chosen: what to begin with, or what the whole animal comes to."""

from __future__ import annotations

from typing import TYPE_CHECKING

from hanabira.desk.cards import first_plan_parts
from hanabira.desk.controls import Words, act_button, row
from hanabira.desk.stages.areas import cards as areas_cards

if TYPE_CHECKING:
    from hanabira.desk.stages.areas.stage import AreasStage


def show(s: AreasStage) -> None:
    """Fill the card and say what comes next."""
    bench, session = s.desk.bench, s.session
    if session.photo is None:
        bench.head.set("", "No photo yet", "Areas are drawn on the client’s photo")
        bench.set_parts([])
        s.desk.set_next("Add the client’s photo", "photo")
    elif not session.areas:
        bench.head.set("", "Nothing is parted yet", "An area is what you work as one: an eye, the nose, a cheek")
        one = act_button("Draw one area", "loop", s.take_loop, "In one stroke, with the loop")
        begin = "Part the whole animal: one loose loop round it and a click on each eye, and areas over all of it are proposed. You accept or change them."
        first = "Or draw one area in one stroke. Start with the eye: it sets the range of values for everything else."
        bench.set_parts([Words(begin, "body", "ink"), Words(first), row(one, None), *areas_cards.template_parts(s)])
        s.desk.set_next("Part the whole animal", "patches")
    else:
        n, unsolved = len(session.areas), len(session.portrait.unsolved())
        bench.head.set("", "The whole animal" if unsolved < n or n > 1 else "Choose an area", f"{n} area{'s' if n > 1 else ''} drawn · click a name in the margin for one")
        rest = act_button("Part the rest of the animal", "patches", s.part_whole, "Areas are proposed over what lies under none yet")
        bench.set_parts([*first_plan_parts(session), Words("What the photo tells of one area stands on this card once you choose it, or draw another one."), row(rest, None)])
        if unsolved > 1:
            s.desk.set_next(f"Solve all {unsolved}" if unsolved == n else f"Solve the other {unsolved}", "strata")
        elif unsolved == 0:
            s.desk.set_next("To the plan", "hours")
        else:
            s.desk.set_next("Choose the first", "loop")


def next_step(s: AreasStage) -> None:
    """What the main button does."""
    session = s.session
    if not session.areas:
        s.part_whole()
        return
    unsolved = session.portrait.unsolved()
    if len(unsolved) > 1:
        session.portrait.solve_all()
    elif not unsolved:
        s.desk.go("Plan")
    else:
        session.choose_area(unsolved[0].id)
