"""A paper, pencils and a hand of their own physics: the independent truth behind the stand-ins.

Nothing here uses the application's film model. The sheet is a field of heights; a pass touches
what stands high enough and leaves pigment where there is room; light goes down and up through
the layers of every point by an exponential rule with internal scatter; the eye mixes points
partly by light and partly by its root; the surface glares a little. Spectra have 36 bands and
are built from three bumps, not from the smoothest curve.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array, lab_to_xyz, xyz_to_lab
from hanabira.core.optics.bands import FINE_XYZ
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.tools import laying_of

_NM = np.arange(380, 731, 10).astype(float)
_SIDE = 40


@dataclass(frozen=True)
class Truth:
    """Figures of a simulated studio: roughness and room of the paper, reach and load of the hand, glare, unsteadiness."""

    seed: int = 1
    roughness: float = 0.22
    room: float = 1.0
    reach: tuple[float, float, float] = (0.45, 0.72, 1.02)
    load: tuple[float, float, float] = (0.20, 0.42, 0.80)
    strength: float = 1.0
    glare: float = 0.006
    root_share: float = 0.45
    unsteady: float = 0.05


TRUTHS = (
    Truth(),
    Truth(seed=2, roughness=0.30, room=1.35, reach=(0.38, 0.62, 0.92), load=(0.16, 0.36, 0.70), strength=1.25, glare=0.010, root_share=0.3),
    Truth(seed=3, roughness=0.16, room=0.80, reach=(0.52, 0.80, 1.10), load=(0.25, 0.50, 0.92), strength=0.85, glare=0.004, root_share=0.6),
)


TAKES = {"lift": 0.18, "erase": 0.8, "scrape": 0.9}
"""Share of the covered points that one dab of kneaded eraser, one rub of a rubber and one stroke of a blade strip."""
STAYS, BEARS = 0.04, 0.02
"""What stays of the film on a stripped point, and the load from which a point counts as covered."""


@dataclass(frozen=True)
class _Film:
    """One pass on the sheet: body reflectance (36,), absorption (36,), scatter, and how much lies on each point (n,)."""

    body: Array
    absorb: Array
    scatter: float
    amount: Array


def bump_spectrum(lab: Array) -> Array:
    """A reflectance (36,) of three bumps and a floor with about this colour: a metamer of the smoothest one."""
    wanted = lab_to_xyz(lab)
    centres, widths = np.array([450.0, 545.0, 625.0]), np.array([34.0, 40.0, 44.0])
    shapes = np.exp(-0.5 * ((_NM[:, None] - centres) / widths) ** 2)
    shapes[:, 0] += (_NM < 450) * 0.5
    shapes[:, 2] = np.maximum(shapes[:, 2], _NM > 625)
    out = np.full(36, 0.5)
    weights = np.linalg.lstsq(FINE_XYZ.T @ shapes, wanted, rcond=None)[0]
    for _ in range(40):
        out = np.clip(shapes @ weights, 0.008, 0.96)
        weights = weights + 0.6 * np.linalg.lstsq(FINE_XYZ.T @ shapes, wanted - out @ FINE_XYZ, rcond=None)[0]
    return out


class SimulatedSheet:
    """Lays stacks of a kit on a simulated paper and tells their true colour."""

    def __init__(
        self,
        kit: Kit,
        truth: Truth = TRUTHS[0],
        white_lab: Sequence[float] = (95.8, -0.4, 2.0),
        black_lab: Sequence[float] = (14.6, 0.3, -0.6),
    ) -> None:
        self.kit, self.truth = kit, truth
        rng = np.random.default_rng(truth.seed)
        field = cv2.GaussianBlur(rng.normal(size=(_SIDE, _SIDE)), (0, 0), 1.1, borderType=cv2.BORDER_REFLECT).ravel()
        rank = np.empty(field.size)
        rank[np.argsort(field)] = (np.arange(field.size) + 0.5) / field.size
        self._depth = 0.5 + truth.roughness * 2.2 * (rank - 0.5) * 1.6
        self._grounds = {"white": bump_spectrum(np.array(white_lab)), "black": bump_spectrum(np.array(black_lab))}
        self._pigments: dict[str, tuple[Array, Array, float]] = {}

    def _pigment(self, code: str) -> tuple[Array, Array, float]:
        """Body reflectance, absorption and scatter of a pencil; its true colour differs a little from its label."""
        if code not in self._pigments:
            pencil = self.kit.get(code)
            rng = np.random.default_rng([self.truth.seed, *map(ord, code)])
            lab = pencil.lab + rng.normal(0, [1.8, 2.2, 2.2])
            lab[0] = np.clip(lab[0], 8, 97)
            body = bump_spectrum(lab)
            scatter = (
                (0.9 + 3.0 * pencil.opacity)
                * (3.5 if pencil.binder == "pastel" else 1.0)
                * self.truth.strength
                * np.exp(rng.normal(0, 0.12))
            )
            absorb = scatter * (0.25 + 0.55 * (1 - body) ** 1.6 / (body + 0.06))
            self._pigments[code] = body, absorb, scatter
        return self._pigments[code]

    def ground_lab(self, ground: str) -> Array:
        """True Lab of a bare ground."""
        return xyz_to_lab(self._see(np.repeat(self._grounds[ground][None], 1, 0)))

    def _see(self, points: Array) -> Array:
        share = self.truth.root_share
        mixed = (1 - share) * points.mean(0) + share * np.sqrt(points).mean(0) ** 2
        return (mixed * (1 - self.truth.glare) + self.truth.glare * 0.9) @ FINE_XYZ

    def lay(self, layers: Sequence[Pass], ground: str = "white", hand: np.random.Generator | None = None) -> Array:
        """True Lab of a stack; with a ``hand`` no two are alike.

        Lifting, erasing and scraping take films off again, those on what stands highest first; other tools leave no trace.
        """
        t = self.truth
        films: list[_Film] = []
        fill = np.zeros(_SIDE * _SIDE)
        room = t.room * (0.5 + self._depth)
        for layer in layers:
            if layer.tool:
                films, fill = self._taken_off(films, fill, layer, hand)
                continue
            body, absorb, scatter = self._pigment(layer.code)
            reach, load = (float(np.interp(layer.pressure, [1, 3, 5], v)) for v in (t.reach, t.load))
            way = laying_of(layer.laid)
            for _ in range(layer.passes):
                a, b = (1.0, 0.0) if hand is None else (float(np.exp(hand.normal(0, t.unsteady))), float(hand.normal(0, t.unsteady * 0.4)))
                gap = reach + way.reach + b - self._depth + 0.15 * fill / room
                touch = np.clip(gap / 0.22 + 0.5, 0, 1)
                amount = a * way.deposit * load * touch**1.3 * np.maximum(0, 1 - fill / room) ** 0.8
                fill = fill + amount
                films.append(_Film(body, absorb, scatter, amount))
        points = np.repeat(self._grounds[ground][None], _SIDE * _SIDE, 0)
        for f in films:
            back = f.body * (1 - np.exp(-f.scatter * f.amount))[:, None]
            through = np.exp(-f.amount[:, None] * f.absorb)
            points = np.minimum(back + through**2 * points * (1 - back) / (1 - 0.5 * back * points), 0.98)
        return xyz_to_lab(self._see(points))

    def _taken_off(self, films: list[_Film], fill: Array, layer: Pass, hand: np.random.Generator | None) -> tuple[list[_Film], Array]:
        """What a tool leaves: it strips its share of the points that still bear pigment, those that stand highest first."""
        share = TAKES.get(layer.tool, 0.0)
        for _ in range(layer.passes if share else 0):
            take = share * (1.0 if hand is None else float(hand.uniform(0.8, 1.2)))
            bears = np.flatnonzero(fill > BEARS)
            highest = bears[np.argsort(self._depth[bears])]
            stripped = highest[: round(min(1.0, take) * highest.size)]
            keeps = np.ones(fill.size)
            keeps[stripped] = STAYS
            fill = fill * keeps
            films = [replace(f, amount=f.amount * keeps) for f in films]
        return films, fill
