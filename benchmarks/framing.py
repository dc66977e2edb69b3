"""How much of the animal lies on the sheet when a photo comes in: by the guess of where it is, and by the middle of the photo.

``python -m benchmarks.framing`` tells it for the demo's drawn animals. ``--labels FILE --photos FOLDER`` adds photographs with outlines of
one's own: a JSON with a list of pictures, each with ``file`` and ``outline`` (x, y … in pixels). None ship with the application.
"""

from __future__ import annotations

import argparse
import json
from pathlib import Path

import cv2
import numpy as np

from demo_making.truth import demo_truth
from hanabira.core.area.shape import fill_ring
from hanabira.core.study.framing import SheetShape, proposed, seems, sheet_shapes
from hanabira.demo.pictures import PHOTOS
from hanabira.studio.pictures import read_picture
from hanabira.studio.records import cover_crop

SHEETS, BORDER = ((240.0, 300.0), (300.0, 240.0)), 10.0
WHOLE = 0.98


def drawn() -> list[tuple[str, np.ndarray, np.ndarray]]:
    """The demo's animals: name, pixels, where the animal is."""
    out = []
    for kind in PHOTOS:
        pixels = read_picture(PHOTOS[kind], 1000).pixels
        part = (demo_truth(kind).part > 0).astype(np.uint8)
        out.append((kind, pixels, cv2.resize(part, pixels.shape[1::-1], interpolation=cv2.INTER_NEAREST) > 0))
    return out


def photographed(labels: Path, folder: Path) -> list[tuple[str, np.ndarray, np.ndarray]]:
    """Photographs with an outline drawn by hand."""
    found = next(v for v in json.loads(labels.read_text()).values() if isinstance(v, list) and v and isinstance(v[0], dict) and "file" in v[0])
    out = []
    for q in found:
        if q.get("outline_from", "hand") == "hand" and q.get("outline"):
            pixels = read_picture(folder / q["file"]).pixels
            ring = np.asarray(q["outline"], float).reshape(-1, 2)
            out.append((q["file"], pixels, fill_ring(ring, *pixels.shape[:2]).astype(bool)))
    return out


def kept(animal: np.ndarray, crop: tuple[float, float, float, float]) -> float:
    """Share of the animal that a crop shows."""
    x, y, w, h = (round(v) for v in crop)
    return float(animal[y : y + h, x : x + w].sum() / animal.sum())


def tell(what: str, cases: list[tuple[str, np.ndarray, np.ndarray]]) -> None:
    """Print the figures of some pictures."""
    middle, ours, unsaid = [], [], 0
    for _name, pixels, animal in cases:
        size, box = pixels.shape[1::-1], seems(pixels)
        for sheet in SHEETS:
            shape: SheetShape = proposed(sheet_shapes(size, sheet, BORDER, box))
            middle.append(kept(animal, cover_crop(*size, (sheet[0] - 2 * BORDER) / (sheet[1] - 2 * BORDER))))
            ours.append(kept(animal, shape.crop))
            unsaid += ours[-1] < WHOLE and shape.whole
    print(f"{what}: {len(cases)} pictures on an upright and a wide sheet")
    for name, found in (("by the middle", middle), ("by the guess, turned where it helps", ours)):
        print(f"  {name}: whole {sum(v >= WHOLE for v in found)} of {len(found)}, median {np.median(found):.2f}, worst {min(found):.2f}")
    print(f"  cut though it seemed whole: {unsaid} of {len(ours)} (what lies off the sheet is said all the same)")


def main() -> None:
    """Print the figures."""
    p = argparse.ArgumentParser(description=__doc__.split("\n")[0] if __doc__ else "")
    p.add_argument("--labels", type=Path)
    p.add_argument("--photos", type=Path)
    args = p.parse_args()
    tell("drawn animals of the demo", drawn())
    if args.labels and args.photos:
        tell("photographs", photographed(args.labels, args.photos))


if __name__ == "__main__":
    main()
