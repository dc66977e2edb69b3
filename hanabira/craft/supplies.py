"""Reads the craft data: papers, surfaces, the kits that ship."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

from hanabira.core.colour import spaces
from hanabira.core.faults import KitFault
from hanabira.core.optics.paper import Paper
from hanabira.core.places import parts
from hanabira.craft import kitfile

if TYPE_CHECKING:
    from hanabira.core.optics.kit import Kit
    from hanabira.core.places.parts import SurfacePart
    from hanabira.core.places.place import Place, Places

DATA = Path(__file__).parent / "data"

KITS = {"pencils": ("Hollin & Wray, 72 pencils", "hollin-72.csv"), "pastels": ("Hollin & Wray, 60 pastels", "wray-pastel-60.csv")}
"""Kits that ship: id → name and file. Makers are invented."""


UNMARKED = ("mane-and-tail", "ear-inside", "wet", "thin-haired-skin", "whisker", "lash")
"""Surfaces whose lights and darks are locks, folds and skin: no marking is looked for in them unless the artist says that there is one."""


@dataclass(frozen=True)
class Surface:
    """What kind of thing an area shows and how it is usually laid.

    ``lights_percent`` of the area is kept for light hairs or highlights. ``blend`` says whether a blend serves
    (``soft``, ``light``) or grain helps (``none``); ``light`` what the last lights are; ``length`` and ``spacing``
    of a stroke are shares of the measured hair. ``look_for`` is what else is measured: nose, whiskers, feathers.
    """

    id: str
    name: str
    hair: bool
    stroke: str
    lights_percent: float
    why_general: str
    why_gap: str
    look_for: tuple[str, ...] = ()
    base: str = "side"
    blend: str = "none"
    light: str = "hairs"
    length: float = 1.0
    spacing: float = 1.0
    why_ground: str = ""
    why_light: str = ""
    words: str = "hair"
    """Which sentences fit it (`gesture_words.toml`)."""

    @property
    def fur(self) -> bool:
        """Whether it is hair of an animal, in which a colour that no coat has lies in the way; feathers have any colour."""
        return self.hair and "feathers" not in self.look_for and self.anatomy in ("coat", "locks")

    @property
    def anatomy(self) -> str:
        """How its places are found: as an eye, a nose, a coat that may be marked, hair in locks or thin hair that is not, or bare."""
        if self.id in ("eye", "nose"):
            return self.id
        if not self.hair and "feathers" not in self.look_for:
            return "bare"
        return "locks" if self.id in UNMARKED else "coat"


@cache
def _load(name: str) -> Mapping[str, dict[str, Any]]:
    with open(DATA / name, "rb") as f:
        return tomllib.load(f)


@cache
def papers() -> Mapping[str, Paper]:
    """All papers by id, in the order they are offered."""
    return {
        key: Paper(
            key, v["name"], v["cap"], off=v["off"], soft=v["soft"], grip=v["grip"], ground_hex=v["ground"], grounds=tuple(v["grounds"].items()),
            note=v["note"],
        )
        for key, v in _load("papers.toml").items()
    }


@cache
def parts_of(surface_id: str) -> tuple[SurfacePart, ...]:
    """Parts that a surface can have, in the order of their ranks."""
    found = _load("places.toml").get(surface_id, {}).get("parts", ())
    known = [parts.SurfacePart(v["id"], v.get("name", ""), v["how"], v["rank"], tuple(v.get("keeps_off", ()))) for v in found]
    return tuple(sorted(known, key=lambda p: p.rank))


def named(places: Places, surface_id: str) -> Places:
    """Places with the names that their surface has for its values."""
    names = _load("places.toml").get(surface_id, {}).get("values", {})
    if not names:
        return places

    def name(p: Place) -> Place:
        plain = next((k for k in names if p.name == k or p.name.startswith(f"{k} in the ")), "")
        return replace(p, name=names[plain] + p.name[len(plain) :]) if plain else p

    return replace(places, all=tuple(name(p) for p in places))


def paper(paper_id: str, ground_hex: str | None = None) -> Paper:
    """Paper of an id, in another colour when one is given; `KitFault` for an unknown id."""
    found = papers().get(paper_id)
    if found is None:
        raise KitFault(f"There is no paper “{paper_id}”.", do=f"Use one of {', '.join(papers())}.")
    return found.with_ground(ground_hex) if ground_hex else found


def paper_for(kit: Kit, base: Paper, ground_hex: str | None = None) -> Paper:
    """A paper as a kit's swatches have it; its ground is the one given, else that of the swatches when both are white."""
    fit = kit.fit
    if fit is None:
        return base.with_ground(ground_hex) if ground_hex else base
    fitted = fit.paper(base)
    white = float(spaces.srgb_to_lab(spaces.parse_hex(base.ground_hex))[0]) > 85
    return fitted.with_ground(ground_hex or (fit.white_hex if fit.white_hex and white else base.ground_hex))


@cache
def surfaces() -> Mapping[str, Surface]:
    """All surfaces by id, in the order they are offered."""
    return {
        key: Surface(
            key, v["name"], v["hair"], stroke=v["stroke"], lights_percent=v["lights"], why_general=v["why_general"], why_gap=v["why_gap"],
            look_for=tuple(v.get("look_for", ())), base=v["base"], blend=v["blend"], light=v["light"], length=float(v["length"]),
            spacing=float(v["spacing"]), why_ground=v["why_ground"], why_light=v["why_light"], words=v["words"],
        )  # fmt: skip
        for key, v in _load("surfaces.toml").items()
    }


@cache
def shipped_kit(kit_id: str = "pencils") -> Kit:
    """A kit that ships, by id."""
    if kit_id not in KITS:
        raise KitFault(f"There is no kit “{kit_id}”.", do=f"Use one of {', '.join(KITS)} or a kit file.")
    name, file = KITS[kit_id]
    return kitfile.read_kit(DATA / file, name)
