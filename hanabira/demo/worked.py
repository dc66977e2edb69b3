"""What the demo's invented artist did, as it ships: stacks tried on scrap, photos of the work with their verdicts, rounds of practice.

``python -m demo_making.work`` makes all of it, which takes a minute; here it is only dated.
"""

from __future__ import annotations

import datetime
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from hanabira.demo.pictures import DATA
from hanabira.studio.records import Commission, LogRow, PhotoCheck, PracticeRound, Recipe, Shot
from hanabira.studio.store import Store

WORK, SHOTS = DATA / "work.json", DATA / "shots"
HOUR = datetime.time(8, 40)
"""When the artist practises."""


@dataclass(frozen=True)
class Taken:
    """A photo of the work: its picture, what it is called, after how many rows of the log it was taken, and what Check said of it."""

    picture: Path
    called: str
    rows: int
    verdict: Mapping[str, Any] | None = None


@dataclass(frozen=True)
class Worked:
    """What belongs to one commission: chips by area (place, stack and Lab as `Recipe.tried` keeps them), and photos in their order."""

    tried: Mapping[str, tuple[tuple[str, str, float, float, float], ...]]
    taken: tuple[Taken, ...]

    def recipes(self, recipes: Sequence[Recipe]) -> list[Recipe]:
        """The recipes with their chips."""
        return [replace(r, tried=self.tried.get(r.area_id, ())) for r in recipes]

    def shots(self, store: Store, c: Commission, log: Sequence[LogRow]) -> list[Shot | PhotoCheck]:
        """The photos, taken into the studio, and the verdicts; each is dated by the row of the log after which it was taken."""
        out: list[Shot | PhotoCheck] = []
        for n, taken in enumerate(self.taken, 1):
            last = log[taken.rows - 1]
            digest, suffix, (w, h) = store.take_in(taken.picture)
            shot = Shot(
                f"{c.id}-shot-{n}", c.id, digest, suffix=suffix, original_name=taken.called, width_px=w, height_px=h, at=last.at, step=last.step,
            )
            out.append(shot)
            if taken.verdict is not None:
                out.append(PhotoCheck(shot.id, c.id, last.at, json.dumps(taken.verdict, ensure_ascii=False), log_rows=taken.rows))
        return out


def _data() -> Any:
    return json.loads(WORK.read_text())


def worked(c: Commission) -> Worked:
    """What was done for a commission of the demo; nothing for one that is not begun."""
    told = _data()["commissions"].get(c.id, {"tried": {}, "taken": []})
    tried = {area: tuple((place, stack, *lab) for place, stack, *lab in rows) for area, rows in told["tried"].items()}
    return Worked(tried, tuple(Taken(SHOTS / q["picture"], q["called"], q["rows"], q["verdict"]) for q in told["taken"]))


def practice_rounds(today: datetime.date) -> list[PracticeRound]:
    """Three weeks of practice that end the day before yesterday."""
    out = []
    for n, q in enumerate(_data()["practice"], 1):
        at = datetime.datetime.combine(today - datetime.timedelta(days=q["ago"]), HOUR).isoformat(timespec="seconds")
        told = {**q["told"], "answers": [{**a, "at": at} for a in q["told"]["answers"]]}
        out.append(PracticeRound(f"demo-practice-{n:02d}", at, q["drill"], n, q["minutes"], json.dumps(told)))
    return out
