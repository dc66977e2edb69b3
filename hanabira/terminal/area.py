"""The terminal's recipe workshop: `hanabira area` and `hanabira techniques`."""

from __future__ import annotations

import argparse
import json
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from hanabira.core.faults import Fault
from hanabira.terminal.args import Add, kit_of, millimetres_a_pixel, numbers, paper_of

if TYPE_CHECKING:
    from hanabira.core.area.measures import Measures
    from hanabira.core.optics.kit import Kit
    from hanabira.core.optics.paper import Paper
    from hanabira.core.places.place import Places
    from hanabira.core.solver.form import Tie
    from hanabira.core.solver.place_plan import Rules
    from hanabira.core.solver.technique import Craft, LayerPlan

T = TypeVar("T")
LONGER_SIDE_MM = 300.0
"""Without --mm-per-px the photo's longer side is taken to be this long on the paper."""


def techniques(_args: argparse.Namespace) -> dict:
    """Surfaces, coats, markings and schools with their ids."""
    from hanabira.craft.rules import coats, marking_rules, switches
    from hanabira.craft.supplies import surfaces
    from hanabira.craft.tools import tools

    return {
        "surfaces": [{"id": k, "name": s.name} for k, s in surfaces().items()],
        "tools": [{"id": k, "name": t.name, "use": t.use} for k, t in tools().items()],
        "coats": [{"id": k, "name": c.name, "also": list(c.also), "why": c.why} for k, c in coats().items()],
        "markings": [{"id": k, "name": r.name, "why": r.why} for k, r in marking_rules().items()],
        "schools": [
            {"id": k, "name": s.name, "default": dict(s.default), "choices": [{"id": c, "why": why} for c, why in s.choices.items()]}
            for k, s in switches().items()
        ],
    }


def chosen(pairs: list[str] | None) -> dict[str, str]:
    """Switches of ``--school KEY=VALUE``."""
    out = {}
    for pair in pairs or ():
        key, sign, value = pair.partition("=")
        if not sign:
            raise Fault(f"“{pair}” is no switch of the school.", do="Write it as KEY=VALUE, for example lights=indent.")
        out[key.strip()] = value.strip()
    return out


@dataclass(frozen=True)
class Looked:
    """What a rectangle of a photo shows, and what the craft says of it."""

    kit: Kit
    paper: Paper
    places: Places
    craft: Craft
    rules: Rules
    measures: Measures
    marking: str


def looked_at(args: argparse.Namespace) -> Looked:
    """Measure a rectangle of a photo and find its places."""
    from hanabira.core.area.in_the_way import cleared
    from hanabira.core.area.measures import measure
    from hanabira.core.area.pattern import find_pattern
    from hanabira.core.area.shape import cut, rectangle
    from hanabira.core.places.find import find_places
    from hanabira.core.places.hand_scale import Hand
    from hanabira.craft.hand import hand_scale
    from hanabira.craft.markings import marking_model
    from hanabira.craft.readers import readers
    from hanabira.craft.supplies import named, parts_of, surfaces
    from hanabira.craft.techniques import craft_of, measured_marking, rules_of
    from hanabira.craft.tools import drawer
    from hanabira.studio.pictures import read_picture

    x, y, w, h = numbers(args.rect, 4, "a rectangle: X,Y,W,H in pixels")
    if w <= 0 or h <= 0:
        raise Fault("The rectangle has no inside.", do="Give a width and a height above 0.")
    if args.surface not in surfaces():
        raise Fault(f"There is no surface “{args.surface}”.", do=f"Use one of {', '.join(surfaces())}.")
    if args.medium and args.kit:
        raise Fault("A kit has its own medium.", do="Leave --medium or --kit out.")
    kit = kit_of(args.kit or ("pastels" if args.medium == "pastel" else None)).usable
    if args.paper is None:
        args.paper = "sanded" if kit.medium == "pastel" else "hotpress"
    on = paper_of(args, kit)
    picture = read_picture(args.photo)
    pixels, there = picture.pixels, picture.alpha
    scale = args.mm_per_px or LONGER_SIDE_MM / max(pixels.shape[:2])
    surface, ring = surfaces()[args.surface], rectangle(x, y, w, h)
    drawn = [(rectangle(*numbers(q, 4, "a rectangle: X,Y,W,H in pixels")), False) for q in args.in_the_way or ()]
    pixels, way = cleared(pixels, ring, coverage=there, drawn=drawn, look=surface.fur and not args.marking)
    m = measure(pixels, ring, marking_model(), scale, hair=surface.hair, look_for=surface.look_for, coverage=there, readers=readers())
    m = replace(m, in_way=way)
    region = cut(pixels, ring, coverage=there)
    found = find_places(
        pixels, region, surface.anatomy, m.marking, Hand(hand_scale(), scale), said=bool(args.marking), parts=parts_of(args.surface)
    )
    places = named(found, args.surface)
    kind = args.marking or measured_marking(m)
    if not args.marking and ("place.lines" in places.notes or surface.anatomy == "locks"):
        kind = "plain"  # whiskers and locks are no marking
    if surface.hair and kind not in ("plain", "ticked", "gradient", "roan"):
        m = replace(m, pattern=find_pattern(region))
    craft = craft_of(m, args.surface, kit.medium, args.coat or "", kind, chosen(args.school), args.finish, drawer(args.tools.split(",") if args.tools else []))
    return Looked(kit, on, places, craft, rules_of(m, craft, kit, on.id), m, kind)


def area(args: argparse.Namespace) -> dict:
    """Measure a rectangle of a photo and plan its layers."""
    from hanabira.core.area.in_the_way import way_words
    from hanabira.core.area.measures import as_dict
    from hanabira.core.places.hand_scale import map_data
    from hanabira.core.solver.cautions import recipe_cautions
    from hanabira.core.solver.place_plan import plan_places
    from hanabira.craft.recipe_data import layers_data, places_data, result_data, told_layers
    from hanabira.craft.supplies import papers

    at = looked_at(args)
    kit, on, places = at.kit, at.paper, at.places
    rules = replace(at.rules, palette=frozenset(codes(args.palette, kit)) if args.palette else frozenset())
    rules = replace(rules, ties=tuple(_tie(path, kit) for path in args.beside or ()))
    if args.twin_of:
        rules = replace(rules, twin=told_layers(_json(args.twin_of, dict).get("layers")))
    plan = plan_places(kit, on, places, at.craft, rules)
    cautions = recipe_cautions(
        on, kit, plan.layers, targets=plan.targets, prediction=plan.prediction, floor=3, papers=tuple(papers().values()), reach=plan.reach,
    )
    said = [
        {"kind": c.kind, "text": f"{c.title}. {c.text} {c.cure}".strip(), "layer": c.layer + 1 if c.layer >= 0 else None} for c in cautions
    ]
    if at.measures.in_way is not None:
        said.append({"kind": "in the way", "text": way_words(at.measures.in_way), "layer": None})
    said += [{"kind": "left out", "text": words, "layer": None} for words in plan.left_out]
    return {
        "surface": args.surface,
        "coat": at.craft.coat,
        "marking": at.marking,
        "school": dict(at.craft.school),
        "measures": as_dict(at.measures),
        "layers": layers_data(kit, on, plan.layers, plan.prediction, at.measures, args.surface, args.finish),
        "result": result_data(plan.prediction),
        "places": places_data(places, plan.prediction),
        "map": map_data(places),
        "groups": {p.id: p.group for p in places},
        "school_effect": dict(plan.effect),
        "cautions": said,
        "pencils": len({q.code for q in plan.layers if q.code}),
        "lightfast": {q.code: kit.get(q.code).lightfast for q in plan.layers if q.code},
    }


def _tie(path: str, kit: Kit) -> Tie:
    """What another area's JSON says of it to one that lies beside it."""
    from hanabira.core.solver.form import Tie
    from hanabira.craft.recipe_data import told_layers, told_places
    from hanabira.studio.beside import marks

    told = _json(path, dict)
    eye = told.get("surface") == "eye"
    return Tie("eye" if eye else "border", marks(told_layers(told.get("layers")), told_places(told.get("places")), kit, eye))


def codes(text: str, kit: Kit) -> list[str]:
    """Pencils of a list with commas. Raises `Fault` for one that the kit has not."""
    found = [q.strip() for q in text.split(",") if q.strip()]
    for code in found:
        if code not in kit.index:
            raise Fault(f"There is no pencil “{code}” in the kit.", do="Use codes of `hanabira kit`, with commas.")
    return found


def palette(args: argparse.Namespace) -> dict:
    """The pencils of a portrait: one choice over all its areas."""
    from hanabira.core.solver.gamut import gamut
    from hanabira.core.solver.palette import choose, further
    from hanabira.core.solver.place_plan import PlacePlanner, plan_places
    from hanabira.craft.hand import palette_rules

    seen = [looked_at(_as_asked(args, job)) for job in _json(args.areas, list)]
    if not seen:
        raise Fault(f"{args.areas} holds no areas.", do="Write a JSON list of {rect, surface, …}.")
    reach = gamut(seen[0].kit, seen[0].paper)
    fields = [PlacePlanner(at.kit, at.paper, at.places, at.craft, at.rules, reach=reach).area for at in seen]

    def plan(n: int, some: frozenset[str]) -> LayerPlan:
        at = seen[n]
        return plan_places(at.kit, at.paper, at.places, at.craft, replace(at.rules, palette=some), reach=reach)

    found = further(choose(fields, palette_rules()), len(seen), plan, palette_rules())
    kit = seen[0].kit
    return {"pencils": list(found.codes), "names": [kit.get(c).name for c in found.codes], "left_de": [round(v, 2) for v in found.left]}


def _as_asked(args: argparse.Namespace, job: object) -> argparse.Namespace:
    """An area of the list as if it had been asked for by itself."""
    if not isinstance(job, dict) or "rect" not in job or "surface" not in job:
        raise Fault(f"{args.areas} holds something that is no area.", do="Write a JSON list of {rect, surface, …}.")
    rect = job["rect"]
    given = {k: job.get(k) for k in ("surface", "coat", "marking", "medium", "paper", "ground", "mm_per_px")}
    given["mm_per_px"] = given["mm_per_px"] or args.mm_per_px
    return argparse.Namespace(
        **given, photo=args.photo, rect=rect if isinstance(rect, str) else ",".join(str(v) for v in rect), kit=args.kit, school=None, finish=3, tools=None, in_the_way=None
    )


def _json(path: str, kind: type[T]) -> T:
    """A JSON file of a kind. Raises `Fault`."""
    try:
        told = json.loads(Path(path).read_text("utf-8"))
    except (OSError, ValueError) as error:
        raise Fault(f"{path} cannot be read as JSON: {error}.", do="Look at the file.") from error
    if not isinstance(told, kind):
        raise Fault(f"{path} holds something else than is asked for.", do="Look at the file.")
    return told


def show(command: str, data: dict) -> None:
    """The same answers as readable lines."""
    if command == "techniques":
        for kind in ("surfaces", "coats", "markings"):
            print(f"{kind}: {', '.join(q['id'] for q in data[kind])}")
        for s in data["schools"]:
            print(f"{s['id']}: {', '.join(c['id'] for c in s['choices'])}")
        return
    if command == "palette":
        for n, (code, name) in enumerate(zip(data["pencils"], data["names"], strict=True), 1):
            print(f"{n:2} {code} {name}")
        return
    print(f"{data['surface']}, {data['coat']} coat, {data['marking']}: {data['pencils']} pencils")
    for n, q in enumerate(data["layers"], 1):
        what = f"{q['pencil']} {q['name']}" if q["pencil"] else q["tool"]
        how = f"pressure {q['pressure']}" + (f" × {q['passes']}" if q["passes"] > 1 else "") if q["pencil"] else ""
        length = f" {q['length_mm']:.0f} mm" if q["length_mm"] else ""
        print(f"{n:2} {q['gesture'] or q['role']:<11} {what:<28} {how:<14} {q['stroke']}{length}, {q['where']}\n   {q['why']}")
    for band, r in data["result"].items():
        print(f"{band:<10} ΔE00 {r['delta_e00']:.1f}")
    for c in data["cautions"]:
        print(f"caution: {c['text']}")


def add_commands(add: Add) -> None:
    """Declare the commands on the parser."""
    p = add("area", area, "Plan the layers of an area of a photo by surface, coat, marking and school.")
    p.add_argument("photo")
    p.add_argument("--rect", required=True, metavar="X,Y,W,H")
    p.add_argument("--surface", required=True, metavar="ID")
    p.add_argument("--coat", metavar="ID", help="as measured when left out")
    p.add_argument("--marking", metavar="ID", help="as measured when left out")
    p.add_argument("--medium", choices=("pencil", "pastel"))
    p.add_argument("--paper", metavar="ID", help="hotpress for pencil, sanded for pastel when left out")
    p.add_argument("--ground", metavar="#rrggbb")
    p.add_argument("--kit", metavar="FILE", help="kit file, or pencils or pastels")
    p.add_argument("--school", action="append", metavar="KEY=VALUE", help="a switch of the school; may be given again")
    p.add_argument("--in-the-way", action="append", metavar="X,Y,W,H", help="what is not the animal there: it is left out and invented from beside it; may be given again")
    p.add_argument("--tools", metavar="IDS", help="tools in the drawer, with commas, or none; any when left out")
    p.add_argument("--finish", type=int, default=3, metavar="N", help="1 loose to 5 every hair")
    p.add_argument("--mm-per-px", type=millimetres_a_pixel, metavar="F", help="size on the paper; else the photo's longer side is 300 mm")
    p.add_argument("--palette", metavar="CODES", help="the portrait's pencils, with commas; no others are taken")
    p.add_argument("--twin-of", metavar="FILE", help="this command's JSON of the other side: the same again here")
    p.add_argument("--beside", action="append", metavar="FILE", help="this command's JSON of an area beside this one; may be given again")
    p = add("palette", palette, "Choose one palette of pencils over all areas of a portrait.")
    p.add_argument("photo")
    p.add_argument("--areas", required=True, metavar="FILE", help="JSON list of {rect, surface, …}")
    p.add_argument("--kit", metavar="FILE", help="kit file, or pencils or pastels")
    p.add_argument("--mm-per-px", type=millimetres_a_pixel, metavar="F", help="size on the paper; else the photo's longer side is 300 mm")
    add("techniques", techniques, "List surfaces, coats, markings and schools with their ids.")
