"""What photos of the work give away: the pair for the client without the cast, and the film of all photos in one frame and light."""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import cv2
import numpy as np
from PIL import Image

from hanabira.core.colour.spaces import lab_to_bytes
from hanabira.core.faults import Fault
from hanabira.core.progress.check import check_photo, display_lab
from hanabira.core.progress.find import Refused
from hanabira.core.token import Token
from hanabira.session.check_subject import Subject, subject_of
from hanabira.studio.bundle import Written
from hanabira.studio.writing import write_file

if TYPE_CHECKING:
    from hanabira.session.session import Session
    from hanabira.studio.records import Shot

FILM_SIDE, FRAME_MS, LAST_MS = 1000, 600, 2400
"""Longer side of a film's pictures in pixels, and how long each and the last one stand."""
PAIR_GRID, GAP_MM = 4.0, 8.0


@dataclass(frozen=True)
class Straight:
    """A photo of the work straight on and without its cast, (h, w, 3) uint8 sRGB."""

    shot: Shot
    pixels: np.ndarray


def straightener(session: Session, shot: Shot, grid: float) -> Callable[[Token], Straight]:
    """What brings a photo into the sheet's frame and neutral light, on whatever thread. Raises `Refused` where it cannot be."""
    subject: Subject | None = subject_of(session, shot)
    if subject is None:
        raise Fault("The client’s photo is not there yet.", "Nothing was written.", "Wait a moment, then try again.")
    store = session.store

    def work(token: Token) -> Straight:
        photo = store.read_photo(shot, None, token).pixels
        checked = check_photo(photo, subject.measured(token).plan())
        return Straight(shot, lab_to_bytes(display_lab(photo, checked, grid)))

    return work


def client_on_sheet(session: Session, shape: tuple[int, int]) -> np.ndarray:
    """The client's photo as it is framed on the sheet, (h, w, 3) uint8, with the sheet's border in its paper's colour."""
    c, photo, view = session.commission, session.photo, session.view
    assert c is not None and photo is not None and view is not None
    h, w = shape
    ground = tuple(int(c.ground_hex[k : k + 2], 16) for k in (1, 3, 5))
    out = np.empty((h, w, 3), np.uint8)
    out[:] = ground
    b = round(c.border_mm * w / c.width_mm)
    out[b : h - b, b : w - b] = cv2.resize(view.sheet_crop(photo.crop), (w - 2 * b, h - 2 * b), interpolation=cv2.INTER_AREA)
    return out


def pair_writer(session: Session, shot: Shot, target: Path) -> Callable[[Token], Path]:
    """Writes the client's photo and the work side by side, as PNG or as a PDF page; for any thread."""
    straight = straightener(session, shot, PAIR_GRID)
    c = session.commission
    assert c is not None
    shape = (int(c.height_mm * PAIR_GRID), int(c.width_mm * PAIR_GRID))
    client = client_on_sheet(session, shape)
    name, at = c.name, shot.at[:10]

    def work(token: Token) -> Path:
        found = straight(token)
        token.report(0.9, "Writing the pair")
        gap = np.full((shape[0], round(GAP_MM * PAIR_GRID), 3), 255, np.uint8)
        picture = np.hstack([client, gap, cv2.resize(found.pixels, shape[::-1], interpolation=cv2.INTER_AREA)])
        if target.suffix.lower() == ".pdf":
            from hanabira.sheets.progress_pair import write_progress_pair

            return write_progress_pair(picture, name, at, target)
        out = io.BytesIO()
        Image.fromarray(picture).save(out, "PNG", dpi=(PAIR_GRID * 25.4, PAIR_GRID * 25.4))
        return write_file(target, out.getvalue())

    return work


def film_writer(session: Session, target: Path) -> Callable[[Token], Written]:
    """Writes all photos of the work as a film (GIF or WebP) in one frame and light; a photo that cannot be straightened is left out and named."""
    shots = session.logbook.shots()
    if not shots:
        raise Fault("There is no photo of the work yet.", "Nothing was written.", "Take a photo first.")
    c = session.commission
    assert c is not None
    grid = min(PAIR_GRID, FILM_SIDE / max(c.width_mm, c.height_mm))
    ways = [straightener(session, q, grid) for q in shots]

    def work(token: Token) -> Written:
        frames, left_out = [], []
        for n, (shot, way) in enumerate(zip(shots, ways, strict=True)):
            token.report(n / len(ways), f"Straightening {shot.original_name}")
            try:
                frames.append(Image.fromarray(way(Token()).pixels))
            except Refused as fault:
                left_out.append(f"{shot.original_name} is left out: {fault.what}")
            token.check()
        if not frames:
            raise Fault("None of the photos could be straightened.", "Nothing was written.", left_out[0] if left_out else "")
        out = io.BytesIO()
        times = [FRAME_MS] * (len(frames) - 1) + [LAST_MS]
        kind = "WEBP" if target.suffix.lower() == ".webp" else "GIF"
        frames[0].save(out, kind, save_all=True, append_images=frames[1:], duration=times, loop=0)
        return Written(write_file(target, out.getvalue()), tuple(left_out))

    return work
