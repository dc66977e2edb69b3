"""Out-of-focus surroundings."""

from __future__ import annotations

import cv2
import numpy as np

from demo_making.animals.engine import F, lin, mix, smooth


def disc_blur(img, r):
    r = max(r, 1.0)
    n = int(np.ceil(r))
    yy, xx = np.mgrid[-n : n + 1, -n : n + 1]
    k = smooth(r + 0.7, r - 0.7, np.hypot(xx, yy)).astype(F)
    return cv2.filter2D(img, -1, k / k.sum(), borderType=cv2.BORDER_REFLECT)


def cloud(h, w, cells, rng, octaves=4):
    out, a = np.zeros((h, w), F), 1.0
    for o in range(octaves):
        g = rng.uniform(-1, 1, (max(2, int(cells * h / w * 2**o) + 2), int(cells * 2**o) + 2))
        out += a * cv2.resize(g.astype(F), (w, h), interpolation=cv2.INTER_CUBIC)
        a *= 0.5
    return out


def garden(w, h, rng, sx):
    """Hedge in the shade, sunlit leaves as bokeh, lawn below; linear light, blurred like a lens."""
    W, H = 640, int(640 * h / w)
    img = np.zeros((H, W, 3), F)
    y = np.linspace(0, 1, H, dtype=F)[:, None]
    x = np.linspace(-1, 1, W, dtype=F)[None]
    n = cloud(H, W, 5, rng)
    depth = smooth(-0.9, 1.1, n + 0.5 * sx * x)[..., None]
    img[:] = mix(lin((26, 38, 24)), lin((104, 128, 66)), depth**1.3)
    img = mix(img, lin((150, 176, 150)) * 1.2, smooth(0.35, -0.1, y + 0.12 * n)[..., None] * 0.45)
    far = img.copy()
    for layer, specs in (
        (far, ((1, 3, 500, (120, 150, 70), 0.7), (1, 2, 160, (250, 246, 205), 1.8))),
        (img, ((2, 11, 330, (74, 104, 46), 0.7), (1, 5, 260, (158, 172, 96), 0.9), (1, 2, 34, (255, 246, 214), 4.0))),
    ):
        for lo, hi, cnt, col, amp in specs:
            hub = rng.uniform(0, 1, (7, 2)) * (W, H * 0.7)
            for _ in range(cnt):
                cx, cy = hub[rng.integers(7)] + rng.normal(0, 1, 2) * (W * 0.12, H * 0.14)
                if cy > H * 0.62 or rng.random() > 0.55 + 0.45 * sx * (cx / W * 2 - 1):
                    continue
                c = lin(np.array(col) * rng.uniform(0.75, 1.12, 3)) * amp * rng.uniform(0.2, 1.2)
                ax = (int(rng.uniform(lo, hi)) + 1, int(rng.uniform(lo, hi) * 0.6) + 1)
                cv2.ellipse(layer, (int(cx), int(cy)), ax, rng.uniform(0, 180), 0, 360, c.tolist(), -1)
    img = mix(disc_blur(far, 6), img, smooth(-0.5, 0.6, cloud(H, W, 4, rng))[..., None])
    for _ in range(26):  # flower border
        cx, cy = rng.uniform(0, W), H * rng.uniform(0.50, 0.64)
        c = lin(rng.choice([(206, 150, 190), (226, 214, 150), (190, 170, 220)])) * rng.uniform(0.5, 1.2)
        cv2.circle(img, (int(cx), int(cy)), int(rng.uniform(2, 5)), c.tolist(), -1)
    for _ in range(70):  # sky through the leaves
        cx, cy = W * (0.5 - sx * -0.30) + rng.normal(0, W * 0.16), abs(rng.normal(0, H * 0.16))
        cv2.circle(img, (int(cx), int(cy)), int(rng.uniform(1, 4)), (lin((224, 232, 214)) * rng.uniform(0.4, 2.2)).tolist(), -1)
    trunk = smooth(0.10, 0.06, np.abs(x + 0.62 * sx - 0.05 * y + 0.03 * np.sin(5 * y))) * smooth(0.72, 0.64, y)
    img = mix(img, lin((58, 46, 36)) * (0.7 + 0.6 * smooth(0.1, -0.1, x + 0.62 * sx)[..., None]), (trunk * 0.8)[..., None])
    lawn = mix(lin((84, 100, 52)), lin((136, 146, 86)), smooth(-1, 1, cloud(H, W, 9, rng))[..., None])
    lawn = lawn * (0.8 + 0.5 * smooth(-0.5, 1.0, sx * x + 0.6 * cloud(H, W, 4, rng))[..., None])
    img = mix(img, lawn, smooth(0.60, 0.68, y + 0.02 * cloud(H, W, 6, rng))[..., None])
    return cv2.resize(disc_blur(disc_blur(img, 11), 3), (w, h), interpolation=cv2.INTER_CUBIC)


def stable(w, h, rng, sx):
    """Dark doorway: faint planks, a warm edge of light, out of focus."""
    W, H = 640, int(640 * h / w)
    y = np.linspace(0, 1, H, dtype=F)[:, None]
    x = np.linspace(-1, 1, W, dtype=F)[None]
    base = lin((62, 55, 49)) * (0.12 + 0.95 * smooth(1.1, -1.0, -sx * x + 0.5 * y) ** 1.6)[..., None]
    plank = (0.82 + 0.18 * np.sign(np.sin(38 * x + 0.3 * np.sin(3 * y))))[..., None]
    img = (base * plank * (1 + 0.25 * cloud(H, W, 8, rng))[..., None]).astype(F)
    post = smooth(0.07, 0.05, np.abs(x - 0.70)) + 0.5 * smooth(0.04, 0.03, np.abs(y - 0.80))
    img = mix(img, lin((70, 60, 50)) * (0.35 + 0.3 * y)[..., None], np.clip(post, 0, 1)[..., None])
    glow = np.exp(-(((x + 0.95 * -np.sign(sx) * -1) / 0.55) ** 2) - ((y - 0.2) / 0.6) ** 2)[..., None]
    img = np.clip(img + glow * lin((112, 104, 92)) * 0.35, 0, None).astype(F)
    return cv2.resize(disc_blur(img, 13), (w, h), interpolation=cv2.INTER_CUBIC)
