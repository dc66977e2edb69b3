"""Files of a commission's weeks: bench book, approval sheet, the record for the client's file, log and bundle."""

from __future__ import annotations

import datetime
import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from hanabira.core.area.measures import measure
from hanabira.core.area.shape import rectangle
from hanabira.core.colour.spaces import parse_hex, srgb_to_lab
from hanabira.core.faults import PhotoFault
from hanabira.core.schedule.order import RECIPE_ORDER, Step
from hanabira.core.token import Token
from hanabira.craft.reader import papers, surfaces
from hanabira.craft.safety import step_cautions
from hanabira.craft.techniques import switches
from hanabira.desk.model import Model
from hanabira.desk.planner import Planned, hours_words, span
from hanabira.desk.printing import card_content, ground_name
from hanabira.desk.stages.shelf import spoken_date
from hanabira.desk.writers import FileWriter
from hanabira.studio import account, planning
from hanabira.studio.bundle import log_csv, write_bundle
from hanabira.studio.records import Shot
from hanabira.studio.store import Store
from hanabira.studio.writing import write_file

if TYPE_CHECKING:
    pass

RECORD_FORMAT = "hanabira record 1"
_SIDE = 1600


def money(model: Model, value: float) -> str:
    """A sum in the studio's currency."""
    sign = model.settings.get("currency")
    return f"{value:,.0f}".replace(",", "\u2009") + (f"\u2009{sign}" if sign else "")


def money_range(model: Model, low: float, high: float) -> str:
    """A sum from low to high, its sign once."""
    sign = model.settings.get("currency")
    return f"{low:,.0f}–{high:,.0f}".replace(",", "\u2009") + (f"\u2009{sign}" if sign else "")


def price_words(model: Model, plan: Planned) -> tuple[str, str]:
    """The price as a range, and deposit with instalments."""
    c = model.commission
    assert c is not None
    q = planning.quote(c, plan.work, plan.pace)
    (low, high), (d_low, d_high), each = q["price"], q["deposit"], q["instalments"]
    price = money_range(model, low, high)
    n = each["count"]
    parts = f"in {n} instalments of {money_range(model, *each['each'])}" if n > 1 else "in one sum at the end"
    return price, f"{money_range(model, d_low, d_high)} as deposit, the rest {parts}"


def order_facts(model: Model) -> list[tuple[str, str]]:
    """What was ordered: names and values."""
    c = model.commission
    assert c is not None
    p = papers()[c.paper_id]
    behind = (
        "the bare paper"
        if c.backdrop in ("", "paper")
        else "a colour of its own"
        if len(c.backdrop.split()) == 1
        else "a colour that changes from top to foot"
    )
    told = [f"{switches()[k].name.lower()}: {v.replace('-', ' ')}" for k, v in c.school]
    return [
        ("Sheet", f"{c.width_mm:.0f} × {c.height_mm:.0f} mm, border {c.border_mm:.0f} mm, {p.name.lower()}, {ground_name(c)}"),
        ("Backdrop", behind),
        ("Medium", model.kit.name),
        ("School", "; ".join(told)),
        ("Likeness", c.notes),
        ("Accessories", c.terms.accessories),
        ("Delivery", c.terms.delivery),
    ]


def title_line(model: Model) -> str:
    """Animal, client and dates in one line."""
    c = model.commission
    assert c is not None
    return " · ".join(q for q in (c.animal, f"for {c.client}" if c.client else "", spoken_date(c.due) if c.due else "") if q)


def shot_pixels(store: Store, shot: Shot, token: Token) -> np.ndarray:
    """A photo of the work for a sheet; grey where its file is lost, for the rest of the record must not wait for it."""
    try:
        return store.read_photo(shot, _SIDE, token).pixels
    except PhotoFault:
        return np.full((30, 40, 3), 143, np.uint8)


def sheet_picture(model: Model) -> np.ndarray | None:
    """What of the prepared photo lies on the sheet, (H, W, 3) uint8."""
    photo, view = model.photo, model.view
    if photo is None or view is None:
        return None
    k = view.pixels.shape[1] / photo.width_px
    x, y, w, h = (v * k for v in photo.crop)
    cut = view.pixels[max(0, int(y)) : int(y + h), max(0, int(x)) : int(x + w)]
    step = max(1, -(-max(cut.shape[:2]) // _SIDE))
    return np.ascontiguousarray(cut[::step, ::step])


def book_of(model: Model, plan: Planned):  # noqa: ANN201
    """The bench book's content: sessions that are still to come."""
    from hanabira.sheets.bench_book import Book, BookDay, BookStep, Ready

    kit, done = model.kit, model.planner.done_keys()
    number = {s.key: n for n, s in enumerate(plan.ordered.steps, 1)}
    known = lambda code: kit.masstone_lab[kit.index[code]] if code in kit.index else None  # noqa: E731

    def line(s: Step, part: bool) -> BookStep:
        name = f"{s.area.number} {s.area.name}, {s.layer.role}" if s.area else "The last look"
        pencil = f"{s.layer.pencil} {kit.get(s.layer.pencil).name}" if s.layer.pencil in kit.index else s.layer.tool or "fresh eyes"
        stroke = (
            f"{s.layer.stroke} {s.layer.stroke_mm:.0f} mm" if s.layer.stroke_mm and s.layer.stroke in ("flick", "hatch") else s.layer.stroke
        )
        passes = f", {s.layer.passes} passes" if s.layer.passes > 1 else ""
        how = f"pressure {s.layer.pressure}{passes}, {stroke}, {s.layer.where}" if s.layer.pencil else s.layer.where if s.area else ""
        minutes = span(s.low, s.high) + (", goes on" if part else "")
        why = "" if plan.ordered.reasons[s.key] == RECIPE_ORDER else plan.ordered.reasons[s.key]
        return BookStep(number[s.key], name, pencil, known(s.layer.pencil), how, minutes, why)

    by_day: dict[datetime.date, list] = {}
    for q in plan.calendar.placed:
        if q.step.key not in done:
            by_day.setdefault(q.start.date(), []).append(q)
    days = []
    for day, qs in by_day.items():
        steps = list({q.step.key: line(q.step, q.part) for q in qs}.values())
        days.append(BookDay(day, f"{qs[0].start:%H:%M} to {qs[-1].end:%H:%M}", steps))
    ready = [
        Ready(f"{w.code} {w.name}", known(w.code), f"{w.coming_mm:.1f} mm of {w.left_mm:.0f} mm", w.short)
        for w in model.logbook.wear()
        if w.coming_mm > 0
    ]
    words: dict[str, None] = {}
    for s in plan.ordered.steps:
        if s.key not in done:
            pencil = kit.get(s.layer.pencil) if s.layer.pencil in kit.index else None
            words.update(dict.fromkeys(step_cautions(s.layer.tool, s.layer.role, pencil)))
    from hanabira.craft.safety import SHEET, words_for

    words.update(dict.fromkeys(words_for("break")))
    words.pop(SHEET, None)
    due = plan.due
    slack = plan.calendar.slack_days(due)
    order = [*order_facts(model), ("Hours", hours_words([s for s in plan.ordered.steps if s.key not in done]))]
    order.append(
        (
            "Finished",
            f"{plan.calendar.finish.day} {plan.calendar.finish:%B %Y}"
            + ("" if slack is None else f", {slack} days before it is due" if slack >= 0 else f", {-slack} days late"),
        )
    )
    waits = [
        f"{w.why} {w.minutes:.0f} minutes." if w.minutes < 120 else f"{w.why} {w.minutes / 60:.0f} hours." for w in plan.calendar.waiting
    ]
    c = model.commission
    assert c is not None
    return Book(
        c.name,
        title_line(model),
        sheet_picture(model),
        order,
        days,
        ready,
        list(dict.fromkeys(waits)),
        [*words, SHEET],
        model.settings.get("card_paper"),
    )


def approval_of(model: Model, plan: Planned | None, palette) -> Any:  # noqa: ANN001
    """The approval sheet's content. ``palette`` are measured colours of the picture with their shares."""
    from hanabira.sheets.approval import Approval

    c, picture = model.commission, sheet_picture(model)
    assert c is not None and picture is not None
    top, foot = (srgb_to_lab(parse_hex(h)) for h in c.backdrop_hexes)
    facts = [q for q in order_facts(model) if q[0] not in ("School", "Likeness")]
    facts.append(("Due", spoken_date(c.due).removeprefix("due ") if c.due else "to be agreed"))
    terms = []
    if plan is not None and c.terms.rate > 0:
        price, parts = price_words(model, plan)
        terms.append(f"Price: {price}, {parts}. The range covers {hours_words(plan.ordered.steps)} of work.")
    if c.terms.accessories:
        terms.append(f"Accessories: {c.terms.accessories}.")
    if c.notes:
        terms.append(f"What makes the likeness: {c.notes}")
    terms.append(
        "The photographs are used for this portrait with their owner’s permission."
        if c.terms.photo_permission
        else "The client confirms that the photographs may be used for this portrait."
    )
    terms.append("Changes after this day are agreed anew, with their time and price.")
    shades = [(q.lab, q.name) for q in sorted(palette, key=lambda q: -q.share)[:7]]
    return Approval(c.name, title_line(model), picture, facts, shades, (top, foot), terms, model.settings.get("card_paper"))


def record_data(model: Model) -> dict:
    """The record as plain data; keys as documented in docs/formats.md."""
    c, plan, log = model.commission, model.planner.planned(), model.logbook.rows()
    assert c is not None
    first = model.logbook.first_plan()
    areas = account.by_area(plan.ordered.steps, log) if plan else ()
    days = account.by_day(first, log) if first else ()
    names = {k: q.name for k, q in surfaces().items()}
    r = lambda v: round(v, 2)  # noqa: E731
    return {
        "format": RECORD_FORMAT, "commission": c.name, "client": c.client, "animal": c.animal, "due": c.due, "delivered": c.delivered or None,
        "order": {k.lower(): v for k, v in order_facts(model) if v},
        "hours": {
            "taken": r(sum(q.minutes for q in log if q.state == "done") / 60),
            "areas": [
                {"number": a.number, "name": a.name, "steps": a.steps, "done": a.done, "planned": [r(a.low / 60), r(a.high / 60)], "taken": r(a.taken / 60)} for a in areas
            ],
            "days": [{"date": d.day.isoformat(), "taken": r(d.taken / 60), "planned": r(d.planned / 60)} for d in days],
        },
        "pencils": [
            {"code": w.code, "name": w.name, "times": w.times, "worn_mm": r(w.worn_mm), "coming_mm": r(w.coming_mm), "reorder": w.short} for w in model.logbook.wear()
        ],
        "learned": list(account.learned(plan.pace, log, names)) if plan else [],
        "photos": [{"at": q.at, "file": f"{q.digest}{q.suffix}", "name": q.original_name, "before_step": q.step, "note": q.note} for q in model.logbook.shots()],
        "log": [{k: getattr(q, k) for k in ("at", "area_name", "surface_id", "role", "pencil", "pressure", "minutes", "guess_min", "state", "differs", "note")} for q in log],
    }  # fmt: skip


class RecordWriters(FileWriter):
    """Files of the weeks between the order and the delivery."""

    @property
    def all(self) -> list[tuple[str, Callable[[], object]]]:
        """Words and acts, for the menu."""
        return [
            ("Write: bench book", self.bench_book),
            ("Write: approval sheet for the client", self.approval),
            ("Write: record for the client’s file", self.record_pdf),
            ("Write: record as JSON", self.record_json),
            ("Write: log as CSV", self.log_csv),
            ("Write: everything as a bundle", self.bundle),
        ]

    def bench_book(self) -> None:
        """The sessions to come as a book for the bench."""
        from hanabira.sheets.bench_book import write_bench_book

        model = self.desk.model
        plan = model.planner.planned()
        if plan is None:
            self.desk.say("There is no plan to print yet.", "Nothing was written.", "Solve the layers of an area first.")
            return
        missing = self.desk.unmeasured()
        if missing:
            self.desk.say(f"“{missing}” is not measured yet.", "Nothing was written.", "Wait a moment, then write the book again.")
            return
        target = self._ask(".pdf", "bench book")
        if target is not None:
            book = replace(book_of(model, plan), card=card_content(model))
            self._run("Writing the bench book", lambda token: write_bench_book(book, target, token), True)

    def approval(self) -> None:
        """What the client agrees to, on one page."""
        from hanabira.sheets.approval import write_approval

        model = self.desk.model
        if model.photo is None or model.view is None:
            self.desk.say("There is no photo to approve yet.", "Nothing was written.", "Add the client’s photo first.")
            return
        target = self._ask(".pdf", "for approval")
        if target is None:
            return
        plan = model.planner.planned()
        picture = sheet_picture(model)
        assert picture is not None
        empty = approval_of(model, plan, ())

        def work(token: Token) -> Path:
            h, w = picture.shape[:2]
            m = measure(picture, rectangle(0, 0, w, h), None, None, hair=False, token=token)
            shades = [(q.lab, q.name) for q in sorted(m.palette, key=lambda q: -q.share)[:7]]
            return write_approval(replace(empty, palette=shades), target)

        self._run("Writing the approval sheet", work, True)

    def record_pdf(self) -> None:
        """The record for the client's file."""
        from hanabira.sheets.record import Record, RecordRow, write_record

        model = self.desk.model
        c, log, shots = model.commission, model.logbook.rows(), model.logbook.shots()
        target = self._ask(".pdf", "record")
        if target is None or c is None:
            return
        kit, plan = model.kit, model.planner.planned()
        known = lambda code: kit.masstone_lab[kit.index[code]] if code in kit.index else None  # noqa: E731
        rows = []
        for q in log:
            t = datetime.datetime.fromisoformat(q.at)
            name = f"{q.pencil} {kit.get(q.pencil).name}" if q.pencil in kit.index else q.pencil
            what = name + (f", pressure {q.pressure}" if q.pressure else "")
            took = f"{q.minutes:.0f} min" if q.state == "done" else {"skipped": "left out"}.get(q.state, q.state)
            remark = " ".join(v for v in (q.differs, f"“{q.note}”" if q.note else "") if v)
            rows.append(
                RecordRow(f"{t.day} {t:%b} {t:%H:%M}", f"{q.area_name or 'The whole'}, {q.role}", known(q.pencil), what, took, remark)
            )
        areas = account.by_area(plan.ordered.steps, log) if plan else ()
        hours = [(f"{a.number} {a.name}", f"{a.taken / 60:.1f} h", f"{a.low / 60:.1f}–{a.high / 60:.1f} h") for a in areas]
        hours.append(
            (
                "All together",
                f"{sum(q.minutes for q in log if q.state == 'done') / 60:.1f} h",
                f"{sum(a.low for a in areas) / 60:.1f}–{sum(a.high for a in areas) / 60:.1f} h",
            )
        )
        pencils = [
            (known(w.code), f"{w.code} {w.name}", f"{w.times} layer{'' if w.times == 1 else 's'}, {w.worn_mm:.1f} mm of barrel")
            for w in model.logbook.wear()
            if w.times
        ]
        learned = account.learned(plan.pace, log, {k: q.name for k, q in surfaces().items()}) if plan else ()
        facts = [q for q in order_facts(model) if q[0] != "School"]
        if c.delivered:
            facts.append(("Delivered", spoken_date(c.delivered).removeprefix("due ")))
        title, line, page, store = c.name, title_line(model), model.settings.get("card_paper"), model.store

        def work(token: Token) -> Path:
            photos = []
            for k, s in enumerate(shots):
                token.report(0.3 * k / max(1, len(shots)), f"Opening {s.original_name}")
                t = datetime.datetime.fromisoformat(s.at)
                photos.append(
                    (
                        shot_pixels(store, s, token),
                        f"{t.day} {t:%B %Y}, {t:%H:%M}" + (f". {s.note}" if s.note else "") + ("" if store.holds(s) else ". Its file is lost."),
                    )
                )
            return write_record(Record(title, line, facts, photos, hours, pencils, rows, learned, page), target, token)

        self._run("Writing the record", work, True)

    def record_json(self) -> None:
        """The record as JSON."""
        target = self._ask(".json", "record")
        if target is not None:
            text = json.dumps(record_data(self.desk.model), ensure_ascii=False, indent=1)
            self._run("Writing the record", lambda _t: write_file(target, text))

    def log_csv(self) -> None:
        """The log as CSV."""
        target = self._ask(".csv", "log")
        if target is not None:
            text = log_csv(self.desk.model.logbook.rows())
            self._run("Writing the log", lambda _t: write_file(target, text))

    def bundle(self) -> None:
        """Everything of the commission in one open file."""
        c, store = self.desk.model.commission, self.desk.model.store
        target = self._ask(".zip", "bundle")
        if target is not None and c is not None:
            self._run("Writing the bundle", lambda token: write_bundle(store, c.id, target, token))
