"""How long areas take to be solved by place, and how near they come: the demo's areas, each with its own finish, one after the other."""

from __future__ import annotations

import datetime
import statistics
import time
from collections.abc import Callable

import numpy as np

from hanabira.core.solver.area import follow
from hanabira.core.solver.gamut import gamut
from hanabira.core.solver.place_plan import plan_places
from hanabira.craft.supplies import paper, shipped_kit
from hanabira.craft.techniques import craft_of, rules_of
from hanabira.demo import history, studio
from hanabira.demo.pictures import PHOTO
from hanabira.studio.pictures import read_picture


def places(row: Callable[[str, str, str], None]) -> None:
    """Print the figures."""
    rabbit = studio.rabbit(datetime.date(2026, 1, 5))
    c, pixels = rabbit.commission, read_picture(PHOTO).pixels
    kit, on = shipped_kit(c.kit_id).usable, paper(c.paper_id, c.ground_hex)
    t = time.perf_counter()
    reach = gamut(kit, on)
    row("What a kit reaches on a paper, by hue and value", f"{1000 * (time.perf_counter() - t):.0f} ms", "once for each")
    found, solving, de, worst = [], [], [], []
    tray: tuple[str, ...] = ()
    for a in rabbit.areas:
        m, spots = history.measured(pixels, a, c.picture_mm[0] / studio.CROP[2])
        craft = craft_of(m, a.surface_id, kit.medium, "", "", (), 3)
        t = time.perf_counter()
        plan = plan_places(kit, on, spots, craft, rules_of(m, craft, kit), tray, reach=reach)
        solving.append(time.perf_counter() - t)
        tray = tuple(dict.fromkeys([*tray, *(q.code for q in plan.layers if q.code)]))
        ends = [s.delta_e00 for s in plan.prediction.bands.values()]
        de += ends
        worst.append(max(ends))
        found.append((plan, len(spots)))
    row("Solve an area by place, median and longest", f"{statistics.median(solving):.2f} s, {max(solving):.2f} s", "0.8 s, 2 s")
    row(f"  the {len(solving)} areas of a portrait", f"{sum(solving):.1f} s", "under 10 s")
    row("  ΔE00 of all places, median and 95 %", f"{np.median(de):.1f}, {np.percentile(de, 95):.1f}", "2, 5")
    plan = max((p for p, _n in found), key=lambda p: len(p.layers))
    t = time.perf_counter()
    follow(on, kit, plan.layers, plan.targets)
    row(f"  an edit's prediction, {len(plan.layers)} layers", f"{1000 * (time.perf_counter() - t):.0f} ms", "under 30 ms")
