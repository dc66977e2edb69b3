"""Reading swatches in the kit room: photo, file or instrument, correction by hand, fit."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QWidget

from hanabira.core.colour.difference import delta_e00
from hanabira.core.faults import Fault, KitFault
from hanabira.core.optics.fit import Fitted, fit_kit
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.stack import bare, predict
from hanabira.core.progress.strip import read_beside
from hanabira.core.swatch.layout import SCRAP_NUMBER, scrap_page, sheet
from hanabira.core.swatch.read import SheetReading, read_sheet
from hanabira.craft.supplies import paper
from hanabira.craft.swatchfile import parse_stack, parse_swatches, stack_text, swatch_rows, swatches_csv, with_grounds
from hanabira.desk.controls import Caption, Number, Words, label
from hanabira.desk.images import to_image
from hanabira.desk.theme import u
from hanabira.desk.widgets.sheet_view import SheetView, cell_corners
from hanabira.desk.widgets.tray import Strip
from hanabira.devices.colorimeter import SimulatedColorimeter, measure_cells
from hanabira.devices.scanner import Scanning, scan
from hanabira.devices.simulated_paper import SimulatedSheet
from hanabira.session.edits import EditKit
from hanabira.studio.pictures import read_picture

if TYPE_CHECKING:
    from hanabira.core.colour.spaces import Array
    from hanabira.core.token import Token
    from hanabira.desk.stages.kit.stage import KitRoom


@dataclass(frozen=True)
class ReadingRow:
    """A measured patch: its stack and ground as text, Lab, the flag it was read with, and whether it is used."""

    stack: str
    ground: str
    lab: tuple[float, float, float]
    flag: str = ""
    used: bool = True


class SheetReadingDesk(QObject):
    """Holds what was read until it is fitted; the kit room shows it."""

    def __init__(self, room: KitRoom) -> None:
        super().__init__(room)
        self.room = room
        self.view = SheetView()
        self.view.chosen_cell.connect(self._choose)
        self.rows: list[ReadingRow] = []
        self.at = 0
        self.grey_error: float | None = None

    @property
    def session(self):  # noqa: ANN201
        """The session behind the desk."""
        return self.room.session

    # -- sources ------------------------------------------------------------------
    def ask_photo(self) -> None:
        """Ask for a photo or scan of a filled sheet and read it."""
        path = self.room.desk.ask_open_path()
        if path:
            self.read_photo(path)

    def read_photo(self, path: str) -> None:
        """Read a filled sheet from a picture file."""

        def work(token: Token) -> tuple[np.ndarray, SheetReading, dict[str, tuple[float, float, float]]]:
            pixels = read_picture(path, None, token).pixels
            reading = self._read(pixels, kit, codes, white, token)
            strip = read_beside(pixels, kit, reading.power) if reading.power is not None and kit is self.session.kit else {}
            return pixels, reading, strip

        def done(got: tuple[np.ndarray, SheetReading, dict[str, tuple[float, float, float]]]) -> None:
            pixels, reading, strip = got
            self._take(pixels, reading)
            self._for_check(reading, strip, kit)

        kit, codes, white = self.room.kit, self.room.sheet_codes(), bare(self.session.paper).lab
        self.session.jobs.run("sheet", "Reading the swatch sheet", work, done)

    def _for_check(self, reading: SheetReading, strip: dict[str, tuple[float, float, float]], kit: Kit) -> None:
        """What Check knows better from now on: stacks of the open commission that were tried, and the check strip that lay beside the sheet."""
        room = self.session.checkroom
        if kit is self.session.kit and reading.page.number == SCRAP_NUMBER:
            places = room.keep_tried([(r.cell.layers, r.lab) for r in reading.cells if not r.flag])
            if places:
                self.session.messages.remark(f"{places} places of this commission are known from scrap: Check counts on them.")
        if strip:
            room.keep_strip(strip)
            self.session.messages.remark(f"The check strip beside the sheet was read: {len(strip)} of its patches are known.")

    def _read(self, pixels: np.ndarray, kit: Kit, codes: Sequence[str], white: Array, token: Token) -> SheetReading:
        page = self.session.settings.get("card_paper")
        pages = sheet(kit, codes, page)
        stacks = self.session.workshop.stacks() if kit is self.session.kit else ()
        if stacks:  # a scrap test of the open commission is read the same way
            pages.append(scrap_page(stacks, page))
        return read_sheet(pixels, pages, white, kit=kit, token=token)

    def simulate_scan(self) -> None:
        """The stand-in: fill every page by the simulated paper's own physics, photograph and read it."""
        kit, codes, page = self.room.kit, self.room.sheet_codes(), self.session.settings.get("card_paper")

        def work(token: Token) -> tuple[list[np.ndarray], list[SheetReading]]:
            paper_ = SimulatedSheet(kit)
            pages = sheet(kit, codes, page)
            photos, read = [], []
            for k, q in enumerate(pages):
                token.report(k / len(pages), f"Filling and scanning page {k + 1} of {len(pages)}")
                photo, _truth = scan(q, paper_, Scanning(px_per_mm=7.0, seed=3 + k))
                photos.append(photo)
                read.append(read_sheet(photo, pages, paper_.ground_lab("white"), kit=kit))
            return photos, read

        def done(got: tuple[list[np.ndarray], list[SheetReading]]) -> None:
            self.rows = []
            for photo, reading in zip(*got, strict=True):
                self._take(photo, reading, keep=True)
            self._show(got[0][0], got[1][0])

        self.session.jobs.run("sheet", "The simulated scanner fills and scans the sheet", work, done)

    def simulate_colorimeter(self) -> None:
        """The stand-in: measure every cell with the simulated instrument."""
        kit, codes = self.room.kit, self.room.sheet_codes()
        cells = [c for q in sheet(kit, codes, self.session.settings.get("card_paper")) for c in q.cells]

        def work(_token: Token) -> list[Array]:
            return measure_cells(SimulatedColorimeter(SimulatedSheet(kit), cells), cells)

        def done(labs: list[Array]) -> None:
            self.rows = [ReadingRow(stack_text(c.layers), c.ground, tuple(map(float, lab))) for c, lab in zip(cells, labs, strict=True)]  # type: ignore[arg-type]
            self.at, self.grey_error = 0, None
            self.view.image = None
            self.view.set_empty()
            self.room.show_reading()

        self.session.jobs.run("sheet", "Measuring with the colorimeter", work, done)

    def ask_file(self) -> None:
        """Read measured patches from a CSV or CGATS file."""
        path = self.room.desk.ask_kit_path()
        if not path:
            return
        try:
            rows = swatch_rows(path)
        except Fault as fault:
            self.session.messages.fault(fault)
            return
        self.rows = [ReadingRow(stack_text(layers), ground, lab) for _, layers, ground, lab in rows]
        self.at, self.grey_error = 0, None
        self.view.set_empty()
        self.room.show_reading()

    def _take(self, photo: np.ndarray, reading: SheetReading, keep: bool = False) -> None:
        fresh = [
            ReadingRow(stack_text(r.cell.layers), r.cell.ground, tuple(map(float, r.lab)), r.flag, not r.flag)  # type: ignore[arg-type]
            for r in reading.cells
        ]
        new = {(q.stack, q.ground) for q in fresh}
        self.rows = [q for q in self.rows if (q.stack, q.ground) not in new] + fresh
        self.grey_error = reading.grey_error
        if not keep:
            self._show(photo, reading)

    def _show(self, photo: np.ndarray, reading: SheetReading) -> None:
        step = max(1, max(photo.shape[:2]) // 1800)
        self._place = {(stack_text(r.cell.layers), r.cell.ground): k for k, r in enumerate(reading.cells)}
        corners = [cell_corners(r.cell.rect, reading.to_photo) for r in reading.cells]
        names = [f"{stack_text(r.cell.layers)} on {r.cell.ground}" for r in reading.cells]
        self.view.set(
            to_image(np.ascontiguousarray(photo[::step, ::step])),
            (photo.shape[1], photo.shape[0]),
            corners,
            [r.lab for r in reading.cells],
            [r.flag for r in reading.cells],
            names,
        )
        flagged = next((k for k, r in enumerate(reading.cells) if r.flag), 0)
        self.room.show_reading()
        self._choose(flagged)

    _place: dict = {}

    # -- correction ------------------------------------------------------------------
    def _choose(self, cell: int) -> None:
        key = next((k for k, v in self._place.items() if v == cell), None)
        self.at = next((i for i, q in enumerate(self.rows) if (q.stack, q.ground) == key), self.at)
        self.view.chosen = cell
        self.view.update()
        self.refresh()

    def change(self, **fields: object) -> None:
        """Correct the chosen patch by hand."""
        if not self.rows:
            return
        self.rows[self.at] = replace(self.rows[self.at], **fields)  # type: ignore[arg-type]
        row = self.rows[self.at]
        cell = self._place.get((row.stack, row.ground))
        if cell is not None and cell < len(self.view.labs):
            self.view.labs[cell], self.view.flags[cell] = np.array(row.lab), "" if row.used else row.flag or "left out"
            self.view.refresh()
        self.refresh()

    def refresh(self) -> None:
        """Show the chosen patch on the bench."""
        bench = self.room.desk.bench
        if not self.rows:
            bench.head.set("", "No swatches yet", "Fill a printed sheet, then photograph or measure it")
            bench.set_parts([Words("Take the picture in even daylight, the whole sheet with all four corner marks in it.")])
            self.room.desk.set_next("Back to the kit", "kit")
            return
        row = self.rows[min(self.at, len(self.rows) - 1)]
        used = sum(q.used for q in self.rows)
        flagged = sum(bool(q.flag) and not q.used for q in self.rows)
        bench.head.set("", row.stack.replace("+", " + "), f"on {row.ground} · patch {self.at + 1} of {len(self.rows)}")
        parts: list = []
        if self.grey_error is not None:
            parts.append(Words(f"The grey steps agree within L* {self.grey_error:.1f}; light and cast are taken out."))
        out = f"{flagged} left out because stained, uneven or half filled" if flagged else "none left out"
        parts.append(Words(f"Patches used: {used}; {out}."))
        parts += [Caption("Measured, and as predicted now"), *self._compare(row), Caption("Correct it by hand"), self._fields(row)]
        bench.set_parts(parts)
        self.room.desk.set_next("Fit the kit", "strata", "" if used else "No patch is used")

    def _compare(self, row: ReadingRow) -> list:
        kit, session = self.room.kit, self.session
        try:
            layers = parse_stack(row.stack)
            ground = session.paper if row.ground == "white" else paper("blackcard")
            guess = predict(ground, kit, layers)[-1].lab
        except KitFault:
            return [Words("This kit has no such pencil.")]
        lab = np.array(row.lab)
        de = float(delta_e00(guess, lab))
        return [
            Strip(
                [lab, guess],
                f"L* {lab[0]:.0f}, a* {lab[1]:.0f}, b* {lab[2]:.0f} measured (left), L* {guess[0]:.0f} predicted: ΔE00 {de:.1f}."
                + (f" Flag: {row.flag}." if row.flag else ""),
            )
        ]

    def _fields(self, row: ReadingRow) -> QWidget:
        box = QWidget()
        grid = QGridLayout(box)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(u(8))
        use = QCheckBox("Use this patch")
        use.setChecked(row.used)
        use.clicked.connect(lambda on: self.change(used=bool(on)))
        self.use_box, self.lab_fields = use, []
        grid.addWidget(use, 0, 0, 1, 2)
        for k, (name, low, high) in enumerate((("L*", 0.0, 100.0), ("a*", -128.0, 128.0), ("b*", -128.0, 128.0))):
            q = Number()
            q.setAccessibleName(name)
            q.setRange(low, high)
            q.setDecimals(1)
            q.setKeyboardTracking(False)
            q.setValue(row.lab[k])
            q.valueChanged.connect(
                lambda v, k=k: self.change(lab=tuple(v if i == k else x for i, x in enumerate(self.rows[self.at].lab)), used=True)
            )
            self.lab_fields.append(q)
            grid.addWidget(label(name), k + 1, 0)
            grid.addWidget(q, k + 1, 1)
        grid.setColumnStretch(1, 1)
        return box

    # -- fit ---------------------------------------------------------------------------
    def next(self) -> None:
        """Fit, or go back when nothing was read."""
        if self.rows:
            self.fit()
        else:
            self.room.show_chart()

    def fit(self) -> None:
        """Fit the kit to all patches that are used, together with those measured before."""
        rows = [q for q in self.rows if q.used]
        if not rows:
            self.room.desk.say("There is nothing to fit yet.", "The kit stays as it is.", "Read a filled sheet first.")
            return
        kit, key = self.room.kit, self.session.kit_id
        record = self.session.kit_record(key)
        new = {(q.stack, q.ground) for q in rows}
        try:
            old = [(stack_text(s), g, lab) for _, s, g, lab in parse_swatches(record.swatches)] if record.swatches else []
        except Fault:
            old = []
        table = [q for q in old if (q[0], q[1]) not in new] + [(q.stack, q.ground, q.lab) for q in rows]
        text = swatches_csv(table)
        base = paper(self.session.paper.id, self.session.commission.ground_hex if self.session.commission else None)
        white = bare(base).lab

        def work(token: Token) -> Fitted:
            return fit_kit(with_grounds(parse_swatches(text), tuple(map(float, white))), base, kit, kit.name, token=token)

        def done(fitted: Fitted) -> None:
            known = {p.code: p for p in fitted.kit}
            pencils = tuple(known.get(p.code, p) for p in kit)
            edit = EditKit.of(self.session, key, Kit(kit.name, pencils, fitted.kit.fit), "fit", swatches=text)
            if self.session.do(edit):
                self.session.messages.remark(
                    f"{len(known)} pencils are fitted: ΔE00 {fitted.median:.1f} in the middle, {fitted.p95:.1f} at worst but one in twenty."
                )
                self.room.show_chart()

        self.session.jobs.run("fit", "Fitting the pencils to the swatches", work, done, asked=True)
