"""The class of a coat's marking, and the split of marking from ground coat."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import cv2
import numpy as np

from hanabira.core.area.marking_features import features, two_tones
from hanabira.core.colour.spaces import Array
from hanabira.core.sentences import say

CLASSES = ("plain", "stripes", "spots", "rosettes", "patches", "ticked", "gradient")
SMALLEST_SIDE_PX, READ_SIDE_PX = 20, 60
"""An area under the first side (pixels) is too small to tell; one under the second is enlarged to it before it is read."""
EVENED = 0.8
"""So much of the slow light (a quadratic surface of L*) is taken off first: light from the side is no gradient, a soft shade no patch."""
SQUINT, HAIRS = 0.02, 0.5
"""Stripes are looked at once more through a blur of this share of the area's side: where less than the second is left of them they were hairs. On
real photographs the seven striped boxes kept .66 and more, a fleece and a ticked coat .39 at most."""
ASK_BELOW = 0.5
"""Below this confidence the artist is asked."""


MISREAD = ("plain", "ticked", "gradient")
"""Classes that soft spots are taken for: there rounds are looked for besides. None of 46 such coats without them had any; of 14 in patches one had."""
ROUNDS_SURE = 0.6
"""How sure the class is where the rounds say it and the features do not."""


@dataclass(frozen=True)
class MarkingModel:
    """Weights of the classifier: half a logistic regression, half small networks, as named arrays."""

    arrays: Mapping[str, Array]


@dataclass(frozen=True)
class Marking:
    """Class with its confidence, the runner-up, the share covered (0–1) and the edge's softness in pixels.

    ``kind`` is None with a ``reason`` where the area is too small to tell.
    """

    kind: str | None
    confidence: float
    second: str | None
    coverage: float | None
    edge_px: float | None
    reason: str = ""

    @property
    def ask(self) -> bool:
        """Whether the artist should say which it is."""
        return self.confidence < ASK_BELOW


def as_spots(marking: Marking) -> Marking:
    """The class where rounds were found that the features did not see; what they saw is the runner-up."""
    return Marking("spots", ROUNDS_SURE, marking.kind, marking.coverage, marking.edge_px)


def _softmax(a: Array) -> Array:
    e = np.exp(a - a.max(1, keepdims=True))
    return e / e.sum(1, keepdims=True)


def probabilities(model: MarkingModel, vectors: Array) -> Array:
    """Class probabilities (n, 7) of feature vectors (n, 154)."""
    w = model.arrays
    z = np.clip((vectors[:, w["sel"]] - w["mu"]) / w["sd"], -4, 4)
    p = _softmax(z @ w["lr_w"].T + w["lr_b"])
    nets = int(w["n_mlp"])
    if nets:
        deep = sum(_softmax(np.maximum(z @ w[f"m{i}_w0"] + w[f"m{i}_b0"], 0) @ w[f"m{i}_w1"] + w[f"m{i}_b1"]) for i in range(nets))
        p = 0.5 * p + 0.5 * deep / nets
    return p


def _views(pixels: Array, mask: Array) -> list[tuple[Array, Array]]:
    """The area and up to four variations; the mean of their answers is steadier than one."""
    out = [(pixels, mask)]
    ys, xs = np.nonzero(mask)
    cut = np.s_[ys.min() : ys.max() + 1, xs.min() : xs.max() + 1]
    image, m = pixels[cut], mask[cut]
    h, w = m.shape
    a, b = int(h * 0.82), int(w * 0.82)
    for y, x in ((0, 0), (h - a, w - b), (0, w - b)):
        part = m[y : y + a, x : x + b]
        if part.sum() > max(250, 0.35 * m.sum()):
            out.append((image[y : y + a, x : x + b], part))
    s = 0.65 if min(h, w) > 70 else 1.5
    other = cv2.resize(cv2.GaussianBlur(image, (0, 0), 0.6), None, fx=s, fy=s, interpolation=cv2.INTER_AREA if s < 1 else cv2.INTER_CUBIC)
    out.append((other, cv2.resize(m.astype(np.uint8), other.shape[1::-1], interpolation=cv2.INTER_NEAREST) > 0))
    return out


def _reduced(pixels: Array, mask: Array, side: float = 420) -> tuple[Array, Array]:
    """A copy whose area is at most ``side`` squared pixels: the features need no more."""
    k = side / np.sqrt(mask.sum())
    if k >= 1:
        return pixels, mask
    size = (max(32, round(mask.shape[1] * k)), max(32, round(mask.shape[0] * k)))
    return cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), cv2.resize(
        mask.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST
    ) > 0


def _enlarged(pixels: Array, mask: Array) -> tuple[Array, Array]:
    """A copy whose area is at least `READ_SIDE_PX` wide: the features look for what has a size in pixels."""
    ys, xs = np.nonzero(mask)
    k = READ_SIDE_PX / (min(np.ptp(ys), np.ptp(xs)) + 1)
    if k <= 1:
        return pixels, mask
    size = round(mask.shape[1] * k), round(mask.shape[0] * k)
    return cv2.resize(pixels, size, interpolation=cv2.INTER_CUBIC), cv2.resize(mask.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0


def evened(pixels: Array, mask: Array) -> Array:
    """The pixels (h, w, 3) uint8 with most of the slow light of the masked part taken off."""
    lab = cv2.cvtColor(np.ascontiguousarray(pixels), cv2.COLOR_RGB2Lab).astype(np.float32)
    surface = _slow_light(lab[..., 0], mask)
    lab[..., 0] -= EVENED * (surface - lab[..., 0][mask].mean())
    return cv2.cvtColor(np.clip(lab, 0, 255).astype(np.uint8), cv2.COLOR_Lab2RGB)


def _slow_light(lightness: Array, mask: Array) -> Array:
    """The quadratic surface (h, w) that lies nearest to the lightness of the masked part."""
    h, w = mask.shape
    y, x = np.mgrid[-1 : 1 : h * 1j, -1 : 1 : w * 1j]
    basis = np.stack([np.ones_like(x), x, y, x * y, x * x, y * y], -1).astype(np.float32)
    coefficients = np.linalg.lstsq(basis[mask][::5], lightness[mask][::5], rcond=None)[0]
    return np.asarray(basis @ coefficients)


def _mean_of(model: MarkingModel, pixels: Array, mask: Array, views: bool) -> Array:
    """Probabilities (7,) of the classes over some looks at the area, the whole of it counting most."""
    looks = _views(pixels, mask) if views else [(pixels, mask)]
    vectors = [features(i, k) for i, k in looks]
    p = probabilities(model, np.array([[v[name] for name in sorted(v)] for v in vectors], np.float32))
    weight = np.ones(len(p))
    weight[0] = 1.5
    mean = ((p * weight[:, None]).sum(0) / weight.sum()) ** float(model.arrays["gamma"])
    return np.asarray(mean / mean.sum())


def measure_marking(model: MarkingModel, pixels: Array, mask: Array, views: bool = True) -> Marking:
    """Class, coverage and edge of an area's marking. ``pixels`` (h, w, 3) uint8 sRGB, ``mask`` (h, w) bool."""
    ys, xs = np.nonzero(mask)
    if not len(ys) or min(np.ptp(ys), np.ptp(xs)) + 1 < SMALLEST_SIDE_PX:
        return Marking(None, 0.0, None, None, None, say("marking.small"))
    small, m = _enlarged(*_reduced(pixels, mask))
    calm = evened(small, m)
    mean = _mean_of(model, calm, m, views)
    if CLASSES[int(mean.argmax())] == "stripes":
        blurred = _mean_of(model, cv2.GaussianBlur(calm, (0, 0), SQUINT * float(np.sqrt(m.sum()))), m, views)
        mean = blurred if blurred[CLASSES.index("stripes")] < HAIRS else mean
    order = np.argsort(-mean)
    kind, second = CLASSES[order[0]], CLASSES[order[1]]
    coverage, edge = split(small, m)
    to_full = np.sqrt(mask.sum() / m.sum())
    plain = kind in ("plain", "ticked", "gradient")
    return Marking(kind, float(mean[order[0]]), second, 0.0 if kind == "plain" else coverage, None if plain else edge * to_full)


def split(pixels: Array, mask: Array) -> tuple[float, float]:
    """Share of the marking and softness of its edge in pixels.

    Median, Gaussian at hair scale, 0.8 of a quadratic light surface taken off, the principal
    colour axis and Otsu's threshold; softness is 0.8·contrast over the median slope at the edge.
    """
    lab = cv2.cvtColor(cv2.medianBlur(np.ascontiguousarray(pixels), 5).astype(np.float32)[..., ::-1] / 255, cv2.COLOR_BGR2Lab)
    lab = cv2.GaussianBlur(lab, (0, 0), 2.0)
    lab[..., 0] -= EVENED * (_slow_light(lab[..., 0], mask) - lab[..., 0][mask].mean())
    q = lab[mask] - lab[mask].mean(0)
    axis = np.linalg.eigh(q.T @ q / len(q))[1][:, 2]
    tone = (lab @ axis).astype(np.float32)
    t, _, d, _ = two_tones(tone[mask])
    high = (tone > t) & mask
    cover = float(high.sum() / mask.sum())
    edge = (cv2.morphologyEx(high.astype(np.uint8), cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) > 0) & mask
    slope = np.hypot(cv2.Sobel(tone, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(tone, cv2.CV_32F, 0, 1, scale=0.125))
    softness = 0.8 * d / max(float(np.median(slope[edge])), 1e-3) if edge.any() else 0.0
    return min(cover, 1 - cover), float(softness)
