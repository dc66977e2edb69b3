"""The same core from a terminal. `--json` prints one object; a user error is one line and exit code 2."""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections.abc import Callable, Sequence
from pathlib import Path

from hanabira import __version__
from hanabira.core.faults import Fault
from hanabira.terminal import area, check, colour, first, plan, practice, sheets, whole
from hanabira.terminal.args import Add, millimetres_a_pixel


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> None:  # type: ignore[override]
        raise Fault(f"{message[:1].upper()}{message[1:]}.", do=f"See “{self.prog} --help”.")


def demo(args: argparse.Namespace) -> dict | None:
    """Build the demo studio; with --open also start its window."""
    from hanabira.core.token import Token
    from hanabira.demo.place import demo_folder
    from hanabira.demo.studio import build_demo

    folder = Path(args.dir) if args.dir else demo_folder()
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
                print(f"{part}: " + ", ".join(f"{k} {v}" for k, v in data[part].items() if v is not None and not isinstance(v, dict | list)))
        cast = data["light"]["cast"]
        if cast is not None:
            print(f"light {cast['lean']} by {cast['angle_deg']:.0f}°" + ("" if cast["suspected"] else ", too little to be told from none"))
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
        area.show(command, data)
    elif command == "areas":
        whole.show(command, data)
    elif command == "first":
        first.show(command, data)
    elif command in ("plan", "quote", "export", "import", "backup"):
        plan.show(command, data)
    elif command in ("card", "book", "log", "handbook"):
        sheets.show(command, data)
    elif command in ("check", "camera"):
        check.show(command, data)
    elif command == "practice":
        practice.show(command, data)
    else:
        print(json.dumps(data, ensure_ascii=False))


def _add_commands(add: Add) -> None:
    """Declare all commands but those that open a window."""
    p = add("measure", lambda args: colour.measure(args), "Measure an area of a photo: values, colours, hair, marking.")
    p.add_argument("photo")
    where = p.add_mutually_exclusive_group(required=True)
    where.add_argument("--rect", metavar="X,Y,W,H")
    where.add_argument("--polygon", metavar='"X,Y X,Y …"')
    p.add_argument("--mm-per-px", type=millimetres_a_pixel, metavar="F", help="millimetres of paper a pixel of the photo covers")
    p.add_argument("--eye", metavar="X,Y,X,Y", help="an eye's centre and a place on its rim")
    p.add_argument("--look-for", nargs="+", choices=("eye", "nose", "whiskers", "feathers"), help="what else is measured in the area; an eye without --eye is looked for")
    p = add("study", lambda args: colour.study(args), "Look at a photo: squint, value shapes, the animal alone on a backdrop.")
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
    area.add_commands(add)
    whole.add_commands(add)
    first.add_commands(add)
    plan.add_commands(add)
    sheets.add_commands(add)
    check.add_commands(add)
    practice.add_commands(add)
    p = add("recipe", lambda args: colour.recipe(args), "Solve pencil layers for target colours.")
    p.add_argument("--target", action="append", required=True, metavar="#rrggbb")
    p.add_argument("--kit", metavar="FILE", help="kit file, or pencils or pastels")
    p.add_argument("--paper", default="hotpress", metavar="ID")
    p.add_argument("--ground", metavar="#rrggbb")
    p.add_argument("--school", metavar="ID", help="any, light-to-dark or dark-to-light")
    p.add_argument("--max-layers", type=int, default=3, metavar="N")
    p = add("predict", lambda args: colour.predict_(args), "Predict the colour of layers on a paper.")
    p.add_argument("--paper", required=True, metavar="ID")
    p.add_argument("--ground", metavar="#rrggbb")
    p.add_argument("--kit", metavar="FILE")
    p.add_argument("--layer", action="append", required=True, metavar="PENCIL:PRESSURE:PASSES:COVERAGE:WAY|TOOL")
    p = add("calibrate", lambda args: colour.calibrate(args), "Fit pencils, paper and hand to measured swatches.")
    p.add_argument("swatches", metavar="SWATCHES.csv")
    p.add_argument("--out", required=True, metavar="KIT.csv")
    p.add_argument("--paper", default="hotpress", metavar="ID", help="the paper the swatches are on")
    p.add_argument("--kit", metavar="FILE", help="a kit that names the pencils")
    p = add("kit", lambda args: colour.kit_(args), "List the pencils and papers.")
    p.add_argument("--kit", metavar="FILE")


def parser(window_only: bool = False) -> argparse.ArgumentParser:
    """The command line; with ``window_only`` no more of it than what opens a window, which need not wait for the rest."""
    top = _Parser(prog="hanabira", description="Plan animal portraits in coloured pencil and pastel. Without a command it opens your studio.")
    top.add_argument("--version", action="version", version=f"hanabira {__version__}")
    commands = top.add_subparsers(dest="command", required=True, parser_class=_Parser)

    def add(name: str, run: Callable[[argparse.Namespace], dict | None], words: str) -> argparse.ArgumentParser:
        p = commands.add_parser(name, help=words, description=words)
        p.set_defaults(run=run)
        p.add_argument("--json", action="store_true", help="print one JSON object")
        return p

    if not window_only:
        _add_commands(add)
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
        asked = list(sys.argv[1:] if argv is None else argv) or ["open"]
        args = parser(asked[:1] in (["open"], ["demo"])).parse_args(asked)
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
