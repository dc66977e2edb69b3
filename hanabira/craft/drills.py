"""The drills of Practice, from data."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from functools import cache
from pathlib import Path

DATA = Path(__file__).parent / "data" / "drills.toml"
BENCHES = ("eye", "hand", "part")


@dataclass(frozen=True)
class Drill:
    """A drill: its name, bench (eye, hand, part), minutes, questions a round, and keys with what they do."""

    id: str
    name: str
    bench: str
    minutes: int
    questions: int
    how: tuple[tuple[str, str], ...]


@cache
def drills() -> dict[str, Drill]:
    """All drills by id, in their order."""
    with open(DATA, "rb") as f:
        found = tomllib.load(f)
    return {
        key: Drill(key, q["name"], q["bench"], int(q["minutes"]), int(q["questions"]), tuple((str(a), str(b)) for a, b in q["how"]))
        for key, q in found.items()
    }
