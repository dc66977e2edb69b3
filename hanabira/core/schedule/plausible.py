"""Which logged minutes can be believed: rows ticked off in a burst, and rows that no hand needs, teach nothing until the artist says more."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

BURST_S, BURST_LEAST = 90.0, 3
"""Rows that follow each other within so many seconds, at least so many of them, each far too short, were ticked off together."""
TOO_SHORT = 0.2
"""Share of our guess under which a step in such a row cannot have been worked."""
USUAL_SPREAD, SPREAD_WEIGHT = 0.55, 12.0
"""Spread of single steps round our guess (natural log) before anything is logged, and as how many logged steps that counts."""
IMPROBABLE, LEAST_OVER_MIN = 2.6, 15.0
"""So many spreads above what this hand takes, and so many minutes, from which a step is asked about: about one honest step in two hundred."""
MOST_LOG = math.log(4.0)
"""No hand is more than four times as slow, or as quick, as we guess."""
MOST_SPREADS = 2.0
"""A step farther out than this counts as that far when the hand's own spread is learned: one lunch must not hide the next."""
NO_TIME = 0.03
"""Share of our guess under which even a single step is asked about."""


@dataclass(frozen=True)
class DoneStep:
    """A done step: its id, when it ended in seconds, its minutes and our guess of them."""

    id: str
    at_s: float
    minutes: float
    guess: float


@dataclass(frozen=True)
class Doubt:
    """Rows to ask about: ``burst`` of several, ``long`` or ``short`` of one; the minutes they hold and our guess of them."""

    kind: str
    rows: tuple[str, ...]
    minutes: float
    guess: float


def doubts(rows: Sequence[DoneStep]) -> tuple[Doubt, ...]:
    """What must be asked about, in the order of time. A row is in one doubt at most.

    >>> [d.kind for d in doubts([DoneStep(str(n), 20.0 * n, 0.3, 12.0) for n in range(5)])]
    ['burst']
    """
    ordered = sorted((r for r in rows if r.guess > 0), key=lambda r: r.at_s)
    usual, spread = hand(ordered)
    out: list[Doubt] = []
    run: list[DoneStep] = []

    def close() -> None:
        if len(run) >= BURST_LEAST:
            out.append(_doubt("burst", run))
        else:
            out.extend(_alone(r) for r in run if r.minutes < NO_TIME * r.guess)
        run.clear()

    for r in ordered:
        short = r.minutes < TOO_SHORT * r.guess
        if not short or (run and r.at_s - run[-1].at_s > BURST_S):
            close()
        if short:
            run.append(r)
        elif r.minutes > longest(r.guess, usual, spread):
            out.append(_doubt("long", [r]))
    close()
    return tuple(out)


def hand(rows: Sequence[DoneStep]) -> tuple[float, float]:
    """What a hand takes against our guess, from its own steps: the middle and the spread of the natural log of their ratio.

    Both are shrunk toward our guess (a normal model with `SPREAD_WEIGHT` steps of `USUAL_SPREAD` behind it), the middle is a median, and what lies far out counts
    as `MOST_SPREADS`. Steps that were hardly worked say nothing.

    >>> [round(v, 2) for v in hand([])]
    [0.0, 0.55]
    """
    logs = sorted(max(-MOST_LOG, min(MOST_LOG, math.log(r.minutes / r.guess))) for r in rows if r.guess > 0 and r.minutes >= TOO_SHORT * r.guess)
    n = len(logs)
    if not n:
        return 0.0, USUAL_SPREAD
    median = (logs[(n - 1) // 2] + logs[n // 2]) / 2
    usual = n * median / (n + SPREAD_WEIGHT)
    near = [max(-MOST_SPREADS * USUAL_SPREAD, min(MOST_SPREADS * USUAL_SPREAD, v - median)) for v in logs]
    own = (sum(v * v for v in near) + SPREAD_WEIGHT * USUAL_SPREAD**2) / (n + SPREAD_WEIGHT)
    return usual, math.sqrt(own + n / (n + SPREAD_WEIGHT) * (median - usual) ** 2)  # how far the middle was drawn toward our guess is doubt, too


def longest(guess: float, usual: float = 0.0, spread: float = USUAL_SPREAD) -> float:
    """Minutes that a step of so many guessed ones takes at most, before it is asked about.

    >>> round(longest(9.0))
    38
    >>> round(longest(1.5))
    16
    """
    middle = guess * math.exp(usual)
    return max(middle * math.exp(IMPROBABLE * spread), middle + LEAST_OVER_MIN)


def _alone(r: DoneStep) -> Doubt:
    return _doubt("short", [r])


def _doubt(kind: str, rows: Sequence[DoneStep]) -> Doubt:
    return Doubt(kind, tuple(r.id for r in rows), sum(r.minutes for r in rows), sum(r.guess for r in rows))


def shared(rows: Sequence[DoneStep], minutes: float) -> dict[str, float]:
    """Minutes for each row of a burst when they took ``minutes`` together: by our guesses."""
    whole = sum(r.guess for r in rows) or 1.0
    return {r.id: round(minutes * r.guess / whole, 2) for r in rows}
