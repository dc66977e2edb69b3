"""Drawn skin, mouths, pads, ears, wet locks and feathers whose parts are known: the independent truth of the parts' finders."""

from __future__ import annotations

import cv2
import numpy as np

from hanabira.core.colour.spaces import lab_to_srgb
from tests.fur import fur

SIZE = 300


def _photo(lab: np.ndarray, rng: np.random.Generator, slope: float = 8.0, grain: float = 1.2) -> np.ndarray:
    """Lab as a photograph: light falling off to one side, blurred a little, grained."""
    h, w = lab.shape[:2]
    turn = rng.uniform(0, 2 * np.pi)
    yy, xx = np.mgrid[0:h, 0:w] / SIZE - 0.5
    lab = lab.copy()
    lab[..., 0] += slope * (xx * np.cos(turn) + yy * np.sin(turn))
    lab = cv2.GaussianBlur(lab.astype(np.float32), (0, 0), 0.8)
    lab[..., 0] += rng.normal(0, grain, (h, w))
    return (np.clip(lab_to_srgb(lab), 0, 1) * 255 + 0.5).astype(np.uint8)


def _curve(rng: np.random.Generator, start: np.ndarray, turn: float, length: float, bend: float) -> np.ndarray:
    """Points along an arc."""
    t = np.linspace(0, 1, 60)
    angle = turn + bend * (t - 0.5)
    steps = np.stack([np.cos(angle), np.sin(angle)], 1) * length / 60
    return start + np.cumsum(steps, 0)


def _drawn(points: np.ndarray, width: float) -> np.ndarray:
    out = np.zeros((SIZE, SIZE), np.uint8)
    cv2.polylines(out, [np.round(points * 16).astype(np.int32)], False, 255, max(1, round(width)), cv2.LINE_AA, 4)
    return out > 127


def folds(seed: int, skin: tuple = (48.0, 9.0, 12.0)) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """Bare skin with a few creases and a light ridge beside each."""
    rng = np.random.default_rng(seed)
    lab = np.broadcast_to(np.array(skin, np.float32), (SIZE, SIZE, 3)).copy()
    soft = cv2.GaussianBlur(rng.normal(0, 1, (SIZE, SIZE)).astype(np.float32), (0, 0), 6)
    lab[..., 0] += 2.5 * soft / soft.std()
    crease, ridge = np.zeros((SIZE, SIZE), bool), np.zeros((SIZE, SIZE), bool)
    for k in range(int(rng.integers(2, 5))):
        turn, width = rng.uniform(-0.5, 0.5), rng.uniform(3.5, 9)
        points = _curve(
            rng, np.array([rng.uniform(10, 60), 50 + 60 * k + rng.uniform(-12, 12)]), turn, rng.uniform(170, 240), rng.uniform(-0.8, 0.8)
        )
        one = _drawn(points, width)
        side = _drawn(points + (width * 0.9) * np.array([-np.sin(turn), np.cos(turn)]), width * 0.7) & ~one
        crease, ridge = crease | one, ridge | side
    ridge &= ~crease
    lab[crease] -= (rng.uniform(14, 24), 0, 0)
    lab[ridge] += (rng.uniform(11, 20), 0, 0)
    return _photo(lab, rng), {"crease": crease, "ridge": ridge}


def mouth(seed: int) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """An open mouth: dark lips round a dark hollow, a tongue in it, a row of teeth above."""
    rng = np.random.default_rng(seed)
    lab = np.broadcast_to(np.array([34 + rng.uniform(-4, 8), 3, 5], np.float32), (SIZE, SIZE, 3)).copy()
    cx, cy = 150 + rng.uniform(-15, 15), 150 + rng.uniform(-10, 10)
    yy, xx = np.mgrid[0:SIZE, 0:SIZE]
    wide, high = rng.uniform(85, 115), rng.uniform(60, 85)
    inside = ((xx - cx) / wide) ** 2 + ((yy - cy) / high) ** 2 < 1
    tongue = (((xx - cx) / (wide * 0.62)) ** 2 + ((yy - cy - high * 0.42) / (high * 0.55)) ** 2 < 1) & inside
    teeth = np.zeros_like(inside)
    for k in range(-2, 3):
        x = cx + k * wide * 0.27
        teeth |= (np.abs(xx - x) < wide * 0.11) & (yy < cy - high * 0.45) & inside
    lab[inside] = (11, 5, 4)
    lab[tongue] = (50 + rng.uniform(-6, 8), rng.uniform(24, 36), rng.uniform(9, 18))
    lab[teeth] = (80 + rng.uniform(-8, 6), 1, 9)
    return _photo(lab, rng), {"inside": inside & ~tongue & ~teeth, "tongue": tongue, "teeth": teeth}


def pad(seed: int) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """A pad: two creases across grey or pink leather and a worn shine."""
    rng = np.random.default_rng(seed)
    skin = ((30.0, 1.0, 2.0), (56.0, 17.0, 11.0))[seed % 2]
    lab = np.broadcast_to(np.array(skin, np.float32), (SIZE, SIZE, 3)).copy()
    soft = cv2.GaussianBlur(rng.normal(0, 1, (SIZE, SIZE)).astype(np.float32), (0, 0), 2.5)
    lab[..., 0] += 1.5 * soft / soft.std()
    crease = np.zeros((SIZE, SIZE), bool)
    for k in range(2):
        crease |= _drawn(
            _curve(rng, np.array([25.0, 95 + 105 * k + rng.uniform(-12, 12)]), rng.uniform(-0.2, 0.2), 245, rng.uniform(-0.5, 0.5)),
            rng.uniform(4, 8),
        )
    yy, xx = np.mgrid[0:SIZE, 0:SIZE]
    shine = np.zeros_like(crease)
    for _ in range(3):
        x, y = rng.uniform(70, 230), 147 + rng.uniform(-18, 18)
        shine |= ((xx - x) / rng.uniform(7, 13)) ** 2 + ((yy - y) / rng.uniform(5, 8)) ** 2 < 1
    shine &= ~crease
    lab[crease] -= (rng.uniform(12, 18), 0, 0)
    lab[shine] = (skin[0] + rng.uniform(24, 34), skin[1] * 0.4, skin[2] * 0.4)
    return _photo(lab, rng), {"crease": crease, "worn shine": shine}


def ear(seed: int) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """The inside of an ear: a hollow in flesh-coloured skin, and a fringe of pale hairs along its edge."""
    rng = np.random.default_rng(seed)
    lab = np.broadcast_to(np.array([58 + rng.uniform(-6, 8), 15, 14], np.float32), (SIZE, SIZE, 3)).copy()
    yy, xx = np.mgrid[0:SIZE, 0:SIZE]
    cx, cy = 150 + rng.uniform(-20, 20), 170 + rng.uniform(-15, 15)
    hollow = ((xx - cx) / rng.uniform(48, 70)) ** 2 + ((yy - cy) / rng.uniform(65, 90)) ** 2 < 1
    depth = cv2.GaussianBlur(hollow.astype(np.float32), (0, 0), 6)[..., None]
    lab = lab * (1 - depth) + np.array([22.0, 14, 9]) * depth
    edge = np.zeros((SIZE, SIZE), bool)
    for x in rng.uniform(0, SIZE, 110):
        root = np.array([x, rng.uniform(0, 6)])
        edge |= _drawn(_curve(rng, root, np.pi / 2 + rng.normal(0, 0.25), rng.uniform(22, 34), rng.normal(0, 0.4)), 1.6)
    lab[edge & ~hollow] = (86, 2, 10)
    return _photo(lab, rng), {"hollow": hollow, "edge hairs": edge}


def locks(seed: int) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """Wet locks: dark gaps between, a bright line along each."""
    rng = np.random.default_rng(seed)
    lab = np.broadcast_to(np.array([36.0, 8, 16], np.float32), (SIZE, SIZE, 3)).copy()
    soft = cv2.GaussianBlur(rng.normal(0, 1, (SIZE, SIZE)).astype(np.float32), (0, 0), sigmaX=1.2, sigmaY=14)
    lab[..., 0] += 2.2 * soft / soft.std()
    dark, light = np.zeros((SIZE, SIZE), bool), np.zeros((SIZE, SIZE), bool)
    for x in np.arange(20, SIZE, rng.uniform(38, 52)):
        bend = rng.uniform(-0.3, 0.3)
        dark |= _drawn(_curve(rng, np.array([x, -5.0]), np.pi / 2, 320, bend), rng.uniform(4, 7))
        light |= _drawn(_curve(rng, np.array([x + 15.0, 10.0]), np.pi / 2, rng.uniform(180, 270), bend), rng.uniform(3, 5))
    light &= ~dark
    lab[dark] -= (rng.uniform(15, 22), 0, 0)
    lab[light] += (rng.uniform(22, 36), -4, -8)
    return _photo(lab, rng), {"lock edge": dark, "lock light": light}


def feathers(seed: int) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """Rows of feathers: a dark strip under each edge and the pale edge above it."""
    rng = np.random.default_rng(seed)
    lab = np.broadcast_to(np.array([46.0, 3, 9], np.float32), (SIZE, SIZE, 3)).copy()
    barbs = fur(SIZE, SIZE, rng.uniform(60, 120), seed, 12, contrast=3, ground=(46, 3, 9))
    lab[..., 0] += (barbs[..., 1].astype(np.float32) - barbs[..., 1].mean()) * 0.2
    under, edge = np.zeros((SIZE, SIZE), bool), np.zeros((SIZE, SIZE), bool)
    step = rng.uniform(44, 60)
    for row, y in enumerate(np.arange(20, SIZE, step)):
        for x in np.arange(-step * (row % 2) * 0.6, SIZE, 1.2 * step):
            t = np.linspace(0.15 * np.pi, 0.85 * np.pi, 40)
            points = np.stack([x + 0.62 * step * np.cos(t), y + 0.5 * step * np.sin(t)], 1)
            edge |= _drawn(points, 3.5)
            under |= _drawn(points + (0, 5.5), 6)
    under &= ~edge
    lab[under] -= (rng.uniform(14, 20), 0, 0)
    lab[edge] += (rng.uniform(14, 22), 0, 0)
    return _photo(lab, rng), {"overlap": under, "feather edge": edge}


def even(seed: int) -> np.ndarray:
    """Skin without any part: soft clouds, light falling off to one side."""
    rng = np.random.default_rng(seed)
    lab = np.broadcast_to(np.array([rng.uniform(25, 70), rng.uniform(0, 18), rng.uniform(0, 18)], np.float32), (240, 240, 3)).copy()
    soft = cv2.GaussianBlur(rng.normal(0, 1, (240, 240)).astype(np.float32), (0, 0), rng.uniform(2, 10))
    lab[..., 0] += rng.uniform(1, 4) * soft / soft.std()
    return _photo(lab, rng)
