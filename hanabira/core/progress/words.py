"""A photo's verdict in words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from hanabira.core.optics.kit import Kit
from hanabira.core.progress.check import Checked, Expectation
from hanabira.core.progress.cure import Cure, ToldFlaw
from hanabira.core.sentences import say
from hanabira.core.solver.layer import Layer

LEAN_TOLD_L = 2.5
WHOLE = ("green", "red", "yellow", "blue", "dull", "neon")
"""Faults of a whole area, all its places together."""
SHARE_TOLD = 0.01


def named(kit: Kit, code: str) -> str:
    """A pencil by code and name."""
    return f"{code} {kit.get(code).name}" if code in kit.index else code


def listed(parts: Sequence[str]) -> str:
    """Words in a row.

    >>> listed(["one", "two", "three"])
    'one, two and three'
    """
    some = list(dict.fromkeys(parts))
    return some[0] if len(some) == 1 else f"{', '.join(some[:-1])} and {some[-1]}" if some else ""


def sentence(q: ToldFlaw, plan: Expectation) -> str:
    """What is wrong and why, in one sentence."""
    return f"{what(q, plan)}{_because(q, plan.kit)}."


def what(q: ToldFlaw, plan: Expectation, with_area: bool = True) -> str:
    """What is wrong, without its cause."""
    area = next(a for a in plan.sheet.areas if a.id == q.fault.area_id)
    place = area.place_name(q.fault.place) if q.fault.place else ""
    if q.fault.kind in WHOLE:
        where = f"{area.name} stands" if with_area else "stands"
    else:
        where = f"{area.name}: {place}" if with_area and place else place
    form = q.fault
    size = abs(form.size)
    return say(
        f"check.fault_{form.kind}", where=where, area=area.name, size=size, steps="step" if f"{size:.1f}" == "1.0" else "steps", mm=f", {q.wider_mm:.1f} mm in width" if q.wider_mm else ""
    ).strip()  # fmt: skip


def _because(q: ToldFlaw, kit: Kit) -> str:
    names = [named(kit, c) for c in q.because]
    if q.cause == "left out":
        return say("check.because_left_out", names=listed(names), was="was" if len(set(names)) == 1 else "were")
    if q.cause == "swapped":
        return say("check.because_swapped", name=names[0], other=names[1])
    if q.cause == "pressure":
        return say("check.because_pressure", name=names[0], size=q.because[1], other=q.because[2])
    return say(f"check.because_{q.cause}")


def step_words(kit: Kit, q: Layer) -> str:
    """A correcting step: pencil, pressure and passes, or tool."""
    if q.tool:
        return f"{q.tool} {q.passes} times" if q.passes > 1 else q.tool
    return f"{named(kit, q.code)} at {q.pressure}" + (f", {q.passes} passes" if q.passes > 1 else "")


def remedy(q: ToldFlaw, kit: Kit) -> str:
    """What to do about it, in one sentence with what may be expected."""
    c: Cure = q.cure
    laid = [s for s in c.steps if s.code]
    after = float(c.lab_after[0]) if c.lab_after is not None else 0.0
    lifted = next((s for s in c.steps if s.tool), None)
    then = f", then {', then '.join(step_words(kit, s) for s in laid)}" if laid else ""
    times = f", {lifted.passes} times" if lifted is not None and lifted.passes > 1 else ""
    steps = ", then ".join(step_words(kit, s) for s in laid)
    return say(f"check.cure_{c.tool}", steps=steps, after=after, claim=c.claim, times=times, then=then, names=listed(c.names))


def remarks(checked: Checked, plan: Expectation, sources: Mapping[str, int]) -> tuple[str, ...]:
    """What must be said of the photo itself: no strip, a burnt one, sheen, shadow, a kit that was never fitted, a leaning that all share."""
    out = []
    if not checked.strip:
        out.append(say("check.no_strip"))
    if checked.strip_burnt:
        out.append(say("check.strip_burnt"))
    out += [say(f"check.{key}", share=share) for key, share in checked.shares.items() if share > SHARE_TOLD]
    if sources.get("shipped", 0) > sum(sources.values()) / 2:
        out.append(say("check.not_fitted"))
    lean = float(checked.verdict.leaning[0])
    if abs(lean) > LEAN_TOLD_L and checked.verdict.leaning_places >= 6 and checked.strip:
        out.append(say("check.leaning", size=abs(lean), way="lighter" if lean > 0 else "darker", count=checked.verdict.leaning_places))
    return tuple(out)


def overall(checked: Checked, faults: Sequence[ToldFlaw], plan: Expectation) -> str:
    """The one sentence on top: the most urgent fault, or that there is none as far as can be read."""
    if faults:
        return sentence(faults[0], plan)
    begun = sum(e.begun for e in plan.expected)
    if not begun:
        return say("check.nothing_begun")
    unsure = sum(bool(p.hidden) for p in checked.places)
    if unsure:
        return say("check.agree_unsure", unsure=unsure, count=len(checked.places))
    return say("check.agree", count=begun)
