"""The terminal's colour work: `hanabira measure`, `study`, `recipe`, `predict`, `calibrate` and `kit`.

Loaded when one of them runs: the others need not wait for the mathematics.
"""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from hanabira.core.colour.spaces import lab_hex, parse_hex, srgb_to_lab, to_hex
from hanabira.core.faults import Fault, RecipeFault
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.stack import bare, predict
from hanabira.core.optics.tools import LAYINGS, TOOLS
from hanabira.terminal.args import kit_of, numbers, paper_of


def _lab(values: Sequence[float] | np.ndarray) -> list[float]:
    return [round(float(v), 3) for v in values]


def measure(args: argparse.Namespace) -> dict:
    """Measure an area of a photo."""
    from hanabira.core.area.measures import as_dict
    from hanabira.core.area.measures import measure as measure_area
    from hanabira.core.area.shape import cut, rectangle
    from hanabira.core.places.eyes import guessed_circle
    from hanabira.craft.markings import marking_model
    from hanabira.craft.readers import readers
    from hanabira.studio.pictures import read_picture

    if args.rect:
        x, y, w, h = numbers(args.rect, 4, "a rectangle: X,Y,W,H in pixels")
        if w <= 0 or h <= 0:
            raise Fault("The rectangle has no inside.", do="Give a width and a height above 0.")
        ring = rectangle(x, y, w, h)
    else:
        ring = tuple((p[0], p[1]) for p in (numbers(pair, 2, "a corner: X,Y in pixels") for pair in args.polygon.split()))
    clicks = numbers(args.eye, 4, "an eye: X,Y of its centre and X,Y on its rim, in pixels") if args.eye else ()
    picture, look_for = read_picture(args.photo), tuple(args.look_for or ())
    eye = ((clicks[0], clicks[1]), (clicks[2], clicks[3])) if clicks else ()
    guessed = not eye and "eye" in look_for
    if guessed:
        centre, radius = guessed_circle(picture.pixels, cut(picture.pixels, ring, coverage=picture.alpha))
        eye = (centre, (centre[0] + radius, centre[1]))
    found = measure_area(
        picture.pixels, ring, marking_model(), args.mm_per_px, eye=eye, look_for=look_for,
        coverage=picture.alpha, readers=readers(),
    )  # fmt: skip
    out = as_dict(found)
    if "eye" in out:
        out["eye"]["guessed"] = guessed
    return {**out, "light": _light_of(picture.pixels)}


def _light_of(pixels: np.ndarray) -> dict[str, object]:
    """The cast that a photo's light seems to have, and how often such an answer is right; None where nothing tells it."""
    from hanabira.core.study.cast import estimate_cast
    from hanabira.craft.readers import cast_model

    cast = estimate_cast(pixels, cast_model())
    if cast is None:
        return {"cast": None}
    return {"cast": {
        "angle_deg": round(cast.angle_deg, 1), "lean": cast.lean, "suspected": cast.suspected, "right": cast.right, "white_xyz": [round(v, 4) for v in cast.white],
    }}  # fmt: skip


def study(args: argparse.Namespace) -> dict:
    """Write a way of looking at a photo: squint, value shapes, or the animal alone on a backdrop."""
    from hanabira.core.area.shape import rectangle
    from hanabira.core.study.isolate import isolate, on_backdrop
    from hanabira.core.study.looks import squint
    from hanabira.core.study.neutral import apply_light, automatic, from_pick
    from hanabira.core.study.preparation import EXPOSURE_RANGE, Light
    from hanabira.core.study.shapes import value_shapes
    from hanabira.core.study.surround import reads
    from hanabira.studio.pictures import read_picture, write_picture

    backdrop = parse_hex(args.backdrop) if args.backdrop else None
    if backdrop is not None and not args.isolate:
        raise Fault("--backdrop needs --isolate.", do="Say with --isolate X,Y,W,H where the animal is.")
    if args.squint is not None and not 1 <= args.squint <= 10:
        raise Fault("--squint must be 1 to 10.", do="2 is a usual squint.")
    if not EXPOSURE_RANGE[0] <= args.exposure <= EXPOSURE_RANGE[1]:
        raise Fault("--exposure must be −2 to 2 stops.")
    pixels = read_picture(args.photo).pixels
    h, w = pixels.shape[:2]
    white = None
    if args.neutral == "auto":
        white = automatic(pixels)
    elif args.neutral:
        x, y = numbers(args.neutral, 2, "a place: X,Y in pixels, or auto")
        if not (0 <= x < w and 0 <= y < h):
            raise Fault(f"{x:g},{y:g} is outside the photo.", do=f"The photo has {w} × {h} pixels.")
        patch = pixels[max(0, int(y) - 4) : int(y) + 5, max(0, int(x) - 4) : int(x) + 5].reshape(-1, 3)
        white = from_pick(np.median(patch, 0) / 255)
    pixels = apply_light(pixels, Light(white, args.exposure))
    out: dict = {"out": args.out, "light_white_xyz": _lab(white) if white else None}
    if args.squint is not None:
        picture = squint(pixels, args.squint)
    elif args.value_shapes is not None:
        picture, shapes = value_shapes(pixels, args.value_shapes, args.only)
        out["shapes"] = [{"step": q.step, "l": round(q.lightness, 2), "share": round(q.share, 4)} for q in shapes]
    else:
        x, y, rw, rh = numbers(args.isolate, 4, "a rectangle: X,Y,W,H in pixels")
        alpha = isolate(pixels, rectangle(x, y, rw, rh))
        out["covered"] = round(float(alpha.mean()), 4)
        if backdrop is None:
            picture = np.dstack([pixels, np.round(alpha * 255).astype(np.uint8)])
        else:
            picture = on_backdrop(pixels, alpha, backdrop)
            out["reads"] = [
                {"part": q.part, "l": round(q.lightness, 2), "in_photo": round(q.in_photo, 2), "on_backdrop": round(q.on_backdrop, 2)}
                for q in reads(pixels, alpha, backdrop)
            ]
    write_picture(Path(args.out), picture)
    out["width"], out["height"] = picture.shape[1], picture.shape[0]
    return out


def recipe(args: argparse.Namespace) -> dict:
    """Solve stacks for target colours."""
    from hanabira.core.solver.cautions import target_cautions
    from hanabira.core.solver.library import build, key
    from hanabira.core.solver.search import solve
    from hanabira.core.solver.target import reach
    from hanabira.craft.supplies import papers
    from hanabira.studio.workings import Workings

    kit = kit_of(args.kit)
    paper = paper_of(args, kit)
    if not 1 <= args.max_layers <= 6:
        raise Fault("--max-layers must be 1 to 6.")
    if args.school and args.school not in ("any", "light-to-dark", "dark-to-light"):
        raise Fault(f"There is no school “{args.school}”.", do="Use any, light-to-dark or dark-to-light.")
    targets = [(t, srgb_to_lab(parse_hex(t))) for t in args.target]
    usable = kit.usable
    library, limits = Workings().once("stacks", key(usable, paper), lambda: build(usable, paper)), reach(usable, paper)
    out = []
    for text, lab in targets:
        wanted = limits.paper_target(lab)
        solution = solve(usable, paper, library, wanted, args.max_layers, order=args.school or "any")
        best = solution.best
        spots = predict(paper, usable, best.layers)
        labs, tooth = [bare(paper).lab, *(s.lab for s in spots)], [0.0, *(s.used for s in spots)]
        cautions = target_cautions(paper, usable, [p.code for p in best.layers], labs, tooth, wanted, tuple(papers().values()))
        out.append(
            {
                "target": to_hex(parse_hex(text)),
                "layers": [
                    {
                        "pencil": p.code, "name": usable.get(p.code).name, "pressure": p.pressure, "passes": p.passes, "tool": p.tool or None,
                        "lab_after": _lab(s.lab), "tooth_left": round(1 - s.used, 4),
                    }
                    for p, s in zip(best.layers, spots, strict=True)
                ],
                "paper_target": _lab(wanted), "asked": _asked(lab, wanted, best.lab), "predicted": lab_hex(best.lab), "lab": _lab(best.lab), "delta_e00": round(best.delta_e00, 3),
                "expected_de00": round(best.expected_de00, 3), "cautions": [{"kind": c.kind, "text": c.text} for c in cautions], "ms": round(solution.ms, 1),
            }
        )  # fmt: skip
    return {"recipes": out}


def _asked(asked: np.ndarray, wanted: np.ndarray, got: np.ndarray) -> dict:
    """How far the target on paper, and what the layers give, lie from the colour that was asked for."""
    from hanabira.core.colour.difference import delta_e00
    from hanabira.core.sentences import say

    moved = float(delta_e00(asked, wanted))
    words = say("kit.in-reach") if moved < 1.0 else say("kit.compressed", by=moved)
    return {
        "lab": _lab(asked),
        "compressed": moved >= 1.0,
        "target_de00": round(moved, 2),
        "result_de00": round(float(delta_e00(asked, got)), 2),
        "words": words,
    }


def _layer(text: str) -> Pass:
    if text in TOOLS:
        return Pass(tool=text)
    parts = text.split(":")
    if not 1 <= len(parts) <= 5 or not parts[0]:
        raise RecipeFault(f"“{text}” is no layer.", do=f"Write PENCIL:PRESSURE:PASSES:COVERAGE:WAY or one of {', '.join(TOOLS)}.")
    try:
        pressure, passes = (int(parts[i]) if len(parts) > i else default for i, default in ((1, 3), (2, 1)))
    except ValueError:
        raise RecipeFault(f"“{text}”: pressure and passes are whole numbers.") from None
    if not 1 <= pressure <= 5:
        raise RecipeFault(f"“{text}”: the pressure must be 1 to 5.")
    if not 1 <= passes <= 20:
        raise RecipeFault(f"“{text}”: the passes must be 1 to 20.")
    try:
        coverage = float(parts[3]) if len(parts) > 3 else 1.0
    except ValueError:
        raise RecipeFault(f"“{text}”: the coverage is a number.") from None
    if not 0 < coverage <= 1:
        raise RecipeFault(f"“{text}”: the coverage must be above 0 and 1 at most.", do="1 is a closed film.")
    laid = parts[4] if len(parts) > 4 else ""
    if laid and laid not in LAYINGS:
        raise RecipeFault(f"“{text}”: “{laid}” is no way to bring colour on.", do=f"Use one of {', '.join(LAYINGS)}, or none.")
    return Pass(parts[0], pressure, passes, coverage=coverage, laid=laid)


def predict_(args: argparse.Namespace) -> dict:
    """Predict layers on a paper."""
    kit = kit_of(args.kit)
    paper = paper_of(args, kit)
    layers = [_layer(t) for t in args.layer]
    spots = predict(paper, kit, layers)
    rows = [
        {("tool" if q.tool else "pencil"): q.tool or q.code, "lab_after": _lab(s.lab), "tooth_left": round(1 - s.used, 4)}
        for q, s in zip(layers, spots, strict=True)
    ]
    from hanabira.core.solver.kit_facts import on_other_paper
    from hanabira.craft.supplies import papers

    guess = on_other_paper(kit, paper, {k: q.name for k, q in papers().items()})
    return {"paper_lab": _lab(bare(paper).lab), "layers": rows, "hex": lab_hex(spots[-1].lab), **({"guess": guess} if guess else {})}


def calibrate(args: argparse.Namespace) -> dict:
    """Fit pencils, paper and hand to measured swatches and write them as a kit file."""
    from hanabira.core.optics.fit import fit_kit
    from hanabira.craft.kitfile import kit_csv
    from hanabira.craft.supplies import paper
    from hanabira.craft.swatchfile import read_swatches
    from hanabira.studio.writing import write_file

    swatches = read_swatches(args.swatches)
    known = kit_of(args.kit) if args.kit else None
    fitted = fit_kit(swatches, paper(args.paper), known, Path(args.out).stem)
    write_file(Path(args.out), kit_csv(fitted.kit))
    return {
        "pencils": len(fitted.kit),
        "fit_de00": {"median": round(fitted.median, 3), "p95": round(fitted.p95, 3)},
        "paper_fitted": fitted.paper_fitted,
    }


def kit_(args: argparse.Namespace) -> dict:
    """List pencils and papers."""
    from hanabira.craft.supplies import papers

    rows = [
        {
            "code": p.code, "name": p.name, "lab": _lab(p.lab), "opacity": p.opacity, "lightfast": p.lightfast, "binder": p.binder, "owned": p.owned,
        }
        for p in kit_of(args.kit)
    ]  # fmt: skip
    return {"pencils": rows, "papers": [{"id": p.id, "name": p.name, "ground": p.ground_hex} for p in papers().values()]}
