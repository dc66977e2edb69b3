"""Files that the workshop writes: recipes as JSON and CSV, areas as SVG, a layered picture, the scrap and colour cards, a technique."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from hanabira.core.faults import Fault, RecipeFault
from hanabira.core.optics import stack as optics_stack
from hanabira.core.swatch import layout as scrap
from hanabira.craft import recipe_data
from hanabira.craft.supplies import papers, surfaces
from hanabira.session import recipe_list
from hanabira.studio import bundle, openraster
from hanabira.studio.writing import write_file

if TYPE_CHECKING:
    from hanabira.core.token import Token
    from hanabira.desk.window import Desk


class FileWriter:
    """Asks for a path, writes off the interface thread and says where."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk

    def _ask(self, suffix: str, what: str) -> Path | None:
        c = self.desk.session.commission
        return self.desk.ask_target(f"{c.name} {what}{suffix}") if c is not None else None

    def _run(self, title: str, work: Callable[[Token], Path | bundle.Written], open_it: bool = False) -> None:
        session = self.desk.session

        def done(got: Path | bundle.Written) -> None:
            written, remarks = (got.path, got.remarks) if isinstance(got, bundle.Written) else (got, ())
            session.messages.remark(" ".join([f"Written: {written}", *remarks]))
            if open_it:
                self.desk.open_file(written)

        session.jobs.run(f"write {title}", title, work, done, lasting=True)


class RecipeFiles(FileWriter):
    """Files of the recipes; nothing is written without any."""

    @property
    def all(self) -> list[tuple[str, Callable[[], object]]]:
        """Words and acts."""
        return [
            ("Recipes as JSON", self.as_json),
            ("Recipes as CSV", self.as_csv),
            ("Areas and markings as SVG", self.as_svg),
            ("Layers as OpenRaster", self.as_openraster),
            ("Scrap test card", self.scrap_card),
            ("Colour card for the client", self.colour_card),
            ("This recipe as a technique", self.technique),
        ]

    def open_technique(self) -> None:
        """Lay a technique from a file on the chosen area: its pencils where the kit has them, else the nearest in their place."""
        from hanabira.craft.own_techniques import laid, read_technique
        from hanabira.session.edits import SetLayers

        session, area = self.desk.session, self.desk.session.area
        targets = session.targets(area.id) if area is not None else None
        if area is None or targets is None:
            self.desk.say("No measured area is chosen.", "Nothing was changed.", "Choose an area and wait until it is measured.")
            return
        path = self.desk.ask_technique_path()
        if not path:
            return
        try:
            found = read_technique(Path(path))
        except Fault as fault:
            session.messages.fault(fault)
            return
        layers, swapped = laid(found, session.kit.usable, session.paper, targets)
        places = session.places(area.id) if any(q.on for q in layers) else None
        if not layers:
            session.messages.fault(RecipeFault(f"{found.name} has no place in common with {area.name}.", "Nothing was changed."))
            return
        if session.do(SetLayers(session, area, layers, f"technique {found.name}", places.all if places is not None else None)):
            other = f" Not in this kit, replaced: {', '.join(swapped)}." if swapped else ""
            session.messages.remark(f"{found.name} is laid on {area.name}.{other}")

    def _ask(self, suffix: str, what: str) -> Path | None:
        session = self.desk.session
        if session.commission is None or not any(session.recipe_layers(a.id) for a in session.areas):
            self.desk.say("There is no recipe to write yet.", "Nothing was written.", "Draw an area and solve its layers first.")
            return None
        return super()._ask(suffix, what)

    def as_json(self) -> None:
        """All recipes as JSON."""
        target = self._ask(".json", "recipes")
        if target is not None:
            text = json.dumps(recipe_list.recipes(self.desk.session), ensure_ascii=False, indent=1)
            self._run("Writing the recipes", lambda _t: write_file(target, text))

    def as_csv(self) -> None:
        """All recipes as CSV, a line a layer."""
        target = self._ask(".csv", "recipes")
        if target is not None:
            text = recipe_data.recipes_csv(recipe_list.recipes(self.desk.session)["areas"])
            self._run("Writing the recipes", lambda _t: write_file(target, text))

    def as_svg(self) -> None:
        """Outlines of all areas and of their known markings, in millimetres of the picture."""
        from hanabira.session.tracing import areas_svg

        target, text = self._ask(".svg", "areas"), areas_svg(self.desk.session)
        if target is not None and text is not None:
            self._run("Writing the areas", lambda _t: write_file(target, text))

    def as_openraster(self) -> None:
        """Photo, value shapes, areas, combing and markings as layers of one size."""
        from hanabira.session.tracing import picture_layers

        target, layers = self._ask(".ora", "layers"), picture_layers(self.desk.session)
        if target is not None and layers is not None:
            self._run("Writing the layers", lambda token: openraster.write_openraster(target, layers(token), token))

    def scrap_card(self) -> None:
        """Every stack of the portrait as a box to try on a scrap; the first page can be photographed and read back in the kit room."""
        from hanabira.sheets.cards import Trial, write_scrap_card

        session = self.desk.session
        target = self._ask(".pdf", "scrap test")
        if target is None or session.commission is None:
            return
        kit, paper = session.kit, session.paper
        title, page = session.commission.name, session.settings.get("card_paper")
        name = papers()[session.commission.paper_id].name.lower()
        stacks = session.workshop.stacks()
        if not stacks:
            self.desk.say("Every stack of these recipes has a tool in it.", "Nothing was written.", "Try them by hand on a scrap.")
            return

        def work(_token: Token) -> Path:
            readable = scrap.scrap_page([(f"stack {k}", stack) for k, (_w, stack) in enumerate(stacks, 1)], page)
            trials = []
            for words, stack in stacks[: len(readable.cells)]:
                lines = tuple(
                    f"{q.code} {kit.get(q.code).name}, pressure {q.pressure}{f', {q.passes} passes' if q.passes > 1 else ''}" for q in stack
                )
                trials.append(Trial(words, lines, optics_stack.predict(paper, kit, list(stack))[-1].lab))
            return write_scrap_card(title, name, trials, target, page, readable)

        self._run("Writing the scrap card", work)

    def colour_card(self) -> None:
        """The portrait's pencils as a card for the client's file."""
        from hanabira.session.commission_sheets import medium_line, sheet_picture
        from hanabira.session.dates import day_words
        from hanabira.session.recipe_card import ground_name
        from hanabira.session.sender import sender
        from hanabira.sheets.colour_card import ColourCard, Shade, write_colour_card

        session = self.desk.session
        target = self._ask(".pdf", "colours")
        if target is None or session.commission is None:
            return
        kit, names = session.kit, {a.number: a.name for a in session.areas}
        shades = [
            Shade(kit.masstone_lab[kit.index[code]], f"{code} {kit.get(code).name}", ", ".join(names[n] for n in where))
            for code, _n, where in session.workshop.palette()
            if code in kit.index
        ]
        c, page = session.commission, session.settings.get("card_paper")
        card = ColourCard(
            c.name, medium_line(session), shades, picture=sheet_picture(session),
            facts=[("Pencils", kit.name), ("Paper", f"{papers()[c.paper_id].name}, {ground_name(c)}"), ("Sheet", f"{c.width_mm:.0f} × {c.height_mm:.0f} mm")],
            client=c.client, day=day_words(session.clock.today()), sender=sender(session.settings), page=page,
        )  # fmt: skip
        self._run("Writing the colour card", lambda _t: write_colour_card(card, target))

    def technique(self) -> None:
        """The chosen area's recipe as an open technique file."""
        from hanabira.craft.own_techniques import as_technique

        session, area = self.desk.session, self.desk.session.area
        target = self._ask(".toml", "technique")
        if target is None or area is None or not session.recipe_layers(area.id):
            return
        surface = surfaces()[area.surface_id].name if area.surface_id in surfaces() else area.surface_id
        text = as_technique(session.recipe_layers(area.id), f"{area.name}, {surface.lower()}", area.surface_id)
        self._run("Writing the technique", lambda _t: write_file(target, text))
