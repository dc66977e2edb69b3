"""The client's photo and the work side by side on one page."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
from reportlab.lib.pagesizes import A4, landscape
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from hanabira.sheets.card_page import register_fonts
from hanabira.sheets.pictures import reader
from hanabira.studio.writing import write_file

MARGIN_MM = 15.0


def write_progress_pair(picture: np.ndarray, name: str, day: str, target: Path) -> Path:
    """Write the pair (h, w, 3) uint8 as a landscape page; `Fault` when it cannot be written."""
    register_fonts()
    buffer = io.BytesIO()
    w, h = landscape(A4)
    c = Canvas(buffer, pagesize=(w, h))
    c.setTitle(f"{name}, {day}")
    room_w, room_h = w - 2 * MARGIN_MM * mm, h - 2 * MARGIN_MM * mm - 14 * mm
    k = min(room_w / picture.shape[1], room_h / picture.shape[0])
    pw, ph = picture.shape[1] * k, picture.shape[0] * k
    x, y = (w - pw) / 2, MARGIN_MM * mm + 10 * mm + (room_h - ph) / 2
    c.drawImage(reader(picture, 0), x, y, pw, ph)
    c.setFont("vollkorn", 16)
    c.drawString(x, h - MARGIN_MM * mm - 5 * mm, name)
    c.setFont("lato", 9)
    c.drawString(x, MARGIN_MM * mm + 4 * mm, "your photo")
    c.drawRightString(x + pw, MARGIN_MM * mm + 4 * mm, f"the portrait on {day}, its light made even")
    c.showPage()
    c.save()
    return write_file(target, buffer.getvalue())
