"""Solve every area of the demo and write its recipes: ``python -m demo_making.solve``. Run it when the solver or the finders changed."""

from __future__ import annotations

import datetime
import json
from collections.abc import Sequence
from dataclasses import asdict, replace

import numpy as np

from hanabira.core.area.marking import Marking
from hanabira.core.area.measures import Measures, measure
from hanabira.core.area.shape import cut
from hanabira.core.places.find import find_places
from hanabira.core.places.place import Place, Places, as_planned
from hanabira.core.solver.gamut import gamut
from hanabira.core.solver.place_plan import plan_places
from hanabira.core.token import SILENT, Token
from hanabira.craft.markings import marking_model
from hanabira.craft.readers import readers
from hanabira.craft.supplies import named, paper, parts_of, shipped_kit, surfaces
from hanabira.craft.techniques import craft_of, rules_of
from hanabira.demo import history, studio
from hanabira.demo.pictures import PHOTO, PHOTOS
from hanabira.demo.sitters import sitters
from hanabira.studio.pictures import read_picture
from hanabira.studio.records import Area, Commission


def solve(
    pixels: np.ndarray, areas: Sequence[Area], c: Commission, crop: tuple[float, float, float, float], token: Token = SILENT
) -> history.Solved:
    """Layers and places of every area by its surface, coat and school, as on the desk; later areas prefer the pencils of earlier ones."""
    kit, on = shipped_kit(c.kit_id).usable, paper(c.paper_id, c.ground_hex)
    mm, can = c.picture_mm[0] / crop[2], gamut(kit, on)
    out: history.Solved = {}
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
    m = measure(pixels, a.ring, model, mm_per_px, smooth=a.smooth, hair=surface.hair, eye=a.eye, look_for=surface.look_for, readers=readers())
    places = find_places(pixels, cut(pixels, a.ring, a.smooth, a.holes), surface.anatomy, m.marking, a.eye, parts=parts_of(a.surface_id))
    places = named(places, a.surface_id)
    if "place.lines" in places.notes:
        m = replace(m, marking=replace(m.marking, kind="plain"))
    return m, places


def solved() -> history.Solved:
    """All recipes of the demo, solved anew."""
    token = Token(
        lambda share, words: print(f"{share:4.0%} {words}", flush=True) if words.startswith("Solving ") and " of " in words else None
    )
    rabbit = studio.rabbit(datetime.date(2026, 1, 5))
    out = solve(read_picture(PHOTO).pixels, rabbit.areas, rabbit.commission, studio.CROP, token)
    for sitter in sitters(datetime.date(2026, 1, 5)):
        pixels = read_picture(PHOTOS[sitter.kind]).pixels
        out |= solve(pixels, sitter.records(f"{sitter.commission.id}-photo"), sitter.commission, sitter.crop, token)
    return out


def as_data(found: history.Solved) -> dict[str, dict]:
    """Recipes as they are kept, without ids of layers."""
    data = {}
    for key, (layers, places) in found.items():
        rows = [{k: v for k, v in asdict(q).items() if k != "id"} for q in layers]
        spots = [{**asdict(p), "photo_lab": [round(v, 3) for v in p.photo_lab], "share": round(p.share, 5)} for p in places]
        data[key] = {"layers": rows, "places": spots}
    return data


def found_again(pixels: np.ndarray, a: Area, planned: Sequence[Place]) -> Places:
    """The map of an area's places as they were planned; whether it is marked is known from them."""
    marked = any(p.kind == "marking" for p in planned)
    marking = Marking("patches" if marked else "plain", 1.0, None, None, None)
    region = cut(pixels, a.ring, a.smooth, a.holes)
    return as_planned(
        find_places(pixels, region, surfaces()[a.surface_id].anatomy, marking, a.eye, marked, parts_of(a.surface_id)), planned
    )


if __name__ == "__main__":
    found = solved()
    history.RECIPES.write_text(json.dumps(as_data(found), ensure_ascii=False, indent=1) + "\n")
    print(f"{len(found)} recipes written to {history.RECIPES}")
