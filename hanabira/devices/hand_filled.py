"""A simulated hand that fills a drill's sheet with known strengths and weaknesses: the stand-in for an artist, for the demo and the tests."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array, lab_to_xyz, srgb_to_xyz
from hanabira.core.practice.hand import COMB_DEG, DARK_MM, LIGHT_MM, HandSheet, gap_mask
from hanabira.core.swatch.read import PX_PER_MM
from hanabira.devices.scanner import Scanning, filled_sheet, photograph
from hanabira.devices.simulated_paper import SimulatedSheet

_TO_LINEAR = np.linalg.inv(np.stack([srgb_to_xyz(np.eye(3)[i]) for i in range(3)]))


@dataclass(frozen=True)
class SimulatedHand:
    """``ladder`` L* of pressures 1–5; ``jump`` L* of one step in a gradient; ``off_deg``, ``spread_deg``, ``variation`` and ``taper`` of its flicks;
    ``over`` share of locks gone over; ``clouds`` L*; ``lined`` share of circles that are lines; ``lost`` L* of a kept light; ``back`` share of a lift;
    ``chips_sd`` L* of the same chip.
    """

    ladder: tuple[float, ...] = (84.0, 73.0, 62.0, 51.0, 40.0)
    jump: float = 0.0
    off_deg: float = 0.0
    spread_deg: float = 9.0
    variation: float = 0.25
    taper: float = 0.4
    full: float = 0.95
    over: float = 0.01
    clouds: float = 0.8
    lined: float = 0.0
    grain_left: float = 0.35
    lost: float = 0.0
    back: float = 0.55
    chips_sd: float = 1.2
    seed: int = 1


def fill(sheet: HandSheet, hand: SimulatedHand, paper: SimulatedSheet) -> Array:
    """The filled page as linear light (h, w, 3) at `PX_PER_MM`."""
    image, _none = filled_sheet(sheet.page, paper, PX_PER_MM, hand.seed)
    rng = np.random.default_rng([hand.seed, 17])
    white = float(paper.ground_lab("white")[0])
    for n, cell in enumerate(sheet.page.cells):
        x, y, w, h = cell.rect
        box = np.s_[round(y * PX_PER_MM) : round((y + h) * PX_PER_MM), round(x * PX_PER_MM) : round((x + w) * PX_PER_MM)]
        lightness = _drawn(sheet.drill, n, image[box].shape[:2], hand, rng, white)
        lab = np.stack([np.clip(lightness, 6, white), np.full_like(lightness, -0.4), np.full_like(lightness, 1.0)], -1)
        image[box] = np.clip(lab_to_xyz(lab) @ _TO_LINEAR, 0, 1.2)
    return image


def _grain(shape: tuple[int, int], rng: np.random.Generator, size: float = 0.12) -> Array:
    field = cv2.GaussianBlur(rng.normal(size=shape).astype(np.float32), (0, 0), size * PX_PER_MM)
    return np.asarray(field / max(1e-6, float(field.std())))


def _drawn(drill: str, n: int, shape: tuple[int, int], hand: SimulatedHand, rng: np.random.Generator, white: float) -> Array:
    """L* of a field (h, w)."""
    h, w = shape
    y, x = np.mgrid[0:h, 0:w] / PX_PER_MM
    bare = np.full(shape, white)
    if drill == "pressure-ladder":
        return hand.ladder[n] + 2.5 * _grain(shape, rng)
    if drill == "gradient":
        t = x / x.max()
        return 25 + (white - 25) * t + hand.jump * (t > 0.5) * (1 - t) * 2 + 2.0 * _grain(shape, rng)
    if drill == "flicks":
        return _flicked(bare, hand, rng)
    if drill == "gaps-only":
        inner = 0.6
        gap, lock = (np.pad(m, _rim(shape, m.shape)) for m in gap_mask((0, 0, w / PX_PER_MM, h / PX_PER_MM), inner))
        out = bare.copy()
        wide = cv2.dilate(gap.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
        out[wide & (rng.uniform(size=shape) < hand.full)] = 35
        patches = cv2.GaussianBlur(rng.normal(size=shape), (0, 0), 2 * PX_PER_MM)
        out[lock & (patches > np.quantile(patches, 1 - hand.over))] = 45
        return out
    if drill == "nose-circles":
        lines = cv2.GaussianBlur(rng.normal(size=shape).astype(np.float32), (0, 0), sigmaX=2.5 * PX_PER_MM, sigmaY=0.15 * PX_PER_MM)
        lines = lines / float(lines.std())
        clouds = cv2.GaussianBlur(rng.normal(size=shape).astype(np.float32), (0, 0), 4 * PX_PER_MM)
        clouds = clouds / float(clouds.std())
        return 48 + hand.clouds * clouds + 4 * ((1 - hand.lined) * _grain(shape, rng, 0.25) + hand.lined * lines)
    if drill == "blend-square":
        return 50 - 3 * n + 5 * (hand.grain_left if n else 1.0) * _grain(shape, rng)
    if drill in ("reserve", "lift"):
        far = np.hypot(x - x.max() / 2, y - y.max() / 2)
        out = np.where(far < DARK_MM / 2, 22 + 2 * _grain(shape, rng), bare)
        light = white - hand.lost if drill == "reserve" else 22 + hand.back * (white - 22)
        soft = 1 / (1 + np.exp((far - LIGHT_MM / 2) / 0.2))
        return np.asarray(out * (1 - soft) + light * soft)
    return 45 + hand.chips_sd * float(rng.normal()) + 2.5 * _grain(shape, rng)


def _rim(shape: tuple[int, int], inner: tuple[int, ...]) -> tuple[tuple[int, int], tuple[int, int]]:
    top, left = (shape[0] - inner[0]) // 2, (shape[1] - inner[1]) // 2
    return (top, shape[0] - inner[0] - top), (left, shape[1] - inner[1] - left)


def _flicked(bare: Array, hand: SimulatedHand, rng: np.random.Generator) -> Array:
    """Strokes one beside the other, thick at the root, thin at the tip."""
    out = bare.astype(np.float32).copy()
    h, w = out.shape
    step = 9 * PX_PER_MM
    for y in np.arange(h - 0.5 * step, step, -1.6 * step):
        for x in np.arange(0.5 * step, w - step, 0.6 * step):
            deg = np.radians(COMB_DEG + hand.off_deg + rng.normal(0, hand.spread_deg))
            length = 9 * PX_PER_MM * float(np.exp(rng.normal(0, hand.variation)))
            root = np.array([x, y]) + rng.normal(0, 0.4 * PX_PER_MM, 2)
            way = np.array([np.cos(deg), -np.sin(deg)])
            for t in np.linspace(0, 1, 60):
                p, wide = root + way * length * t, 0.55 * PX_PER_MM * (1 - (1 - hand.taper) * t)
                cv2.circle(out, (int(p[0] * 16), int(p[1] * 16)), max(1, int(wide / 2 * 16)), 40.0, -1, cv2.LINE_AA, 4)
    return out


def photo_of(sheet: HandSheet, hand: SimulatedHand, paper: SimulatedSheet, shot: Scanning | None = None) -> np.ndarray:
    """A camera's picture (h, w, 3) uint8 of the filled page."""
    return photograph(fill(sheet, hand, paper), PX_PER_MM, shot or Scanning(tilt_deg=6.0, seed=hand.seed))
