"""The picture at true size over several sheets with overlap marks, with the grid and the areas; and the grey wedge."""

from __future__ import annotations

import io
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from PIL import Image
from reportlab.lib.colors import Color, black, white
from reportlab.lib.units import mm
from reportlab.lib.utils import ImageReader
from reportlab.pdfgen.canvas import Canvas

from hanabira.core.area.shape import Point
from hanabira.core.colour.spaces import Array, bytes_to_lab, lab_to_bytes, lab_to_srgb
from hanabira.core.study.grid import Grid
from hanabira.core.study.printer import STRIPES, WEDGE, correct
from hanabira.core.token import SILENT, Token
from hanabira.sheets.card_page import PAGES, register_fonts, wrap
from hanabira.sheets.pictures import reader
from hanabira.studio.writing import write_file

EDGE_MM = 8.0
"""What a printer leaves bare at the edge of a sheet."""
OVERLAP_MM = 10.0
_PX_PER_MM = 10.0
_SHEATH, _CORE = Color(0, 0, 0, alpha=0.65), Color(1, 1, 1)


@dataclass(frozen=True)
class TraceLines:
    """Lines to trace in mm of the picture: an area's outline with its number, its marking, its combing."""

    number: int
    rings: tuple[tuple[Point, ...], ...]
    marking: tuple[tuple[Point, ...], ...] = ()
    combing: tuple[tuple[Point, ...], ...] = ()


@dataclass(frozen=True)
class TrueSize:
    """What is printed: ``picture`` (h, w, 3) uint8 covers ``size_mm`` exactly. ``tone`` is a correction table or None."""

    title: str
    picture: np.ndarray
    size_mm: tuple[float, float]
    page: str = "A4"
    grid: Grid | None = None
    traced: Sequence[TraceLines] = field(default=())
    with_photo: bool = True
    tone: Array | None = None


@dataclass(frozen=True)
class Tile:
    """One sheet: column, row, and what of the picture it shows in mm: x, y, width, height."""

    column: int
    row: int
    x: float
    y: float
    width: float
    height: float


def tiles(size_mm: tuple[float, float], page: str) -> tuple[bool, tuple[Tile, ...]]:
    """Whether sheets lie on their side, and the sheets of a picture, each overlapping its neighbour by `OVERLAP_MM`.

    The way round that needs fewer sheets is taken.
    """
    w, h = (v / mm for v in PAGES[page])

    def cut(pw: float, ph: float) -> list[Tile]:
        room_w, room_h = pw - 2 * EDGE_MM, ph - 2 * EDGE_MM - 6
        columns = max(1, math.ceil((size_mm[0] - OVERLAP_MM) / (room_w - OVERLAP_MM) - 1e-9))
        rows = max(1, math.ceil((size_mm[1] - OVERLAP_MM) / (room_h - OVERLAP_MM) - 1e-9))
        out = []
        for r in range(rows):
            for c in range(columns):
                x, y = c * (room_w - OVERLAP_MM), r * (room_h - OVERLAP_MM)
                out.append(Tile(c, r, x, y, min(room_w, size_mm[0] - x), min(room_h, size_mm[1] - y)))
        return out

    upright, lying = cut(w, h), cut(h, w)
    return (True, tuple(lying)) if len(lying) < len(upright) else (False, tuple(upright))


def write_true_size(content: TrueSize, target: Path, token: Token = SILENT) -> Path:
    """Write the sheets as PDF. Raises `Fault` when the file cannot be written."""
    register_fonts()
    lying, parts = tiles(content.size_mm, content.page)
    size = PAGES[content.page][::-1] if lying else PAGES[content.page]
    out = io.BytesIO()
    c = Canvas(out, pagesize=size, pageCompression=1)
    c.setTitle(f"{content.title}, true size")
    c.setAuthor("Hanabira")
    for k, tile in enumerate(parts):
        token.report(k / len(parts), f"Sheet {k + 1} of {len(parts)}")
        _sheet(c, content, tile, parts, size)
        c.showPage()
    c.save()
    return write_file(target, out.getvalue())


def _sheet(c: Canvas, content: TrueSize, tile: Tile, parts: Sequence[Tile], size: tuple[float, float]) -> None:
    left, top = EDGE_MM * mm, size[1] - EDGE_MM * mm

    def at(x: float, y: float) -> tuple[float, float]:
        return left + (x - tile.x) * mm, top - (y - tile.y) * mm

    c.saveState()
    frame = c.beginPath()
    frame.rect(left, top - tile.height * mm, tile.width * mm, tile.height * mm)
    c.clipPath(frame, stroke=0, fill=0)
    if content.with_photo:
        c.drawImage(_cut(content, tile), left, top - tile.height * mm, tile.width * mm, tile.height * mm)
    on_photo = content.with_photo
    if content.grid is not None:
        for lines, wide, dash in ((content.grid.slants(*content.size_mm), 0.25, (2, 2)), (content.grid.lines(*content.size_mm), 0.45, ())):
            c.setDash(*dash) if dash else c.setDash()
            for line in lines:
                _two_tone(c, [at(*line[:2]), at(*line[2:])], wide, on_photo)
        c.setDash()
        for x, y, name in content.grid.numbers(*content.size_mm):
            px, py = at(x, y)
            _label(c, px + (0 if y == 0 else 8), py - (9 if y == 0 else 3), name, on_photo)
    for area in content.traced:
        for ring in area.rings:
            _two_tone(c, [at(*q) for q in (*ring, ring[0])], 0.9, on_photo)
        c.setDash(3, 1.5)
        for ring in area.marking:
            _two_tone(c, [at(*q) for q in (*ring, ring[0])], 0.5, on_photo)
        c.setDash()
        for stroke in area.combing:
            _two_tone(c, [at(*q) for q in stroke], 0.35, on_photo)
        if area.rings:
            middle = np.mean(np.asarray(area.rings[0]), 0)
            px, py = at(*middle)
            _label(c, px, py, str(area.number), on_photo)
    c.restoreState()
    _marks(c, content, tile, parts, at)
    c.setFillColor(black)
    c.setFont("lato", 8)
    where = f"sheet {tile.row + 1}·{tile.column + 1}" if len(parts) > 1 else "one sheet"
    c.drawString(left, EDGE_MM * mm, f"{content.title} · true size, print at 100 % · {where} of {len(parts)} · this line is 50 mm:")
    x = left + c.stringWidth(f"{content.title} · true size, print at 100 % · {where} of {len(parts)} · this line is 50 mm:", "lato", 8) + 6
    if x + 50 * mm > size[0] - 4 * mm:
        x = size[0] - EDGE_MM * mm - 50 * mm
    y = EDGE_MM * mm + (2.5 if x > left + 60 * mm else -5)
    c.setStrokeColor(black)
    c.setLineWidth(0.6)
    c.line(x, y, x + 50 * mm, y)
    for k in (0, 50):
        c.line(x + k * mm, y - 3, x + k * mm, y + 3)


def _cut(content: TrueSize, tile: Tile) -> ImageReader:
    h, w = content.picture.shape[:2]
    kx, ky = w / content.size_mm[0], h / content.size_mm[1]
    x0, y0 = int(tile.x * kx), int(tile.y * ky)
    x1, y1 = max(x0 + 1, round((tile.x + tile.width) * kx)), max(y0 + 1, round((tile.y + tile.height) * ky))
    part = content.picture[y0:y1, x0:x1]
    image = Image.fromarray(np.ascontiguousarray(part))
    most = (max(1, round(tile.width * _PX_PER_MM)), max(1, round(tile.height * _PX_PER_MM)))
    if image.width > most[0]:
        image = image.resize(most, Image.Resampling.LANCZOS)
    if content.tone is not None:
        lab = correct(bytes_to_lab(np.asarray(image)), content.tone)
        image = Image.fromarray(lab_to_bytes(lab))
    return reader(np.asarray(image), 0)


def _two_tone(c: Canvas, points: Sequence[tuple[float, float]], wide: float, on_photo: bool) -> None:
    """On the photo a light line in a dark sheath, on bare paper a plain dark one."""
    path = c.beginPath()
    path.moveTo(*points[0])
    for q in points[1:]:
        path.lineTo(*q)
    for colour, extra in ((_SHEATH, 0.9), (_CORE, 0.0)) if on_photo else ((black, 0.0),):
        c.setStrokeColor(colour)
        c.setLineWidth(wide + extra)
        c.drawPath(path, stroke=1, fill=0)


def _label(c: Canvas, x: float, y: float, words: str, on_photo: bool) -> None:
    w = c.stringWidth(words, "lato-bold", 8)
    if on_photo:
        c.setFillColor(white)
        c.roundRect(x - w / 2 - 2.5, y - 2.5, w + 5, 11, 2, stroke=0, fill=1)
    c.setFillColor(black)
    c.setFont("lato-bold", 8)
    c.drawCentredString(x, y, words)


def _marks(c: Canvas, content: TrueSize, tile: Tile, parts: Sequence[Tile], at: Callable[[float, float], tuple[float, float]]) -> None:
    """Cut lines where the next sheet begins, and crosses that lie over each other when the sheets are glued."""
    c.setStrokeColor(black)
    columns, rows = max(t.column for t in parts), max(t.row for t in parts)
    x0, x1, y0, y1 = tile.x, tile.x + tile.width, tile.y, tile.y + tile.height
    seams = []
    if tile.column > 0:
        seams.append((x0 + OVERLAP_MM / 2, True))
    if tile.column < columns:
        seams.append((x1 - OVERLAP_MM / 2, True))
    if tile.row > 0:
        seams.append((y0 + OVERLAP_MM / 2, False))
    if tile.row < rows:
        seams.append((y1 - OVERLAP_MM / 2, False))
    for where, upright in seams:
        for ends in ((0.0, 6.0), (-6.0, 0.0)):
            low, high = (y0, y1) if upright else (x0, x1)
            base = low if ends[0] == 0 else high
            a, b = base + ends[0], base + ends[1]
            c.setLineWidth(0.5)
            _two_tone(c, [at(where, a), at(where, b)] if upright else [at(a, where), at(b, where)], 0.5, True)
    for where, upright in seams:
        for across in (y0 + 20, y1 - 20) if upright else (x0 + 20, x1 - 20):
            x, y = (where, across) if upright else (across, where)
            _two_tone(c, [at(x - 3, y), at(x + 3, y)], 0.5, True)
            _two_tone(c, [at(x, y - 3), at(x, y + 3)], 0.5, True)


def write_wedge(target: Path, page: str = "A4") -> Path:
    """The grey wedge: 21 numbered steps, three stripe patches, and what to look for. Raises `Fault` when it cannot be written."""
    register_fonts()
    size = PAGES[page]
    out = io.BytesIO()
    c = Canvas(out, pagesize=size)
    c.setTitle("Grey wedge for the printer")
    left, top = 20 * mm, size[1] - 24 * mm
    c.setFont("vollkorn", 18)
    c.drawString(left, top, "Grey wedge")
    words = (
        "Print at 100 % with the settings you use for photos. Let it dry, hang it in even daylight, stand two metres away.",
        "1  Which is the first step that differs from the one before it, in the dark?",
        "2  Which step looks exactly like the stripes A, like B, like C? Half steps are allowed.",
        "3  Which is the last step that still differs from the bare paper?",
        "Tell Hanabira these five numbers in Study, Grid and print. From then on true-size prints keep their darks and lights.",
    )
    c.setFont("lato", 10)
    y = top - 8 * mm
    for paragraph in words:
        for line in wrap(paragraph, "lato", 10, size[0] - 2 * left):
            c.drawString(left, y, line)
            y -= 5.2 * mm
    y -= 4 * mm
    cell, high = 24 * mm, 22 * mm
    for k, lightness in enumerate(WEDGE):
        x, cy = left + (k % 7) * cell, y - (k // 7 + 1) * (high + 8 * mm)
        v = float(lab_to_srgb([lightness, 0, 0])[1])
        c.setFillColor(Color(v, v, v))
        c.rect(x, cy, cell, high, stroke=0, fill=1)
        c.setFillColor(black)
        if lightness == 100:  # its place is told by corners alone: an outline would change the look
            for dx, dy in ((0, 0), (cell, 0), (0, high), (cell, high)):
                c.circle(x + dx, cy + dy, 0.6, stroke=0, fill=1)
        c.setFont("lato-bold", 10)
        c.drawCentredString(x + cell / 2, cy - 4.4 * mm, str(k + 1))
    y -= 3 * (high + 8 * mm) + 8 * mm
    for k, (share, name) in enumerate(zip(STRIPES, "ABC", strict=True)):
        x, w, h = left + k * 58 * mm, 50 * mm, 40 * mm
        pitch = 0.8 * mm
        c.setFillColor(black)
        n = int(h / pitch)
        for i in range(n):
            c.rect(x, y - h + i * pitch, w, pitch * share, stroke=0, fill=1)
        c.setFont("lato-bold", 12)
        c.drawCentredString(x + w / 2, y - h - 6 * mm, name)
    c.showPage()
    c.save()
    return write_file(target, out.getvalue())
