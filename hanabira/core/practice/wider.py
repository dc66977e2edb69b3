"""Eye drills beyond single spots: a shape to draw round, hair to comb, a stack to guess, a fault to find, and the step that comes next."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from hanabira.core.area.hair import axial_difference, direction_field
from hanabira.core.area.shape import fill_ring
from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import lab_to_bytes
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.stack import predict
from hanabira.core.practice.question import Picture, Question, Spot, key_of
from hanabira.core.schedule.order import LAST, RECIPE_ORDER, Ordered, Preferences, Step, order
from hanabira.core.schedule.work import AreaWork, LayerWork
from hanabira.core.sentences import say
from hanabira.core.study.shapes import value_labels

WINDOW, LEAST_SHAPE, MOST_SHAPE = 0.55, 0.03, 0.35
"""Side of the part that is shown, as a share of the picture's; the darkest shape's share of that part."""
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
CHOICES = 3


def darkest_shape(picture: Picture, rng: np.random.Generator, level: float) -> Question | None:
    """Draw round the darkest shape of a part of the picture; held against the value shapes of a squint."""
    h, w = picture.lab.shape[:2]
    wide, high = int(WINDOW * w), int(WINDOW * h)
    for _ in range(16):
        x, y = int(rng.integers(0, w - wide + 1)), int(rng.integers(0, h - high + 1))
        part = picture.lab[y : y + high, x : x + wide]
        labels = cv2.resize(value_labels(lab_to_bytes(part)), (wide, high), interpolation=cv2.INTER_NEAREST)
        n, parts, stats, middles = cv2.connectedComponentsWithStats((labels == 0).astype(np.uint8))
        if n < 2:
            continue
        largest = 1 + int(stats[1:, cv2.CC_STAT_AREA].argmax())
        rim = np.concatenate([parts[0], parts[-1], parts[:, 0], parts[:, -1]])
        if float((rim == largest).mean()) > MOST_CUT:
            continue
        share = float(stats[largest, cv2.CC_STAT_AREA]) / (wide * high)
        if not LEAST_SHAPE <= share <= MOST_SHAPE:
            continue
        mask = parts == largest
        middle: Spot = (float((x + middles[largest][0]) / w), float((y + middles[largest][1]) / h))
        lab = np.median(part[mask], 0)
        return Question(
            "darkest-shape", key_of(picture, "darkest-shape", (x / w, y / h)), say("practice.shape_ask"), "shape", (), lab[None], 0, level=level,
            why=say("practice.shape_why", share=100 * share), trick=say("practice.shape_trick"), part=(x / w, y / h, wide / w, high / h), extra=mask,
            shown=(middle,),
        )  # fmt: skip
    return None


def overlap(mask: np.ndarray, ring: Sequence[Spot]) -> float:
    """Intersection over union of a mask (h, w) bool and a ring in shares of its width and height."""
    h, w = mask.shape
    drawn = fill_ring(np.asarray(ring, float) * (w, h), h, w) if len(ring) > 2 else np.zeros_like(mask)
    either = int((drawn | mask).sum())
    return int((drawn & mask).sum()) / either if either else 0.0


def comb_it(picture: Picture, rng: np.random.Generator, level: float) -> Question | None:
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
    labs = np.empty((PENCILS, PENCILS, 3))
    for i, first in enumerate(codes):
        for j, then in enumerate(codes):
            labs[i, j] = predict(paper, kit, [Pass(first, 3), Pass(then, 3)])[-1].lab
    pairs = [(i, j) for i in range(PENCILS) for j in range(PENCILS) if i != j]
    i, j = pairs[int(rng.integers(len(pairs)))]
    off = np.asarray(delta_e00(labs, labs[i, j]))
    off[np.diag_indices(PENCILS)] = np.inf  # two different ones are asked for
    names = tuple(f"{c} {kit.get(c).name}" for c in codes)
    every = np.array([*(kit.get(c).lab for c in codes), labs[i, j]])
    return Question(
        "guess-stack", f"guess-stack {' '.join(codes)} {i}{j}", say("practice.stack_ask"), "pair", (), every, (i, j), names, level=level,
        why=say("practice.stack_why", first=names[i], then=names[j]), trick=say("practice.stack_trick"), extra=off,
    )  # fmt: skip


def find_fault(picture: Picture, rng: np.random.Generator, level: float) -> Question | None:
    """Two pictures, one of them changed in one of five places: which?"""
    found = picture.spots(rng, 120)
    chosen: list[Spot] = []
    for s in found:
        if all(np.hypot(s.at[0] - c[0], s.at[1] - c[1]) > 0.16 for c in chosen):
            chosen.append(s.at)
        if len(chosen) == RINGS:
            break
    if len(chosen) < RINGS:
        return None
    truth = int(rng.integers(RINGS))
    h, w = picture.lab.shape[:2]
    y, x = np.mgrid[:h, :w]
    cx, cy = chosen[truth][0] * w, chosen[truth][1] * h
    bump = np.exp(-0.5 * (np.hypot(x - cx, y - cy) / (BUMP_RADII * picture.radius / 2)) ** 2)
    size = BUMP_L - BUMP_HARDER * min(4.0, level)
    way = str(rng.choice(("lighter", "darker", "greener")))
    shift = {"lighter": (size, 0, 0), "darker": (-size, 0, 0), "greener": (0, -0.9 * size, 0)}[way]
    at = picture.lab[int(cy), int(cx)]
    if not 4 < at[0] + shift[0] < 97:
        shift, way = (-shift[0], 0, 0), {"lighter": "darker", "darker": "lighter"}[way]
    changed = picture.lab + bump[..., None] * np.array(shift)
    labs = np.array([picture.lab[int(c[1] * h), int(c[0] * w)] for c in chosen])
    return Question(
        "find-fault", key_of(picture, f"find-fault {way} {truth}", *chosen), say("practice.fault_ask"), "choice", tuple(chosen), labs, truth,
        tuple(str(k + 1) for k in range(RINGS)), level=level, why=say(f"practice.fault_{way}", ring=truth + 1, size=size), trick=say("practice.fault_trick"),
        extra=changed,
    )  # fmt: skip


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
            "what-next", f"what-next {steps[at].key} {'/'.join(sorted(s.key for s in wrong))}", say("practice.next_ask"), "choice", (), np.zeros((0, 3)),
            mixed.index(0), names, level=level, why=say("practice.next_why", step=steps[at].name, why=ordered.reasons[steps[at].key]),
            trick=say("practice.next_trick"), words=(say("practice.next_done", steps=before), *(f"{k} {n}" for k, n in enumerate(names, 1))),
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
    work = [AreaWork(ids[n], n + 1, name, surface, 700.0, at, near, 3, layers) for n, (name, surface, at, near, layers) in enumerate(areas)]
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
