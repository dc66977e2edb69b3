"""The terminal's printed sheets: `hanabira card`, `book` and `log`, from the same code as the window's."""

from __future__ import annotations

import argparse
from pathlib import Path

from hanabira.core.faults import Fault
from hanabira.terminal.args import Add


def _target(args: argparse.Namespace) -> Path:
    path = Path(args.out)
    if path.suffix.lower() != ".pdf":
        raise Fault(f"{path.name} has not the ending .pdf.", do="Name a PDF with --out.")
    return path


def card(args: argparse.Namespace) -> dict:
    """Write the recipe card of a bundle's commission."""
    from dataclasses import replace

    from hanabira.session.from_bundle import measured, session_of
    from hanabira.session.recipe_card import card_content
    from hanabira.sheets.recipe_card import write_recipe_card

    target, numbers = _target(args), tuple(args.area or ())
    with session_of(Path(args.bundle)) as session:
        without = measured(session, numbers)
        content = replace(card_content(session), page=args.page)
        if numbers:
            content = replace(content, areas=tuple(a for a in content.areas if a.number in numbers))
        if not content.areas:
            raise Fault("There is no recipe to print yet.", "Nothing was written.", "Solve the layers of an area first.")
        write_recipe_card(content, target)
        return {
            "out": str(target),
            "areas": [{"number": a.number, "name": a.name, "layers": len(a.layers)} for a in content.areas],
            "without": list(without),
        }


def handbook(args: argparse.Namespace) -> dict:
    """Print the handbook."""
    import os

    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")  # it is laid out by the toolkit, without a window
    from hanabira.desk.book import print_book
    from hanabira.desk.start import make_app
    from hanabira.handbook.pages import pages

    target = _target(args)
    make_app()
    print_book(target, args.page)
    return {"out": str(target), "pages": [p.title for p in pages().values()]}


def book(args: argparse.Namespace) -> dict:
    """Write the bench book of a bundle's commission: the sessions to come, and all recipes."""
    from dataclasses import replace

    from hanabira.session.commission_sheets import book_of
    from hanabira.session.from_bundle import measured, session_of
    from hanabira.session.recipe_card import card_content
    from hanabira.sheets.bench_book import write_bench_book

    target = _target(args)
    with session_of(Path(args.bundle)) as session:
        measured(session)
        plan = session.planner.planned()
        if plan is None:
            raise Fault("There is no plan to print yet.", "Nothing was written.", "Solve the layers of an area first.")
        content = replace(book_of(session, plan), card=replace(card_content(session), page=args.page), page=args.page)
        write_bench_book(content, target)
        return {"out": str(target), "sessions": len(content.days), "steps": sum(len(d.steps) for d in content.days)}


def log(args: argparse.Namespace) -> dict:
    """What happened on a bundle's commission, with its hours and pencils."""
    from hanabira.session.commission_sheets import record_data
    from hanabira.session.from_bundle import session_of

    with session_of(Path(args.bundle)) as session:
        return record_data(session)


def show(command: str, data: dict) -> None:
    """The same answers as readable lines."""
    if command == "handbook":
        print(f"{data['out']}: {len(data['pages'])} pages of the handbook")
    elif command == "card":
        print(f"{data['out']}: {len(data['areas'])} areas, {sum(a['layers'] for a in data['areas'])} layers")
        if data["without"]:
            print(f"Without layers yet: {', '.join(data['without'])}")
    elif command == "book":
        print(f"{data['out']}: {data['sessions']} sessions, {data['steps']} steps to come")
    else:
        for r in data["log"]:
            took = f"{r['minutes']:.0f} min" if r["state"] == "done" else {"skipped": "left out"}.get(r["state"], r["state"])
            words = " ".join(q for q in (r["differs"], f"“{r['note']}”" if r["note"] else "") if q)
            print(
                f"{r['at'].replace('T', ' ')}  {r['area_name'] or 'The whole':<18} {r['role']:<11} {r['pencil']:<8} {took:>8}  {words}".rstrip()
            )
        print(f"{data['hours']['taken']:.1f} hours")


def add_commands(add: Add) -> None:
    """Declare the commands on the parser."""
    for name, run, words in (
        ("card", card, "Write the recipe card of a bundle as PDF."),
        ("book", book, "Write the bench book of a bundle as PDF."),
        ("handbook", handbook, "Print the handbook as PDF."),
    ):
        p = add(name, run, words)
        if name != "handbook":
            p.add_argument("bundle", metavar="BUNDLE")
        if name == "card":
            p.add_argument("--area", type=int, nargs="+", metavar="N", help="only these areas, by number")
        p.add_argument("--out", required=True, metavar="FILE.pdf")
        page = p.add_mutually_exclusive_group()
        page.add_argument("--a4", dest="page", action="store_const", const="A4", help="on A4 (the usual)")
        page.add_argument("--letter", dest="page", action="store_const", const="Letter", help="on Letter")
        p.set_defaults(page="A4")
    p = add("log", log, "What happened on a bundle's commission.")
    p.add_argument("bundle", metavar="BUNDLE")
