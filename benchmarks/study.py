"""Looks, light and isolation: times at 24 megapixels and, on the demo's rendered animals, how much of the animal is found."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator

import cv2
import numpy as np

Row = Callable[[str, str, str], None]


def animals() -> Iterator[tuple[np.ndarray, np.ndarray]]:
    """The demo's photos, each with the true mask of the animal."""
    from benchmarks.areas import animal
    from demo_making.truth import demo_truth
    from hanabira.demo.pictures import PHOTOS
    from hanabira.studio.pictures import read_picture

    for kind in PHOTOS:
        photo = read_picture(PHOTOS[kind]).pixels
        mask = animal(kind, demo_truth(kind)).astype(np.uint8)
        yield photo, cv2.resize(mask, photo.shape[1::-1], interpolation=cv2.INTER_NEAREST)


def outlines(mask: np.ndarray) -> tuple[list[tuple[float, float]], list[tuple[float, float]]]:
    """A rough lasso, 6 % of the animal's size away from it, and the box round the animal."""
    from hanabira.core.area.shape import rectangle

    reach = round(0.06 * np.sqrt(mask.sum()))
    wide = cv2.dilate(mask, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1)))
    ring = max(cv2.findContours(wide, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)[0], key=cv2.contourArea)[:, 0]
    lasso = [(float(x), float(y)) for x, y in ring[:: max(1, len(ring) // 50)]]
    ys, xs = np.nonzero(mask)
    return lasso, list(rectangle(xs.min() - 10.0, ys.min() - 10.0, float(np.ptp(xs)) + 20, float(np.ptp(ys)) + 20))


def study(row: Row, median_ms: Callable[..., float]) -> None:
    """Print the rows of this table."""
    from hanabira.core.study.isolate import isolate
    from hanabira.core.study.looks import boost_hues
    from hanabira.core.study.neutral import apply_light
    from hanabira.core.study.preparation import Light
    from hanabira.core.study.shapes import value_shapes

    found: dict[str, list[tuple[float, float]]] = {"lasso": [], "box": []}
    for k, (picture, mask) in enumerate(animals()):
        if k == 0:
            big = cv2.resize(picture, (5480, 4384), interpolation=cv2.INTER_CUBIC)
            row("Strong hues of the preview", f"{median_ms(lambda p=picture: boost_hues(p[:1280, :1600]), 3):.0f} ms", "under 200 ms")
            row("Value shapes of 24 megapixels", f"{median_ms(lambda p=big: value_shapes(p), 3):.0f} ms", "under 500 ms")
            light = Light((0.9, 1.0, 1.2), 0.3)
            row("Neutral light of 24 megapixels", f"{median_ms(lambda p=big, q=light: apply_light(p, q), 3):.0f} ms", "under 1500 ms")
        for name, ring in zip(found, outlines(mask), strict=True):
            t = time.perf_counter()
            animal = isolate(picture, ring) > 0.5
            ms = (time.perf_counter() - t) * 1000
            found[name].append((float((animal & (mask > 0)).sum() / (animal | (mask > 0)).sum()), ms))
    for name, goal in (("lasso", 0.94), ("box", 0.95)):
        iou, ms = np.array(found[name]).T
        row(f"Isolate from a {name}, IoU median and least", f"{np.median(iou):.2f}, {iou.min():.2f}", f"{goal}")
        row(f"  time, median of {len(ms)} photos", f"{np.median(ms):.0f} ms", "under 1200 ms")
