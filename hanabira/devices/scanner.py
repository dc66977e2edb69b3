"""A simulated scanner or camera: fills a swatch sheet by the simulated paper's physics and photographs it.

It stands in for a real device in the demo and the tests: tilted, unevenly lit, with a cast,
noise and compression.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array, lab_to_xyz, linear_to_srgb, srgb_to_xyz
from hanabira.core.swatch.layout import MARK_MM, SheetPage
from hanabira.devices.printed_marks import print_mark
from hanabira.devices.simulated_paper import SimulatedSheet

_TO_LINEAR = np.linalg.inv(np.stack([srgb_to_xyz(np.eye(3)[i]) for i in range(3)]))


@dataclass(frozen=True)
class Scanning:
    """How the sheet is photographed: tilt in degrees, light falling off by a share, cast in kelvin from 6500, turns by 90°."""

    tilt_deg: float = 10.0
    gradient: float = 0.30
    cast_kelvin: float = -500.0
    gamma: float = 1.0
    exposure: float = 0.92
    noise: float = 0.008
    quarter_turns: int = 0
    px_per_mm: float = 9.0
    seed: int = 3


def _linear(lab: Array) -> Array:
    return np.clip(lab_to_xyz(lab) @ _TO_LINEAR, 0.0, 1.2)


def cast_gains(kelvin: float) -> Array:
    """Gains a channel of a light ``kelvin`` away from 6500 (Planckian locus, about ±1000 K; mireds are even in colour)."""
    mired = 1e6 / (6500 + kelvin) - 1e6 / 6500
    return np.array([np.exp(0.0045 * mired), 1.0, np.exp(-0.0065 * mired)])


def filled_sheet(
    page: SheetPage, paper: SimulatedSheet, px_per_mm: float = 6.0, seed: int = 3, spoil: Mapping[int, str] | None = None
) -> tuple[Array, list[Array]]:
    """A filled page as linear light (h, w, 3), and the true Lab of every cell.

    ``spoil`` names cells to ruin: ``stained``, ``half`` or ``empty``.
    """
    rng = np.random.default_rng(seed)
    w, h = (round(v * px_per_mm) for v in page.size)
    white = _linear(paper.ground_lab("white"))
    image = np.tile(white, (h, w, 1)).astype(np.float32)
    image *= 1 + 0.006 * cv2.GaussianBlur(rng.normal(size=(h, w)).astype(np.float32), (0, 0), 1.2)[..., None]

    def fill(rect: Sequence[float], colour: Array, texture: float = 0.0) -> None:
        x, y, rw, rh = (round(v * px_per_mm) for v in rect)
        grain = 1 + texture * cv2.GaussianBlur(rng.normal(size=(rh, rw)).astype(np.float32), (0, 0), 1.0)[..., None]
        image[y : y + rh, x : x + rw] = np.clip(colour * grain, 0, 1.1)

    ink = np.full(3, 0.012)
    for k, (mx, my) in enumerate(page.marks):
        print_mark(image, (mx * px_per_mm, my * px_per_mm), MARK_MM * px_per_mm, ink, white, k == 0)
    for rect, on in page.code:
        if on:
            fill(rect, ink)
    for rect, value in page.greys:
        fill(rect, _linear(np.array([value, 0.0, 0.0])))
    truth = []
    for n, cell in enumerate(page.cells):
        lab = paper.lay(cell.layers, cell.ground, rng)
        truth.append(lab)
        x, y, rw, rh = cell.rect
        if cell.ground == "black":
            fill((x - 0.4, y - 0.4, rw + 0.8, rh + 0.8), _linear(paper.ground_lab("black")))
        how = (spoil or {}).get(n, "")
        if how == "empty":
            continue
        fill((x, y, rw * (0.45 if how == "half" else 1), rh), _linear(lab), 0.10)
        if how == "stained":
            fill((x + rw * 0.3, y + rh * 0.3, rw * 0.3, rh * 0.35), ink)
    return image, truth


def photograph(image: Array, px_per_mm: float, shot: Scanning) -> np.ndarray:
    """A camera's picture (h, w, 3) uint8 sRGB of a sheet in linear light."""
    rng = np.random.default_rng(shot.seed)
    h, w = image.shape[:2]
    size = (int(1.25 * w * shot.px_per_mm / px_per_mm), int(1.25 * h * shot.px_per_mm / px_per_mm))
    # a pinhole looks at the tilted sheet
    t, f = np.radians(shot.tilt_deg), 2.2
    corners = np.array([[-w, -h], [w, -h], [w, h], [-w, h]], float) / 2 / h
    turn = np.radians(3.0)
    spun = corners @ np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]]).T
    depth = f + spun[:, 1] * np.sin(t) + 0.5 * spun[:, 0] * np.sin(t)
    seen = np.stack([spun[:, 0] * np.cos(0.5 * t), spun[:, 1] * np.cos(t)], 1) / depth[:, None] * f
    target = seen * h * shot.px_per_mm / px_per_mm + np.array(size) / 2
    m = cv2.getPerspectiveTransform(np.array([[0, 0], [w, 0], [w, h], [0, h]], np.float32), target.astype(np.float32))
    table = np.array([0.16, 0.11, 0.07], np.float32)
    out = np.tile(table, (size[1], size[0], 1)) * (
        1 + 0.2 * cv2.GaussianBlur(rng.normal(size=(size[1], size[0])).astype(np.float32), (0, 0), 6)[..., None]
    )
    mask = cv2.warpPerspective(np.ones((h, w), np.float32), m, size)
    sheet = cv2.warpPerspective(image.astype(np.float32), m, size, flags=cv2.INTER_AREA)
    out = out * (1 - mask[..., None]) + sheet * mask[..., None]
    y, x = np.mgrid[-1 : 1 : size[1] * 1j, -1 : 1 : size[0] * 1j]
    light = 1 - shot.gradient * (0.5 + 0.35 * x + 0.15 * y + 0.12 * x * x)
    out = out * (light[..., None] * cast_gains(shot.cast_kelvin) * shot.exposure)
    out = np.clip(out, 0, 1) ** shot.gamma
    encoded = linear_to_srgb(out) + rng.normal(0, shot.noise, out.shape)
    pixels = np.clip(encoded * 255 + 0.5, 0, 255).astype(np.uint8)
    pixels = np.ascontiguousarray(np.rot90(pixels, shot.quarter_turns))
    _, data = cv2.imencode(".jpg", pixels[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 92])
    return np.ascontiguousarray(cv2.imdecode(data, cv2.IMREAD_COLOR)[..., ::-1])


def scan(
    page: SheetPage, paper: SimulatedSheet, shot: Scanning = Scanning(), spoil: Mapping[int, str] | None = None
) -> tuple[np.ndarray, list[Array]]:  # noqa: B008
    """A photo of a page filled on the simulated paper, and the true Lab of its cells."""
    image, truth = filled_sheet(page, paper, 6.0, shot.seed, spoil)
    return photograph(image, 6.0, shot), truth
