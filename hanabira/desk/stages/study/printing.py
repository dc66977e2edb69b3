"""True-size prints and the printer's tone, from the bench card of Study."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from hanabira.core.faults import Fault
from hanabira.core.study.printer import WedgeReading, correction, tone
from hanabira.desk.controls import Caption, Number, PetalButton, Pick, Words, label, row
from hanabira.desk.theme import u

if TYPE_CHECKING:
    from hanabira.core.token import Token
    from hanabira.desk.stages.study.stage import StudyStage

FIRST_GUESS = (3.0, 8.0, 12.0, 16.0, 20.0)
"""Where the fields of the wedge stand before it was read."""


def reading_of(s: StudyStage) -> WedgeReading | None:
    """What was read off the wedge, if it makes sense."""
    kept = s.session.settings.get("printer")
    if len(kept) != 5:
        return None
    return WedgeReading(kept[0], (kept[1], kept[2], kept[3]), kept[4])


def parts(s: StudyStage) -> list:
    """Card parts: print at true size, the wedge and its reading."""
    from hanabira.sheets.true_size import tiles

    c, page = s.session.commission, s.session.settings.get("card_paper")
    assert c is not None
    lying, sheets = tiles(c.picture_mm, page)
    paper = Pick("Printer’s paper", (("A4", "A4"), ("Letter", "Letter")), page)
    paper.picked.connect(lambda key: s.set_grid("card_paper", key))
    n = len(sheets)
    photo, lines = PetalButton("Print the photo", "sheet"), PetalButton("Lines only", "loop")
    photo.setToolTip("The picture at true size with the grid, if it is shown")
    lines.setToolTip("Grid, outlines, markings and hair direction to trace, without the photo")
    photo.clicked.connect(lambda _=False: print_true_size(s, True))
    lines.clicked.connect(lambda _=False: print_true_size(s, False))
    out: list = [
        Caption("Print at true size"),
        paper,
        Words(
            f"{n} sheet{'s' if n > 1 else ''} {'lying' if lying else 'upright'}"
            + (", overlapping by 10 mm with marks to glue by." if n > 1 else ".")
        ),
        row(photo, lines, None),
        Caption("Tone of your printer", "how measured"),
    ]
    out[-1].opened.connect(lambda: s.desk.explain("printer"))
    reading = reading_of(s)
    out.append(
        Words(
            "Corrected by your reading of the wedge."
            if reading
            else "Not corrected yet. Print the grey wedge, look, and type the five steps."
        )
    )
    wedge = PetalButton("Print the grey wedge", "sheet")
    wedge.clicked.connect(lambda _=False: print_wedge(s))
    out.append(row(wedge, None))
    values = s.session.settings.get("printer")
    values = values if len(values) == 5 else list(FIRST_GUESS)
    fields = []
    for k, name in enumerate(("First dark step", "Like A", "Like B", "Like C", "Last light step")):
        q = Number()
        q.setAccessibleName(name)
        q.setRange(1, 21)
        q.setSingleStep(0.5)
        q.setDecimals(1)
        q.setValue(values[k])
        q.setMaximumWidth(u(92))
        fields.append(q)
        out.append(row(label(name), None, q))
    take, plain = PetalButton("Use this reading", "loupe"), PetalButton("No correction", "night")
    take.clicked.connect(lambda _=False: keep(s, [q.value() for q in fields]))
    plain.clicked.connect(lambda _=False: keep(s, []))
    out.append(row(take, plain, None))
    return out


def keep(s: StudyStage, values: list[float]) -> None:
    """Keep a reading, or none; one that cannot be is said and not kept."""
    if values:
        try:
            tone(WedgeReading(values[0], (values[1], values[2], values[3]), values[4]))
        except Fault as fault:
            s.session.messages.fault(fault)
            return
    s.session.settings.set("printer", values)
    s.refresh()


def print_wedge(s: StudyStage) -> None:
    """Write the grey wedge and open it."""
    from hanabira.sheets.true_size import write_wedge

    target = s.desk.ask_target("grey wedge.pdf")
    if target is not None:
        page = s.session.settings.get("card_paper")
        s.session.jobs.run(
            "wedge", "Writing the grey wedge", lambda _t: write_wedge(target, page), lambda done: _written(s, done), lasting=True
        )


def print_true_size(s: StudyStage, with_photo: bool) -> None:
    """Write the true-size sheets and open them."""
    from hanabira.session.tracing import true_size_content
    from hanabira.sheets.true_size import write_true_size

    c, photo, view = s.session.commission, s.session.photo, s.session.view
    if c is None or photo is None or view is None:
        s.desk.say("There is no photo to print yet.", "Nothing was written.", "Add the client’s photo first.")
        return
    target = s.desk.ask_target(f"{c.name} true size.pdf")
    if target is None:
        return
    reading = reading_of(s)
    table = correction(tone(reading)) if reading else None
    grid = s.grid if s.grid_on or not with_photo else None
    content = true_size_content(s.session, grid, with_photo, table)

    def work(token: Token) -> Path:
        return write_true_size(content(token), target, token)

    s.session.jobs.run("true size", "Writing the true-size sheets", work, lambda done: _written(s, done), lasting=True)


def _written(s: StudyStage, path: Path) -> None:
    s.session.messages.remark(f"Written: {path}")
    s.desk.open_file(path)
