"""What happened in the demo studio: recipes solved by the craft's rules, logs of an invented artist, photos by the simulated easel camera."""

from __future__ import annotations

import datetime
import json
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from hanabira.core.places.place import Place
from hanabira.core.schedule.order import Ordered
from hanabira.core.schedule.sessions import Calendar, Placed
from hanabira.core.solver.layer import Layer
from hanabira.craft.rules import school
from hanabira.craft.supplies import shipped_kit
from hanabira.studio import planning
from hanabira.studio.records import Area, Commission, LogRow, Photo, Recipe

PACE = {"short-fur": 1.35, "mane-and-tail": 1.1, "eye": 0.85, "nose": 1.2, "contour-feathers": 1.25, "ear-inside": 0.95}
"""How many times our guess the invented artist takes, by surface."""
NOTES = (
    "Sharpened twice as often as I thought.",
    "Lighter at the edge, so that it turns away.",
    "The lower lid wants a colder grey.",
    "Stop here and look from the door.",
)


Solved = dict[str, tuple[tuple[Layer, ...], tuple[Place, ...]]]
"""Layers and places by area."""
RECIPES = Path(__file__).parent / "data" / "recipes.json"
"""What `solve` gives for every area of the demo, written by ``python -m demo_making.solve``: solving takes longer than a person waits for a demo."""


def shipped() -> Solved:
    """The demo's recipes as they were solved once. Layers are named by their first places, so that the demo is the same wherever it is built."""
    out: Solved = {}
    for key, found in json.loads(RECIPES.read_text())["areas"].items():
        layers = tuple(Layer(**{**q, "on": tuple(q["on"]), "id": str(k)}) for k, q in enumerate(found["layers"]))
        places = tuple(Place(**{**q, "photo_lab": tuple(q["photo_lab"]), "box": tuple(q["box"])}) for q in found["places"])
        out[key] = layers, places
    return out


def palette(commission_id: str) -> tuple[str, ...]:
    """The pencils that were chosen over all areas of a demo commission; none for pastel."""
    return tuple(json.loads(RECIPES.read_text())["palettes"].get(commission_id, ()))


def planned(c: Commission, photo: Photo, areas: Sequence[Area], recipes: Sequence[Recipe]) -> tuple[Ordered, Calendar]:
    """Order and days of a commission from its first day on."""
    medium = shipped_kit(c.kit_id).medium
    return planning.plan(
        c,
        planning.work_of(c, photo, areas, recipes, shipped_kit(c.kit_id)),
        planning.days_of(c, datetime.date.fromisoformat(c.terms.start)),
        None,
        "",
        school(medium, c.school)["sequence"],
    )


def begun(c: Commission, photo: Photo, areas: Sequence[Area], recipes: Sequence[Recipe], share: float, last: datetime.date) -> Commission:
    """The commission with a first day so that this share of its steps ends on ``last`` at the latest."""
    start = last
    for _ in range(400):
        c = replace(c, terms=replace(c.terms, start=start.isoformat()))
        found, calendar = planned(c, photo, areas, recipes)
        ends = {q.step.key: q.end for q in calendar.placed}
        done = found.steps[: round(share * len(found.steps))]
        if not done or max(ends[s.key] for s in done).date() <= last:
            break
        start -= datetime.timedelta(days=1)
    return c


def log(c: Commission, photo: Photo, areas: Sequence[Area], recipes: Sequence[Recipe], share: float, seed: int) -> tuple[LogRow, ...]:
    """Rows for the first share of the steps, as an artist with a pace of their own would have left them."""
    rng = np.random.default_rng(seed)
    found, calendar = planned(c, photo, areas, recipes)
    ends: Mapping[str, Placed] = {q.step.key: q for q in calendar.placed}
    kit = shipped_kit(c.kit_id)
    rows = []
    for n, s in enumerate(found.steps[: round(share * len(found.steps))]):
        guess = s.guess
        surface = s.area.surface_id if s.area is not None else ""
        minutes = guess * PACE.get(surface, 1.1) * float(np.exp(rng.normal(0, 0.15))) if s.area is not None else 25.0
        note = NOTES[n // 9 % len(NOTES)] if n % 9 == 4 else ""
        differs, code = "", s.layer.pencil
        if n % 17 == 8 and code in kit.index:
            near = min((p for p in kit if p.code != code), key=lambda p: float(np.linalg.norm(p.lab - kit.get(code).lab)))
            differs, code = f"instead of {code} {kit.get(code).name}", near.code
        rows.append(
            LogRow(
                f"{c.id}-log-{n:03d}", c.id, s.key, area_id=s.area.id if s.area else "", area_name=s.area.name if s.area else "", surface_id=surface,
                role=s.layer.role, pencil=code or s.layer.tool, pressure=s.layer.pressure, minutes=round(minutes, 1), guess_min=round(guess, 2),
                at=ends[s.key].end.isoformat(timespec="seconds"), note=note, differs=differs,
            )
        )  # fmt: skip
    return tuple(rows)
