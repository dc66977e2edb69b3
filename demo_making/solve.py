"""Solve every area of the demo and write its recipes: ``python -m demo_making.solve``. Run it when the solver or the finders changed."""

from __future__ import annotations

import datetime
import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, replace
from functools import partial

import numpy as np

from hanabira.core.area.in_the_way import cleared
from hanabira.core.area.marking import Marking
from hanabira.core.area.measures import Measures, measure
from hanabira.core.area.shape import cut
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.places.find import find_places
from hanabira.core.places.hand_scale import Hand
from hanabira.core.places.place import Place, Places, as_planned
from hanabira.core.solver.gamut import Gamut, gamut
from hanabira.core.solver.layer import Layer
from hanabira.core.solver.palette import choose, further
from hanabira.core.solver.place_plan import PlacePlan, PlacePlanner, Rules, plan_places
from hanabira.core.solver.technique import Craft
from hanabira.core.solver.twins import other_side
from hanabira.core.token import SILENT, Token
from hanabira.craft.hand import hand_scale, palette_rules
from hanabira.craft.markings import marking_model
from hanabira.craft.readers import readers
from hanabira.craft.supplies import named, paper, parts_of, shipped_kit, surfaces
from hanabira.craft.techniques import craft_of, rules_of
from hanabira.demo import history, studio
from hanabira.demo.pictures import PHOTO, PHOTOS
from hanabira.demo.sitters import sitters
from hanabira.studio.beside import ties_of
from hanabira.studio.pictures import read_picture
from hanabira.studio.records import Area, Commission


def solve(
    pixels: np.ndarray, areas: Sequence[Area], c: Commission, crop: tuple[float, float, float, float], token: Token = SILENT
) -> tuple[history.Solved, tuple[str, ...]]:
    """Layers and places of every area, and the palette, by its surface, coat and school, as on the desk: one palette over all, the same again on the other side."""
    kit, on = shipped_kit(c.kit_id).usable, paper(c.paper_id, c.ground_hex)
    mm, can = c.picture_mm[0] / crop[2], gamut(kit, on)
    looked = {}
    for k, a in enumerate(areas):
        token.report(0.2 * k / len(areas), f"Looking at {a.name} of {c.name}")
        m, found = measured(pixels, a, mm)
        craft = craft_of(m, a.surface_id, kit.medium, a.coat, a.marking_kind, dict(c.school), a.finish or 3)
        looked[a.id] = found, craft, rules_of(m, craft, kit, on.id)
    palette = palette_of(c, looked.values(), can)
    out: history.Solved = {}
    tray: tuple[str, ...] = c.tray
    for k, a in enumerate(sorted(areas, key=lambda a: a.surface_id != "eye")):  # their colours come back round them
        token.report(0.2 + 0.8 * k / len(areas), f"Solving {a.name} of {c.name}")
        found, craft, rules = looked[a.id]
        twin = out[a.twin_id][0] if a.twin_id in out else ()
        rules = replace(rules, palette=frozenset(palette), ties=ties_of(a, areas, out, kit, mm))
        layers = other_side(partial(_planned, kit, on, found, craft, rules, tray, can), twin).layers
        out[a.id] = layers, found.all
        tray = tuple(dict.fromkeys([*tray, *(q.code for q in layers if q.code)]))
    return out, palette


def _planned(
    kit: Kit, on: Paper, found: Places, craft: Craft, rules: Rules, tray: tuple[str, ...], can: Gamut, twin: tuple[Layer, ...]
) -> PlacePlan:
    return plan_places(kit, on, found, craft, replace(rules, twin=twin), tray, reach=can)


def palette_of(c: Commission, looked: Iterable[tuple[Places, Craft, Rules]], can: Gamut) -> tuple[str, ...]:
    """The pencils over all areas; none chosen for pastel."""
    kit, on = shipped_kit(c.kit_id).usable, paper(c.paper_id, c.ground_hex)
    if kit.medium != "pencil":
        return ()
    seen = tuple(looked)

    def plan(n: int, some: frozenset[str]) -> PlacePlan:
        places, craft, rules = seen[n]
        return plan_places(kit, on, places, craft, replace(rules, palette=some), reach=can)

    return further(choose([PlacePlanner(kit, on, *q, reach=can).area for q in seen], palette_rules(), c.tray), len(seen), plan, palette_rules()).codes


def measured(pixels: np.ndarray, a: Area, mm_per_px: float) -> tuple[Measures, Places]:
    """Measures and places of a demo area, its marking included."""
    surface = surfaces()[a.surface_id]
    pixels, way = cleared(pixels, a.ring, smooth=a.smooth, holes=a.holes, look=surface.fur and not a.marking_kind)
    model = marking_model() if surface.anatomy == "coat" else None
    m = measure(pixels, a.ring, model, mm_per_px, smooth=a.smooth, hair=surface.hair, eye=a.eye, look_for=surface.look_for, readers=readers())
    places = find_places(pixels, cut(pixels, a.ring, a.smooth, a.holes), surface.anatomy, m.marking, Hand(hand_scale(), mm_per_px), a.eye, parts=parts_of(a.surface_id))
    places = named(places, a.surface_id)
    m = replace(m, in_way=way)
    if "place.lines" in places.notes:
        m = replace(m, marking=replace(m.marking, kind="plain"))
    return m, places


def solved() -> tuple[history.Solved, dict[str, tuple[str, ...]]]:
    """All recipes of the demo, and the palettes by commission, solved anew."""
    token = Token(
        lambda share, words: print(f"{share:4.0%} {words}", flush=True) if words.startswith("Solving ") and " of " in words else None
    )
    rabbit = studio.rabbit(datetime.date(2026, 1, 5))
    out, palette = solve(read_picture(PHOTO).pixels, rabbit.areas, rabbit.commission, studio.CROP, token)
    palettes = {rabbit.commission.id: palette}
    for sitter in sitters(datetime.date(2026, 1, 5)):
        pixels = read_picture(PHOTOS[sitter.kind]).pixels
        found, palettes[sitter.commission.id] = solve(
            pixels, sitter.records(f"{sitter.commission.id}-photo"), sitter.commission, sitter.crop, token
        )
        out |= found
    return out, palettes


def as_data(found: history.Solved, palettes: Mapping[str, tuple[str, ...]]) -> dict[str, dict]:
    """Recipes as they are kept, without ids of layers, and the palettes that they were solved with."""
    data: dict[str, dict] = {}
    for key, (layers, places) in found.items():
        rows = [{k: v for k, v in asdict(q).items() if k != "id"} for q in layers]
        spots = [{**asdict(p), "photo_lab": [round(v, 3) for v in p.photo_lab], "share": round(p.share, 5)} for p in places]
        data[key] = {"layers": rows, "places": spots}
    return {"palettes": dict(palettes), "areas": data}


def found_again(pixels: np.ndarray, a: Area, planned: Sequence[Place], mm_per_px: float) -> Places:
    """The map of an area's places as they were planned; whether it is marked is known from them."""
    marked = any(p.kind == "marking" for p in planned)
    marking = Marking("patches" if marked else "plain", 1.0, None, None, None)
    region = cut(pixels, a.ring, a.smooth, a.holes)
    return as_planned(
        find_places(pixels, region, surfaces()[a.surface_id].anatomy, marking, Hand(hand_scale(), mm_per_px), a.eye, marked, parts_of(a.surface_id)), planned
    )


if __name__ == "__main__":
    found, chosen = solved()
    history.RECIPES.write_text(json.dumps(as_data(found, chosen), ensure_ascii=False, indent=1) + "\n")
    print(f"{len(found)} recipes written to {history.RECIPES}")
