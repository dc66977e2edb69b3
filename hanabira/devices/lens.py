"""A simulated camera over a table: board, lamp, lens, tone, noise, sheen, curl, a hand's shadow, a sheet that is cut off.

Its parameters are a record, so that what reads the photos can be tried on cameras that it was never fitted on.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array, linear_to_srgb
from hanabira.core.progress.strip import SIZE_MM
from hanabira.devices.drawn_sheet import DrawnSheet, LaidStrip, as_linear

BOARDS = {"wood": (62, 9, 24), "grey": (48, 0, 0), "dark": (22, -2, 1), "green": (34, -18, 4), "white": (89, 0, 2), "black": (12, 0, 0)}
CURVES = ("none", "gamma", "contrast", "lift", "shoulder", "phone")
MARGIN_MM, STRIP_GAP_MM = 42.0, 8.0


@dataclass(frozen=True)
class Shooting:
    """How a photo is taken. Angles in degrees, ``lens`` the radial bend, ``lamp`` how far the lamp's fall-off shows, ``fall`` the lens's own,
    ``cast`` of red and blue (ln), ``hand`` and ``sheen`` strengths (0 is none), ``curl_mm`` of a corner, ``cut`` the share of the sheet that is cut off.
    """

    board: str = "wood"
    long_px: int = 2600
    tilt: tuple[float, float] = (4.0, -6.0)
    turn: float = 1.0
    lens: float = 0.02
    lamp: float = 0.7
    lamp_from: float = 0.8
    fall: float = 0.25
    cast: tuple[float, float] = (0.10, -0.2)
    second_light: tuple[float, float, float] = (0.03, 0.0, -0.04)
    crosstalk: float = 0.02
    curve: str = "phone"
    contrast: float = 0.5
    lift: float = 0.05
    shoulder: float = 0.65
    power: float = 0.95
    apart: float = 0.02
    exposure: float = 0.88
    noise: float = 0.006
    sharpen: float = 0.3
    quality: int = 88
    hand: float = 0.0
    sheen: float = 0.0
    curl_mm: float = 0.4
    cut: float = 0.0
    blur_px: float = 0.6
    seed: int = 1

    @staticmethod
    def drawn(seed: int, **fixed: object) -> Shooting:
        """One of many photos as people take them."""
        r = np.random.default_rng([77, seed])
        told: dict[str, object] = {
            "board": str(r.choice(["wood", "grey", "dark", "green"])), "tilt": (float(r.uniform(-11, 11)), float(r.uniform(-12, 12))), "turn": float(r.normal(0, 2)),
            "lens": float(r.uniform(-0.04, 0.04)), "lamp": float(r.uniform(0.4, 1.0)), "lamp_from": float(r.uniform(0, 2 * np.pi)), "fall": float(r.uniform(0.1, 0.35)),
            "cast": (float(r.normal(0.1, 0.1)), float(r.normal(-0.22, 0.16))), "second_light": tuple(float(v) for v in r.normal(0, 0.04, 3)),
            "crosstalk": 0.025, "curve": str(r.choice(CURVES)), "contrast": float(r.uniform(0.25, 0.7)), "lift": float(r.uniform(0.02, 0.08)),
            "shoulder": float(r.uniform(0.55, 0.75)), "power": float(r.uniform(0.85, 1.15)), "exposure": float(r.uniform(0.8, 0.93)),
            "noise": float(r.uniform(0.003, 0.01)), "sharpen": float(r.uniform(0.15, 0.5)), "quality": int(r.integers(80, 93)),
            "curl_mm": float(r.uniform(0, 0.6)), "seed": seed,
        }  # fmt: skip
        return Shooting(**{**told, **fixed})  # type: ignore[arg-type]


@dataclass(frozen=True)
class BoardView:
    """A board with the sheet on it and perhaps the strip: linear light (h, w, 3) at ``grid`` pixels a millimetre, the sheet's corner and size in mm."""

    linear: Array
    grid: float
    sheet: tuple[float, float, float, float]
    strip: tuple[float, float] | None


def table(sheet: DrawnSheet, strip: LaidStrip | None, board: str = "wood", seed: int = 1) -> BoardView:
    """Lay sheet and strip on a board; paper edges throw a little shadow."""
    rng, g = np.random.default_rng([5, seed]), sheet.grid
    sw, sh = sheet.size
    foot = SIZE_MM[1] + STRIP_GAP_MM if strip is not None else 0.0
    wide = max(sw, SIZE_MM[0]) if strip is not None else sw
    w, h = round((wide + 2 * MARGIN_MM) * g), round((sh + 2 * MARGIN_MM + foot) * g)
    grain = cv2.resize(cv2.GaussianBlur(rng.normal(size=(h // 8, w // 8)).astype(np.float32), (0, 0), 2.5), (w, h))
    if board == "wood":
        veins = cv2.GaussianBlur(rng.normal(size=(h // 4, 8)).astype(np.float32), (0, 0), 1.2)
        grain = grain + 1.2 * cv2.resize(veins, (w, h), interpolation=cv2.INTER_CUBIC)
    out = np.clip(as_linear(np.array(BOARDS[board], float)) * (1 + 0.12 * grain[..., None]), 0.002, 1.1).astype(np.float32)

    def put(x: float, y: float, what: Array) -> None:
        x0, y0 = round(x * g), round(y * g)
        shade = np.zeros((h, w), np.float32)
        shade[y0 + 3 : y0 + what.shape[0] + 4, x0 + 3 : x0 + what.shape[1] + 4] = 1
        out[:] *= 1 - 0.3 * cv2.GaussianBlur(shade, (0, 0), 4)[..., None]
        out[y0 : y0 + what.shape[0], x0 : x0 + what.shape[1]] = what

    left = MARGIN_MM + (wide - sw) / 2
    lit = as_linear(sheet.lab) * (1 + 0.008 * cv2.GaussianBlur(rng.normal(size=sheet.lab.shape[:2]), (0, 0), 1.0)[..., None])
    put(left, MARGIN_MM, lit.astype(np.float32))
    at = None
    if strip is not None:
        at = (MARGIN_MM + (wide - SIZE_MM[0]) * float(rng.uniform(0.2, 0.8)), MARGIN_MM + sh + STRIP_GAP_MM)
        put(*at, strip.linear)
    return BoardView(out, g, (left, MARGIN_MM, sw, sh), at)


@dataclass(frozen=True)
class LensShot:
    """A photo (h, w, 3) uint8 sRGB, and where each of its pixels lies on the table in mm (h, w) each: the truth that a test asks for."""

    photo: np.ndarray
    x_mm: Array
    y_mm: Array
    in_sheen: np.ndarray
    in_shadow: np.ndarray


def shoot(t: BoardView, how: Shooting) -> LensShot:
    """Take the photo."""
    rng = np.random.default_rng([9, how.seed])
    wide, high = t.linear.shape[1] / t.grid, t.linear.shape[0] / t.grid
    pw, ph = (how.long_px, round(how.long_px * 0.75)) if wide > high else (round(how.long_px * 0.75), how.long_px)
    x0, y0, sw, sh = t.sheet
    foot = SIZE_MM[1] + STRIP_GAP_MM if t.strip is not None else 0.0
    half = float(np.hypot(pw, ph)) / 2
    yy, xx = np.mgrid[0:ph, 0:pw].astype(np.float32)
    u, v = (xx - pw / 2) / half, (yy - ph / 2) / half
    bend = 1 + how.lens * (u * u + v * v) - how.lens * 0.5
    inverse = np.linalg.inv(
        _onto(np.array([[x0, y0], [x0 + sw, y0], [x0 + sw, y0 + sh + foot], [x0, y0 + sh + foot]]), (pw, ph), how, rng)
    ).astype(np.float32)
    ux, uy = pw / 2 + u * bend * half, ph / 2 + v * bend * half
    d = inverse[2, 0] * ux + inverse[2, 1] * uy + inverse[2, 2]
    mx = (inverse[0, 0] * ux + inverse[0, 1] * uy + inverse[0, 2]) / d
    my = (inverse[1, 0] * ux + inverse[1, 1] * uy + inverse[1, 2]) / d
    way = rng.normal(0, 1, 2)
    way /= np.hypot(*way)
    cx, cy = x0 + rng.integers(0, 2) * sw, y0 + rng.integers(0, 2) * sh
    curl = np.clip(1 - np.hypot((mx - cx) / sw, (my - cy) / sh) / 0.8, 0, 1) ** 2 * how.curl_mm
    mx, my = mx + curl * way[0], my + curl * way[1]
    seen = cv2.remap(
        t.linear,
        (mx * t.grid - 0.5).astype(np.float32),
        (my * t.grid - 0.5).astype(np.float32),
        cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    )
    lit, sheen, shadow = _lit(seen, t, mx, my, curl * way[0], how, rng)
    return LensShot(_developed(lit, t, mx, my, how, rng), mx, my, sheen > 0.004, shadow > 0.05)


def _onto(box: Array, size: tuple[int, int], how: Shooting, rng: np.random.Generator) -> Array:
    """The homography from mm of the table to the photo."""
    pw, ph = size
    q = (box - box.mean(0)) / np.ptp(box, 0).max()
    c, s = np.cos(np.radians(how.turn)), np.sin(np.radians(how.turn))
    q = q @ np.array([[c, -s], [s, c]]).T
    tx, ty = (np.radians(v) for v in how.tilt)
    z = 1.25 + q[:, 0] * np.sin(tx) + q[:, 1] * np.sin(ty)
    q = np.stack([q[:, 0] * np.cos(tx), q[:, 1] * np.cos(ty)], 1) / z[:, None]
    q = q - (q.max(0) + q.min(0)) / 2
    scale = min(pw / np.ptp(q[:, 0]), ph / np.ptp(q[:, 1])) * float(rng.uniform(0.86, 0.92)) * (1 + 1.2 * how.cut)
    to = q * scale + np.array([pw / 2, ph / 2]) + np.array([float(rng.choice([-1, 1])) * 0.6 * how.cut * pw, -0.5 * how.cut * ph])
    return cv2.getPerspectiveTransform(box.astype(np.float32), to.astype(np.float32)).astype(float)


def _lit(seen: Array, t: BoardView, mx: Array, my: Array, slope: Array, how: Shooting, rng: np.random.Generator) -> tuple[Array, Array, Array]:
    """What reaches the sensor: lamp, second light, fall-off, a hand's shadow, sheen on dark wax, crosstalk."""
    ph, pw = seen.shape[:2]
    x0, y0, sw, sh = t.sheet
    wide, high = t.linear.shape[1] / t.grid, t.linear.shape[0] / t.grid
    far = float(rng.uniform(0.7, 1.1))
    lx, ly, lz = (
        wide / 2 + np.cos(how.lamp_from) * wide * far,
        high / 2 + np.sin(how.lamp_from) * high * far,
        float(rng.uniform(0.75, 1.2)) * max(wide, high),
    )
    lamp = (lz**2 / ((mx - lx) ** 2 + (my - ly) ** 2 + lz * lz)) ** 1.5
    lamp /= lamp.max()
    u, v = np.linspace(-1, 1, pw, dtype=np.float32)[None], np.linspace(-1, 1, ph, dtype=np.float32)[:, None]
    light = ((1 - how.lamp) + how.lamp * (0.3 + 0.7 * lamp)) * (1 - how.fall * (u * u + v * v) / 2) * (1 + 0.10 * slope)
    cast = np.exp(np.array([how.cast[0], 0.0, how.cast[1]]))
    colour = cast * (1 + np.array(how.second_light) * (u[..., None] + 1) / 2)
    shadow = np.zeros((ph, pw), np.float32)
    if how.hand:
        small = np.zeros((ph // 8, pw // 8), np.float32)
        at = (int(rng.uniform(0.1, 0.9) * pw / 8), int(ph * rng.uniform(0.55, 1.0) / 8))
        cv2.ellipse(small, at, (int(0.15 * pw / 8), int(0.24 * ph / 8)), float(rng.uniform(-30, 30)), 0, 360, 1.0, -1)
        shadow = cv2.resize(cv2.GaussianBlur(small, (0, 0), pw * 0.0035), (pw, ph)) * how.hand
    out = seen * (light[..., None] * colour).astype(np.float32) * (1 - shadow[..., None])
    sheen = np.zeros((ph, pw), np.float32)
    if how.sheen:
        sx, sy = x0 + sw * rng.uniform(0.25, 0.75), y0 + sh * rng.uniform(0.25, 0.75)
        dark = np.clip(1 - cv2.GaussianBlur(seen.mean(-1), (0, 0), 2) / 0.12, 0, 1)
        sheen = np.exp(-(((mx - sx) / (0.16 * sw)) ** 2 + ((my - sy) / (0.12 * sh)) ** 2)).astype(np.float32) * dark * how.sheen
        out = out + (sheen[..., None] * cast).astype(np.float32)
    mix = np.eye(3) + rng.normal(0, how.crosstalk, (3, 3))
    out = out @ (mix / mix.sum(1, keepdims=True)).T.astype(np.float32)
    return out + 0.004 * float(out.mean()), sheen, shadow


def _developed(lit: Array, t: BoardView, mx: Array, my: Array, how: Shooting, rng: np.random.Generator) -> np.ndarray:
    """White balance, exposure by the paper's brightest part, tone, noise, sharpening, JPEG."""
    x0, y0, sw, sh = t.sheet
    balance = np.exp(-np.array([how.cast[0], 0.0, how.cast[1]]) * float(rng.uniform(0.4, 1.0)))
    lit = lit * balance.astype(np.float32)
    paper = (mx > x0) & (my > y0) & (mx < x0 + sw) & (my < y0 + sh)
    top = float(np.percentile(lit[paper][::23].max(-1), 99.7)) if paper.any() else float(lit.max())
    if how.blur_px > 0:
        lit = cv2.GaussianBlur(lit, (0, 0), how.blur_px)
    e = _toned(linear_to_srgb(np.clip(lit * (how.exposure / top), 0, 1).astype(np.float32)), how, rng)
    e = e + cv2.GaussianBlur(rng.standard_normal(e.shape, dtype=np.float32) * np.float32(how.noise * 1.5), (0, 0), 0.6)
    e = np.clip(e + how.sharpen * (e - cv2.GaussianBlur(e, (0, 0), 1.3)), 0, 1)
    coded = cv2.imencode(".jpg", (e[..., ::-1] * 255 + 0.5).astype(np.uint8), [cv2.IMWRITE_JPEG_QUALITY, how.quality])[1]
    return np.ascontiguousarray(cv2.imdecode(coded, cv2.IMREAD_COLOR)[..., ::-1])


def _toned(e: Array, how: Shooting, rng: np.random.Generator) -> Array:
    v = np.linspace(0, 1, 4096)
    out = np.empty_like(e)
    for c, p in enumerate(rng.normal(0, how.apart, 3)):
        y = v.copy()
        if how.curve == "gamma":
            y = y ** (how.power * (1 + p))
        if how.curve in ("contrast", "phone"):
            s = how.contrast * (1 + p)
            y = (1 - s) * y + s * y * y * (3 - 2 * y)
        if how.curve in ("lift", "phone"):
            y = y + how.lift * (1 + 2 * p) * (1 - y) ** 3
        if how.curve in ("shoulder", "phone"):
            k = how.shoulder
            u = np.clip((y - k) / (1 - k), 0, 1)
            y = np.where(y > k, k + (1 - k) * 0.97 * (1 - (1 - u) ** 1.6), y)
        out[..., c] = y.astype(np.float32)[(np.clip(e[..., c], 0, 1) * 4095).astype(np.int32)]
    return out
