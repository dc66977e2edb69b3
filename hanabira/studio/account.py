"""What the log adds up to: hours by area and by day against the plan, pencils used and worn, what was learned."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from hanabira.core.schedule.sessions import Calendar, middle
from hanabira.core.schedule.wear import BARREL_MM, STUB_MM, worn_mm
from hanabira.core.schedule.work import AreaWork, Pace, evidence
from hanabira.core.solver.layer import Layer

if TYPE_CHECKING:
    from hanabira.core.optics.kit import Kit
    from hanabira.core.schedule.order import Step
    from hanabira.studio.records import LogRow


@dataclass(frozen=True)
class AreaHours:
    """An area's minutes: planned for all its steps from ``low`` to ``high``, planned for those that are done, and taken for them."""

    id: str
    number: int
    name: str
    steps: int
    done: int
    low: float
    high: float
    planned_done: float
    taken: float


@dataclass(frozen=True)
class DayHours:
    """Minutes of a day: taken, and planned before the work began."""

    day: datetime.date
    taken: float
    planned: float


@dataclass(frozen=True)
class Wear:
    """A pencil's wear in mm of barrel: what was laid and what is still to lay; what is left of it, and what that costs."""

    code: str
    name: str
    times: int
    worn_mm: float
    coming_mm: float
    left_mm: float
    cost: float | None

    @property
    def short(self) -> bool:
        """Whether it ends as a stub before the work does."""
        return self.coming_mm > self.left_mm - STUB_MM


MOST_MINUTES = 1e6
"""More is no plan."""


@dataclass(frozen=True)
class FirstPlan:
    """What was promised before the first step was done: minutes of each day, and each area's range of minutes."""

    days: Mapping[datetime.date, float]
    areas: Mapping[str, tuple[float, float]]

    def as_data(self) -> dict[str, Any]:
        """As plain data."""
        return {
            "days": {d.isoformat(): round(m, 2) for d, m in self.days.items()},
            "areas": {k: [round(v, 2) for v in q] for k, q in self.areas.items()},
        }

    @staticmethod
    def of_data(data: Any) -> FirstPlan | None:
        """From plain data; None when it makes no sense."""
        try:
            days = {datetime.date.fromisoformat(d): float(m) for d, m in data["days"].items()}
            areas = {str(k): (float(low), float(high)) for k, (low, high) in data["areas"].items()}
            if not all(0 <= v < MOST_MINUTES for v in (*days.values(), *(m for pair in areas.values() for m in pair))):
                return None
            return FirstPlan(days, areas)
        except (TypeError, ValueError, KeyError, AttributeError):
            return None


def taken(log: Sequence[LogRow]) -> float:
    """Minutes of a log: of what was done, and of what was begun and then left out."""
    return sum(r.minutes for r in log if r.state != "note")


def first_plan_key(commission_id: str) -> str:
    """The setting under which a commission's first plan is kept."""
    return f"first plan {commission_id}"


def first_plan(steps: Sequence[Step], calendar: Calendar) -> FirstPlan:
    """The plan as it stands, to be held against what happens."""
    areas: dict[str, tuple[float, float]] = {}
    for s in steps:
        if s.area is not None:
            low, high = areas.get(s.area.id, (0.0, 0.0))
            areas[s.area.id] = low + s.low, high + s.high
    return FirstPlan(planned_days(calendar), areas)


def planned_days(calendar: Calendar) -> dict[datetime.date, float]:
    """Minutes of every day of a calendar."""
    out: dict[datetime.date, float] = {}
    for q in calendar.placed:
        day = q.start.date()
        out[day] = out.get(day, 0.0) + (q.end - q.start).total_seconds() / 60
    return out


def by_area(steps: Sequence[Step], log: Sequence[LogRow], first: FirstPlan | None = None) -> tuple[AreaHours, ...]:
    """Hours of every area in working order. Planned minutes are those of the ``first`` plan where it knows the area, else those of the steps with
    the pace they were made with.
    """
    promised = first.areas if first is not None else {}
    rows = {r.step: r for r in log if r.state == "done"}
    gone = {r.step for r in log if r.state in ("done", "skipped")}
    out = []
    areas = {s.area.id: s.area for s in steps if s.area is not None}
    for a in sorted(areas.values(), key=lambda a: a.number):
        mine = [s for s in steps if s.area is not None and s.area.id == a.id]
        did = [s for s in mine if s.key in rows]
        out.append(
            AreaHours(
                a.id, a.number, a.name, len(mine), sum(s.key in gone for s in mine),
                *promised.get(a.id, (sum(s.low for s in mine), sum(s.high for s in mine))),
                sum(middle(s) for s in did), taken([r for r in log if r.step in {s.key for s in mine}]),
            )
        )  # fmt: skip
    return tuple(out)


def by_day(planned_first: Mapping[datetime.date, float], log: Sequence[LogRow]) -> tuple[DayHours, ...]:
    """Hours of every day on which work was done or had been planned up to the last day of the log."""
    taken: dict[datetime.date, float] = {}
    for r in log:
        if r.state != "note" and r.minutes > 0:
            day = datetime.datetime.fromisoformat(r.at).date()
            taken[day] = taken.get(day, 0.0) + r.minutes
    if not taken:
        return ()
    planned = {day: minutes for day, minutes in planned_first.items() if day <= max(taken)}
    return tuple(DayHours(d, taken.get(d, 0.0), planned.get(d, 0.0)) for d in sorted({*taken, *planned}))


BESIDES = "besides"
"""Role of a row for work outside the recipe."""
BESIDES_PRESSURE = 2
"""How hard such a pencil was pressed where nobody said: as most layers are laid."""


def besides(area_id: str, log: Sequence[LogRow], kit: Kit) -> tuple[LogRow, ...]:
    """Rows of an area's work outside the recipe that name a pencil of the kit."""
    return tuple(r for r in log if r.state == "done" and r.role == BESIDES and r.area_id == area_id and r.pencil in kit.index)


def laid(area_id: str, layers: Sequence[Layer], log: Sequence[LogRow], kit: Kit) -> tuple[Layer, ...]:
    """What really lies on an area, from the paper upward: the recipe's layers that the log calls done, in the order in which they were
    done, with the pencil and the pressure that were used; a pencil that was used outside the recipe lies on all its places. What was skipped is not there.
    """
    known = {f"{area_id}:{q.id}": q for q in layers}
    everywhere = tuple(dict.fromkeys(k for q in layers for k in q.on))
    more = {r.step: Layer(BESIDES, r.pencil, r.pressure or BESIDES_PRESSURE, 1, "everywhere", on=everywhere, id=r.id) for r in besides(area_id, log, kit)}
    out: dict[str, Layer] = {}
    for r in sorted((r for r in log if r.state == "done" and (r.step in known or r.step in more)), key=lambda r: r.at):
        if r.step in more:
            out[r.step] = more[r.step]
            continue
        q = known[r.step]
        out[r.step] = (
            replace(q, code=r.pencil, pressure=r.pressure)
            if q.code and not q.tool and r.pencil in kit.index and 1 <= r.pressure <= 5
            else q
        )
    return tuple(out.values())


def _number(extra: Mapping[str, str], key: str, default: float | None) -> float | None:
    try:
        return float(extra.get(key, "") or "nan") if extra.get(key) else default
    except ValueError:
        return default


def pencils(work: Sequence[AreaWork], log: Sequence[LogRow], kit: Kit) -> tuple[Wear, ...]:
    """Wear of every pencil, the most worn first: of steps that are done as the log has them, of the others as the recipes do.

    What is left of a pencil is what the kit said before this work.
    """
    done = {r.step: r for r in log if r.state == "done"}
    skipped = {r.step for r in log if r.state == "skipped"}
    worn: dict[str, list[float]] = {}
    for a in work:
        for k, q in enumerate(a.layers):
            key = a.key(k)
            row = done.get(key)
            code, pressure = (row.pencil, row.pressure) if row is not None and q.pencil else (q.pencil, q.pressure)
            if not code or code not in kit.index or key in skipped:
                continue
            mm = worn_mm(a.mm2, q.where, pressure, q.passes, kit.get(code).binder, q.share, q.laid)
            entry = worn.setdefault(code, [0, 0.0, 0.0])
            entry[0] += key in done
            entry[1 if key in done else 2] += mm
        for row in besides(a.id, log, kit):
            entry = worn.setdefault(row.pencil, [0, 0.0, 0.0])
            entry[0] += 1
            entry[1] += worn_mm(a.mm2, "everywhere", row.pressure or BESIDES_PRESSURE, 1, kit.get(row.pencil).binder)
    out = []
    for code, (times, gone, coming) in worn.items():
        p = kit.get(code)
        extra = dict(p.extra)
        left = (_number(extra, "left", 1.0) or 0.0) * BARREL_MM
        price = _number(extra, "price", None)
        out.append(
            Wear(code, p.name, int(times), gone, coming, left, None if price is None else price * (gone + coming) / (BARREL_MM - STUB_MM))
        )
    return tuple(sorted(out, key=lambda w: (-(w.worn_mm + w.coming_mm), w.code)))


def material_cost(wear: Sequence[Wear]) -> tuple[float, int]:
    """What the recipes wear away in the studio's currency, and how many of their pencils have no price."""
    return round(sum(w.cost for w in wear if w.cost is not None), 2), sum(w.cost is None for w in wear)


def learned(pace: Pace, log: Sequence[LogRow], names: Mapping[str, str]) -> tuple[str, ...]:
    """What the log taught, a sentence a surface that it holds; ``names`` of surfaces by id."""
    held = dict.fromkeys(r.surface_id for r in log if r.state == "done" and r.surface_id)
    return tuple(evidence(pace, s, names.get(s, s).lower()) for s in held)


def differences(row: LogRow, pencil: str, pressure: int, kit: Kit) -> str:
    """What a row has that the recipe had not wanted: another pencil, another pressure."""
    name = lambda code: f"{code} {kit.get(code).name}" if code in kit.index else code  # noqa: E731
    parts = []
    if pencil and row.pencil != pencil:
        parts.append(f"instead of {name(pencil)}")
    if pencil and row.pressure != pressure:
        parts.append(f"pressure {row.pressure} instead of {pressure}")
    return ", ".join(parts)
