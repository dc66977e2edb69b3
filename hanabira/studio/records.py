"""What a studio keeps, as frozen records. Lengths in millimetres of paper, positions in photo pixels."""

from __future__ import annotations

import os
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Protocol, TypeVar

from hanabira.core.area.shape import Point
from hanabira.core.places.place import Place
from hanabira.core.solver.layer import Layer
from hanabira.core.study.preparation import Preparation
from hanabira.studio.layer_ids import with_ids

STAGES = ("Brief", "Study", "Areas", "Recipe", "Plan", "Easel", "Check")
"""The stages of a commission."""
PARTS = ("main", "eye", "colour", "pose", "detail")
"""What a photo can be for."""
LOG_STATES = ("done", "skipped", "note")


PART = "part-"
"""How the ids of small sheets for practice begin."""


def is_part(commission_id: str) -> bool:
    """Whether a commission is practice and no paid work."""
    return commission_id.startswith(PART)


def new_id() -> str:
    """An id that no other studio has."""
    return os.urandom(16).hex()


@dataclass(frozen=True)
class Terms:
    """What was agreed and how it is worked: hand, working time, rate and money; accessories, photos wanted, permission.

    ``rate`` and ``materials`` are in the studio's own currency; ``wanted`` are the parts of photos asked of the client;
    ``moved`` are dragged steps (key, key it follows); ``seams`` those that are steps of the plan (id of an area, of the other, edge, id of the one whose
    hairs go over or "", length in mm).
    """

    hand: str = "right"
    hours_a_day: float = 3.0
    weekdays: tuple[int, ...] = (0, 1, 2, 3, 4)
    start: str = ""
    rate: float = 0.0
    materials: float = 0.0
    deposit_percent: float = 30.0
    instalments: int = 1
    delivery: str = ""
    accessories: str = ""
    wanted: tuple[str, ...] = ("main", "eye", "colour")
    photo_permission: bool = False
    moved: tuple[tuple[str, str], ...] = ()
    seams: tuple[tuple[str, str, str, str, float], ...] = ()


@dataclass(frozen=True)
class Commission:
    """One order. The sheet is ``width_mm`` × ``height_mm`` with an unpainted border all round."""

    id: str
    name: str
    client: str = ""
    animal: str = ""
    paper_id: str = "hotpress"
    ground_hex: str = "#f4f3ef"
    width_mm: float = 240.0
    height_mm: float = 300.0
    border_mm: float = 10.0
    due: str | None = None
    kit_id: str = "pencils"
    notes: str = ""
    stage: str = "Brief"
    created: str = ""
    tray: tuple[str, ...] = ()
    """Codes of the pencils that lie on the table for it."""
    lasting_floor: int = 3
    """Lightfastness class that may not be exceeded, 1–5."""
    backdrop: str = "paper"
    """What stands behind the cut-out animal: ``paper``, one colour ``#rrggbb``, or two for top and foot."""

    school: tuple[tuple[str, str], ...] = ()
    """Switches of the school that differ from the medium's defaults: (switch, choice)."""
    terms: Terms = field(default_factory=Terms)
    delivered: str = ""
    """Day on which the portrait left the studio, ISO; empty while it is worked on."""
    archived: bool = False
    tray_only: bool = False
    """Whether recipes use only what lies in the tray: a limited palette."""
    palette: tuple[str, ...] = ()
    """Codes of the pencils that were chosen over all its areas; empty while recipes take any."""

    @property
    def backdrop_hexes(self) -> tuple[str, str]:
        """Colour of the backdrop at its top and its foot."""
        parts = [self.ground_hex] if self.backdrop in ("", "paper") else self.backdrop.split()
        return parts[0], parts[-1]

    @property
    def picture_mm(self) -> tuple[float, float]:
        """Width and height of the painted picture."""
        return self.width_mm - 2 * self.border_mm, self.height_mm - 2 * self.border_mm


@dataclass(frozen=True)
class Photo:
    """A client's photo. ``crop`` is what lies on the paper: x, y, width, height in pixels of the prepared photo.

    ``part`` says what it is for: the portrait itself, or a detail, the true coat colour, the pose.
    """

    id: str
    commission_id: str
    digest: str
    suffix: str
    original_name: str
    width_px: int
    height_px: int
    crop: tuple[float, float, float, float]
    part: str = "main"
    position: int = 0
    prep: Preparation = field(default_factory=Preparation)

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in pixels."""
        return self.width_px, self.height_px


@dataclass(frozen=True)
class Area:
    """An area of the portrait: the artist's name for it, its surface and its outline in photo pixels.

    ``number`` is its place in the working order. Where areas overlap, the one with the higher ``level``
    lies on top. ``combing`` are strokes from root to tip, ``eye`` the two clicks (centre, rim) of an
    eye, both nostrils of a nose, the tip of an ear or the rims of two rows of feathers,
    ``marking_kind`` and ``marking_edits`` (``add`` or ``away``, ring) what the artist says of the marking;
    values and colours come from ``colour_ring`` in another photo when ``colour_photo_id`` names one.
    """

    id: str
    commission_id: str
    photo_id: str
    number: int
    name: str
    surface_id: str
    ring: tuple[Point, ...]
    smooth: bool = True
    holes: tuple[tuple[Point, ...], ...] = ()
    level: int = 0
    combing: tuple[tuple[Point, ...], ...] = ()
    eye: tuple[Point, ...] = ()
    marking_kind: str = ""
    marking_edits: tuple[tuple[str, tuple[Point, ...]], ...] = ()
    colour_photo_id: str = ""
    colour_ring: tuple[Point, ...] = ()
    coat: str = ""
    """Coat as the artist says; empty means as measured."""
    finish: int = 0
    """Finish level 1–5; 0 follows the distance from the focal point."""
    place_edits: tuple[tuple[str, str, tuple[Point, ...]], ...] = ()
    """Corrections of its places by hand: (place, ``add`` or ``away``, ring in photo pixels)."""
    twin_id: str = ""
    """The area of the other side, whose recipe is laid here again; empty when it is none."""


@dataclass(frozen=True)
class Recipe:
    """The layers of an area, from the paper upward, and the artist's note. Each layer has a lasting id.

    ``places`` are those it was planned by; empty in a recipe by values. ``aims`` are the artist's shifts of their targets: (place, ΔL*, Δa*, Δb*).
    """

    area_id: str
    layers: tuple[Layer, ...] = field(default=())
    note: str = ""
    places: tuple[Place, ...] = ()
    aims: tuple[tuple[str, float, float, float], ...] = ()
    tried: tuple[tuple[str, str, float, float, float], ...] = ()
    """Stacks that were tried on scrap and read back: (place, what lay there as `core.progress.expected.signature` writes it, L*, a*, b*)."""

    def __post_init__(self) -> None:
        # a layer without an id could not be named by the log
        object.__setattr__(self, "layers", with_ids(self.layers))


@dataclass(frozen=True)
class StudioKit:
    """A kit of the studio: its pencils as the text of a kit file, and the swatches measured for it as a swatch file."""

    id: str
    name: str
    pencils: str
    swatches: str = ""


@dataclass(frozen=True)
class LogRow:
    """One step as it happened: what was used where, how long, and what differed from the recipe.

    ``pencil`` and ``pressure`` are those really used, ``differs`` says in words what the recipe had wanted. ``guess_min`` is what our time model said, without the artist's pace; ``at`` is local time, ISO. ``state`` is
    ``done``, ``skipped`` or ``note``.
    """

    id: str
    commission_id: str
    step: str
    area_id: str
    area_name: str
    surface_id: str
    role: str
    pencil: str
    pressure: int
    minutes: float
    guess_min: float
    at: str
    note: str = ""
    differs: str = ""
    state: str = "done"


@dataclass(frozen=True)
class Shot:
    """A photo of the work, taken at local time ``at`` while ``step`` was the next one."""

    id: str
    commission_id: str
    digest: str
    suffix: str
    original_name: str
    width_px: int
    height_px: int
    at: str
    step: str = ""
    note: str = ""


@dataclass(frozen=True)
class PhotoCheck:
    """What a photo of the work told, under the photo's own id; ``at`` is when it was judged.

    ``told`` is the verdict as plain data in JSON (`core.progress.told`), ``meant`` names the faults that the artist wants so, ``said`` is what was
    said on a morning before the numbers, as JSON; ``log_rows`` is how many rows the log held, so that an older photo is known as old.
    """

    id: str
    commission_id: str
    at: str
    told: str
    meant: tuple[str, ...] = ()
    said: str = ""
    log_rows: int = 0


@dataclass(frozen=True)
class PracticeRound:
    """A round of a drill that was played at local time ``at``; ``told`` holds its answers as JSON. It belongs to no commission."""

    id: str
    at: str
    drill: str
    seed: int
    minutes: float
    told: str


Record = Commission | Photo | Area | Recipe | StudioKit | LogRow | Shot | PhotoCheck | PracticeRound


class _Belongs(Protocol):
    @property
    def commission_id(self) -> str: ...


B = TypeVar("B", bound=_Belongs)


def by_commission(records: Iterable[B]) -> dict[str, list[B]]:
    """Records under the ids of their commissions, in the order they came in."""
    out: dict[str, list[B]] = {}
    for r in records:
        out.setdefault(r.commission_id, []).append(r)
    return out


def cover_crop(width_px: int, height_px: int, aspect: float) -> tuple[float, float, float, float]:
    """The largest centred cut of a photo with the proportions ``aspect`` = width / height.

    >>> cover_crop(200, 100, 1.0)
    (50.0, 0.0, 100.0, 100.0)
    """
    if width_px / height_px > aspect:
        w = height_px * aspect
        return ((width_px - w) / 2, 0.0, w, float(height_px))
    h = width_px / aspect
    return (0.0, (height_px - h) / 2, float(width_px), h)
