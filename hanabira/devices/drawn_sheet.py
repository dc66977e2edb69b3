"""The sheet as the simulated paper's own physics draws it from the log, with faults planted where a test wants them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array, lab_to_srgb, srgb_to_linear
from hanabira.core.faults import Fault
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.passes import Pass
from hanabira.core.progress.on_sheet import AreaOnSheet, OnSheet
from hanabira.core.progress.strip import GREYS, MARK_MM, MARKS_MM, RUBBED, SIZE_MM, WHITE_LAB, chosen, rects
from hanabira.core.solver.layer import Layer, goes_over
from hanabira.devices.printed_marks import print_mark
from hanabira.devices.simulated_paper import TRUTHS, SimulatedSheet, Truth

FAULTS = ("lighter", "darker", "green", "big-eye", "nostrils", "mechanical", "skipped", "framed", "blotchy")
"""8 L* in the general place, a glaze 8 a* too green, an eye 10 % too large, a nose turned by 6°, hair like a comb's, an area left out, a dark line round
it, a coat laid in clouds."""
VALUE_L, GREEN_A, EYE_TIMES, NOSE_DEG = 8.0, 8.0, 1.10, 6.0
GRAIN_L, GRAIN_MM = 2.6, 0.3
COMB_L, COMB_MM = 5.0, 1.3
LINE_L, LINE_MM = 22.0, 0.8
CLOUD_L, CLOUD_MM = 6.0, 3.0


@dataclass(frozen=True)
class Planted:
    """A fault of `FAULTS` in the area of a number."""

    kind: str
    number: int

    @staticmethod
    def parse(text: str) -> Planted:
        """From ``KIND:AREA``. Raises `Fault`."""
        kind, _, number = text.partition(":")
        if kind not in FAULTS or not number.isdigit():
            raise Fault(
                f"“{text}” is no fault that can be planted.", do=f"Write KIND:AREA with one of {', '.join(FAULTS)} and an area’s number."
            )
        return Planted(kind, int(number))


@dataclass(frozen=True)
class DrawnSheet:
    """The whole sheet in Lab (h, w, 3) float32 at ``grid`` pixels a millimetre, its bare paper (3,), and what lies in each place of each area."""

    size: tuple[float, float]
    grid: float
    lab: Array
    paper_lab: Array
    places: Mapping[str, Mapping[str, Array]]


def general_place(area: AreaOnSheet) -> str:
    """The place that a fault of value goes into: the general one, else the largest."""
    if "general" in area.drawn.photo:
        return "general"
    labels = area.drawn.labels
    if labels is None:
        return next(iter(area.drawn.photo))
    counts = np.bincount(labels[area.inside], minlength=len(area.drawn.ids) + 1)[1:]
    free = [k for k, p in enumerate(area.drawn.ids) if p not in area.kept] or list(range(len(area.drawn.ids)))
    return area.drawn.ids[max(free, key=lambda k: int(counts[k]))]


def draw_sheet(
    sheet: OnSheet, layers: Mapping[str, Sequence[Layer]], kit: Kit, ground_lab: Array, truth: Truth = TRUTHS[0], seed: int = 1, faults: Sequence[Planted] = ()
) -> DrawnSheet:  # fmt: skip
    """Lay these layers by the simulated paper's physics. Raises `Fault` for a fault in an area that is not there."""
    hand = np.random.default_rng(seed)
    paper = SimulatedSheet(kit, truth, tuple(float(v) for v in ground_lab))
    numbers = {a.number: a for a in sheet.areas}
    for f in faults:
        if f.number not in numbers:
            raise Fault(f"There is no area {f.number} to plant a fault in.", do=f"Use one of {', '.join(map(str, sorted(numbers)))}.")
    kinds = {n: {f.kind for f in faults if f.number == n} for n in numbers}
    colours: dict[str, dict[str, Array]] = {}
    for a in sheet.areas:
        mine = layers.get(a.id, ())
        if not any(q.code and not q.tool for q in mine) or "skipped" in kinds[a.number]:
            continue
        found = {}
        for place in a.drawn.photo:
            stack = [q.as_pass for q in mine if (q.code or q.tool) and goes_over(q, place)]
            found[place] = np.array(paper.lay(stack, "white", hand))
        if "green" in kinds[a.number]:
            found = {p: v + np.array([0, -GREEN_A, 0]) for p, v in found.items()}
        colours[a.id] = found
    bare = np.array(paper.ground_lab("white"))
    out = sheet.picture(colours, bare)
    for f in faults:
        out = bent(out, numbers[f.number], f.kind, sheet.grid)
        if f.kind in ("lighter", "darker"):
            out = shifted(out, numbers[f.number], VALUE_L if f.kind == "lighter" else -VALUE_L, sheet.grid)
        if f.kind == "framed":
            out = framed(out, numbers[f.number], sheet.grid)
        if f.kind == "blotchy":
            out = clouded(out, numbers[f.number], sheet.grid, hand)
        if f.kind == "mechanical":
            out = combed(out, numbers[f.number], sheet.grid, hand)
    done = np.any([a.inside for a in sheet.areas if a.id in colours], axis=0) if colours else np.zeros(out.shape[:2], bool)
    grain = cv2.GaussianBlur(hand.standard_normal(out.shape[:2], dtype=np.float32), (0, 0), max(0.5, GRAIN_MM * sheet.grid))
    out[..., 0] += GRAIN_L * grain / max(1e-6, float(grain.std())) * 0.35 * done
    return DrawnSheet(sheet.size, sheet.grid, out.astype(np.float32), bare, colours)


def bent(lab: Array, area: AreaOnSheet, kind: str, grid: float) -> Array:
    """An eye drawn larger, or a nose drawn turned; what lies round it gives way smoothly."""
    if kind not in ("big-eye", "nostrils") or not area.inside.any():
        return lab
    ys, xs = np.nonzero(area.inside)
    cx, cy = (xs.min() + xs.max()) / 2, (ys.min() + ys.max()) / 2
    reach = max(np.ptp(xs), np.ptp(ys)) / 2 * 1.5
    y, x = np.mgrid[0 : lab.shape[0], 0 : lab.shape[1]].astype(np.float32)
    dx, dy = x - cx, y - cy
    f = np.clip((reach - np.hypot(dx, dy)) / (reach * 0.33), 0, 1)
    f = f * f * (3 - 2 * f)
    if kind == "big-eye":
        s = 1 - f * (1 - 1 / EYE_TIMES)
        mx, my = cx + dx * s, cy + dy * s
    else:
        t = np.radians(NOSE_DEG) * f
        mx, my = cx + dx * np.cos(t) - dy * np.sin(t), cy + dx * np.sin(t) + dy * np.cos(t)
    return cv2.remap(lab, mx.astype(np.float32), my.astype(np.float32), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)


def shifted(lab: Array, area: AreaOnSheet, by: float, grid: float) -> Array:
    """The general place laid too light or too dark, with soft edges."""
    labels = area.drawn.labels
    mask = area.inside if labels is None else area.inside & (labels == 1 + area.drawn.ids.index(general_place(area)))
    out = lab.copy()
    out[..., 0] = np.clip(out[..., 0] + by * cv2.GaussianBlur(mask.astype(np.float32), (0, 0), 0.3 * grid), 0, 100)
    return out


def framed(lab: Array, area: AreaOnSheet, grid: float) -> Array:
    """An outline drawn round an area and left standing."""
    contours, _ = cv2.findContours(area.core.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    line = cv2.drawContours(np.zeros(area.core.shape, np.float32), contours, -1, 1.0, max(1, round(LINE_MM * grid)))
    out = lab.copy()
    out[..., 0] = np.clip(out[..., 0] - LINE_L * cv2.GaussianBlur(line, (0, 0), 0.15 * grid), 4, 100)
    return out


def clouded(lab: Array, area: AreaOnSheet, grid: float, hand: np.random.Generator) -> Array:
    """A tone laid in clouds: lighter and darker patches that no form asks for."""
    clouds = cv2.GaussianBlur(hand.standard_normal(lab.shape[:2], dtype=np.float32), (0, 0), CLOUD_MM * grid / 2)
    clouds *= CLOUD_L / max(1e-6, float(clouds[area.inside].std()))
    out = lab.copy()
    out[area.inside, 0] = np.clip(out[area.inside, 0] + clouds[area.inside], 3, 97)
    return out


def combed(lab: Array, area: AreaOnSheet, grid: float, hand: np.random.Generator) -> Array:
    """The same line over and over, in one direction and one distance, instead of the coat's own."""
    soft = cv2.GaussianBlur(lab, (0, 0), 2.5 * grid)
    way = np.radians(float(hand.uniform(0, 180)))
    y, x = np.mgrid[0 : lab.shape[0], 0 : lab.shape[1]].astype(np.float32)
    across = (x * np.sin(way) + y * np.cos(way)) / grid
    lines = COMB_L * np.sin(2 * np.pi * across / COMB_MM)
    out = lab.copy()
    out[area.inside] = soft[area.inside]
    out[area.inside, 0] += lines[area.inside].astype(np.float32)
    return out


@dataclass(frozen=True)
class LaidStrip:
    """The check strip as it lies there: linear light (h, w, 3) at ``grid`` pixels a millimetre, and the true Lab of its patches in order."""

    linear: Array
    grid: float
    true: Array


def draw_strip(kit: Kit, truth: Truth, grid: float, seed: int, print_sd: float = 1.0) -> LaidStrip:
    """A printed strip with its boxes rubbed in; the printer misses its greys by ``print_sd`` L*."""
    rng = np.random.default_rng(seed)
    w, h = (round(v * grid) for v in SIZE_MM)
    out = np.empty((h, w, 3), np.float32)
    out[:] = as_linear(np.array(WHITE_LAB))

    def fill(x: float, y: float, ww: float, hh: float, colour: Array) -> tuple[slice, slice]:
        box = np.s_[round(y * grid) : round((y + hh) * grid), round(x * grid) : round((x + ww) * grid)]
        out[box] = colour
        return box

    dark, white = as_linear(np.array([13.0, 0, 0])), as_linear(np.array(WHITE_LAB))
    for k, (mx, my) in enumerate(MARKS_MM):
        print_mark(out, (mx * grid, my * grid), MARK_MM * grid, dark, white, k == 0)
    paper, lean = SimulatedSheet(kit, truth), float(rng.normal())
    true = []
    codes = chosen(kit)
    for k, rect in enumerate(rects()):
        if k < len(GREYS):
            value = GREYS[k]
            lab = np.array([value + print_sd * (lean * np.sin(np.pi * value / 100) + 0.5 * rng.normal()), 0.0, 0.0])
            fill(*rect, as_linear(lab))
        elif k - len(GREYS) < len(codes):
            lab = np.array(paper.lay([Pass(codes[k - len(GREYS)], RUBBED.pressure, RUBBED.passes)], "white", rng))
            box = fill(*rect, as_linear(lab))
            grainy = np.repeat(lab[None, None], out[box].shape[0], 0).repeat(out[box].shape[1], 1)
            grainy[..., 0] += 2.0 * cv2.GaussianBlur(rng.normal(size=grainy.shape[:2]), (0, 0), 1.0)
            out[box] = as_linear(grainy)
        else:
            break
        true.append(lab)
    return LaidStrip(out, grid, np.array(true))


def as_linear(lab: Array) -> Array:
    """Linear light of Lab as a camera's sensor meets it, (…, 3) float32."""
    return np.asarray(srgb_to_linear(np.clip(lab_to_srgb(lab), 0, 1)), np.float32)
