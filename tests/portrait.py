"""A small drawn portrait with known places and layers, and photos of it as a camera takes them: the truth that Check is held against."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cache

import cv2
import numpy as np

from hanabira.core.area.outline import Outline
from hanabira.core.colour.spaces import Array, lab_to_srgb
from hanabira.core.forecast.portrait import PhotoLab
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.stack import bare
from hanabira.core.progress.check import Expectation
from hanabira.core.progress.expected import AreaStack, expected, signature
from hanabira.core.progress.on_sheet import OnSheet, TracedArea, on_sheet
from hanabira.core.progress.strip import patches
from hanabira.core.solver.layer import Layer, goes_over
from hanabira.craft.supplies import paper, paper_for, shipped_kit
from hanabira.devices.drawn_sheet import DrawnSheet, Planted, draw_sheet, draw_strip
from hanabira.devices.lens import BoardView, LensShot, Shooting, shoot, table
from hanabira.devices.simulated_paper import TRUTHS, SimulatedSheet

SIZE, BORDER = (150.0, 180.0), 10.0
PX_MM = 6.0
GRID = 4.5
KIT = shipped_kit("pencils")
PAPER = paper_for(KIT, paper("hotpress"), "#f4f3ef")
GROUND = np.asarray(bare(PAPER).lab)
_CODES = [p.code for p in KIT]


def _near(l: float, a: float, b: float) -> str:  # noqa: E741
    return min(_CODES, key=lambda c: float(np.linalg.norm(KIT.get(c).lab - np.array([l, a, b]))))


DARK, BROWN, TAN, PINK = _near(15, 2, 2), _near(35, 12, 16), _near(65, 10, 28), _near(62, 20, 8)


def _layer(n: int, role: str, code: str, pressure: int, *on: str) -> Layer:
    return Layer(role, code, pressure, 1, "everywhere", "flick", 6.0, id=str(n), on=on)


RECIPES: Mapping[str, tuple[Layer, ...]] = {
    "coat": (
        _layer(0, "general", TAN, 2, "gap", "general", "light"), _layer(1, "deepen", BROWN, 2, "gap", "general"), _layer(2, "gap", DARK, 2, "gap"),
    ),
    "back": (_layer(0, "general", BROWN, 1, "gap", "general", "light"), _layer(1, "deepen", DARK, 2, "gap", "general"), _layer(2, "gap", DARK, 3, "gap")),
    "eye": (_layer(0, "deepen", DARK, 4, "pupil", "iris"), _layer(1, "general", BROWN, 2, "iris")),
    "nose": (_layer(0, "general", PINK, 3, "skin", "nostril"), _layer(1, "deepen", DARK, 3, "nostril")),
}  # fmt: skip
AREAS = (
    ("coat", 1, "Coat", "short-fur", ((15, 20), (95, 20), (95, 100), (15, 100))),
    ("back", 2, "Back", "long-fur", ((15, 112), (135, 112), (135, 165), (15, 165))),
    ("eye", 3, "Eye", "eye", ((106, 42), (122, 34), (136, 42), (136, 60), (122, 68), (106, 60))),
    ("nose", 4, "Nose", "nose", ((104, 78), (136, 74), (136, 100), (104, 104))),
)
PLACES = {"coat": ("gap", "general", "light"), "back": ("gap", "general", "light"), "eye": ("pupil", "iris"), "nose": ("skin", "nostril")}


@cache
def _picture() -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """The client's photo of the whole sheet (h, w, 3) uint8, and where places lie in it by ``area/place``."""
    w, h = (int(v * PX_MM) for v in SIZE)
    y, x = np.mgrid[0:h, 0:w] / PX_MM
    lab = np.zeros((h, w, 3))
    lab[..., 0] = 92
    masks: dict[str, np.ndarray] = {}
    hair = np.random.default_rng(3)
    lines = cv2.GaussianBlur(hair.normal(size=(h, w)), (0, 0), 1.2 * PX_MM, sigmaY=0.35 * PX_MM)
    lines = lines / lines.std()
    for name, (l_, a, b) in {"coat": (48, 10, 20), "back": (32, 8, 12)}.items():
        box = {"coat": (15, 20, 95, 100), "back": (15, 112, 135, 165)}[name]
        inside = (x >= box[0]) & (x < box[2]) & (y >= box[1]) & (y < box[3])
        value = 1.2 * np.sin((x + 0.6 * y) / 14.0) + 0.3 * lines
        bands = (value < -0.7, (value >= -0.7) & (value < 0.8), value >= 0.8)
        for place, here, lift in zip(PLACES[name], bands, (-22, 0, 18), strict=True):
            masks[f"{name}/{place}"] = inside & here
            lab[inside & here] = (l_ + lift, a, b)
        lab[inside, 0] += 2.5 * lines[inside]
    eye = np.hypot(x - 121, y - 51)
    masks["eye/iris"], masks["eye/pupil"] = (eye < 15) & (eye >= 7.5), eye < 7.5
    lab[masks["eye/iris"]], lab[masks["eye/pupil"]] = (30, 14, 20), (8, 0, 0)
    lab[(eye < 15) & (eye > 12.5)] = (16, 4, 4)
    nose = (x >= 104) & (x < 136) & (y >= 76) & (y < 102)
    holes = (np.hypot((x - 112) / 1.0, (y - 90) / 0.7) < 5) | (np.hypot((x - 128) / 1.0, (y - 90) / 0.7) < 5)
    masks["nose/nostril"], masks["nose/skin"] = nose & holes, nose & ~holes
    lab[masks["nose/skin"]], lab[masks["nose/nostril"]] = (58, 22, 12), (14, 4, 3)
    lab[nose, 0] += 4 * np.sin(x[nose] / 3.1) * np.cos(y[nose] / 4.2)
    return (np.clip(lab_to_srgb(lab), 0, 1) * 255 + 0.5).astype(np.uint8), masks


def _drawn_as(name: str):  # noqa: ANN202
    pixels, masks = _picture()
    photo = {
        p: np.median(cv2.cvtColor(pixels.astype(np.float32) / 255, cv2.COLOR_RGB2Lab)[masks[f"{name}/{p}"]], 0).astype(float)
        for p in PLACES[name]
    }
    whole = np.zeros(pixels.shape[:2], np.uint8)
    for n, p in enumerate(PLACES[name], 1):
        whole[masks[f"{name}/{p}"]] = n
    group = "coat" if name in ("coat", "back") else name
    groups = (group,) * len(PLACES[name])

    def drawn(shape: tuple[int, int], corner: tuple[float, float], k: float) -> PhotoLab:
        move = np.array([[k, 0, -corner[0] * k], [0, k, -corner[1] * k]])
        labels = cv2.warpAffine(whole, move, shape[::-1], flags=cv2.INTER_NEAREST)
        return PhotoLab(photo, labels, PLACES[name], groups, frozenset({"coat"}) & set(groups))

    return drawn


@cache
def sheet(grid: float = 3.0) -> OnSheet:
    """The portrait on its sheet."""
    pixels, _masks = _picture()
    b = BORDER * PX_MM
    crop = (b, b, pixels.shape[1] - 2 * b, pixels.shape[0] - 2 * b)
    traced = [
        TracedArea(
            key,
            n,
            name,
            surface,
            Outline(tuple((x * PX_MM, y * PX_MM) for x, y in ring), False),
            0,
            _drawn_as(key),
            {p: p for p in PLACES[key]},
        )
        for key, n, name, surface, ring in AREAS
    ]
    return on_sheet(pixels, crop, SIZE, BORDER, traced, grid)


def targets(key: str) -> dict[str, Array]:
    """What each place of an area should come to: as its whole recipe is laid by the simulated paper."""
    ideal = SimulatedSheet(KIT, TRUTHS[0], tuple(GROUND))
    return {p: np.asarray(ideal.lay(_passes(RECIPES[key], p))) for p in PLACES[key]}


def _passes(layers: Sequence[Layer], place: str) -> list[Pass]:
    return [Pass(q.code, q.pressure, q.passes) for q in layers if goes_over(q, place)]


def plan(
    laid: Mapping[str, Sequence[Layer]] | None = None, skipped: Mapping[str, Sequence[str]] | None = None, scrap: bool = True, truth: int = 0
) -> Expectation:  # fmt: skip
    """What a photo is held against when these layers lie there by the log (all of them when not said); with ``scrap`` every stack was tried."""
    lies = RECIPES if laid is None else laid
    on = SimulatedSheet(KIT, TRUTHS[truth], tuple(GROUND))
    out = []
    for key, layers in RECIPES.items():
        gone = frozenset((skipped or {}).get(key, ()))
        chips: dict[tuple[str, str], Array] = {}
        if scrap:
            for n in range(len(layers) + 1):
                for p in PLACES[key]:
                    chips[p, signature(layers[:n], p)] = np.asarray(on.lay(_passes(layers[:n], p)))
        out.append(expected(AreaStack(key, layers, tuple(lies.get(key, ())), gone, targets(key), chips), PAPER, KIT))
    return Expectation(sheet(), tuple(out), PAPER, GROUND, KIT, patches(KIT, PAPER))


def drawn(laid: Mapping[str, Sequence[Layer]] | None = None, faults: Sequence[Planted] = (), truth: int = 0, seed: int = 1) -> DrawnSheet:
    """The sheet as the simulated paper shows it."""
    return draw_sheet(sheet(GRID), RECIPES if laid is None else laid, KIT, GROUND, TRUTHS[truth], seed, faults)


def taken(what: DrawnSheet, strip: bool = True, truth: int = 0, how: Shooting | None = None, **more: object) -> tuple[BoardView, LensShot]:
    """A photo of it with the table it lies on."""
    how = how or Shooting.drawn(int(more.pop("seed", 1)), **{"long_px": 1500, **more})  # type: ignore[call-overload]
    lies = table(what, draw_strip(KIT, TRUTHS[truth], GRID, how.seed) if strip else None, how.board, how.seed)
    return lies, shoot(lies, how)


def map_error_mm(lies: BoardView, shot: LensShot, to_photo) -> Array:  # noqa: ANN001
    """How far a map of the sheet is off, in mm, at a grid of places."""
    x0, y0, w, h = lies.sheet
    g = np.stack(np.meshgrid(np.linspace(0.05, 0.95, 9) * w, np.linspace(0.05, 0.95, 9) * h), -1).reshape(-1, 2)
    p = to_photo(g).astype(np.float32)
    at = [cv2.remap(q.astype(np.float32), p[:, 0], p[:, 1], cv2.INTER_LINEAR).ravel() for q in (shot.x_mm, shot.y_mm)]
    return np.hypot(at[0] - x0 - g[:, 0], at[1] - y0 - g[:, 1])
