"""The terminal's plan: `hanabira plan`, `quote`, `export` and `import`."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from hanabira.core.clock import MACHINE
from hanabira.core.faults import Fault
from hanabira.terminal.args import Add

if TYPE_CHECKING:
    from hanabira.studio.bundle import Contents


def _studio(args: argparse.Namespace) -> Path:
    import platformdirs

    return Path(args.studio) if args.studio else Path(platformdirs.user_data_dir("hanabira")) / "studio"


def plan(args: argparse.Namespace) -> dict:
    """Order, sessions and slack of a bundle's commission."""
    from dataclasses import replace

    from hanabira.core.schedule.sessions import what_is_left
    from hanabira.studio import planning
    from hanabira.studio.assembly import of_contents
    from hanabira.studio.bundle import kit_of_bundle, read_bundle
    from hanabira.studio.checking import parse_day

    try:
        start = parse_day(args.start) if args.start else None
    except ValueError:
        raise Fault(f"“{args.start}” is not a date.", do="Write it as 2026-03-31.") from None
    if args.hours_per_day is not None and not 0.25 <= args.hours_per_day <= 16:
        raise Fault("--hours-per-day must lie between 0.25 and 16.")
    got = read_bundle(Path(args.bundle))
    kit = kit_of_bundle(got)
    whole = of_contents(got, kit)
    done = whole.done
    found, calendar = whole.plan(planning.days_of(got.commission, MACHINE.today(), start, args.hours_per_day), hand=args.hand or "")
    data = planning.plan_data(
        got.commission, what_is_left(found, done), replace(calendar, placed=tuple(q for q in calendar.placed if q.step.key not in done))
    )
    data["covers"] = _covers(got)
    if not data["covers"]["whole"]:
        data["warnings"].append(data["covers"]["words"])
    data["estimated"] = [{"area": q.area.name, "minutes": [round(q.low, 1), round(q.high, 1)]} for q in whole.estimates() if q.area is not None]
    if whole.first_words:
        data["warnings"].append(f"{whole.first_words}. They count in the day on which it is finished, and are no steps yet.")
    if done:
        data["warnings"].append(f"{len(done)} steps are done by the log and left out.")
    return data


def quote(args: argparse.Namespace) -> dict:
    """Hours and price of a bundle's commission."""
    from hanabira.studio.assembly import of_contents
    from hanabira.studio.bundle import kit_of_bundle, read_bundle

    got = read_bundle(Path(args.bundle))
    return {**of_contents(got, kit_of_bundle(got)).quote(), "covers": _covers(got)}


def _covers(got: Contents) -> dict:
    """How many of a bundle's areas have layers; how much of the animal that is, only the window knows."""
    from hanabira.core.area.covering import covering
    from hanabira.core.area.outline import Outline

    laid = {r.area_id for r in got.recipes if r.layers}
    found = covering([(Outline(a.ring, a.smooth, a.holes), a.id in laid) for a in got.areas], None, (1, 1))
    return {"areas": found.areas, "solved": found.solved, "whole": found.solved == found.areas, "words": found.words}


def export(args: argparse.Namespace) -> dict:
    """Write one commission, or all, as bundles."""
    from hanabira.studio.bundle import write_bundle
    from hanabira.studio.database import DATABASE
    from hanabira.studio.records import Commission
    from hanabira.studio.store import Store

    folder = _studio(args)
    if not (folder / DATABASE).exists():
        raise Fault(f"There is no studio in {folder}.", do="Give its folder with --studio.")
    if bool(args.all) == bool(args.commission) or (args.all and not args.to) or (args.commission and not args.bundle):
        raise Fault("Say what to write.", do="Either COMMISSION --bundle FILE, or --all --to DIR.")
    with Store.open(folder) as store:
        if args.commission:
            one = write_bundle(store, args.commission, Path(args.bundle))
            return {"bundles": [str(one.path)], "remarks": [*store.remarks, *one.remarks]}
        target = Path(args.to)
        try:
            target.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise Fault(f"{target} cannot be made: {error.strerror}.", do="Choose another folder.") from error
        out: list[str] = []
        remarks: list[str] = list(store.remarks)
        for c in store.all(Commission):
            safe = "".join(q if q.isalnum() or q in " -_" else "_" for q in c.name).strip() or "commission"
            path = target / f"{safe}.hanabira.zip"
            n = 2
            while str(path) in out:
                path, n = target / f"{safe} {n}.hanabira.zip", n + 1
            written = write_bundle(store, c.id, path)
            out.append(str(written.path))
            remarks += [f"{c.name}: {words}" for words in written.remarks]
        return {"bundles": out, "remarks": remarks}


def import_(args: argparse.Namespace) -> dict:
    """Take a bundle into a studio."""
    from hanabira.studio.bundle import import_bundle
    from hanabira.studio.store import Store

    with Store.open(_studio(args)) as store:
        made = import_bundle(store, Path(args.file))
        return {"commission": made.commission.id, "name": made.commission.name, "remarks": [*store.remarks, *made.remarks]}


def backup(args: argparse.Namespace) -> dict:
    """Back a studio up, list its backups, or go back to one."""
    from hanabira.studio import backups
    from hanabira.studio.database import DATABASE

    folder = _studio(args)
    if not folder.is_dir():
        raise Fault(f"There is no studio in {folder}.", do="Give its folder with --studio.")

    def row(b: backups.Backup) -> dict:
        return {
            "file": str(b.path), "made": b.made.isoformat(timespec="seconds"), "reason": b.reason, "commissions": b.commissions, "log_rows": b.log_rows,
            "usable": not b.fault, "words": b.words,
        }  # fmt: skip

    if args.list:
        return {"backups": [row(b) for b in backups.backups(folder)]}
    if args.restore:
        named = Path(args.restore)
        chosen = named if named.exists() else folder / backups.FOLDER / named.name
        return {"restored": str(chosen), "aside": str(backups.restore(folder, chosen))}
    if not (folder / DATABASE).exists():
        raise Fault(f"There is no studio in {folder}.", do="Give its folder with --studio.")
    return {"backups": [row(backups.make(folder, "asked"))]}


def show(command: str, data: dict) -> None:
    """The same answers as readable lines."""
    if command == "plan":
        for s in data["steps"]:
            low, high = s["minutes"]
            print(
                f"{s['n']:3}  {s['start'].replace('T', ' ')}  {s['area']:<18} {s['role']:<11} {s['pencil'] or '':<8} {low:.0f}–{high:.0f} min  {s['reason']}"
            )
        slack = "" if data["slack_days"] is None else f", {data['slack_days']} days before it is due"
        print(f"{len(data['sessions'])} sessions, finished {data['finish']}{slack}")
        for w in data["warnings"]:
            print(f"caution: {w}")
    elif command == "quote":
        print(
            f"{data['commission']}: {data['hours'][0]:.0f}–{data['hours'][1]:.0f} hours, price {data['price'][0]:.2f}–{data['price'][1]:.2f}"
        )
        if data["first_plan"]:
            print(f"{data['first_plan']['words']}.")
        for w in data["warnings"]:
            print(f"caution: {w}")
    elif command == "backup":
        if "restored" in data:
            print(f"The studio is as in {data['restored']}; what stood there is in {data['aside']}")
        for b in data.get("backups", ()):
            print(f"{b['made'].replace('T', ' ')}  {b['words']}  {b['file']}")
    elif command == "export":
        print("\n".join([*data["bundles"], *data["remarks"]]))
    else:
        print("\n".join([f"{data['name']} ({data['commission']})", *data["remarks"]]))


def add_commands(add: Add) -> None:
    """Declare the commands on the parser."""
    p = add("plan", plan, "Order and time the work of a bundle.")
    p.add_argument("bundle", metavar="BUNDLE")
    p.add_argument("--start", metavar="DATE", help="first day, 2026-03-31; today when left out")
    p.add_argument("--hours-per-day", type=float, metavar="H")
    p.add_argument("--hand", choices=("left", "right"))
    p = add("quote", quote, "Hours and price of a bundle.")
    p.add_argument("bundle", metavar="BUNDLE")
    p = add("export", export, "Write commissions as open bundles.")
    p.add_argument("commission", nargs="?", metavar="COMMISSION", help="its name or id")
    p.add_argument("--studio", metavar="DIR")
    p.add_argument("--bundle", metavar="FILE")
    p.add_argument("--all", action="store_true")
    p.add_argument("--to", metavar="DIR")
    p = add("backup", backup, "Back a studio up, list its backups, or go back to one.")
    p.add_argument("--studio", metavar="DIR")
    what = p.add_mutually_exclusive_group()
    what.add_argument("--list", action="store_true", help="the backups, the oldest first")
    what.add_argument("--restore", metavar="FILE", help="put this backup in place; the files that stand there are set aside")
    p = add("import", import_, "Take a bundle into a studio.")
    p.add_argument("file", metavar="FILE")
    p.add_argument("--studio", metavar="DIR")
