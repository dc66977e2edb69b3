"""An area of the recipe card by places: a map with the words on it, each place after each of its layers, and the layers with room to rub."""

from __future__ import annotations

import math

import numpy as np
from reportlab.lib.colors import Color, black, white
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics

from hanabira.sheets.card_page import GREY, LINE, MARGIN, CardArea, CardLayer, Sheet, area_foot, area_head, colour_of, wrap

MAP_W, MAP_H = 62 * mm, 58 * mm
CHIP = 5.2 * mm
"""Side of a colour patch after a layer."""
HEAD = 24.0
"""Height of a line that names a gesture, in points."""
LADDER = ("breath", "light", "even", "firm", "full")
"""Pressures 1 to 5 in words."""
RUB = (12 * mm, 8 * mm)
"""The box to rub the pencil in, at true size."""
STROKES = (
    ("side", "the side of the point, flat"), ("flick", "lifted at the end"), ("hatch", "lines side by side"), ("circle", "small turns"),
    ("squiggle", "a wavy line"), ("dot", "the point set down"),
)  # fmt: skip


def area_by_places(s: Sheet, area: CardArea) -> None:
    """Head, map beside the places, layers from the paper upward, cautions and note."""
    need = 60 + max(MAP_H, 14 + len(area.places) * (18 + CHIP)) + 30
    if s.y - need < MARGIN + 8 * mm:
        s.new_page()
    else:
        s.y -= 20
        s.rule()
    area_head(s, area)
    top = s.y
    low_map = _map(s, area, top)
    low_places = _places(s, area, top)
    s.y = min(low_map, low_places) - 10
    for k, q in enumerate(area.layers):
        _layer(s, area, k, q)
    area_foot(s, area)


def _map(s: Sheet, area: CardArea, top: float) -> float:
    """The photo of the area with its places outlined and named, and the hair's direction; the height under it."""
    assert area.map is not None
    h, w = area.map.shape[:2]
    k = min(MAP_W / w, MAP_H / h)
    s.picture(area.map, MARGIN, top, k, (np.asarray(ring, float) for place in area.places for ring in place.rings), 1.1)
    for n, place in enumerate(area.places):
        s.mark(MARGIN + place.middle[0] * k, top - place.middle[1] * k, _mark(n), 5.2)
    if area.direction_deg is not None:
        _arrow(s, MARGIN + w * k - 18, top - 16, area.direction_deg)
    return top - h * k


def _mark(n: int) -> str:
    return "abcdefghijklmnopqrstuvwxyz"[n % 26]


def _arrow(s: Sheet, x: float, y: float, degrees: float) -> None:
    """Root to tip of the hair."""
    s.c.saveState()
    s.c.translate(x, y)
    s.c.setFillColor(white)
    s.c.setStrokeColor(black)
    s.c.setLineWidth(0.6)
    s.c.circle(0, 0, 11, stroke=1, fill=1)
    s.c.rotate(degrees)
    s.c.setLineWidth(1.3)
    s.c.line(-7, 0, 7, 0)
    s.c.line(7, 0, 3, 3)
    s.c.line(7, 0, 3, -3)
    s.c.restoreState()


def _places(s: Sheet, area: CardArea, top: float) -> float:
    """A line a place: letter and name, the colour aimed at, and what stands there after each of its layers, by number; the height under it."""
    x = MARGIN + MAP_W + 6 * mm
    right = s.w - MARGIN
    s.y = top - 8
    s.text(x, "aimed at, then after layer …", size=7.5, colour=GREY)
    y = top - 14
    for n, place in enumerate(area.places):
        s.y = y - 9
        said = "kept free" if place.kept else f"ends ΔE00 {place.delta_e00:.1f}"
        s.text(x, f"{_mark(n)}  {place.name}", "lato-bold", 8.5)
        note = f"L*\u2009{place.target[0]:.0f}{', by choice' if place.by_choice else ''} · {said}"
        s.text(right, note, size=7.5, colour=GREY, right=True)
        cx, cy = x + 10, y - 13 - CHIP
        s.c.setFillColor(colour_of(place.target))
        s.c.rect(cx, cy, 2 * CHIP, CHIP, stroke=0, fill=1)
        cx += 2 * CHIP + 4
        chip = min(CHIP, (right - cx) / max(1, len(place.after)))  # many layers get narrow patches: the last one is the result
        for layer, lab in place.after:
            s.c.setFillColor(colour_of(lab))
            s.c.rect(cx, cy, chip, CHIP, stroke=0, fill=1)
            s.c.setFillColor(white if lab[0] < 55 else black)
            s.c.setFont("lato", 6.5)
            s.c.drawCentredString(cx + chip / 2, cy + CHIP / 2 - 2.2, str(layer))
            cx += chip
        y = cy - 5
    return y


def _layer(s: Sheet, area: CardArea, k: int, q: CardLayer) -> None:
    """A layer: number, pencil, how it is laid and where, the whole reason, and a box to rub it in."""
    text_x, right = MARGIN + 44, s.w - MARGIN
    room = right - RUB[0] - 10 - text_x
    why = wrap(q.why, "vollkorn-italic", 8.5, room) if q.why else []
    run = wrap(q.run, "lato-bold", 8.5, room) if q.run else []
    where = wrap(f"On: {q.where}", "lato", 8.5, room)
    high = max(RUB[1] + 8, 15 + 11 * (len(run) + len(where)) + 10.5 * len(why) + 6)
    s.need(high + (HEAD if q.head else 0))
    if q.head:
        _heading(s, q)
    top = s.y
    s.c.setStrokeColor(LINE)
    s.c.setLineWidth(0.4)
    s.c.line(MARGIN, top, right, top)
    s.y = top - 13
    s.text(MARGIN, str(k + 1), "lato-bold", 10)
    if q.masstone is not None:
        s.c.setFillColor(colour_of(q.masstone))
        s.c.rect(MARGIN + 16, top - 24, 20, 18, stroke=0, fill=1)
    name = f"{q.code} again" if q.again else f"{q.code} {q.pencil}".strip()
    s.text(text_x, name, "lato-bold", 9.5)
    x = text_x + pdfmetrics.stringWidth(name, "lato-bold", 9.5) + 8
    if q.masstone is not None:
        _pressure(s, x, top - 14, q.pressure)
        x += 46
        passes = f", {q.passes} passes" if q.passes > 1 else ""
        spacing = f", {q.spacing_mm:.1f} mm apart" if q.spacing_mm else ""
        s.text(x, f"{LADDER[q.pressure - 1]}, {q.pressure} of 5{passes}; {q.stroke}{spacing}", size=8.5)
        box = s.c.beginPath()
        box.rect(right - RUB[0], top - RUB[1] - 4, *RUB)
        s.c.setStrokeColor(GREY)
        s.c.setLineWidth(0.6)
        s.c.drawPath(box, stroke=1, fill=0)
    else:
        s.text(x, q.role if q.role != "reserve" else "before anything else", size=8.5)
    s.y = top - 15
    for line in run:
        s.y -= 11
        s.text(text_x, line, "lato-bold", 8.5)
    for line in where:
        s.y -= 11
        s.text(text_x, line, size=8.5)
    for line in why:
        s.y -= 10.5
        s.text(text_x, line, "vollkorn-italic", 8.5, GREY)
    s.y = top - high


def _heading(s: Sheet, q: CardLayer) -> None:
    """The gesture that begins here: its name, and what the hand does in it."""
    s.y -= HEAD - 5
    s.text(MARGIN, q.head, "vollkorn", 12)
    x = MARGIN + pdfmetrics.stringWidth(q.head, "vollkorn", 12) + 10
    s.text(x, q.aim, "vollkorn-italic", 9, GREY)
    s.y -= 5


def _pressure(s: Sheet, x: float, y: float, n: int) -> None:
    """Five strokes that thicken; the first n are full."""
    for k in range(5):
        wide, high = 1.2 + 0.9 * k, 6 + 1.0 * k
        s.c.setFillColor(black if k < n else white)
        s.c.setStrokeColor(black if k < n else GREY)
        s.c.setLineWidth(0.4)
        s.c.roundRect(x + 8 * k, y, wide, high, wide / 2, stroke=1, fill=1)


def stroke_legend(s: Sheet) -> None:
    """What the words for strokes mean, in one line of pictures, and how the card is used."""
    high = 46
    s.need(high + 16)
    s.y -= 14
    s.text(MARGIN, "How the strokes look, and what the empty boxes are for", "lato-bold", 9.5)
    s.y -= 6
    top, wide = s.y, s.room / len(STROKES)
    for n, (name, words) in enumerate(STROKES):
        x = MARGIN + n * wide
        _stroke(s, name, x, top - 20, 22 * mm)
        s.y = top - 31
        s.text(x, name, "lato-bold", 8)
        s.y = top - 41
        s.text(x, words, size=7.5, colour=GREY)
    s.y = top - high
    s.paragraph(
        "Rub each pencil in its box at the pressure said, on a scrap of the same paper: it must look like the patch with its number.",
        size=8.5,
    )


def _stroke(s: Sheet, name: str, x: float, y: float, wide: float) -> None:
    """One stroke drawn."""
    c = s.c
    c.saveState()
    c.setStrokeColor(black)
    c.setLineCap(1)
    rng = np.random.default_rng(3)
    if name == "side":
        c.setStrokeColor(Color(0.45, 0.45, 0.45))
        c.setLineWidth(5)
        c.line(x + 2, y + 5, x + wide * 0.8, y + 7)
    elif name == "flick":
        for k in range(9):
            fx = x + 3 + k * wide * 0.09
            for part in range(6):  # thinner toward the tip
                c.setLineWidth(1.5 - 0.22 * part)
                a, b = part / 6, (part + 1) / 6
                c.line(fx + 9 * a, y + 12 * a + rng.uniform(-0.3, 0.3), fx + 9 * b, y + 12 * b)
    elif name == "hatch":
        c.setLineWidth(0.9)
        for k in range(14):
            c.line(x + 2 + k * wide * 0.058, y, x + 6 + k * wide * 0.058, y + 12)
    elif name == "circle":
        c.setLineWidth(0.8)
        for k in range(10):
            c.circle(x + 5 + k * wide * 0.08, y + 5 + rng.uniform(-1, 1), 3.4, stroke=1, fill=0)
    elif name == "squiggle":
        c.setLineWidth(1.0)
        path = c.beginPath()
        for i in range(60):
            px, py = x + 2 + i * wide * 0.0135, y + 6 + 4.5 * math.sin(i * 0.62)
            (path.moveTo if i == 0 else path.lineTo)(px, py)
        c.drawPath(path, stroke=1, fill=0)
    else:
        c.setFillColor(black)
        for _ in range(34):
            c.circle(x + 3 + rng.uniform(0, wide * 0.78), y + rng.uniform(0, 12), 0.75, stroke=0, fill=1)
    c.restoreState()
