"""Kit files: CSV with a header line, and .gpl palettes.

CSV columns: ``code,name,hex`` are required; ``opacity,lightfast,binder,hardness,owned`` have
defaults; any further column is kept and written back.
"""

from __future__ import annotations

import csv
import io
import json
import re
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from hanabira.core.colour.spaces import to_hex
from hanabira.core.faults import Fault, KitFault
from hanabira.core.optics.kit import Fit, Kit, Pencil
from hanabira.core.optics.tooth import Pressures
from hanabira.craft.cells import Figure, read_cell, table_csv

REQUIRED = ("code", "name", "hex")
KNOWN = (*REQUIRED, "opacity", "lightfast", "binder", "hardness", "owned")
BAND_COLUMNS = tuple(f"band{i}" for i in range(1, 9))
FITTED = ("scattering", "slope", "spread_de", *BAND_COLUMNS)
FIT_COLUMN = "fit"
"""JSON with what the swatches told of paper and hand; it stands in the first row."""
_MOST_BYTES = 4_000_000
_YES, _NO = {"yes", "true", "1", "y", ""}, {"no", "false", "0", "n"}


def read_kit(path: Path | str, name: str | None = None) -> Kit:
    """Read a kit file; `KitFault` names the file, the line and what is wrong with it."""
    path = Path(path)
    try:
        if path.stat().st_size > _MOST_BYTES:
            raise KitFault(f"{path.name} is too large for a kit file.")
        text = path.read_text("utf-8-sig")
    except OSError as error:
        raise KitFault(f"The kit file {path.name} cannot be read: {error.strerror or error}.") from error
    except UnicodeDecodeError as error:
        raise KitFault(f"The kit file {path.name} is not text.", do="Save it as CSV in UTF-8.") from error
    title = name or path.stem
    try:
        return parse_gpl(text, title) if text.lstrip().startswith("GIMP Palette") else parse_csv(text, title)
    except Fault as error:
        raise KitFault(f"{path.name}: {error}") from error


def parse_csv(text: str, title: str) -> Kit:
    """Kit of a CSV text."""
    rows = csv.DictReader(io.StringIO(text), strict=True)
    try:
        fields = [read_cell(f.strip()) for f in rows.fieldnames or []]
        missing = [f for f in REQUIRED if f not in fields]
        if missing:
            raise KitFault(f"the column {' and '.join(missing)} is missing", do=f"The first line must name at least {', '.join(REQUIRED)}.")
        rows.fieldnames = fields
        fit, pencils = None, []
        for row in rows:
            if row.get(FIT_COLUMN):
                fit = _fit(row[FIT_COLUMN], rows.line_num)
            pencils.append(_pencil(row, rows.line_num))
    except csv.Error as error:
        raise KitFault(f"line {rows.line_num} is not proper CSV ({error}).") from error
    return Kit(title, tuple(pencils), fit)


def _fit(text: str, line: int) -> Fit:
    try:
        d = json.loads(text)
        hand = Pressures(*(np.array(d[k], float) for k in ("deposit", "reach", "full", "crush")))
        if any(a.shape != (5,) or not np.isfinite(a).all() for a in (hand.deposit, hand.reach, hand.full, hand.crush)):
            raise ValueError("five figures for five pressures")
        return Fit(hand, **{k: d[k] for k in ("cap", "off", "soft", "grip", "n", "white_hex", "median_de", "p95_de", "paper_id") if k in d})
    except (ValueError, TypeError, KeyError) as error:
        raise KitFault(f"line {line}: the column {FIT_COLUMN} cannot be read ({error}).") from error


def _fit_json(fit: Fit) -> str:
    five = {k: [round(float(v), 6) for v in getattr(fit.hand, k)] for k in ("deposit", "reach", "full", "crush")}
    rest = {k: round(getattr(fit, k), 6) for k in ("cap", "off", "soft", "grip", "n", "median_de", "p95_de")}
    return json.dumps({**five, **rest, "white_hex": fit.white_hex, "paper_id": fit.paper_id})


def _number(row: dict[str, Any], key: str, default: float, line: int) -> float:
    raw = (row.get(key) or "").strip()
    if not raw:
        return default
    try:
        value = float(raw)
    except ValueError:
        value = float("nan")
    if not np.isfinite(value):
        raise KitFault(f"line {line}: {key} “{raw}” is not a number.")
    return value


def _pencil(row: dict[str, Any], line: int) -> Pencil:
    if None in row:
        raise KitFault(f"line {line} has more fields than the first line names.")
    clean = {k: read_cell((v or "").strip()) for k, v in row.items()}
    owned = clean.get("owned", "").lower()
    if owned not in _YES | _NO:
        raise KitFault(f"line {line}: owned “{clean['owned']}” is neither yes nor no.")
    bands = None
    if all(clean.get(c) for c in BAND_COLUMNS):
        bands = tuple(_number(row, c, 0, line) for c in BAND_COLUMNS)
    strength = _number(row, "scattering", 0, line) or None
    if bands and not all(0 < b < 1 for b in bands):
        raise KitFault(f"line {line}: a band lies outside 0–1.")
    spread = _number(row, "spread_de", 0, line) or None
    try:
        return Pencil(
            clean["code"], clean["name"], clean["hex"], opacity=_number(row, "opacity", 0.5, line),
            lightfast=int(_number(row, "lightfast", 2, line)), binder=clean.get("binder", "").lower() or "oil",
            hardness=_number(row, "hardness", 0.5, line), owned=owned in _YES, bands=bands, strength=strength, slope=_number(row, "slope", 0, line),
            spread_de=spread, extra=tuple((k, v) for k, v in clean.items() if k not in (*KNOWN, *FITTED, FIT_COLUMN)),
        )  # fmt: skip
    except Fault as error:
        raise KitFault(f"line {line}: {error}") from error


def kit_csv(kit: Kit) -> str:
    """CSV text of a kit, with every further column it came with."""
    extra = list(dict.fromkeys(k for p in kit for k, _ in p.extra))
    fitted = any(p.bands for p in kit)
    head, rows = [*KNOWN, *(FITTED if fitted else ()), *([FIT_COLUMN] if kit.fit else []), *extra], []
    for n, p in enumerate(kit):
        more = dict(p.extra)
        row = [p.code, p.name, p.hex, f"{p.opacity:g}", p.lightfast, p.binder, f"{p.hardness:g}", "yes" if p.owned else "no"]
        if fitted:
            figures = [f"{p.strength:.5f}" if p.strength else "", Figure(f"{p.slope:.5f}"), f"{p.spread_de:.2f}" if p.spread_de else ""]
            row += [*figures, *([f"{b:.6f}" for b in p.bands] if p.bands else [""] * 8)]
        if kit.fit:
            row.append(_fit_json(kit.fit) if n == 0 else "")
        rows.append([*row, *(more.get(k, "") for k in extra)])
    return table_csv(head, rows)


def fact(pencil: Pencil, key: str, default: float = 0.0) -> float:
    """A figure kept in a further column of a pencil, such as ``left`` (0–1) or ``price``; the default when it is none."""
    try:
        value = float(dict(pencil.extra).get(key, "") or default)
    except ValueError:
        return default
    return value if np.isfinite(value) else default


def with_fact(pencil: Pencil, key: str, value: str) -> Pencil:
    """The pencil with a further column set."""
    extra = dict(pencil.extra)
    extra[key] = value
    return replace(pencil, extra=tuple(extra.items()))


def parse_gpl(text: str, title: str) -> Kit:
    """Kit of a .gpl palette: a colour a line as red, green, blue and a name; codes are counted."""
    pencils: list[Pencil] = []
    for number, line in enumerate(text.splitlines(), 1):
        found = re.match(r"\s*(\d+)\s+(\d+)\s+(\d+)\s*(.*)$", line)
        if not found:
            continue
        rgb = [int(found.group(i)) for i in (1, 2, 3)]
        if max(rgb) > 255:
            raise KitFault(f"line {number}: {max(rgb)} is not a colour value of 0–255.")
        code = f"{len(pencils) + 1:03d}"
        pencils.append(Pencil(code, found.group(4).strip() or f"Colour {code}", to_hex(np.array(rgb) / 255)))
    return Kit(title, tuple(pencils))


def kit_gpl(kit: Kit) -> str:
    """.gpl palette text of a kit."""
    lines = ["GIMP Palette", f"Name: {kit.name}", "Columns: 8", "#"]
    for p in kit:
        r, g, b = (int(p.hex.lstrip("#")[i : i + 2], 16) for i in (0, 2, 4))
        lines.append(f"{r:3d} {g:3d} {b:3d}\t{p.code} {p.name}")
    return "\n".join(lines) + "\n"
