"""The whole animal at the terminal: `hanabira areas`."""

from __future__ import annotations

import argparse
import time
from pathlib import Path
from typing import TYPE_CHECKING

from hanabira.core.faults import Fault
from hanabira.terminal.args import Add, numbers

if TYPE_CHECKING:
    from hanabira.core.area.shape import Point
    from hanabira.core.colour.spaces import Array

ANIMAL_MM = 220.0
"""Without --animal-mm the animal's longer side is taken to be this long on the paper."""


def areas(args: argparse.Namespace) -> dict:
    """Areas proposed over a whole animal, from a loop round it and a few places on its face."""
    import numpy as np

    from hanabira.core.area.outline import from_mask
    from hanabira.core.colour.spaces import lab_hex
    from hanabira.core.whole.proposal import Animal
    from hanabira.craft.patches import named_patches
    from hanabira.craft.supplies import surfaces
    from hanabira.studio.pictures import read_picture

    start = time.perf_counter()
    if args.surface not in surfaces():
        raise Fault(f"There is no surface “{args.surface}”.", do=f"Use one of {', '.join(surfaces())}.")
    if not 0 < args.animal_mm < 5000:
        raise Fault(f"--animal-mm {args.animal_mm:g} must be above 0 and below 5000.")
    picture = read_picture(Path(args.photo))
    coverage, source = _coverage(args, picture.pixels, picture.alpha)
    ys, xs = np.nonzero(coverage > 0.5)
    if not len(xs):
        raise Fault("No animal was found inside the loop.", do="Draw the loop round the animal, a little outside.")
    mm = args.animal_mm / max(float(np.ptp(xs)), float(np.ptp(ys)), 1.0)
    size = picture.pixels.shape[1], picture.pixels.shape[0]
    eyes, nose = eyes_of(args.eye, size), nose_of(args.nose, size)
    animal = Animal(picture.pixels, coverage, mm, eyes, nose, args.by == "form")
    found = animal.areas(args.count)
    patches = named_patches(found.areas, args.surface)
    outline = from_mask(coverage > 0.5, (0, 0), 0.004 * max(coverage.shape))[0].ring
    return {
        "photo": Path(args.photo).name,
        "provisional": True,
        "mm_per_px": round(mm, 4),
        "by": args.by,
        "animal": {"share": round(float((coverage > 0.5).mean()), 4), "outline": _rounded(outline), "from": source},
        "covered": round(found.covered, 4),
        "explained": round(found.explained, 3),
        "areas": [
            {
                "number": n, "name": p.name, "named": p.known, "surface": p.surface_id, "kind": p.shape.kind, "share": round(p.shape.share, 4),
                "hex": lab_hex(p.shape.lab), "twin": None if p.shape.twin is None else p.shape.twin + 1, "ring": _rounded(p.shape.ring),
                "holes": [_rounded(h) for h in p.shape.holes],
            }
            for n, p in enumerate(patches, 1)
        ],
        "notes": [_said(k) for k in found.notes],
        "seconds": round(time.perf_counter() - start, 1),
    }  # fmt: skip


def _coverage(args: argparse.Namespace, pixels: Array, alpha: Array | None) -> tuple[Array, str]:
    """How much of each pixel is animal, and how that is known: from a loop, or from the picture's own transparency."""
    import numpy as np

    from hanabira.core.study.isolate import isolate

    if args.loop:
        return isolate(pixels, list(corners_of(args.loop))), "loop"
    if alpha is not None:
        return np.asarray(alpha, np.float32) / 255, "transparency"
    raise Fault("Nobody showed where the animal is.", do="Give a loose loop round it: --loop 'X,Y;X,Y;…'.")


def corners_of(text: str) -> tuple[Point, ...]:
    """A loop's corners. Raises `Fault`."""
    corners = [numbers(q, 2, "a corner of the loop: X,Y in pixels") for q in text.split(";") if q.strip()]
    if len(corners) < 3:
        raise Fault("A loop has at least three corners.", do="Write it as X,Y;X,Y;X,Y …")
    return tuple((x, y) for x, y in corners)


def eyes_of(told: list[str] | None, size: tuple[int, int]) -> list[tuple[Point, float]]:
    """Eyes by middle and radius in a photo of ``size`` (w, h). Raises `Fault`."""
    out = []
    for text in told or ():
        x, y, r = numbers(text, 3, "an eye: X,Y,R in pixels")
        if r <= 0:
            raise Fault(f"“{text}” is no eye: its radius must be above 0.")
        out.append((_inside((x, y), size), r))
    return out


def nose_of(told: str | None, size: tuple[int, int]) -> Point | None:
    """A place on the nose, where one is given. Raises `Fault`."""
    if not told:
        return None
    x, y = numbers(told, 2, "a place on the nose: X,Y in pixels")
    return _inside((x, y), size)


def _inside(at: Point, size: tuple[int, int]) -> Point:
    w, h = size
    if not (0 <= at[0] < w and 0 <= at[1] < h):
        raise Fault(f"{at[0]:g},{at[1]:g} lies outside the photo, which has {w} × {h} pixels.")
    return at


def _rounded(ring: tuple[Point, ...]) -> list[list[float]]:
    return [[round(x, 1), round(y, 1)] for x, y in ring]


def _said(key: str) -> str:
    from hanabira.core.sentences import say

    return say(key)


def show(_command: str, data: dict) -> None:
    """The same answers as readable lines."""
    print(f"{len(data['areas'])} areas over {100 * data['covered']:.0f} % of the animal, a first proposal")
    for q in data["areas"]:
        twin = f"  twin of {q['twin']}" if q["twin"] else ""
        print(f"{q['number']:2} {q['name']:<24} {100 * q['share']:4.0f} %  {q['hex']}  {q['surface']}{twin}")
    for note in data["notes"]:
        print(note)


def add_animal(p: argparse.ArgumentParser) -> None:
    """What is shown of an animal, and how it is parted."""
    p.add_argument("photo")
    p.add_argument("--loop", metavar="X,Y;X,Y;…", help="a loose loop round the animal; a cut-out picture needs none")
    p.add_argument("--eye", action="append", metavar="X,Y,R", help="middle and radius of an eye; may be given twice")
    p.add_argument("--nose", metavar="X,Y", help="a place on the nose or beak")
    p.add_argument("--surface", default="short-fur", metavar="ID", help="what the coat is made of; it moves the hours most")
    p.add_argument("--by", choices=("colour", "form"), default="colour", help="form leaves a marking inside an area")
    p.add_argument("--count", type=int, choices=range(4, 19), metavar="4-18", help="areas besides eyes and nose; as many as it has when left out")


def add_commands(add: Add) -> None:
    """Declare the commands on the parser."""
    p = add("areas", areas, "Part a whole animal into areas, from a loop round it: a proposal.")
    add_animal(p)
    p.add_argument("--animal-mm", type=float, default=ANIMAL_MM, metavar="MM", help="the animal's longer side on the paper; else 220 mm")
