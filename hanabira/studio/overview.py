"""Where a commission stands, for the shelf: its state, what is left of it in hours, its pictures."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from hanabira.core.faults import Fault
from hanabira.core.optics.kit import Kit
from hanabira.core.schedule.work import Pace, hours_range
from hanabira.craft.kitfile import parse_csv
from hanabira.studio.assembly import assemble
from hanabira.studio.kits import kit_record
from hanabira.studio.records import Area, Commission, LogRow, Photo, Recipe, Shot, Terms, by_commission, new_id
from hanabira.studio.store import Store
from hanabira.studio.tables import TABLES


@dataclass(frozen=True)
class Overview:
    """``state`` is ordered, drawn, planned, begun, finished or delivered; minutes from a good day to a bad one."""

    commission: Commission
    state: str
    areas: int
    steps: int
    done: int
    low_min: float
    high_min: float
    photo: Photo | None
    shot: Shot | None
    causes: tuple[str, ...] = ()
    """What of it cannot be read, and why."""
    solved: int = 0
    """Areas that have layers; steps speak of these alone, hours count the others by an estimate."""

    @property
    def words(self) -> str:
        """The state in words."""
        c = self.commission
        if self.state == "delivered":
            d = datetime.date.fromisoformat(c.delivered)
            return f"delivered on {d.day} {d:%B %Y}"
        return {
            "unreadable": "cannot be read",
            "ordered": "no photo yet" if self.photo is None else "no areas yet",
            "drawn": f"{self.areas} areas, no layers yet",
            "planned": f"planned, {self.steps} steps{self._of_areas}",
            "begun": f"under way, {self.done} of {self.steps} steps done{self._of_areas}",
            "finished": f"every planned step is done{self._of_areas}" if self._of_areas else "finished, to be delivered",
        }[self.state]

    @property
    def _of_areas(self) -> str:
        """What the steps leave out; empty when every area has layers."""
        return f"; only {self.solved} of {self.areas} areas have layers" if self.solved < self.areas else ""

    @property
    def hours_left(self) -> str:
        """Hours that are left as a range; empty when there are none to tell."""
        if self.state not in ("drawn", "planned", "begun"):
            return ""
        low, high = hours_range(self.low_min, self.high_min)
        about = "about " if self.solved < self.areas else ""
        return f"{about}{low:.0f}–{high:.0f} h left" if high >= 1 else "under 1 h left"

    def days_left(self, today: datetime.date) -> str:
        """The due date against today, in words."""
        c = self.commission
        if self.state == "delivered" or not c.due:
            return ""
        n = (datetime.date.fromisoformat(c.due) - today).days
        return f"in {n} days" if n > 1 else "tomorrow" if n == 1 else "today" if n == 0 else f"{-n} day{'' if n == -1 else 's'} ago"

    def matches(self, words: str) -> bool:
        """Whether every word of a search is in its name, client, animal or notes."""
        c = self.commission
        text = " ".join((c.name, c.client, c.animal, c.notes)).casefold()
        return all(w in text for w in words.casefold().split())


def overviews(store: Store, pace: Pace | None = None) -> tuple[Overview, ...]:
    """All commissions, the newest first. One that cannot be read, or planned, is a row that says why."""
    with store.snapshot():
        return _overviews(store, pace)


def _overviews(store: Store, pace: Pace | None) -> tuple[Overview, ...]:
    kits: dict[str, Kit | None] = {}
    read: dict[type, Any] = {kind: store.told(kind) for kind in TABLES}
    commissions, areas, rows, of_photos, of_work = (read[kind][0] for kind in (Commission, Area, LogRow, Photo, Shot))
    recipes = {r.area_id: r for r in read[Recipe][0]}
    photos, own, logs, shots = (by_commission(q) for q in (of_photos, areas, rows, of_work))
    owner = {a.id: a.commission_id for a in areas}
    causes: dict[str, list[str]] = {}
    out = []
    for q in (bad for _good, unreadable in read.values() for bad in unreadable):
        if q.table == "commission":
            out.append(_unreadable(Commission(q.key, q.name or "Without a name"), (q.cause,)))
        else:
            what = {"log": "a row of the log", "shot": f"the photo of the work {q.name}", "recipe": "the layers of an area"}.get(
                q.table, f"{q.table} {q.name}"
            )
            causes.setdefault(q.commission_id or owner.get(q.key, ""), []).append(f"{what[:1].upper()}{what[1:]} cannot be read: {q.cause}")
    for c in reversed(commissions):
        bad = tuple(causes.get(c.id, ()))
        try:
            found = _of(
                c, photos.get(c.id, []), own.get(c.id, []), recipes, logs.get(c.id, []), shots.get(c.id, []), pace, _kit(store, c.kit_id, kits),
            )  # fmt: skip
            out.append(replace(found, causes=bad))
        except Exception as error:  # one commission that cannot be planned must not hide the others
            out.append(_unreadable(c, (*bad, f"it cannot be planned ({type(error).__name__}: {' '.join(str(error).split())[:100]})")))
    return tuple(out)


def _kit(store: Store, key: str, kept: dict[str, Kit | None]) -> Kit | None:
    """A kit of the studio, read once; None for one that cannot be read."""
    if key not in kept:
        try:
            record = kit_record(store, key)
            kept[key] = parse_csv(record.pencils, record.name) if record is not None else None
        except Fault:
            kept[key] = None
    return kept[key]


def _unreadable(c: Commission, causes: tuple[str, ...]) -> Overview:
    return Overview(
        c, "unreadable", 0, steps=0, done=0, low_min=0.0, high_min=0.0, photo=None, shot=None, causes=causes,
    )


def _of(
    c: Commission,
    photos: Sequence[Photo],
    areas: Sequence[Area],
    recipes: dict[str, Recipe],
    log: Sequence[LogRow],
    shots: Sequence[Shot],
    pace: Pace | None,
    kit: Kit | None = None,
) -> Overview:
    photo = photos[0] if photos else None
    mine = [a for a in areas if photo is not None and a.photo_id == photo.id]
    whole = assemble(c, photo, mine, [recipes[a.id] for a in mine if a.id in recipes], kit, pace or Pace(), log) if photo is not None else None
    steps = whole.steps() if whole is not None else ()
    gone = whole.done if whole is not None else frozenset()
    left = [s for s in steps if s.key not in gone]
    low, high = whole.minutes() if whole is not None else (0.0, 0.0)
    if c.delivered:
        state = "delivered"
    elif steps:
        state = "finished" if not left else "begun" if gone else "planned"
    else:
        state = "drawn" if mine else "ordered"
    done = len(steps) - len(left)
    return Overview(
        c, state, len(mine), steps=len(steps), done=done, low_min=low, high_min=high, photo=photo, shot=shots[-1] if shots else None,
        solved=len(whole.work) if whole is not None else 0,
    )  # fmt: skip


def as_template(c: Commission, now: datetime.datetime) -> Commission:
    """A new commission that is made and agreed like another one; nothing of its animal, client or dates."""
    terms = replace(c.terms, start="", moved=(), seams=(), photo_permission=False, accessories="")
    assert isinstance(terms, Terms)
    return replace(
        c, id=new_id(), name=f"Like {c.name}", client="", animal="", due=None, notes="", stage="Brief", created=now.isoformat(timespec="microseconds"),
        delivered="", archived=False, terms=terms,
    )  # fmt: skip
