"""A first plan at the terminal: `hanabira first`, from a photo to areas, palette, hours, price and dates."""

from __future__ import annotations

import argparse
import tempfile
import time
from pathlib import Path
from typing import TYPE_CHECKING

from hanabira.core.faults import Fault
from hanabira.terminal.args import Add, numbers
from hanabira.terminal.whole import add_animal, corners_of, eyes_of, nose_of

if TYPE_CHECKING:
    from hanabira.session.session import Session


def first(args: argparse.Namespace) -> dict:
    """Part a whole animal, work out its recipes, and say what it comes to. Nothing is stored but a bundle that is asked for."""
    from hanabira.craft.supplies import surfaces
    from hanabira.session.runner import InlineRunner, processors
    from hanabira.session.session import Session
    from hanabira.studio.bundle import write_bundle
    from hanabira.studio.store import Store

    start = time.perf_counter()
    if args.surface is not None and args.surface not in surfaces():
        raise Fault(f"There is no surface “{args.surface}”.", do=f"Use one of {', '.join(surfaces())}.")
    with tempfile.TemporaryDirectory(prefix="hanabira-") as folder:
        session = Session(Store.open(Path(folder) / "studio"), InlineRunner())
        session.at_once = processors()
        faults: list[Fault] = []
        session.messages.said.connect(lambda m: faults.append(Fault(m.what, m.kept, m.do)) if m.kind == "fault" else None)
        try:
            _commission(session, args)
            _show(session, args, faults)
            session.first.want()
            data = {"photo": Path(args.photo).name, "provisional": True, **_told(session), "seconds": round(time.perf_counter() - start, 1)}
            if args.bundle:
                session.whole.accept_all()
                c = session.commission
                assert c is not None
                data["bundle"] = str(write_bundle(session.store, c.id, Path(args.bundle)).path)
            return data
        finally:
            session.shut()


def _commission(session: Session, args: argparse.Namespace) -> None:
    """An order with the photo on its sheet."""
    from dataclasses import replace

    from hanabira.craft.supplies import papers
    from hanabira.session.edits import EditBrief
    from hanabira.studio.checking import parse_day

    width, height = numbers(args.sheet, 2, "a sheet: WIDTH,HEIGHT in mm")
    if not (50 <= width <= 2000 and 50 <= height <= 2000):
        raise Fault("The sheet must be 50 to 2000 mm wide and high.")
    if args.paper not in papers():
        raise Fault(f"There is no paper “{args.paper}”.", do=f"Use one of {', '.join(papers())}.")
    if not 0 <= args.rate <= 10000:
        raise Fault("--rate must lie between 0 and 10000.")
    if not 0.25 <= args.hours_per_day <= 16:
        raise Fault("--hours-per-day must lie between 0.25 and 16.")
    try:
        due = parse_day(args.due).isoformat() if args.due else None
    except ValueError:
        raise Fault(f"“{args.due}” is not a date.", do="Write it as 2026-03-31.") from None
    c = session.new_commission(Path(args.photo).stem[:100] or "A photo")
    assert c is not None
    terms = replace(c.terms, rate=args.rate, hours_a_day=args.hours_per_day)
    session.do(EditBrief(session, "order", width_mm=width, height_mm=height, paper_id=args.paper, ground_hex=papers()[args.paper].ground_hex, due=due, terms=terms))
    session.add_photo(Path(args.photo))
    if session.photo is None:
        raise Fault(f"{args.photo} cannot be read as a picture.", do="Give a picture file.")


def _show(session: Session, args: argparse.Namespace, faults: list[Fault]) -> None:
    """Show what is the animal, its eyes and its nose; the proposal then stands. Raises `Fault` where it does not."""
    whole, photo = session.whole, session.photo
    assert photo is not None
    faults.clear()  # how the photo was framed is no fault of the parting
    loop, eyes, nose = corners_of(args.loop) if args.loop else (), eyes_of(args.eye, photo.size), nose_of(args.nose, photo.size)
    whole.begin()
    if args.surface is not None:
        whole.set_surface(args.surface)
    whole.set_form(args.by == "form")
    for (x, y), r in eyes:
        whole.show_eye((x, y), (x + r, y))
    if nose is not None:
        whole.show_nose(nose)
    if loop:
        whole.draw_loop(loop)
    if faults:
        raise faults[0]
    if whole.needs_loop:
        raise Fault("Nobody showed where the animal is.", do="Give a loose loop round it: --loop 'X,Y;X,Y;…'.")
    if not whole.patches:
        raise Fault("No animal was found inside the loop.", do="Draw the loop round the animal, a little outside.")
    if args.count is not None:
        whole.set_count(args.count)


def _told(session: Session) -> dict:
    """Areas, pencils, hours, price and days as plain data."""
    plan, first, c = session.planner.first_plan(), session.first, session.commission
    assert plan is not None and c is not None
    quote = plan.whole.quote()
    hours = {q["name"]: q["hours"] for q in quote["areas"]}
    by_id = {a.id: a for a in (*plan.whole.work, *plan.whole.unsolved)}
    kit = session.kit
    rows: list[dict] = []
    for a in session.whole.patches:
        recipe = first.recipes.get(a.id)
        codes = list(dict.fromkeys(q.code for q in recipe.layers if q.code)) if recipe is not None else []
        rows.append({
            "number": a.number, "name": a.name, "surface": a.surface_id, "cm2": round(by_id[a.id].mm2 / 100, 1), "hours": hours.get(a.name),
            "layers": len(recipe.layers) if recipe is not None else None, "pencils": codes,
            "delta_e00": round(first.near[a.id], 2) if a.id in first.near else None,
        })  # fmt: skip
    used = first.palette or tuple(dict.fromkeys(q.code for r in first.recipes.values() for q in r.layers if q.code))
    return {
        "areas": rows, "covered": round(session.whole.covered, 4), "notes": list(session.whole.notes),
        "palette": [{"pencil": k, "name": kit.get(k).name} for k in used if k in kit.index],
        "hours": quote["hours"], "estimated_hours": quote["estimated_hours"], "price": quote["price"], "rate": quote["rate"],
        "ready": plan.ready.isoformat() if plan.ready is not None else None, "due": c.due or None, "slack_days": plan.slack_days,
        "first_plan": quote["first_plan"], "sheet_mm": [c.width_mm, c.height_mm],
    }  # fmt: skip


def show(_command: str, data: dict) -> None:
    """The same answers as readable lines."""
    for q in data["areas"]:
        recipe = f"{q['layers']:2} layers, ΔE00 {q['delta_e00']:.1f}" if q["layers"] else "estimated"
        print(f"{q['number']:2} {q['name']:<24} {q['cm2']:6.1f} cm²  {q['hours']:5.2f} h  {recipe}  {q['surface']}")
    print(f"{len(data['palette'])} pencils: {', '.join(q['name'] for q in data['palette'])}")
    price = f", price {data['price'][0]:.0f}–{data['price'][1]:.0f}" if data["rate"] else ""
    print(f"{data['hours'][0]:.0f}–{data['hours'][1]:.0f} hours{price}, ready about {data['ready']}")
    print(f"{data['first_plan']['words']}.")
    for note in data["notes"]:
        print(note)


def add_commands(add: Add) -> None:
    """Declare the command on the parser."""
    p = add("first", first, "From a photo to a first whole plan: areas, palette, hours, price and dates.")
    add_animal(p)
    p.add_argument("--sheet", default="300,400", metavar="W,H", help="the sheet in mm; it is turned where the animal asks for it")
    p.add_argument("--paper", default="hotpress", metavar="ID")
    p.add_argument("--rate", type=float, default=0.0, metavar="SUM", help="price of an hour; no price without one")
    p.add_argument("--hours-per-day", type=float, default=3.0, metavar="H")
    p.add_argument("--due", metavar="DATE", help="2026-03-31")
    p.add_argument("--bundle", metavar="FILE", help="accept everything and write it as a bundle, which the window opens")
