"""Error by measure, on fresh random textures whose truth is drawn and on the demo's rendered animals; milliseconds a megapixel."""

from __future__ import annotations

import time
from collections.abc import Callable

import cv2
import numpy as np

Row = Callable[[str, str, str], None]
SEED = int(time.time()) % 100_000
"""Fresh textures at every run; the seed is printed, so that a bad run can be repeated."""


def _whole(pixels):  # noqa: ANN001, ANN202
    from hanabira.core.area.shape import Region

    return Region(pixels, np.ones(pixels.shape[:2], bool), 0, 0)


def directions(row: Row) -> None:
    from demo_making.truth import demo_truth
    from hanabira.core.area.hair import axial_difference, direction_field, measure_hair
    from hanabira.core.colour.spaces import bytes_to_lab
    from hanabira.demo.pictures import PHOTOS
    from hanabira.studio.pictures import read_picture
    from tests.fur import fur, striped

    rng = np.random.default_rng(SEED)
    plain, across, ms = [], [], 0.0
    for k in range(24):
        true = float(rng.uniform(0, 180))
        pixels = fur(220, 260, true, SEED + k, float(rng.uniform(14, 34)), float(rng.uniform(2, 10)))
        for target, picture in ((plain, pixels), (across, striped(pixels, true + 90, float(rng.uniform(30, 60))))):
            t = time.perf_counter()
            hair, _ = measure_hair(bytes_to_lab(picture)[..., 0], np.ones(picture.shape[:2], bool))
            ms += time.perf_counter() - t
            if hair.direction_deg is not None:
                target.append(float(axial_difference(hair.direction_deg, true)))
    row("Direction on fresh fur: mean, 95 %", f"{np.mean(plain):.1f}°, {np.percentile(plain, 95):.1f}°", "3.5°, 10°")
    row(f"  across stripes: mean ({len(across)} of 24 claimed)", f"{np.mean(across):.1f}°", "4.5°")
    row("  time with length and spread, a megapixel", f"{1000 * ms / (48 * 220 * 260 / 1e6):.0f} ms", "")
    kept = []
    for _ in range(6):
        noise = np.clip(50 + rng.normal(0, 6, (240, 240)), 0, 100).astype(np.float32)
        kept.append(direction_field(noise, np.ones((240, 240), bool)).sure.mean())
    row("  cells kept in flat noise", f"{100 * np.mean(kept):.1f} %", "3 %")
    for kind in PHOTOS:
        truth, pixels = demo_truth(kind), read_picture(PHOTOS[kind]).pixels
        side = 40  # cells
        off, claimed, asked = [], 0, 0
        for _ in range(400):
            i, j = rng.integers(0, truth.part.shape[0] - side), rng.integers(0, truth.part.shape[1] - side)
            cells = truth.direction_deg[i : i + side, j : j + side]
            known = np.isfinite(cells)
            z = np.exp(2j * np.radians(cells[known])).mean() if known.mean() > 0.9 else 0
            if abs(z) < 0.85 or asked >= 24:
                continue
            asked += 1
            s = truth.step_px
            patch = pixels[i * s : (i + side) * s, j * s : (j + side) * s]
            hair, _ = measure_hair(bytes_to_lab(patch)[..., 0], np.ones(patch.shape[:2], bool))
            if hair.direction_deg is not None:
                claimed += 1
                off.append(float(axial_difference(hair.direction_deg, np.degrees(np.angle(z)) / 2 % 180)))
        words = f"{np.mean(off):.1f}°, {100 * np.mean(np.array(off) < 15):.0f} %" if off else "none"
        row(f"Direction on the {kind}: mean, within 15° ({claimed} of {asked} claimed)", words, "most")


def combing(row: Row) -> None:
    from hanabira.core.area.combing import comb
    from hanabira.core.area.hair import HairField
    from tests.core.test_anatomy import Combing

    rng, right, ms = np.random.default_rng(SEED), [], []
    for name, flow in Combing.FLOWS.items():
        for _ in range(6):
            y, x = np.mgrid[0:60, 0:80]
            true = flow(x, y) % 360
            field = HairField((true + rng.normal(0, 6, true.shape)) % 180, np.full(true.shape, 0.6), np.ones(true.shape, bool), 4.0)
            i, j = int(rng.integers(8, 52)), int(rng.integers(8, 72))
            if name in ("from one point", "whorl") and np.hypot(j - 40, i - 30) < 8:
                continue
            a = np.radians(true[i, j] + rng.uniform(-20, 20))
            root = np.array([4 * j + 2, 4 * i + 2.0])
            t = time.perf_counter()
            found = comb(field, [[tuple(root), tuple(root + 24 * np.array([np.cos(a), -np.sin(a)]))]], (0, 0))
            ms.append(1000 * (time.perf_counter() - t))
            right.append(float((np.cos(np.radians(found.direction_deg - true)) > 0).mean()))
    row("Root to tip from one arrow ±20°: cells right", f"{100 * np.mean(right):.1f} %", "99 %")
    row("  time for 4800 cells", f"{np.median(ms):.0f} ms", "")


def lengths(row: Row) -> None:
    from hanabira.core.area.hair import measure_hair
    from hanabira.core.colour.spaces import bytes_to_lab
    from tests.fur import fur

    rng, good = np.random.default_rng(SEED), []
    for k in range(24):
        length = float(rng.uniform(12, 44))
        pixels = fur(240, 280, float(rng.uniform(0, 180)), SEED + k, length, float(rng.uniform(2, 9)))
        hair, _ = measure_hair(bytes_to_lab(pixels)[..., 0], np.ones(pixels.shape[:2], bool))
        if hair.length_px:
            good.append(length / 1.5 <= hair.length_px <= length * 1.5)
    row("Visible run within × 1.5 of the drawn length", f"{100 * np.mean(good):.0f} %", "80 %")


def parts(row: Row) -> None:
    from hanabira.core.area.eye import measure_eye
    from hanabira.core.area.feathers import measure_feathers
    from hanabira.core.area.hair import measure_hair
    from hanabira.core.area.whiskers import measure_whiskers
    from hanabira.core.colour.spaces import bytes_to_lab
    from tests.core.test_anatomy import Noses, Whiskers, drawn_eye, scalloped

    rng = np.random.default_rng(SEED)
    centre, radius, pupil, form, claimed = [], [], [], [], []
    for k in range(24):
        name = ("round", "upright slit", "flat bar")[k % 3]
        iris = ((200, 140, 50), (110, 150, 190), (130, 160, 90), (92, 56, 30))[k % 4]
        pixels = drawn_eye(iris, name, (0.35, float(rng.uniform(60, 150))), seed=SEED + k)
        c = (130 + rng.uniform(-7, 7), 130 + rng.uniform(-7, 7))
        eye = measure_eye(pixels, c, (c[0] + rng.uniform(62, 78), c[1]))
        centre.append(np.hypot(eye.centre[0] - 130, eye.centre[1] - 130) / 70)
        radius.append(abs(eye.iris_px / 70 - 1))
        form.append(eye.pupil_form == name)
        if eye.pupil_px:
            pupil.append(abs(eye.pupil_px / (70 * {"round": 0.4, "upright slit": 0.339, "flat bar": 0.35}[name]) - 1))
        y, x = np.mgrid[0:150, 0:150]
        hair, _ = measure_hair(bytes_to_lab(pixels[55:205, 55:205])[..., 0], np.hypot(x - 75, y - 75) < 72)
        claimed.append(hair.direction_deg is not None)
    row(
        "Eye: middle, radius, pupil off (of the radius), form right",
        f"{100 * np.mean(centre):.1f} {100 * np.mean(radius):.1f} {100 * np.mean(pupil):.1f} %, {100 * np.mean(form):.0f} %",
        "",
    )
    row("  drawn eyes taken for hair", f"{100 * np.mean(claimed):.0f} %", "0 %")
    draw, noses = Noses(), []
    for _ in range(24):
        leather = (float(rng.uniform(15, 70)), float(rng.uniform(1, 22)), float(rng.uniform(2, 18)))
        pixels = draw.nose(leather, float(rng.uniform(-25, 25)), float(rng.uniform(4, 15)))
        noses.append(measure_hair(bytes_to_lab(pixels)[..., 0], np.ones(pixels.shape[:2], bool))[0].direction_deg is not None)
    row("  drawn noses taken for hair", f"{100 * np.mean(noses):.0f} %", "0 %")
    planter = Whiskers()
    off = [measure_whiskers(p := planter.planted(8, 45.0, 235.0, SEED + k), _whole(p)).count - 8 for k in range(5)]
    none = [measure_whiskers(p := planter.planted(0, 90.0, 0.0, SEED + k), _whole(p)).count for k in range(5)]
    row("Whiskers: 8 planted, mean difference; invented", f"{np.mean(np.abs(off)):.1f}, {np.mean(none):.1f}", "0, 0")
    good, seen = 0, 0
    for _ in range(8):
        spacing, axis = int(rng.integers(14, 34)), float(rng.uniform(0, 180))
        pixels = scalloped(spacing, axis, int(rng.integers(1 << 20)))
        _hair, field = measure_hair(bytes_to_lab(pixels)[..., 0], np.ones(pixels.shape[:2], bool))
        found = measure_feathers(_whole(pixels), field)
        if found.row_px is not None:
            seen += 1
            good += abs(found.row_px / spacing - 1) < 0.12 and abs((found.shaft_deg - axis + 90) % 180 - 90) < 10
    row("Rows of feathers: found of 8, right of those", f"{seen}, {good}", "")


def markings(row: Row) -> None:
    from hanabira.core.area.marking import measure_marking
    from hanabira.core.area.pattern import find_pattern
    from hanabira.craft.markings import marking_model
    from tests.core.test_anatomy import Markings
    from tests.fur import fur, striped

    rng, model = np.random.default_rng(SEED), marking_model()
    first, two, stripes, spots, ms = [], [], [], [], []
    for k in range(20):
        angle = float(rng.uniform(0, 180))
        base = fur(240, 280, angle, SEED + k, ground=(55, 10, 24))
        if k % 3 == 0:
            true, pixels = "plain", base
        elif k % 3 == 1:
            true, lie, period = "stripes", float(rng.uniform(0, 180)), float(rng.uniform(34, 60))
            pixels = striped(base, lie, period, 0.3)
            y, x = np.mgrid[0:240, 0:280]
            mark = np.sin((x * np.sin(np.radians(lie)) + y * np.cos(np.radians(lie))) / period * 2 * np.pi) > 0
        else:
            true = "spots"
            pixels, mark, _ = Markings().spotted(SEED + k)
        t = time.perf_counter()
        told = measure_marking(model, pixels, np.ones(pixels.shape[:2], bool))
        if true != "plain":
            found = find_pattern(_whole(pixels))
            mask = np.zeros(mark.shape, bool)
            for o in found.outlines if found else ():
                mask |= o.mask((0, 0, mark.shape[1], mark.shape[0]))
            iou = max((mask & mark).sum() / (mask | mark).sum(), (~mask & mark).sum() / (~mask | mark).sum())
            (stripes if true == "stripes" else spots).append(iou)
        ms.append(1000 * (time.perf_counter() - t))
        first.append(told.kind == true)
        two.append(true in (told.kind, told.second))
    row(
        "Marking class on fresh textures: first, in the first two",
        f"{100 * np.mean(first):.0f} %, {100 * np.mean(two):.0f} %",
        "75 %, 90 %",
    )
    row("  outline IoU: stripes, spots (median)", f"{np.median(stripes):.2f}, {np.median(spots):.2f}", "0.90")
    row("  time an area, class and outline", f"{np.median(ms):.0f} ms", "500 ms")


def light(row: Row) -> None:
    from demo_making.truth import demo_truth
    from hanabira.core.study.sun import between, estimate_sun
    from hanabira.demo.pictures import PHOTOS
    from hanabira.studio.pictures import read_picture

    for kind in PHOTOS:
        truth, pixels = demo_truth(kind), read_picture(PHOTOS[kind]).pixels
        alpha = cv2.resize(animal(kind, truth).astype(np.float32), pixels.shape[1::-1], interpolation=cv2.INTER_NEAREST)
        sun = estimate_sun(pixels, alpha)
        row(
            f"Light on the {kind}: off, given or left open",
            f"{between(sun.direction_deg, truth.light_deg):.0f}°, {'given' if sun.clear else 'open'}",
            "40° if given",
        )


def animal(kind: str, truth) -> np.ndarray:  # noqa: ANN001
    """True mask of the animal in cells; a bird's perch is no part of it."""
    return (truth.part > 0) & ~((truth.part == 10) & (kind in ("owl", "jackdaw")))


def areas(row: Row) -> None:
    """Print the rows of this table."""
    row("Seed of the fresh textures", str(SEED), "")
    for table in (directions, combing, lengths, parts, markings, light):
        table(row)
