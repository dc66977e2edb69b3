"""Kit files: CSV with a header line, and .gpl palettes.

CSV columns: ``code,name,hex`` are required; ``opacity,lightfast,binder,hardness,owned`` have
defaults; any further column is kept and written back.
"""

from __future__ import annotations

import csv
import io
import re
from pathlib import Path

import numpy as np

from hanabira.core.colour.spaces import to_hex
from hanabira.core.faults import Fault, KitFault
from hanabira.core.optics.kit import Kit, Pencil

REQUIRED = ("code", "name", "hex")
KNOWN = (*REQUIRED, "opacity", "lightfast", "binder", "hardness", "owned")
BAND_COLUMNS = tuple(f"band{i}" for i in range(1, 9))
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
        fields = [f.strip() for f in rows.fieldnames or []]
        missing = [f for f in REQUIRED if f not in fields]
        if missing:
            raise KitFault(f"the column {' and '.join(missing)} is missing", do=f"The first line must name at least {', '.join(REQUIRED)}.")
        rows.fieldnames = fields
        pencils = tuple(_pencil(row, rows.line_num) for row in rows)
    except csv.Error as error:
        raise KitFault(f"line {rows.line_num} is not proper CSV ({error}).") from error
    return Kit(title, pencils)


def _number(row: dict, key: str, default: float, line: int) -> float:
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


def _pencil(row: dict, line: int) -> Pencil:
    if None in row:
        raise KitFault(f"line {line} has more fields than the first line names.")
    clean = {k: (v or "").strip() for k, v in row.items()}
    owned = clean.get("owned", "").lower()
    if owned not in _YES | _NO:
        raise KitFault(f"line {line}: owned “{clean['owned']}” is neither yes nor no.")
    bands = None
    if all(clean.get(c) for c in BAND_COLUMNS):
        bands = tuple(_number(row, c, 0, line) for c in BAND_COLUMNS)
    strength = _number(row, "scattering", 0, line) or None
    try:
        return Pencil(
            clean["code"], clean["name"], clean["hex"], _number(row, "opacity", 0.5, line), int(_number(row, "lightfast", 2, line)),
            clean.get("binder", "").lower() or "oil", _number(row, "hardness", 0.5, line), owned in _YES, bands, strength,
            tuple((k, v) for k, v in clean.items() if k not in KNOWN and k not in BAND_COLUMNS and k != "scattering"),
        )  # fmt: skip
    except Fault as error:
        raise KitFault(f"line {line}: {error}") from error


def kit_csv(kit: Kit) -> str:
    """CSV text of a kit, with every further column it came with."""
    extra = list(dict.fromkeys(k for p in kit for k, _ in p.extra))
    fitted = any(p.bands for p in kit)
    out = io.StringIO()
    write = csv.writer(out, lineterminator="\n")
    write.writerow([*KNOWN, *(["scattering", *BAND_COLUMNS] if fitted else []), *extra])
    for p in kit:
        more = dict(p.extra)
        row = [p.code, p.name, p.hex, f"{p.opacity:g}", p.lightfast, p.binder, f"{p.hardness:g}", "yes" if p.owned else "no"]
        if fitted:
            row += [f"{p.strength:.5f}" if p.strength else "", *([f"{b:.6f}" for b in p.bands] if p.bands else [""] * 8)]
        write.writerow([*row, *(more.get(k, "") for k in extra)])
    return out.getvalue()


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
