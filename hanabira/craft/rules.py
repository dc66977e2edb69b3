"""The technique data: coats, markings, schools."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache
from typing import Any

from hanabira.core.faults import RecipeFault
from hanabira.core.solver.allowed import Allowed
from hanabira.craft.supplies import DATA

MEDIA = ("pencil", "pastel")


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


def load(name: str) -> dict[str, Any]:
    """A file of the craft data, read anew."""
    with open(DATA / name, "rb") as f:
        return tomllib.load(f)


def allowed_of(rules: Sequence[Mapping[str, Any]]) -> tuple[Allowed, ...]:
    """Kinds of pencils as the craft data writes them."""
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
            k, v["name"], v["when"], dark=v["dark"], light=v["light"], why=v["why"], also=tuple(v.get("also", ())), darks=allowed_of(v["darks"]),
            lights=allowed_of(v["lights"]), hidden_undertone=v.get("hidden_undertone", False),
        )  # fmt: skip
        for k, v in load("coats.toml").items()
    }


@cache
def marking_rules() -> Mapping[str, MarkingRule]:
    """All markings by id."""
    return {
        k: MarkingRule(k, v["name"], v["class"], v["map"], v["edge"], v["again"], v["why"]) for k, v in load("marking_rules.toml").items()
    }


@cache
def switches() -> Mapping[str, Switch]:
    """All switches of the schools by id."""
    return {k: Switch(k, v["name"], v["choices"], v["default"]) for k, v in load("schools.toml").items()}


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
