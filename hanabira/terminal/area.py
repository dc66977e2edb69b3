"""The terminal's recipe workshop: `hanabira area` and `hanabira techniques`."""

from __future__ import annotations

import argparse

from hanabira.core.faults import Fault
from hanabira.terminal.args import Add, kit_of, millimetres_a_pixel, numbers, paper_of

LONGER_SIDE_MM = 300.0
"""Without --mm-per-px the photo's longer side is taken to be this long on the paper."""


def techniques(_args: argparse.Namespace) -> dict:
    """Surfaces, coats, markings and schools with their ids."""
    from hanabira.craft.rules import coats, marking_rules, switches
    from hanabira.craft.supplies import surfaces

    return {
        "surfaces": [{"id": k, "name": s.name} for k, s in surfaces().items()],
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


def area(args: argparse.Namespace) -> dict:
    """Measure a rectangle of a photo and plan its layers."""
    from dataclasses import replace

    from hanabira.core.area.measures import as_dict, measure
    from hanabira.core.area.pattern import find_pattern
    from hanabira.core.area.shape import cut, rectangle
    from hanabira.core.places.find import find_places
    from hanabira.core.solver.cautions import recipe_cautions
    from hanabira.core.solver.place_plan import plan_places
    from hanabira.craft.markings import marking_model
    from hanabira.craft.readers import readers
    from hanabira.craft.recipe_data import layers_data, places_data, result_data
    from hanabira.craft.supplies import named, papers, parts_of, surfaces
    from hanabira.craft.techniques import craft_of, measured_marking, rules_of
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
    pixels = read_picture(args.photo).pixels
    scale = args.mm_per_px or LONGER_SIDE_MM / max(pixels.shape[:2])
    surface, ring = surfaces()[args.surface], rectangle(x, y, w, h)
    m = measure(pixels, ring, marking_model(), scale, hair=surface.hair, look_for=surface.look_for, readers=readers())
    region = cut(pixels, ring)
    places = named(
        find_places(pixels, region, surface.anatomy, m.marking, said=bool(args.marking), parts=parts_of(args.surface)), args.surface
    )
    kind = args.marking or measured_marking(m)
    if not args.marking and ("place.lines" in places.notes or surface.anatomy == "locks"):
        kind = "plain"  # whiskers and locks are no marking
    if surface.hair and kind not in ("plain", "ticked", "gradient", "roan"):
        m = replace(m, pattern=find_pattern(region))
    craft = craft_of(m, args.surface, kit.medium, args.coat or "", kind, chosen(args.school), args.finish)
    plan = plan_places(kit, on, places, craft, rules_of(m, craft))
    cautions = recipe_cautions(
        on, kit, plan.layers, targets=plan.targets, prediction=plan.prediction, floor=3, papers=tuple(papers().values()), reach=plan.reach,
    )
    said = [
        {"kind": c.kind, "text": f"{c.title}. {c.text} {c.cure}".strip(), "layer": c.layer + 1 if c.layer >= 0 else None} for c in cautions
    ]
    said += [{"kind": "left out", "text": words, "layer": None} for words in plan.left_out]
    return {
        "surface": args.surface,
        "coat": craft.coat,
        "marking": kind,
        "school": dict(craft.school),
        "measures": as_dict(m),
        "layers": layers_data(kit, on, plan.layers, plan.prediction, m, args.surface, args.finish),
        "result": result_data(plan.prediction),
        "places": places_data(places, plan.prediction),
        "school_effect": dict(plan.effect),
        "cautions": said,
        "pencils": len({q.code for q in plan.layers if q.code}),
    }


def show(command: str, data: dict) -> None:
    """The same answers as readable lines."""
    if command == "techniques":
        for kind in ("surfaces", "coats", "markings"):
            print(f"{kind}: {', '.join(q['id'] for q in data[kind])}")
        for s in data["schools"]:
            print(f"{s['id']}: {', '.join(c['id'] for c in s['choices'])}")
        return
    print(f"{data['surface']}, {data['coat']} coat, {data['marking']}: {data['pencils']} pencils")
    for n, q in enumerate(data["layers"], 1):
        what = f"{q['pencil']} {q['name']}" if q["pencil"] else q["tool"]
        how = f"pressure {q['pressure']}" + (f" × {q['passes']}" if q["passes"] > 1 else "") if q["pencil"] else ""
        length = f" {q['length_mm']:.0f} mm" if q["length_mm"] else ""
        print(f"{n:2} {q['role']:<11} {what:<28} {how:<14} {q['stroke']}{length}, {q['where']}\n   {q['why']}")
    for band, r in data["result"].items():
        print(f"{band:<10} ΔE00 {r['delta_e00']:.1f}")
    for c in data["cautions"]:
        print(f"caution: {c['text']}")


def add_commands(add: Add) -> None:
    """Declare both commands on the parser."""
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
    p.add_argument("--finish", type=int, default=3, metavar="N", help="1 loose to 5 every hair")
    p.add_argument("--mm-per-px", type=millimetres_a_pixel, metavar="F", help="size on the paper; else the photo's longer side is 300 mm")
    add("techniques", techniques, "List surfaces, coats, markings and schools with their ids.")
