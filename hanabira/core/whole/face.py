"""The frame of a face from its eyes and nose, and its parts in that frame.

Every face of a mammal is a frame of two axes: across, through the eyes, and down, to the nose. Its unit is the distance of the eyes; where the head is
turned they stand nearer together than they are, and the way to the nose is the unit. Of one eye and a nose seen from the side, the way between them is.
Where the parts lie was read off seven labelled heads of six kinds (docs/methods/whole_animal.md); their borders are drawn on the photo's own edges later.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from hanabira.core.area.shape import Point
from hanabira.core.colour.spaces import Array

FRONT = ("forehead", "bridge", "muzzle", "chin", "left cheek", "right cheek", "left ear", "right ear")
SIDE = ("forehead", "cheek", "muzzle", "ear", "ear")
"""Parts of a face from the front and from the side; left and right are those of the picture. From the side two ears can stand one behind the other."""
NOSE_TURNED = 0.85
"""The least unit as a share of the way from the eyes to the nose."""
EYE_UNIT = 2.2
"""The least unit in radii of an eye: eyes that are clicked on one another are no frame."""
NO_NOSE = 0.8
"""Where the nose is taken to lie (units under the eyes) when nobody showed it."""
SKULL, SKULL_DOWN, JAW = 1.05, 0.10, 1.30
"""Radius of the skull over the eyes and of the cheeks under them, how far under the eyes its middle lies (units)."""
EARS, EAR_REACH = (18.0, 105.0), 2.1
"""Ears lie between these angles from the crown (degrees), up to so many units out."""
BROW, BRIDGE = -0.2, 0.28
"""Where the forehead begins over the eyes, half the width of the bridge."""
MUZZLE, MUZZLE_DOWN = (0.52, 0.45), 0.10
"""Half axes of the muzzle, how far under the nose its middle lies."""
CHIN, CHIN_DEEP, JAW_DOWN = 0.45, 0.5, 0.55
"""Half the width of the chin, how far it reaches under the muzzle; how far under the nose the cheeks end."""
MUZZLE_SIDE, HEAD_SIDE = 0.45, 0.92
"""Radius of the muzzle round the nose, and of the head round the middle between eye and nose, from the side."""
EAR_HALF, EAR_HALF_FRONT, EAR_FAR, LEAST_EAR = 0.30, 0.40, 2.6, 0.12
"""An ear is what stands off the head: narrower than twice the first (units; from the side and from the front), no farther off than the third, no smaller than
the last (units²)."""
EAR_ALONE = 0.35
"""From the front such an ear is taken where it is at least so large a share of where an ear is looked for."""


@dataclass(frozen=True)
class Face:
    """A face's frame in pixels: its ``middle`` between the eyes, unit vectors to the ``right`` (of the picture) and ``down`` to the nose, the ``unit``.

    ``nose`` is where the nose lies (units under the eyes); ``side`` says that it is seen from the side, where no left and right are told.
    """

    middle: tuple[float, float]
    right: tuple[float, float]
    down: tuple[float, float]
    unit: float
    nose: float
    side: bool

    @property
    def names(self) -> tuple[str, ...]:
        """The parts in the order of `parts`."""
        return SIDE if self.side else FRONT

    def scaled(self, k: float, origin: Point) -> Face:
        """The same in pixels ``k`` times as many, counted from ``origin``."""
        return replace(self, middle=((self.middle[0] - origin[0]) * k, (self.middle[1] - origin[1]) * k), unit=self.unit * k)

    def at(self, points: Array) -> Array:
        """Pixels (…, 2) as (across, down) in units (…, 2)."""
        v = (np.asarray(points, float) - self.middle) / self.unit
        return np.stack([v @ np.asarray(self.right), v @ np.asarray(self.down)], -1)

    def parts(self, mask: np.ndarray) -> np.ndarray:
        """The part of the face at each pixel of an animal's mask (h, w): 0 none, 1 … n those of `names`."""
        yy, xx = np.mgrid[0 : mask.shape[0], 0 : mask.shape[1]]
        st = self.at(np.stack([xx, yy], -1))
        s, t = st[..., 0], st[..., 1]
        found = self._from_side(s, t, mask) if self.side else self._from_front(s, t, mask)
        return np.where(mask, found, 0)

    def _from_front(self, s: Array, t: Array, mask: np.ndarray) -> np.ndarray:
        out = np.zeros(s.shape, np.int32)
        far, turned = np.hypot(s, t - SKULL_DOWN), np.degrees(np.arctan2(np.abs(s), SKULL_DOWN - t))
        left = s < 0
        put = lambda name, where: out.__setitem__(where & (out == 0), 1 + FRONT.index(name))  # noqa: E731
        under = MUZZLE_DOWN + self.nose
        put("muzzle", np.hypot(s / MUZZLE[0], (t - under) / MUZZLE[1]) < 1)
        put("bridge", (np.abs(s) < BRIDGE) & (t > BROW) & (t < under))
        put("chin", (np.abs(s) < CHIN) & (t > under) & (t < under + MUZZLE[1] + CHIN_DEEP))
        ear = (far >= SKULL) & (far < EAR_REACH) & (turned > EARS[0]) & (turned < EARS[1]) & (t < 0.5 * self.nose)
        off = self._standing_off(s, t, mask, EAR_HALF_FRONT)
        for here in (left, ~left):  # an ear that stands off by itself is told by its own outline
            alone = off & here & (t < BROW) & (far > 0.7 * SKULL)
            if alone.sum() > max(LEAST_EAR * self.unit**2, EAR_ALONE * (ear & here & mask).sum()):
                ear = np.where(here, alone, ear)
        cheek = (t > BROW) & (far < JAW) & (t < self.nose + JAW_DOWN)
        put("forehead", (far < SKULL) & (t <= BROW) & ~ear)
        for side, here in (("left", left), ("right", ~left)):
            put(f"{side} cheek", cheek & here & ~(ear & (t < 0)))
            put(f"{side} ear", ear & here)
        return out

    def _from_side(self, s: Array, t: Array, mask: np.ndarray) -> np.ndarray:
        out = np.zeros(s.shape, np.int32)
        up = s if self.right[1] < 0 else -s
        head = np.hypot(s, t - 0.3) < HEAD_SIDE
        muzzle = np.hypot(s, t - 1.0) < MUZZLE_SIDE
        out[head & (up > 0.25 * (1 - t))] = 1
        out[head & (out == 0)] = 2
        out[muzzle] = 3
        ears = self._standing_off(s, t, mask, EAR_HALF) & ~muzzle
        n, pieces, stats, middles = cv2.connectedComponentsWithStats(ears.astype(np.uint8))
        large = [k for k in range(1, n) if stats[k, cv2.CC_STAT_AREA] > LEAST_EAR * self.unit**2 and middles[k][1] < self.middle[1]]
        for number, k in enumerate(sorted(large, key=lambda k: -stats[k, cv2.CC_STAT_AREA])[:2]):
            out[pieces == k] = 4 + number
        return out

    def _standing_off(self, s: Array, t: Array, mask: np.ndarray, half: float) -> np.ndarray:
        """What stands off the animal near its head: it falls away when the mask is opened by a disc (Serra 1982)."""
        r = max(2, round(half * self.unit))
        k = max(1, r // 12)  # a wide disc is laid on a thinned copy
        small = cv2.resize(np.pad(mask, r).astype(np.uint8), None, fx=1 / k, fy=1 / k, interpolation=cv2.INTER_NEAREST)
        disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * (r // k) + 1,) * 2)
        whole = cv2.resize(cv2.morphologyEx(small, cv2.MORPH_OPEN, disc), (mask.shape[1] + 2 * r, mask.shape[0] + 2 * r), interpolation=cv2.INTER_NEAREST)
        off = mask & (whole[r:-r, r:-r] == 0) & (np.hypot(s, t - 0.3) < EAR_FAR)
        return cv2.morphologyEx(off.astype(np.uint8), cv2.MORPH_OPEN, np.ones((5, 5), np.uint8)) > 0


def face_of(eyes: Sequence[tuple[Point, float]], nose: Point | None) -> Face | None:
    """The frame of a face. ``eyes`` are middles with the radius of the iris in pixels, ``nose`` its middle; None where they tell none: two eyes, or one and a nose."""
    end = None if nose is None else np.asarray(nose, float)
    if len(eyes) == 2:
        (a, one), (b, two) = sorted(((np.asarray(p, float), r) for p, r in eyes), key=lambda q: float(q[0][0]))
        apart = float(np.hypot(*(b - a)))
        if apart < max(one, two):
            return None
        right = (b - a) / apart
        down = np.array([-right[1], right[0]])
        middle, unit = (a + b) / 2, max(apart, EYE_UNIT * (one + two) / 2)
        if end is not None:
            if float((end - middle) @ down) < 0:  # an animal that looks at us upside down
                right, down = -right, -down
            unit = max(unit, NOSE_TURNED * float(np.hypot(*(end - middle))))
        low = NO_NOSE if end is None else float((end - middle) @ down) / unit
        return Face(_pair(middle), _pair(right), _pair(down), unit, low, False)
    if len(eyes) == 1 and end is not None:
        at = np.asarray(eyes[0][0], float)
        unit = float(np.hypot(*(end - at)))
        if unit < eyes[0][1]:
            return None
        down = (end - at) / unit
        return Face(_pair(at), (float(down[1]), float(-down[0])), _pair(down), unit, 1.0, True)
    return None


def _pair(v: Array) -> tuple[float, float]:
    return float(v[0]), float(v[1])
