"""Feather engine of the synthetic bird portraits: sprites, tracts, G-buffer, light.

World units: one unit is one pixel of a 1600 px high picture (times the scene's zoom); x right
from the picture's centre line, y down from its top edge, z towards the viewer.
Colours are linear light unless a name says sRGB.
"""

from functools import lru_cache

import cv2
import numpy as np
from scipy.ndimage import distance_transform_edt
from scipy.spatial import cKDTree

from demo_making.animals.engine import lin, unit
from demo_making.animals.engine import smooth as step

F = np.float32
LEVELS = (256, 128, 64, 32)  # sprite heights kept, largest first
HALF = 66.0 / 160.0  # vane half width as a share of the sprite's width

# barbs per side, reach of a barb along the shaft, where the tip starts to round, roundness of
# the tip, barb length jitter, clumping, split size, barb thickness at its
# root and end, and where the base has faded in
KINDS = {
    "soft": dict(n=190, reach=0.40, m=0.38, q=0.50, jit=0.09, clump=0.40, split=0.016, thick=5, end=2, fade=0.45),
    "firm": dict(n=110, reach=0.16, m=0.45, q=0.50, jit=0.035, clump=0.30, split=0.008, thick=7, end=6, fade=0.25),
    "flight": dict(n=170, reach=0.11, m=0.82, q=0.50, jit=0.008, clump=0.15, split=0.003, thick=5, end=6, fade=0.03),
    "stiff": dict(n=80, reach=0.26, m=0.40, q=0.50, jit=0.04, clump=0.20, split=0.008, thick=9, end=7, fade=0.15),
}


LIN8 = lin(np.arange(256))
PARTS = ("background", "disc", "ruff", "crown", "back", "breast", "wing", "eye", "pupil", "beak", "perch")
LABEL = {n: i for i, n in enumerate(PARTS)}
GOLD, DEEP, GREY, WHITE, RUST, DARK = map(
    lin, ((208, 168, 116), (174, 126, 78), (134, 127, 124), (242, 236, 226), (176, 104, 48), (58, 42, 32))
)


def srgb(c):
    """Linear 0..1 to sRGB 0..255 (float)."""
    c = np.clip(c, 0, 1)
    return (255 * np.where(c <= 0.0031308, c * 12.92, 1.055 * c ** (1 / 2.4) - 0.055)).astype(F)


def noise(rng, h, w, cell, octaves=3, aspect=1.0, gain=0.5):
    """Fractal value noise, about -1..1; cells are `cell` px wide and cell*aspect px high."""
    out, amp, tot = np.zeros((h, w), F), 1.0, 0.0
    for _ in range(octaves):
        gh, gw = max(2, int(h / (cell * aspect)) + 2), max(2, int(w / cell) + 2)
        out += amp * cv2.resize(rng.uniform(-1, 1, (gh, gw)).astype(F), (w, h), interpolation=cv2.INTER_CUBIC)
        tot, amp, cell = tot + amp, amp * gain, max(cell / 2, 1.01)
    return out / tot * 1.6


def enlarge(a, q, w, h):
    """Coarse samples taken at every q-th pixel to a full (h, w) array."""
    a = cv2.resize(np.ascontiguousarray(a, F), None, fx=q, fy=q, interpolation=cv2.INTER_CUBIC)
    return a[q // 2 : q // 2 + h, q // 2 : q // 2 + w]


# ------------------------------------------------------------------ sprites
def make_sprite(rng, kind):
    """One feather, root at the top centre: list of (alpha V U shade, du dv shadow) per level.

    V runs 0..1 from root to tip, U -1..1 across the vane, (du, dv) is the barb direction.
    """
    k, ss = KINDS[kind], 3
    h, w = 256 * ss, 160 * ss
    img = np.zeros((h, w, 4), np.uint8)  # barb root, shade, du, dv
    bend = rng.normal(0, 0.05)
    width = lambda v: (0.25 + 0.75 * step(0, 0.4, v)) * np.clip(1 - np.clip((v - k["m"]) / (1 - k["m"]), 0, 1) ** 2.2, 0, 1) ** k["q"]
    px = lambda u, v: ((u + bend * v * v) * HALF * w + w / 2, v * (h - 40) + 12)

    def draw(us, vs, root, shade, t0, t1):
        """Draw barbs given as arrays (n, k), tapering from t0 to t1 px."""
        k = us.shape[1] - 1
        pts = np.stack(px(us, vs), -1).round().astype(int).tolist()
        du, dv = np.diff(us, axis=1) + 1e-6, np.diff(vs, axis=1) / HALF / w * h
        n = 1 / np.hypot(du, dv)
        one = np.ones_like(du)
        code = np.stack(
            [255 * root.clip(0, 1) * one, np.clip(128 * shade, 0, 255) * one, 128 + 126 * du * n, 128 + 126 * dv * n], -1
        ).tolist()
        thick = [max(1, int(round(t0 + (t1 - t0) * (i / k) ** 0.8))) for i in range(k)]
        for p, c in zip(pts, code):
            for i in range(k):
                cv2.line(img, p[i], p[i + 1], c[i], thick[i])

    s = np.linspace(0, 1, 7)
    for side in (-1, 1):
        n = k["n"]
        v0 = np.clip(np.linspace(0, 0.965, n) + rng.normal(0, 0.002, n), 0, 0.98)
        v1 = v0 + k["reach"] * (1 - 0.82 * v0**2.5) * (1 + rng.normal(0, 0.03, n))
        group = np.searchsorted(np.cumsum(rng.integers(3, 11, n)), np.arange(n), side="right")
        mean = np.array([v1[group == g].mean() for g in group])
        off = rng.normal(0, k["split"], n)[group] * (rng.random(n)[group] < 0.6)
        v1 = np.minimum(v1 + k["clump"] * (mean - v1) + off, 1.0)
        u1 = side * width(v1) * (1 + rng.normal(0, k["jit"], n) + 0.5 * rng.normal(0, k["jit"], n)[group])
        tip = np.minimum(v1 + 0.5 * k["reach"] * rng.normal(0, k["jit"], n) * v1, 1.02)
        u1, v0, tip = u1[:, None], v0[:, None], tip[:, None]
        us = 2 * s * (1 - s) * 0.55 * u1 + s * s * u1
        vs = (1 - s) ** 2 * v0 + 2 * s * (1 - s) * (v0 + 0.38 * (tip - v0)) + s * s * tip
        sh = (1 + rng.normal(0, 0.06, n)[group] + rng.normal(0, 0.05, n))[:, None]
        draw(us, vs, v0 * 1.03, sh * 0.86, k["thick"] + 3, k["end"])
        draw(us, vs, v0 * 1.03, sh, k["thick"] * 0.55, 1)
    sv = np.linspace(0, 0.955, 20)[None]
    draw(sv * 0, sv, sv[:, :-1], 1.16 if kind == "flight" else 0.96, 8 if kind == "flight" else 3, 2)
    mask = (img[..., 2:3] > 0).astype(F)
    pm = np.concatenate([img.astype(F) * mask, mask], 2)
    levels = []
    for lh in LEVELS:
        lw = lh * 160 // 256
        a = cv2.resize(pm, (lw, lh), interpolation=cv2.INTER_AREA)
        blur = cv2.GaussianBlur(a, (0, 0), max(lh / 40, 1))
        full = np.where(a[..., 4:] > 0.08, a[..., :4] / np.maximum(a[..., 4:], 0.08), blur[..., :4] / np.maximum(blur[..., 4:], 1e-3))
        y, x = np.mgrid[0:lh, 0:lw].astype(F)
        v = ((y + 0.5) / lh * h - 12) / (h - 40)
        u = ((x + 0.5) / lw - 0.5) / HALF - bend * v * v
        alpha = a[..., 4] * step(0, k["fade"], v) * (1 - (0.45 if kind == "soft" else 0.1) * step(0.75, 1, v))
        shadow = cv2.GaussianBlur(np.roll(alpha, lh // 40, 0), (0, 0), lh / 34) * step(0.25, 0.7, v)
        levels.append(
            (
                np.dstack([alpha, 0.6 * v + 0.4 * full[..., 0] / 255, u, full[..., 1] / 128]).astype(F),
                np.dstack([(full[..., 2] - 128) / 126, (full[..., 3] - 128) / 126, shadow]).astype(F),
            )
        )
    return levels


@lru_cache(maxsize=4)
def sprite_library(seed, n=9):
    """Feather sprites of every kind; kept, so that further renders start at once."""
    rng = np.random.default_rng(seed)
    return {k: [make_sprite(rng, k) for _ in range(n)] for k in KINDS}


# ----------------------------------------------------------------- geometry
def rotation(yaw=0, pitch=0, roll=0):
    """Head or part rotation in degrees: yaw turns right, pitch looks down, roll tilts clockwise."""
    y, p, r = np.radians([yaw, pitch, roll])
    ry = np.array([[np.cos(y), 0, np.sin(y)], [0, 1, 0], [-np.sin(y), 0, np.cos(y)]])
    rp = np.array([[1, 0, 0], [0, np.cos(p), np.sin(p)], [0, -np.sin(p), np.cos(p)]])
    rr = np.array([[np.cos(r), -np.sin(r), 0], [np.sin(r), np.cos(r), 0], [0, 0, 1]])
    return (rr @ ry @ rp).astype(F)


def ellipsoid(centre, radii, rot=None):
    c, r = np.array(centre, F), np.array(radii, F)
    m = np.eye(3, dtype=F) if rot is None else rot

    def sdf(p):
        q = (p - c) @ m
        k0, k1 = (np.sqrt(np.einsum("...i,...i", v, v)) for v in (q / r, q / (r * r)))
        return k0 * (k0 - 1) / np.maximum(k1, 1e-9)

    return sdf


def union(parts, k):
    """Smooth union of distance functions; k is the blend radius."""

    def sdf(p):
        d = parts[0](p)
        for f in parts[1:]:
            e = f(p)
            t = np.clip(0.5 + 0.5 * (d - e) / k, 0, 1)
            d = d * (1 - t) + e * t - k * t * (1 - t)
        return d

    return sdf


class Layer:
    """Height, normals, occlusion and cast shadow of one distance function, at full size."""

    def __init__(self, sdf, world, w, h, s, light, rough=0.0, rng=None):
        q = max(4, round(9 * s))  # the body is smooth: solve it coarsely
        xs, ys = (np.arange(0, w + q, q) - w / 2) / s, np.arange(0, h + q, q) / s
        x, y = np.meshgrid(xs.astype(F), ys.astype(F))
        p, near = np.stack([x, y, np.full_like(x, 800)], -1), np.full_like(x, 1e9)
        for _ in range(70):
            d = sdf(p)
            near = np.minimum(near, d)
            p[..., 2] -= np.clip(d * 0.85, -20, 60)
        hit = (near < 1.5) & (p[..., 2] > -900)
        idx = distance_transform_edt(~hit, return_distances=False, return_indices=True)
        p[..., 2] = p[..., 2][tuple(idx)]
        e = 2.0
        n = unit(np.stack([sdf(p + e * v) - sdf(p - e * v) for v in np.eye(3, dtype=F)], -1))[tuple(idx)]
        ao = 0.20 + 0.80 * sum(np.clip(world(p + n * t) / t, 0, 1) * wt for t, wt in ((25, 0.2), (70, 0.35), (170, 0.45)))
        sun, t = np.ones_like(x), 14.0
        for _ in range(26):
            sun, t = np.minimum(sun, np.clip(0.5 + 2.6 * world(p + n * 16 + light * t) / t, 0, 1)), t * 1.18 + 4
        up = lambda a: enlarge(a, q, w, h)
        self.z, self.n, self.ao, self.sun = up(p[..., 2]), unit(up(n)), up(ao)[..., None], np.clip(up(step(0, 1, sun)), 0, 1)[..., None]
        if rough:  # fluffed clumps of feathers
            f = noise(rng, h, w, 190 * s, 4, aspect=1.5) * 60 * s
            self.n = unit(self.n - rough * np.dstack([cv2.Sobel(f, -1, 1, 0, scale=0.125), cv2.Sobel(f, -1, 0, 1, scale=0.125), 0 * f]))
        self.grid = (p, n, hit)
        self.core = step(0.2, 0.9, up(step(1.2, 3, distance_transform_edt(hit))))  # safely inside the outline
        self.env = np.dstack([self.n, self.z, self.ao, self.sun])


def scatter(rng, layer, spacing, where, dense=9):
    """Poisson points on the visible surface: positions and normals. `where(p)` gives a mask."""
    p, n, hit = layer.grid
    p, n = p[hit], n[hit]
    keep = where(p)
    p, n = p[keep], n[keep]
    cell = (layer.grid[0][0, 1, 0] - layer.grid[0][0, 0, 0]) ** 2
    wt = 1 / np.clip(n[:, 2], 0.14, 1)
    count = int(dense * wt.sum() * cell / np.mean(spacing(p)) ** 2)
    i = rng.choice(len(p), count, p=wt / wt.sum())
    jit = rng.uniform(-0.5, 0.5, (count, 3)) * np.sqrt(cell)
    jit[:, 2] = -(jit[:, 0] * n[i, 0] + jit[:, 1] * n[i, 1]) / np.clip(n[i, 2], 0.2, 1)
    p, n = (p[i] + jit).astype(F), n[i]
    r, tree, alive, kept = spacing(p), cKDTree(p), np.ones(count, bool), []
    for j in range(count):
        if alive[j]:
            kept.append(j)
            alive[tree.query_ball_point(p[j], r[j])] = False
    return p[kept], n[kept], r[kept]


# ----------------------------------------------------------------- G-buffer
class GBuffer:
    """Deferred picture: colour, normal, depth, occlusion, sun, barb direction, marking, sheen, own light."""

    RGB, NRM, Z, AO, SUN, DIR, MARK, SHEEN, EMIT = slice(0, 3), slice(3, 6), 6, 7, 8, slice(9, 11), 11, 12, 13
    CH = 14

    def __init__(self, w, h, s):
        self.w, self.h, self.s = w, h, s
        self.g, self.cov = np.zeros((h, w, self.CH), F), np.zeros((h, w), F)
        self.label, self.row = np.zeros((h, w), np.uint8), np.full((h, w), np.nan, F)
        self.axis = np.full((h, w), np.nan, F)  # the feather's own axis, degrees

    def to_px(self, p):
        return np.stack([p[..., 0] * self.s + self.w / 2, p[..., 1] * self.s], -1)

    def blend(self, box, alpha, feat, label, spacing=np.nan, axis=np.nan):
        y0, y1, x0, x1 = box
        a = alpha[..., None]
        self.g[y0:y1, x0:x1] += a * (feat - self.g[y0:y1, x0:x1])
        c = self.cov[y0:y1, x0:x1]
        c += alpha * (1 - c)
        hard = alpha > 0.5
        self.label[y0:y1, x0:x1][hard] = label
        self.row[y0:y1, x0:x1][hard] = spacing
        self.axis[y0:y1, x0:x1][hard] = axis

    def stamp(self, sprite, p, t, b, length, width, paint, layer, label, spacing, curl=0.5, cup=0.35, shade=0.55):
        """Paint one feather: root p, unit 3-D axes t (to the tip) and b (across)."""
        s = self.s
        o = self.to_px(p)
        tv, bv = t[:2] * length * s, b[:2] * width * 0.5 * s
        size = max(np.hypot(*tv), np.hypot(*bv))
        lv = max(i for i, lh in enumerate(LEVELS) if i == 0 or lh >= size * 0.9)
        a4, b3 = sprite[lv]
        lh, lw = a4.shape[:2]
        mx, my = bv / (HALF * lw), tv / (lh * 0.96)
        m = np.array(
            [[mx[0], my[0], o[0] - mx[0] * lw / 2 - my[0] * lh * 0.015], [mx[1], my[1], o[1] - mx[1] * lw / 2 - my[1] * lh * 0.015]]
        )
        if abs(np.linalg.det(m[:, :2])) < 1e-4 or np.hypot(*t[:2]) < 0.3:  # seen end on
            return
        cor = np.array([[0, 0, 1], [lw, 0, 1], [0, lh, 1], [lw, lh, 1]]) @ m.T
        x0, y0 = np.floor(cor.min(0)).astype(int)
        x1, y1 = np.ceil(cor.max(0)).astype(int) + 1
        x0, y0, x1, y1 = max(x0, 0), max(y0, 0), min(x1, self.w), min(y1, self.h)
        if x1 - x0 < 2 or y1 - y0 < 2:
            return
        m[:, 2] -= (x0, y0)
        pa = cv2.warpAffine(a4, m, (x1 - x0, y1 - y0), flags=cv2.INTER_LINEAR)
        pb = cv2.warpAffine(b3, m, (x1 - x0, y1 - y0), flags=cv2.INTER_LINEAR)
        alpha, v, u, sh = cv2.split(pa)
        du, dv, dark = cv2.split(pb)
        g = self.g[y0:y1, x0:x1]
        g[..., self.AO] = np.maximum(g[..., self.AO] * (1 - shade * dark * (1 - alpha)), np.minimum(g[..., self.AO], 0.24))
        rgb, mark, sheen = paint(u, v, sh)
        dx, dy = du * bv[0] + dv * tv[0], -(du * bv[1] + dv * tv[1])
        r2 = np.maximum(dx * dx + dy * dy, 1e-6)
        feat = np.empty(alpha.shape + (self.CH,), F)
        feat[..., :3] = rgb
        env = layer.env[y0:y1, x0:x1]
        tilt = curl * (step(0.55, 1, v) - 0.35)
        feat[..., 3:6] = env[..., :3] + (tilt[..., None] * t + (cup * u)[..., None] * b)
        feat[..., 6:9] = env[..., 3:6]
        feat[..., 9], feat[..., 10] = (dx * dx - dy * dy) / r2, 2 * dx * dy / r2
        feat[..., 11], feat[..., 12], feat[..., 13] = mark, sheen, 0
        feat[..., self.AO] *= 1 - 0.30 * step(0.75, 0.35, v)
        self.blend((y0, y1, x0, x1), alpha, feat, label, spacing, np.degrees(np.arctan2(-tv[1], tv[0])) % 180)

    def fill(self, layer, mask, colour, label, dim=0.7):
        """Down under the feathers, so that gaps show plumage and not the background."""
        feat = np.zeros((self.h, self.w, self.CH), F)
        feat[..., :3], feat[..., 3:9] = colour, layer.env
        feat[..., self.AO] *= dim
        self.blend((0, self.h, 0, self.w), mask.astype(F), feat, label)

    def strands(self, pts, rgb, width, box, label, layer, alpha=1.0, bump=0.9, roll_amount=0.45):
        """Fine hairs: pts (n, k, 2) picture px; rgb (n, k, 3) linear; drawn in order at twice the size."""
        y0, y1, x0, x1 = box
        size = (2 * (y1 - y0), 2 * (x1 - x0), 3)
        col, aux = np.zeros(size, np.uint8), np.zeros(size, np.uint8)
        q = ((pts - (x0, y0)) * 2 * 16).round().astype(int)
        d = np.diff(pts, axis=1)
        th2 = 2 * np.arctan2(-d[..., 1], d[..., 0])
        c8, k = srgb(rgb), pts.shape[1] - 1
        roll = np.random.default_rng(len(pts)).uniform(100, 255, (len(pts), 1))
        code = np.stack([128 + 127 * np.cos(th2), 128 + 127 * np.sin(th2), roll + 0 * th2], -1)
        q, c8, code = q.tolist(), c8.tolist(), code.tolist()
        for i in range(len(q)):
            for j in range(k):
                t = max(1, int(round(width[i] * 2 * self.s * (1 - 0.75 * j / k))))
                cv2.line(col, q[i][j], q[i][j + 1], c8[i][j], t, cv2.LINE_AA, 4)
                cv2.line(aux, q[i][j], q[i][j + 1], code[i][j], t, cv2.LINE_8, 4)
        half = lambda im: cv2.resize(im.astype(F), (x1 - x0, y1 - y0), interpolation=cv2.INTER_AREA).reshape(y1 - y0, x1 - x0, -1).squeeze()
        on = (aux[..., 2:] > 0).astype(F)
        m = half(on)
        div = np.maximum(m, 0.05)[..., None]
        col, way = half(LIN8[col] * on) / div, half(aux * on) / div
        lum = cv2.GaussianBlur(col.mean(-1) * m, (0, 0), 0.7)
        feat = np.empty(m.shape + (self.CH,), F)
        feat[..., :3] = col
        env = layer.env[y0:y1, x0:x1]
        feat[..., 3:9] = env
        feat[..., 3] -= bump * cv2.Sobel(lum, -1, 1, 0, scale=0.25)
        feat[..., 4] -= bump * cv2.Sobel(lum, -1, 0, 1, scale=0.25)
        feat[..., 9:11] = (way[..., :2] - 128) / 127
        th, k = np.arctan2(feat[..., 10], feat[..., 9]) / 2, (way[..., 2] - 178) / 78 * roll_amount
        feat[..., 3] += k * np.sin(th)
        feat[..., 4] += k * np.cos(th)
        feat[..., 11:] = 0
        self.blend(box, m * alpha, feat, label)


# -------------------------------------------------------------- light, lens
def shade(g, light, sun=(3.35, 2.78, 2.10), sky=(0.31, 0.43, 0.66), ground=(0.24, 0.225, 0.16)):
    """Light a G-buffer: returns linear RGB. The normal's y points down, so the sky is at -y."""
    n = unit(g[..., 3:6])
    alb, ao, cast = g[..., :3], np.clip(g[..., 7:8], 0, 1), g[..., 8:9]
    ndl = n @ light.astype(F)
    sunk = (np.clip((ndl + 0.18) / 1.18, 0, 1) ** 1.15)[..., None] * cast * (0.45 + 0.55 * ao)
    up = -n[..., 1:2]
    amb = (np.array(sky, F) * (0.5 + 0.5 * up) + np.array(ground, F) * (0.5 - 0.5 * up)) * 1.05
    soft = ao ** np.clip(1.5 - 0.9 * alb, 0.5, 1.5)  # light bounces between pale feathers
    out = alb * (np.array(sun, F) * sunk + amb * soft)
    half = unit(light + np.array([0, 0, 1]))
    ndh = np.clip(n @ half.astype(F), 0, 1)
    sheen = g[..., 12:13]
    if sheen.max() > 0:  # thin-film colour follows the angle
        ph = np.clip(1 - ndh, 0, 1)[..., None]
        film = (
            np.array((0.46, 0.20, 0.98), F)
            + step(0.02, 0.22, ph) * np.array((-0.30, 0.10, -0.02), F)
            + step(0.2, 0.6, ph) * np.array((-0.08, 0.18, -0.46), F)
        )
        gloss = 0.045 * ndh**3 + 0.13 * ndh**14 + 0.16 * ndh**60 + 0.03 * (1 - np.clip(n[..., 2], 0, 1)) ** 3
        out += sheen * film.clip(0) * gloss[..., None] * (cast * np.array(sun, F) * 0.55 + 0.35 * np.array(sky, F)) * ao
    rim = (1 - np.clip(n[..., 2:3], 0, 1)) ** 3
    out += rim * alb * np.array(sky, F) * 0.35 * ao
    return out + g[..., 13:14] * (alb - out)


def lens_blur(img, radius):
    """Aperture disc blur with a slightly bright edge, as a real lens has."""
    r = int(np.ceil(radius)) + 1
    y, x = np.mgrid[-r : r + 1, -r : r + 1].astype(F)
    d = np.hypot(x, y)
    k = np.clip(radius + 0.5 - d, 0, 1) * (0.8 + 0.35 * step(0.6, 1, d / radius))
    return cv2.filter2D(img, -1, k / k.sum(), borderType=cv2.BORDER_REFLECT)


def develop(rng, rgb, exposure=1.0, grain=0.010, quality=92):
    """Camera: halation, vignette, tone curve, sensor noise, sRGB, JPEG. Returns uint8 RGB."""
    h, w = rgb.shape[:2]
    rgb = rgb * exposure
    rgb = rgb + 0.05 * (cv2.GaussianBlur(rgb, (0, 0), h / 90) - rgb)
    y, x = np.mgrid[-1 : 1 : h * 1j, -1 : 1 : w * 1j].astype(F)
    rgb = rgb * (1 - 0.22 * (x * x + y * y) / 2)[..., None] ** 1.3
    rgb = np.clip(rgb, 0, None)
    rgb = rgb * (1 + rgb / 3.2) / (1 + 0.82 * rgb)  # shoulder keeps white feathers from clipping
    rgb *= 0.80 + 0.20 * step(0, 0.30, rgb)  # toe: deeper shadows
    rgb += 0.45 * (rgb - cv2.GaussianBlur(rgb, (0, 0), 1.1))  # in-camera sharpening
    fine = rng.normal(0, 1, (h, w, 3)).astype(F)
    fine = 0.75 * cv2.GaussianBlur(fine, (0, 0), 0.7) * 1.9 + 0.5 * fine.mean(-1, keepdims=True)
    rgb = np.clip(rgb + fine * grain * np.sqrt(np.clip(rgb, 0.01, 1)) * 0.8, 0, 1)
    ok, buf = cv2.imencode(".jpg", srgb(rgb)[..., ::-1].round().astype(np.uint8), [cv2.IMWRITE_JPEG_QUALITY, quality])
    return cv2.imdecode(buf, cv2.IMREAD_COLOR)[..., ::-1].copy()
