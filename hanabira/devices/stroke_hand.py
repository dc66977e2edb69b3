"""A second drawing hand: the sheet by strokes of its own, from the log alone. It knows outlines, places and layers, and never a pixel of the client's photo.

The first hand (`drawn_sheet`) copies the photo's forms into what it draws, so a judge that looks for the photo finds it there. This one lays each place in
its layers' colours by the simulated paper's physics, with a stroke's grain in the way of its own, pressure that wavers over an area, spots that were missed,
edges that wander, and forms only where the places are.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array
from hanabira.core.optics.kit import Kit
from hanabira.core.progress.geometry import hair_of
from hanabira.core.progress.on_sheet import AreaOnSheet, OnSheet
from hanabira.core.solver.layer import Layer, goes_over
from hanabira.devices.drawn_sheet import GREEN_A, VALUE_L, DrawnSheet, Planted, bent, clouded, combed, framed, shifted
from hanabira.devices.simulated_paper import TRUTHS, SimulatedSheet, Truth

STROKE_MM, ACROSS_MM, GRAIN = (4.0, 9.0), 0.35, 0.22
"""Length and half width of a stroke, and how unevenly strokes cover: the standard deviation of a layer's share of its effect."""
WAVER, WAVER_MM = 0.07, (7.0, 16.0)
"""How much the pressure wavers over an area, as a share of a layer's effect, and over how many millimetres."""
MISSED, MISSED_MM = 0.015, 0.7
"""Share of an area where a layer was missed, and how wide such spots are."""
ORDERLY = 0.3
"""Order of the photo's hair from which a hand follows it."""
WANDER_MM, OVER_MM = 0.5, 0.4
"""How far the edge of a place wanders, and how far strokes run over the outline."""


def draw_by_strokes(
    sheet: OnSheet, layers: Mapping[str, Sequence[Layer]], kit: Kit, ground_lab: Array, truth: Truth = TRUTHS[0], seed: int = 1, faults: Sequence[Planted] = ()
) -> DrawnSheet:  # fmt: skip
    """Lay these layers by strokes. ``faults`` as in `drawn_sheet.draw_sheet`."""
    hand = np.random.default_rng([seed, 77])
    paper = SimulatedSheet(kit, truth, tuple(float(v) for v in ground_lab))
    bare = np.array(paper.ground_lab("white"))
    out = np.broadcast_to(bare, (*sheet.lab.shape[:2], 3)).astype(np.float32).copy()
    kinds = {a.number: {f.kind for f in faults if f.number == a.number} for a in sheet.areas}
    colours: dict[str, dict[str, Array]] = {}
    for a in sheet.areas:
        mine = [q for q in layers.get(a.id, ()) if q.code or q.tool]
        if not any(q.code and not q.tool for q in mine) or "skipped" in kinds[a.number] or not a.inside.any():
            continue
        colours[a.id] = _lay(out, a, mine, paper, bare, sheet.grid, hand, "green" in kinds[a.number], sheet.lab[..., 0])
    numbers = {a.number: a for a in sheet.areas}
    for f in faults:
        area = numbers[f.number]
        out = bent(out, area, f.kind, sheet.grid)
        if f.kind in ("lighter", "darker"):
            out = shifted(out, area, VALUE_L if f.kind == "lighter" else -VALUE_L, sheet.grid)
        if f.kind == "framed":
            out = framed(out, area, sheet.grid)
        if f.kind == "blotchy":
            out = clouded(out, area, sheet.grid, hand)
        if f.kind == "mechanical":
            out = combed(out, area, sheet.grid, hand)
    return DrawnSheet(sheet.size, sheet.grid, out, bare, colours)


def _lay(
    out: Array, a: AreaOnSheet, layers: Sequence[Layer], paper: SimulatedSheet, bare: Array, grid: float, hand: np.random.Generator, green: bool, sheet_l: Array
) -> dict[str, Array]:  # fmt: skip
    """Draw one area into the sheet; the mean colour of each of its places."""
    ys, xs = np.nonzero(a.inside)
    over = max(1, round(OVER_MM * grid))
    y0, y1, x0, x1 = max(0, ys.min() - 2 * over), ys.max() + 2 * over + 1, max(0, xs.min() - 2 * over), xs.max() + 2 * over + 1
    box = np.s_[y0:y1, x0:x1]
    inside = cv2.dilate(a.inside[box].astype(np.uint8), np.ones((2 * over + 1,) * 2)) > 0
    labels = np.ones(inside.shape, np.int32) if a.drawn.labels is None else _wandered(a.drawn.labels[box].astype(np.float32), grid, hand)
    ids = a.drawn.ids or tuple(a.drawn.photo)[:1]
    way = _way(a, sheet_l, hand)
    lab = np.broadcast_to(bare, (*inside.shape, 3)).astype(np.float32).copy()
    means = {}
    for n, place in enumerate(ids, 1):
        here = inside & (labels == n)
        stack = [q for q in layers if goes_over(q, place)]
        before = bare
        for k in range(1, len(stack) + 1):
            after = np.array(paper.lay([q.as_pass for q in stack[:k]], "white", hand))
            if here.any():
                share = _strokes(here.shape, grid, way + float(hand.normal(0, 0.25)), stack[k - 1].stroke_mm, hand)
                lab[here] += ((after - before) * share[..., None]).astype(np.float32)[here]
            before = after
        means[place] = before
    if green:
        lab[..., 1] -= GREEN_A
        means = {p: v + np.array([0, -GREEN_A, 0]) for p, v in means.items()}
    lab[..., 0] = np.clip(lab[..., 0], 2, 99)
    known = inside & (labels > 0) & (labels <= len(ids))
    out[box][known] = lab[known]
    return means


def _way(a: AreaOnSheet, sheet_l: Array, hand: np.random.Generator) -> float:
    """The way of an area's strokes in radians: that of the hair, as whoever looks at the animal sees it, with a hand's error; any way where none is to be seen."""
    run = hair_of(sheet_l, a.core) if a.core.sum() > 400 else None
    if run is None or not run.order > ORDERLY:
        return float(hand.uniform(0, np.pi))
    return float(np.radians(run.direction_deg) + hand.normal(0, 0.12))


def _wandered(labels: Array, grid: float, hand: np.random.Generator) -> np.ndarray:
    """Places whose edges wander as a hand's do."""
    h, w = labels.shape
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    moved = []
    for at in (x, y):
        noise = cv2.GaussianBlur(hand.standard_normal((h, w)).astype(np.float32), (0, 0), 1.5 * grid)
        moved.append((at + WANDER_MM * grid * noise / max(1e-6, float(noise.std()))).astype(np.float32))
    return np.rint(cv2.remap(labels, moved[0], moved[1], cv2.INTER_NEAREST, borderMode=cv2.BORDER_REPLICATE)).astype(np.int32)


def _strokes(shape: tuple[int, int], grid: float, way: float, stroke_mm: float, hand: np.random.Generator) -> Array:
    """A layer's share of its effect at each pixel (h, w), 1 in the mean: strokes in one way, as long as the recipe says, a wavering pressure, and missed spots."""
    length = (stroke_mm * float(hand.uniform(0.8, 1.25)) if stroke_mm > 0 else float(hand.uniform(*STROKE_MM))) * grid / 2
    side = 2 * round(1.5 * length) + 1
    y, x = np.mgrid[: side, : side].astype(np.float32) - side // 2
    along, across = x * np.cos(way) - y * np.sin(way), x * np.sin(way) + y * np.cos(way)
    kernel = np.exp(-((along / length) ** 2) / 2 - (across / max(0.6, ACROSS_MM * grid)) ** 2 / 2)
    noise = cv2.filter2D(hand.standard_normal(shape).astype(np.float32), -1, kernel / np.sqrt((kernel**2).sum()))
    broad = cv2.GaussianBlur(hand.standard_normal(shape).astype(np.float32), (0, 0), float(hand.uniform(*WAVER_MM)) * grid / 2)
    spots = cv2.GaussianBlur(hand.standard_normal(shape).astype(np.float32), (0, 0), MISSED_MM * grid / 2)
    share = 1 + GRAIN * noise / max(1e-6, float(noise.std())) + WAVER * broad / max(1e-6, float(broad.std()))
    share = np.where(spots > np.quantile(spots, 1 - MISSED), 0.25, np.clip(share, 0.0, 2.0))
    return np.asarray(share / max(1e-6, float(share.mean())), np.float32)
