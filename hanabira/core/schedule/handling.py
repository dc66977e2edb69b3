"""What lies between the layers: graphite lifted, seams between two areas, a second look at the anchors; and what to mind at a step.

Those that take time are steps of their own, put where they belong into an order that the rules have solved; a guard sheet and a turned sheet
are reminders at the step that needs them. None of them moves a layer.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from hanabira.core.schedule.order import LAST, Ordered, Step
from hanabira.core.schedule.work import DARKS, HIGH, LOW, AreaWork, LayerWork, Pace
from hanabira.core.sentences import say

GRAPHITE, SEAM, LOOK = "graphite", "seam", "second look"
"""Roles of these steps."""
PALE_L = 70.0
"""Mean L* of an area's pencils from which graphite under them shows through."""
MIDDLES = ("general", "deepen", "texture")
"""Roles that raise the middle values, against which the anchors are looked at again."""
LEAST_MIDDLES = 4
"""With fewer there is no half way to look from."""
LOOK_MIN, LINES_MIN, LINES_MM2_A_MIN = 6.0, 1.5, 900.0
SEAM_MIN, SEAM_MM_A_MIN = 2.0, 12.0
RESTS_MM = {"right": ((-15.0, 110.0), (-20.0, 130.0)), "left": ((-110.0, 15.0), (-20.0, 130.0))}
"""Where a drawing hand lies about the point of its pencil: across and down in millimetres, for either hand."""
EASY_DEG = {"right": 45.0, "left": 135.0}
"""The way that a wrist swings by itself, counter-clockwise from the right."""
AWKWARD_DEG, TURN_STEP_DEG = 55.0, 15.0
"""Hairs farther than this from the wrist's way ask for a turned sheet; by how much it turns in steps."""


@dataclass(frozen=True)
class SeamWork:
    """A seam that is to be worked: ids of its two areas, edge (lost, soft, firm), id of the area whose hairs go over or "", length in mm."""

    first: str
    second: str
    edge: str
    over: str = ""
    length_mm: float = 0.0


@dataclass(frozen=True)
class Handling:
    """What an order is completed with: the drawing hand, whether lines were drawn in graphite, and seams that were planned."""

    hand: str = "right"
    graphite: bool = True
    seams: tuple[SeamWork, ...] = ()


def is_handling(key: str) -> bool:
    """Whether a step's key is one of these and no layer's."""
    rest = key.partition(":")[2]
    return key.startswith(f"{LOOK}:") or rest == GRAPHITE or rest.startswith(f"{SEAM}:")


def with_handling(ordered: Ordered, areas: Sequence[AreaWork], handling: Handling, pace: Pace | None = None) -> Ordered:
    """An order with these steps between its own, each with its reason and what it waits for, and the reminders of every step."""
    steps, after, reasons = list(ordered.steps), dict(ordered.after), dict(ordered.reasons)
    for step, waits, before, why in _wanted(ordered.steps, areas, handling, pace):
        place = {s.key: k for k, s in enumerate(steps)}
        at = place[before] if before else 1 + max(place[w] for w in waits)
        steps.insert(at, step)
        after[step.key], reasons[step.key] = tuple(waits), why
        if before:
            after[before] = (*after.get(before, ()), step.key)
        after[LAST] = (*after.get(LAST, ()), step.key)
    return replace(ordered, steps=tuple(steps), after=after, reasons=reasons, reminders=_reminders(steps, handling.hand))


def handling_steps(areas: Sequence[AreaWork], handling: Handling, pace: Pace | None = None, steps: Sequence[Step] = ()) -> tuple[Step, ...]:
    """These steps alone, for hours and price; ``steps`` are the layers' own."""
    return tuple(s for s, _waits, _before, _why in _wanted(steps, areas, handling, pace))


def _wanted(
    steps: Sequence[Step], areas: Sequence[AreaWork], handling: Handling, pace: Pace | None
) -> list[tuple[Step, tuple[str, ...], str, str]]:
    """Every such step with the keys it waits for, the key it must come before (or ""), and its reason."""
    by, mine = {a.id: a for a in areas}, {a.id: [s for s in steps if s.area is not None and s.area.id == a.id] for a in areas}
    out: list[tuple[Step, tuple[str, ...], str, str]] = []

    def step(key: str, area: AreaWork | None, role: str, minutes: float, where: str) -> Step:
        f = pace.factor(area.surface_id) if pace is not None and area is not None else 1.0
        return Step(key, area, -1, LayerWork(role, "", where=where), minutes * f * LOW, minutes * f * HIGH, minutes)

    if handling.graphite:
        for a in areas:
            first = next((s for s in mine[a.id] if s.layer.role not in ("indent", "reserve")), None)
            if first is not None and a.value_l is not None and a.value_l >= PALE_L:
                minutes = LINES_MIN + a.mm2 / LINES_MM2_A_MIN
                out.append(
                    (step(f"{a.id}:{GRAPHITE}", a, GRAPHITE, minutes, say("handling.lines")), (), first.key, say("handling.graphite"))
                )
    for q in handling.seams:
        if q.first in by and q.second in by:
            waits = tuple(w for w in (_last_dark(mine[k]) for k in (q.first, q.second)) if w)
            if waits:
                over = by.get(q.over) or by[q.first]
                under = by[q.second if over.id == q.first else q.first]
                minutes = SEAM_MIN + q.length_mm / SEAM_MM_A_MIN
                where = say("handling.seam", over=over.name, under=under.name)
                out.append(
                    (step(f"{q.first}:{SEAM}:{q.second}", over, SEAM, minutes, where), waits, "", seam_words(q, over.name, under.name))
                )
    out += _looks(steps, areas, step)
    return out


def seam_words(q: SeamWork, over: str, under: str) -> str:
    """What a hand does at a seam; ``over`` and ``under`` name its areas as they stand there."""
    edge = say("seam.lost" if q.edge == "lost" else "seam.soft" if q.edge == "soft" else "seam.firm")
    crossing = say("seam.over-now", over=over, under=under)
    return f"{edge} {crossing}" if q.over else edge


def _looks(steps: Sequence[Step], areas: Sequence[AreaWork], step) -> list[tuple[Step, tuple[str, ...], str, str]]:  # type: ignore[no-untyped-def]  # noqa: ANN001
    """The anchors looked at again: half way through the middles, and when all of them stand."""
    middles = [s for s in steps if s.layer.role in MIDDLES]
    known = [a for a in areas if a.value_l is not None]
    if len(middles) < LEAST_MIDDLES or not known:
        return []
    dark, light = min(known, key=lambda a: a.value_l or 0.0), max(known, key=lambda a: a.value_l or 0.0)
    total, run, half = sum(s.low for s in middles), 0.0, 0
    while run < total / 2:
        run += middles[half].low
        half += 1
    out = []
    for name, some in (("half", middles[:half]), ("all", middles)):
        if name == "half" and len(some) == len(middles):
            continue
        where = say("handling.anchors", dark=dark.name, light=light.name)
        out.append((step(f"{LOOK}:{name}", None, LOOK, LOOK_MIN, where), tuple(s.key for s in some), "", say(f"handling.look-{name}")))
    return out


def _last_dark(steps: Sequence[Step]) -> str:
    found = [s.key for s in steps if s.layer.role in DARKS]
    return found[-1] if found else ""


def turn_deg(hair_deg: float, hand: str) -> float:
    """By how much the sheet is turned, in degrees counter-clockwise, so that hairs at ``hair_deg`` come to lie as the wrist swings; 0 where they do.

    >>> turn_deg(135.0, "right"), turn_deg(60.0, "right"), turn_deg(135.0, "left")
    (90.0, 0.0, 0.0)
    """
    off = (hair_deg - EASY_DEG[hand] + 90) % 180 - 90
    return 0.0 if abs(off) <= AWKWARD_DEG else -round(off / TURN_STEP_DEG) * TURN_STEP_DEG


def _reminders(steps: Sequence[Step], hand: str) -> dict[str, tuple[str, ...]]:
    """What to mind when the hand comes to an area: what it would rest on, and the sheet turned to the wrist."""
    (left, right), (up, down) = RESTS_MM[hand]
    begun: dict[str, AreaWork] = {}
    out: dict[str, tuple[str, ...]] = {}
    now, guarded = "", ""
    for s in steps:
        a = s.area
        if a is None:
            continue
        words: list[str] = []
        if a.id != now:
            under = [
                b for b in begun.values()
                if b.id != a.id and left <= b.middle[0] - a.middle[0] <= right and up <= b.middle[1] - a.middle[1] <= down
            ]  # fmt: skip
            names = (
                say("handling.and-more", names=", ".join(b.name for b in under[:2]))
                if len(under) > 2
                else " and ".join(b.name for b in under)
            )
            if names and names != guarded:
                words.append(say("handling.guard", areas=names))
            turn = turn_deg(a.hair_deg, hand) if a.hair_deg is not None else 0.0
            if turn:
                words.append(say("handling.turn-left" if turn > 0 else "handling.turn-right", by=abs(turn)))
            guarded, now = names, a.id
        if words:
            out[s.key] = tuple(words)
        if s.layer.pencil:
            begun[a.id] = a
    return out
