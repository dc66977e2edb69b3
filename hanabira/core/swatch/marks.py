"""Nested squares, the marks by which printed sheets are found in a photo: a dark square, a light ring in it, a dark core, and a hole in one of them."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np


@dataclass(frozen=True)
class Mark:
    """A nested mark: its centre and side in pixels, and whether its core has a hole."""

    centre: tuple[float, float]
    size: float
    holed: bool


def nested_marks(dark: np.ndarray) -> list[Mark]:
    """Dark square, light square in it, dark square in that; one more light square makes it the top left mark."""
    contours, tree = cv2.findContours(dark, cv2.RETR_TREE, cv2.CHAIN_APPROX_NONE)
    if tree is None:
        return []
    tree = tree[0]
    out = []
    for i, contour in enumerate(contours):
        area = cv2.contourArea(contour)
        if area < 60 or not _squarish(contour):
            continue
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
        # light ring 0.62, dark core 0.34 and hole 0.14 of the side, squared
        if not (0.2 < areas[1] / areas[0] < 0.62 and 0.12 < areas[2] / areas[1] < 0.62):
            continue
        if max(np.hypot(*(np.array(c) - centres[0])) for c in centres[1:]) > 0.2 * np.sqrt(area):
            continue
        out.append(Mark(tuple(np.mean(centres[:3], 0)), float(np.sqrt(area)), depth == 3))
    return out


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
