"""What the photo's readings are worth on fresh drawn material: ``python -m benchmarks.readings [seed]`` (about two minutes).

Nothing was tuned on these pictures; the trained readings come from other renderers altogether. No real photograph is among them.
"""

from __future__ import annotations

import sys
import time

import cv2
import numpy as np

from hanabira.core.area.clipping import clipped, photo_levels
from hanabira.core.area.coat_class import coat_shares
from hanabira.core.area.dapples import find_dapples
from hanabira.core.area.eye_shine import reflections
from hanabira.core.area.hair_gate import judge
from hanabira.core.area.hidden import hidden_hues
from hanabira.core.area.measures import measure
from hanabira.core.area.nostrils import nostril_pair
from hanabira.core.area.shape import Region, rectangle
from hanabira.core.colour.spaces import bytes_to_lab, hue_deg, lab_to_srgb
from hanabira.core.study.cast import estimate_cast
from hanabira.craft.readers import cast_model, readers
from tests.core.test_cast import scene, shot
from tests.core.test_clipping import exposed
from tests.core.test_hidden import coat, developed, planted
from tests.core.test_places import IRISES, RADIUS, drawn_eye
from tests.core.test_readers import COATS, drawn_nose, lit
from tests.dappled import dappled, met
from tests.fur import fur

LIGHTS = {
    "lamp": (1.55, 1.0, 0.5), "weak lamp": (1.3, 1.0, 0.68), "low sun": (1.22, 1.0, 0.78), "shade": (0.8, 1.0, 1.45), "deep shade": (0.72, 1.0, 1.7),
    "leaves": (0.85, 1.0, 0.75), "tube": (0.9, 1.0, 0.82), "violet": (1.1, 1.0, 1.15), "neutral": (1.0, 1.0, 1.0), "nearly neutral": (1.05, 1.0, 0.95),
}  # fmt: skip


def told(name: str, figure: str) -> None:
    """One line of the table."""
    print(f"{name:<62} {figure}")


def main(seed: int) -> None:
    """Print the figures."""
    rng = np.random.default_rng(seed)
    _clipping(seed)
    _only_the_animal(rng)
    _hidden(rng)
    _coats(rng)
    _hair(rng)
    _eyes(rng)
    _noses(rng)
    _casts(rng)
    _dapples(seed)


def _clipping(seed: int) -> None:
    errors = []
    for n, quality in enumerate((60, 70, 80, 90, 95)):
        for stops in (0.0, 0.4, 0.8, 1.2, 1.6, 2.0):
            pixels, burnt, _ = exposed(stops, 255, quality, seed=seed + 10 * n + int(10 * stops))
            errors.append(abs(clipped(pixels, photo_levels(pixels))[0].any(2).mean() - burnt.any(2).mean()))
    told(
        "burnt out, error of the share (30 pictures): mean, 95 %",
        f"{100 * np.mean(errors):.1f}, {100 * np.percentile(errors, 95):.1f} points",
    )


def _only_the_animal(rng: np.random.Generator) -> None:
    off = {"with": [], "without": []}
    for _ in range(12):
        pixels = fur(300, 300, rng.uniform(0, 180), int(rng.integers(1e6)), ground=(rng.uniform(20, 60), 4, 10), contrast=7)
        edge = int(rng.integers(150, 220))
        animal = np.zeros((300, 300), np.float32)
        animal[:, : edge + int(rng.integers(-3, 4))] = 1  # the cut-out is off by a few pixels
        soft, true = cv2.GaussianBlur(animal, (0, 0), 2.0), np.zeros((300, 300), np.float32)
        true[:, :edge] = 1
        true = cv2.GaussianBlur(true, (0, 0), 1.5)[..., None]
        wall = np.array(rng.choice([30, 250])) * np.ones(3)
        photo = (pixels * true + wall * (1 - true)).astype(np.uint8)
        wanted = measure(pixels, rectangle(60, 60, edge - 66, 180), None, hair=False).values
        for key, coverage in (("with", (soft * 255).astype(np.uint8)), ("without", None)):
            got = measure(photo, rectangle(60, 60, 200, 180), None, hair=False, coverage=coverage).values
            off[key].append(max(abs(got.band_lab[b][0] - wanted.band_lab[b][0]) for b in ("gap", "general", "light", "highlight")))
    told(
        "a loop that leaves a cut-out: worst value off, L* median, most",
        f"{np.median(off['with']):.1f}, {max(off['with']):.1f} (before {np.median(off['without']):.0f})",
    )


def _hidden(rng: np.random.Generator) -> None:
    met: dict[tuple[int, float], list[bool]] = {}
    false = 0
    n = 24
    for k in range(n):
        base = coat(rng, k % 2 == 0)
        plain = developed(rng, base)
        false += any(q.where == "specks" for q in hidden_hues(bytes_to_lab(plain), plain, np.ones(plain.shape[:2], bool)).hues)
        own = np.median(base[..., 1:].reshape(-1, 2), 0)
        for strength, share in ((8, 0.01), (5, 0.03), (5, 0.1), (3, 0.1)):
            hue = rng.uniform(0, 360)
            pixels = developed(rng, planted(rng, base, strength, share, hue))
            found = hidden_hues(bytes_to_lab(pixels), pixels, np.ones(pixels.shape[:2], bool)).hues
            near = [
                abs((float(hue_deg(np.array([50, *(q.lab[1:] - own)]))) - hue + 180) % 360 - 180) <= 50
                for q in found
                if q.where == "specks"
            ]
            met.setdefault((strength, share), []).append(any(near))
    words = ", ".join(f"ΔC {s} at {100 * q:.0f} %: {100 * np.mean(v):.0f} %" for (s, q), v in met.items())
    told(f"hidden hues in {n} black and white coats", f"{words}; false in plain ones {false}")


def _coats(rng: np.random.Generator) -> None:
    first = two = total = 0
    for name, ground in COATS.items():
        for _ in range(8):
            jitter = np.array(ground, float) + rng.normal(0, (2, 1.2, 1.5))
            stops = rng.uniform(-0.6, 0.1 if name in ("white", "cream") else 0.5)
            cast = np.exp(rng.normal(0, 0.04, 3))
            pixels = lit(
                fur(140, 140, rng.uniform(0, 180), int(rng.integers(1e6)), ground=tuple(jitter), contrast=rng.uniform(4, 9)),
                stops,
                tuple(cast),
            )
            names = list(coat_shares(readers().coats, pixels, np.ones((140, 140), bool)))
            first, two, total = first + (names[0] == name), two + (name in names[:2]), total + 1
    told(f"coat of {total} patches under other exposures: first, in two", f"{100 * first / total:.0f} %, {100 * two / total:.0f} %")


def _hair(rng: np.random.Generator) -> None:
    gate = readers().gate
    claims = lambda p: judge(gate, bytes_to_lab(p)[..., 0], np.ones(p.shape[:2], bool)).claimed  # noqa: E731
    furs = [
        claims(lit(fur(150, 150, rng.uniform(0, 180), int(rng.integers(1e6)), contrast=rng.uniform(7, 16)), rng.uniform(-0.9, 0.6)))
        for _ in range(30)
    ]
    eyes = [claims(drawn_eye(iris, int(rng.integers(1e6)))[0][50:250, 50:250]) for iris in IRISES.values() for _ in range(3)]
    noses = [claims(drawn_nose(int(rng.integers(1e6)), rng.uniform(-18, 18))[0]) for _ in range(15)]
    told("hair claimed: clear furs, eyes, noses", f"{sum(furs)} of {len(furs)}, {sum(eyes)} of {len(eyes)}, {sum(noses)} of {len(noses)}")


def _eyes(rng: np.random.Generator) -> None:
    shine = flashes = false = sky = skies = blue = blues = 0
    for iris in IRISES.values():
        for _ in range(4):
            pixels, truth, centre = drawn_eye(iris, int(rng.integers(1e6)))
            plain = reflections(pixels, centre, RADIUS)
            false += plain.shine
            if iris == IRISES["blue"]:
                blue, blues = blue + plain.blue, blues + 1
            if iris[0] < 35:
                lab = bytes_to_lab(pixels).astype(np.float32)
                up = np.clip((centre[1] - np.mgrid[0:300, 0:300][0]) / RADIUS * 1.6, 0, 1) * rng.uniform(0.35, 0.6)
                inside = truth["iris"] | truth["pupil"]
                lab = np.where(inside[..., None], lab * (1 - up[..., None]) + np.array([62.0, -6, -24]) * up[..., None], lab)
                mirrored = (np.clip(lab_to_srgb(lab), 0, 1) * 255).astype(np.uint8)
                sky, skies = sky + reflections(mirrored, centre, RADIUS).sky, skies + 1
                flash = pixels.copy()
                flash[truth["pupil"]] = rng.uniform(0.7, 1.0) * np.array(
                    [(190, 225, 120), (225, 190, 160), (205, 215, 215)][int(rng.integers(3))]
                )
                shine, flashes = shine + reflections(cv2.GaussianBlur(flash, (0, 0), 1.0), centre, RADIUS).shine, flashes + 1
    told(
        "flashes found, false in plain eyes; skies named, blue irises kept",
        f"{shine} of {flashes}, {false} of 24; {sky} of {skies}, {blue} of {blues}",
    )


def _noses(rng: np.random.Generator) -> None:
    given = right = 0
    for _ in range(40):
        pixels, mask, truth = drawn_nose(int(rng.integers(1e6)), rng.uniform(-18, 18))
        pair, _score = nostril_pair(pixels, mask)
        if pair is not None:
            given += 1
            right += bool(np.abs(np.array(pair) - truth).max() < 8)
    told("nostrils of 40 drawn noses: given, of these right", f"{given}, {right}")


def _casts(rng: np.random.Generator) -> None:
    words, t = [], time.perf_counter()
    for name, gain in LIGHTS.items():
        found = [estimate_cast(shot(scene(int(rng.integers(1e6))), gain, n), cast_model()) for n in range(8)]
        words.append(f"{name} {sum(f is not None and f.suspected for f in found)}")
    told("casts suspected, of 8 scenes each", ", ".join(words))
    told("  a picture", f"{1000 * (time.perf_counter() - t) / 80:.0f} ms with its drawing")


def _dapples(seed: int) -> None:
    here = right = false = every = found_in = 0
    for n in range(24):
        drawn = dappled(seed + 300 + n, lighter=n % 3 > 0)
        found = find_dapples(Region(drawn.pixels, np.ones(drawn.pixels.shape[:2], bool), 0, 0))
        every += len(drawn.middles)
        if found is not None:
            h, r, f = met(drawn, np.array([d.centre for d in found.found]), np.array([d.radius_px for d in found.found]))
            here, right, false, found_in = here + h, right + r, false + f, found_in + 1
    plain = 0
    for n in range(24):
        pixels = fur(260, 260, 15.0 * n, seed + 400 + n, length=12 + n)
        plain += find_dapples(Region(pixels, np.ones(pixels.shape[:2], bool), 0, 0)) is not None
    told(
        "dapples: coats, rounds met, within × 1.5, false; plain coats",
        f"{found_in} of 24; {here / every:.0%}, {right / every:.0%}, {false / every:.0%}; {plain} of 24",
    )


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 2026)
