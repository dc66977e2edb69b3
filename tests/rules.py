"""What every recipe must keep, whatever its surface, coat, school and paper: one list of what is broken."""

from __future__ import annotations

from collections.abc import Mapping

from hanabira.core.colour.spaces import chroma
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.solver.library import opaque_order
from hanabira.core.solver.path import BLACK_C, BLACK_L
from hanabira.core.solver.place_plan import ANCHOR_L, PlacePlan
from hanabira.craft.rules import switches

LAST_LIGHTS = ("tint", "spark", "card-rise", "card-light", "card-spark")
"""Gestures that may go over a kept light: a breath at the end, or, where the ground itself is darker, the light that is laid there."""


def broken(found: PlacePlan, kit: Kit, on: Paper, chosen: Mapping[str, str], reserved: Mapping[str, float] | None = None) -> list[str]:
    """The rules that a plan breaks, in words; empty when it keeps them all. ``reserved`` places with the L* of their photo keep their paper."""
    layers, out = found.layers, []
    lab = {q.code: kit.masstone_lab[kit.index[q.code]] for q in layers if q.code}
    inked = [q for q in layers if q.code]

    def wrong(when: bool, words: str) -> None:
        if when:
            out.append(words)

    wrong(found.prediction.most_tooth > 1.0 + 1e-9, f"the tooth is more than full: {found.prediction.most_tooth:.3f}")
    first = [i for i, q in enumerate(layers) if q.tool in ("reserve", "indent", "tape", "wax")]
    wrong(first != list(range(len(first))), "what is kept free does not come first")
    indented = {k for q in layers if q.tool == "indent" for k in q.on}
    wrong(any(q.tool == "solvent" and indented & set(q.on) for q in layers), "solvent over indented lines")
    for key, photo_l in (reserved or {}).items():
        for q in inked:
            v = lab[q.code]
            pale = v[0] >= 72 and float(chroma(v)) <= 26
            grey = photo_l < 70 and float(chroma(v)) <= 12 and v[0] > 39
            wrong(key in q.on and not (pale or grey), f"{q.code} covers the reserved {key}")
        wrong(any(key in q.on and q.tool in ("solvent", "stump") for q in layers), f"a tool rubs the reserved {key}")
        free = [q for q in layers if q.tool in ("reserve", "tape", "wax") and key in q.on]
        off = next((i for i, q in enumerate(layers) if q.tool == "peel" and key in q.on), -1)
        under = any(q.tool == "tape" for q in free)
        wrong(under and (off < 0 or any(q.code and key in q.on for q in layers[:off])), f"the {key} is drawn on its tape, or the tape stays")
        over = [q for q in inked if key in q.on]
        last = bool(over) and all(q.gesture in LAST_LIGHTS for q in over)
        wrong(not free and not last and found.targets[key][0] > 70, f"nothing says that the {key} keeps its paper")
        wrong(bool(free and over and not under and any(q.gesture for q in layers)), f"the {key} is said to stay free and is covered")
    black = {c for c, v in lab.items() if v[0] < BLACK_L and float(chroma(v)) < BLACK_C}
    wrong(chosen.get("black") == "mixed-blacks-only" and bool(black), "a black where blacks are mixed")
    for q in inked:  # a dark over a light that is to stay one: where the light is no darker than this
        over = [k for k in q.on if found.targets[k][0] > 34.5 and lab[q.code][0] < 12]
        wrong(bool(over) and found.prediction.band(over[0]).delta_e00 > 6, f"black {q.code} spoils the {over[0] if over else ''}")
    if not opaque_order(kit, on) and chosen.get("black") == "never-before-the-end" and chosen.get("values") != "darks-first":
        seen = next((i for i, q in enumerate(inked) if q.code in black), len(inked))
        under = {k for q in inked[seen:] if q.code in black for k in q.on}
        later = [
            q
            for q in inked[seen:]
            if q.code not in black and q.role not in ("highlight", "blend", "glaze") and lab[q.code][0] > 30 and under & set(q.on)
        ]
        wrong(bool(later), "a paler colour over the last black")
    if chosen.get("values") == "darks-first" and found.effect["values"] == "acts" and not opaque_order(kit, on) and inked:
        wrong(lab[inked[0].code][0] >= ANCHOR_L, "darks first, and the first is no dark")
    wrong(chosen.get("blending") == "none" and any(q.role == "blend" for q in layers), "a blend where none is wanted")
    wrong(not all(q.why for q in layers), "a layer without its reason")
    wrong(len({q.why for q in layers}) != len(layers), "one reason twice")
    wrong(any(not set(q.on) <= set(found.prediction.bands) for q in layers), "a layer on a place that is not there")
    wrong(set(found.effect) != set(switches()), "a switch that says nothing")
    wrong(any(v != "acts" and not v.startswith("refused: ") for v in found.effect.values()), "a switch that neither acts nor refuses")
    return out
