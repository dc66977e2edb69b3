"""What Check is worth on photos that nothing was tuned on: ``python -m benchmarks.checks [seed]`` (about eight minutes).

The demo's three animals, laid by the simulated paper in three kinds, photographed by cameras with lenses, lamps and tone curves of their own:
the curves here are none of the camera's. Two hands draw: the first copies the photo's forms, the second lays strokes of its own and never sees the photo. Stacks are tried on scrap as the demo's are, or known from a kit as it ships. No real photograph is among them.
"""

from __future__ import annotations

import sys
import time
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from demo_making.solve import found_again
from hanabira.core.area.outline import Outline
from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import Array, parse_hex, srgb_to_lab
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.stack import bare, seen_as
from hanabira.core.places.place import Places
from hanabira.core.progress.check import Checked, Expectation, check_photo
from hanabira.core.progress.cure import after, bounds
from hanabira.core.progress.expected import AreaStack, expected, signature
from hanabira.core.progress.find import Refused, find_sheet
from hanabira.core.progress.on_sheet import OnSheet, TracedArea, on_sheet
from hanabira.core.progress.reading import core_of
from hanabira.core.progress.strip import find_strip, patches
from hanabira.core.solver.gamut import gamut
from hanabira.core.solver.layer import Layer, goes_over
from hanabira.core.solver.place_plan import place_targets
from hanabira.craft.supplies import paper, paper_for, shipped_kit
from hanabira.demo import history
from hanabira.demo.pictures import PHOTO, PHOTOS
from hanabira.demo.sitters import sitters
from hanabira.demo.studio import CROP, rabbit
from hanabira.devices.drawn_sheet import FAULTS, DrawnSheet, Planted, draw_sheet, draw_strip
from hanabira.devices.lens import BoardView, LensShot, Shooting, shoot, table
from hanabira.devices.simulated_paper import TRUTHS, SimulatedSheet
from hanabira.devices.stroke_hand import draw_by_strokes
from hanabira.studio.pictures import read_picture
from hanabira.studio.records import Area, Commission

GRID = 4.5
NAMES = {"big-eye": {"large"}, "nostrils": {"turned"}, "mechanical": {"mechanical", "combed"}}


@dataclass(frozen=True)
class Scene:
    """A sitter with its sheet at two scales."""

    commission: Commission
    kit: Kit
    on: Paper
    fine: OnSheet
    coarse: OnSheet
    recipes: dict[str, tuple[Layer, ...]]
    places: dict[str, Places]
    targets: dict[str, dict[str, Array]]


def scenes() -> list[Scene]:
    """The demo's three sitters."""
    import datetime

    r = rabbit(datetime.date(2026, 1, 1))
    given: list[tuple[Commission, tuple, np.ndarray, Sequence[Area]]] = [(r.commission, CROP, read_picture(PHOTO).pixels, r.areas)]
    given += [(s.commission, s.crop, read_picture(PHOTOS[s.kind]).pixels, s.records("p")) for s in sitters(datetime.date(2026, 1, 1))]
    shipped, out = history.shipped(), []
    for c, crop, pixels, areas in given:
        kit = shipped_kit(c.kit_id)
        on = paper_for(kit, paper(c.paper_id), c.ground_hex)
        mm = c.picture_mm[0] / crop[2]
        found = {a.id: found_again(pixels, a, shipped[a.id][1], mm) for a in areas if a.id in shipped}
        traced = [
            TracedArea.of(a.id, a.number, a.name, a.surface_id, Outline(a.ring, a.smooth, a.holes), a.level, found[a.id])
            for a in areas
            if a.id in found
        ]
        sheets = [on_sheet(pixels, crop, (c.width_mm, c.height_mm), c.border_mm, traced, g) for g in (GRID, 3.0)]
        reach = gamut(kit.usable, on)
        goals = {k: dict(place_targets(reach, p, {})) for k, p in found.items()}
        out.append(Scene(c, kit, on, sheets[0], sheets[1], {k: shipped[k][0] for k in found}, found, goals))
    return out


def strange(photo: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """A tone curve that is none of the camera's and none of the prior's, a little another one in each channel."""
    e = photo.astype(np.float32) / 255
    a, b = rng.uniform(0.9, 1.25), rng.uniform(1.0, 1.35)
    out = np.stack([1 - (1 - e[..., c] ** (a * (1 + rng.normal(0, 0.015)))) ** b for c in range(3)], -1)
    out = 0.015 + 0.96 * out
    coded = cv2.imencode(".jpg", (out[..., ::-1] * 255 + 0.5).astype(np.uint8), [cv2.IMWRITE_JPEG_QUALITY, 90])[1]
    return np.ascontiguousarray(cv2.imdecode(coded, cv2.IMREAD_COLOR)[..., ::-1])


def ground_of(s: Scene) -> Array:
    """The sheet's colour."""
    return np.asarray(srgb_to_lab(parse_hex(s.commission.ground_hex)))


def plan_of(s: Scene, laid: dict[str, tuple[Layer, ...]], truth: int, seed: int, scrap: bool) -> Expectation:
    """What a photo is held against."""
    rng, sim = np.random.default_rng([seed, 8]), SimulatedSheet(s.kit, TRUTHS[truth], tuple(ground_of(s)))
    stacks = []
    for a in s.coarse.areas:
        chips: dict[tuple[str, str], Array] = {}
        if scrap:
            for layers in (laid[a.id], s.recipes[a.id]):
                for p in a.drawn.photo:
                    stack = [q.as_pass for q in layers if (q.code or q.tool) and goes_over(q, p)]
                    chips.setdefault((p, signature(layers, p)), np.asarray(sim.lay(stack, "white", rng)) + rng.normal(0, [1.2, 0.8, 0.8]))
        stacks.append(expected(AreaStack(a.id, s.recipes[a.id], laid[a.id], frozenset(), s.targets[a.id], chips), s.on, s.kit))
    return Expectation(s.coarse, tuple(stacks), s.on, np.asarray(bare(s.on).lab), s.kit, patches(s.kit, s.on))


@dataclass(frozen=True)
class Taken:
    """A photo with everything that is true of it."""

    scene: Scene
    laid: dict[str, tuple[Layer, ...]]
    truth: int
    seed: int
    sheet: DrawnSheet
    table: BoardView
    shot: LensShot
    photo: np.ndarray
    faults: tuple[Planted, ...]


def take(
    s: Scene, seed: int, faults: tuple[Planted, ...] = (), half: bool = False, strip: bool = True, own_curve: bool = True, by: str = "first", **how: object
) -> Taken:
    """Draw and photograph a sheet, ``by`` the first hand, which copies the photo's forms, or the second, which draws by strokes and never sees the photo."""
    rng, truth = np.random.default_rng([seed, 3]), seed % 3
    kept = {f.number for f in faults}
    laid = {}
    for a in s.fine.areas:
        n = len(s.recipes[a.id])
        laid[a.id] = s.recipes[a.id][: n if not half or a.number in kept else int(rng.choice([0, n // 2, n], p=[0.2, 0.3, 0.5]))]
    draw = draw_sheet if by == "first" else draw_by_strokes
    sheet = draw(s.fine, laid, s.kit, ground_of(s), TRUTHS[truth], seed, faults)
    way = Shooting.drawn(seed, **{"curve": "none", "exposure": 0.8, **how} if own_curve else how)
    lies = table(sheet, draw_strip(s.kit, TRUTHS[truth], GRID, seed) if strip else None, way.board, seed)
    shot = shoot(lies, way)
    return Taken(s, laid, truth, seed, sheet, lies, shot, strange(shot.photo, rng) if own_curve else shot.photo, faults)


def main(seed: int) -> None:
    """Print the figures."""
    all_ = scenes()
    _sheets(all_, seed)
    correct = [take(all_[n % 3], seed + n, half=n % 2 == 0, hand=0.25 if n % 6 == 5 else 0.0) for n in range(12)]
    _colours(correct)
    _by_hand(all_, seed, "first", correct, 28)
    _by_hand(all_, seed, "second", [take(all_[n % 3], seed + n, half=n % 2 == 0, by="second") for n in range(12)], 27)
    _refusals(all_[1], seed)
    _cures(all_, seed)
    _speed(all_[0], seed)


def _by_hand(all_: list[Scene], seed: int, by: str, correct: list[Taken], count: int) -> None:
    """Planted faults and false alarms of one drawing hand."""
    rng = np.random.default_rng(seed)
    faulty = []
    for n in range(count):
        s, kind = all_[n % 3], FAULTS[n % len(FAULTS)]
        fits = {
            "big-eye": ("eye",), "nostrils": ("nose", "beak-and-cere"), "mechanical": ("short-fur", "long-fur", "mane-and-tail", "contour-feathers", "fluffy-down"),
        }.get(kind)  # fmt: skip
        numbers = [a.number for a in s.fine.areas if fits is None or a.surface in fits]
        faulty.append(take(s, seed + 100 + n, (Planted(kind, int(rng.choice(numbers))),), half=n % 2 == 0, by=by))
    for name, scrap in (("stacks tried on scrap", True), ("a kit as it ships", False)):
        _faults(f"{by} hand, {name}", correct, faulty, scrap)


def told(name: str, figure: str) -> None:
    """One line of the table."""
    print(f"{name:<64} {figure}", flush=True)


def _error(t: Taken, to_photo) -> float:  # type: ignore[no-untyped-def]  # noqa: ANN001
    x0, y0, w, h = t.table.sheet
    g = np.stack(np.meshgrid(np.linspace(0.05, 0.95, 9) * w, np.linspace(0.05, 0.95, 9) * h), -1).reshape(-1, 2)
    p = to_photo(g).astype(np.float32)
    at = [cv2.remap(q.astype(np.float32), p[:, 0], p[:, 1], cv2.INTER_LINEAR).ravel() for q in (t.shot.x_mm, t.shot.y_mm)]
    return float(np.percentile(np.hypot(at[0] - x0 - g[:, 0], at[1] - y0 - g[:, 1]), 95))


def _sheets(all_: list[Scene], seed: int) -> None:
    found, errors = 0, []
    for n in range(18):
        s = all_[n % 3]
        t = take(
            s, seed + 300 + n, half=True, strip=n % 2 == 0, lens=float(np.random.default_rng(seed + n).uniform(-0.055, 0.055)), long_px=2000
        )
        try:
            m = find_sheet(t.photo, s.fine.size, None, find_strip(t.photo))
        except Refused:
            continue
        found += 1
        errors.append(_error(t, m.to_photo))
    told("whole sheets found (18); error inside, 95 %, median and worst", f"{found}; {np.median(errors):.2f} and {max(errors):.2f} mm")
    for name, scrap in (("stacks tried on scrap", True), ("a kit as it ships", False)):
        _cut_off(all_, seed, name, scrap)


def _cut_off(all_: list[Scene], seed: int, name: str, scrap: bool) -> None:
    """Sheets of which a fifth to two fifths of the photo's height or width is not in the frame; the strip is."""
    errors, refused = [], 0
    for n in range(9):
        rng = np.random.default_rng([seed + n, 5])
        t = take(all_[n % 3], seed + 330 + n, half=n % 2 == 0, board=str(rng.choice(["wood", "grey", "green"])))
        top = int(t.photo.shape[0] * rng.uniform(0.2, 0.4)) if n % 2 else 0
        left = int(t.photo.shape[1] * rng.uniform(0.05, 0.12)) if n % 3 == 0 else 0
        photo = np.ascontiguousarray(t.photo[top:, left:])
        try:
            found = check_photo(photo, plan_of(t.scene, t.laid, t.truth, t.seed, scrap)).map
        except Refused:
            refused += 1
            continue
        x0, y0, w, h = t.table.sheet
        g = np.stack(np.meshgrid(np.linspace(0.1, 0.9, 17) * w, np.linspace(0.1, 0.9, 17) * h), -1).reshape(-1, 2)
        p = found.to_photo(g)
        seen = (p >= 0).all(1) & (p < np.array(photo.shape[1::-1]) - 1).all(1)
        p, g = p[seen].astype(np.float32), g[seen]
        at = [cv2.remap(q[top:, left:].astype(np.float32), p[:, 0], p[:, 1], cv2.INTER_LINEAR).ravel() for q in (t.shot.x_mm, t.shot.y_mm)]
        errors.append(float(np.percentile(np.hypot(at[0] - x0 - g[:, 0], at[1] - y0 - g[:, 1]), 95)))
    told(
        f"sheets cut off, with strip (9), {name}: placed; error, 95 %, median and worst",
        f"{len(errors)}, {refused} refused; {np.median(errors):.2f} and {max(errors):.2f} mm" if errors else f"0, {refused} refused",
    )


def _colours(taken: list[Taken]) -> None:
    de, z, darks, refused = [], [], [], 0
    for t in taken:
        try:
            checked = check_photo(t.photo, plan_of(t.scene, t.laid, t.truth, t.seed, True))
        except Refused:
            refused += 1
            continue
        sheet = t.scene.coarse
        true = cv2.GaussianBlur(cv2.resize(t.sheet.lab, sheet.lab.shape[1::-1], interpolation=cv2.INTER_AREA), (0, 0), 1.5)
        for q in checked.places:
            a = next(a for a in sheet.areas if a.id == q.area_id)
            mask = core_of(a) & (a.drawn.labels == 1 + a.drawn.ids.index(q.place)) if a.drawn.labels is not None else core_of(a)
            if q.hidden or not mask.any():
                continue
            v = np.median(true[mask], 0)
            de.append(float(delta_e00(q.found, v)))
            z.append(abs(q.found[0] - v[0]) / q.sigma[0])
            darks += [q.found[0] - v[0]] if v[0] < 25 else []
    told("photos of correct sheets refused", f"{refused} of {len(taken)}")
    told("places with the strip, ΔE00 median and 95 %", f"{np.median(de):.2f} and {np.percentile(de, 95):.1f} ({len(de)} places)")
    told("L* of darks, bias and spread", f"{np.mean(darks):+.1f} ± {np.std(darks):.1f}")
    told("L* within two of its stated deviations", f"{np.mean(np.array(z) < 2):.0%}")


def _faults(name: str, correct: list[Taken], faulty: list[Taken], scrap: bool) -> None:
    hits, tries, alarms, calm = Counter(), Counter(), [], []  # type: Counter[str], Counter[str], list[int], list[int]
    for t in [*correct, *faulty]:
        for f in t.faults:  # one in a photo that is refused counts as not found
            tries[f.kind] += 1
        try:
            checked: Checked = check_photo(t.photo, plan_of(t.scene, t.laid, t.truth, t.seed, scrap))
        except Refused:
            continue
        number = {a.id: a.number for a in t.scene.coarse.areas}
        got = {(f.kind, number[f.area_id]) for f in checked.verdict.faults}
        meant = {f.number for f in t.faults}
        alarms.append(len({q for q in got if q[1] not in meant}))
        calm += [] if t.faults else alarms[-1:]
        for f in t.faults:
            hits[f.kind] += any((k, f.number) in got for k in NAMES.get(f.kind, {f.kind}))
    told(
        f"planted faults found, {name}",
        f"{sum(hits.values())} of {sum(tries.values())}: " + ", ".join(f"{k} {hits[k]}/{tries[k]}" for k in FAULTS),
    )
    told(f"false alarms a photo, {name}", f"{np.mean(alarms):.2f} (correct sheets alone {np.mean(calm):.2f})")


def _refusals(s: Scene, seed: int) -> None:
    t = take(s, seed + 500)
    plan = plan_of(s, t.laid, t.truth, t.seed, True)
    other = take(s, seed + 501, strip=False, board="dark", cut=0.25)
    bad = {
        "black frame": (np.full((1200, 1600, 3), 7, np.uint8), "dark"), "blurred": (cv2.GaussianBlur(t.photo, (0, 0), 5), "blurred"),
        "small": (cv2.resize(t.photo, None, fx=0.3, fy=0.3, interpolation=cv2.INTER_AREA), "small"), "half a sheet": (t.photo[: t.photo.shape[0] // 2], "no_sheet"),
        "cut off, no strip": (other.photo, "no_sheet"), "white frame": (np.full((1200, 1600, 3), 252, np.uint8), "burnt"),
        "mirrored": (np.ascontiguousarray(t.photo[:, ::-1]), "other"),
    }  # fmt: skip
    right = []
    for name, (photo, key) in bad.items():
        try:
            check_photo(np.ascontiguousarray(photo), plan)
            right.append(f"{name}: judged")
        except Refused as fault:
            right.append(f"{name}: {'as it should' if fault.key == key else fault.key}")
    told("refusals", "; ".join(right))


def _cures(all_: list[Scene], seed: int) -> None:
    """Faults laid physically: a pressure too light, a pencil too much; one correction, and a second one after a new look."""
    rng = np.random.default_rng(seed)
    model, nearer, two, tried = 0, 0, 0, 0
    for n in range(90):
        s = all_[n % 2]
        key = str(rng.choice(sorted(s.recipes)))
        place = str(rng.choice([p.id for p in s.places[key] if not p.reserved]))
        stack = [q for q in s.recipes[key] if q.code and not q.tool and goes_over(q, place)]
        if len(stack) < 2:
            continue
        sim = SimulatedSheet(s.kit, TRUTHS[n % 3], tuple(ground_of(s)))
        own = tuple({q.code for r in s.recipes.values() for q in r if q.code})

        def laid(layers: Sequence[Layer], hand: np.random.Generator | None = rng, sim: SimulatedSheet = sim) -> Array:
            return np.asarray(sim.lay([q.as_pass for q in layers], "white", hand))

        wanted = laid(stack, None)
        wrong = (
            [replace(q, pressure=max(1, q.pressure - 2)) for q in stack]
            if n % 3 == 0
            else [*stack, replace(stack[-1], code=str(rng.choice(sorted(own))), pressure=2)]
        )
        seen = laid(wrong)
        before = float(delta_e00(seen, wanted))
        if not 4 < before < 11:  # what a person would call a fault and not an unfinished area
            continue
        tried += 1
        start = seen_as(s.on, s.kit, [q.as_pass for q in stack], seen + rng.normal(0, [1.2, 0.8, 1.0]))
        steps = bounds(s.on, s.kit, start, wanted, 3, own) or ()
        model += float(delta_e00(after(start, s.kit, steps).lab, wanted)) < 3
        once = laid([*wrong, *steps])
        best = float(delta_e00(once, wanted))
        nearer += best < before
        if best >= 4:
            again = seen_as(s.on, s.kit, [q.as_pass for q in stack], once + rng.normal(0, [1.2, 0.8, 1.0]))
            best = min(best, float(delta_e00(laid([*wrong, *steps, *(bounds(s.on, s.kit, again, wanted, 3, own) or ())]), wanted)))
        two += best < 4
    told(
        "cures: in the model under 3 ΔE00; on simulated paper nearer; under 4 after two",
        f"{model}/{tried}; {nearer}/{tried}; {two}/{tried}",
    )


def _speed(s: Scene, seed: int) -> None:
    t = take(s, seed + 600, long_px=4000, half=True)
    plan = plan_of(s, t.laid, t.truth, t.seed, True)
    before = time.perf_counter()
    check_photo(t.photo, plan)
    told("a photo of 12 megapixels judged in", f"{time.perf_counter() - before:.1f} s ({t.photo.shape[1]} × {t.photo.shape[0]})")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 9000)
