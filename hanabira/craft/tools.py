"""Tools beside the pencils, as the drawer lists them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache

from hanabira.core.faults import RecipeFault
from hanabira.craft.rules import load


@dataclass(frozen=True)
class Tool:
    """What a tool is called, and what it is for."""

    name: str
    use: str


@cache
def tools() -> Mapping[str, Tool]:
    """All tools by id, in the order they are listed."""
    return {key: Tool(told["name"], told["use"]) for key, told in load("tools.toml").items()}


STEPS = {"reserve": "Kept free", "peel": "Tape off", "lift": "Kneaded eraser", "erase": "Eraser", "tape": "Masking tape on"}
"""Steps without a pencil whose name is not their tool's."""


def step_name(tool: str) -> str:
    """What a step with a tool is called in a list.

    >>> step_name("reserve"), step_name("stump")
    ('Kept free', 'Paper stump')
    """
    return STEPS.get(tool) or (tools()[tool].name if tool in tools() else tool.capitalize())


def drawer(kept: Sequence[str]) -> frozenset[str] | None:
    """The tools of a drawer as a setting keeps it: nothing said means every one (None), ``none`` alone means none. `RecipeFault` for an unknown one.

    >>> drawer([]), sorted(drawer(["stump", "tape"])), drawer(["none"])
    (None, ['stump', 'tape'], frozenset())
    """
    unknown = [q for q in kept if q not in tools() and q != NONE]
    if unknown:
        raise RecipeFault(f"There is no tool “{unknown[0]}”.", do=f"Use some of {', '.join(tools())}, or {NONE}.")
    return frozenset(q for q in kept if q != NONE) if kept else None


NONE = "none"
"""What a drawer without any tool says."""
