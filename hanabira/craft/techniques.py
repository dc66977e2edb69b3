"""What the technique data says of one measured area."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

import numpy as np

from hanabira.core.colour.spaces import chroma, hue_deg
from hanabira.core.faults import RecipeFault
from hanabira.core.optics.tools import laying_of
from hanabira.core.solver.place_plan import Rules
from hanabira.core.solver.single_hairs import SingleHairs
from hanabira.core.solver.technique import Craft
from hanabira.craft.hand import form_rules, gesture_words, gestures, hand_scale, hand_whisker, pencil_kinds
from hanabira.craft.rules import coat_id, coats, marking_rules, school
from hanabira.craft.supplies import parts_of, surfaces
from hanabira.craft.whisker_methods import whisker_method

if TYPE_CHECKING:
    from hanabira.core.area.measures import Measures
    from hanabira.core.optics.kit import Kit
    from hanabira.core.solver.layer import Layer

FINISH = (1, 5)


def measured_coat(m: Measures) -> str:
    """The coat with the largest share; where nobody looked, the first whose limits the measured values fit."""
    if m.coats:
        return m.coats[0][0]
    bands = m.values.band_lab
    facts = {
        "general_l": float(bands["general"][0]),
        "general_c": float(chroma(bands["general"])),
        "general_h": float(hue_deg(bands["general"])),
        "light_l": float(bands["light"][0]),
        "gap_l": float(bands["gap"][0]),
        "lean": m.temperature.lean,
    }
    for k, c in coats().items():
        if all((m.marking.kind in v) if name == "marking" else v[0] <= facts[name] <= v[1] for name, v in c.when.items()):
            return k
    return "coloured"


def measured_marking(m: Measures) -> str:
    """The rule of the measured class: the class's own name."""
    return m.marking.kind if m.marking.kind is not None and m.marking.kind in marking_rules() else "plain"


def stroke_length_mm(m: Measures, surface_id: str) -> float:
    """Length of a stroke on the paper in millimetres, from the measured hair; 0 where a length means nothing."""
    s = surfaces()[surface_id]
    if not s.hair or s.length <= 0:
        return 0.0
    own = m.length_mm if m.length_mm is not None else None
    return round(min(80.0, max(1.5, (own if own else 6.0) * s.length)), 1)


def spacing_mm(m: Measures, surface_id: str, finish: int) -> float:
    """Distance of strokes in millimetres: the measured width of the hair, closer at a high finish."""
    s = surfaces()[surface_id]
    k = m.mm_per_px or 0.0
    own = (m.hair.width_px or 0.0) * k if m.hair.width_px and k else 0.6
    return round(min(6.0, max(0.3, 1.4 * own * s.spacing * {1: 2.2, 2: 1.5, 3: 1.0, 4: 0.85, 5: 0.7}.get(finish, 1.0))), 2)


def layer_spacing_mm(layer: Layer, m: Measures, surface_id: str, finish: int) -> float:
    """Distance of a layer's strokes in millimetres.

    Open strokes lie as far apart as their coverage was foretold with. Where a recipe foretells a closed film they lie no further apart than they are wide;
    how much closer follows the hair and the finish.
    """
    own, scale = spacing_mm(m, surface_id, finish), hand_scale()
    if not layer.gesture:
        return own
    wide = scale.stroke_mm[layer.pressure - 1] * (laying_of(layer.laid).width or 1.0)
    if layer.coverage < 1:
        apart = next((g.apart for medium in ("pencil", "pastel") for g in gestures(medium) if g.id == layer.gesture), 0.0)
        return round(apart * wide if apart else hand_whisker().width_mm / layer.coverage, 2)
    return round(min(max(own, scale.apart * wide), wide), 2)


FADES = 3
"""Lightfastness (1 best to 5) above which a pencil is none for paid work."""
LEAST_SHARE, LEAST_C = 0.02, 6.0
"""A colour of the palette with less share, or weaker than this C*, is no hue of the area."""


def rules_of(m: Measures, craft: Craft, kit: Kit, paper_id: str = "") -> Rules:
    """What the measures ask of a recipe beside its colours: the hues that are there, whether whites must stay clean, which pencils fade, how whiskers are
    laid on this paper.
    """
    hues = [np.asarray(c.lab, float) for c in m.palette if c.share >= LEAST_SHARE] + [np.asarray(h.lab, float) for h in m.hidden]
    fading = frozenset(p.code for p in kit if p.lightfast > FADES)
    hidden = tuple(np.asarray(h.lab, float) for h in m.hidden) if craft.hidden_undertone else ()
    return Rules(tuple(v for v in hues if float(chroma(v)) > LEAST_C), craft.coat in ("white", "cream"), hidden=hidden, fugitive=fading, hairs=single_hairs(m, craft, kit, paper_id))


def single_hairs(m: Measures, craft: Craft, kit: Kit, paper_id: str) -> SingleHairs | None:
    """How the whiskers that were measured are laid; None without any, or where nobody knows their size."""
    if m.whiskers is None or not m.whiskers.count or not m.mm_per_px or not m.mm2:
        return None
    lines, told = m.whiskers.found, hand_whisker()
    light = 2 * sum(w.light for w in lines) >= len(lines)
    ground = sum(w.over_l for w in lines) / len(lines)
    line = sum(w.own_l for w in lines) / len(lines)
    method, warning = whisker_method(paper_id, kit.medium, craft.school.get("lights", "reserved"), ground, line, craft.school.get("blending") == "solvent", craft.has)
    length = sum(w.length_px for w in lines) * m.mm_per_px
    return SingleHairs(
        method.id, f"{method.words} {method.rule}" + (f" {warning}" if warning else ""), light, length / len(lines), told.width_mm,
        length * told.width_mm / m.mm2, told.pressure_light if light else told.pressure_dark,
    )  # fmt: skip


def craft_of(
    m: Measures,
    surface_id: str,
    medium: str,
    coat: str = "",
    marking: str = "",
    chosen: Mapping[str, str] | Sequence[tuple[str, str]] = (),
    finish: int = 3,
    tools: frozenset[str] | None = None,
) -> Craft:
    """What the craft says of a measured area; ``tools`` are those in the drawer, None any. Raises `RecipeFault` for ids that do not exist."""
    if surface_id not in surfaces():
        raise RecipeFault(f"There is no surface “{surface_id}”.", do=f"Use one of {', '.join(surfaces())}.")
    if not FINISH[0] <= finish <= FINISH[1]:
        raise RecipeFault(f"The finish {finish} is outside {FINISH[0]}–{FINISH[1]}.")
    s = surfaces()[surface_id]
    c = coats()[coat_id(coat) if coat else measured_coat(m)]
    rule_id = marking.strip().lower() if marking else measured_marking(m)
    if rule_id not in marking_rules():
        raise RecipeFault(f"There is no marking “{marking}”.", do=f"Use one of {', '.join(marking_rules())}.")
    return Craft(
        pencil_kinds(), s.stroke, s.base, stroke_length_mm(m, surface_id), blend=s.blend, light=s.light, coat=c.id, school=school(medium, chosen), finish=finish,
        keeps_off={p.id: p.keeps_off for p in parts_of(surface_id) if p.keeps_off}, gestures=gestures(medium), card=() if medium == "pastel" else gestures("card"), form=form_rules(), scale=hand_scale(),
        words=gesture_words(), kind=s.words, darks=c.darks if s.hair else (), lights=c.lights if s.hair else (),
        hidden_undertone=s.hair and c.hidden_undertone, tools=tools,
    )
