"""The simulated easel camera over the open commission: the sheet as the log says it stands."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from hanabira.core.colour.spaces import parse_hex, srgb_to_lab
from hanabira.devices.drawn_sheet import DrawnSheet, LaidStrip, Planted, draw_sheet, draw_strip
from hanabira.devices.easel_camera import LONG_PX, SimulatedEaselCamera
from hanabira.devices.simulated_paper import TRUTHS

if TYPE_CHECKING:
    from hanabira.session.check_subject import Measured

CAMERA_GRID, FLAT_GRID = 4.5, 6.0
"""Pixels a millimetre at which the sheet is drawn for a photo, and for the flat picture."""


def drawn(measured: Measured, seed: int, faults: Sequence[Planted] = (), grid: float = CAMERA_GRID) -> DrawnSheet:
    """The sheet as the log says, laid by the simulated paper's physics. Raises `Fault` for a fault in an area that is not there."""
    s = measured.subject
    layers = {a.id: s.laid_on(a.id) for a in s.areas}
    ground = np.asarray(srgb_to_lab(parse_hex(s.commission.ground_hex)))
    return draw_sheet(measured.sheet(grid), layers, s.kit, ground, TRUTHS[0], seed, faults)


def strip_beside(measured: Measured, seed: int, grid: float = CAMERA_GRID) -> LaidStrip:
    """A check strip whose boxes were rubbed in with the commission's kit."""
    return draw_strip(measured.subject.kit, TRUTHS[0], grid, seed)


def camera_over(
    measured: Measured, seed: int, strip: bool = True, faults: Sequence[Planted] = (), long_px: int = LONG_PX
) -> SimulatedEaselCamera:
    """The simulated camera in front of the sheet, with the strip beside it; the longer side of its pictures in pixels."""
    return SimulatedEaselCamera(drawn(measured, seed, faults), strip_beside(measured, seed) if strip else None, seed=seed, long_px=long_px)
