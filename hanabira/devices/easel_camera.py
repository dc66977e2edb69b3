"""Photos of the work: a camera on the easel (a simulated one ships) and a folder that is watched.

The simulated camera looks at a sheet that the simulated paper's own physics has drawn, a little from the side, in uneven warm light.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

import cv2
import numpy as np

from hanabira.core.area.shape import fill_ring, smooth_ring
from hanabira.core.colour.spaces import Array, bytes_to_lab, lab_to_srgb, parse_hex, srgb_to_lab
from hanabira.core.forecast.portrait import Drawn, Laid, portrait
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.stack import Pass
from hanabira.core.solver.area import Layer, goes_over
from hanabira.devices.simulated_paper import TRUTHS, SimulatedSheet
from hanabira.studio.account import laid
from hanabira.studio.pictures import SUFFIXES
from hanabira.studio.records import Area, Commission, LogRow

WIDTH = 1500
"""Width of a simulated photo in pixels."""
SHEET_WIDTH = 760
"""Width of the simulated sheet in pixels."""
Sign = tuple[int, int]
"""Size and time of a file: what changes while it is written."""


class EaselCamera(Protocol):
    """What a driver offers: a name, and one picture (H, W, 3) uint8 sRGB at a time."""

    name: str

    def take(self) -> np.ndarray:
        """Take a photo; raises `hanabira.core.faults.Fault` when the camera does not answer."""
        ...


@dataclass(frozen=True)
class Worked:
    """An area of the sheet with the layers that are really on it. ``inside`` (H, W) bool."""

    inside: np.ndarray
    drawn: Drawn
    layers: Sequence[Layer]


def drawn_sheet(lab: Array, ground_hex: str, kit: Kit, areas: Sequence[Worked], seed: int = 1) -> Array:
    """The sheet (H, W, 3) sRGB 0–1 as the simulated paper's physics draws it; tools leave no trace there."""
    ground = srgb_to_lab(parse_hex(ground_hex))
    sheet = SimulatedSheet(kit, TRUTHS[0], tuple(float(v) for v in ground))
    hand = np.random.default_rng(seed)
    laid = []
    for a in areas:
        bands = {}
        for band in a.drawn.photo:
            stack = [Pass(q.code, q.pressure, q.passes) for q in a.layers if q.code and not q.tool and goes_over(q, band)]
            bands[band] = sheet.lay(stack, "white", hand)
        laid.append(Laid(a.inside, a.drawn, bands))
    out = portrait(lab, sheet.ground_lab("white"), laid)
    grain = cv2.GaussianBlur(hand.normal(0, 1, out.shape[:2]), (0, 0), 0.8)
    inside = np.any([a.inside for a in areas], axis=0) if areas else np.zeros(out.shape[:2], bool)
    out[..., 0] += 2.6 * grain * inside  # tooth shows through the strokes
    return np.clip(lab_to_srgb(out), 0, 1)


def as_logged(
    pixels: np.ndarray, c: Commission, crop: tuple[float, float, float, float], areas: Sequence[Area], recipes: Mapping[str, Sequence[Layer]],
    rows: Sequence[LogRow], drawn_as: Callable[[str, tuple[int, int], tuple[float, float], float], Drawn | None], kit: Kit, seed: int = 1,
) -> SimulatedEaselCamera:  # fmt: skip
    """The simulated camera in front of the sheet as these log rows have left it.

    ``pixels`` (H, W, 3) uint8 is the prepared photo, ``crop`` what of it lies on the sheet, in its pixels like the areas' rings;
    ``drawn_as`` tells what the photo shows of an area: (its id, rows and columns, photo pixel of the first one, pixels a photo pixel).
    """
    x, y, w, h = crop
    k = SHEET_WIDTH / w
    size = (SHEET_WIDTH, round(h * k))
    cut = np.ascontiguousarray(pixels[max(0, round(y)) : round(y + h), max(0, round(x)) : round(x + w)])
    lab = bytes_to_lab(cv2.resize(cut, size, interpolation=cv2.INTER_AREA))
    worked = []
    drawn = {a.id: laid(a.id, recipes.get(a.id, ()), rows, kit) for a in areas}
    for a in sorted((a for a in areas if drawn[a.id]), key=lambda a: -cv2.contourArea(np.array(a.ring, np.float32))):
        ring = ((smooth_ring(a.ring) if a.smooth else np.asarray(a.ring, float)) - (x, y)) * k
        shown = drawn_as(a.id, (size[1], size[0]), (x, y), k)
        if shown is not None:
            worked.append(Worked(fill_ring(ring, size[1], size[0]), shown, drawn[a.id]))
    sheet = drawn_sheet(lab.astype(float), c.ground_hex, kit, worked, seed)
    return SimulatedEaselCamera(sheet, c.border_mm / c.picture_mm[0], c.ground_hex, seed)


class SimulatedEaselCamera:
    """Photographs a sheet that lies on a grey board: tilted, unevenly lit, a little warm, with noise."""

    name = "Simulated easel camera"

    def __init__(self, sheet: Array, border: float = 0.04, ground_hex: str = "#f4f3ef", seed: int = 1) -> None:
        self._sheet, self._border, self._ground = sheet, border, parse_hex(ground_hex)
        self._rng = np.random.default_rng(seed)

    def take(self) -> np.ndarray:
        """One photo; no two stand quite alike."""
        rng = self._rng
        h, w = self._sheet.shape[:2]
        edge = round(self._border * w)
        whole = np.empty((h + 2 * edge, w + 2 * edge, 3))
        whole[:] = self._ground
        whole[edge : edge + h, edge : edge + w] = self._sheet
        hh, ww = whole.shape[:2]
        height = round(WIDTH * (hh / ww) * 1.02)
        m = 0.06 * WIDTH
        corners = np.array([[m, m], [WIDTH - m, m], [WIDTH - m, height - m], [m, height - m]], np.float32)
        corners += rng.normal(0, 0.012 * WIDTH, corners.shape).astype(np.float32)
        corners[:2, 0] += np.array([0.02 * WIDTH, -0.02 * WIDTH], np.float32)  # the top leans away
        warp = cv2.getPerspectiveTransform(np.array([[0, 0], [ww, 0], [ww, hh], [0, hh]], np.float32), corners)
        board = np.full((height, WIDTH, 3), 0.36)
        cover = cv2.warpPerspective(np.ones((hh, ww)), warp, (WIDTH, height), flags=cv2.INTER_AREA)[..., None]
        shot = cv2.warpPerspective(whole, warp, (WIDTH, height), flags=cv2.INTER_AREA) + (1 - cover) * board
        linear = np.clip(shot, 0, 1) ** 2.2
        y, x = np.mgrid[0:height, 0:WIDTH]
        light = 1.0 - 0.16 * (x / WIDTH) - 0.06 * (y / height)
        linear = linear * light[..., None] * np.array([1.04, 1.0, 0.93])
        out = np.clip(linear, 0, 1) ** (1 / 2.2) + rng.normal(0, 0.006, linear.shape)
        return np.clip(out * 255 + 0.5, 0, 255).astype(np.uint8)


class WatchedFolder:
    """New pictures in a folder, each once. What lies there whole at the start is old.

    `new` gives out files that have stopped growing; whoever takes one and finds it not whole yet says so by `later`,
    and it comes again as soon as it has changed, however long that takes.
    """

    PATIENCE = 30
    """After so many looks at an unchanged file that is not whole it is worth a word."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._settled = dict(self._files())
        self._before: dict[Path, Sign] = {}
        self._unfinished: dict[Path, int] = {}

    def _files(self) -> list[tuple[Path, Sign]]:
        try:
            found = sorted(p for p in self.folder.iterdir() if p.suffix.lower() in SUFFIXES and p.is_file())
            return [(p, (q.st_size, q.st_mtime_ns)) for p in found for q in [p.stat()]]
        except OSError:
            return []  # the card was pulled out; it may come back

    def new(self) -> list[Path]:
        """Pictures that seem complete and have not been given out as they are now. Ask every second or so."""
        out = []
        now = dict(self._files())
        for path, sign in now.items():
            if path in self._unfinished:
                self._unfinished[path] += 1
            if self._settled.get(path) == sign:
                continue
            if sign[0] > 0 and self._before.get(path) == sign:
                self._settled[path] = sign
                self._unfinished.pop(path, None)
                out.append(path)
        self._before = now
        return out

    def later(self, path: Path) -> None:
        """A file that was given out is not whole yet."""
        self._unfinished[path] = 0

    def unfinished(self) -> list[Path]:
        """Files that have waited long for their rest; each is named once."""
        out = [p for p, looks in self._unfinished.items() if looks == self.PATIENCE]
        for p in out:
            self._unfinished[p] += 1
        return out
