"""Swatch files: measured patches as CSV with the columns ``stack,ground,L,a,b``.

``stack`` is layers from the paper upward, ``CODE:PRESSURE:PASSES`` joined by ``+``; an empty
stack is the bare ground. ``ground`` is ``white``, ``black`` or a hex colour. Also CGATS text.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Sequence
from pathlib import Path

import numpy as np

from hanabira.core.colour.spaces import parse_hex, srgb_to_lab, xyz_to_lab
from hanabira.core.faults import Fault, KitFault
from hanabira.core.optics.fit import MeasuredPatch
from hanabira.core.optics.passes import Pass
from hanabira.craft.cells import Figure, read_cell, table_csv

COLUMNS = ("stack", "ground", "L", "a", "b")
DEFAULT_GROUNDS = {"white": "#f4f3ef", "black": "#242325"}
Lab = tuple[float, float, float]


def parse_stack(text: str) -> tuple[Pass, ...]:
    """Layers of ``CODE:PRESSURE:PASSES+…``; passes may be left out.

    >>> parse_stack("203:1:2+401:5")
    (Pass(code='203', pressure=1, passes=2, tool='', coverage=1.0, laid=''), Pass(code='401', pressure=5, passes=1, tool='', coverage=1.0, laid=''))
    """
    out = []
    for part in filter(None, (q.strip() for q in text.split("+"))):
        bits = part.split(":")
        try:
            pressure = int(bits[1])
            passes = int(bits[2]) if len(bits) > 2 else 1
        except (IndexError, ValueError):
            raise KitFault(f"“{part}” is no layer; it is written CODE:PRESSURE:PASSES.") from None
        if len(bits) > 3 or not bits[0].strip() or not 1 <= pressure <= 5 or not 1 <= passes <= 20:
            raise KitFault(f"“{part}” is no layer; the pressure is 1–5 and the passes 1–20.")
        out.append(Pass(bits[0].strip(), pressure, passes))
    return tuple(out)


def stack_text(layers: Iterable[Pass]) -> str:
    """The text of a stack."""
    return "+".join(f"{q.code}:{q.pressure}:{q.passes}" for q in layers)


def read_swatches(path: Path | str) -> tuple[MeasuredPatch, ...]:
    """Swatches of a CSV or CGATS file; `KitFault` names the file, the line and what is wrong."""
    rows = swatch_rows(path)
    try:
        return with_grounds(rows)
    except Fault as error:
        raise KitFault(f"{Path(path).name}: {error}") from error


def swatch_rows(path: Path | str) -> list[SwatchRow]:
    """The rows of a CSV or CGATS file: line, layers, ground, Lab; an empty stack is the bare ground."""
    path = Path(path)
    try:
        if path.stat().st_size > 20_000_000:
            raise KitFault(f"{path.name} is too large for a swatch file.")
        text = path.read_text("utf-8-sig")
    except OSError as error:
        raise KitFault(f"The swatch file {path.name} cannot be read: {error.strerror or error}.") from error
    except UnicodeDecodeError as error:
        raise KitFault(f"The swatch file {path.name} is not text.") from error
    try:
        return parse_swatches(text)
    except Fault as error:
        raise KitFault(f"{path.name}: {error}") from error


def parse_swatches(text: str) -> list[SwatchRow]:
    """Rows of a swatch file's text."""
    return _cgats_rows(text) if "BEGIN_DATA" in text else _csv_rows(text)


SwatchRow = tuple[int, tuple[Pass, ...], str, Lab]


def _csv_rows(text: str) -> list[SwatchRow]:
    reader = csv.DictReader(io.StringIO(text), strict=True)
    out: list[SwatchRow] = []
    try:
        reader.fieldnames = [f.strip() for f in reader.fieldnames or []]
        missing = [c for c in COLUMNS if c not in reader.fieldnames]
        if missing:
            raise KitFault(f"the column {' and '.join(missing)} is missing", do=f"The first line must name {', '.join(COLUMNS)}.")
        for row in reader:
            line = reader.line_num
            try:
                lab = tuple(float(row[k] or "x") for k in ("L", "a", "b"))
            except ValueError:
                raise KitFault(f"line {line}: L, a and b must be numbers.") from None
            out.append(_row(line, read_cell(row["stack"] or ""), read_cell(row["ground"] or ""), lab))  # type: ignore[arg-type]
    except csv.Error as error:
        raise KitFault(f"line {reader.line_num} is not proper CSV ({error}).") from error
    return out


def _row(line: int, stack: str, ground: str, lab: Lab) -> SwatchRow:
    if not (np.isfinite(lab).all() and 0 <= lab[0] <= 105 and abs(lab[1]) < 160 and abs(lab[2]) < 160):
        raise KitFault(f"line {line}: {lab} is no Lab colour.")
    name = ground.strip().lower() or "white"
    if name not in DEFAULT_GROUNDS:
        try:
            parse_hex(name)
        except Fault:
            raise KitFault(f"line {line}: the ground “{ground}” is neither white, black nor a hex colour.") from None
    try:
        return line, parse_stack(stack), name, lab
    except Fault as error:
        raise KitFault(f"line {line}: {error}") from error


def _cgats_rows(text: str) -> list[SwatchRow]:
    """Rows of a CGATS table: SAMPLE_ID or SAMPLE_NAME holds the stack, an optional GROUND the ground, LAB_* or XYZ_* the colour."""
    head = re.search(r"BEGIN_DATA_FORMAT\s+(.*?)\s+END_DATA_FORMAT", text, re.S)
    body = re.search(r"BEGIN_DATA\s*\n(.*?)\n\s*END_DATA", text, re.S)
    if not head or not body:
        raise KitFault("the CGATS text has no BEGIN_DATA_FORMAT or no BEGIN_DATA.")
    fields = head.group(1).split()
    colour = next((c for c in (["LAB_L", "LAB_A", "LAB_B"], ["XYZ_X", "XYZ_Y", "XYZ_Z"]) if all(f in fields for f in c)), None)
    name = next((f for f in ("SAMPLE_NAME", "SAMPLE_ID") if f in fields), None)
    if colour is None or name is None:
        raise KitFault("the CGATS table needs SAMPLE_NAME and LAB_L LAB_A LAB_B or XYZ_X XYZ_Y XYZ_Z.")
    out: list[SwatchRow] = []
    first = text[: body.start(1)].count("\n") + 1
    for n, line in enumerate(body.group(1).splitlines()):
        values = re.findall(r'"[^"]*"|\S+', line)
        if not values:
            continue
        if len(values) != len(fields):
            raise KitFault(f"line {first + n} has {len(values)} values for {len(fields)} fields.")
        row = dict(zip(fields, (v.strip('"') for v in values), strict=True))
        try:
            v = np.array([float(row[c]) for c in colour])
        except ValueError:
            raise KitFault(f"line {first + n}: the colour is not a number.") from None
        lab = v if colour[0] == "LAB_L" else xyz_to_lab(v / 100)
        stack = "" if row[name].lower() in ("bare", "paper", "-") else row[name]
        out.append(_row(first + n, stack, row.get("GROUND", "white"), tuple(map(float, lab))))  # type: ignore[arg-type]
    return out


def with_grounds(rows: Sequence[SwatchRow], white: Lab | None = None) -> tuple[MeasuredPatch, ...]:
    """Swatches with the Lab of their bare ground: as measured where an empty stack gives it, else ``white`` or the usual one."""
    measured: dict[str, list[Lab]] = {}
    for _, layers, ground, lab in rows:
        if not layers:
            measured.setdefault(ground, []).append(lab)
    grounds: dict[str, Lab] = {}
    for ground in {r[2] for r in rows}:
        if ground in measured:
            middle = np.median(np.array(measured[ground]), 0)
        elif ground == "white" and white is not None:
            middle = np.array(white)
        else:
            middle = srgb_to_lab(parse_hex(DEFAULT_GROUNDS.get(ground, ground)))
        grounds[ground] = tuple(float(v) for v in middle)  # type: ignore[assignment]
    out = tuple(MeasuredPatch(layers, grounds[ground], lab) for _, layers, ground, lab in rows if layers)
    if not out:
        raise KitFault("there is no row with a stack.")
    return out


def cgats_text(rows: Iterable[tuple[str, str, Lab]]) -> str:
    """CGATS text of (stack, ground, Lab) rows."""
    rows = list(rows)
    lines = ["CGATS.17", "NUMBER_OF_FIELDS 5", "BEGIN_DATA_FORMAT", "SAMPLE_NAME GROUND LAB_L LAB_A LAB_B", "END_DATA_FORMAT"]
    lines += [f"NUMBER_OF_SETS {len(rows)}", "BEGIN_DATA"]
    lines += [f'"{stack or "bare"}" {ground} {lab[0]:.3f} {lab[1]:.3f} {lab[2]:.3f}' for stack, ground, lab in rows]
    return "\n".join([*lines, "END_DATA", ""])


def swatches_csv(rows: Iterable[tuple[str, str, Lab]]) -> str:
    """CSV text of (stack, ground, Lab) rows."""
    return table_csv(COLUMNS, [[stack, ground, *(Figure(f"{v:.3f}") for v in lab)] for stack, ground, lab in rows])
