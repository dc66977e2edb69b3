"""How a photo is worked from: settings alone, without the mathematics that carries them out (`prepare`)."""

from __future__ import annotations

from dataclasses import dataclass, field

from hanabira.core.area.shape import Point

EXPOSURE_RANGE = (-2.0, 2.0)
MOST_TILT = 45.0
STEPS = (3, 7)
"""Fewest and most value shapes."""
MaskLine = tuple[Point, ...]


@dataclass(frozen=True)
class Light:
    """Settings of a photo's light: the XYZ that its light's white has (Y = 1), or None as taken; exposure in stops."""

    white: tuple[float, float, float] | None = None
    exposure: float = 0.0

    @property
    def as_taken(self) -> bool:
        """Whether nothing is changed."""
        return self.white is None and self.exposure == 0


@dataclass(frozen=True)
class Preparation:
    """Settings of a photo. Points are in pixels of the prepared photo, which is as large as the file.

    ``tilt_deg`` turns the picture counter-clockwise about its middle, then ``mirrored`` turns it over.
    ``outline`` is drawn roughly round the animal, ``keep`` and ``drop`` are strokes that correct the cut;
    ``cut_out`` says whether the backdrop is put behind. ``sun_deg`` is where the light comes from as
    seen in the picture (0 right, counter-clockwise), None when nobody said. ``focal`` is the place that
    the eye should go to.
    """

    tilt_deg: float = 0.0
    mirrored: bool = False
    light: Light = field(default_factory=Light)
    light_how: str = ""
    outline: MaskLine = ()
    keep: tuple[MaskLine, ...] = ()
    drop: tuple[MaskLine, ...] = ()
    cut_out: bool = False
    sun_deg: float | None = None
    focal: Point | None = None

    @property
    def geometry(self) -> tuple[float, bool]:
        """What moves points."""
        return self.tilt_deg, self.mirrored

    @property
    def cut(self) -> tuple[object, ...]:
        """What the cut depends on."""
        return self.geometry, self.outline, self.keep, self.drop

    @property
    def pixels(self) -> tuple[object, ...]:
        """What the prepared pixels and the animal's coverage depend on, but for the backdrop's colours."""
        return self.geometry, self.light, (self.cut, self.cut_out) if len(self.outline) > 2 else ()
