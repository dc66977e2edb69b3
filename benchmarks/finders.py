"""How rightly an eye's parts are found on rendered animals, in all coats and under many lights, and how its catchlight fares in a recipe.

``python -m benchmarks.finders [folder]`` renders four seeds of every coat (about ten minutes; kept in the folder when one is given). Nothing
was tuned on seeds 3 and 4.
"""

from __future__ import annotations

import sys
import tempfile
import time
from collections.abc import Iterator
from dataclasses import dataclass
from multiprocessing import Pool
from pathlib import Path

import cv2
import numpy as np

from demo_making.animals.engine import PART
from demo_making.animals.render import render
from hanabira.core.area.marking import Marking
from hanabira.core.area.measures import measure
from hanabira.core.area.shape import Region, cut
from hanabira.core.places.eyes import guessed_circle
from hanabira.core.places.find import find_places
from hanabira.core.places.hand_scale import Hand
from hanabira.core.places.place import Places, labels_at
from hanabira.core.solver.gamut import gamut
from hanabira.core.solver.place_plan import plan_places
from hanabira.craft.hand import hand_scale
from hanabira.craft.supplies import paper, parts_of, shipped_kit
from hanabira.craft.techniques import craft_of, rules_of

HAND = Hand(hand_scale(), 0.3)

COATS = ("harlequin", "ticked", "spotted", "brown", "ginger", "white", "black", "dapple")
SUNS = {"rabbit": (-0.72, 0.66, 0.22), "pony": (-0.62, 0.62, 0.48)}
YAWS = {"rabbit": 45, "pony": 26}
SEEDS, HELD_OUT = (1, 2, 3, 4), (3, 4)
REACHES = (1.1, 1.3, 1.6)
"""How far outside the eye a loop runs, in radii."""


@dataclass(frozen=True)
class Eye:
    """A rendered eye: picture, true parts, the eye's own pixels, its coat and seed."""

    pixels: np.ndarray
    part: np.ndarray
    mask: np.ndarray
    name: str
    seed: int

    @property
    def circle(self) -> tuple[float, float, float]:
        """Centre and radius in pixels."""
        ys, xs = np.nonzero(self.mask)
        return (xs.min() + xs.max()) / 2, (ys.min() + ys.max()) / 2, max(np.ptp(xs), np.ptp(ys)) / 2

    def loop(self, reach: float, rng: np.random.Generator) -> Region:
        """A loop drawn round it by hand, a little off."""
        x, y, radius = self.circle
        dx, dy = rng.uniform(-0.12, 0.12, 2) * radius
        turns = np.linspace(0, 2 * np.pi, 40, endpoint=False)
        return cut(self.pixels, [(x + dx + reach * radius * np.cos(t), y + dy + reach * radius * np.sin(t)) for t in turns])


def _job(job: tuple[str, str, int, Path]) -> None:
    kind, coat, seed, folder = job
    path = folder / f"{kind}-{coat}-{seed}.npz"
    if path.exists():
        return
    rng = np.random.default_rng(seed * 100 + COATS.index(coat))
    sun = tuple(np.array(SUNS[kind]) + rng.uniform(-0.3, 0.3, 3))
    pixels, truth = render(kind, coat, (1600, 1000), seed=seed, ss=1.0, sun=sun, yaw=YAWS[kind] + rng.uniform(-12, 12))
    eye = np.isin(truth["part"], [PART["iris"], PART["pupil"], PART["eye"]]).astype(np.uint8)
    _n, labels, stats, _c = cv2.connectedComponentsWithStats(cv2.morphologyEx(eye, cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8)))
    i = 1 + int(np.argmax(stats[1:, 4]))
    x, y, w, h, _area = stats[i]
    r = max(w, h)
    box = slice(max(0, y - 2 * r), y + h + 2 * r), slice(max(0, x - 2 * r), x + w + 2 * r)
    np.savez(path, pic=pixels[box], part=truth["part"][box], mask=(labels == i)[box])


def rendered(folder: Path) -> Iterator[Eye]:
    """All eyes, rendered where they are not there yet."""
    jobs = [("rabbit" if (seed + COATS.index(coat)) % 3 else "pony", coat, seed, folder) for seed in SEEDS for coat in COATS]
    with Pool(2) as pool:
        for _ in pool.imap_unordered(_job, jobs):
            pass
    for kind, coat, seed, _folder in jobs:
        with np.load(folder / f"{kind}-{coat}-{seed}.npz") as f:
            eye = Eye(f["pic"], f["part"], f["mask"], f"{kind}, {coat}", seed)
        if eye.circle[2] >= 8:
            yield eye


def _found(places: Places, eye: Eye, start: str) -> np.ndarray:
    numbers = [n for n, p in enumerate(places, 1) if p.id.startswith(start)]
    return np.isin(labels_at(places, eye.pixels.shape[:2], (0.0, 0.0), 1.0), numbers)


def main(folder: Path) -> None:
    """Print the figures."""
    plain = Marking(None, 0, None, None, None)
    rng = np.random.default_rng(4)
    kit, on = shipped_kit("pencils").usable, paper("hotpress")
    reach = gamut(kit, on)
    told: dict[str, list[tuple[float, ...]]] = {}
    lights, times = [], []
    for eye in rendered(folder):
        x, y, radius = eye.circle
        group = "held out" if eye.seed in HELD_OUT else "tuned on"
        for far in REACHES:
            region = eye.loop(far, rng)
            (cx, cy), r = guessed_circle(eye.pixels, region)
            t = time.perf_counter()
            places = find_places(eye.pixels, region, "eye", plain, HAND, parts=parts_of("eye"))
            times.append(time.perf_counter() - t)
            pupil, truth = _found(places, eye, "pupil"), eye.part == PART["pupil"]
            right = float(np.hypot(cx - x, cy - y) < 0.25 * radius and 0.75 < r / radius < 1.3)
            told.setdefault(f"{group}, without clicks", []).append(
                (right, float(places.get("catchlight") is not None), (pupil & truth).sum() / max(1, (pupil | truth).sum()))
            )
        clicks = ((x, y), (x + radius, y))
        region = eye.loop(1.3, rng)
        places = find_places(eye.pixels, region, "eye", plain, HAND, clicks, parts=parts_of("eye"))
        pupil, truth = _found(places, eye, "pupil"), eye.part == PART["pupil"]
        told.setdefault(f"{group}, clicked", []).append(
            (1.0, float(places.get("catchlight") is not None), (pupil & truth).sum() / max(1, (pupil | truth).sum()))
        )
        ring = [(float(a), float(b)) for a, b in ((x - 1.3 * radius, y - 1.3 * radius), (x + 1.3 * radius, y - 1.3 * radius), (x + 1.3 * radius, y + 1.3 * radius), (x - 1.3 * radius, y + 1.3 * radius))]  # fmt: skip
        m = measure(eye.pixels, ring, None, 0.1, hair=False, eye=clicks)
        craft = craft_of(m, "eye", kit.medium, "", "", (), 3)
        plan = plan_places(kit, on, places, craft, rules_of(m, craft, kit), reach=reach)
        if "catchlight" in plan.prediction.bands:
            lights.append((plan.prediction.band("catchlight").delta_e00, eye.name, eye.seed))
    for group, rows in told.items():
        v = np.array(rows)
        print(
            f"{group:<28} {len(v):>3} eyes   circle {100 * v[:, 0].mean():.0f} %   catchlight {100 * v[:, 1].mean():.0f} %   "
            f"pupil's overlap {np.median(v[:, 2]):.2f}"
        )
    de = np.array([q[0] for q in lights])
    print(f"{'places of an eye':<28} median {1000 * np.median(times):.0f} ms")
    print(
        f"{'catchlight in the recipe':<28} {len(de):>3} eyes   ΔE00 median {np.median(de):.1f}, most {de.max():.1f}; over 5: {int((de > 5).sum())}"
    )
    for d, name, seed in sorted(lights, reverse=True)[:5]:
        print(f"    {name}, seed {seed}: {d:.1f}")


if __name__ == "__main__":
    if len(sys.argv) > 1:
        Path(sys.argv[1]).mkdir(parents=True, exist_ok=True)
        main(Path(sys.argv[1]))
    else:
        with tempfile.TemporaryDirectory() as temporary:
            main(Path(temporary))
