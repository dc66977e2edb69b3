"""Hand-held colorimeters: the small door a driver fits through, and a simulated one."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Protocol

import numpy as np

from hanabira.core.colour.spaces import Array
from hanabira.core.swatch.layout import Cell
from hanabira.devices.simulated_paper import SimulatedSheet


class Colorimeter(Protocol):
    """What a driver offers: a name, and the Lab (D65, 2°) of what lies under the instrument."""

    name: str

    def read(self) -> Array:
        """Measure once; raises `hanabira.core.faults.Fault` when the instrument does not answer."""
        ...


class SimulatedColorimeter:
    """Reads the cells of a sheet one after another, as a person moves the instrument from cell to cell."""

    name = "Simulated colorimeter"

    def __init__(self, paper: SimulatedSheet, cells: Iterable[Cell], noise: float = 0.25, seed: int = 5) -> None:
        self._paper, self._cells = paper, iter(cells)
        self._rng, self._noise = np.random.default_rng(seed), noise

    def read(self) -> Array:
        """Lab of the next cell with the instrument's noise; the last place is the bare paper."""
        cell = next(self._cells, None)
        lab = self._paper.ground_lab("white") if cell is None else self._paper.lay(cell.layers, cell.ground, self._rng)
        return lab + self._rng.normal(0, self._noise, 3)


def measure_cells(instrument: Colorimeter, cells: Sequence[Cell]) -> list[Array]:
    """Lab of every cell, in order."""
    return [instrument.read() for _ in cells]
