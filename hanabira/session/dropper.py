"""A touched spot of the photo: its value and hue, against what lies round it, and what would give it on paper."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import cv2
import numpy as np

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import Array, bytes_to_lab, chroma, hue_deg
from hanabira.core.colour.words import colour_name, nearness, temperature, value_step
from hanabira.core.sentences import say
from hanabira.core.solver.two_layers import Two, best_two
from hanabira.session.edits import EditBrief

if TYPE_CHECKING:
    from hanabira.core.token import Token
    from hanabira.session.session import Session
    from hanabira.session.view import View

ROUND_MM = 6.0
"""What lies so near round a spot is what it is seen against."""
ALIKE_L, ALIKE_C = 3.0, 3.0


@dataclass(frozen=True)
class ReadSpot:
    """A touched spot: Lab of the photo and of what lies round it, the nearest pencil and the best two layers."""

    lab: Array
    around: Array
    pencil: str
    pencil_de: float
    stack: Two
    target: Array
    lost: bool = False
    """Whether most of the spot is burnt out or crushed: the figures are the file's, not the animal's."""

    def words(self, name_of: dict[str, str]) -> str:
        """Everything in three short sentences. ``name_of`` gives pencils their names."""
        v = self.lab
        seen = f"L* {v[0]:.0f}, step {value_step(float(v[0]))}, {colour_name(v)}, {temperature(v)}, hue {float(hue_deg(v)) % 360:.0f}°, C* {float(chroma(v)):.0f}."
        d = v - self.around
        parts = []
        if abs(d[0]) > ALIKE_L:
            parts.append(f"{abs(d[0]):.0f} L* {'lighter' if d[0] > 0 else 'darker'}")
        if abs(float(chroma(v) - chroma(self.around))) > ALIKE_C:
            parts.append("richer" if chroma(v) > chroma(self.around) else "duller")
        if temperature(v) != temperature(self.around):
            parts.append(temperature(v))
        beside = f"{' and '.join(parts)} beside what lies round it" if parts else "like what lies round it"
        stack = ", then ".join(f"{q.code} {name_of.get(q.code, '')} pressure {q.pressure}" for q in self.stack.layers) or "bare paper"
        if self.lost:
            seen = f"{say('lost.spot')} {seen}"
        near = f"Nearest pencil {self.pencil} {name_of.get(self.pencil, '')} is {nearness(self.pencil_de)}."
        return f"{seen} {beside[:1].upper()}{beside[1:]}. {near} On paper: {stack}, {nearness(self.stack.delta_e00)}."


class Dropper:
    """Reads spots off the interface thread; keeps the last one."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.last: ReadSpot | None = None

    def touch(self, x: float, y: float) -> None:
        """Read the spot at a place in photo pixels and say what it is."""
        m, view = self.session, self.session.view
        colour = view.at(x, y) if view is not None else None
        if view is None or colour is None or m.commission is None:
            return
        kit, paper, reach, mm = m.kit.usable, m.paper, m.gamut, m.mm_per_px or 0.2

        def work(_token: Token) -> ReadSpot:
            lab = bytes_to_lab(np.asarray(colour, np.uint8).reshape(1, 1, 3))[0, 0].astype(float)
            around = _around(view, x, y, ROUND_MM / mm)
            target = reach.paper_target(lab)
            de = np.asarray(delta_e00(kit.masstone_lab, target))
            i = int(de.argmin())
            return ReadSpot(lab, around, kit.pencils[i].code, float(de[i]), best_two(kit, paper, target), target, view.lost_at(x, y))

        def done(found: ReadSpot) -> None:
            self.last = found
            m.messages.remark(found.words({p.code: p.name for p in m.kit}))

        m.jobs.run("spot", "Reading the spot", work, done, quiet=True)

    def keep(self) -> bool:
        """Put the last spot into the commission's notes; one undoable edit."""
        c = self.session.commission
        if c is None or self.last is None:
            self.session.messages.remark("Touch a spot of the picture with the right button first.")
            return False
        words = self.last.words({p.code: p.name for p in self.session.kit})
        return self.session.do(EditBrief(self.session, "noted spot", False, notes=f"{c.notes}\n{words}".strip()))


def _around(view: View, x: float, y: float, radius: float) -> Array:
    """Median Lab of a ring round a spot, from one to two thirds of the radius outward; radius in photo pixels."""
    k = view.scale
    r = max(14, round(radius * k))
    cx, cy = round(x * k), round(y * k)
    h, w = view.pixels.shape[:2]
    patch = view.pixels[max(0, cy - r) : min(h, cy + r + 1), max(0, cx - r) : min(w, cx + r + 1)]
    step = max(1, patch.shape[0] // 120)
    yy, xx = np.mgrid[0 : patch.shape[0], 0 : patch.shape[1]]
    away = np.hypot(yy - min(cy, r), xx - min(cx, r))
    ring = (away > 0.45 * r) & (away <= r)
    small, mask = patch[::step, ::step], ring[::step, ::step]
    lab = bytes_to_lab(np.ascontiguousarray(cv2.GaussianBlur(small, (0, 0), 1.0)))
    found = lab[mask] if mask.any() else lab.reshape(-1, 3)
    return np.asarray(np.median(found, 0), float)
