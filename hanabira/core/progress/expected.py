"""What each area should look like by now, and how well the forecast knows it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from hanabira.core.colour.spaces import Array
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.stack import apply, bare, seen_as
from hanabira.core.progress.on_sheet import OnSheet
from hanabira.core.solver.layer import CORRECT, Layer, goes_over

SPREAD: Mapping[str, tuple[Array, Array]] = {
    "seen": (np.array([1.6, 0.9, 1.0]), np.array([1.7, 0.9, 1.0])),
    "scrap": (np.array([1.6, 0.9, 1.0]), np.array([1.7, 0.9, 1.0])),
    "near": (np.array([2.5, 1.3, 1.7]), np.array([2.3, 1.1, 1.4])),
    "fitted": (np.array([3.5, 1.6, 2.4]), np.array([2.8, 1.2, 1.8])),
    "shipped": (np.array([7.0, 3.5, 4.0]), np.array([4.5, 2.0, 2.5])),
}
"""Standard deviations of L*, a*, b* of a forecast: shared by an area, and of each place besides. Measured against the simulated paper."""


COVERED_L = 30.0
"""So many L* under its paper a place counts as well covered."""


@dataclass(frozen=True)
class AreaStack:
    """What the plan says of an area: its recipe's layers, those that lie there in the order they were laid, and the targets (Lab) by place."""

    area_id: str
    recipe: tuple[Layer, ...]
    laid: tuple[Layer, ...]
    skipped: frozenset[str] = frozenset()
    """Ids of layers that the log calls skipped."""
    targets: Mapping[str, Array] = field(default_factory=dict)
    tried: Mapping[tuple[str, str], Array] = field(default_factory=dict)
    """Colours (Lab) of stacks that were tried on scrap and read back, by (place, `signature`)."""
    lean: tuple[float, float, float] = (0.0, 0.0, 0.0)
    """How far this hand lies from the forecast in L*, a*, b* where paper is well covered, as earlier photos taught and the artist agreed."""
    accepted: Mapping[str, tuple[tuple[Layer, ...], Array]] = field(default_factory=dict)
    """What the last photo found where nothing was wrong, by place: the layers that lay there then, and Lab."""


@dataclass(frozen=True)
class Expected:
    """An area as it should stand: Lab by place now, at the end, and as the photo asks; what the forecast of each place rests on; its layers.

    ``missing`` are layers of the recipe by place that are not there though a later one of that place is.
    """

    area_id: str
    now: Mapping[str, Array]
    final: Mapping[str, Array]
    target: Mapping[str, Array]
    source: Mapping[str, str]
    laid: tuple[Layer, ...]
    recipe: tuple[Layer, ...]
    missing: Mapping[str, tuple[Layer, ...]]

    @property
    def done(self) -> int:
        """Layers of the recipe that lie there."""
        there = {q.id for q in self.laid}
        return sum(q.id in there for q in self.recipe)

    @property
    def begun(self) -> bool:
        """Whether any pencil lies there by the log."""
        return any(q.code and not q.tool for q in self.laid)

    @property
    def finished(self) -> bool:
        """Whether nothing of the recipe is left to lay."""
        return self.begun and self.done >= len(self.recipe)


def signature(layers: Sequence[Layer], place: str) -> str:
    """A stack in one place as text: two stacks with the same signature look the same."""
    return " ".join(f"{q.tool or q.code}/{q.pressure if not q.tool else 0}x{q.passes}" for q in layers if goes_over(q, place))


def expected(stack: AreaStack, paper: Paper, kit: Kit) -> Expected:
    """The forecast of a stack place by place, by the surest source that each place has.

    Corrections answer what was seen on the paper and not what the recipe wants, so they move what lies there, never what is wanted.
    """
    planned = tuple(q for q in stack.laid if q.role != CORRECT)
    # a layer that was swapped, pressed otherwise or left out is no wish of the plan: it wants the recipe's own
    steps = {q.id: n for n, q in enumerate(stack.recipe)}
    reached = max((steps.get(q.id, -1) for q in planned), default=-1)
    there = {q.id for q in planned}
    wished = tuple(
        q for n, q in enumerate(stack.recipe) if q.role != CORRECT and (q.id in there or (n <= reached and q.id in stack.skipped))
    )
    whole = tuple(q for q in stack.recipe if q.role != CORRECT)
    now, final, source = {}, {}, {}
    fitted = "fitted" if kit.fit else "shipped"
    for place in stack.targets:
        plain_now, plain_end = _colour(paper, kit, wished, place), _colour(paper, kit, whole, place)
        ground = np.asarray(bare(paper).lab)
        now[place], source[place] = _known(stack, place, wished, plain_now, plain_end, whole, ground, fitted)
        if source[place] == fitted:
            now[place] = _leaning(now[place], ground, stack.lean)
            plain_end = _leaning(plain_end, ground, stack.lean)
        final[place] = stack.tried.get((place, signature(whole, place)), plain_end)
        then = stack.accepted.get(place)
        if then is not None and source[place] != "scrap":
            before = [q for q in then[0] if goes_over(q, place)]
            here = [q for q in wished if goes_over(q, place)]
            ids = [q.id for q in here]
            if [q.id for q in before] == ids[: len(before)]:
                since = here[len(before) :]
                now[place] = as_seen(paper, kit, before, place, then[1], since)
                source[place] = "near" if since else "seen"
    missing = {p: tuple(q for q in wished if q.id in stack.skipped and q.id not in there and goes_over(q, p)) for p in stack.targets}
    return Expected(
        stack.area_id, now, final, target=dict(stack.targets), source=source, laid=stack.laid, recipe=stack.recipe,
        missing={p: q for p, q in missing.items() if q},
    )


def _leaning(lab: Array, ground: Array, lean: Sequence[float]) -> Array:
    """A forecast with the hand's lean, which grows with how far the colour lies from the bare paper."""
    covered = float(np.clip((ground[0] - lab[0]) / COVERED_L, 0, 1))
    return np.asarray(lab + covered * np.asarray(lean, float))


def _colour(paper: Paper, kit: Kit, layers: Sequence[Layer], place: str) -> Array:
    spot = bare(paper)
    for q in layers:
        if goes_over(q, place) and (q.tool or q.code in kit.index):
            spot = apply(spot, kit, q.as_pass)
    return np.asarray(spot.lab)


def _known(
    stack: AreaStack, place: str, wished: Sequence[Layer], now: Array, end: Array, whole: Sequence[Layer], paper_lab: Array, fitted: str
) -> tuple[Array, str]:
    """The colour of a stack by what was tried on scrap: itself, or the miss of the whole stack scaled to the part that lies there."""
    mine = stack.tried.get((place, signature(wished, place)))
    if mine is not None:
        return np.asarray(mine, float), "scrap"
    tried = stack.tried.get((place, signature(whole, place)))
    if tried is None or not any(goes_over(q, place) for q in wished):
        return now, fitted
    share = float(np.clip(np.linalg.norm(now - paper_lab) / max(1.0, float(np.linalg.norm(end - paper_lab))), 0, 1))
    return now + share * (np.asarray(tried, float) - end), "near"


def as_seen(paper: Paper, kit: Kit, layers: Sequence[Layer], place: str, seen: Array, since: Sequence[Layer]) -> Array:
    """Lab of a place that was ``seen`` in a photo with ``layers`` on it, after the layers ``since``."""
    spot = seen_as(paper, kit, [q.as_pass for q in layers if goes_over(q, place)], seen)
    for q in since:
        if goes_over(q, place):
            spot = apply(spot, kit, q.as_pass)
    return np.asarray(spot.lab)


def wanted_picture(sheet: OnSheet, found: Sequence[Expected], paper_lab: Array, final: bool = False) -> Array:
    """The sheet (h, w, 3) Lab as the plan wants it now, or at the end."""
    return sheet.picture({e.area_id: (e.final if final else e.now) for e in found if final or e.begun}, paper_lab)
