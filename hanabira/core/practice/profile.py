"""What answers tell: a bias with its certainty, by value step and by surround; how hard to ask next; what comes back when."""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from hanabira.core.sentences import say

CERTAIN_ANSWERS, LEAST_BIAS, TAU = 20, 0.25, 2.6
"""A bias is claimed from so many answers on, from so many steps on, beyond so many of its standard deviations."""
LEAST_SD = 0.35
"""Scatter of answers in steps that is assumed at least: few answers that agree by chance prove nothing."""


@dataclass(frozen=True)
class Answer:
    """One answer: the drill, when, whether it was right, how hard it was, the question's key, and for values what is and what was said in steps
    (L*/10), with how much lighter than its surround the spot was; ``neutral`` where it stood on neutral grey.
    """

    drill: str
    at: str
    right: bool
    level: float
    key: str
    is_step: float | None = None
    said_step: float | None = None
    lift: float = 0.0
    neutral: bool = False
    score: float | None = None
    """What it is measured by where it is neither value nor choice: ΔE00 of a stack, overlap of a shape (0–1), degrees of a stroke."""
    hue: str = ""
    """Whether the spot of a value was warm, cool or neutral."""

    @property
    def error(self) -> float | None:
        """Steps too light (+) or too dark (−); None where no value was asked."""
        return None if self.is_step is None or self.said_step is None else self.said_step - self.is_step


@dataclass(frozen=True)
class Diagnosis:
    """Bias in steps (+ too light) with its standard deviation, from how many answers, and whether it is claimed, in a sentence."""

    bias: float
    sigma: float
    answers: int
    claimed: bool
    sentence: str


def diagnose(errors: Sequence[float]) -> Diagnosis:
    """The bias of signed errors: a Huber mean, so that one slip does not count as a habit.

    Source: Huber (1964), "Robust estimation of a location parameter", Annals of Mathematical Statistics 35.
    """
    n = len(errors)
    if n == 0:
        return Diagnosis(0.0, float("inf"), 0, False, say("practice.none_yet"))
    e = np.asarray(errors, float)
    mean = float(np.median(e))
    sd = max(LEAST_SD, 1.4826 * float(np.median(np.abs(e - mean))))
    for _ in range(20):
        weight = np.minimum(1.0, 1.5 * sd / np.maximum(np.abs(e - mean), 1e-9))
        mean = float((weight * e).sum() / weight.sum())
    sigma = sd / float(np.sqrt(n))
    claimed = n >= CERTAIN_ANSWERS and abs(mean) >= LEAST_BIAS and abs(mean) > TAU * sigma
    way = "light" if mean > 0 else "dark"
    key = f"practice.bias_{way}" if claimed else "practice.bias_few" if n < CERTAIN_ANSWERS else "practice.bias_none"
    return Diagnosis(mean, sigma, n, claimed, say(key, size=abs(mean), sigma=sigma, answers=n, left=max(0, CERTAIN_ANSWERS - n)))


@dataclass(frozen=True)
class Profile:
    """All that the answers tell of values: over everything, by value step 1–10, in darker and lighter surroundings, and what the surround alone does."""

    whole: Diagnosis
    steps: Mapping[int, Diagnosis]
    darker_round: Diagnosis
    lighter_round: Diagnosis
    on_neutral: Diagnosis
    right: Mapping[str, tuple[int, int]]
    """By drill: how many were right, and how many there were."""
    hues: Mapping[str, Diagnosis]
    """Values of warm, cool and neutral spots."""


def profile(answers: Iterable[Answer]) -> Profile:
    """The profile of all answers."""
    every = list(answers)
    told = [a for a in every if a.error is not None]
    plain = [a for a in told if not a.neutral]
    steps = {k: [a.error for a in plain if a.is_step is not None and min(10, int(a.is_step) + 1) == k] for k in range(1, 11)}
    right: dict[str, tuple[int, int]] = {}
    for a in every:
        good, all_ = right.get(a.drill, (0, 0))
        right[a.drill] = good + a.right, all_ + 1
    e = lambda rows: [a.error for a in rows if a.error is not None]  # noqa: E731
    return Profile(
        diagnose(e(plain)), {k: diagnose([v for v in rows if v is not None]) for k, rows in steps.items()},
        diagnose(e(a for a in plain if a.lift > 0.5)), diagnose(e(a for a in plain if a.lift < -0.5)), diagnose(e(a for a in told if a.neutral)), right,
        {h: diagnose(e(a for a in plain if a.hue == h)) for h in HUE_SIDES},
    )  # fmt: skip


HUE_SIDES = ("warm", "cool", "neutral")
"""As `core.colour.words.temperature` names a spot."""

RATE = 0.75
DOWN = 0.25


def next_level(level: float, right: bool, low: float = 0.0, high: float = 4.0) -> float:
    """How hard to ask next so that three of four are right: up by a quarter when right, down by three quarters when wrong.

    Source: Kaernbach (1991), "Simple adaptive testing with the weighted up-down method", Perception and Psychophysics 49.

    >>> next_level(1.0, True), next_level(1.0, False)
    (1.25, 0.25)
    """
    return float(np.clip(level + (DOWN if right else -DOWN * RATE / (1 - RATE)), low, high))


@dataclass(frozen=True)
class ComesBack:
    """A question that comes back: its key, in how many days, and on which day."""

    key: str
    days: float
    due: datetime.date


def remembered(answers: Iterable[Answer]) -> dict[str, ComesBack]:
    """What comes back when: a wrong one tomorrow, a right one after twice the days it had waited, at most half a year."""
    out: dict[str, ComesBack] = {}
    for a in sorted(answers, key=lambda a: a.at):
        day = datetime.datetime.fromisoformat(a.at).date()
        before = out.get(a.key)
        days = min(180.0, (before.days if before else 1.5) * 2) if a.right else 1.0
        out[a.key] = ComesBack(a.key, days, day + datetime.timedelta(days=round(days)))
    return out


def due(cards: Mapping[str, ComesBack], day: datetime.date) -> tuple[str, ...]:
    """Keys of what comes back by a day, the longest waiting first."""
    return tuple(c.key for c in sorted(cards.values(), key=lambda c: (c.due, c.key)) if c.due <= day)


@dataclass(frozen=True)
class Learner:
    """A simulated learner: sees everything ``bias`` steps too light, scatters by ``noise``, and is drawn by the surround by ``pull`` of a step a step."""

    bias: float = 0.0
    noise: float = 0.5
    pull: float = 0.0

    def says(self, is_step: float, lift: float, rng: np.random.Generator, neutral: bool = False) -> float:
        """What it says of a value, in steps 0–10, to a quarter."""
        said = is_step + self.bias + (0.0 if neutral else self.pull * lift) + rng.normal(0, self.noise)
        return float(np.clip(np.round(said * 4) / 4, 0, 10))

    @staticmethod
    def parse(text: str) -> Learner:
        """From ``bias=+1.0,noise=0.5``. Raises `ValueError`."""
        given: dict[str, float] = {}
        for part in text.split(","):
            name, eq, value = part.partition("=")
            if not eq or name.strip() not in ("bias", "noise", "pull"):
                raise ValueError(part)
            given[name.strip()] = float(value)
        if not all(np.isfinite(v) and abs(v) <= 10 for v in given.values()) or given.get("noise", 0) < 0:
            raise ValueError(text)
        return Learner(**given)
