"""From a commission's records to the work that the schedule knows, to its quote and to what the terminal prints."""

from __future__ import annotations

import datetime
import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from hanabira.core.colour.spaces import parse_hex, srgb_to_lab
from hanabira.core.faults import Fault
from hanabira.core.schedule.first_hours import FIRST
from hanabira.core.schedule.handling import Handling, SeamWork, handling_steps, with_handling
from hanabira.core.schedule.order import KEPT, LAST, Arranger, Ordered, Preferences, Step, steps_of
from hanabira.core.schedule.plausible import DoneStep, Doubt, doubts
from hanabira.core.schedule.sessions import Calendar, Days, Placed, lay_out, what_is_left
from hanabira.core.schedule.work import AreaWork, LayerWork, Pace, area_minutes, hours_range, learned
from hanabira.core.solver.layer import WHISKER
from hanabira.craft.gesture_names import stage_of, title_of
from hanabira.craft.techniques import FINISH
from hanabira.studio.beside import TOUCH_MM
from hanabira.studio.overlaps import IN_THE_WAY, polygon_of
from hanabira.studio.records import Area, Commission, LogRow, Photo, Recipe, by_commission

if TYPE_CHECKING:
    from hanabira.core.optics.kit import Kit
    from hanabira.core.solver.layer import Layer

DARK_GROUND_L = 50.0
"""A ground darker than this bears no graphite lines."""


def work_of(c: Commission, photo: Photo, areas: Sequence[Area], recipes: Sequence[Recipe], kit: Kit | None = None) -> tuple[AreaWork, ...]:
    """Areas with recipes as work in millimetres of the picture; where areas overlap the smaller one is painted.

    With a ``kit`` areas also have the value of their pencils.
    """
    return tuple(a for a in all_work(c, photo, areas, recipes, kit) if a.layers)


def all_work(c: Commission, photo: Photo, areas: Sequence[Area], recipes: Sequence[Recipe], kit: Kit | None = None) -> tuple[AreaWork, ...]:
    """The same of every area that is drawn, those without recipes with no layers."""
    k = c.picture_mm[0] / photo.crop[2]
    layers = {r.area_id: r.layers for r in recipes}
    shares = {r.area_id: {p.id: p.share for p in r.places} for r in recipes}
    shapes = {a.id: polygon_of(a.ring, a.holes) for a in areas if a.photo_id == photo.id}
    out = []
    for a in sorted(areas, key=lambda a: a.number):
        mine = layers.get(a.id, ())
        if a.id not in shapes or (not mine and a.surface_id == IN_THE_WAY):
            continue
        own = shapes[a.id]
        for b in areas:
            if b.id != a.id and b.id in shapes and b.surface_id != IN_THE_WAY and (b.level, -shapes[b.id].area) > (a.level, -own.area) and shapes[b.id].intersects(own):
                own = own.difference(shapes[b.id])
        near = tuple(b for b, s in shapes.items() if b != a.id and layers.get(b) and s.distance(shapes[a.id]) * k <= TOUCH_MM)
        middle = shapes[a.id].centroid
        work = tuple(
            LayerWork(
                q.role, q.code, q.tool, pressure=q.pressure, passes=q.passes, stroke=q.stroke, stroke_mm=q.stroke_mm, where=q.where, spacing_mm=0.6,
                id=q.id, share=_share(q, shares[a.id]), stage=-1 if q.role in KEPT else stage_of(q.gesture), title=title_of(q.gesture),
                crosses=q.gesture == WHISKER, laid=q.laid,
            )
            for q in mine
        )
        place = ((middle.x - photo.crop[0]) * k, (middle.y - photo.crop[1]) * k)
        out.append(
            AreaWork(
                a.id, a.number, a.name, surface_id=a.surface_id, mm2=own.area * k * k, middle=place, neighbours=near, finish=finish_of(a, photo),
                layers=work, value_l=_value(mine, kit) if mine else None, hair_deg=_way(a),
            )
        )
    return tuple(out)


def far_of(a: Area, photo: Photo) -> float | None:
    """How far an area lies from the photo's focal point, 0–1 of the sheet's diagonal; None while none is set."""
    if photo.prep.focal is None:
        return None
    x, y = (sum(q[k] for q in a.ring) / len(a.ring) for k in (0, 1))
    return min(1.0, math.hypot(x - photo.prep.focal[0], y - photo.prep.focal[1]) / math.hypot(photo.crop[2], photo.crop[3]))


def finish_of(a: Area, photo: Photo | None) -> int:
    """Finish level of an area: as set, else falling from 5 at the focal point to 2 at the far corner; 3 without one.

    Source: the craft's rule that most contrast and detail stand at the face's focal point and least at the body's edge.
    """
    if a.finish:
        return a.finish
    far = far_of(a, photo) if photo is not None else None
    return 3 if far is None else min(FINISH[1], max(FINISH[0] + 1, round(5 - 6 * far)))


def _way(a: Area) -> float | None:
    """The mean way of the artist's strokes from root to tip, in degrees counter-clockwise from the right."""
    runs = [(line[-1][0] - line[0][0], line[0][1] - line[-1][1]) for line in a.combing if len(line) > 1]
    x, y = sum(r[0] for r in runs), sum(r[1] for r in runs)
    return math.degrees(math.atan2(y, x)) % 360 if math.hypot(x, y) > 1e-6 else None


def handling_of(c: Commission) -> Handling:
    """What a commission's order is completed with. On a dark ground nobody draws in graphite."""
    light = float(srgb_to_lab(parse_hex(c.ground_hex))[0]) >= DARK_GROUND_L
    return Handling(c.terms.hand, light, tuple(SeamWork(*q) for q in c.terms.seams))


def _share(q: Layer, shares: Mapping[str, float]) -> float | None:
    """Share of its area that a layer covers, by the places it names."""
    return min(1.0, sum(shares.get(k, 0.0) for k in q.on)) if q.on else None


def _value(layers: Sequence[Layer], kit: Kit | None) -> float | None:
    """Mean L* of the pencils of a recipe."""
    found = [float(kit.masstone_lab[kit.index[q.code]][0]) for q in layers if q.code in kit.index] if kit is not None else []
    return sum(found) / len(found) if found else None


def doubts_of(log: Sequence[LogRow]) -> tuple[Doubt, ...]:
    """Rows of the log whose minutes must be asked about, commission by commission."""
    return tuple(d for rows in by_commission(log).values() for d in doubts(timed(rows)))


def timed(log: Sequence[LogRow]) -> list[DoneStep]:
    """Done rows as the doubts look at them."""
    return [DoneStep(r.id, datetime.datetime.fromisoformat(r.at).timestamp(), r.minutes, r.guess_min) for r in log if r.state == "done"]


def pace_of(log: Sequence[LogRow]) -> Pace:
    """The artist's pace from every finished area of the log: its steps together against our guess. What is in doubt teaches nothing."""
    doubted = {key for d in doubts_of(log) for key in d.rows}
    sums: dict[str, list[float]] = {}
    surface: dict[str, str] = {}
    for row in log:
        if row.state == "done" and row.area_id and row.guess_min > 0 and row.id not in doubted:
            total = sums.setdefault(row.area_id, [0.0, 0.0])
            total[0] += row.guess_min
            total[1] += row.minutes
            surface[row.area_id] = row.surface_id
    return learned([(surface[k], guess, taken) for k, (guess, taken) in sums.items() if taken > 0])


def days_of(c: Commission, today: datetime.date, start: datetime.date | None = None, hours_a_day: float | None = None) -> Days:
    """The artist's working days for a commission, from ``start``, else from the day it is said to begin, else from ``today``."""
    first = start or (datetime.date.fromisoformat(c.terms.start) if c.terms.start else today)
    return Days(first, hours_a_day or c.terms.hours_a_day, c.terms.weekdays)


def plan(
    c: Commission, work: Sequence[AreaWork], days: Days, pace: Pace | None = None, hand: str = "", sequence: str = "one-area",
    busy: Sequence[tuple[datetime.date, float]] = (), log: Sequence[LogRow] = (), arranger: Arranger | None = None, estimates: Sequence[Step] = (),
) -> tuple[Ordered, Calendar]:  # fmt: skip
    """Order and calendar of a commission. Steps that the log holds stand where they happened; the rest is laid out from the first day on.

    ``estimates`` stand for areas without a recipe: they are no steps yet, and the calendar's ``finish`` waits for them. An ``arranger`` of the same work, hand and sequence spares ordering anew what it knows. Raises `Fault` when there is nothing to plan.
    """
    if not any(a.layers for a in work):
        raise Fault("There is no recipe to plan yet.", "Nothing was planned.", "Solve the layers of an area first.")
    found = (arranger or Arranger(work, Preferences(hand or c.terms.hand, sequence))).ordered(c.terms.moved, pace)
    handling = handling_of(c)
    found = with_handling(found, work, replace(handling, hand=hand or handling.hand), pace)
    rows = {r.step: r for r in log if r.state in ("done", "skipped")}
    calendar = laid_out(what_is_left(found, rows.keys()), estimates, days, busy)
    past = []
    for s in found.steps:
        if s.key in rows:
            end = datetime.datetime.fromisoformat(rows[s.key].at)
            past.append(Placed(s, end - datetime.timedelta(minutes=rows[s.key].minutes), end))
    past.sort(key=lambda q: q.start)
    ahead = calendar.placed or calendar.estimated
    finish = calendar.finish if ahead else max((q.end.date() for q in past), default=days.start)
    return found, replace(calendar, placed=(*past, *calendar.placed), finish=finish)


def laid_out(left: Ordered, estimates: Sequence[Step], days: Days, busy: Sequence[tuple[datetime.date, float]] = ()) -> Calendar:
    """What is left on days, with areas that are only estimated behind the steps that are known, and before the last look."""
    *work, last = left.steps or (None,)
    steps = (*(s for s in work if s is not None), *estimates, *([last] if last is not None else []))
    calendar = lay_out(replace(left, steps=steps), days, busy)
    guessed = tuple(q for q in calendar.placed if q.step.key.endswith(FIRST))
    placed = tuple(q for q in calendar.placed if not q.step.key.endswith(FIRST))
    known = [q.step.key for q in placed if last is None or q.step.key != last.key]
    # a wait behind an estimate is told behind the last step that is known
    waits = [replace(w, after=known[-1]) if w.after.endswith(FIRST) and known else w for w in calendar.waiting]
    return replace(calendar, placed=placed, estimated=guessed, waiting=tuple(w for w in waits if not w.after.endswith(FIRST)))


def plan_data(c: Commission, found: Ordered, calendar: Calendar) -> dict[str, Any]:
    """The plan as plain data, in the shape the terminal prints."""
    number = {s.key: n for n, s in enumerate(found.steps, 1)}
    begun: dict[str, datetime.datetime] = {}
    by_day: dict[datetime.date, list[int]] = {}
    minutes: dict[datetime.date, float] = {}
    for q in calendar.placed:
        begun.setdefault(q.step.key, q.start)
        day = q.start.date()
        if number[q.step.key] not in by_day.setdefault(day, []):
            by_day[day].append(number[q.step.key])
        minutes[day] = minutes.get(day, 0.0) + (q.end - q.start).total_seconds() / 60
    due = datetime.date.fromisoformat(c.due) if c.due else None
    slack = calendar.slack_days(due)
    warnings = [f"{r.why} This order breaks it: {r.cost}." for r in found.broken]
    if slack is not None and slack < 0:
        warnings.append(f"The work ends {-slack} days after the due date {c.due}.")
    if calendar.idle_min > 20:
        warnings.append(f"{calendar.idle_min:.0f} minutes of drying are filled by nothing.")
    return {
        "steps": [
            {
                "n": n, "area": s.area.name if s.area else "", "role": s.layer.role, "gesture": s.layer.title or None, "pencil": s.layer.pencil or s.layer.tool or None,
                "minutes": [round(s.low, 1), round(s.high, 1)], "start": begun[s.key].isoformat(timespec="minutes"),
                "after": sorted(number[k] for k in found.after.get(s.key, ())), "reason": " ".join((*found.reminders.get(s.key, ()), found.reasons[s.key])),
            }
            for n, s in enumerate(found.steps, 1)
        ],
        "sessions": [{"date": d.isoformat(), "steps": by_day[d], "minutes": round(minutes[d], 1)} for d in sorted(by_day)],
        "waiting": [{"after": number[w.after], "minutes": w.minutes, "why": w.why} for w in calendar.waiting],
        "finish": calendar.finish.isoformat(), "slack_days": slack, "warnings": warnings,
    }  # fmt: skip


def quote(c: Commission, work: Sequence[AreaWork], pace: Pace | None = None, estimates: Sequence[Step] = ()) -> dict[str, Any]:
    """Hours as a range, the price from rate and materials, deposit and instalments, in the studio's own currency.

    ``estimates`` stand for areas without a recipe; their hours are told apart, too.
    """
    layers = steps_of(work, pace) if work else ()
    steps = (*layers, *handling_steps(work, handling_of(c), pace, layers)) if work else ()
    low, high = hours_range(sum(s.low for s in (*steps, *estimates)), sum(s.high for s in (*steps, *estimates)))
    t = c.terms
    price = [round(t.rate * h + t.materials, 2) for h in (low, high)]
    deposit = [round(p * t.deposit_percent / 100, 2) for p in price]
    rest = [round((p - d) / max(1, t.instalments), 2) for p, d in zip(price, deposit, strict=True)]
    rows = [{"name": a.name, "mm2": round(a.mm2), "hours": round(area_minutes(a, pace) / 60, 2), "estimated": False} for a in work]
    rows += [{"name": s.area.name, "mm2": round(s.area.mm2), "hours": round((s.low * s.high) ** 0.5 / 60, 2), "estimated": True} for s in estimates if s.area]
    return {
        "commission": c.name, "client": c.client, "hours": [round(low, 1), round(high, 1)], "rate": t.rate, "materials": t.materials, "price": price,
        "deposit": deposit, "instalments": {"count": max(1, t.instalments), "each": rest}, "due": c.due, "areas": rows,
        "estimated_hours": [round(v, 1) for v in hours_range(sum(s.low for s in estimates), sum(s.high for s in estimates))] if estimates else None,
        "warnings": [] if t.rate > 0 else ["No hourly rate is set; the price holds materials only."],
    }  # fmt: skip


__all__ = ["LAST", "days_of", "pace_of", "plan", "plan_data", "quote", "work_of"]
