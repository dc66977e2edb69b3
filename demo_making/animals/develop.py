"""What lens and camera make of the light."""

from __future__ import annotations

import cv2
import numpy as np

from demo_making.animals.engine import F, mix, to_srgb


def develop(img, rng, exposure=0.72, grain=1.0):
    """Scene-linear -> what a camera writes: bloom, vignette, film curve, noise, JPEG."""
    h, w = img.shape[:2]
    k = w / 1280
    img = (
        img
        + 0.05 * (cv2.GaussianBlur(img, (0, 0), 9 * k) - img)
        + 0.04 * np.clip(cv2.GaussianBlur(np.clip(img - 0.9, 0, 4), (0, 0), 16 * k), 0, 1)
    )
    yy, xx = np.mgrid[-1 : 1 : h * 1j, -1 : 1 : w * 1j].astype(F)
    img = img * (1 - 0.17 * np.clip(xx**2 * 0.75 + yy**2 * 0.55, 0, 2))[..., None] * exposure
    img = np.clip(img, 0, None)
    curve = lambda v: v * (2.51 * v + 0.03) / (v * (2.43 * v + 0.59) + 0.14)
    lum = np.maximum(img @ np.array((0.25, 0.65, 0.10), F), 1e-5)[..., None]
    out = to_srgb(mix(curve(img), np.clip(img / lum * curve(lum), 0, 1.1), 0.45))
    noise = cv2.GaussianBlur(rng.normal(0, 1, (h, w)).astype(F), (0, 0), 0.55)[..., None]
    chroma = cv2.GaussianBlur(rng.normal(0, 1, (h, w, 3)).astype(F), (0, 0), 1.1) * 1.4
    amp = 0.011 * (1.1 - 0.7 * out.mean(2, keepdims=True)) * grain
    out = out + amp * (1.2 * noise + 0.55 * chroma)
    pic = (np.clip(out, 0, 1) * 255 + 0.5).astype(np.uint8)
    ok, buf = cv2.imencode(".jpg", pic[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 92])
    return np.ascontiguousarray(cv2.imdecode(buf, cv2.IMREAD_COLOR)[..., ::-1])


def lens_blur(img, coc):
    """Premultiplied rgba blurred by a per-pixel radius: blend of a few blurred copies."""
    levels = [0, 0.8, 1.6, 3.0, 5.5]
    stack = [img] + [cv2.GaussianBlur(img, (0, 0), s) for s in levels[1:]]
    out = np.zeros_like(img)
    for a, b, ia, ib in zip(levels[:-1], levels[1:], stack[:-1], stack[1:]):
        t = np.clip((coc - a) / (b - a), 0, 1)[..., None]
        inside = ((coc >= a) & (coc < b))[..., None]
        out = np.where(inside, mix(ia, ib, t), out)
    return np.where((coc >= levels[-1])[..., None], stack[-1], out)
