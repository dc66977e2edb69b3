"""Features that tell the class of a coat's marking, at a working size of 128 px.

154 numbers, independent of the area's size and nearly so of its light: contrast by scale,
how much a smooth surface explains, two tones and the shape of their parts, orientation,
blobs and rings. They are the inputs of `marking.classify`.
"""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array

WORKING_PX = 128
"""The area is resampled so that the root of its pixel count is this."""
_SIGMAS = (0.8, 1.6, 3.2, 6.4, 12.8, 25.6)
_PARTS = ("n", "nsmall", "bigA", "bigM", "elong", "width", "touch", "solid", "axis", "sdsize")
_RADII = (4, 6, 9, 13)

Features = dict[str, float]


def _blur(a: Array, sigma: float) -> Array:
    """Gaussian blur; wide ones are done on a reduced copy."""
    if sigma < 7 or min(a.shape[:2]) < 40:
        return cv2.GaussianBlur(a, (0, 0), float(sigma), borderType=cv2.BORDER_REFLECT)
    factor = 3 if sigma < 20 else 5
    h, w = a.shape[:2]
    small = cv2.resize(a, (-(-w // factor), -(-h // factor)), interpolation=cv2.INTER_AREA)
    small = cv2.GaussianBlur(small, (0, 0), float(sigma) / factor, borderType=cv2.BORDER_REFLECT)
    return cv2.resize(small, (w, h), interpolation=cv2.INTER_LINEAR)


def _fit(basis: Array, y: Array) -> Array:
    return np.linalg.solve(basis.T @ basis + 1e-4 * np.eye(basis.shape[1], dtype=np.float32), basis.T @ y)


def two_tones(x: Array, bins: int = 96) -> tuple[float, float, float, float]:
    """Threshold, separability η, distance and inner spread of the two classes (Otsu 1979)."""
    low, high = np.percentile(x, (0.5, 99.5))
    h, e = np.histogram(x, bins, (low, max(high, low + 1e-3)))
    centre = (e[1:] + e[:-1]) / 2
    w, s = np.cumsum(h), np.cumsum(h * centre)
    total, moment = w[-1], s[-1]
    v = (moment * w / max(total, 1) - s) ** 2 / (w * (total - w) + 1e-9)
    t = float(e[v[:-1].argmax() + 1])
    a = x <= t
    if a.all() or not a.any():
        return t, 0.0, 0.0, 1.0
    f = a.mean()
    below, above = x[a], x[~a]
    d = float(above.mean() - below.mean())
    inner = float(np.sqrt(f * below.var() + (1 - f) * above.var()))
    return t, float(f * (1 - f) * d * d / (x.var() + 1e-9)), d, inner


def _part_shapes(marks: Array, rim: Array, area: float) -> list[float]:
    """Count, size, elongation, width and solidity of the connected parts of a map."""
    n, labels, stats, _ = cv2.connectedComponentsWithStats(marks.astype(np.uint8), connectivity=4)
    size = stats[1:, 4].astype(float)
    ok = size >= max(5, area * 6e-4)
    if not ok.any():
        return [0.0] * len(_PARTS)
    depth = cv2.distanceTransform(np.pad(marks.astype(np.uint8), 1), cv2.DIST_L2, 3)[1:-1, 1:-1]
    deepest = np.zeros(n, np.float32)
    np.maximum.at(deepest, labels.ravel(), depth.ravel())
    deepest = deepest[1:]
    elongation = np.log(size / (4 * np.maximum(deepest - 0.3, 0.5) ** 2) + 0.3)
    weight = size * ok / (size * ok).sum()
    touches = np.zeros(n, bool)
    touches[np.unique(labels[rim == 2])] = True
    solid, axis, each = [], [], []
    for i in np.argsort(-size * ok)[:14]:
        if not ok[i]:
            break
        x, y, w, h = stats[i + 1, :4]
        part = (labels[y : y + h, x : x + w] == i + 1).astype(np.uint8)
        contours, _ = cv2.findContours(part, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
        contour = np.concatenate(list(contours))
        hull = cv2.contourArea(cv2.convexHull(contour)) + 0.5 * len(contour) + 1
        m = cv2.moments(part, True)
        second = np.array([[m["mu20"], m["mu11"]], [m["mu11"], m["mu02"]]]) / m["m00"]
        e = np.linalg.eigvalsh(second + 0.1 * np.eye(2))
        solid.append(min(1, size[i] / hull))
        axis.append(np.log(e[1] / e[0]) / 2)
        each.append(size[i])
    share = np.array(each) / np.sum(each)
    big = size * ok
    width = np.sqrt((deepest[ok] ** 2 * size[ok]).sum() / size[ok].sum())
    return [
        np.log1p(ok.sum()), np.log1p((~ok).sum()), big.max() / area, big.max() / big.sum(), (weight * elongation).sum(), np.log(width + 0.3),
        (weight * touches[1:]).sum(), (share * solid).sum(), (share * axis).sum(), np.std(np.log(size[ok])),
    ]  # fmt: skip


@cache
def _disc(inner: float, outer: float) -> Array:
    r = int(np.ceil(outer))
    y, x = np.mgrid[-r : r + 1, -r : r + 1]
    d = np.hypot(x, y)
    k = ((d >= inner) & (d <= outer)).astype(np.float32)
    return k / k.sum()


class _Work:
    """The resampled area and what several feature groups share."""

    def __init__(self, pixels: Array, mask: Array) -> None:
        ys, xs = np.nonzero(mask)
        cut = np.s_[ys.min() : ys.max() + 1, xs.min() : xs.max() + 1]
        mask, image = mask[cut], pixels[cut][..., ::-1].astype(np.float32) / 255
        k = WORKING_PX / np.sqrt(mask.sum())
        h, w = max(24, round(mask.shape[0] * k)), max(24, round(mask.shape[1] * k))
        if k < 0.5:
            image = cv2.GaussianBlur(image, (0, 0), 0.35 / k)
        image = cv2.resize(image, (w, h), interpolation=cv2.INTER_AREA if k < 1 else cv2.INTER_CUBIC)
        m = cv2.resize(mask.astype(np.float32), (w, h), interpolation=cv2.INTER_LINEAR) > 0.5
        if m.mean() < 0.985:
            m = cv2.erode(m.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
        lab = cv2.cvtColor(np.clip(image, 0, 1), cv2.COLOR_BGR2Lab)
        # chroma over lightness hardly changes between light and shade
        lab[..., 1:] *= (60 / (lab[..., 0] + 25))[..., None]
        self.mask, self.area, self.full = m, float(m.sum()), bool(m.all())
        self.h, self.w = h, w
        soft = m.astype(np.float32)
        if not self.full:
            lab = self._fill(lab, soft)
            self.levels = [lab] + [_blur(lab * soft[..., None], s) / (_blur(soft, s)[..., None] + 1e-3) for s in _SIGMAS]
        else:
            self.levels = [lab] + [_blur(lab, s) for s in _SIGMAS]
        y, x = np.mgrid[-1 : 1 : h * 1j, -1 : 1 : w * 1j]
        self.x, self.y = (x * w / WORKING_PX).astype(np.float32), (y * h / WORKING_PX).astype(np.float32)
        self.basis = np.stack([np.ones_like(self.x), self.x, self.y, self.x * self.y, self.x**2, self.y**2], -1)
        self.inner = cv2.erode(np.pad(m.astype(np.uint8), 1), np.ones((5, 5), np.uint8), borderValue=0)[1:-1, 1:-1]
        self.rim = np.where(m & (self.inner == 0), 2, m.astype(int))

    def _fill(self, lab: Array, soft: Array) -> Array:
        """Continue the inside smoothly over the outside."""
        mean = lab[self.mask].mean(0)
        total, weight = np.zeros_like(lab), np.zeros((*self.mask.shape, 1), np.float32)
        for s in (2, 8, 24):
            total += _blur(lab * soft[..., None], s) / s**2
            weight += _blur(soft, s)[..., None] / s**2
        out = lab.copy()
        out[~self.mask] = ((total + mean * 1e-5) / (weight + 1e-5))[~self.mask]
        return out

    def main_axis(self, lab: Array) -> tuple[Array, Array]:
        """Values along the principal colour axis and the eigenvalues."""
        weight = np.array([1, 1.3, 1.3], np.float32)
        q = lab[self.mask] * weight
        q = q - q.mean(0)
        e, v = np.linalg.eigh(q.T @ q / len(q))
        axis = (v[:, 2] * np.sign(v[0, 2] + 1e-6)).astype(np.float32)
        return ((lab * weight) @ axis).astype(np.float32), e


def features(pixels: Array, mask: Array) -> Features:
    """All features of an area. ``pixels`` (h, w, 3) uint8 sRGB, ``mask`` (h, w) bool."""
    work = _Work(pixels, mask)
    out: Features = {}
    _contrast(work, out)
    _surface(work, out)
    tone, marks = _tones(work, out)
    _orientation(work, tone, out)
    _templates(work, tone, marks, out)
    return out


def _contrast(work: _Work, out: Features) -> None:
    """Contrast, kurtosis and colour correlation of six octaves."""
    for i in range(6):
        b = (work.levels[i] - work.levels[i + 1])[work.mask]
        sd = b.std(0) + 1e-3
        z = b[:, 0] / sd[0]
        correlation = b.T @ b / len(b) / np.outer(sd, sd)
        out[f"L{i}"] = np.log(sd[0] + 0.15)
        out[f"C{i}"] = np.log(np.hypot(sd[1], sd[2]) + 0.15)
        out[f"k{i}"] = np.clip(np.mean(z * z * z * z) - 3, -2, 8)
        out[f"s{i}"] = abs(np.clip(np.mean(z * z * z), -2.5, 2.5))
        out[f"lc{i}"] = max(abs(correlation[0, 1]), abs(correlation[0, 2]))
    out["Lm"] = work.levels[0][..., 0][work.mask].mean() / 50


def _surface(work: _Work, out: Features) -> None:
    """How much of the area a plane or a quadratic surface explains, and its profile."""
    m, basis = work.mask, work.basis[work.mask]
    s = work.levels[2][m]
    fit = basis @ _fit(basis, s)
    plane = basis[:, :3] @ _fit(basis[:, :3], s)
    v = s.var(0) + 1e-3
    out["r2L"], out["r2P"] = fit[:, 0].var() / v[0], plane[:, 0].var() / v[0]
    out["r2C"] = (fit[:, 1].var() + fit[:, 2].var()) / (v[1] + v[2] + 0.3)
    out["ampL"] = np.log1p(np.ptp(np.percentile(fit[:, 0], (3, 97))))
    out["ampC"] = np.log1p(np.hypot(*np.ptp(np.percentile(fit[:, 1:], (3, 97), axis=0), axis=0)))
    out["res"] = np.log(np.std(s[:, 0] - fit[:, 0]) + 0.3)
    s4 = work.levels[4][m]
    out["r2L4"] = 1 - np.var(s4[:, 0] - basis @ _fit(basis, s4[:, 0])) / (s4[:, 0].var() + 0.1)
    tone, e = work.main_axis(work.levels[3])
    out["pc"] = e[2] / (e.sum() + 0.1)
    x = tone[m]
    _, eta, d, inner = two_tones(x)
    out["etaR"], out["sepR"], out["dpR"] = eta, np.log(d + 0.5), d / (inner + 0.5)
    slope = _fit(basis[:, :3], x)
    steep = np.hypot(slope[1], slope[2]) + 1e-6
    u = (work.x * slope[1] + work.y * slope[2])[m] / steep
    bins = 24
    at = np.minimum(((u - u.min()) / (np.ptp(u) + 1e-6) * bins).astype(int), bins - 1)
    count = np.bincount(at, minlength=bins) + 1e-6
    profile = np.bincount(at, x, minlength=bins) / count
    out["prR2"] = np.var(profile[at]) / (x.var() + 0.1)
    p = profile[count > 0.15 * count.max()]
    out["prMax"] = np.max(np.abs(p[2:] - p[:-2])) / (np.ptp(p) + 0.5) if len(p) > 4 else 0
    out["prMono"] = abs(p[-1] - p[0]) / (np.abs(np.diff(p)).sum() + 0.3)
    sd = x.std() + 0.3
    g = np.hypot(cv2.Sobel(tone, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(tone, cv2.CV_32F, 0, 1, scale=0.125))[m]
    out["g99"] = np.log(np.percentile(g, 98) / sd + 1e-3)
    out["g50"] = np.log(np.median(g) / sd + 1e-3)
    out["sparse"] = np.log(np.percentile(g, 95) / (np.median(g) + 1e-3) + 0.1)


def _tones(work: _Work, out: Features) -> tuple[Array, Array]:
    """Split into two tones at two scales after taking 0.8 of the light's surface away."""
    m, basis, area = work.mask, work.basis, work.area
    kept: tuple[Array, Array] | None = None
    for tag, level in (("a", 2), ("b", 3)):
        lab = work.levels[level].copy()
        surface = (basis @ _fit(basis[m], lab[m]))[..., 0]
        lab[..., 0] -= (surface - lab[..., 0][m].mean()) * 0.8
        tone, _ = work.main_axis(lab)
        t, eta, d, inner = two_tones(tone[m])
        out["eta" + tag], out["sep" + tag], out["dp" + tag] = eta, np.log(d + 0.5), d / (inner + 0.5)
        high = (tone > t) & m
        cover = high.sum() / area
        marks = high if cover <= 0.5 else (m & ~high)
        out["cov" + tag] = min(cover, 1 - cover)
        out["mc" + tag] = np.log(np.hypot(*(lab[marks].mean(0) - lab[m & ~marks].mean(0))[1:]) + 0.3) if marks.any() else -1
        for which, part in (("m", marks), ("g", m & ~marks)):
            for name, value in zip(_PARTS, _part_shapes(part, work.rim, area), strict=True):
                out[name + tag + which] = value
        border = (cv2.dilate(marks.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0) & ~marks & (work.inner > 0)
        g = np.hypot(cv2.Sobel(tone, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(tone, cv2.CV_32F, 0, 1, scale=0.125))
        edge = np.median(g[border]) / (d + 0.5) if border.any() else 0
        out["edge" + tag] = np.log(edge + 0.01)
        out["edgew" + tag] = np.log(edge + 0.01) + out["width" + tag + "m"]
        out["bl" + tag] = np.log(border.sum() / WORKING_PX + 0.1)
        _holes(work, marks, tag, out)
        if kept is None:
            kept = tone, marks
    assert kept is not None
    return kept


def _holes(work: _Work, marks: Array, tag: str, out: Features) -> None:
    """Holes that closing leaves in the marks: rosettes have them."""
    wide = max(1.0, np.exp(out["width" + tag + "m"]))
    k = min(int(round(wide)) * 2 + 1, 21)
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (k, k))
    closed = cv2.morphologyEx(np.pad(marks.astype(np.uint8), k), cv2.MORPH_CLOSE, kernel)[k:-k, k:-k]
    n, labels, stats, _ = cv2.connectedComponentsWithStats(((closed == 0) & work.mask).astype(np.uint8), connectivity=4)
    touches = np.zeros(n, bool)
    touches[np.unique(labels[work.rim == 2])] = True
    size = stats[1:, 4][~touches[1:]]
    size = size[(size > work.area * 8e-4) & (size < work.area * 0.12)]
    out["holes" + tag], out["holeA" + tag] = np.log1p(len(size)), size.sum() / work.area


def _orientation(work: _Work, tone: Array, out: Features) -> None:
    """Global and local orientation, evenness of the gradient, and curvature at four scales."""
    inside = work.inner > 0
    sd = tone[work.mask].std() + 0.3
    for i, s in enumerate((0.7, 2.0, 4.5, 9.0)):
        q = _blur(tone, s)
        gx, gy = cv2.Sobel(q, cv2.CV_32F, 1, 0), cv2.Sobel(q, cv2.CV_32F, 0, 1)
        zr, zi, e = (gx * gx - gy * gy) * inside, 2 * gx * gy * inside, (gx * gx + gy * gy) * inside
        out[f"oG{i}"] = np.hypot(zr.sum(), zi.sum()) / (e.sum() + 1e-6)
        out[f"oL{i}"] = np.hypot(_blur(zr, 3 * s + 4), _blur(zi, 3 * s + 4)).sum() / (e.sum() + 1e-6)
        even = _blur(e.astype(np.float32), 8)[work.mask]
        out[f"oU{i}"] = even.std() / (even.mean() + 1e-6)
    for i, s in enumerate((1.6, 3.2, 6.4, 11.0)):
        q = _blur(tone, s)
        xx, yy, xy = cv2.Sobel(q, cv2.CV_32F, 2, 0), cv2.Sobel(q, cv2.CV_32F, 0, 2), cv2.Sobel(q, cv2.CV_32F, 1, 1)
        det, norm, lap = (xx * yy - xy * xy)[inside], (xx**2 + yy**2 + 2 * xy * xy)[inside], (xx + yy)[inside]
        out[f"hb{i}"] = np.maximum(det, 0).sum() / (norm.sum() / 2 + 1e-6)
        out[f"hs{i}"] = np.maximum(-det, 0).sum() / (norm.sum() / 2 + 1e-6)
        z = lap / (lap.std() + 1e-6)
        out[f"hk{i}"] = abs(np.clip(np.mean(z * z * z), -3, 3))
        out[f"he{i}"] = np.log(lap.std() * s * s / sd + 1e-3)


def _templates(work: _Work, tone: Array, marks: Array, out: Features) -> None:
    """Answers of ring and disc templates of four radii, in both polarities."""
    m = work.mask
    sd = tone[m].std() + 0.3
    z = (tone - tone[m].mean()) / sd
    sign = 1 if (not marks.any() or z[marks].mean() > 0) else -1
    z = (z * sign).astype(np.float32)
    for i, r in enumerate(_RADII):
        ring, inner, outer, disc = (
            cv2.filter2D(z, -1, _disc(a * r, b * r), borderType=cv2.BORDER_REFLECT)
            for a, b in ((0.75, 1.2), (0, 0.5), (1.45, 1.75), (0, 0.9))
        )
        out[f"rg{i}"] = np.percentile((ring - np.maximum(inner, outer))[m], 98.5)
        out[f"rn{i}"] = np.percentile((-ring - np.maximum(-inner, -outer))[m], 98.5)
        out[f"ds{i}"] = np.percentile((disc - outer)[m], 98.5)
        out[f"dn{i}"] = np.percentile(-(disc - outer)[m], 98.5)
    out["rgM"] = max(out[f"rg{i}"] for i in range(4))
    out["rgD"] = max(out[f"rg{i}"] - 0.5 * out[f"ds{i}"] for i in range(4))
