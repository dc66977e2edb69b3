"""Drills for the hand: sheets with fields to fill, and what a photo of a filled one tells, in figures and in sentences.

A sheet has the corner marks, page code and grey wedges of a swatch sheet, so that a photo of it is straightened and its light taken out alike.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from hanabira.core.area.hair import axial_mean
from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import Array
from hanabira.core.faults import PhotoFault
from hanabira.core.optics.batch import under_hands
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.stack import bare
from hanabira.core.sentences import say
from hanabira.core.swatch.layout import Cell, SheetPage
from hanabira.core.swatch.read import PAPER_LAB, PX_PER_MM, lab_of, straightened
from hanabira.core.token import SILENT, Token

A4 = (210.0, 297.0)
FIRST_CODE = 40
"""Page code of the first hand sheet; swatch sheets have the lower ones."""
COMB_DEG, LOCK_MM, GAP_MM = 60.0, 7.0, 4.0
"""Direction of the flicks; width of the printed locks and of the gaps between them, in mm."""
LIGHT_MM, DARK_MM = 8.0, 34.0
"""Diameters of the catchlight that is kept and of the dark round it; the first is also the spot that is lifted."""
CHIP_DARK_L = 60.0
"""A chip is laid with a pencil at most so light: on a pale one nothing shows."""
FILLED_L = 6.0
"""Darker than the paper by so many L* a pixel counts as drawn on."""


@dataclass(frozen=True)
class HandSheet:
    """A drill's page: its fields, a line under each, and what is printed in them before anything is drawn: polylines in mm, and circles (x, y, radius)."""

    drill: str
    page: SheetPage
    guides: tuple[tuple[tuple[float, float], ...], ...] = ()
    circles: tuple[tuple[float, float, float], ...] = ()


@dataclass(frozen=True)
class HandResult:
    """What a filled sheet tells: figures with names, how well it went (0–1), a sentence each, and the fields' Lab (for the picture)."""

    drill: str
    figures: Mapping[str, float]
    score: float
    sentences: tuple[str, ...]
    marks: tuple[tuple[tuple[float, float], ...], ...] = ()
    """What was measured, as polylines in mm of the page."""


def _cells(*rows: tuple[float, float, float, float, str]) -> tuple[Cell, ...]:
    return tuple(Cell((x, y, w, h), (), "white", label) for x, y, w, h, label in rows)


def _page(number: int, title: str, cells: tuple[Cell, ...]) -> SheetPage:
    return SheetPage(A4, FIRST_CODE + number, title, cells)


def _gap_lines(field: tuple[float, float, float, float]) -> tuple[tuple[tuple[float, float], ...], ...]:
    """Edges of the printed locks: slanting lines through a field, a lock and a gap by turns."""
    x, y, w, h = field
    lean = 0.45 * h
    out, at = [], x - lean
    while at < x + w:
        for edge in (at, at + LOCK_MM):
            line = [(edge + lean * (1 - t), y + h * t) for t in np.linspace(0, 1, 12)]
            kept = tuple((float(u), float(v)) for u, v in line if x <= u <= x + w)
            if len(kept) > 1:
                out.append(kept)
        at += LOCK_MM + GAP_MM
    return tuple(out)


FIELD = (20.0, 60.0, 170.0, 90.0)
_WIDE = (20.0, 60.0, 170.0, 26.0)
_ROUND = (72.0, 70.0, 66.0, 66.0)
_MIDDLE = (_ROUND[0] + _ROUND[2] / 2, _ROUND[1] + _ROUND[3] / 2)


def sheets() -> dict[str, HandSheet]:
    """Every hand drill's sheet by its id."""
    ladder = _cells(*((20.0 + 34 * k, 60.0, 30.0, 40.0, f"pressure {k + 1}") for k in range(5)))
    chips = _cells(*((20.0 + 29 * (k % 6), 60.0 + 40 * (k // 6), 24.0, 24.0, f"chip {k + 1}") for k in range(6)))
    pair = _cells((25.0, 60.0, 70.0, 60.0, "laid"), (115.0, 60.0, 70.0, 60.0, "laid and blended"))
    dark = ((_MIDDLE[0], _MIDDLE[1], DARK_MM / 2), (_MIDDLE[0], _MIDDLE[1], LIGHT_MM / 2))
    made = [
        HandSheet("pressure-ladder", _page(0, "Pressure ladder", ladder)),
        HandSheet("gradient", _page(1, "Gradient without steps", _cells((*_WIDE, "dark to nothing")))),
        HandSheet(
            "flicks", _page(2, "Flicks along a combing", _cells((*FIELD, "root below, tip above"))), (((30.0, 140.0), (47.3, 110.0)),)
        ),
        HandSheet("gaps-only", _page(3, "Gaps only", _cells((*FIELD, "the narrow bands alone"))), _gap_lines(FIELD)),
        HandSheet("nose-circles", _page(4, "Circles for a nose", _cells((45.0, 60.0, 120.0, 70.0, "small circles, no lines")))),
        HandSheet("blend-square", _page(5, "Solvent or stump", pair)),
        HandSheet("reserve", _page(6, "Keep a catchlight", _cells((*_ROUND, "dark round a kept light"))), (), dark),
        HandSheet("lift", _page(7, "Lift a light", _cells((*_ROUND, "dark all over, then lift the ring"))), (), dark),
        HandSheet("same-chip", _page(8, "The same chip six times", chips)),
    ]
    return {s.drill: s for s in made}


@dataclass(frozen=True)
class Filled:
    """A filled page straightened and lit evenly: Lab (h, w, 3) at `PX_PER_MM`, and its bare paper (3,)."""

    sheet: HandSheet
    lab: Array
    paper: Array

    def field(self, n: int, inner: float = 0.6) -> Array:
        """Lab of a field without so many mm of its rim."""
        x, y, w, h = self.sheet.page.cells[n].rect
        k = PX_PER_MM
        return self.lab[round((y + inner) * k) : round((y + h - inner) * k), round((x + inner) * k) : round((x + w - inner) * k)]


def filled_sheet(photo: np.ndarray, sheet: HandSheet, token: Token = SILENT) -> Filled:
    """A photo (h, w, 3) uint8 of a filled sheet, straight and evenly lit. Raises `PhotoFault` where it is not that sheet."""
    straight = straightened(photo, sheet.page, token)
    if straight.number != sheet.page.number:
        other = next((s.page.title for s in sheets().values() if s.page.number == straight.number), "another sheet")
        raise PhotoFault(f"This is not the sheet “{sheet.page.title}”, but {other}.", do="Choose that drill, or the photo of this sheet.")
    white = np.array(PAPER_LAB)
    flat, _power, _error = straight.evened(sheet.page, white, token)
    token.report(0.8, "Measuring")
    return Filled(sheet, lab_of(flat, white), white)


def read_hand(photo: np.ndarray, drill: str, token: Token = SILENT) -> tuple[HandResult, Filled]:
    """What a photo of a drill's filled sheet tells. Raises `PhotoFault` where it is not that sheet or nothing was drawn."""
    filled = filled_sheet(photo, sheets()[drill], token)
    return MEASURES[drill](filled), filled


def _empty(filled: Filled, n: int) -> bool:
    return float((filled.paper[0] - filled.field(n)[..., 0] > FILLED_L).mean()) < 0.02


def _asked(filled: Filled) -> None:
    if all(_empty(filled, n) for n in range(len(filled.sheet.page.cells))):
        raise PhotoFault("Nothing is drawn on this sheet yet.", do="Fill its fields, then photograph it again.")


def ladder(filled: Filled) -> HandResult:
    """Five pressures: how evenly their values step from the lightest to the heaviest."""
    _asked(filled)
    values = [float(np.median(filled.field(n, 3.0)[..., 0])) for n in range(5)]
    even = np.linspace(values[0], values[4], 5)
    span = values[0] - values[4]
    off = [float(v - e) for v, e in zip(values, even, strict=True)]
    worst = int(np.argmax(np.abs(off)))
    figures = {f"pressure {k + 1}": v for k, v in enumerate(values)} | {"span": span, "worst": off[worst]}
    if span < 8:
        return HandResult("pressure-ladder", figures, 0.0, (say("practice.ladder_flat", span=span),))
    share = abs(off[worst]) / span
    words = [say("practice.ladder_span", light=values[0], dark=values[4])]
    if share < 0.08:
        words.append(say("practice.ladder_even"))
    else:
        words.append(say("practice.ladder_off", pressure=worst + 1, size=abs(off[worst]), way="light" if off[worst] > 0 else "dark"))
    return HandResult("pressure-ladder", figures, float(np.clip(1 - 3 * share, 0, 1)), tuple(words))


def gradient(filled: Filled) -> HandResult:
    """A strip from dark to nothing: how evenly it falls, and where it jumps."""
    _asked(filled)
    profile = cv2.GaussianBlur(np.median(filled.field(0, 2.0)[..., 0], 0)[None].astype(np.float64), (0, 0), 2.0 * PX_PER_MM)[0]
    if profile[0] > profile[-1]:
        profile = profile[::-1]
    span = float(profile[-1] - profile[0])
    mm = np.arange(len(profile)) / PX_PER_MM
    slope = np.gradient(profile, mm)
    ideal = span / (len(profile) / PX_PER_MM)
    step = float(slope.max() / max(ideal, 1e-6))
    back = float(np.maximum(0, -np.diff(profile)).sum())
    off = float(np.sqrt(np.mean((profile - (profile[0] + ideal * mm)) ** 2)))
    at = float(mm[int(slope.argmax())])
    figures = {"span": span, "steepest": step, "back": back, "off": off, "steepest_mm": at}
    if span < 15:
        return HandResult("gradient", figures, 0.0, (say("practice.gradient_short", span=span),))
    words = [say("practice.gradient_span", span=span, off=off)]
    words.append(say("practice.gradient_even") if step < 2.2 and back < 3 else say("practice.gradient_step", at=at, times=step))
    x, y, w, h = filled.sheet.page.cells[0].rect
    # measured from the dark end; the strip may have been laid either way round
    turned = float(np.median(filled.field(0, 2.0)[:, :60, 0])) > float(np.median(filled.field(0, 2.0)[:, -60:, 0]))
    where = x + (w - 2.0 - at if turned else 2.0 + at)
    marks = (((where, y - 2), (where, y + h + 2)),)
    return HandResult("gradient", figures, float(np.clip(1 - (step - 1.3) / 3 - back / 20, 0, 1)), tuple(words), marks)


@dataclass(frozen=True)
class DrawnStroke:
    """A stroke: from root to tip in mm of its field, its direction in degrees, and how wide its tip half is against its root half."""

    root: tuple[float, float]
    tip: tuple[float, float]
    deg: float
    taper: float

    @property
    def length_mm(self) -> float:
        """From end to end."""
        return float(np.hypot(self.tip[0] - self.root[0], self.tip[1] - self.root[1]))


def strokes_in(field: Array, paper_l: float, up_deg: float) -> list[DrawnStroke]:
    """Single strokes of a field in Lab (h, w, 3), those that touch none other; ``up_deg`` tells which end is the tip."""
    dark = (paper_l - cv2.GaussianBlur(field[..., 0].astype(np.float32), (0, 0), 0.6) > FILLED_L).astype(np.uint8)
    n, parts, stats, _m = cv2.connectedComponentsWithStats(dark)
    out = []
    way = np.array([np.cos(np.radians(up_deg)), -np.sin(np.radians(up_deg))])
    for k in range(1, n):
        area = int(stats[k, cv2.CC_STAT_AREA])
        if area < 12:
            continue
        ys, xs = np.nonzero(parts == k)
        points = np.stack([xs, ys], 1).astype(float)
        middle = points.mean(0)
        values, vectors = np.linalg.eigh(np.cov((points - middle).T) + 1e-9 * np.eye(2))
        axis = vectors[:, 1] * (1 if vectors[:, 1] @ way >= 0 else -1)
        if values[1] < 9 * values[0]:  # a blot, or two strokes that cross
            continue
        along = (points - middle) @ axis
        low, high = float(along.min()), float(along.max())
        if high - low < 1.5 * PX_PER_MM:
            continue
        across = np.abs((points - middle) @ np.array([-axis[1], axis[0]]))
        tip, root = across[along > 0.6 * high], across[along < 0.6 * low]
        taper = float((tip.mean() + 0.3) / (root.mean() + 0.3)) if len(tip) and len(root) else 1.0
        a, b = middle + axis * low, middle + axis * high
        deg = float(np.degrees(np.arctan2(-axis[1], axis[0])) % 180)
        out.append(
            DrawnStroke((float(a[0]) / PX_PER_MM, float(a[1]) / PX_PER_MM), (float(b[0]) / PX_PER_MM, float(b[1]) / PX_PER_MM), deg, taper)
        )
    return out


def flicks(filled: Filled) -> HandResult:
    """Flicks along the printed direction: how true they keep to it, how much they vary, and whether they taper."""
    _asked(filled)
    found = strokes_in(filled.field(0), float(filled.paper[0]), COMB_DEG)
    if len(found) < 8:
        return HandResult("flicks", {"strokes": float(len(found))}, 0.0, (say("practice.flicks_few", found=len(found)),))
    deg, length = np.array([s.deg for s in found]), np.array([s.length_mm for s in found])
    mean, _together = axial_mean(deg, np.ones(len(deg)))
    off = float((mean - COMB_DEG + 90) % 180 - 90)
    spread = float(np.sqrt(np.mean(((deg - mean + 90) % 180 - 90) ** 2)))
    vary = float(np.std(np.log(length)))
    taper = float(np.median([s.taper for s in found]))
    figures = {
        "strokes": float(len(found)),
        "off_deg": off,
        "spread_deg": spread,
        "run_mm": float(np.median(length)),
        "variation": vary,
        "taper": taper,
    }
    words = [say("practice.flicks_run", count=len(found), run=float(np.median(length)), off=abs(off))]
    words.append(
        say("practice.flicks_comb")
        if spread < 4 and vary < 0.12
        else say("practice.flicks_wild")
        if spread > 16
        else say("practice.flicks_vary")
    )
    words.append(say("practice.flicks_blunt") if taper > 0.85 else say("practice.flicks_taper"))
    score = (
        np.clip(1 - max(0, abs(off) - 6) / 30, 0, 1)
        * np.clip(1.3 - max(0.0, taper - 0.5), 0, 1)
        * (0.5 if spread < 4 and vary < 0.12 else 1.0)
    )
    x, y = filled.sheet.page.cells[0].rect[:2]
    marks = tuple(((x + 0.6 + s.root[0], y + 0.6 + s.root[1]), (x + 0.6 + s.tip[0], y + 0.6 + s.tip[1])) for s in found[:60])
    return HandResult("flicks", figures, float(score), tuple(words), marks)


def gap_mask(field: tuple[float, float, float, float], inner: float = 0.6) -> tuple[np.ndarray, np.ndarray]:
    """Pixels of a field that lie in a gap, and in a lock, each a little within its edges; (h, w) bool."""
    x, y, w, h = field
    rows, columns = (
        round((y + h - inner) * PX_PER_MM) - round((y + inner) * PX_PER_MM),
        round((x + w - inner) * PX_PER_MM) - round((x + inner) * PX_PER_MM),
    )
    v, u = np.mgrid[0:rows, 0:columns] / PX_PER_MM + inner
    lean = 0.45 * h
    phase = (u - lean * (1 - v / h) + lean) % (LOCK_MM + GAP_MM)
    return (phase > LOCK_MM + 0.7) & (phase < LOCK_MM + GAP_MM - 0.7), (phase > 0.9) & (phase < LOCK_MM - 0.9)


def gaps_only(filled: Filled) -> HandResult:
    """The narrow bands filled and the wide ones left: how full the gaps are, and how much went over."""
    _asked(filled)
    gap, lock = gap_mask(filled.sheet.page.cells[0].rect)
    drawn = filled.paper[0] - filled.field(0)[..., 0] > FILLED_L
    full, over = float(drawn[gap].mean()), float(drawn[lock].mean())
    words = (say("practice.gaps_full", full=full), say("practice.gaps_over", over=over) if over > 0.08 else say("practice.gaps_clean"))
    return HandResult("gaps-only", {"full": full, "over": over}, float(np.clip(full - 2 * over, 0, 1)), words)


def nose_circles(filled: Filled) -> HandResult:
    """Small circles: an even tone without direction or clouds."""
    _asked(filled)
    lightness = filled.field(0, 3.0)[..., 0].astype(np.float32)
    soft = cv2.GaussianBlur(lightness, (0, 0), 1.5 * PX_PER_MM)
    clouds = float(np.std(soft))
    fine = lightness - cv2.GaussianBlur(lightness, (0, 0), 1.2 * PX_PER_MM)
    gx, gy = cv2.Sobel(fine, cv2.CV_32F, 1, 0), cv2.Sobel(fine, cv2.CV_32F, 0, 1)
    double = (gx * gx - gy * gy + 2j * gx * gy).sum()
    order = float(abs(double) / max(1e-9, float((gx * gx + gy * gy).sum())))
    figures = {"clouds": clouds, "order": order}
    words = (
        say("practice.circles_lines", order=order) if order > 0.35 else say("practice.circles_round"),
        say("practice.circles_clouds", clouds=clouds) if clouds > 3 else say("practice.circles_even", clouds=clouds),
    )
    return HandResult(
        "nose-circles", figures, float(np.clip(1 - max(0, order - 0.15) * 2, 0, 1) * np.clip(1 - (clouds - 1.5) / 6, 0, 1)), words
    )


def blend_square(filled: Filled) -> HandResult:
    """One square laid, one laid and blended: how much of the grain went, and what it did to the value."""
    _asked(filled)
    grain = [
        float(np.std(f - cv2.GaussianBlur(f, (0, 0), PX_PER_MM))) for f in (filled.field(n, 4.0)[..., 0].astype(np.float32) for n in (0, 1))
    ]
    value = [float(np.median(filled.field(n, 4.0)[..., 0])) for n in (0, 1)]
    left = grain[1] / max(grain[0], 1e-3)
    figures = {"grain_left": left, "darker": value[0] - value[1]}
    words = (
        say("practice.blend_left", left=left),
        say("practice.blend_value", size=abs(value[0] - value[1]), way="darker" if value[1] < value[0] else "lighter"),
    )
    return HandResult("blend-square", figures, float(np.clip(1.25 - left, 0, 1)), words)


def _rings(filled: Filled) -> tuple[Array, Array]:
    """L* of the round field, and the distance of its pixels from its middle in mm."""
    lightness = filled.field(0)[..., 0]
    h, w = lightness.shape
    y, x = np.mgrid[0:h, 0:w]
    return lightness, np.hypot(x - (w - 1) / 2, y - (h - 1) / 2) / PX_PER_MM


def _light(filled: Filled) -> tuple[float, float, float]:
    """Median L* within the small ring and in the dark round it, and over how many mm the one goes into the other."""
    lightness, far = _rings(filled)
    inside, outside = (
        float(np.median(lightness[far < LIGHT_MM / 2 - 1])),
        float(np.median(lightness[(far > LIGHT_MM / 2 + 3) & (far < DARK_MM / 2 - 3)])),
    )
    bins = np.arange(0, LIGHT_MM / 2 + 5, 0.25)
    profile = np.array([np.median(lightness[(far >= a) & (far < a + 0.25)]) for a in bins])
    part = (profile - outside) / (inside - outside) if abs(inside - outside) > 1e-6 else np.zeros_like(profile)
    return inside, outside, float(((part > 0.2) & (part < 0.8)).sum() * 0.25)


def _ring(filled: Filled) -> tuple[tuple[tuple[float, float], ...], ...]:
    """The small ring, in mm of the page: within it the light was read."""
    x, y, r = filled.sheet.circles[-1]
    return (tuple((x + r * float(np.cos(t)), y + r * float(np.sin(t))) for t in np.linspace(0, 2 * np.pi, 40)),)


def reserve(filled: Filled) -> HandResult:
    """A light kept free in the dark: how clean it stayed, and how crisp its edge is."""
    _asked(filled)
    inside, outside, edge = _light(filled)
    lost = float(filled.paper[0]) - inside
    words = (
        say("practice.reserve_clean", value=inside) if lost < 3 else say("practice.reserve_lost", lost=lost),
        say("practice.reserve_edge", edge=edge),
    )
    score = float(np.clip(1 - lost / 20, 0, 1) * np.clip(1.2 - edge / 3, 0, 1)) if outside < filled.paper[0] - 20 else 0.0
    return HandResult("reserve", {"lost": lost, "edge_mm": edge, "dark": outside}, score, words, _ring(filled))


def lift(filled: Filled) -> HandResult:
    """A light lifted out of the dark: how far it came back toward the paper."""
    _asked(filled)
    inside, outside, edge = _light(filled)
    back = (inside - outside) / max(1e-6, float(filled.paper[0]) - outside)
    words = (say("practice.lift_back", back=back), say("practice.reserve_edge", edge=edge))
    return HandResult("lift", {"back": back, "edge_mm": edge, "dark": outside}, float(np.clip(back / 0.6, 0, 1)), words, _ring(filled))


def same_chip(filled: Filled) -> HandResult:
    """One chip laid six times: how alike they are."""
    _asked(filled)
    labs = np.array([np.median(filled.field(n, 3.0).reshape(-1, 3), 0) for n in range(6) if not _empty(filled, n)])
    if len(labs) < 3:
        return HandResult("same-chip", {"chips": float(len(labs))}, 0.0, (say("practice.chips_few", chips=len(labs)),))
    sd = float(labs[:, 0].std(ddof=1))
    apart = float(np.mean([float(delta_e00(v, labs.mean(0))) for v in labs]))
    words = (say("practice.chips", sd=sd, apart=apart),)
    return HandResult("same-chip", {"chips": float(len(labs)), "sd": sd, "de00": apart}, float(np.clip(1.15 - apart / 6, 0, 1)), words)


MEASURES: Mapping[str, Callable[[Filled], HandResult]] = {
    "pressure-ladder": ladder, "gradient": gradient, "flicks": flicks, "gaps-only": gaps_only, "nose-circles": nose_circles, "blend-square": blend_square,
    "reserve": reserve, "lift": lift, "same-chip": same_chip,
}  # fmt: skip


CHIP_PRESSURE, CHIP_PASSES = 3, 2
"""How the same chip is laid."""


def unsteadiness(kit: Kit, paper: Paper, sd: float) -> float:
    """How many times as far a hand scatters as the usual one, by the L* of the same chip laid six times: against what the six usual hands leave."""
    n = len(kit)
    pencils = np.repeat(np.arange(n)[:, None], CHIP_PASSES, 1)
    usual = under_hands(paper, bare(paper), replace(kit, unsteady=1.0), pencils, np.full((n, CHIP_PASSES), CHIP_PRESSURE))[..., 0].std(
        1, ddof=1
    )
    dark = [i for i, p in enumerate(kit) if p.lab[0] < CHIP_DARK_L]
    return float(sd / max(0.3, float(np.median(usual[dark] if dark else usual))))


def pressures_of(results: Sequence[HandResult]) -> list[float] | None:
    """L* of pressures 1–5 by the newest ladder; None without one."""
    found = [r for r in results if r.drill == "pressure-ladder" and r.figures.get("span", 0) >= 8]
    return [found[-1].figures[f"pressure {k}"] for k in range(1, 6)] if found else None
