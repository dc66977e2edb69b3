"""Pencils and kits as the optics see them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache

import numpy as np

from hanabira.core.colour.spaces import Array, parse_hex, srgb_to_lab, srgb_to_xyz
from hanabira.core.faults import KitFault
from hanabira.core.optics.bands import colour_to_reflectance, reflectance_to_lab
from hanabira.core.optics.film import Film, film_of, scattering_of
from hanabira.core.optics.paper import YULE_NIELSEN, Paper
from hanabira.core.optics.tooth import STANDARD_PRESSURES, Pressures

BINDERS = ("oil", "wax", "pastel")


@dataclass(frozen=True)
class Pencil:
    """One pencil or stick. ``opacity`` 0–1, ``lightfast`` 1 (best) to 5, ``hardness`` 0 soft to 1 hard.

    ``bands`` holds a measured masstone reflectance (eight values) and ``strength`` a measured
    scattering, ``slope`` how it grows with the band’s reflectance; without them they follow from
    the hex colour, the opacity and the binder. ``spread_de`` is the error to expect of its
    predictions, None where it was never fitted.
    """

    code: str
    name: str
    hex: str
    opacity: float = 0.5
    lightfast: int = 2
    binder: str = "oil"
    hardness: float = 0.5
    owned: bool = True
    bands: tuple[float, ...] | None = None
    strength: float | None = None
    slope: float = 0.0
    spread_de: float | None = None
    extra: tuple[tuple[str, str], ...] = ()

    def __post_init__(self) -> None:
        if not self.code or not self.name:
            raise KitFault("A pencil needs a code and a name.")
        if self.binder not in BINDERS:
            raise KitFault(f"Pencil {self.code}: the binder “{self.binder}” is not one of {', '.join(BINDERS)}.")
        if not 0 <= self.opacity <= 1:
            raise KitFault(f"Pencil {self.code}: opacity {self.opacity} is outside 0–1.")
        if not 1 <= self.lightfast <= 5:
            raise KitFault(f"Pencil {self.code}: lightfastness {self.lightfast} is outside 1–5.")
        parse_hex(self.hex)

    @property
    def lab(self) -> Array:
        """Lab of the masstone's hex colour."""
        return srgb_to_lab(parse_hex(self.hex))

    @property
    def scattering(self) -> float:
        """Scattering per unit thickness."""
        return self.strength if self.strength is not None else scattering_of(self.opacity, self.binder)


MIDDLE_BAND = 0.3


def band_scattering(strength: Array, slope: Array, bands: Array) -> Array:
    """Scattering in each band: a pigment scatters a little more where it reflects more."""
    return strength * np.exp(slope * (bands - MIDDLE_BAND))


@dataclass(frozen=True)
class Fit:
    """What swatches told of paper and hand, relative to the standard paper they were fitted on.

    ``cap``, ``soft`` and ``grip`` are factors, ``off`` a shift; ``n`` the Yule–Nielsen exponent;
    ``white_hex`` the bare paper of the swatches. ``median_de`` and ``p95_de`` are the fit's own residuals;
    ``paper_id`` is the paper that the swatches were laid on, empty in kits from before.
    """

    hand: Pressures
    cap: float = 1.0
    off: float = 0.0
    soft: float = 1.0
    grip: float = 1.0
    n: float = YULE_NIELSEN
    white_hex: str = ""
    median_de: float = 0.0
    p95_de: float = 0.0
    paper_id: str = ""

    def paper(self, paper: Paper) -> Paper:
        """A paper as these swatches have it."""
        return replace(
            paper, cap=paper.cap * self.cap, off=paper.off + self.off, soft=paper.soft * self.soft, grip=paper.grip * self.grip, n=self.n
        )


@lru_cache(maxsize=16)
def _of_hexes(hexes: tuple[str, ...]) -> Array:
    """Reflectance (n, 8) of colours, kept: the same pencils come back in many a kit, steadier or under another name."""
    found = colour_to_reflectance(np.array([srgb_to_xyz(parse_hex(q)) for q in hexes]))
    found.setflags(write=False)
    return found


@dataclass(frozen=True)
class Kit:
    """An ordered set of pencils with unique codes; ``fit`` holds what its swatches told of paper and hand, ``unsteady`` how much more the hand that uses
    it scatters than the usual one (1).
    """

    name: str
    pencils: tuple[Pencil, ...]
    fit: Fit | None = None
    unsteady: float = 1.0

    def __post_init__(self) -> None:
        seen: set[str] = set()
        for p in self.pencils:
            if p.code in seen:
                raise KitFault(f"The code {p.code} stands twice in the kit “{self.name}”.")
            seen.add(p.code)
        if not self.pencils:
            raise KitFault(f"The kit “{self.name}” has no pencils.")

    def __iter__(self) -> Iterator[Pencil]:
        return iter(self.pencils)

    def __len__(self) -> int:
        return len(self.pencils)

    def get(self, code: str) -> Pencil:
        """Pencil of a code; `KitFault` when the kit has none."""
        try:
            return self.pencils[self.index[code]]
        except KeyError:
            raise KitFault(f"The kit “{self.name}” has no pencil {code}.") from None

    def subset(self, codes: Sequence[str]) -> Kit:
        """The pencils of these codes, in the kit's order."""
        keep = set(codes)
        return Kit(self.name, tuple(p for p in self.pencils if p.code in keep), self.fit, self.unsteady)

    @property
    def hand(self) -> Pressures:
        """What the hand does at the five pressures, as its swatches told."""
        return self.fit.hand if self.fit else STANDARD_PRESSURES

    @property
    def usable(self) -> Kit:
        """The pencils that are owned; all of them when none is."""
        return Kit(self.name, tuple(p for p in self.pencils if p.owned) or self.pencils, self.fit, self.unsteady)

    @cached_property
    def index(self) -> dict[str, int]:
        """Place of each code."""
        return {p.code: i for i, p in enumerate(self.pencils)}

    @property
    def medium(self) -> str:
        """``pastel`` when most pencils are pastel, else ``pencil``."""
        return "pastel" if sum(p.binder == "pastel" for p in self.pencils) * 2 > len(self.pencils) else "pencil"

    @cached_property
    def masstones(self) -> Array:
        """Masstone reflectance (n, 8)."""
        plain = [i for i, p in enumerate(self.pencils) if p.bands is None]
        out = np.empty((len(self.pencils), 8))
        if plain:
            out[plain] = _of_hexes(tuple(self.pencils[i].hex for i in plain))
        for i, p in enumerate(self.pencils):
            if p.bands is not None:
                out[i] = p.bands
        return out

    @cached_property
    def masstone_lab(self) -> Array:
        """Lab (n, 3) of the masstones."""
        return reflectance_to_lab(self.masstones)

    @cached_property
    def film(self) -> Film:
        """Films of all pencils, (n, 8) each."""
        strength = np.array([p.scattering for p in self.pencils])[:, None]
        slope = np.array([p.slope for p in self.pencils])[:, None]
        return film_of(self.masstones, band_scattering(strength, slope, self.masstones))


def film_at(kit: Kit, i: int) -> Film:
    """Film of the pencil at place ``i``."""
    return Film(kit.film.absorption[i], kit.film.scattering[i])
