"""What practice adds up to: what it changes elsewhere in the studio, and the profile as plain data."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any

from hanabira.core.practice.hand import pressures_of
from hanabira.core.practice.profile import CERTAIN_ANSWERS, Diagnosis
from hanabira.core.schedule.work import evidence
from hanabira.core.sentences import say
from hanabira.craft.supplies import surfaces
from hanabira.studio import planning
from hanabira.studio.records import LogRow

if TYPE_CHECKING:
    from hanabira.session.practising import Practising

ODD_SHARE = 0.08
"""A pressure farther from an even ladder than this share of its span is told."""


def effects(practising: Practising) -> tuple[str, ...]:
    """What the profile has to say where recipes are made and work is checked; nothing that is not certain."""
    out = []
    told = practising.profile()
    sure = {k: d for k, d in told.steps.items() if d.claimed}
    if sure:
        k = max(sure, key=lambda k: abs(sure[k].bias))
        out.append(say("practice.effect_step", step=k, size=abs(sure[k].bias), way=_way(sure[k])))
    elif told.whole.claimed:
        out.append(say("practice.effect_values", size=abs(told.whole.bias), way=_way(told.whole)))
    values = pressures_of([r for _at, r in practising.hand_results()])
    if values:
        span = values[0] - values[4]
        off = [v - (values[0] - span * n / 4) for n, v in enumerate(values)]
        odd = max(range(5), key=lambda n: abs(off[n]))
        if abs(off[odd]) > ODD_SHARE * span:
            out.append(say("practice.effect_pressure", pressure=odd + 1, size=abs(off[odd]), way="light" if off[odd] > 0 else "dark"))
    times = float(practising.session.settings.get("hand_unsteady"))
    if times != 1.0:
        out.append(say("practice.effect_unsteady", times=times))
    return tuple(out)


def pace_words(practising: Practising) -> list[str]:
    """What the log tells of the artist's pace, surface by surface; empty while nothing is logged."""
    pace = planning.pace_of(practising.session.store.all(LogRow))
    if not pace.logged:
        return []
    names = surfaces()
    return [evidence(pace, k, names[k].name.lower() if k in names else k) for k in sorted(pace.surface)]


def hue_words(practising: Practising) -> list[str]:
    """How values of warm, cool and neutral spots are read, where there are answers enough."""
    return [
        say("practice.hue_values", hue=k, size=abs(d.bias), way=_way(d), sigma=d.sigma, answers=d.answers)
        for k, d in practising.profile().hues.items()
        if d.answers >= CERTAIN_ANSWERS // 2
    ]


def _way(d: Diagnosis) -> str:
    return "light" if d.bias > 0 else "dark"


def as_data(practising: Practising) -> dict[str, Any]:
    """The profile as plain data: values over everything and by step, surroundings, right answers by drill, every sheet of the hand."""
    told = practising.profile()

    def one(d: Diagnosis) -> dict[str, Any]:
        return {
            "bias_steps": round(d.bias, 3),
            "sigma": round(d.sigma, 3) if d.answers else None,
            "answers": d.answers,
            "claimed": d.claimed,
        }

    return {
        "values": one(told.whole), "by_step": {str(k): one(d) for k, d in told.steps.items() if d.answers}, "beside_darker": one(told.darker_round),
        "beside_lighter": one(told.lighter_round), "on_neutral": one(told.on_neutral),
        "by_hue": {k: one(d) for k, d in told.hues.items() if d.answers}, "pace": pace_words(practising),
        "right": {k: {"right": good, "of": all_} for k, (good, all_) in told.right.items()},
        "hand": [{"at": at, "drill": r.drill, "figures": dict(r.figures), "sentences": list(r.sentences)} for at, r in practising.hand_results()],
        "effects": list(effects(practising)),
    }  # fmt: skip


def as_json(practising: Practising) -> str:
    """The same as text."""
    return json.dumps(as_data(practising), ensure_ascii=False, indent=1)
