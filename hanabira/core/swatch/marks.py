"""The marks by which printed sheets are found in a photo: a dark square, a light disc in it, a dark blossom on that, and a hole in one of them.

They are told by how their outlines lie in each other and by the areas, not by the forms inside the square: prints with squares in the square,
as earlier versions made them, are found as well.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np


@dataclass(frozen=True)
class Mark:
    """A nested mark: its centre and side in pixels, and whether its core has a hole."""

    centre: tuple[float, float]
    size: float
    holed: bool


SHARES = (1.0, 0.62, 0.34, 0.14)
"""Side of a square as large as the square itself, the disc, the blossom and the hole, as shares of the mark's side."""
_PETALS, _SWING, _POINTS = 5, 0.2, 120


def mark_shapes(holed: bool) -> list[tuple[np.ndarray, bool]]:
    """The forms of a mark of side 1 about (0, 0), y down, in the order they are drawn: corners (n, 2), and whether the form is dark.

    >>> [(len(points), dark) for points, dark in mark_shapes(False)]
    [(4, True), (120, False), (120, True)]
    """
    square = np.array([(-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5)])
    turn = np.arange(_POINTS) * 2 * math.pi / _POINTS
    way = np.stack([np.sin(turn), -np.cos(turn)], 1)
    disc, hole = (way * share / math.sqrt(math.pi) for share in SHARES[1::2])
    # a radius of r (1 + s cos 5t) bounds pi r^2 (1 + s^2 / 2)
    r = SHARES[2] / math.sqrt(math.pi * (1 + _SWING**2 / 2))
    blossom = way * (r * (1 + _SWING * np.cos(_PETALS * turn)))[:, None]
    return [(square, True), (disc, False), (blossom, True), *([(hole, False)] if holed else [])]


def nested_marks(dark: np.ndarray) -> list[Mark]:
    """Dark square, a light form in it, a dark one in that; one more light form makes it the top left mark."""
    contours, tree = cv2.findContours(dark, cv2.RETR_TREE, cv2.CHAIN_APPROX_NONE)
    if tree is None:
        return []
    tree = tree[0]
    out = []
    for i, contour in enumerate(contours):
        area = cv2.contourArea(contour)
        if area < 60 or _around(tree, i) % 2 or not _squarish(contour):
            continue  # every other outline is the rim of something light
        depth, areas, at = 0, [area], i
        centres = [_centre(contour)]
        while True:
            children = []
            child = tree[at][2]
            while child >= 0:
                children.append(child)
                child = tree[child][0]
            children = [c for c in children if cv2.contourArea(contours[c]) > 0.02 * areas[-1]]
            if len(children) != 1 or depth >= 4:
                break
            at = children[0]
            depth += 1
            areas.append(max(1.0, cv2.contourArea(contours[at])))
            centres.append(_centre(contours[at]))
        if depth not in (2, 3):
            continue
        # the shares of `SHARES`, squared
        if not (0.2 < areas[1] / areas[0] < 0.62 and 0.12 < areas[2] / areas[1] < 0.62):
            continue
        if max(np.hypot(*(np.array(c) - centres[0])) for c in centres[1:]) > 0.2 * np.sqrt(area):
            continue
        out.append(Mark(tuple(np.mean(centres[:3], 0)), float(np.sqrt(area)), depth == 3))
    return out


def _around(tree: np.ndarray, at: int) -> int:
    """How many outlines lie around one."""
    count = 0
    while (at := tree[at][3]) >= 0:
        count += 1
    return count


def _centre(contour: np.ndarray) -> tuple[float, float]:
    m = cv2.moments(contour)
    if m["m00"] == 0:
        p = contour.reshape(-1, 2).mean(0)
        return float(p[0]), float(p[1])
    return m["m10"] / m["m00"], m["m01"] / m["m00"]


def _squarish(contour: np.ndarray) -> bool:
    _, (w, h), _ = cv2.minAreaRect(contour)
    if min(w, h) < 6 or max(w, h) / min(w, h) > 1.8:
        return False
    return cv2.contourArea(contour) > 0.75 * w * h
