"""Safety words from the tools and pigments that a step really uses."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from functools import cache

from hanabira.core.optics.kit import Pencil
from hanabira.craft.supplies import DATA

SHEET = "Follow the maker’s data sheet and local rules."
HAZARDOUS = ("cadmium", "cobalt", "chrom", "lead", "nickel", "mangan")
"""Parts of pigment names that point to a metal."""


@cache
def _entries() -> Mapping[str, tuple[tuple[str, ...], str]]:
    with open(DATA / "cautions.toml", "rb") as f:
        return {k: (tuple(v["when"]), v["text"]) for k, v in tomllib.load(f).items()}


def words_for(*occasions: str) -> tuple[str, ...]:
    """The words of every caution that one of these occasions calls for, each once; with the maker's sheet at the end."""
    found = [text for when, text in _entries().values() if any(o in when for o in occasions)]
    return (*found, SHEET) if found else ()


def step_cautions(tool: str, role: str, pencil: Pencil | None) -> tuple[str, ...]:
    """Cautions of one step: its tool, its role, and the pencil's binder and pigment name."""
    occasions = [tool, role]
    if pencil is not None:
        occasions.append(pencil.binder)
        if any(q in pencil.name.lower() for q in HAZARDOUS):
            occasions.append("hazardous")
    return words_for(*(o for o in occasions if o))
