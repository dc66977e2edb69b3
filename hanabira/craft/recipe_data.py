"""A solved area as plain data: what the terminal prints and what JSON and CSV exports hold."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from hanabira.core.faults import RecipeFault
from hanabira.core.places.place import Place
from hanabira.core.solver.area import Prediction, judged_band
from hanabira.core.solver.layer import BANDS, Layer, goes_over
from hanabira.core.solver.library import opaque_order
from hanabira.craft.cells import table_csv
from hanabira.craft.techniques import layer_spacing_mm

if TYPE_CHECKING:
    from hanabira.core.area.measures import Measures
    from hanabira.core.colour.spaces import Array
    from hanabira.core.optics.kit import Kit
    from hanabira.core.optics.paper import Paper
    from hanabira.core.places.place import Places

COLUMNS = (
    "role", "tool", "pencil", "name", "pressure", "passes", "stroke", "length_mm", "spacing_mm", "direction_deg", "where", "target_lab", "lab_after",
    "tooth_left", "why", "covers", "gesture", "run_mm", "coverage", "laid",
)  # fmt: skip


def _lab(v: Sequence[float] | Array) -> list[float]:
    return [round(float(q), 2) for q in v]


def layers_data(
    kit: Kit, paper: Paper, layers: Sequence[Layer], told: Prediction, m: Measures | None, surface_id: str, finish: int = 3
) -> list[dict[str, Any]]:
    """Every layer with what it is aimed at and what stands after it, in the band it is judged by. Keys are `COLUMNS`."""
    opaque = opaque_order(kit, paper)
    way = None
    if m is not None:
        way = m.combed.mean_deg if m.combed is not None and m.combed.mean_deg is not None else m.hair.direction_deg
    out = []
    for k, q in enumerate(layers):
        state = told.band(judged_band(q, opaque))
        along = q.stroke in ("flick", "hatch", "squiggle")
        out.append(
            {
                "role": q.role,
                "tool": q.tool or "pencil",
                "pencil": q.code or None,
                "name": kit.get(q.code).name if q.code else q.tool,
                "pressure": q.pressure,
                "passes": q.passes,
                "stroke": q.stroke,
                "length_mm": q.stroke_mm or None,
                "spacing_mm": layer_spacing_mm(q, m, surface_id, finish) if m is not None and along else None,
                "gesture": q.gesture or None,
                "run_mm": q.run_mm or None,
                "coverage": q.coverage if q.gesture and q.code else None,
                "laid": q.laid or None,
                "direction_deg": round(way, 1) if way is not None and along else None,
                "where": q.where,
                "target_lab": _lab(state.target),
                "lab_after": _lab(state.labs[k + 1]),
                "tooth_left": round(max(0.0, 1 - state.tooth[k + 1]), 3),
                "why": q.why,
                "covers": _covered(q, told),
                "states": {b: _lab(told.band(b).labs[k + 1]) for b in _covered(q, told)},
            }  # fmt: skip
        )
    return out


def _covered(q: Layer, told: Prediction) -> list[str]:
    """Places that a layer covers, and the bands for which they stand."""
    return [b for b in (*told.bands, *told.aliases) if goes_over(q, b, told.aliases)]


def told_layers(told: object) -> tuple[Layer, ...]:
    """Layers as `layers_data` writes them, tools apart: what a twin needs of the other side. Raises `Fault`."""
    try:
        return tuple(
            Layer(q["role"], q["pencil"], q["pressure"], q["passes"], q["where"], on=tuple(q["covers"]), gesture=q["gesture"] or "", laid=q.get("laid") or "")
            for q in told  # type: ignore[attr-defined]
            if q["pencil"]
        )
    except (TypeError, KeyError, AttributeError) as error:
        raise RecipeFault("The file of the other side holds no layers.", do="Write it with `hanabira area … --json`.") from error


def told_places(told: object) -> tuple[Place, ...]:
    """Places as `places_data` writes them, without their map: what an area beside needs. Raises `RecipeFault`."""
    try:
        return tuple(
            Place(key, p["name"], p["kind"], "", tuple(p["photo_lab"]), p["share"], tuple(p["box"]), p["reserved"])
            for key, p in told.items()  # type: ignore[attr-defined]
        )
    except (TypeError, KeyError, AttributeError) as error:
        raise RecipeFault("The file of the area beside holds no places.", do="Write it with `hanabira area … --json`.") from error


def places_data(places: Places, told: Prediction) -> dict[str, dict[str, Any]]:
    """Every place with its colour in the photo, its target and what the layers give."""
    return {
        p.id: {
            "name": p.name, "kind": p.kind, "photo_lab": _lab(p.photo_lab), "target_lab": _lab(told.band(p.id).target), "lab": _lab(told.band(p.id).lab),
            "delta_e00": round(told.band(p.id).delta_e00, 2), "share": round(p.share, 4), "reserved": p.reserved, "box": list(p.box),
        }
        for p in places
    }  # fmt: skip


def result_data(told: Prediction) -> dict[str, dict[str, Any]]:
    """The four bands at the end: target, prediction, difference."""
    return {
        b: {"target_lab": _lab(told.band(b).target), "lab": _lab(told.band(b).lab), "delta_e00": round(told.band(b).delta_e00, 2)}
        for b in BANDS
        if b in told.bands or b in told.aliases
    }


def recipes_csv(areas: Sequence[Mapping[str, Any]]) -> str:
    """Recipes of several areas as CSV: one line a layer, with the area's number and name before `COLUMNS`; Lab as ``L a b``."""
    rows: list[tuple[object, ...]] = []
    for area in areas:
        for n, layer in enumerate(area["layers"], 1):
            cells = [
                (";" if c == "covers" else " ").join(str(v) for v in layer[c])
                if isinstance(layer[c], list)
                else ""
                if layer[c] is None
                else layer[c]
                for c in COLUMNS
            ]
            rows.append((area["number"], area["name"], area["surface"], n, *cells))
    return table_csv(("area", "area_name", "surface", "layer", *COLUMNS), rows)
