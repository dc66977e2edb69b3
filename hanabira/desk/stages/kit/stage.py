"""Kit room: the pencils as the artist owns them, the tray, swatch sheets and what they tell."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSignalBlocker, Qt
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QLineEdit, QVBoxLayout, QWidget

from hanabira.core.colour.spaces import chroma, hue_deg
from hanabira.core.colour.words import temperature, value_step
from hanabira.core.faults import Fault
from hanabira.core.optics.kit import Kit, Pencil
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.stack import bare, predict
from hanabira.core.optics.tooth import passes_held
from hanabira.core.solver.kit_facts import Hole, holes, mixing_strip, neighbours, pressures
from hanabira.core.solver.target import reach
from hanabira.core.swatch.layout import sheet
from hanabira.craft.cells import table_csv
from hanabira.craft.kitfile import fact, kit_csv, kit_gpl, read_kit, with_fact
from hanabira.craft.supplies import paper_for, papers
from hanabira.craft.tools import NONE, tools
from hanabira.desk.controls import Caption, Choice, Number, Words, label
from hanabira.desk.rows import Row
from hanabira.desk.stage import Pages, Stage, scrolled
from hanabira.desk.stages.kit.reading import SheetReadingDesk
from hanabira.desk.theme import role, u
from hanabira.desk.widgets.kit_chart import NEUTRAL_C, KitChart
from hanabira.desk.widgets.tray import LOW, Facts, FivePressures, Lying, Strip, Tray
from hanabira.session.edits import AddKit, EditBrief, EditKit
from hanabira.studio.records import StudioKit, new_id
from hanabira.studio.writing import write_file

if TYPE_CHECKING:
    from hanabira.core.token import Token
    from hanabira.desk.window import Desk

FAMILIES = {
    "all hues": None, "greys": (0.0, 0.0), "roses, reds": (335.0, 48.0), "oranges": (48.0, 76.0), "yellows": (76.0, 108.0), "greens": (108.0, 185.0),
    "blues": (185.0, 292.0), "violets": (292.0, 335.0),
}  # fmt: skip
VALUES = {"all values": (0, 101), "dark, steps 1–3": (0, 30), "middle, steps 4–7": (30, 70), "light, steps 8–10": (70, 101)}
PRIMARIES = ((45.0, 62.0, 32.0), (84.0, 4.0, 76.0), (36.0, 12.0, -48.0), (12.0, 0.0, 0.0), (97.0, 0.0, 2.0))
"""Red, yellow, blue, black and white that a palette of five is chosen nearest to (Lab)."""


LEAST_CHART = 340
"""Units that the chart keeps in height, however low the window."""


class KitRoom(Stage):
    """Chart and tray in the middle, one pencil on the bench; or the sheet that is being read."""

    name = "Kit"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.chosen = ""
        self.other = ""
        self.chart, self.tray = KitChart(), Tray()
        self.bar = self._filters()
        page = QWidget()
        box = QVBoxLayout(page)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self.bar)
        self._across = scrolled(self.chart)  # the chart is moved from side to side in a narrow window, all of it up and down in a low one
        self._across.setMinimumHeight(u(LEAST_CHART) + u(12))
        self._across.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        box.addWidget(self._across, 1)
        box.addWidget(self.tray)
        self.reading = SheetReadingDesk(self)
        stack = Pages()
        whole = scrolled(page)
        whole.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        stack.addWidget(whole)
        stack.addWidget(self.reading.view)
        self.centre = self._stack = stack
        self.chart.chosen_pencil.connect(self.choose)
        self.tray.chosen_pencil.connect(self.choose)
        self.session.kit_changed.connect(self._if_open)
        self.session.commission_changed.connect(self._if_open)
        self._holes: tuple[str, tuple[Hole, ...]] = ("", ())

    def _if_open(self) -> None:
        if self.open:
            self.refresh()

    # -- filters --------------------------------------------------------------
    def _filters(self) -> QWidget:
        bar = QWidget()
        bar.setObjectName("kitFilters")
        line = Row(u(8))
        line.setContentsMargins(u(20), u(6), u(18), u(2))
        bar.setLayout(line)
        self.kit_field, self.find_field = Choice(), QLineEdit()
        self.kit_field.setAccessibleName("Kit")
        self.kit_field.activated.connect(lambda _i: self.use_kit(self.kit_field.currentData()))
        self.find_field.setPlaceholderText("Code or name")
        self.find_field.setAccessibleName("Find a pencil by code or name")
        self.find_field.textChanged.connect(lambda _s: self._show_chart())
        self.hue_field, self.value_field, self.more_field = Choice(), Choice(), Choice()
        for q, name, items in (
            (self.hue_field, "Hue", FAMILIES), (self.value_field, "Value", VALUES),
            (self.more_field, "Which pencils", ("all pencils", "owned", "wanted", "lasting, 1–2", "oil", "wax", "pastel", "warm", "cool")),
        ):  # fmt: skip
            q.setAccessibleName(name)
            for item in items:
                q.addItem(item, item)
            q.currentIndexChanged.connect(lambda _i: self._show_chart())
        for field in (self.kit_field, self.find_field, self.hue_field, self.value_field, self.more_field):
            line.addWidget(field)
        return bar

    def _passes(self, kit: Kit, i: int) -> bool:
        p, lab = kit.pencils[i], kit.masstone_lab[i]
        words = self.find_field.text().lower().strip()
        if words and words not in f"{p.code} {p.name}".lower():
            return False
        family = FAMILIES[self.hue_field.currentText()]
        grey = float(chroma(lab)) < NEUTRAL_C
        if family is not None:
            h = float(hue_deg(lab))
            low, high = family
            inside = grey if low == high else not grey and (low <= h < high if low < high else h >= low or h < high)
            if not inside:
                return False
        low_l, high_l = VALUES[self.value_field.currentText()]
        more = self.more_field.currentText()
        tests: dict[str, Callable[[], bool]] = {
            "owned": lambda: p.owned, "wanted": lambda: not p.owned, "lasting, 1–2": lambda: p.lightfast <= 2, "oil": lambda: p.binder == "oil",
            "wax": lambda: p.binder == "wax", "pastel": lambda: p.binder == "pastel", "warm": lambda: temperature(lab) == "warm", "cool": lambda: temperature(lab) == "cool",
        }  # fmt: skip
        return low_l <= lab[0] < high_l and tests.get(more, lambda: True)()

    # -- what is shown -----------------------------------------------------------
    @property
    def kit(self) -> Kit:
        """The kit that is open."""
        return self.session.kit

    def tray_codes(self) -> list[str]:
        """What lies in the tray: laid in by hand, then what the recipes use."""
        c = self.session.commission
        used = [q.code for r in self.session.recipes.values() for q in r.layers if q.code]
        return [q for q in dict.fromkeys([*(c.tray if c else ()), *used]) if q in self.kit.index]

    def choose(self, code: str) -> None:
        """Show a pencil on the bench."""
        if code != self.chosen:
            self.other = self.chosen or self.other
            self.chosen = code
        self.refresh()

    def enter(self) -> None:
        self._stack.setCurrentIndex(0)
        super().enter()

    def show_reading(self) -> None:
        """Show the sheet that was read."""
        self._stack.setCurrentWidget(self.reading.view)
        self.refresh()

    def show_chart(self) -> None:
        """Back to the chart."""
        self._stack.setCurrentIndex(0)
        self.refresh()

    def restyle(self) -> None:
        self.bar.layout().setContentsMargins(u(20), u(6), u(18), u(2))
        self._across.setMinimumHeight(u(LEAST_CHART) + u(12))
        for q in (self.chart, self.tray, self.reading.view):
            q.refresh()
        super().restyle()

    def show_papers(self) -> None:
        """Show papers and tools on the bench: what papers hold, what this kit reaches on them, what is in the drawer."""
        self.desk.show_room("Kit")
        bench, drawer = self.desk.bench, set(self.session.settings.get("papers")) or set(papers())
        bench.head.set("", "Papers and tools", "what papers hold, and what this kit reaches on them")
        parts: list = []
        self.paper_boxes: dict[str, QCheckBox] = {}
        for p in papers().values():
            own = paper_for(self.kit, p)
            r = reach(self.kit, own)
            held = [passes_held(own, q, self.kit.hand) for q in (1, 3, 5)]
            box = QCheckBox("In the drawer")
            box.setAccessibleName(f"{p.name} is in the drawer")
            box.setChecked(p.id in drawer)
            box.clicked.connect(lambda on, key=p.id: self._own_paper(key, bool(on)))
            self.paper_boxes[p.id] = box
            said = f"L* {r.darkest_l:.0f} to {r.lightest_l:.0f} · holds {held[0]} light, {held[1]} medium or {held[2]} heavy passes"
            parts += [Caption(p.name), Words(said, "small", "ink"), Words(p.note, "aside"), box]
        self.tool_boxes: dict[str, QCheckBox] = {}
        for key, tool in tools().items():
            box = QCheckBox("In the drawer")
            box.setAccessibleName(f"{tool.name} is in the drawer")
            box.setChecked(key in self._tools())
            box.clicked.connect(lambda on, key=key: self._own_tool(key, bool(on)))
            self.tool_boxes[key] = box
            parts += [Caption(tool.name), Words(tool.use, "small", "ink"), box]
        bench.set_parts(parts)
        self.desk.set_next("Back to the pencils", "kit")
        self._papers_shown = True

    _papers_shown = False

    def _own_paper(self, key: str, on: bool) -> None:
        drawer = set(self.session.settings.get("papers")) or set(papers())
        self.session.settings.set("papers", sorted(drawer | {key} if on else drawer - {key}))

    def _tools(self) -> frozenset[str]:
        """Tools that are in the drawer."""
        kept = self.session.workshop.tools()
        return frozenset(tools()) if kept is None else kept

    def _own_tool(self, key: str, on: bool) -> None:
        kept = self._tools() | {key} if on else self._tools() - {key}
        self.session.settings.set("tools", sorted(kept) or [NONE])

    def refresh(self) -> None:
        self._papers_shown = False
        with QSignalBlocker(self.kit_field):
            self.kit_field.clear()
            for key, name in self.session.kits().items():
                self.kit_field.addItem(name, key)
            self.kit_field.setCurrentIndex(max(0, self.kit_field.findData(self.session.kit_id)))
        self.bar.setStyleSheet(f"#kitFilters {{ background: {role('card').name()}; }}")
        self.desk.mark_values(None)
        if self._stack.currentWidget() is self.reading.view:
            self.reading.refresh()
            return
        if self.chosen not in self.kit.index:
            self.chosen = self.kit.pencils[0].code
        self._show_chart()
        c = self.session.commission
        lying = [
            Lying(q, self.kit.get(q).name, self.kit.masstone_lab[self.kit.index[q]], fact(self.kit.get(q), "left", 1.0))
            for q in self.tray_codes()[:14]
        ]
        self.tray.set(f"In the tray for {c.name}" if c else "The tray", lying, self.chosen)
        self._pencil_card(self.kit.get(self.chosen))

    def _show_chart(self) -> None:
        kit = self.kit
        sign = self.session.kit_record(self.session.kit_id).pencils
        if self._holes[0] != sign:
            self._holes = (sign, holes(kit))
        shown = [i for i in range(len(kit)) if self._passes(kit, i)]
        everything = len(shown) == len(kit)
        self.chart.set(kit, shown, self.chosen, set(self.tray_codes()), self._holes[1] if everything else ())

    # -- bench ------------------------------------------------------------------------
    def _pencil_card(self, p: Pencil) -> None:
        kit, paper, bench = self.kit, self.session.paper, self.desk.bench
        lab = kit.masstone_lab[kit.index[p.code]]
        owned = sum(q.owned for q in kit)
        fitted = f"fitted, ±{p.spread_de:.1f} in mixtures" if p.spread_de else "from the kit file, not from your swatches"
        bench.head.set("", f"{p.name} {p.code}", f"{p.binder} · {kit.name} · {len(kit)} pencils, {owned} owned")
        spot = predict(paper, kit, [Pass(p.code, 3, 2)])[-1]
        covers = (
            "covers well"
            if p.scattering > 0.85
            else "half clear: dark below shows through"
            if p.scattering > 0.45
            else "clear: it tints what lies below"
        )
        light = {1: "lasts longest", 2: "lasts", 3: "fades slowly", 4: "fades", 5: "fades soon"}[p.lightfast]
        rows = [
            ("Value, hue", f"L* {lab[0]:.0f} · step {value_step(lab[0])} · hue {float(hue_deg(lab)):.0f}°, {temperature(lab)}"),
            ("Covers", covers),
            ("Tooth", f"{100 * spot.used:.0f} % for two passes at pressure 3"),
            (
                "Point",
                "hard, holds for fine hair"
                if p.hardness >= 0.45
                else "soft, for cover and opaque lights"
                if p.hardness < 0.3
                else "middling",
            ),
            ("Light", f"class {p.lightfast} of 5, {light}"),
            ("Figures", fitted),
        ]
        how = Caption("What it does", "how fitted")
        how.opened.connect(lambda: self.desk.explain("fit"))
        parts: list = [
            Caption(f"On {papers()[paper.id].name.lower()}, pressure 1 to 5"),
            FivePressures(pressures(paper, kit, p.code), bare(paper).lab),
            how,
            Facts(rows),
        ]
        parts += [Caption("Yours"), self._yours(p)]
        near = neighbours(kit, p.code)
        said = "; ".join(
            f"{n.code} {kit.get(n.code).name} is {abs(n.lighter):.0f} {'lighter' if n.lighter > 0 else 'darker'}, ΔE00 {n.delta_e00:.0f}"
            for n in near[:2]
        )
        parts += [Caption("Near it"), Words(said + ".")]
        if self.other and self.other in kit.index and self.other != p.code:
            under = kit.get(self.other)
            strip = mixing_strip(paper, kit, under.code, p.code)
            parts += [
                Caption("Mixing strip"),
                Strip(
                    strip, f"From {under.code} {under.name} alone, through {p.code} laid over it heavier and heavier, to {p.code} alone."
                ),
            ]
        if self._holes[1]:
            words = "; ".join(f"{h.name} (nearest {h.nearest}, ΔE00 {h.delta_e00:.0f})" for h in self._holes[1][:3])
            parts += [Caption("Holes in this kit"), Words(f"{words[:1].upper()}{words[1:]}.")]
        bench.set_parts(parts)
        short = self.to_order()
        if kit.fit is None:
            self.desk.set_next("Print a swatch sheet", "sheet")
        elif short:
            self.desk.set_next(f"Order list, {len(short)}", "write")
        else:
            self.desk.set_next("Read a filled sheet", "loupe")

    def _yours(self, p: Pencil) -> QWidget:
        box = QWidget()
        grid = QGridLayout(box)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(u(8))
        grid.setVerticalSpacing(u(2))
        own = QCheckBox("Owned")
        own.setChecked(p.owned)
        own.clicked.connect(lambda on: self._put(replace(p, owned=bool(on)), "owned"))
        lies = QCheckBox("In the tray")
        c = self.session.commission
        lies.setChecked(bool(c and p.code in c.tray))
        lies.setEnabled(c is not None)
        lies.clicked.connect(lambda on: self.lay_in_tray(p.code, bool(on)))
        left, price = Number(), Number()
        for q, name, key, top, suffix, factor in (
            (left, "Length left", "left", 100.0, "\u2009%", 100.0),
            (price, "Price", "price", 999.0, "", 1.0),
        ):
            q.setAccessibleName(name)
            q.setRange(0, top)
            q.setDecimals(0 if key == "left" else 2)
            q.setSuffix(suffix)
            q.setKeyboardTracking(False)
            q.setValue(fact(p, key, 1.0 if key == "left" else 0.0) * factor)
            q.valueChanged.connect(
                lambda v, key=key, name=name, factor=factor: self._put(with_fact(p, key, f"{v / factor:g}"), name.lower())
            )
        self.owned_box, self.tray_box, self.left_field, self.price_field = own, lies, left, price
        grid.addWidget(own, 0, 0)
        grid.addWidget(lies, 0, 1)
        grid.addWidget(label("Left"), 1, 0)
        grid.addWidget(left, 1, 1)
        grid.addWidget(label("Price"), 2, 0)
        grid.addWidget(price, 2, 1)
        grid.setColumnStretch(1, 1)
        return box

    # -- edits ---------------------------------------------------------------------------
    def _put(self, pencil: Pencil, words: str) -> None:
        kit = self.kit
        pencils = tuple(pencil if q.code == pencil.code else q for q in kit)
        self.session.do(EditKit.of(self.session, self.session.kit_id, Kit(kit.name, pencils, kit.fit), words))

    def lay_in_tray(self, code: str, on: bool) -> None:
        """Lay a pencil in the commission's tray, or take it out."""
        c = self.session.commission
        if c is not None:
            tray = tuple(q for q in c.tray if q != code) + ((code,) if on else ())
            self.session.do(EditBrief(self.session, "tray", tray=tray))

    def lay_primaries(self) -> None:
        """Put three primaries with black and white into the tray: a limited palette."""
        if self.session.commission is None:
            return
        kit = self.kit
        codes = []
        for wanted in PRIMARIES:
            d = [
                (float(sum((a - b) ** 2 for a, b in zip(kit.masstone_lab[i], wanted, strict=True))), q.code)
                for i, q in enumerate(kit.pencils)
                if q.owned and q.code not in codes
            ]
            codes.append(min(d)[1])
        self.session.do(EditBrief(self.session, "tray", tray=tuple(codes)))
        self.session.messages.remark("Red, yellow, blue, black and white lie in the tray. “Use only the tray” solves with them alone.")

    def limit(self) -> None:
        """Solve recipes from the tray only, or from the whole kit again."""
        on = not self.session.from_tray
        self.session.limit_to_tray(on)
        self.session.messages.remark("Recipes now use only what lies in the tray." if on else "Recipes use the whole kit again.")

    def use_kit(self, key: str) -> None:
        """Work the commission with another kit."""
        if self.session.commission is not None and key != self.session.kit_id:
            self.session.do(EditBrief(self.session, "kit", kit_id=key))

    def to_order(self) -> list[Pencil]:
        """Owned pencils that are worn below a third, and those wanted that recipes ask for."""
        tray = set(self.tray_codes())
        return [p for p in self.kit if (p.owned and fact(p, "left", 1.0) < LOW) or (not p.owned and p.code in tray)]

    # -- files -----------------------------------------------------------------------------
    def next(self) -> None:
        if self._papers_shown:
            self.refresh()
        elif self._stack.currentWidget() is self.reading.view:
            self.reading.next()
        elif self.kit.fit is None:
            self.print_sheet()
        elif self.to_order():
            self.order_list()
        else:
            self.reading.ask_photo()

    def sheet_codes(self) -> list[str]:
        """Pencils a sheet is printed for: those owned, as the chart shows them."""
        shown = [self.kit.pencils[i] for i in self.chart.shown] or list(self.kit)
        return [p.code for p in shown if p.owned] or [p.code for p in shown]

    def print_sheet(self) -> None:
        """Write the swatch sheet for the pencils shown as PDF and open it."""
        from hanabira.sheets.swatch_sheet import write_swatch_sheet

        target = self.desk.ask_target("swatch sheet.pdf")
        if target is None:
            return
        kit, codes, page = self.kit, self.sheet_codes(), self.session.settings.get("card_paper")
        name = papers()[self.session.paper.id].name

        def work(token: Token) -> Path:
            return write_swatch_sheet(sheet(kit, codes, page), target, name, token)

        def done(written: Path) -> None:
            self.session.messages.remark(f"The swatch sheet is written: {written}")
            self.desk.open_file(written)

        self.session.jobs.run("swatch sheet", "Drawing the swatch sheet", work, done, lasting=True)

    def import_kit(self) -> None:
        """Read a kit file as a further kit of the studio."""
        path = self.desk.ask_kit_path()
        if not path:
            return
        try:
            kit = read_kit(path)
        except Fault as fault:
            self.session.messages.fault(fault)
            return
        record = StudioKit(new_id(), kit.name, kit_csv(kit))
        if self.session.do(AddKit(self.session, record)):
            self.use_kit(record.id)
            self.session.messages.remark(f"“{kit.name}” with {len(kit)} pencils is in the studio.")

    def _write(self, name: str, text: str) -> None:
        target = self.desk.ask_target(name)
        if target is None:
            return
        try:
            write_file(target, text)
        except Fault as fault:
            self.session.messages.fault(fault)
            return
        self.session.messages.remark(f"Written: {target}")

    def export_kit(self, suffix: str) -> None:
        """Write the kit as a CSV kit file or a palette."""
        self._write(f"{self.kit.name}{suffix}", kit_csv(self.kit) if suffix == ".csv" else kit_gpl(self.kit))

    def order_list(self) -> None:
        """Write what should be ordered as CSV."""
        why = lambda p: f"{100 * fact(p, 'left', 1.0):.0f} % left" if p.owned else "wanted"  # noqa: E731
        rows = [[p.code, p.name, why(p), f"{fact(p, 'price'):.2f}"] for p in self.to_order()]
        self._write("order list.csv", table_csv(["code", "name", "why", "price"], rows))
