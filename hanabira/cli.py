"""The same core from a terminal. `--json` prints one object; a user error is one line and exit code 2."""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np

from hanabira import __version__, cli_area, cli_check, cli_plan, cli_practice, cli_sheets
from hanabira.cli_args import kit_of, millimetres_a_pixel, numbers, paper_of
from hanabira.core.colour.spaces import lab_hex, parse_hex, srgb_to_lab, to_hex
from hanabira.core.faults import Fault, RecipeFault
from hanabira.core.optics.stack import TOOLS, Pass, bare, predict


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> None:  # type: ignore[override]
        raise Fault(f"{message[:1].upper()}{message[1:]}.", do=f"See “{self.prog} --help”.")


def _lab(values: Sequence[float] | np.ndarray) -> list[float]:
    return [round(float(v), 3) for v in values]


def measure(args: argparse.Namespace) -> dict:
    """Measure an area of a photo."""
    from hanabira.core.area.measures import as_dict
    from hanabira.core.area.measures import measure as measure_area
    from hanabira.core.area.shape import rectangle
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
    pixels, look_for = read_picture(args.photo).pixels, tuple(args.look_for or ())
    found = measure_area(
        pixels, ring, marking_model(), args.mm_per_px, eye=((clicks[0], clicks[1]), (clicks[2], clicks[3])) if clicks else (), look_for=look_for,
        readers=readers(),
    )  # fmt: skip
    return as_dict(found)


def study(args: argparse.Namespace) -> dict:
    """Write a way of looking at a photo: squint, value shapes, or the animal alone on a backdrop."""
    from hanabira.core.area.shape import rectangle
    from hanabira.core.study.isolate import isolate, on_backdrop
    from hanabira.core.study.looks import squint
    from hanabira.core.study.neutral import EXPOSURE_RANGE, Light, apply_light, automatic, from_pick
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
    from hanabira.core.solver.search import solve
    from hanabira.core.solver.target import reach
    from hanabira.craft.supplies import papers
    from hanabira.studio.libraries import library_for

    kit = kit_of(args.kit)
    paper = paper_of(args, kit)
    if not 1 <= args.max_layers <= 6:
        raise Fault("--max-layers must be 1 to 6.")
    if args.school and args.school not in ("any", "light-to-dark", "dark-to-light"):
        raise Fault(f"There is no school “{args.school}”.", do="Use any, light-to-dark or dark-to-light.")
    targets = [(t, srgb_to_lab(parse_hex(t))) for t in args.target]
    usable = kit.usable
    library, limits = library_for(usable, paper), reach(usable, paper)
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
    if not 1 <= len(parts) <= 3 or not parts[0]:
        raise RecipeFault(f"“{text}” is no layer.", do=f"Write PENCIL:PRESSURE:PASSES or one of {', '.join(TOOLS)}.")
    try:
        pressure, passes = (int(parts[i]) if len(parts) > i else default for i, default in ((1, 3), (2, 1)))
    except ValueError:
        raise RecipeFault(f"“{text}”: pressure and passes are whole numbers.") from None
    if not 1 <= pressure <= 5:
        raise RecipeFault(f"“{text}”: the pressure must be 1 to 5.")
    if not 1 <= passes <= 20:
        raise RecipeFault(f"“{text}”: the passes must be 1 to 20.")
    return Pass(parts[0], pressure, passes)


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


def demo(args: argparse.Namespace) -> dict | None:
    """Build the demo studio; with --open also start its window."""
    from hanabira.core.token import Token
    from hanabira.demo.place import demo_folder
    from hanabira.demo.studio import build_demo
    from hanabira.studio.database import DATABASE

    folder = Path(args.dir) if args.dir else demo_folder()
    if args.open and not (folder / DATABASE).exists():
        print("Building the demo studio; this takes half a minute the first time.", file=sys.stderr)
    made = build_demo(folder, Token(_tell if sys.stderr.isatty() else None))
    if sys.stderr.isatty():
        print("\r\033[K", end="", file=sys.stderr)
    if args.open:
        from hanabira.desk.virtual import start_or_show

        raise SystemExit(start_or_show(folder))
    return {"studio": str(folder), "commissions": made}


def _tell(_share: float, words: str) -> None:
    """What is going on, over the line before."""
    print(f"\r\033[K{words}", end="", file=sys.stderr, flush=True)


def open_(args: argparse.Namespace) -> None:
    """Open a window on a studio."""
    from hanabira.desk.start import start

    named = Path(args.dir) if args.dir else None
    if named is not None and named.is_file():  # a double click on a bundle: it comes into the studio that is open otherwise
        raise SystemExit(start(Path(args.studio) if args.studio else None, named))
    raise SystemExit(start(Path(args.studio) if args.studio else named))


def _print(command: str, data: dict) -> None:
    """The same answer as readable lines."""
    if command == "measure":
        v = data["value"]
        print(f"gap L* {v['gap']:.0f} · general L* {v['general']:.0f} · light L* {v['light']:.0f} · highlight L* {v['highlight']:.0f}")
        for c in data["palette"]:
            print(f"  {c['share']:4.0%}  {c['hex']}  {c['name']} ({c['temperature']})")
        for h in data["hidden_hues"]:
            print(f"  hidden {h['share']:.1%}  {h['name']}")
        hair = data["hair"]
        print(
            f"hair {hair['direction_deg']:.0f}°, visible run {hair['length_px'] or 0:.0f} px"
            if hair["direction_deg"] is not None
            else f"hair: {hair['reason']}"
        )
        print(f"marking {data['marking']['class']} ({data['marking']['confidence']:.0%})")
        print("coat " + ", ".join(f"{c['id']} {c['share']:.0%}" for c in data["coat"]))
        if data["clipped"]["any"] >= 0.01 or data["clipped"]["crushed"] >= 0.01:
            unknown = f"; unknown: {', '.join(data['clipped']['unknown'])}" if data["clipped"]["unknown"] else ""
            print(f"burnt out {data['clipped']['any']:.0%}, crushed {data['clipped']['crushed']:.0%}{unknown}")
        for part in ("eye", "nose", "whiskers", "feathers"):
            if part in data:
                print(f"{part}: " + ", ".join(f"{k} {v}" for k, v in data[part].items() if v is not None and not isinstance(v, dict)))
    elif command == "study":
        print(f"{data['out']}: {data['width']} × {data['height']} px")
        for q in data.get("shapes", ()):
            print(f"  step {q['step']}: L* {q['l']:.0f}, {q['share']:.0%} of the picture")
        for q in data.get("reads", ()):
            print(f"  {q['part']} read {q['in_photo']:.1f} steps in the photo, {q['on_backdrop']:.1f} on the backdrop")
    elif command == "recipe":
        for r in data["recipes"]:
            print(f"{r['target']} → {r['predicted']}  ΔE00 {r['delta_e00']:.1f}, expected {r['expected_de00']:.1f}")
            print(f"  {r['asked']['words']}; the layers end {r['asked']['result_de00']:.1f} from it")
            for q in r["layers"]:
                print(
                    f"  {q['pencil']} {q['name']}, pressure {q['pressure']}, {q['passes']} pass{'es' if q['passes'] > 1 else ''}, {q['tooth_left']:.0%} tooth left"
                )
            for c in r["cautions"]:
                print(f"  caution: {c['text']}")
    elif command == "predict":
        for q in data["layers"]:
            print(f"{q.get('pencil') or q['tool']}: L* {q['lab_after'][0]:.0f}, {q['tooth_left']:.0%} tooth left")
        print(data["hex"])
        if "guess" in data:
            print(data["guess"])
    elif command == "calibrate":
        de = data["fit_de00"]
        print(f"{data['pencils']} pencils fitted, ΔE00 {de['median']:.1f} median, {de['p95']:.1f} at 95 %")
    elif command == "kit":
        for p in data["pencils"]:
            print(f"{p['code']:>5}  L* {p['lab'][0]:3.0f}  {p['name']}{'' if p['owned'] else ' (not owned)'}")
    elif command in ("area", "techniques"):
        cli_area.show(command, data)
    elif command in ("plan", "quote", "export", "import", "backup"):
        cli_plan.show(command, data)
    elif command in ("card", "book", "log", "handbook"):
        cli_sheets.show(command, data)
    elif command in ("check", "camera"):
        cli_check.show(command, data)
    elif command == "practice":
        cli_practice.show(command, data)
    else:
        print(json.dumps(data, ensure_ascii=False))


def parser() -> argparse.ArgumentParser:
    """The command line."""
    top = _Parser(prog="hanabira", description="Plan animal portraits in coloured pencil and pastel.")
    top.add_argument("--version", action="version", version=f"hanabira {__version__}")
    commands = top.add_subparsers(dest="command", required=True, parser_class=_Parser)

    def add(name: str, run: Callable[[argparse.Namespace], dict | None], words: str) -> argparse.ArgumentParser:
        p = commands.add_parser(name, help=words, description=words)
        p.set_defaults(run=run)
        p.add_argument("--json", action="store_true", help="print one JSON object")
        return p

    p = add("measure", measure, "Measure an area of a photo: values, colours, hair, marking.")
    p.add_argument("photo")
    where = p.add_mutually_exclusive_group(required=True)
    where.add_argument("--rect", metavar="X,Y,W,H")
    where.add_argument("--polygon", metavar='"X,Y X,Y …"')
    p.add_argument("--mm-per-px", type=millimetres_a_pixel, metavar="F", help="millimetres of paper a pixel of the photo covers")
    p.add_argument("--eye", metavar="X,Y,X,Y", help="an eye's centre and a place on its rim")
    p.add_argument("--look-for", nargs="+", choices=("nose", "whiskers", "feathers"), help="what else is measured in the area")
    p = add("study", study, "Look at a photo: squint, value shapes, the animal alone on a backdrop.")
    p.add_argument("photo")
    what = p.add_mutually_exclusive_group(required=True)
    what.add_argument("--squint", type=float, metavar="N", help="1 (little) to 10; 2 is a usual squint")
    what.add_argument("--value-shapes", type=int, metavar="N", help="3 to 7 steps")
    what.add_argument("--isolate", metavar="X,Y,W,H", help="a rectangle round the animal")
    p.add_argument("--only", type=int, metavar="STEP", help="one value shape alone; 1 is the darkest")
    p.add_argument("--backdrop", metavar="#rrggbb", help="colour behind the isolated animal; without it PNG transparency")
    p.add_argument("--neutral", metavar="X,Y|auto", help="a place that is really grey or white, or auto")
    p.add_argument("--exposure", type=float, default=0.0, metavar="STOPS")
    p.add_argument("--out", required=True, metavar="FILE")
    cli_area.add_commands(add)
    cli_plan.add_commands(add)
    cli_sheets.add_commands(add)
    cli_check.add_commands(add)
    cli_practice.add_commands(add)
    p = add("recipe", recipe, "Solve pencil layers for target colours.")
    p.add_argument("--target", action="append", required=True, metavar="#rrggbb")
    p.add_argument("--kit", metavar="FILE", help="kit file, or pencils or pastels")
    p.add_argument("--paper", default="hotpress", metavar="ID")
    p.add_argument("--ground", metavar="#rrggbb")
    p.add_argument("--school", metavar="ID", help="any, light-to-dark or dark-to-light")
    p.add_argument("--max-layers", type=int, default=3, metavar="N")
    p = add("predict", predict_, "Predict the colour of layers on a paper.")
    p.add_argument("--paper", required=True, metavar="ID")
    p.add_argument("--ground", metavar="#rrggbb")
    p.add_argument("--kit", metavar="FILE")
    p.add_argument("--layer", action="append", required=True, metavar="PENCIL:PRESSURE:PASSES|TOOL")
    p = add("calibrate", calibrate, "Fit pencils, paper and hand to measured swatches.")
    p.add_argument("swatches", metavar="SWATCHES.csv")
    p.add_argument("--out", required=True, metavar="KIT.csv")
    p.add_argument("--paper", default="hotpress", metavar="ID", help="the paper the swatches are on")
    p.add_argument("--kit", metavar="FILE", help="a kit that names the pencils")
    p = add("kit", kit_, "List the pencils and papers.")
    p.add_argument("--kit", metavar="FILE")
    p = add("demo", demo, "Build the demo studio in a folder.")
    p.add_argument("dir", nargs="?", metavar="DIR")
    p.add_argument("--open", action="store_true", help="open its window afterwards")
    p = add("open", open_, "Open the window.")
    p.add_argument("dir", nargs="?", metavar="DIR|BUNDLE", help="a studio, or a bundle to take into yours")
    p.add_argument("--studio", metavar="DIR", help="a studio of your own choice, for trying things")
    return top


def main(argv: Sequence[str] | None = None) -> int:
    """Run a command; 0 on success, 2 on a fault of the person, said in one line."""
    try:
        args = parser().parse_args(argv)
        data = args.run(args)
    except Fault as fault:
        print(f"hanabira: {' '.join(str(fault).split())}", file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        return 130
    try:
        if data is not None and args.json:
            print(json.dumps(data, ensure_ascii=False))
        elif data is not None:
            _print(args.command, data)
        sys.stdout.flush()
    except BrokenPipeError:  # somebody read enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    return 0


if __name__ == "__main__":
    sys.exit(main())
