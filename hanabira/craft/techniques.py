"""The technique data: coats, markings, schools; and what it says of one measured area."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache
from typing import Any

import numpy as np

from hanabira.core.area.measures import Measures
from hanabira.core.colour.spaces import chroma, hue_deg
from hanabira.core.faults import RecipeFault
from hanabira.core.solver.place_plan import Rules
from hanabira.core.solver.technique import Allowed, Craft
from hanabira.craft.supplies import DATA, parts_of, surfaces

MEDIA = ("pencil", "pastel")
FINISH = (1, 5)


@dataclass(frozen=True)
class Coat:
    """A coat: limits by which it is told, its rules in one sentence each, and the pencils they allow."""

    id: str
    name: str
    when: Mapping[str, Sequence[Any]]
    dark: str
    light: str
    why: str
    also: tuple[str, ...] = ()
    darks: tuple[Allowed, ...] = ()
    lights: tuple[Allowed, ...] = ()
    hidden_undertone: bool = False


@dataclass(frozen=True)
class MarkingRule:
    """A marking: its measured class, when its edge is mapped, how hard it is, whether the darks get a second pass."""

    id: str
    name: str
    kind: str
    map: str
    edge: str
    again: bool
    why: str


@dataclass(frozen=True)
class Switch:
    """One question where practitioners differ, its choices with their reasons, and the default of each medium."""

    id: str
    name: str
    choices: Mapping[str, str] = field(default_factory=dict)
    default: Mapping[str, str] = field(default_factory=dict)


def _load(name: str) -> dict[str, Any]:
    with open(DATA / name, "rb") as f:
        return tomllib.load(f)


def _allowed(rules: Sequence[Mapping[str, Any]]) -> tuple[Allowed, ...]:
    return tuple(
        Allowed(
            tuple(r.get("l", (0, 100))),
            tuple(r.get("c", (0, 200))),
            tuple(r["h"]) if "h" in r else None,
            r.get("own"),
            r.get("lean", False),
        )
        for r in rules
    )


@cache
def coats() -> Mapping[str, Coat]:
    """All coats by id, in the order in which they are tried."""
    return {
        k: Coat(
            k,
            v["name"],
            v["when"],
            v["dark"],
            v["light"],
            v["why"],
            tuple(v.get("also", ())),
            _allowed(v["darks"]),
            _allowed(v["lights"]),
            v.get("hidden_undertone", False),
        )  # fmt: skip
        for k, v in _load("coats.toml").items()
    }


@cache
def marking_rules() -> Mapping[str, MarkingRule]:
    """All markings by id."""
    return {
        k: MarkingRule(k, v["name"], v["class"], v["map"], v["edge"], v["again"], v["why"]) for k, v in _load("marking_rules.toml").items()
    }


@cache
def switches() -> Mapping[str, Switch]:
    """All switches of the schools by id."""
    return {k: Switch(k, v["name"], v["choices"], v["default"]) for k, v in _load("schools.toml").items()}


def school(medium: str, chosen: Mapping[str, str] | Sequence[tuple[str, str]] = ()) -> dict[str, str]:
    """Every switch with its choice: the medium's default, or what was chosen. Raises `RecipeFault` for an unknown one."""
    out = {k: s.default[medium if medium in MEDIA else "pencil"] for k, s in switches().items()}
    for key, value in dict(chosen).items():
        if key not in switches():
            raise RecipeFault(f"There is no switch “{key}”.", do=f"Use one of {', '.join(switches())}.")
        if value not in switches()[key].choices:
            raise RecipeFault(f"“{value}” is no choice of {key}.", do=f"Use one of {', '.join(switches()[key].choices)}.")
        out[key] = value
    return out


def coat_id(name: str) -> str:
    """Id of a coat by its id, its name or another word for it. Raises `RecipeFault` for an unknown one."""
    key = name.strip().lower()
    for k, c in coats().items():
        if key in (k, c.name.lower(), *(q.lower() for q in c.also)):
            return k
    words = [w for k, c in coats().items() for w in (k, *c.also)]
    raise RecipeFault(f"There is no coat “{name}”.", do=f"Use one of {', '.join(words)}.")


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


LEAST_SHARE, LEAST_C = 0.02, 6.0
"""A colour of the palette with less share, or weaker than this C*, is no hue of the area."""


def rules_of(m: Measures, craft: Craft) -> Rules:
    """What the measures ask of a recipe beside its colours: the hues that are there, and whether whites must stay clean."""
    hues = [np.asarray(c.lab, float) for c in m.palette if c.share >= LEAST_SHARE] + [np.asarray(h.lab, float) for h in m.hidden]
    hidden = tuple(np.asarray(h.lab, float) for h in m.hidden) if craft.hidden_undertone else ()
    return Rules(tuple(v for v in hues if float(chroma(v)) > LEAST_C), craft.coat in ("white", "cream"), hidden=hidden)


def craft_of(
    m: Measures,
    surface_id: str,
    medium: str,
    coat: str = "",
    marking: str = "",
    chosen: Mapping[str, str] | Sequence[tuple[str, str]] = (),
    finish: int = 3,
) -> Craft:
    """What the craft says of a measured area. Raises `RecipeFault` for ids that do not exist."""
    if surface_id not in surfaces():
        raise RecipeFault(f"There is no surface “{surface_id}”.", do=f"Use one of {', '.join(surfaces())}.")
    if not FINISH[0] <= finish <= FINISH[1]:
        raise RecipeFault(f"The finish {finish} is outside {FINISH[0]}–{FINISH[1]}.")
    s = surfaces()[surface_id]
    c = coats()[coat_id(coat) if coat else measured_coat(m)]
    rule_id = marking.strip().lower() if marking else measured_marking(m)
    if rule_id not in marking_rules():
        raise RecipeFault(f"There is no marking “{marking}”.", do=f"Use one of {', '.join(marking_rules())}.")
    rule = marking_rules()[rule_id]
    hairy = s.hair
    why = {
        "ground": s.why_ground,
        "general": s.why_general,
        "gap": f"{s.why_gap} {c.dark}" if hairy else s.why_gap,
        "light": f"{s.why_light} {c.light}" if hairy else s.why_light,
        "outline": rule.why,
    }
    return Craft(
        s.stroke,
        s.base,
        stroke_length_mm(m, surface_id),
        s.blend,
        s.light,
        c.id,
        school(medium, chosen),
        finish,
        why,
        {p.id: p.keeps_off for p in parts_of(surface_id) if p.keeps_off},
    )
