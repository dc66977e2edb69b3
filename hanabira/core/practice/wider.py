"""Eye drills beyond single spots: a shape to draw round, hair to comb, a stack to guess, a fault to find, and the step that comes next."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from hanabira.core.area.hair import axial_difference, direction_field
from hanabira.core.area.shape import fill_ring
from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import Array, lab_to_bytes, lab_to_srgb, srgb_to_lab
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.practice.pairs import pairs_lab
from hanabira.core.practice.question import AskedPicture, AskedSpot, Question, key_of
from hanabira.core.schedule.order import LAST, RECIPE_ORDER, Ordered, Preferences, Step, order
from hanabira.core.schedule.work import AreaWork, LayerWork
from hanabira.core.sentences import say
from hanabira.core.study.shapes import value_labels

PLACES = 9
"""Places along each side of the picture from which a part is taken."""
WINDOWS = (0.55, 0.42, 0.3)
"""Sides of the part that is shown, as shares of the picture's: a smaller one where a dark ground cuts every shape of a larger one."""
LEAST_SHAPE, MOST_SHAPE = 0.03, 0.35
"""The darkest shape's share of that part."""
MOST_CUT = 0.12
"""A shape that the part's rim cuts along more than this share of it has no outline of its own there."""
SHAPE_RIGHT, SHAPE_HARDER = 0.55, 0.05
"""Overlap (intersection over union) from which a line counts as round the shape, and by how much a level asks for more."""
STROKES, COMB_DEG, COMB_HARDER = 3, 22.0, 3.0
"""Places to be combed, degrees a stroke may be off on average, and by how much a level asks for more."""
SURE_COHERENCE = 0.55
PENCILS, PAIR_DE, PAIR_HARDER = 9, 5.0, 0.8
"""Pencils to choose from, ΔE00 by which a pair may be worse than the best one, and by how much a level asks for more."""
RINGS, BUMP_L, BUMP_HARDER, BUMP_RADII = 5, 15.0, 2.4, 5.0
"""Places of which one was changed, by how many L*, by how much a level takes off, and how wide in spot radii."""
SHOWN = 0.8
"""Share of a planned change that must be left when the screen has clipped it, else another change is made."""
CHOICES = 3


def darkest_shape(picture: AskedPicture, rng: np.random.Generator, level: float) -> Question | None:
    """Draw round the darkest shape of a part of the picture; held against the value shapes of a squint."""
    h, w = picture.lab.shape[:2]
    places = [(int(k % PLACES), int(k // PLACES)) for k in rng.permutation(PLACES * PLACES)]
    for side, (column, row) in ((side, at) for side in WINDOWS for at in places):
        wide, high = int(side * w), int(side * h)
        x, y = column * (w - wide) // (PLACES - 1), row * (h - high) // (PLACES - 1)
        if (x, y, wide) not in picture.shapes:
            picture.shapes[x, y, wide] = _shape_in(picture.lab[y : y + high, x : x + wide])
        mask = picture.shapes[x, y, wide]
        if mask is None:
            continue
        share, (down, along) = float(mask.mean()), np.argwhere(mask).mean(0)
        middle: AskedSpot = (float((x + along) / w), float((y + down) / h))
        lab = np.median(picture.lab[y : y + high, x : x + wide][mask], 0)
        return Question(
            "darkest-shape", key_of(picture, "darkest-shape", (x / w, y / h)), say("practice.shape_ask"), "shape", (), lab[None], 0, level=level,
            why=say("practice.shape_why", share=100 * share), trick=say("practice.shape_trick"), part=(x / w, y / h, wide / w, high / h), extra=mask,
            shown=(middle,),
        )  # fmt: skip
    return None


def _shape_in(part: Array) -> np.ndarray | None:
    """The largest of the darkest shapes of a part, Lab (h, w, 3), as a mask (h, w); None where none stands whole in it or is of a fit size."""
    high, wide = part.shape[:2]
    labels = cv2.resize(value_labels(lab_to_bytes(part)), (wide, high), interpolation=cv2.INTER_NEAREST)
    n, parts, stats, _middles = cv2.connectedComponentsWithStats((labels == 0).astype(np.uint8))
    if n < 2:
        return None
    largest = 1 + int(stats[1:, cv2.CC_STAT_AREA].argmax())
    rim = np.concatenate([parts[0], parts[-1], parts[:, 0], parts[:, -1]])
    share = float(stats[largest, cv2.CC_STAT_AREA]) / (wide * high)
    fits = float((rim == largest).mean()) <= MOST_CUT and LEAST_SHAPE <= share <= MOST_SHAPE
    return parts == largest if fits else None


def overlap(mask: np.ndarray, ring: Sequence[AskedSpot]) -> float:
    """Intersection over union of a mask (h, w) bool and a ring in shares of its width and height."""
    h, w = mask.shape
    drawn = fill_ring(np.asarray(ring, float) * (w, h), h, w) if len(ring) > 2 else np.zeros_like(mask)
    either = int((drawn | mask).sum())
    return int((drawn & mask).sum()) / either if either else 0.0


def comb_it(picture: AskedPicture, rng: np.random.Generator, level: float) -> Question | None:
    """Comb three places: a stroke each along the hair, held against the measured direction."""
    lightness = picture.lab[..., 0].astype(np.float32)
    field = picture.hair or direction_field(lightness, np.ones(lightness.shape, bool))
    picture.hair = field
    wanted = SURE_COHERENCE - 0.06 * min(4.0, level)
    rows, columns = field.direction_deg.shape
    sure = field.sure & (field.coherence >= wanted)
    sure[[0, 1, -2, -1]] = False
    sure[:, [0, 1, -2, -1]] = False
    ys, xs = np.nonzero(sure)
    chosen: list[int] = []
    for k in rng.permutation(len(ys)):
        near = [np.hypot((xs[k] - xs[j]) / columns, (ys[k] - ys[j]) / rows) for j in chosen]
        around = field.direction_deg[ys[k] - 1 : ys[k] + 2, xs[k] - 1 : xs[k] + 2]
        if min(near, default=1.0) > 0.15 and float(axial_difference(around, field.direction_deg[ys[k], xs[k]]).max()) < 20:
            chosen.append(int(k))
        if len(chosen) == STROKES:
            break
    if len(chosen) < STROKES:
        return None
    h, w = lightness.shape
    spots = tuple(((xs[k] + 0.5) * field.step_px / w, (ys[k] + 0.5) * field.step_px / h) for k in chosen)
    truth = tuple(float(field.direction_deg[ys[k], xs[k]]) for k in chosen)
    labs = np.array([picture.lab[int(s[1] * h), int(s[0] * w)] for s in spots])
    return Question(
        "comb-it", key_of(picture, "comb-it", *spots), say("practice.comb_ask"), "strokes", spots, labs, truth, level=level, why=say("practice.comb_why"),
        trick=say("practice.comb_trick"),
    )  # fmt: skip


def stroke_errors(truth: Sequence[float], given: Sequence[float]) -> tuple[float, ...]:
    """How far each stroke is off, in degrees 0–90; hair has no sign here."""
    return tuple(float(axial_difference(np.float64(g), np.float64(t))) for g, t in zip(given, truth, strict=True))


def guess_stack(kit: Kit, paper: Paper, rng: np.random.Generator, level: float) -> Question | None:
    """Which two of nine pencils, one over the other, come to a colour?"""
    usable = [p.code for p in kit.usable]
    if len(usable) < PENCILS:
        return None
    codes = [str(c) for c in rng.choice(usable, PENCILS, replace=False)]
    under, over = np.repeat(codes, PENCILS), np.tile(codes, PENCILS)
    labs = pairs_lab(paper, kit, [str(c) for c in under], [str(c) for c in over]).reshape(PENCILS, PENCILS, 3)
    pairs = [(i, j) for i in range(PENCILS) for j in range(PENCILS) if i != j]
    i, j = pairs[int(rng.integers(len(pairs)))]
    off = np.asarray(delta_e00(labs, labs[i, j]))
    off[np.diag_indices(PENCILS)] = np.inf  # two different ones are asked for
    names = tuple(f"{c} {kit.get(c).name}" for c in codes)
    every = np.array([*(kit.get(c).lab for c in codes), labs[i, j]])
    return Question(
        "guess-stack", f"guess-stack {' '.join(codes)} {i}{j}", say("practice.stack_ask"), kind="pair", spots=(), labs=every, truth=(i, j),
        choices=names, level=level, why=say("practice.stack_why", first=names[i], then=names[j]), trick=say("practice.stack_trick"), extra=off,
    )  # fmt: skip


def find_fault(picture: AskedPicture, rng: np.random.Generator, level: float) -> Question | None:
    """Two pictures, one of them changed in one of five places: which?"""
    found = picture.spots(rng, 120)
    chosen: list[AskedSpot] = []
    for s in found:
        if all(np.hypot(s.at[0] - c[0], s.at[1] - c[1]) > 0.16 for c in chosen):
            chosen.append(s.at)
        if len(chosen) == RINGS:
            break
    if len(chosen) < RINGS:
        return None
    truth = int(rng.integers(RINGS))
    h, w = picture.lab.shape[:2]
    cx, cy = chosen[truth][0] * w, chosen[truth][1] * h
    size = BUMP_L - BUMP_HARDER * min(4.0, level)
    way, shift = _visible_change(picture.lab[int(cy), int(cx)], size, rng)
    sigma = BUMP_RADII * picture.radius / 2
    far = int(np.ceil(5 * sigma))  # beyond five deviations the change is less than a ten-thousandth of itself
    left, top = max(0, int(cx) - far), max(0, int(cy) - far)
    y, x = np.mgrid[top : min(h, int(cy) + far), left : min(w, int(cx) + far)]
    bump = np.exp(-0.5 * (np.hypot(x - cx, y - cy) / sigma) ** 2)
    changed = picture.lab.copy()
    changed[y, x] += bump[..., None] * shift
    labs = np.array([picture.lab[int(c[1] * h), int(c[0] * w)] for c in chosen])
    return Question(
        "find-fault", key_of(picture, f"find-fault {way} {truth}", *chosen), say("practice.fault_ask"), kind="choice", spots=tuple(chosen),
        labs=labs, truth=truth, choices=tuple(str(k + 1) for k in range(RINGS)), level=level,
        why=say(f"practice.fault_{way}", ring=truth + 1, size=size), trick=say("practice.fault_trick"), extra=changed,
    )  # fmt: skip


def _visible_change(lab: Array, size: float, rng: np.random.Generator) -> tuple[str, Array]:
    """A change of a colour by ``size`` L* or nine tenths of it in a*, one that a screen can show: (word, ΔLab).

    Near white and near black most of a change of hue lies outside what a screen shows, and lightness can go one way only. A lighter black and
    a darker white are always to be had.
    """
    ways = {"lighter": np.array([size, 0.0, 0.0]), "darker": np.array([-size, 0.0, 0.0]), "greener": np.array([0.0, -0.9 * size, 0.0])}
    shown: dict[str, float] = {}
    for way in rng.permutation(list(ways)):
        on_screen = srgb_to_lab(np.clip(lab_to_srgb(np.array([lab, lab + ways[way]])), 0, 1))
        shown[str(way)] = float((on_screen[1] - on_screen[0]) @ ways[way] / (ways[way] @ ways[way]))
        if shown[str(way)] >= SHOWN:
            break
    best = max(shown, key=lambda way: shown[way])
    return best, ways[best]


def what_next(ordered: Ordered, rng: np.random.Generator, level: float) -> Question | None:
    """A portrait stands half done: which of three steps comes next, and which rule decides it?"""
    steps = [s for s in ordered.steps if s.key != LAST and s.lays]
    if len(steps) < 6:
        return None
    # where nothing but the recipe decides there is no rule to know
    ruled = {s.key for s in steps if ordered.reasons[s.key] != RECIPE_ORDER}
    for _ in range(60):
        at = int(rng.integers(2, len(steps) - 2))
        done, names_done = {s.key for s in steps[:at]}, {s.name for s in steps[:at]}
        if steps[at].key not in ruled or steps[at].name in names_done:
            continue
        blocked = [s for s in steps[at + 1 :] if s.key in ruled and any(k not in done for k in ordered.after.get(s.key, ()))]
        other = [s for s in blocked if s.area is not steps[at].area and s.name not in names_done]
        # the nearer they stand to their turn, the harder they are to tell from the right one
        pool = other[: max(CHOICES, round(len(other) * (1 - 0.2 * min(4.0, level))))]
        if len({s.name for s in pool}) < CHOICES - 1:
            continue
        wrong: list[Step] = []
        for k in rng.permutation(len(pool)):
            if pool[int(k)].name not in {steps[at].name, *(s.name for s in wrong)}:
                wrong.append(pool[int(k)])
            if len(wrong) == CHOICES - 1:
                break
        if len(wrong) < CHOICES - 1:
            continue
        options = [steps[at], *wrong]
        mixed = [int(v) for v in rng.permutation(CHOICES)]
        names = tuple(options[k].name for k in mixed)
        before = ", ".join(s.name for s in steps[max(0, at - 3) : at])
        return Question(
            "what-next", f"what-next {steps[at].key} {'/'.join(sorted(s.key for s in wrong))}", say("practice.next_ask"), kind="choice", spots=(),
            labs=np.zeros((0, 3)), truth=mixed.index(0), choices=names, level=level,
            why=say("practice.next_why", step=steps[at].name, why=ordered.reasons[steps[at].key]), trick=say("practice.next_trick"),
            words=(say("practice.next_done", steps=before), *(f"{k} {n}" for k, n in enumerate(names, 1))),
            notes=tuple(ordered.reasons[options[k].key] for k in mixed),
        )  # fmt: skip
    return None


def example_portrait() -> Ordered:
    """The order of an invented head, where no commission is planned yet: what the rules say of it is true of any."""
    coat = (
        LayerWork("ground", "1"),
        LayerWork("general", "2"),
        LayerWork("deepen", "3"),
        LayerWork("gap", "4"),
        LayerWork("light hair", "5"),
    )
    eye = (LayerWork("undertone", "2"), LayerWork("general", "3"), LayerWork("deepen", "4"), LayerWork("highlight", "5"))
    nose = (LayerWork("outline", "3"), LayerWork("general", "4"), LayerWork("highlight", "5"))
    areas = (
        ("Left eye", "eye", (40.0, 50.0), ("c", "b"), eye), ("Right eye", "eye", (90.0, 50.0), ("c", "b"), eye),
        ("Cheek", "short-fur", (60.0, 80.0), ("a", "b", "d", "e"), coat), ("Nose", "nose", (65.0, 105.0), ("c",), nose),
        ("Forehead", "short-fur", (65.0, 25.0), ("a", "b", "c"), coat), ("Whiskers", "whisker", (70.0, 115.0), ("c",), (LayerWork("whisker", "5"),)),
    )  # fmt: skip
    ids = "abcdef"
    work = [AreaWork(
        ids[n], n + 1, name, surface_id=surface, mm2=700.0, middle=at, neighbours=near, finish=3, layers=layers,
    ) for n, (name, surface, at, near, layers) in enumerate(areas)]
    return order(work, Preferences())


def wider_right(q: Question, given: Sequence[object]) -> bool:
    """Whether an answer to one of these counts as right: a pair nearly as near as the best, a line round the shape, strokes along the hair."""
    level = min(4.0, q.level)
    return {
        "pair": lambda s: s <= PAIR_DE - PAIR_HARDER * level,
        "shape": lambda s: s >= SHAPE_RIGHT + SHAPE_HARDER * level,
        "strokes": lambda s: s <= COMB_DEG - COMB_HARDER * level,
    }[q.kind](score(q, given))


def score(q: Question, given: Sequence[object]) -> float:
    """What an answer is measured by: ΔE00 of a pair (given the answer's two numbers), overlap of a line (0–1), mean error of strokes in degrees."""
    if q.kind == "pair":
        assert q.extra is not None
        i, j = (int(v) for v in given)  # type: ignore[call-overload]
        return float(q.extra[i, j])
    if q.kind == "shape":
        assert q.extra is not None
        return overlap(q.extra, given)  # type: ignore[arg-type]
    return float(np.mean(stroke_errors(q.truth, given)))  # type: ignore[arg-type]


def explained(q: Question, given: Sequence[object]) -> str:
    """What was right, with what was given beside it."""
    s = score(q, given)
    if q.kind == "pair":
        i, j = (int(v) for v in given)  # type: ignore[call-overload]
        yours = say("practice.stack_yours", first=q.choices[i], then=q.choices[j], off=min(s, 99.0))
    else:
        yours = say("practice.shape_yours", share=100 * s) if q.kind == "shape" else say("practice.comb_yours", deg=s)
    return f"{q.why} {yours}"
