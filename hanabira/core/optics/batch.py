"""Many stacks at once: the same physics as optics.stack, over arrays of candidates."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from hanabira.core.colour.spaces import Array
from hanabira.core.optics.bands import reflectance_to_lab
from hanabira.core.optics.film import Film, over, reflect_transmit
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import YULE_NIELSEN, Paper
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.stack import PaperState
from hanabira.core.optics.tools import laying_of
from hanabira.core.optics.tooth import DEPTHS, SETTLE, STANDARD_PRESSURES, Pressures, room, see

SCENARIOS = 6
MOST_PASSES = 6


@dataclass(frozen=True)
class Batch:
    """States of many spots: ``zones`` (…, 3, 8), ``fill`` (…, 3), ``crush`` (…)."""

    zones: Array
    fill: Array
    crush: Array
    n: float = YULE_NIELSEN

    def take(self, index: Array) -> Batch:
        """The states at these places of the first axis."""
        return Batch(self.zones[index], self.fill[index], self.crush[index], self.n)

    def spread(self) -> Batch:
        """The same states with an axis of 1 after the first, to broadcast against choices."""
        return Batch(self.zones[:, None], self.fill[:, None], self.crush[:, None], self.n)

    def opened(self, closed: Batch, coverage: float) -> Batch:
        """What strokes that close a share of the spots make of them (`optics.stack.opened`)."""
        if coverage >= 1:
            return closed

        def mean(a: Array, b: Array) -> Array:
            return np.asarray((1 - coverage) * a + coverage * b)

        return Batch(mean(self.zones, closed.zones), mean(self.fill, closed.fill), mean(self.crush, closed.crush), self.n)

    @property
    def lab(self) -> Array:
        """Lab of what the eye sees, (…, 3)."""
        return reflectance_to_lab(see(self.zones, self.n))


def start(spot: PaperState, n: int = 1) -> Batch:
    """A batch of ``n`` copies of one spot."""
    return Batch(np.repeat(spot.zones[None], n, 0), np.repeat(spot.tooth.fill[None], n, 0), np.full(n, spot.tooth.crush), spot.paper.n)


def used(paper: Paper, batch: Batch) -> Array:
    """Share of the tooth used, (…)."""
    space = room(paper) * (1 - batch.crush[..., None])
    return np.clip(batch.fill / space, 0, 1).mean(-1)


def lay(
    paper: Paper,
    batch: Batch,
    film: Film,
    pressure: Array,
    hand: Pressures = STANDARD_PRESSURES,
    thickness: Array | float = 1.0,
    reach: Array | float = 0.0,
    crush: float = 1.0,
) -> tuple[Batch, Array]:
    """One pass over all states. Film (…, 8), pressure (…) of 1–5, hand scatter (…), factor of what is pressed down; also the mean deposit (…)."""
    i = np.asarray(pressure) - 1
    space = room(paper) * (1 - batch.crush[..., None])
    depth = DEPTHS * (1 - SETTLE * batch.fill / space)
    contact = 1 / (1 + np.exp(-((hand.reach[i] + reach)[..., None] + paper.off - depth) / paper.soft))
    left = np.maximum(0, 1 - batch.fill / (space * hand.full[i][..., None]))
    t = (hand.deposit[i] * thickness)[..., None] * paper.grip * left * np.sqrt(contact)
    r0, t2 = reflect_transmit(Film(film.absorption[..., None, :], film.scattering[..., None, :]), t[..., None])
    c = contact[..., None]
    zones = c * over(r0, t2, batch.zones) + (1 - c) * batch.zones
    pressed = batch.crush + crush * hand.crush[i] * (1 - batch.crush)
    amount = contact * t
    return Batch(zones, batch.fill + amount, np.broadcast_to(pressed, amount.shape[:-1]), batch.n), amount.mean(-1)


def hand_scatter() -> tuple[Array, Array]:
    """Six hands: thickness factors and reach shifts, each (6, MOST_PASSES).

    Drawn once and antithetic (three draws and their mirror), so that the mean of the
    hands is the nominal hand and scores do not jitter between runs.
    """
    rng = np.random.default_rng(20)
    a, b = rng.normal(size=(2, SCENARIOS // 2, MOST_PASSES))
    thickness = np.exp(0.18 * np.concatenate([a, -a]))
    reach = 0.06 * np.concatenate([b, -b])
    return thickness, reach


_THICKNESS, _REACH = hand_scatter()


def stack_under_hands(paper: Paper, spot: PaperState, kit: Kit, layers: Sequence[Pass]) -> Array:
    """Lab (6, 3) of one stack, its open strokes too, under the six hands of `under_hands`."""
    batch, k = start(spot, SCENARIOS), 0
    for layer in layers:
        before, i = batch, kit.index[layer.code]
        film, pressure = Film(kit.film.absorption[i], kit.film.scattering[i]), np.full(SCENARIOS, layer.pressure)
        way = laying_of(layer.laid)
        for _ in range(layer.passes):
            thickness, reach = _THICKNESS[:, k % MOST_PASSES] ** kit.unsteady, _REACH[:, k % MOST_PASSES] * kit.unsteady
            batch, _deposit = lay(paper, batch, film, pressure, kit.hand, thickness * way.deposit, reach + way.reach, way.crush)
            k += 1
        batch = before.opened(batch, layer.coverage)
    return batch.lab


def under_hands(paper: Paper, spot: PaperState, kit: Kit, pencils: Array, pressures: Array) -> Array:
    """Lab (n, 6, 3) of ``n`` stacks under the six hands.

    A kit's ``unsteady`` hand scatters so many times as far. ``pencils`` (n, passes) are places in the kit and ``pressures`` (n, passes) 1–5, both with −1
    or 0 where a stack has fewer passes.
    """
    n, passes = pencils.shape
    zones = np.broadcast_to(spot.zones, (n, SCENARIOS, 3, 8))
    fill = np.broadcast_to(spot.tooth.fill, (n, SCENARIOS, 3))
    batch = Batch(zones, fill, np.full((n, SCENARIOS), spot.tooth.crush), paper.n)
    for k in range(passes):
        on = pencils[:, k] >= 0
        if not on.any():
            break
        i = pencils[on, k]
        film = Film(kit.film.absorption[i][:, None], kit.film.scattering[i][:, None])
        part = batch.take(on)
        pressure = np.broadcast_to(pressures[on, k][:, None], (len(i), SCENARIOS))
        thickness, reach = _THICKNESS[:, k % MOST_PASSES] ** kit.unsteady, _REACH[:, k % MOST_PASSES] * kit.unsteady
        done, _ = lay(paper, part, film, pressure, kit.hand, thickness, reach)
        if on.all():
            batch = done
        else:
            z, f, c = batch.zones.copy(), batch.fill.copy(), batch.crush.copy()
            z[on], f[on], c[on] = done.zones, done.fill, done.crush
            batch = Batch(z, f, c, paper.n)
    return batch.lab
