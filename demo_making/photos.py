"""Photos of the demo's work by the simulated easel camera, one planted fault among them, with the verdicts that Check gives on them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from hanabira.core.area.outline import Outline
from hanabira.core.colour.spaces import Array, parse_hex, srgb_to_lab
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.stack import bare
from hanabira.core.places.place import Places
from hanabira.core.progress.check import Expectation, check_photo
from hanabira.core.progress.cure import found_faults
from hanabira.core.progress.expected import AreaStack, expected, signature
from hanabira.core.progress.on_sheet import OnSheet, TracedArea, on_sheet
from hanabira.core.progress.strip import patches
from hanabira.core.progress.told import told
from hanabira.core.solver.gamut import gamut
from hanabira.core.solver.layer import Layer, goes_over
from hanabira.core.solver.place_plan import place_targets
from hanabira.craft.supplies import paper, paper_for
from hanabira.devices.drawn_sheet import Planted, draw_sheet, draw_strip
from hanabira.devices.easel_camera import SimulatedEaselCamera
from hanabira.devices.lens import Shooting
from hanabira.devices.simulated_paper import TRUTHS, SimulatedSheet
from hanabira.studio.account import laid
from hanabira.studio.pictures import read_picture
from hanabira.studio.records import Area, Commission, LogRow, Photo, Recipe

GRID, SMALL_GRID, SMALL_PX = 4.5, 2.2, 1400
"""Pixels a millimetre of a photo that is judged, and of one that is only looked at, with the longer side of that."""
SCRAP_SD = np.array([1.2, 0.8, 0.8])
"""How far a chip on scrap, read back, is off what the same stack shows on the sheet."""


@dataclass(frozen=True)
class Work:
    """A demo commission at work: its records, the places of its areas as they are found in its photo, and its kit."""

    commission: Commission
    photo: Photo
    pixels: np.ndarray
    areas: tuple[Area, ...]
    recipes: Mapping[str, Recipe]
    places: Mapping[str, Places]
    kit: Kit

    def sheet(self, grid: float) -> OnSheet:
        """Photo and areas on the sheet."""
        c, traced = self.commission, []
        for a in self.areas:
            if a.id in self.places:
                outline = Outline(a.ring, a.smooth, a.holes)
                traced.append(TracedArea.of(a.id, a.number, a.name, a.surface_id, outline, a.level, self.places[a.id]))
        return on_sheet(self.pixels, self.photo.crop, (c.width_mm, c.height_mm), c.border_mm, traced, grid)

    def layers(self, key: str, rows: Sequence[LogRow]) -> tuple[Layer, ...]:
        """What lies on an area by these rows."""
        return laid(key, self.recipes[key].layers, rows, self.kit)

    def plan(self, rows: Sequence[LogRow]) -> Expectation:
        """What a photo taken after these rows is held against."""
        c = self.commission
        on = paper_for(self.kit, paper(c.paper_id), c.ground_hex)
        reach, sheet = gamut(self.kit.usable, on), self.sheet(3.0)
        stacks = [
            AreaStack(
                a.id, self.recipes[a.id].layers, self.layers(a.id, rows), frozenset(), place_targets(reach, self.places[a.id], {}),
                {(p, q): np.array(lab) for p, q, *lab in self.recipes[a.id].tried},
            )
            for a in sheet.areas
        ]  # fmt: skip
        return Expectation(sheet, tuple(expected(s, on, self.kit) for s in stacks), on, np.asarray(bare(on).lab), self.kit, patches(self.kit, on))


def tried(work: Work, moments: Sequence[Sequence[LogRow]], seed: int) -> dict[str, Recipe]:
    """The recipes with their stacks tried on scrap and read back: whole, and as they stand at these moments of the log."""
    ground = tuple(float(v) for v in srgb_to_lab(parse_hex(work.commission.ground_hex)))
    scrap, rng = SimulatedSheet(work.kit, TRUTHS[0], ground), np.random.default_rng([seed, 21])
    out = {}
    for key, recipe in work.recipes.items():
        chips: dict[tuple[str, str], Array] = {}
        for layers in (recipe.layers, *(_wished(recipe, work.layers(key, rows)) for rows in moments)):
            for place in recipe.places:
                stack = [q.as_pass for q in layers if (q.code or q.tool) and goes_over(q, place.id)]
                name = signature(layers, place.id)
                if stack and (place.id, name) not in chips:
                    chips[place.id, name] = np.asarray(scrap.lay(stack, "white", rng)) + rng.normal(0, SCRAP_SD)
        rows_ = tuple((p, s, *(round(float(v), 2) for v in lab)) for (p, s), lab in chips.items())
        out[key] = replace(recipe, tried=rows_)  # type: ignore[arg-type]
    return out


def _wished(recipe: Recipe, there: Sequence[Layer]) -> tuple[Layer, ...]:
    """The recipe's own layers of those that lie there."""
    ids = {q.id for q in there}
    return tuple(q for q in recipe.layers if q.id in ids)


def photographed(
    work: Work, moments: Sequence[Sequence[LogRow]], planted: Sequence[Planted], checks: int, folder: Path
) -> list[dict[str, Any]]:
    """A photo at each of these moments of the log, written into ``folder``, the ``planted`` faults in the last one; the last ``checks`` are judged."""
    c, out = work.commission, []
    sheets = {g: work.sheet(g) for g in (GRID, SMALL_GRID)}
    ground = np.asarray(srgb_to_lab(parse_hex(c.ground_hex)))
    strips = {g: draw_strip(work.kit, TRUTHS[0], g, 1) for g in sheets}
    for n, rows in enumerate(moments, 1):
        judged = n > len(moments) - checks
        grid = GRID if judged else SMALL_GRID
        sheet, strip = sheets[grid], strips[grid]
        layers = {a.id: work.layers(a.id, rows) for a in sheet.areas}
        drawn = draw_sheet(sheet, layers, work.kit, ground, TRUTHS[0], n, planted if n == len(moments) else ())
        shooting = Shooting.drawn(40 + n, board="wood", curve="phone", curl_mm=0.2, long_px=2600 if judged else SMALL_PX)
        path = folder / f"{c.id.removeprefix('demo-')}-{n}.jpg"
        Image.fromarray(SimulatedEaselCamera(drawn, strip, shooting).take()).save(path, quality=92)
        out.append({"picture": path.name, "called": f"easel {n}.jpg", "rows": len(rows), "verdict": judge(work, rows, path) if judged else None})
    return out


def judge(work: Work, rows: Sequence[LogRow], path: Path) -> dict[str, Any]:
    """What Check says of a photo of the work after these rows."""
    plan = work.plan(rows)
    checked = check_photo(read_picture(path).pixels, plan)
    own = tuple(dict.fromkeys(q.code for r in work.recipes.values() for q in r.layers if q.code))
    return told(checked, found_faults(checked, plan, work.commission.lasting_floor, own), plan)
