"""Files that the workshop writes: recipes as JSON and CSV, areas as SVG, a layered picture, the scrap and colour cards, a technique."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPen, QPolygonF

from hanabira.core.area.pattern import svg
from hanabira.core.area.shape import smooth_ring
from hanabira.core.faults import Fault
from hanabira.core.optics.stack import predict
from hanabira.core.study.shapes import value_shapes
from hanabira.core.swatch.layout import scrap_page
from hanabira.core.token import Token
from hanabira.craft.reader import papers, surfaces
from hanabira.craft.recipe_data import layers_data, recipes_csv, result_data
from hanabira.desk.model import Model
from hanabira.desk.paint import painting
from hanabira.studio.bundle import Written
from hanabira.studio.records import Area

if TYPE_CHECKING:
    from hanabira.desk.window import Desk

FORMAT = "hanabira recipes 1"


def recipes(model: Model) -> dict:
    """All recipes of the open commission as plain data; keys as documented in docs/formats.md."""
    c = model.commission
    assert c is not None
    areas = []
    for a in model.areas:
        told, m = model.prediction(a.id), model.measures(a.id)
        if told is None or m is None:
            continue
        finish = model.workshop.finish(a)
        areas.append(
            {
                "number": a.number,
                "name": a.name,
                "surface": a.surface_id,
                "finish": finish,
                "note": model.recipes[a.id].note,
                "layers": layers_data(model.kit, model.paper, model.recipe_layers(a.id), told[0], m, a.surface_id, finish),
                "result": result_data(told[0]),
                "cautions": [{"kind": q.kind, "text": f"{q.title}. {q.text} {q.cure}".strip()} for q in told[1]],
            }  # fmt: skip
        )
    sheet = {"id": c.paper_id, "ground": c.ground_hex, "width_mm": c.width_mm, "height_mm": c.height_mm, "border_mm": c.border_mm}
    return {"format": FORMAT, "commission": c.name, "paper": sheet, "kit": model.kit.name, "school": model.workshop.school, "areas": areas}


class FileWriter:
    """Asks for a path, writes off the interface thread and says where."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk

    def _ask(self, suffix: str, what: str) -> Path | None:
        c = self.desk.model.commission
        path = self.desk.ask_save_path(f"{c.name} {what}{suffix}") if c is not None else ""
        if not path:
            return None
        return Path(path) if path.lower().endswith(suffix) else Path(f"{path}{suffix}")

    def _run(self, title: str, work: Callable[[Token], Path | Written], open_it: bool = False) -> None:
        model = self.desk.model

        def done(got: Path | Written) -> None:
            written, remarks = (got.path, got.remarks) if isinstance(got, Written) else (got, ())
            model.messages.remark(" ".join([f"Written: {written}", *remarks]))
            if open_it:
                self.desk.open_file(written)

        model.jobs.run(f"write {title}", title, work, done, lasting=True)


class Writers(FileWriter):
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
        from hanabira.desk.commands import SetLayers

        model, area = self.desk.model, self.desk.model.area
        targets = model.targets(area.id) if area is not None else None
        if area is None or targets is None:
            self.desk.say("No measured area is chosen.", "Nothing was changed.", "Choose an area and wait until it is measured.")
            return
        path = self.desk.ask_technique_path()
        if not path:
            return
        try:
            found = read_technique(Path(path))
        except Fault as fault:
            model.messages.fault(fault)
            return
        layers, swapped = laid(found, model.kit.usable, model.paper, targets)
        if model.do(SetLayers(model, area, layers, f"technique {found.name}")):
            other = f" Not in this kit, replaced: {', '.join(swapped)}." if swapped else ""
            model.messages.remark(f"{found.name} is laid on {area.name}.{other}")

    def _ask(self, suffix: str, what: str) -> Path | None:
        model = self.desk.model
        if model.commission is None or not any(model.recipe_layers(a.id) for a in model.areas):
            self.desk.say("There is no recipe to write yet.", "Nothing was written.", "Draw an area and solve its layers first.")
            return None
        return super()._ask(suffix, what)

    def as_json(self) -> None:
        """All recipes as JSON."""
        from hanabira.studio.writing import write_file

        target = self._ask(".json", "recipes")
        if target is not None:
            text = json.dumps(recipes(self.desk.model), ensure_ascii=False, indent=1)
            self._run("Writing the recipes", lambda _t: write_file(target, text))

    def as_csv(self) -> None:
        """All recipes as CSV, a line a layer."""
        from hanabira.studio.writing import write_file

        target = self._ask(".csv", "recipes")
        if target is not None:
            text = recipes_csv(recipes(self.desk.model)["areas"])
            self._run("Writing the recipes", lambda _t: write_file(target, text))

    def as_svg(self) -> None:
        """Outlines of all areas and of their known markings, in millimetres of the picture."""
        from hanabira.studio.writing import write_file

        model = self.desk.model
        target = self._ask(".svg", "areas")
        if target is None or model.commission is None or model.photo is None or model.mm_per_px is None:
            return
        rings = [r for a in model.areas for r in (*_rings(a), *model.marking_rings(a.id))]
        text = svg(
            rings, model.commission.picture_mm, f"{model.commission.name}: areas and markings", model.mm_per_px, model.photo.crop[:2]
        )
        self._run("Writing the areas", lambda _t: write_file(target, text))

    def as_openraster(self) -> None:
        """Photo, value shapes, areas, combing and markings as layers of one size."""
        from hanabira.studio.openraster import RasterLayer, write_openraster

        model = self.desk.model
        target = self._ask(".ora", "layers")
        view, photo = model.view, model.photo
        if target is None or view is None or photo is None:
            return
        k = view.pixels.shape[1] / photo.width_px
        x, y, w, h = photo.crop
        cut = view.pixels[int(y * k) : int((y + h) * k), int(x * k) : int((x + w) * k)]
        step = max(1, -(-max(cut.shape[:2]) // 2400))
        picture = np.ascontiguousarray(cut[::step, ::step])
        size, to = (picture.shape[1], picture.shape[0]), picture.shape[1] / w
        at = lambda q: QPointF((q[0] - x) * to, (q[1] - y) * to)  # noqa: E731
        regions = [(model.region_of(a), model.measures(a.id)) for a in model.areas]
        areas = _drawn(size, [(_closed(map(at, r)), 2.2) for a in model.areas for r in _rings(a)])
        markings = _drawn(size, [(_closed(map(at, r)), 1.6) for a in model.areas for r in model.marking_rings(a.id)])

        def work(token: Token) -> Path:
            import cv2

            from hanabira.desk.printing import combing_lines

            shapes = cv2.resize(value_shapes(picture)[0], size, interpolation=cv2.INTER_NEAREST)
            token.report(0.3, "Combing")
            lines = [line for cut_out, m in regions if m is not None for line in combing_lines(cut_out(), m, 22 / to)]
            combing = _drawn(size, [([at(p), at(q)], 1.4) for p, q in lines])
            layers = [
                RasterLayer("marking outlines", markings),
                RasterLayer("combing", combing, False),
                RasterLayer("areas", areas),
                RasterLayer("value shapes", shapes, False),
                RasterLayer("photo", picture),
            ]
            return write_openraster(target, layers, token)

        self._run("Writing the layers", work)

    def scrap_card(self) -> None:
        """Every stack of the portrait as a box to try on a scrap; the first page can be photographed and read back in the kit room."""
        from hanabira.sheets.cards import Trial, write_scrap_card

        model = self.desk.model
        target = self._ask(".pdf", "scrap test")
        if target is None or model.commission is None:
            return
        kit, paper = model.kit, model.paper
        title, page = model.commission.name, model.settings.get("card_paper")
        name = papers()[model.commission.paper_id].name.lower()
        stacks = model.workshop.stacks()
        if not stacks:
            self.desk.say("Every stack of these recipes has a tool in it.", "Nothing was written.", "Try them by hand on a scrap.")
            return

        def work(_token: Token) -> Path:
            readable = scrap_page([(f"stack {k}", stack) for k, (_w, stack) in enumerate(stacks, 1)], page)
            trials = []
            for words, stack in stacks[: len(readable.cells)]:
                lines = tuple(
                    f"{q.code} {kit.get(q.code).name}, pressure {q.pressure}{f', {q.passes} passes' if q.passes > 1 else ''}" for q in stack
                )
                trials.append(Trial(words, lines, predict(paper, kit, list(stack))[-1].lab))
            return write_scrap_card(title, name, trials, target, page, readable)

        self._run("Writing the scrap card", work)

    def colour_card(self) -> None:
        """The portrait's pencils as a card for the client's file."""
        from hanabira.sheets.cards import Shade, write_colour_card

        model = self.desk.model
        target = self._ask(".pdf", "colours")
        if target is None or model.commission is None:
            return
        kit, names = model.kit, {a.number: a.name for a in model.areas}
        shades = [
            Shade(kit.masstone_lab[kit.index[code]], f"{code} {kit.get(code).name}", ", ".join(names[n] for n in where))
            for code, _n, where in model.workshop.palette()
            if code in kit.index
        ]
        c, page = model.commission, model.settings.get("card_paper")
        line = " · ".join(q for q in (c.animal, f"for {c.client}" if c.client else "", kit.name) if q)
        self._run("Writing the colour card", lambda _t: write_colour_card(c.name, line, shades, target, page))

    def technique(self) -> None:
        """The chosen area's recipe as an open technique file."""
        from hanabira.craft.own_techniques import as_technique
        from hanabira.studio.writing import write_file

        model, area = self.desk.model, self.desk.model.area
        target = self._ask(".toml", "technique")
        if target is None or area is None or not model.recipe_layers(area.id):
            return
        surface = surfaces()[area.surface_id].name if area.surface_id in surfaces() else area.surface_id
        text = as_technique(model.recipe_layers(area.id), f"{area.name}, {surface.lower()}", area.surface_id)
        self._run("Writing the technique", lambda _t: write_file(target, text))


def _rings(a: Area) -> list[list[tuple[float, float]]]:
    return [[(float(x), float(y)) for x, y in (smooth_ring(r) if a.smooth else r)] for r in (a.ring, *a.holes)]


def _closed(points) -> list[QPointF]:  # noqa: ANN001
    q = list(points)
    return [*q, q[0]]


def _drawn(size: tuple[int, int], lines: list[tuple[list[QPointF], float]]) -> np.ndarray:
    """Lines on a clear ground as RGBA pixels; white in a dark sheath, to be seen on any fur."""
    image = QImage(*size, QImage.Format.Format_RGBA8888)
    image.fill(Qt.GlobalColor.transparent)
    with painting(image) as p:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        for colour, extra in ((QColor(0, 0, 0, 190), 1.8), (QColor(255, 255, 255), 0.0)):
            for points, wide in lines:
                p.setPen(QPen(colour, wide + extra))
                p.drawPolyline(QPolygonF(points))
    bits = image.constBits()
    bits.setsize(image.sizeInBytes())
    return np.frombuffer(bits, np.uint8).reshape(size[1], image.bytesPerLine() // 4, 4)[:, : size[0]].copy()
