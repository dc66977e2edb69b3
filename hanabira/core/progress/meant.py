"""What the artist means so: the key of a fault with the size that it had when it was said. Much farther off, it is said again."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping

FARTHER = 0.5
"""By which share of its size a fault must have grown to be another one than was meant: half as far again is seen at a glance."""
SURE = 2.0
"""By how many standard deviations of the reading it must have grown besides: less may be the photo."""


def entry(key: str, size: float) -> str:
    """What is kept of a fault that is meant so.

    >>> entry("a1:gaps:darker", -1.25)
    'a1:gaps:darker@-1.25'
    """
    return f"{key}@{size:.2f}"


def parted(kept: str) -> tuple[str, float | None]:
    """Key and size of what was kept; None for an entry of a version that kept no size.

    >>> parted("a1:gaps:darker@-1.25"), parted("a1:gaps:darker")
    (('a1:gaps:darker', -1.25), ('a1:gaps:darker', None))
    """
    key, sign, size = kept.rpartition("@")
    try:
        return (key, float(size)) if sign and math.isfinite(float(size)) else (kept, None)
    except ValueError:
        return kept, None


def sizes(kept: Iterable[tuple[str, float | None]]) -> dict[str, float]:
    """The largest size that is meant for each key, without sign; infinite where none was kept."""
    out: dict[str, float] = {}
    for key, size in kept:
        out[key] = max(out.get(key, 0.0), math.inf if size is None else abs(size))
    return out


def is_meant(key: str, size: float, sigma: float, meant: Mapping[str, float]) -> bool:
    """Whether a fault of this size, read with this standard deviation, is what was meant."""
    known = meant.get(key)
    return known is not None and abs(size) - known <= max(SURE * sigma, FARTHER * known if math.isfinite(known) else 0.0)
