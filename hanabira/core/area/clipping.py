"""What a photo no longer knows: pixels burnt out or crushed, for each channel, found behind JPEG's ringing and below an editor's ceiling.

A pixel is clipped when it lies at the photo's ceiling and so does a third of its neighbours, or near it and most of them do: single sparks are
real, a plateau is not.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array
from hanabira.core.sentences import say

AT, NEAR = 3, 8
"""8-bit levels from the ceiling at which a pixel lies on it, and within which one belongs to a plateau round it (JPEG rings by so much)."""
SOME, MOST = 0.3, 0.6
"""Shares of the 3 × 3 pixels round that must lie at the ceiling."""
SPIKE, ABOVE = 0.004, 0.002
"""Share of a channel's pixels in three levels that makes a lower ceiling, when less than the second share lies at the very top."""
LOWEST_CEILING, HIGHEST_FLOOR = 227, 30
TOLD = 0.01
"""Shares below this are sparks."""
UNKNOWN = 0.5
"""A value of which more pixels than this are clipped is unknown, and so is the coat of an area."""
GONE = 0.9
"""Where more than this is clipped, no colour is left to read."""

Levels = tuple[tuple[int, int, int], tuple[int, int, int]]
"""Ceilings and floors of the three channels."""


@dataclass(frozen=True)
class Clipping:
    """Shares (0–1) of an area that are burnt out in any channel, in all three, in each, and crushed in all three.

    ``unknown`` names the values (gap, general, light, highlight) most of whose pixels are clipped; ``rings`` outline the burnt and the crushed
    parts in photo pixels.
    """

    any: float = 0.0
    all: float = 0.0
    each: tuple[float, float, float] = (0.0, 0.0, 0.0)
    crushed: float = 0.0
    unknown: tuple[str, ...] = ()
    rings: tuple[tuple[tuple[float, float], ...], ...] = ()

    @property
    def matters(self) -> bool:
        """Whether there is anything to tell."""
        return max(self.any, self.crushed) >= TOLD

    @property
    def lost(self) -> float:
        """Share that is burnt out or crushed; no pixel is both."""
        return self.any + self.crushed

    def known(self, values: Mapping[str, Array]) -> dict[str, float]:
        """L* of those of an area's values, Lab by name, that the photo still knows."""
        return {band: float(v[0]) for band, v in values.items() if band not in self.unknown}


def photo_levels(pixels: np.ndarray, coverage: np.ndarray | None = None) -> Levels:
    """The photo's own ceiling and floor in each channel: 255 and 0, or a plateau below or above that an editor left. ``pixels`` (h, w, 3) uint8.

    ``coverage`` (any size, uint8 or 0–1) says what of it is animal, once that was cut out: the ground behind is nobody's light.
    """
    tops, floors, there = [], [], None
    if coverage is not None:
        half = 128 if coverage.dtype == np.uint8 else 0.5
        there = cv2.resize((coverage >= half).astype(np.uint8), pixels.shape[1::-1], interpolation=cv2.INTER_NEAREST)
        there = there if there.any() else None
    for c in range(3):
        counts = cv2.calcHist([pixels], [c], there, [256], (0, 256)).ravel().astype(float)
        whole = counts.sum()
        tops.append(_plateau(counts, whole) if counts[253:].sum() < ABOVE * whole else 255)
        floors.append(255 - _plateau(counts[::-1], whole, 255 - HIGHEST_FLOOR) if counts[:3].sum() < ABOVE * whole else 0)
    return (tops[0], tops[1], tops[2]), (floors[0], floors[1], floors[2])


def _plateau(counts: np.ndarray, whole: float, lowest: int = LOWEST_CEILING) -> int:
    """The level from 250 down at which a spike stands with little above it; 255 when there is none."""
    for t in range(250, lowest - 1, -1):
        spike = counts[t - 1 : t + 2].sum()
        if spike > SPIKE * whole and spike > 3 * max(counts[t - 7 : t - 4].sum(), 1) and counts[t + 4 :].sum() < 0.5 * spike:
            return t
    return 255


def clipped(pixels: np.ndarray, levels: Levels) -> tuple[np.ndarray, np.ndarray]:
    """Which channels of which pixels are burnt out, and which crushed: two (h, w, 3) bool."""
    # channel after channel in memory: each is looked at for itself from here on
    high, low = (np.zeros((3, *pixels.shape[:2]), bool).transpose(1, 2, 0) for _ in range(2))
    for c, channel in enumerate(cv2.split(pixels)):
        top, floor = levels[0][c], levels[1][c]
        for out, at, near in ((high, channel >= top - AT, channel >= top - NEAR), (low, channel <= floor + AT, channel <= floor + NEAR)):
            if not at.any():
                continue
            share = cv2.blur(at.astype(np.float32), (3, 3), borderType=cv2.BORDER_REPLICATE)
            out[..., c] = (at & (share > SOME)) | (near & (share > MOST))
    return high, low


def in_any(channels: np.ndarray) -> np.ndarray:
    """Where any of three channels (h, w, 3) bool holds; several times as quick as a reduction over the last axis."""
    return np.asarray(channels[..., 0] | channels[..., 1] | channels[..., 2])


def in_all(channels: np.ndarray) -> np.ndarray:
    """Where all three channels (h, w, 3) bool hold."""
    return np.asarray(channels[..., 0] & channels[..., 1] & channels[..., 2])


def measure_clipping(
    channels: tuple[np.ndarray, np.ndarray], mask: np.ndarray, lightness: np.ndarray, limits: Mapping[str, tuple[float, float]],
    origin: tuple[float, float] = (0.0, 0.0), to_photo: float = 1.0,
) -> Clipping:  # fmt: skip
    """Clipping of a masked part (h, w) from its burnt and crushed ``channels`` (`clipped`). ``lightness`` (h, w) is L*, ``limits`` the least and
    the most L* of each of the area's values.
    """
    high, low = channels
    burnt, crushed = in_any(high) & mask, in_all(low) & mask
    count = max(1, int(np.count_nonzero(mask)))
    lost = burnt | crushed
    unknown = []
    values, lost_ones = (lightness[mask], lost[mask]) if lost.any() else (lightness[:0], lost[:0])
    for band, (least, most) in limits.items():
        inside = (values >= least) & (values <= most)
        if inside.any() and lost_ones[inside].mean() > UNKNOWN:
            unknown.append(band)
    share = lambda where: float(np.count_nonzero(where) / count)  # noqa: E731
    each = [share(high[..., c] & mask) for c in range(3)]
    return Clipping(
        share(burnt), share(in_all(high) & mask), (each[0], each[1], each[2]), share(crushed), tuple(unknown), _rings(lost, origin, to_photo),
    )  # fmt: skip


def lost_words(c: Clipping) -> tuple[str, ...]:
    """What to say of what the photo lost; nothing when there is hardly any."""
    out = []
    if c.any >= TOLD:
        names = [say(k) for k, v in zip(("lost.red", "lost.green", "lost.blue"), c.each, strict=True) if v > 0.5 * c.any]
        out.append(say("lost.burnt", share=c.any) if c.all > 0.5 * c.any else say("lost.channels", share=c.any, channels=", ".join(names)))
    if c.crushed >= TOLD:
        out.append(say("lost.crushed", share=c.crushed))
    if c.unknown:
        out.append(say("lost.unknown", values=", ".join(c.unknown)))
    if c.lost > GONE:
        out.append(say("lost.colours"))
    return tuple(out)


def _rings(where: np.ndarray, origin: Sequence[float], to_photo: float, most: int = 60) -> tuple[tuple[tuple[float, float], ...], ...]:
    """Outlines of the larger parts, the largest first."""
    closed = cv2.morphologyEx(where.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8))
    found, _ = cv2.findContours(closed, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    sizes = [cv2.contourArea(q) for q in found]
    kept = [n for n in sorted(range(len(found)), key=lambda n: -sizes[n])[:most] if sizes[n] >= 24]
    calm = [cv2.approxPolyDP(found[n], 1.0, True)[:, 0] for n in kept]
    return tuple(
        tuple((float(origin[0] + (x + 0.5) * to_photo), float(origin[1] + (y + 0.5) * to_photo)) for x, y in q) for q in calm if len(q) > 2
    )
