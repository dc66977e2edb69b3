"""Layers on paper: the state of a spot and what each pencil or tool does to it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike

from hanabira.core.colour.spaces import Array, lab_to_xyz, parse_hex, srgb_to_xyz
from hanabira.core.faults import RecipeFault
from hanabira.core.optics.bands import colour_to_reflectance, reflectance_to_lab, reflectance_to_xyz
from hanabira.core.optics.film import Film, over, reflect_transmit
from hanabira.core.optics.kit import Kit, film_at
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.tools import KEEPS_OFF, REMOVED, RUBS, TOOLS, Rub, laying_of
from hanabira.core.optics.tooth import STANDARD_PRESSURES, Pressures, Tooth, lay_pass, room, see, tooth_used

SOLVENT_INDEX = 1.44
"""Refractive index of mineral spirits."""


@dataclass(frozen=True)
class PaperState:
    """A spot of the paper under work.

    ``zones`` reflectance (3, 8); ``ground`` the paper's (8,); ``sums`` the running Σ K·c·t and
    Σ S·c·t, (2, 3, 8), from which a blend makes one even film.
    """

    paper: Paper
    ground: Array
    zones: Array
    tooth: Tooth
    sums: Array

    @property
    def reflectance(self) -> Array:
        """What the eye sees, (8,)."""
        return see(self.zones, self.paper.n)

    @property
    def lab(self) -> Array:
        """Lab of what the eye sees."""
        return reflectance_to_lab(self.reflectance)

    @property
    def used(self) -> float:
        """Share of the tooth used, 0–1."""
        return tooth_used(self.paper, self.tooth)


@lru_cache(maxsize=64)
def _ground_cached(ground_hex: str) -> tuple[float, ...]:
    return tuple(colour_to_reflectance(srgb_to_xyz(parse_hex(ground_hex)))[0])


def ground_reflectance(ground_hex: str) -> Array:
    """Reflectance (8,) of a paper colour."""
    return np.array(_ground_cached(ground_hex.lower()))


def bare(paper: Paper) -> PaperState:
    """The untouched paper."""
    ground = ground_reflectance(paper.ground_hex)
    return PaperState(paper, ground, np.repeat(ground[None], 3, 0), Tooth.fresh(), np.zeros((2, 3, 8)))


def lay(spot: PaperState, film: Film, pressure: int, hand: Pressures = STANDARD_PRESSURES, thickness: float = 1.0, reach: float = 0.0, crush: float = 1.0) -> PaperState:
    """One pass of a film (8,) at a pressure 1–5, with factors as in `tooth.lay_pass`.

    R ← c·over(R; t) + (1 − c)·R in every zone, where c is the share the pencil touches.
    """
    contact, t, tooth = lay_pass(spot.paper, spot.tooth, pressure, hand, thickness, reach, crush)
    r0, t2 = reflect_transmit(film, t[:, None])
    c = contact[:, None]
    zones = c * over(r0, t2, spot.zones) + (1 - c) * spot.zones
    amount = (contact * t)[:, None]
    sums = spot.sums + np.stack([film.absorption * amount, film.scattering * amount])
    return PaperState(spot.paper, spot.ground, zones, tooth, sums)


def _even_film(spot: PaperState) -> Array:
    """All pigment on the spot as one homogeneous film over the paper, (8,)."""
    k, s = spot.sums.mean(1)
    if float(s.max()) <= 1e-12:
        return spot.ground
    r0, t2 = reflect_transmit(Film(np.maximum(k, 1e-9), np.maximum(s, 1e-9)), 1.0)
    return over(r0, t2, spot.ground)


def rub(spot: PaperState, how: Rub) -> PaperState:
    """A tool evens the films, presses the tooth, frees some of it or fills it with clear binder.

    A solvent dissolves what is bound, so colour runs from the filled peaks into the valleys and deepens. Where stirring everything into one film would
    lift paler layers out from under a dark one, the dark runs as it is: on a paper lighter than the spot no solvent makes it lighter.
    """
    zones = (1 - how.evens) * spot.zones + how.evens * _even_film(spot)
    if how.runs and lightens(see(zones, spot.paper.n), spot.reflectance, spot.ground):
        zones = (1 - how.evens) * spot.zones + how.evens * running(spot.zones, spot.tooth.fill)
        zones = spot.zones if lightens(see(zones, spot.paper.n), spot.reflectance, spot.ground) else zones
    crush = spot.tooth.crush + how.crush * (1 - spot.tooth.crush)
    fill = spot.tooth.fill * how.keeps
    return replace(spot, zones=zones, tooth=Tooth(fill + how.fills * np.maximum(0, room(spot.paper, crush) - fill), crush))


def lightens(after: Array, before: Array, ground: Array) -> Array:
    """Whether reflectances (…, 8) become lighter though they are darker than the ground (8,)."""
    y = lambda r: reflectance_to_xyz(r)[..., 1]  # noqa: E731
    return np.asarray((y(after) > y(before)) & (y(before) < y(ground)))


def running(zones: Array, fill: Array) -> Array:
    """Colour that runs out of the filled parts of the tooth: the mean of the zones (…, 3, 8) by what lies in them (…, 3), to (…, 8)."""
    share = fill / np.maximum(fill.sum(-1, keepdims=True), 1e-12)
    return np.asarray((share[..., None] * zones).sum(-2))


def wet(reflectance: Array, n: float = SOLVENT_INDEX) -> Array:
    """Reflectance (…, 8) of a rough surface while it is wet: darker, since light is thrown back into the liquid again and again.

    R' = R / (n² (1 − R) + R). Source: Ångström (1925), "The albedo of various surfaces of ground", Geografiska Annaler 7.

    >>> float(wet(np.array(0.5)))  # doctest: +ELLIPSIS
    0.325...
    """
    return np.asarray(reflectance / (n * n * (1 - reflectance) + reflectance))


def remove(spot: PaperState, share: float) -> PaperState:
    """Take a share of the film away, the top zones first (lift, scrape, erase).

    Zones give up 1, 0.75 and 0.5 of the share; what is left is the same mixture, thinner.
    """
    part = share * np.array([1.0, 0.75, 0.5])
    keep = (1 - part)[:, None]
    zones = keep * spot.zones + (1 - keep) * spot.ground
    return replace(spot, zones=zones, tooth=Tooth(spot.tooth.fill * (1 - part), spot.tooth.crush), sums=spot.sums * keep)


def use_tool(spot: PaperState, tool: str) -> PaperState:
    """Apply a tool of `TOOLS`; `RecipeFault` for an unknown one."""
    if tool in RUBS:
        return rub(spot, RUBS[tool])
    if tool in KEEPS_OFF:  # the paper under it is unchanged
        return spot
    if tool in REMOVED:
        return remove(spot, REMOVED[tool])
    raise RecipeFault(f"“{tool}” is not a tool.", do=f"Use one of {', '.join(TOOLS)}.")


def apply(spot: PaperState, kit: Kit, layer: Pass) -> PaperState:
    """Apply one layer, all its passes."""
    if layer.tool:
        used = use_tool(spot, layer.tool)
        return opened(spot, used, layer.coverage) if layer.coverage < 1 else used
    film, before = film_at(kit, kit.index[kit.get(layer.code).code]), spot
    way = laying_of(layer.laid)
    for _ in range(layer.passes):
        spot = lay(spot, film, layer.pressure, kit.hand, way.deposit, way.reach, way.crush)
    return opened(before, spot, layer.coverage) if layer.coverage < 1 else spot


def opened(before: PaperState, closed: PaperState, coverage: float) -> PaperState:
    """A spot of which strokes close only a share: the mean of what lies under them and of what lies between them.

    Further passes go over the same strokes. Strokes are far wider than light spreads in paper, so their reflectances add by area (Murray 1936); what is laid
    later meets the mean of both.
    """

    def mean(a: Array, b: Array) -> Array:
        return np.asarray((1 - coverage) * a + coverage * b)

    tooth = Tooth(mean(before.tooth.fill, closed.tooth.fill), float(mean(np.array(before.tooth.crush), np.array(closed.tooth.crush))))
    return replace(closed, zones=mean(before.zones, closed.zones), tooth=tooth, sums=mean(before.sums, closed.sums))


def predict(paper: Paper, kit: Kit, layers: Iterable[Pass], start: PaperState | None = None) -> list[PaperState]:
    """The spot after each layer, from the paper upward.

    >>> from hanabira.core.optics.kit import Pencil
    >>> kit = Kit("one", (Pencil("1", "Black", "#202020"),))
    >>> paper = Paper("p", "Paper", 1.42, .20, .18, 1.0)
    >>> spots = predict(paper, kit, [Pass("1", 5), Pass("1", 5)])
    >>> spots[0].lab[0] > spots[1].lab[0]
    np.True_
    """
    spot, out = start if start is not None else bare(paper), []
    for layer in layers:
        spot = apply(spot, kit, layer)
        out.append(spot)
    return out


def seen_as(paper: Paper, kit: Kit, layers: Sequence[Pass], observed: ArrayLike) -> PaperState:
    """The spot of a known stack, rescaled band by band to the colour that was really seen."""
    spot = predict(paper, kit, layers)[-1] if layers else bare(paper)
    seen = colour_to_reflectance(lab_to_xyz(np.asarray(observed, float)))[0]
    scale = seen / np.maximum(spot.reflectance, 1e-4)
    return replace(spot, zones=np.clip(spot.zones * scale, 1e-4, 0.995))
