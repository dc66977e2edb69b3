"""What the sheets of a commission's weeks hold: bench book, approval sheet, the record for the client's file."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array, lab_to_bytes
from hanabira.core.colour.words import colour_name, value_step
from hanabira.core.faults import PhotoFault
from hanabira.core.optics.stack import bare
from hanabira.core.progress.expected import wanted_picture
from hanabira.core.schedule.order import RECIPE_ORDER, Step
from hanabira.craft.rules import switches
from hanabira.craft.safety import SHEET, step_cautions, words_for
from hanabira.craft.supplies import papers, surfaces
from hanabira.session.check_subject import subject_of
from hanabira.session.dates import day_words
from hanabira.session.price import price_words
from hanabira.session.recipe_card import ground_name
from hanabira.session.sender import sender
from hanabira.session.words import due_words, hours_words, likeness_marks, span, step_words, stroke_words, with_words
from hanabira.sheets.approval import EYE_MM, Approval
from hanabira.sheets.bench_book import Book, BookDay, BookStep, Ready
from hanabira.sheets.record import Record, RecordRow
from hanabira.studio import account

if TYPE_CHECKING:
    from hanabira.core.token import Token
    from hanabira.session.planner import Planned
    from hanabira.session.session import Session
    from hanabira.studio.records import Shot
    from hanabira.studio.store import Store

RECORD_FORMAT = "hanabira record 1"
_SIDE, _FORECAST_PX_MM = 1600, 6.0
NOOK_MM2 = 350.0


def order_facts(session: Session) -> list[tuple[str, str]]:
    """What was ordered: names and values."""
    c = session.commission
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
        ("Medium", session.kit.name),
        ("School", "; ".join(told)),
        ("Likeness", c.notes),
        ("Accessories", c.terms.accessories),
        ("Delivery", c.terms.delivery),
    ]


def title_line(session: Session) -> str:
    """Animal, client and dates in one line."""
    c = session.commission
    assert c is not None
    return " · ".join(q for q in (c.animal, f"for {c.client}" if c.client else "", due_words(c.due) if c.due else "") if q)


def shot_pixels(store: Store, shot: Shot, token: Token) -> np.ndarray:
    """A photo of the work for a sheet; grey where its file is lost, for the rest of the record must not wait for it."""
    try:
        return store.read_photo(shot, _SIDE, token).pixels
    except PhotoFault:
        return np.full((30, 40, 3), 143, np.uint8)


def sheet_picture(session: Session) -> np.ndarray | None:
    """What of the prepared photo lies on the sheet, (H, W, 3) uint8."""
    photo, view = session.photo, session.view
    if photo is None or view is None:
        return None
    return view.sheet_crop(photo.crop, _SIDE)


def book_of(session: Session, plan: Planned) -> Book:
    """The bench book's content: sessions that are still to come."""
    kit, done = session.kit, session.planner.done_keys()
    number = {s.key: n for n, s in enumerate(plan.ordered.steps, 1)}
    known = lambda code: kit.masstone_lab[kit.index[code]] if code in kit.index else None  # noqa: E731

    def line(s: Step, part: bool) -> BookStep:
        name = step_words(s)
        pencil = with_words(s, kit)
        stroke = stroke_words(s.layer.stroke, s.layer.stroke_mm, s.layer.laid)
        passes = f", {s.layer.passes} passes" if s.layer.passes > 1 else ""
        how = f"pressure {s.layer.pressure}{passes}, {stroke}, {s.layer.where}" if s.layer.pencil else s.layer.where
        minutes = span(s.low, s.high) + (", goes on" if part else "")
        reason = plan.ordered.reasons[s.key]
        why = " ".join((*plan.ordered.reminders.get(s.key, ()), *(() if reason == RECIPE_ORDER else (reason,))))
        return BookStep(number[s.key], name, pencil, known(s.layer.pencil), how, minutes, why)

    by_day: dict[datetime.date, list[Any]] = {}
    for q in plan.calendar.placed:
        if q.step.key not in done:
            by_day.setdefault(q.start.date(), []).append(q)
    days = []
    for day, qs in by_day.items():
        steps = list({q.step.key: line(q.step, q.part) for q in qs}.values())
        days.append(BookDay(day, f"{qs[0].start:%H:%M} to {qs[-1].end:%H:%M}", steps))
    ready = [
        Ready(f"{w.code} {w.name}", known(w.code), f"{w.coming_mm:.1f} mm of {w.left_mm:.0f} mm", w.short)
        for w in session.logbook.wear()
        if w.coming_mm > 0
    ]
    words: dict[str, None] = {}
    for s in plan.ordered.steps:
        if s.key not in done:
            pencil = kit.get(s.layer.pencil) if s.layer.pencil in kit.index else None
            words.update(dict.fromkeys(step_cautions(s.layer.tool, s.layer.role, pencil)))
    words.update(dict.fromkeys(words_for("break")))
    words.pop(SHEET, None)
    due = plan.due
    slack = plan.calendar.slack_days(due)
    order = [*order_facts(session), ("Hours", hours_words(plan.left(done)))]
    if session.planner.covering().words and not session.planner.covering().whole:
        order.append(("Planned", session.planner.covering().words))
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
    c = session.commission
    assert c is not None
    return Book(
        c.name, title_line(session), sheet_picture(session), facts=order, days=days, ready=ready, waits=list(dict.fromkeys(waits)),
        cautions=[*words, SHEET], page=session.settings.get("card_paper"), sender=sender(session.settings),
    )


def approval_of(session: Session) -> Callable[[Token], Approval]:
    """The approval sheet's content; the returned work, which paints the forecast, may run off the interface thread."""
    c, picture, photo, view, plan = session.commission, sheet_picture(session), session.photo, session.view, session.planner.planned()
    assert c is not None and picture is not None and photo is not None and view is not None
    facts = [q for q in order_facts(session) if q[0] not in ("School", "Likeness")]
    facts.append(("Ready", day_words(datetime.date.fromisoformat(c.due)) if c.due else "to be agreed"))
    terms = []
    if plan is not None and c.terms.rate > 0:
        price, parts = price_words(session, plan)
        terms.append(f"Price: {price}, {parts}. The range covers {hours_words(plan.left())} of work.")
        if not session.planner.covering().whole:
            terms.append(session.planner.covering().words)
    terms.append(
        "The photographs are used for this portrait with their owner’s permission."
        if c.terms.photo_permission
        else "The client confirms that the photographs may be used for this portrait."
    )
    terms.append("Changes after this day are agreed anew, with their time and price.")
    planned = [a.id for a in session.areas if session.recipe_layers(a.id)]
    subject = subject_of(session) if planned else None
    words = "How it will look on the paper, as forecast" if len(planned) == len(session.areas) else (
        f"How it will look on the paper, as forecast: {len(planned)} of {len(session.areas)} areas are planned, the rest is bare"
    )  # fmt: skip
    eye = next((a for a in session.areas if a.surface_id == "eye"), None)
    line = medium_line(session)
    size = (view.size[0], view.size[1])
    whole = Approval(
        c.name, line, picture, facts=facts, colours=tuple(_coat_colours(session)), terms=terms, client=c.client,
        day=day_words(session.clock.today()), size=f"{c.width_mm:.0f} × {c.height_mm:.0f} mm", forecast=None, forecast_words=words, eye=None,
        eye_mm=EYE_MM, likeness=tuple(likeness_marks(c.notes)), sender=sender(session.settings), page=session.settings.get("card_paper"),
    )  # fmt: skip

    def work(token: Token) -> Approval:
        out = whole
        if subject is not None:
            measured = subject.measured(token)
            token.report(0.4, "Painting the forecast")
            sheet = measured.sheet(_FORECAST_PX_MM)
            painted = lab_to_bytes(wanted_picture(sheet, measured.expected(), np.asarray(bare(subject.paper).lab), final=True))
            mended, holes = _without_nooks(painted, [a.inside for a in sheet.areas])
            out = replace(out, forecast=mended, forecast_words=f"{words}; what is white inside lies in no area yet" if holes else words)
        if eye is not None:
            middle, side = np.mean(eye.ring, 0), EYE_MM
            times = photo.crop[2] / (c.width_mm - 2 * c.border_mm)  # photo pixels a millimetre
            if out.forecast is not None and eye.id in planned:
                x, y = ((float(v) - o) / times + c.border_mm for v, o in zip(middle, photo.crop[:2], strict=True))
                k = _FORECAST_PX_MM
                out = replace(out, eye=_cut(out.forecast, ((x - side / 2) * k, (y - side / 2) * k, side * k, side * k)))
            else:
                pixels = view.preview(_SIDE)
                k = pixels.shape[1] / size[0]
                x, y, wide = float(middle[0]) * k, float(middle[1]) * k, side * times * k
                out = replace(out, eye=_cut(pixels, (x - wide / 2, y - wide / 2, wide, wide)))
        return out

    return work


def _without_nooks(painted: np.ndarray, inside: Sequence[np.ndarray]) -> tuple[np.ndarray, bool]:
    """The forecast with the small bare nooks between drawn areas taken over from beside them: no portrait is delivered with holes where three areas meet.

    Only what lies wholly between areas and is smaller than `NOOK_MM2`; larger bare paper stays bare, as the plan has it, and it is told whether there is any.
    """
    bare_paper = (~np.any(inside, axis=0)).astype(np.uint8)
    count, labels, stats, _middles = cv2.connectedComponentsWithStats(bare_paper, connectivity=4)
    small = [k for k in range(1, count) if stats[k, cv2.CC_STAT_AREA] < NOOK_MM2 * _FORECAST_PX_MM**2]
    h, w = labels.shape
    within = [
        k
        for k in range(1, count)
        if stats[k, 0] > 0 and stats[k, 1] > 0 and stats[k, 0] + stats[k, 2] < w and stats[k, 1] + stats[k, 3] < h
    ]
    holes = any(k not in small for k in within)
    nooks = np.isin(labels, small) & (bare_paper > 0)
    if not nooks.any():
        return painted, holes
    grown = cv2.dilate(nooks.astype(np.uint8), np.ones((5, 5), np.uint8))
    return np.asarray(cv2.inpaint(np.ascontiguousarray(painted), grown, 9, cv2.INPAINT_TELEA)), holes


def medium_line(session: Session) -> str:
    """What is drawn, and in what."""
    medium, c = "pastel" if any(p.binder == "pastel" for p in session.kit) else "coloured pencil", session.commission
    return f"A portrait of your {c.animal} in {medium}" if c is not None and c.animal else f"A portrait in {medium}"


def _cut(pixels: np.ndarray, box: Sequence[float]) -> np.ndarray:
    """A box (x, y, width, height) of a picture; what lies outside it is white."""
    x, y, w, h = box
    shape = (max(1, round(w)), max(1, round(h)))
    move = np.array([[shape[0] / w, 0, -x * shape[0] / w], [0, shape[1] / h, -y * shape[1] / h]])
    return np.asarray(cv2.warpAffine(pixels, move, shape, flags=cv2.INTER_AREA, borderValue=(255, 255, 255)))


def _coat_colours(session: Session) -> list[tuple[Array, str, str]]:
    """The general colour of the largest areas that were measured, from light to dark, with area, colour and value step."""
    known = [
        (a, m)
        for a in session.areas
        if (m := session.measures(a.id)) is not None and a.surface_id not in ("eye", "nose") and not m.clipping.unknown
    ]
    largest = sorted(known, key=lambda q: -(q[1].mm2 or 0.0))[:6]
    out = [(np.asarray(m.values.band_lab["general"], float), a.name) for a, m in largest]
    return [(lab, name, f"{colour_name(lab)} · step {value_step(float(lab[0]))}") for lab, name in sorted(out, key=lambda q: -q[0][0])]


def record_data(session: Session) -> dict[str, Any]:
    """The record as plain data; keys as documented in docs/formats.md."""
    c, plan, log = session.commission, session.planner.planned(), session.logbook.rows()
    assert c is not None
    first = session.logbook.first_plan()
    areas = account.by_area(plan.ordered.steps, log, first) if plan else ()
    days = account.by_day(first.days, log) if first else ()
    names = {k: q.name for k, q in surfaces().items()}
    r = lambda v: round(v, 2)  # noqa: E731
    near = session.checkroom.nearness()
    return {
        "format": RECORD_FORMAT, "commission": c.name, "client": c.client, "animal": c.animal, "due": c.due, "delivered": c.delivered or None,
        "order": {k.lower(): v for k, v in order_facts(session) if v},
        "hours": {
            "taken": r(account.taken(log) / 60),
            "areas": [
                {"number": a.number, "name": a.name, "steps": a.steps, "done": a.done, "planned": [r(a.low / 60), r(a.high / 60)], "taken": r(a.taken / 60)} for a in areas
            ],
            "days": [{"date": d.day.isoformat(), "taken": r(d.taken / 60), "planned": r(d.planned / 60)} for d in days],
        },
        "pencils": [
            {"code": w.code, "name": w.name, "times": w.times, "worn_mm": r(w.worn_mm), "coming_mm": r(w.coming_mm), "reorder": w.short} for w in session.logbook.wear()
        ],
        "nearness": [
            {"number": a.number, "name": a.name, "de00": near[a.id]} for a in session.areas if a.id in near
        ],
        "learned": list(account.learned(plan.pace, log, names)) if plan else [],
        "photos": [{"at": q.at, "file": f"{q.digest}{q.suffix}", "name": q.original_name, "before_step": q.step, "note": q.note} for q in session.logbook.shots()],
        "log": [{k: getattr(q, k) for k in ("at", "area_name", "surface_id", "role", "pencil", "pressure", "minutes", "guess_min", "state", "differs", "note")} for q in log],
    }  # fmt: skip


def record_of(session: Session) -> Callable[[Token], Record]:
    """The record's content; the returned work, which opens the photos, may run off the interface thread."""
    c, log, shots = session.commission, session.logbook.rows(), session.logbook.shots()
    assert c is not None
    kit, plan = session.kit, session.planner.planned()
    known = lambda code: kit.masstone_lab[kit.index[code]] if code in kit.index else None  # noqa: E731
    rows = []
    for q in log:
        t = datetime.datetime.fromisoformat(q.at)
        name = f"{q.pencil} {kit.get(q.pencil).name}" if q.pencil in kit.index else q.pencil
        what = name + (f", pressure {q.pressure}" if q.pressure else "")
        took = f"{q.minutes:.0f} min" if q.state == "done" else {"skipped": "left out"}.get(q.state, q.state)
        remark = " ".join(v for v in (q.differs, f"“{q.note}”" if q.note else "") if v)
        rows.append(RecordRow(f"{t.day} {t:%b} {t:%H:%M}", f"{q.area_name or 'The whole'}, {q.role}", known(q.pencil), what, took, remark))
    areas = account.by_area(plan.ordered.steps, log, session.logbook.first_plan()) if plan else ()
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
        for w in session.logbook.wear()
        if w.times
    ]
    learned = account.learned(plan.pace, log, {k: q.name for k, q in surfaces().items()}) if plan else ()
    facts = [q for q in order_facts(session) if q[0] != "School"]
    near = session.checkroom.nearness()
    if near:
        parts = [f"{a.name} {near[a.id]:.1f}" for a in session.areas if a.id in near]
        facts.append(("How near", f"ΔE00 from the plan by the last photo that read each area: {', '.join(parts)}"))
    if c.delivered:
        facts.append(("Delivered", day_words(datetime.date.fromisoformat(c.delivered))))
    title, line, page, store = c.name, title_line(session), session.settings.get("card_paper"), session.store
    whose = sender(session.settings)

    def work(token: Token) -> Record:
        photos = []
        for k, s in enumerate(shots):
            token.report(0.3 * k / max(1, len(shots)), f"Opening {s.original_name}")
            t = datetime.datetime.fromisoformat(s.at)
            words = (
                f"{day_words(t.date())}, {t:%H:%M}" + (f". {s.note}" if s.note else "") + ("" if store.holds(s) else ". Its file is lost.")
            )
            photos.append((shot_pixels(store, s, token), words))
        return Record(
            title, line, facts, photos=photos, hours=hours, pencils=pencils, rows=rows, learned=learned, page=page, sender=whose,
        )

    return work
