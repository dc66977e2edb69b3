"""Geometry of a swatch sheet in millimetres from the top left corner of the page.

Every page has four corner marks (a square, a disc and a blossom in each other; the top left one has a hole, so that the
sheet may lie in any direction), a page code, two grey wedges, and cells to fill.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from hanabira.core.colour.spaces import Array
from hanabira.core.faults import KitFault
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.passes import Pass

PAGES_MM = {"A4": (210.0, 297.0), "Letter": (215.9, 279.4)}
MARK_MM = 9.0
MARK_INSET = 13.0
"""Distance of the marks' middles from the page's edges."""
GREYS_L = (25.0, 40.0, 55.0, 70.0, 85.0)
"""Nominal L* of the wedge's steps, printed; bare paper is the sixth."""
CODE_BITS = 6
CELL = (13.0, 8.5)
ROW, BLOCK = 10.6, 90.0
_TOP, _LEFT = 44.0, 16.0
_CHIP = (24.0, 14.0)
_PRESSED = {1: "light", 3: "medium", 5: "heavy"}
PATCHES = ((1, 1, "white"), (3, 1, "white"), (5, 2, "white"), (5, 2, "black"))
"""Pressure, passes and ground of a pencil's four patches."""


@dataclass(frozen=True)
class Cell:
    """A patch to fill: its rectangle (x, y, width, height) in mm, the stack, the ground and the label printed at it."""

    rect: tuple[float, float, float, float]
    layers: tuple[Pass, ...]
    ground: str
    label: str


@dataclass(frozen=True)
class SheetPage:
    """One page: its size in mm, number and cells."""

    size: tuple[float, float]
    number: int
    title: str
    cells: tuple[Cell, ...]

    @property
    def marks(self) -> Array:
        """Middles of the corner marks, clockwise from the top left, (4, 2) in mm."""
        w, h = self.size
        m = MARK_INSET
        return np.array([[m, m], [w - m, m], [w - m, h - m], [m, h - m]])

    @property
    def greys(self) -> list[tuple[tuple[float, float, float, float], float]]:
        """Rectangles of the grey steps and their nominal L*: one wedge at the top, one at the foot."""
        w, h = self.size
        out = []
        for y in (20.0, h - 27.0):
            for k, value in enumerate(GREYS_L):
                out.append(((w / 2 - 45 + k * 18, y, 16.0, 7.0), value))
        return out

    @property
    def code(self) -> list[tuple[tuple[float, float, float, float], bool]]:
        """Rectangles of the page code and whether each is black; the lowest bit first."""
        w, _ = self.size
        return [((w / 2 - CODE_BITS * 2.5 + k * 5, 9.0, 4.0, 4.0), bool(self.number >> k & 1)) for k in range(CODE_BITS)]


def pencil_pages(kit: Kit, codes: Sequence[str], page: str = "A4", first: int = 1) -> list[SheetPage]:
    """Pages with four cells a pencil: light, medium, heavy twice, and heavy twice on a strip of black card."""
    size = _size(page)
    rows = int((size[1] - _TOP - 34) // ROW)
    per = rows * 2
    pages: list[SheetPage] = []
    for n in range(0, len(codes), per):
        cells = []
        for k, code in enumerate(codes[n : n + per]):
            pencil = kit.get(code)
            x0, y = _LEFT + (k // rows) * BLOCK, _TOP + (k % rows) * ROW
            for j, (pressure, passes, ground) in enumerate(PATCHES):
                x = x0 + 29 + j * (CELL[0] + 1.2)
                cells.append(Cell((x, y, *CELL), (Pass(code, pressure, passes),), ground, f"{code} {pencil.name}" if j == 0 else ""))
        pages.append(SheetPage(size, first + len(pages), "Swatches", tuple(cells)))
    return pages


def chip_page(kit: Kit, codes: Sequence[str], page: str = "A4", number: int = 1, count: int = 30, seed: int = 5) -> SheetPage:
    """A page of layered chips that tell paper and hand: two and three layers, a third of them heavy over heavy."""
    size = _size(page)
    rng = np.random.default_rng(seed)
    lightness = {c: float(kit.get(c).lab[0]) for c in codes}
    columns = int((size[0] - 2 * _LEFT) // (_CHIP[0] + 5))
    cells = []
    for k in range(count):
        layers = 2 if k < count * 2 // 3 or len(codes) < 3 else 3
        picked = sorted(rng.choice(list(codes), min(layers, len(codes)), replace=False), key=lambda c: -lightness[str(c)])
        pressures = [5] * len(picked) if k % 3 == 0 else sorted(rng.choice([1, 3, 5], len(picked)))
        stack = tuple(Pass(str(c), int(p)) for c, p in zip(picked, pressures, strict=True))
        x = _LEFT + (k % columns) * (_CHIP[0] + 5)
        y = _TOP + (k // columns) * (_CHIP[1] + 14)
        label = ", ".join(f"{p.code} {_PRESSED[p.pressure]}" for p in stack)
        cells.append(Cell((x, y, *_CHIP), stack, "white", label))
    return SheetPage(size, number, "Layered chips", tuple(cells))


SCRAP_NUMBER = 2**CODE_BITS - 2
"""Page code of a scrap test: its cells are the stacks of a portrait's own recipes."""


def scrap_page(stacks: Sequence[tuple[str, tuple[Pass, ...]]], page: str = "A4") -> SheetPage:
    """A page of chips for a recipe's own stacks, (label, layers) each; what does not fit is left out. Tools cannot be read and must not be among them."""
    size = _size(page)
    columns = int((size[0] - 2 * _LEFT) // (_CHIP[0] + 5))
    rows = int((size[1] - _TOP - 40) // (_CHIP[1] + 14))
    cells = []
    for k, (label, layers) in enumerate(stacks[: columns * rows]):
        x, y = _LEFT + (k % columns) * (_CHIP[0] + 5), _TOP + (k // columns) * (_CHIP[1] + 14)
        cells.append(Cell((x, y, *_CHIP), tuple(layers), "white", label))
    if not cells:
        raise KitFault("There is no stack to try yet.", do="Solve the layers of an area first.")
    return SheetPage(size, SCRAP_NUMBER, "Scrap test", tuple(cells))


def _size(page: str) -> tuple[float, float]:
    if page not in PAGES_MM:
        raise KitFault(f"There is no page size “{page}”.", do=f"Use one of {', '.join(PAGES_MM)}.")
    return PAGES_MM[page]


def sheet(kit: Kit, codes: Sequence[str], page: str = "A4", chips: bool = True) -> list[SheetPage]:
    """All pages of a swatch sheet for these pencils. Raises `KitFault` for no pencil or more than the page code counts."""
    if not codes:
        raise KitFault("Choose at least one pencil for the sheet.")
    pages = pencil_pages(kit, codes, page)
    if chips and len(codes) >= 2:
        pages.append(chip_page(kit, codes, page, len(pages) + 1))
    if len(pages) >= 2**CODE_BITS:
        raise KitFault(f"That makes {len(pages)} pages; {2**CODE_BITS - 1} are the most.", do="Choose fewer pencils.")
    return pages
