"""Photos of the work: a camera on the easel (a simulated one ships) and a folder that is watched."""

from __future__ import annotations

from pathlib import Path
from typing import Protocol

import numpy as np

from hanabira.core.colour.spaces import linear_to_srgb
from hanabira.devices.drawn_sheet import DrawnSheet, LaidStrip
from hanabira.devices.lens import Shooting, shoot, table
from hanabira.studio.picture_kinds import SUFFIXES

FileSign = tuple[int, int]
"""Size and time of a file: what changes while it is written."""


class EaselCamera(Protocol):
    """What a driver offers: a name, and one picture (H, W, 3) uint8 sRGB at a time."""

    name: str

    def take(self) -> np.ndarray:
        """Take a photo; raises `hanabira.core.faults.Fault` when the camera does not answer."""
        ...


LONG_PX = 2600
"""Pixels of the longer side of a simulated photo."""


class SimulatedEaselCamera:
    """Photographs a drawn sheet that lies on a board, perhaps with the check strip beside it; no two photos stand quite alike."""

    name = "Simulated easel camera"

    def __init__(
        self, sheet: DrawnSheet, strip: LaidStrip | None = None, how: Shooting | None = None, seed: int = 1, long_px: int = LONG_PX
    ) -> None:
        self._sheet, self._strip, self._how, self._seed, self._long_px = sheet, strip, how, seed, long_px

    def take(self) -> np.ndarray:
        """One photo, (h, w, 3) uint8."""
        how = self._how or Shooting.drawn(self._seed, board="wood", curve="phone", long_px=self._long_px)
        self._seed += 1
        return shoot(table(self._sheet, self._strip, how.board, how.seed), how).photo


def flat_board(sheet: DrawnSheet, strip: LaidStrip | None) -> np.ndarray:
    """Board, sheet and strip straight on, evenly lit and without noise, (h, w, 3) uint8: for other cameras to be tried on."""
    linear = table(sheet, strip, "grey").linear
    return np.asarray(linear_to_srgb(np.clip(linear, 0, 1)) * 255 + 0.5, np.uint8)


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
        self._before: dict[Path, FileSign] = {}
        self._unfinished: dict[Path, int] = {}

    def _files(self) -> list[tuple[Path, FileSign]]:
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
