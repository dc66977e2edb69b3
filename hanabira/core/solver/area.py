"""Layers of an area, what they give in each place, and the small changes a hand makes to them.

A recipe by places names in each layer the places it covers. One by values, as they were planned before, names bands of value in words.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import Array
from hanabira.core.optics import batch as many
from hanabira.core.optics.film import Film
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.stack import PaperState, apply, bare
from hanabira.core.optics.tools import laying_of
from hanabira.core.solver.layer import BANDS, CORRECT, Layer, goes_over
from hanabira.core.solver.library import opaque_order
from hanabira.core.solver.target import Reach


@dataclass(frozen=True, eq=False)
class Targets(Mapping[str, Array]):
    """Targets on paper (Lab) by place, with the place that stands for each of the four bands where there is none of that name, what each place is
    called, and which places keep their paper: lighter than their target is no fault there.
    """

    labs: Mapping[str, Array]
    aliases: Mapping[str, str] = field(default_factory=dict)
    names: Mapping[str, str] = field(default_factory=dict)
    kept: frozenset[str] = frozenset()

    def __getitem__(self, key: str) -> Array:
        return self.labs[self.aliases.get(key, key) if key not in self.labs else key]

    def __iter__(self) -> Iterator[str]:
        return iter(self.labs)

    def __len__(self) -> int:
        return len(self.labs)

    def name(self, key: str) -> str:
        """A place in the artist's words."""
        return self.names.get(key, key)


@dataclass(frozen=True)
class BandState:
    """A band or place after each layer: Lab and tooth used; entries repeat where a layer does not go."""

    band: str
    target: Array
    labs: tuple[Array, ...]
    tooth: tuple[float, ...]
    expected_de00: float
    spread_de00: float = 0.0
    """Standard deviation of ΔE00 over the hands."""

    @property
    def lab(self) -> Array:
        """Lab at the end."""
        return self.labs[-1]

    @property
    def delta_e00(self) -> float:
        """ΔE00 from the target at the end."""
        return float(delta_e00(self.lab, self.target))


@dataclass(frozen=True)
class Prediction:
    """What a recipe gives in every band or place. ``labs`` and ``tooth`` of one start with the bare paper."""

    bands: Mapping[str, BandState]
    most_tooth: float
    aliases: Mapping[str, str] = field(default_factory=dict)
    """Places that stand for the four bands."""

    def band(self, name: str) -> BandState:
        """State of one place, or of the place that stands for a band."""
        return self.bands[name] if name in self.bands else self.bands[self.aliases[name]]


def follow(
    paper: Paper,
    kit: Kit,
    layers: Sequence[Layer],
    targets: Mapping[str, Array],
    expected: bool = True,
) -> Prediction:
    """Predict a recipe place by place. ``targets`` are paper targets (Lab) by band or place."""
    states, aliases = {}, getattr(targets, "aliases", {})
    for band in targets:
        spot = bare(paper)
        labs, tooth = [spot.lab], [spot.used]
        for layer in layers:
            if layer.role != CORRECT and goes_over(layer, band, aliases):
                spot = apply(spot, kit, layer.as_pass)
            labs.append(spot.lab)
            tooth.append(spot.used)
        target = targets[band]
        mean, spread = (
            _expected(paper, kit, [q for q in layers if q.role != CORRECT and goes_over(q, band, aliases)], target)
            if expected
            else (float("nan"), 0.0)
        )
        states[band] = BandState(band, target, tuple(labs), tuple(tooth), mean, spread)
    return Prediction(states, max(s.tooth[-1] for s in states.values()), aliases)


def _expected(paper: Paper, kit: Kit, layers: Sequence[Layer], target: Array) -> tuple[float, float]:
    """Mean and standard deviation of ΔE00 under the six hands. A tool blends what is there, so the hands scatter what lies over it."""
    spot, tail = bare(paper), list(layers)
    last_tool = max((i for i, q in enumerate(tail) if q.tool), default=-1)
    for layer in tail[: last_tool + 1]:
        spot = apply(spot, kit, layer.as_pass)
    over = [q.as_pass for q in tail[last_tool + 1 :]]
    if not over:
        return float(delta_e00(spot.lab, target)), 0.0
    de = delta_e00(many.stack_under_hands(paper, spot, kit, over), target)
    return float(de.mean()), float(de.std())


def paper_targets(reach: Reach, values: Mapping[str, Array]) -> dict[str, Array]:
    """Targets on paper of the four measured band colours (Lab)."""
    return {band: reach.paper_target(values[band]) for band in BANDS}


@dataclass(frozen=True)
class Variant:
    """Another way to lay an area: what differs in words, and its layers."""

    words: str
    layers: tuple[Layer, ...]


def with_layer(layers: Sequence[Layer], at: int, **changes: object) -> tuple[Layer, ...]:
    """The recipe with one layer changed; `RecipeFault` when the change makes no layer."""
    out = list(layers)
    out[at] = replace(out[at], **changes)  # type: ignore[arg-type]
    return tuple(out)


def without_layer(layers: Sequence[Layer], at: int) -> tuple[Layer, ...]:
    """The recipe without one layer."""
    return tuple(q for i, q in enumerate(layers) if i != at)


def moved_layer(layers: Sequence[Layer], at: int, to: int) -> tuple[Layer, ...]:
    """The recipe with one layer moved to another place."""
    out = list(layers)
    out.insert(max(0, min(len(out) - 1, to)), out.pop(at))
    return tuple(out)


@dataclass(frozen=True)
class Swap:
    """A pencil that could stand in a layer's place: what the layer's band then becomes."""

    code: str
    lab: Array
    delta_e00: float
    tooth: float


def _ending(spot: PaperState, kit: Kit, layers: Sequence[Layer]) -> PaperState:
    """A spot after further layers."""
    for q in layers:
        spot = apply(spot, kit, q.as_pass)
    return spot


def _laid(paper: Paper, kit: Kit, state: many.Batch, film: Film, layer: Layer) -> many.Batch:
    """Spots after a layer of films (n, 8)."""
    closed, way = state, laying_of(layer.laid)
    for _ in range(layer.passes):
        closed, _deposit = many.lay(paper, closed, film, np.full(len(film.absorption), layer.pressure), kit.hand, way.deposit, way.reach, way.crush)
    return state.opened(closed, layer.coverage)


def swaps(
    paper: Paper,
    kit: Kit,
    layers: Sequence[Layer],
    at: int,
    targets: Mapping[str, Array],
    most: int = 4,
) -> tuple[Swap, ...]:
    """The layer's own pencil first, then the best others in its place at the same pressure.

    Judged by the darkest band the layer reaches (opaque: the lightest), after the whole recipe.
    """
    layer = layers[at]
    if layer.tool:
        return ()
    band = judged_band(layer, opaque_order(kit, paper))
    mine = [q for q in layers if goes_over(q, band)]
    place = mine.index(layer)
    spot = bare(paper)
    for q in mine[:place]:
        spot = apply(spot, kit, q.as_pass)
    n = len(kit)
    state = many.start(spot, n)
    film = Film(kit.film.absorption, kit.film.scattering)
    state = _laid(paper, kit, state, film, layer)
    rest = mine[place + 1 :]
    if any(q.tool for q in rest):  # tools need the running sums: follow each pencil on its own
        ends = [_ending(spot, kit, [replace(layer, code=p.code), *rest]) for p in kit]
        labs = np.array([end.lab for end in ends])
        tooth = np.full(n, _ending(spot, kit, [layer, *rest]).used)
    else:
        for q in rest:
            i = kit.index[q.code]
            other = Film(np.repeat(kit.film.absorption[i : i + 1], n, 0), np.repeat(kit.film.scattering[i : i + 1], n, 0))
            state = _laid(paper, kit, state, other, q)
        labs, tooth = state.lab, many.used(paper, state)
    de = delta_e00(labs, targets[band])
    here = kit.index[layer.code]
    ranked = [here] + [int(i) for i in np.argsort(de) if i != here][: most - 1]
    return tuple(Swap(kit.pencils[i].code, labs[i], float(de[i]), float(tooth[i])) for i in ranked)


def judged_band(layer: Layer, opaque: bool) -> str:
    """The band or place a layer is judged in: the one it was laid for."""
    if layer.on:
        return layer.on[0]
    if opaque and layer.where == "everywhere":
        return "gap"
    return {
        "all but the gaps": "general",
        "all but the lights": "general",
        "all but the highlights": "light",
        "gaps": "gap",
        "lights": "light",
    }.get(layer.where, "highlight")
