"""The face's lines in millimetres of the sheet: eyes, nostrils and ear tips that the artist has confirmed, each against the line of the eyes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from hanabira.core.area.shape import Point
from hanabira.core.colour.spaces import Array
from hanabira.core.sentences import say

LEVEL_DEG, LEVEL_MM, SAME_MM = 0.5, 0.3, 0.2
"""Turns and heights under these are level; diameters nearer than this are the same."""


@dataclass(frozen=True)
class Face:
    """Lengths in mm, angles in degrees counter-clockwise from the right. What was not confirmed is None or empty.

    ``eyes_mm`` is from middle to middle, ``eye_axis_deg`` the turn of that line; ``irises_mm`` are the diameters, the left one first.
    ``nostrils_mm`` is their distance, ``nostril_axis_deg`` their turn against the eyes, ``nose_drop_mm`` how far their middle lies below the line of the
    eyes and ``nose_aside_mm`` how far right of the middle between the eyes. ``tips_mm`` are the ear tips above that line, the left one first, and
    ``tips_apart_mm`` their distance. Below and right are meant along the line of the eyes, so that a tilted head reads as an upright one.
    """

    eyes_mm: float | None = None
    eye_axis_deg: float | None = None
    irises_mm: tuple[float, ...] = ()
    nostrils_mm: float | None = None
    nostril_axis_deg: float | None = None
    nose_drop_mm: float | None = None
    nose_aside_mm: float | None = None
    tips_mm: tuple[float, ...] = ()
    tips_apart_mm: float | None = None

    @property
    def words(self) -> tuple[str, ...]:
        """Every line in a sentence."""
        out = []
        if self.eyes_mm is not None and self.eye_axis_deg is not None:
            high = self.eyes_mm * float(np.sin(np.radians(self.eye_axis_deg)))
            if abs(self.eye_axis_deg) < LEVEL_DEG or abs(high) < LEVEL_MM:
                out.append(say("face.eyes-level", mm=self.eyes_mm))
            else:
                out.append(
                    say("face.eyes-right" if high > 0 else "face.eyes-left", mm=self.eyes_mm, high=abs(high), turn=abs(self.eye_axis_deg))
                )
        if len(self.irises_mm) == 2:
            a, b = self.irises_mm
            out.append(say("face.irises-same", mm=(a + b) / 2) if abs(a - b) < SAME_MM else say("face.irises", left=a, right=b))
        if self.nostrils_mm is not None:
            out.append(say("face.nostrils", mm=self.nostrils_mm))
        if self.nose_drop_mm is not None and self.nose_aside_mm is not None:
            aside = self.nose_aside_mm
            side = "face.nose-middle" if abs(aside) < LEVEL_MM else "face.nose-right" if aside > 0 else "face.nose-left"
            out.append(say(side, drop=self.nose_drop_mm, aside=abs(aside)))
        if len(self.tips_mm) == 2 and self.tips_apart_mm is not None:
            out.append(say("face.tips", apart=self.tips_apart_mm, left=self.tips_mm[0], right=self.tips_mm[1]))
        return tuple(out)


def face_lines(
    eyes: Sequence[tuple[Point, float]], nostrils: Sequence[Point], tips: Sequence[Point], mm_per_px: float
) -> Face:  # fmt: skip
    """The lines of a face. ``eyes`` are middles with the iris's radius, all in photo pixels (y down); two of each, or that part stays unknown.

    >>> face_lines([((10, 50), 4), ((60, 50), 4)], [(28, 90), (44, 90)], [], 0.5).words[0]
    'The eyes lie 25.0 mm apart, level.'
    """
    nose = _sorted(nostrils)
    ears = _sorted(tips)
    if len(eyes) != 2:
        axis = _turn(nose[1] - nose[0]) if len(nose) == 2 else None
        return Face(nostrils_mm=_long(nose, mm_per_px), nostril_axis_deg=axis, tips_apart_mm=_long(ears, mm_per_px))
    (a, ra), (b, rb) = sorted(eyes, key=lambda q: q[0][0])
    left, right = np.asarray(a, float), np.asarray(b, float)
    line = right - left
    along = line / max(float(np.hypot(*line)), 1e-9)
    up = np.array([along[1], -along[0]])
    middle = (left + right) / 2
    axis = _turn(line)
    drop = aside = turn = None
    if len(nose) == 2:
        from_middle = nose.mean(0) - middle
        drop, aside = float(-(from_middle @ up) * mm_per_px), float((from_middle @ along) * mm_per_px)
        turn = (_turn(nose[1] - nose[0]) - axis + 90) % 180 - 90
    heights = tuple(float((t - middle) @ up * mm_per_px) for t in ears) if len(ears) == 2 else ()
    return Face(
        float(np.hypot(*line)) * mm_per_px, axis, (2 * ra * mm_per_px, 2 * rb * mm_per_px), nostrils_mm=_long(nose, mm_per_px),
        nostril_axis_deg=turn, nose_drop_mm=drop, nose_aside_mm=aside, tips_mm=heights, tips_apart_mm=_long(ears, mm_per_px),
    )  # fmt: skip


def likely_tip(ring: Sequence[Point], face: Point) -> Point:
    """Where an ear's tip may be: the point of its outline farthest from the face. A proposal, to be confirmed."""
    points = np.asarray(ring, float)
    x, y = points[int(np.hypot(*(points - np.asarray(face, float)).T).argmax())]
    return float(x), float(y)


def _sorted(points: Sequence[Point]) -> Array:
    return np.array(sorted(points), float).reshape(-1, 2)


def _turn(line: Array) -> float:
    return float(np.degrees(np.arctan2(-line[1], line[0])))


def _long(points: Array, mm_per_px: float) -> float | None:
    return float(np.hypot(*(points[1] - points[0]))) * mm_per_px if len(points) == 2 else None
