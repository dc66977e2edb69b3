"""Which places an area has: by its surface, its marking and its clicks."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from hanabira.core.area.marking import Marking
from hanabira.core.area.shape import Point, Region
from hanabira.core.places.coat import coat_places
from hanabira.core.places.eyes import eye_places
from hanabira.core.places.noses import nose_places
from hanabira.core.places.place import Places, sample

ANATOMIES = ("coat", "bare", "eye", "nose")


def find_places(photo: np.ndarray, region: Region, anatomy: str, marking: Marking, eye: Sequence[Point] = (), said: bool = False) -> Places:
    """Places of a region of a photo (h, w, 3) uint8. ``anatomy`` is one of `ANATOMIES`; ``eye`` its clicked centre and rim."""
    if anatomy == "eye":
        return eye_places(photo, region, eye)
    if anatomy == "nose":
        return nose_places(region)
    return coat_places(sample(region), marking, anatomy == "coat", said)
