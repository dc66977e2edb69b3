"""The log on the bench beside the easel: timeline, hours, pencils, what lies on a touched place, and files of it."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QLineEdit, QWidget

from hanabira.core.solver.layer import Layer, goes_over
from hanabira.craft.supplies import surfaces
from hanabira.desk.cards import hour_bars, wear_words
from hanabira.desk.controls import Caption, Choice, Number, Pick, Stepper, Words, act_button, form, label, row
from hanabira.desk.images import wrap
from hanabira.desk.widgets.timeline import Timeline
from hanabira.session.easel import deliver
from hanabira.studio import account

if TYPE_CHECKING:
    from hanabira.core.schedule.plausible import Doubt
    from hanabira.desk.stages.easel.stage import EaselStage
    from hanabira.studio.records import LogRow

TABS = (("log", "Log"), ("hours", "Hours"), ("pencils", "Pencils"), ("here", "Used here"), ("write", "Files"))
CAMERAS = (("file", "a file"), ("folder", "a folder"), ("simulated", "simulated camera"))


def fill(s: EaselStage) -> None:
    """Bring the bench up to date."""
    bench, log = s.desk.bench, s.session.logbook.rows()
    taken = account.taken(log)
    shots = len(s.session.logbook.shots())
    line = f"{sum(r.state == 'done' for r in log)} steps done · {taken / 60:.1f} h at work · {shots} photo{'' if shots == 1 else 's'}"
    bench.head.set("", "The log", line)
    pick = Pick("What the card shows", TABS, s.tab)
    pick.picked.connect(s.show_tab)
    body = {"log": _log, "hours": _hours, "pencils": _pencils, "here": _here, "write": _write}[s.tab]
    bench.set_parts([pick, *body(s, log)])


def _log(s: EaselStage, log: tuple[LogRow, ...]) -> list[QWidget]:
    out: list[QWidget] = []
    for words in s.card.hidden_words:
        out.append(Words(words, "small", "ink"))
    book, kit = s.session.logbook, s.session.kit
    if not log and not book.shots():
        return [*out, Words("Nothing yet. Press Enter when the step is done; the clock runs while this stage is open.")]
    colour = lambda code: kit.masstone_lab[kit.index[code]] if code in kit.index else None  # noqa: E731
    timeline = Timeline(
        log, book.shots(), colour, lambda q: None if (small := book.thumb(q)) is None else wrap(small), s.row_id or s.shot_id, True
    )
    timeline.shot_wanted.connect(s.show_shot)
    timeline.row_wanted.connect(s.choose_row)
    for doubt in book.doubts()[:3]:
        out += _doubt_card(s, doubt)
    row_ = next((r for r in log if r.id == s.row_id), None)
    if row_ is not None:
        out += _row_card(s, row_)
    out.append(timeline)
    chosen = next((q for q in book.shots() if q.id == s.shot_id), None)
    if chosen is not None:
        out.insert(0, act_button("Take this photo out of the log", "crumple", lambda: book.drop_shot(chosen)))
    return out


def _doubt_card(s: EaselStage, doubt: Doubt) -> list:
    """Rows whose minutes teach nothing until the artist says what they really took."""
    n = len(doubt.rows)
    planned = f"planned about {doubt.guess:.0f} min"
    words = {
        "burst": f"These {n} steps were ticked off together ({doubt.minutes:.1f} min by the clock, {planned}). What did they take?",
        "long": f"One step took {doubt.minutes / 60:.1f} hours by the clock, {planned}. Did the clock run on?",
        "short": f"One step took {60 * doubt.minutes:.0f} seconds by the clock, {planned}. What did it take?",
    }[doubt.kind]
    minutes = Number()
    minutes.setAccessibleName("Minutes they really took")
    minutes.setRange(0.5, 6000)
    minutes.setDecimals(0)
    minutes.setSuffix("\u2009min")
    minutes.setValue(max(1.0, round(doubt.guess)))
    keep = act_button(
        "They took",
        "petal",
        lambda: s.session.logbook.set_minutes(doubt, minutes.value()) and s.refresh(),
        "Shared out by the plan; the pace learns from them",
    )
    return [Words(words, "small", "ink"), row(keep, minutes, None), Words("Until then they teach the pace nothing.")]


def _row_card(s: EaselStage, r: LogRow) -> list:
    """A row of the log, to be set right: what was forgotten at the easel."""
    kit = s.session.kit
    fields = form()
    if r.state == "done":
        minutes = Number()
        minutes.setAccessibleName("Minutes of the row")
        minutes.setRange(0, 600)
        minutes.setDecimals(1)
        minutes.setSuffix("\u2009min")
        minutes.setKeyboardTracking(False)
        minutes.setValue(r.minutes)
        minutes.valueChanged.connect(lambda v: s.change_row(r, minutes=round(v, 1)))
        fields.addRow(label("Took"), minutes)
        if r.pencil in kit.index:
            pencil = Choice()
            pencil.setAccessibleName("Pencil of the row")
            for p in kit:
                pencil.addItem(f"{p.code} {p.name}", p.code)
            pencil.setCurrentIndex(pencil.findData(r.pencil))
            pencil.activated.connect(lambda _i: s.change_row(r, pencil=pencil.currentData()))
            fields.addRow(label("Pencil"), pencil)
            pressure = Stepper("Pressure of the row", 1, 5, r.pressure, "pressure")
            pressure.changed.connect(lambda n: s.change_row(r, pressure=n))
            fields.addRow(label("Pressed"), pressure)
    note = QLineEdit(r.note)
    note.setAccessibleName("Note of the row")
    note.setMaxLength(400)
    note.editingFinished.connect(lambda: s.change_row(r, note=note.text().strip()))
    fields.addRow(label("Note"), note)
    return [Caption(f"{r.area_name or 'The whole'}, {r.role}: set it right"), fields]


def _hours(s: EaselStage, log: tuple[LogRow, ...]) -> list[QWidget]:
    out = hour_bars(s.session, log)
    plan = s.session.planner.planned()
    if plan is not None:
        names = {k: q.name for k, q in surfaces().items()}
        learned = account.learned(plan.pace, log, names)
        out.append(Caption("What was learned"))
        out += [Words(q, "small", "ink") for q in learned] or [Words("Our guess so far; your log will correct it.")]
    return out


def _pencils(s: EaselStage, _log_: tuple[LogRow, ...]) -> list[QWidget]:
    note = "In millimetres of barrel, by the film that is laid; good to about half as much again."
    return [Caption("Pencils used and worn"), Words(note), *wear_words(s.session)]


def _here(s: EaselStage, log: tuple[LogRow, ...]) -> list[QWidget]:
    area = next((a for a in s.session.areas if a.id == s.touched), None)
    if area is None:
        return [Words("Touch any place of the picture to read what lies there.")]
    mine = [r for r in log if r.area_id == area.id and r.state == "done"]
    kit, layers = s.session.kit, s.session.recipe_layers(area.id)
    band = _band(s, area.id)
    out: list[QWidget] = [Caption(f"On {area.name}, the last layer on top")]
    if not mine:
        return [*out, Words("Nothing has been laid here yet.")]
    here = [r for r in mine if band is None or _reaches(layers, r.step, band)]
    if band is not None:
        out.append(
            Words(
                f"This spot is {_spot_words(s, area.id, band)} (L* {s.touched_l:.0f} in the photo): {len(here)} of {len(mine)} layers lie on it.",
                "body",
                "ink",
            )
        )
    colour = lambda code: kit.masstone_lab[kit.index[code]] if code in kit.index else None  # noqa: E731
    out.append(Timeline(here, (), colour, lambda _s: None))
    beside = [r for r in mine if r not in here]
    if beside:
        out += [Caption("In the same area, but not on this spot"), *(Words(f"{r.role}: {r.pencil}") for r in beside)]
    left = len(layers) - len({r.step for r in mine})
    out.append(Words(f"{left} layer{'' if left == 1 else 's'} of its recipe to come." if left > 0 else "Its recipe is complete."))
    return out


BAND_WORDS = {"gap": "a gap", "general": "of the general colour", "light": "a light", "highlight": "a highlight"}


def _band(s: EaselStage, key: str) -> str | None:
    """Which of the area's places or bands the touched spot belongs to; None while it is not measured."""
    m = s.session.measures(key)
    if m is None or s.touched_l is None:
        return None
    places = s.session.places(key) if s.session.by_places(key) else None
    if places is not None and s.touched_at is not None:
        (x, y), (left, top) = s.touched_at, places.origin
        i, j = int((y - top) / places.scale), int((x - left) / places.scale)
        h, w = places.labels.shape
        number = int(places.labels[i, j]) if 0 <= i < h and 0 <= j < w else 0
        return places.all[number - 1].id if number else None
    lims = m.values.limits
    if s.touched_l > lims["light"][1]:
        return "highlight"
    cuts = ((lims["gap"][1] + lims["general"][0]) / 2, (lims["general"][1] + lims["light"][0]) / 2)
    return "gap" if s.touched_l < cuts[0] else "general" if s.touched_l < cuts[1] else "light"


def _spot_words(s: EaselStage, key: str, band: str) -> str:
    places = s.session.places(key) if s.session.by_places(key) else None
    found = places.get(band) if places is not None else None
    return f"on the {found.name}" if found is not None else BAND_WORDS[band]


def _reaches(layers: Sequence[Layer], step: str, band: str) -> bool:
    found = next((q for q in layers if q.id == step.rpartition(":")[2]), None)
    return found is None or goes_over(found, band)


def _write(s: EaselStage, _log_: tuple[LogRow, ...]) -> list[QWidget]:
    w = s.desk.records
    camera = Pick("Photos of the work come from", CAMERAS, s.session.settings.get("camera"))
    camera.picked.connect(s.choose_camera)
    folder = s.session.settings.get("camera_folder")
    out: list = [Caption("Photos of the work come from"), camera]
    if s.session.settings.get("camera") == "folder":
        out.append(Words(f"Watched: {folder}" if folder else "No folder is chosen yet."))
        out.append(row(act_button("Choose the folder", "find", lambda: _folder(s)), None))
    out += [
        Caption("Write the record"),
        row(act_button("Record as PDF", "sheet", w.record_pdf, "Photos, hours, layers and pencils for the client’s file"), None),
        row(act_button("Log as CSV", "write", w.log_csv), act_button("Record as JSON", "write", w.record_json), None),
        row(act_button("Everything as a bundle", "write", w.bundle, "Photos, areas, recipes and log in one open file"), None),
    ]
    c = s.session.commission
    if c is not None:
        if c.delivered:
            day = datetime.date.fromisoformat(c.delivered)
            out += [
                Caption("Delivery"),
                Words(f"Delivered on {day.day} {day:%B %Y}."),
                row(act_button("Not delivered after all", "back", lambda: deliver(s.session, "")), None),
            ]
        else:
            today = s.session.clock.today().isoformat()
            out += [Caption("Delivery"), row(act_button("Delivered today", "petal", lambda: deliver(s.session, today)), None)]
    return out


def _folder(s: EaselStage) -> None:
    if s.desk.camera.choose_folder():
        s.refresh()
