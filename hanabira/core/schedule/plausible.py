"""Which logged minutes can be believed: rows ticked off in a burst, and rows that no hand needs, teach nothing until the artist says more."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

BURST_S, BURST_LEAST = 90.0, 3
"""Rows that follow each other within so many seconds, at least so many of them, each far too short, were ticked off together."""
TOO_SHORT = 0.2
"""Share of our guess under which a step in such a row cannot have been worked."""
TOO_LONG, LONG_MIN = 8.0, 240.0
"""Times our guess, and minutes, above which the clock ran while nobody drew."""
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
        elif r.minutes > max(TOO_LONG * r.guess, LONG_MIN):
            out.append(_doubt("long", [r]))
    close()
    return tuple(out)


def _alone(r: DoneStep) -> Doubt:
    return _doubt("short", [r])


def _doubt(kind: str, rows: Sequence[DoneStep]) -> Doubt:
    return Doubt(kind, tuple(r.id for r in rows), sum(r.minutes for r in rows), sum(r.guess for r in rows))


def shared(rows: Sequence[DoneStep], minutes: float) -> dict[str, float]:
    """Minutes for each row of a burst when they took ``minutes`` together: by our guesses."""
    whole = sum(r.guess for r in rows) or 1.0
    return {r.id: round(minutes * r.guess / whole, 2) for r in rows}
