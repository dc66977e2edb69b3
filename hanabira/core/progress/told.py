"""A verdict as plain data: what the terminal prints and what the studio keeps."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import Array
from hanabira.core.progress.check import Checked, Expectation
from hanabira.core.progress.cure import ToldFlaw, key_of
from hanabira.core.progress.find import Refused
from hanabira.core.progress.words import listed, overall, remarks, remedy, sentence, what

WITH_STRIP_DE, WITHOUT_STRIP_DE = 1.5, 6.5
"""Median ΔE00 to expect of a place that was read with the check strip, and without it."""


def told(checked: Checked, faults: Sequence[ToldFlaw], plan: Expectation) -> dict[str, Any]:
    """The verdict: sheet, colour, areas with places, faults with cures, remarks, and the sentence on top."""
    numbers = {a.id: a for a in plan.sheet.areas}
    near = Counter(e.source[p] for e in plan.expected if e.begun for p in e.source)
    return {
        "sheet": {
            "found_by": checked.map.found_by, "residual_mm": _round(checked.map.residual_mm), "px_per_mm": _round(checked.map.px_per_mm, 2),
            "bend_mm": _round(checked.map.bend_mm, 2),
        },
        "colour": {
            "by": "paper and strip" if checked.strip else "paper", "de00_expected": WITH_STRIP_DE if checked.strip else WITHOUT_STRIP_DE,
            "left_out": {k: _round(v) for k, v in checked.shares.items()}, "forecast_by": dict(near),
            "leaning_lab": _lab(checked.verdict.leaning),
        },
        "areas": [_area(e.area_id, numbers[e.area_id].name, checked, plan) for e in plan.expected if e.area_id in numbers],
        "faults": [fault_data(q, plan) for q in faults],
        "sentence": overall(checked, faults, plan), "remarks": list(remarks(checked, plan, near)), "refused": None,
    }  # fmt: skip


def refused(fault: Refused) -> dict[str, Any]:
    """The verdict on a photo that must not be judged."""
    nothing: dict[str, Any] = {"sheet": None, "colour": None, "areas": [], "faults": [], "sentence": fault.what, "remarks": []}
    return {**nothing, "refused": {"reason": fault.what, "cure": fault.do, "corners": fault.corners}}


def _area(key: str, name: str, checked: Checked, plan: Expectation) -> dict[str, Any]:
    e = plan.by_area[key]
    area = next(a for a in plan.sheet.areas if a.id == key)
    mine = [p for p in checked.places if p.area_id == key]
    return {
        "area": area.number, "id": key, "name": name, "begun": e.begun or key in checked.unlogged, "done_steps": e.done, "steps": len(e.recipe),
        "finished": e.finished, "near_de00": nearness([(p.wanted, p.found, p.share) for p in mine if not p.hidden]),
        "places": [
            {
                "place": p.place, "name": area.place_name(p.place), "wanted_lab": _lab(p.wanted), "found_lab": _lab(p.found), "sigma": _lab(p.sigma),
                "share": _round(p.share), "verdict": checked.verdict.places.get((key, p.place), "as wanted"), "by": e.source.get(p.place, ""),
            }
            for p in mine
        ],
    }  # fmt: skip


def nearness(places: Sequence[tuple[Array, Array, float]]) -> float | None:
    """Mean ΔE00 of an area's places, weighted by their shares; None without any."""
    if not places:
        return None
    weights = np.array([max(s, 1e-3) for _w, _f, s in places])
    values = np.array([float(delta_e00(f, w)) for w, f, _s in places])
    return _round(float(values @ weights / weights.sum()), 2)


def fault_data(q: ToldFlaw, plan: Expectation) -> dict[str, Any]:
    """A fault with its cause and cure."""
    area = next(a for a in plan.sheet.areas if a.id == q.fault.area_id)
    c, f = q.cure, q.fault
    first = next((s for s in c.steps if s.code), None)
    return {
        "key": key_of(f), "area": area.number, "area_id": f.area_id, "name": area.name, "place": f.place, "place_name": area.place_name(f.place) if f.place else "",
        "kind": f.kind, "size": _round(f.size, 2), "unit": f.unit, "sigma": _round(f.sigma, 2), "cause": q.cause, "because": list(q.because),
        "what": what(q, plan, with_area=False), "sentence": sentence(q, plan), "remedy": remedy(q, plan.kit), "urgency": _round(q.urgency),
        "wanted_lab": _lab(q.place.wanted) if q.place else None, "found_lab": _lab(q.place.found) if q.place else None,
        "mm": [_round(v, 1) for v in q.place.mm] if q.place else None,
        "proposal": {
            "tool": c.tool, "pencil": first.code if first else "", "pressure": first.pressure if first else 0, "passes": first.passes if first else 0,
            "where": listed([area.place_name(p) for s in c.steps for p in s.on] or [area.place_name(f.place) if f.place else ""]), "lab_after": _lab(c.lab_after) if c.lab_after is not None else None,
            "claim_de00": c.claim, "tooth": [_round(v) for v in c.tooth],
            "steps": [
                {"id": s.id if s.role != "correct" else "", "pencil": s.code, "pressure": s.pressure, "passes": s.passes, "tool": s.tool, "stroke": s.stroke, "on": list(s.on)} for s in c.steps
            ],
        },
    }  # fmt: skip


def _round(v: float, digits: int = 3) -> float:
    return round(float(v), digits)


def _lab(v: Array) -> list[float]:
    return [round(float(x), 2) for x in v]


def accepted(kept: Mapping[str, Any]) -> dict[tuple[str, str], Array]:
    """Lab found by (area, place) where an earlier verdict had nothing against it."""
    out = {}
    for a in kept.get("areas", ()):
        for p in a.get("places", ()):
            if p.get("verdict") == "as wanted":
                out[a["id"], p["place"]] = np.asarray(p["found_lab"], float)
    return out
