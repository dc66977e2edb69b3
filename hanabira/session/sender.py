"""Who a printed sheet is from: the studio's name, and its mark if the artist has chosen one."""

from __future__ import annotations

import base64
import binascii
import io
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PIL import Image

from hanabira.core.token import SILENT, Token
from hanabira.sheets import sender as foot
from hanabira.studio.pictures import read_picture

if TYPE_CHECKING:
    from hanabira.session.settings import Settings
    from hanabira.sheets.sender import Sender

MARK_PX = 480
"""Longer side of a kept mark: at 10 mm in height more than a printer shows."""
_MOST_CHARS = 1_500_000


def mark_data(path: Path | str, token: Token = SILENT) -> str:
    """A picture file as it is kept among the settings (PNG in base64), so that backups hold it. Raises `PhotoFault`."""
    small = Image.fromarray(read_picture(path, 2 * MARK_PX, token).pixels)
    small.thumbnail((MARK_PX, MARK_PX), Image.Resampling.LANCZOS)
    out = io.BytesIO()
    small.save(out, "PNG")
    return base64.b64encode(out.getvalue()).decode("ascii")


def mark_pixels(data: str) -> np.ndarray | None:
    """A kept mark, (H, W, 3) uint8; None where there is none or it cannot be read."""
    if not data or len(data) > _MOST_CHARS:
        return None
    try:
        with Image.open(io.BytesIO(base64.b64decode(data, validate=True)), formats=["PNG"]) as image:
            if max(image.size) > MARK_PX:
                return None
            return np.asarray(image.convert("RGB"))
    except (OSError, ValueError, SyntaxError, binascii.Error, Image.DecompressionBombError):
        return None


def sender(settings: Settings) -> Sender:
    """Who the studio's sheets are from."""
    return foot.Sender(settings.get("studio_name"), mark_pixels(settings.get("studio_mark")))
