"""Reads what surfaces took in solved recipes, for hours before there is one."""

from __future__ import annotations

from functools import cache

from hanabira.core.schedule.first_hours import FirstFigures
from hanabira.craft.rules import load


@cache
def first_figures() -> FirstFigures:
    """Minutes by surface, and how far whole animals lay from what they tell."""
    told = load("first_hours.toml")
    rates = {k: v["min_a_cm2"] for k, v in told["surface"].items()}
    return FirstFigures(told["least_min"], {**{k: rates[of] for k, of in told["like"].items()}, **rates}, told["usual"], told["spread"])
