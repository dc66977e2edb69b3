"""Hours before there is a recipe: by surface, square millimetres, finish and pace. An estimate, with the range that it really has."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from hanabira.core.schedule.order import Step
from hanabira.core.schedule.work import FINISH_TIME, HIGH, LOW, TEXTURE, AreaWork, LayerWork, Pace

FIRST = ":first"
"""How the key of a step ends that stands for a whole area without a recipe."""


@dataclass(frozen=True)
class FirstFigures:
    """What solved recipes took at finish 3: ``least_min`` however small an area is, ``min_a_cm2`` by surface, and ``usual`` (minutes a cm²) for a surface that
    was not tried, which its texture then corrects. ``spread`` is the factor either way within which 9 of 10 whole animals lay.
    """

    least_min: float
    min_a_cm2: Mapping[str, float]
    usual: float
    spread: float


def first_minutes(area: AreaWork, figures: FirstFigures, pace: Pace | None = None) -> tuple[float, float, float]:
    """Minutes of an area without a recipe: on a good day, in the middle, on a bad one.

    >>> figures = FirstFigures(15.0, {"short-fur": 3.0}, 3.0, 1.25)
    >>> low, middle, high = first_minutes(AreaWork("a", 1, "Cheek", "short-fur", 1000.0, (0, 0)), figures)
    >>> round(middle), round(low), round(high)
    (45, 26, 84)
    """
    rate = figures.min_a_cm2.get(area.surface_id)
    if rate is None:
        rate = figures.usual * TEXTURE.get(area.surface_id, 1.0)
    work = rate * max(0.0, area.mm2) / 100 * FINISH_TIME.get(area.finish, 1.0)
    middle = (figures.least_min + work) * (pace.factor(area.surface_id) if pace else 1.0)
    return middle * LOW / figures.spread, middle, middle * HIGH * figures.spread


def first_step(area: AreaWork, figures: FirstFigures, pace: Pace | None = None, spread: float = 1.0) -> Step:
    """An area without a recipe as one step: it takes its time in a calendar, and lays no layer. Its range is wider by a factor ``spread`` either way."""
    low, middle, high = first_minutes(area, figures, pace)
    low, high = low / spread, high * spread
    factor = pace.factor(area.surface_id) if pace else 1.0
    return Step(f"{area.id}{FIRST}", area, -1, LayerWork("first estimate", ""), low, high, middle / factor)


USUAL_AREAS = 10
"""Areas of coat that an animal is worked in when nobody has parted it yet, of equal size."""
EYE_MM2 = 150.0
"""What two eyes together take up on a usual sheet."""


def guessed_animal(mm2: float, surface_id: str) -> tuple[AreaWork, ...]:
    """An animal of ``mm2`` square millimetres as areas, before anybody has parted it: one coat, and a pair of eyes."""
    middle = (0.0, 0.0)
    coat = tuple(AreaWork(f"guess {n}", n, "coat", surface_id, mm2 / USUAL_AREAS, middle) for n in range(1, USUAL_AREAS + 1))
    eyes = tuple(AreaWork(f"guess eye {n}", USUAL_AREAS + n, "eye", "eye", EYE_MM2 / 2, middle) for n in (1, 2))
    return (*coat, *eyes) if mm2 > 0 else ()
