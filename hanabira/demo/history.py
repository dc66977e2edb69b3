"""What happened in the demo studio: recipes solved by the craft's rules, logs of an invented artist, photos by the simulated easel camera."""

from __future__ import annotations

import datetime
import json
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from hanabira.core.area.marking import Marking
from hanabira.core.area.measures import Measures, measure
from hanabira.core.area.shape import cut
from hanabira.core.places.find import find_places
from hanabira.core.places.place import Place, Places, as_planned
from hanabira.core.schedule.order import Ordered
from hanabira.core.schedule.sessions import Calendar, Placed
from hanabira.core.solver.gamut import gamut
from hanabira.core.solver.layer import Layer
from hanabira.core.solver.place_plan import plan_places
from hanabira.core.token import SILENT, Token
from hanabira.craft.markings import marking_model
from hanabira.craft.readers import readers
from hanabira.craft.rules import school
from hanabira.craft.supplies import named, paper, parts_of, shipped_kit, surfaces
from hanabira.craft.techniques import craft_of, rules_of
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
"""What `solve` gives for every area of the demo, written by ``python -m tools.solve_demo``: solving takes longer than a person waits for a demo."""


def solve(
    pixels: np.ndarray, areas: Sequence[Area], c: Commission, crop: tuple[float, float, float, float], token: Token = SILENT
) -> Solved:
    """Layers and places of every area by its surface, coat and school, as on the desk; later areas prefer the pencils of earlier ones."""
    kit, on = shipped_kit(c.kit_id).usable, paper(c.paper_id, c.ground_hex)
    mm, can = c.picture_mm[0] / crop[2], gamut(kit, on)
    out: Solved = {}
    tray: tuple[str, ...] = c.tray
    for k, a in enumerate(areas):
        token.report(k / len(areas), f"Solving {a.name} of {c.name}")
        m, found = measured(pixels, a, mm)
        craft = craft_of(m, a.surface_id, kit.medium, a.coat, a.marking_kind, dict(c.school), a.finish or 3)
        layers = plan_places(kit, on, found, craft, rules_of(m, craft), tray, reach=can).layers
        out[a.id] = layers, found.all
        tray = tuple(dict.fromkeys([*tray, *(q.code for q in layers if q.code)]))
    return out


def measured(pixels: np.ndarray, a: Area, mm_per_px: float) -> tuple[Measures, Places]:
    """Measures and places of a demo area, its marking included."""
    surface = surfaces()[a.surface_id]
    model = marking_model() if surface.anatomy == "coat" else None
    m = measure(pixels, a.ring, model, mm_per_px, a.smooth, surface.hair, eye=a.eye, look_for=surface.look_for, readers=readers())
    places = find_places(pixels, cut(pixels, a.ring, a.smooth, a.holes), surface.anatomy, m.marking, a.eye, parts=parts_of(a.surface_id))
    places = named(places, a.surface_id)
    if "place.lines" in places.notes:
        m = replace(m, marking=replace(m.marking, kind="plain"))
    return m, places


def shipped() -> Solved:
    """The demo's recipes as they were solved once. Layers are named by their first places, so that the demo is the same wherever it is built."""
    out: Solved = {}
    for key, found in json.loads(RECIPES.read_text()).items():
        layers = tuple(Layer(**{**q, "on": tuple(q["on"]), "id": str(k)}) for k, q in enumerate(found["layers"]))
        places = tuple(Place(**{**q, "photo_lab": tuple(q["photo_lab"]), "box": tuple(q["box"])}) for q in found["places"])
        out[key] = layers, places
    return out


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
                f"{c.id}-log-{n:03d}", c.id, s.key, s.area.id if s.area else "", s.area.name if s.area else "", surface, s.layer.role,
                code or s.layer.tool, s.layer.pressure, round(minutes, 1), round(guess, 2), ends[s.key].end.isoformat(timespec="seconds"), note, differs,
            )
        )  # fmt: skip
    return tuple(rows)


def found_again(pixels: np.ndarray, a: Area, planned: Sequence[Place]) -> Places:
    """The map of an area's places as they were planned; whether it is marked is known from them."""
    marked = any(p.kind == "marking" for p in planned)
    marking = Marking("patches" if marked else "plain", 1.0, None, None, None)
    region = cut(pixels, a.ring, a.smooth, a.holes)
    return as_planned(
        find_places(pixels, region, surfaces()[a.surface_id].anatomy, marking, a.eye, marked, parts_of(a.surface_id)), planned
    )
