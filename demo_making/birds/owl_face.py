"""The owl's facial disc: shape, strands, ruff and beak."""

from types import SimpleNamespace

import cv2
import numpy as np
from scipy.ndimage import map_coordinates

from demo_making.birds.plumage import LABEL, WHITE, F, enlarge, lin, noise, step, unit


class Face:
    """Facial disc in its own units (half width 1, x right, y down) and its place in the world."""

    OUT = np.array(
        [
            (0, -0.50),
            (0.10, -0.63),
            (0.32, -0.81),
            (0.61, -0.77),
            (0.84, -0.55),
            (0.965, -0.24),
            (0.98, 0.08),
            (0.90, 0.40),
            (0.73, 0.68),
            (0.50, 0.89),
            (0.25, 1.02),
            (0, 1.06),
        ],
        F,
    )
    EYE = np.array([0.385, -0.095], F)

    def __init__(self, centre, radius, rot):
        self.c, self.r, self.rot = np.array(centre, F), radius, rot
        half = np.vstack([self.OUT, self.OUT[-2:0:-1] * (-1, 1)])
        k = len(half)
        t = np.linspace(0, k, 720, endpoint=False)
        i, f = t.astype(int), (t % 1)[:, None]
        p = [half[(i + j) % k] for j in (-1, 0, 1, 2)]
        self.rim = (
            0.5
            * (2 * p[1] + (p[2] - p[0]) * f + (2 * p[0] - 5 * p[1] + 4 * p[2] - p[3]) * f**2 + (3 * p[1] - p[0] - 3 * p[2] + p[3]) * f**3)
        ).astype(F)
        n = 560  # signed distance to the rim, positive inside
        self.n, self.ext = n, 1.4
        m = np.zeros((n, n), np.uint8)
        cv2.fillPoly(m, [((self.rim + self.ext) / (2 * self.ext) * n).round().astype(np.int32)], 1)
        d = cv2.distanceTransform(m, cv2.DIST_L2, 5) - cv2.distanceTransform(1 - m, cv2.DIST_L2, 5)
        self.dist_map = cv2.GaussianBlur(d * 2 * self.ext / n, (0, 0), 3)

    def dist(self, x, y):
        k = self.n / (2 * self.ext)
        yx = [(np.atleast_1d(np.asarray(a, F)) + self.ext) * k - 0.5 for a in (y, x)]
        return map_coordinates(self.dist_map, yx, order=1, mode="nearest").reshape(np.shape(x))

    def z(self, x, y):
        d = self.dist(x, y)
        ax = np.abs(x)
        e2 = (ax - self.EYE[0]) ** 2 + (y - self.EYE[1]) ** 2
        ridge = 0.15 * np.exp(-((x / (0.10 + 0.10 * step(-0.5, 0.3, y))) ** 2)) * step(-0.7, -0.1, y) * step(0.66, 0.2, y)
        return (
            0.86
            - 0.29 * (x * x + 0.7 * y * y)
            + 0.085 * step(0.26, 0.02, d) * step(-0.20, 0.0, d)
            - 0.15 * np.exp(-e2 / 0.14)
            - 0.07 * np.exp(-((ax - 0.48) ** 2 + (y - 0.35) ** 2) / 0.10)
            + ridge
        )

    def place(self, x, y, z=None):
        p = np.stack([x, y, self.z(x, y) if z is None else z], -1) * self.r
        return (p @ self.rot.T + self.c).astype(F)

    def normal(self, x, y):
        e = 0.008
        n = np.stack(
            [-(self.z(x + e, y) - self.z(x - e, y)) / (2 * e), -(self.z(x, y + e) - self.z(x, y - e)) / (2 * e), np.ones_like(x)], -1
        )
        return unit(n) @ self.rot.T

    def layer(self, sc):
        """A Layer-like environment of the disc by inverting the projection."""
        q, inv = max(2, round(3.6 * sc.s)), np.linalg.inv(self.rot[:2, :2])
        xs, ys = (np.arange(0, sc.w + q, q) - sc.w / 2) / sc.s, np.arange(0, sc.h + q, q) / sc.s
        up = lambda a: enlarge(a, q, sc.w, sc.h)
        tgt = (np.stack(np.meshgrid(xs, ys), -1).astype(F) - self.c[:2]) / self.r
        f = tgt @ inv.T
        for _ in range(10):
            f = np.clip((tgt - self.z(f[..., 0], f[..., 1])[..., None] * self.rot[:2, 2]) @ inv.T, -1.35, 1.35)
        x, y = f[..., 0], f[..., 1]
        d = self.dist(x, y)
        ax = np.abs(x)
        e2 = (ax - self.EYE[0]) ** 2 + (y - self.EYE[1]) ** 2
        ao = (1 - 0.30 * np.exp(-e2 / 0.06)) * (
            1 - 0.30 * np.exp(-(((ax - 0.19 - 0.03 * y) / 0.09) ** 2)) * step(-0.5, -0.1, y) * step(0.6, 0.3, y)
        )
        ao *= 0.62 + 0.38 * step(-0.02, 0.14, d)
        sun, lf, z0 = np.ones_like(ao), sc.light @ self.rot, self.z(x, y)  # rim and ridge cast shadows
        for t in np.linspace(0.04, 0.75, 14):
            hz = self.z(np.clip(x + lf[0] * t, -1.35, 1.35), np.clip(y + lf[1] * t, -1.35, 1.35))
            sun = np.minimum(sun, np.clip(0.5 + 1.7 * (z0 + 0.03 + lf[2] * t - hz) / t, 0, 1))
        return SimpleNamespace(env=np.dstack([up(self.normal(x, y)), up(self.place(x, y)[..., 2]), up(ao), up(step(0, 1, sun))]), d=up(d))

    def flow(self, p):
        """Strand direction: away from the eye, turned down along the central ridge, up at the brow."""
        x, y = p[..., 0], p[..., 1]
        side = np.where(x >= 0, 1, -1)
        e = np.stack([self.EYE[0] * side, np.full_like(x, self.EYE[1])], -1)
        r = unit(p - e)
        w = np.exp(-((x / (0.06 + 0.10 * step(-0.5, -0.1, y))) ** 2)) * step(-0.66, -0.36, y)
        ridge = np.stack([np.clip(x * 5.5, -0.8, 0.8), np.full_like(x, 0.8)], -1)
        low = step(0.05, 0.9, y)[..., None]
        r = r * (1 - 0.25 * low) + low * 0.25 * np.array([0, 1], F)
        return unit(r * (1 - w[..., None]) + ridge * w[..., None])


def grow(face, root, length, rng, steps=6, curl=0.12):
    """Walk strands from `root` (n, 2) along the disc's flow; returns (n, steps + 1, 2)."""
    p, out = root.copy(), [root.copy()]
    turn = rng.normal(0, curl, len(root))
    for i in range(steps):
        d = face.flow(p)
        a = turn * (i + 1) / steps + rng.normal(0, 0.03, len(root))
        d = np.stack([d[:, 0] * np.cos(a) - d[:, 1] * np.sin(a), d[:, 0] * np.sin(a) + d[:, 1] * np.cos(a)], -1)
        p = p + d * (length / steps)[:, None]
        out.append(p)
    return np.stack(out, 1).astype(F)


def disc_strands(sc, face, lay, box, count=46000):
    """The disc: fine white filaments radiating from the eyes, laid from the rim inwards."""
    rng = sc.rng
    root = rng.uniform((-1.02, -0.9), (1.02, 1.1), (count * 2, 2)).astype(F)
    side = np.where(root[:, 0] >= 0, 1, -1)
    eye = np.stack([face.EYE[0] * side, np.full(len(root), face.EYE[1])], 1)
    r = np.linalg.norm((root - eye) * (1, 1.15), axis=1)
    d = face.dist(root[:, 0], root[:, 1])
    keep = (d > 0.0) & (r > 0.135)
    root, side, eye, r, d = root[keep][:count], side[keep][:count], eye[keep][:count], r[keep][:count], d[keep][:count]
    ang = np.arctan2(root[:, 1] - eye[:, 1], (root[:, 0] - eye[:, 0]) * side)
    length = np.clip(0.10 + 0.26 * r, 0.1, 0.28) * rng.uniform(0.6, 1.25, len(r))
    length = np.minimum(length, np.maximum(d + 0.05, 0.06))
    pts = grow(face, root, length, rng)
    ray = noise(rng, 2, 720, 4, 2)[0].clip(-0.9, 0.9)[(((ang + np.pi) / 6.2832 * 719).astype(int) + (side > 0) * 311) % 720]
    shd = (0.80 + 0.14 * ray + rng.normal(0, 0.09, len(r))).clip(0.55, 1.02)
    base = WHITE * np.array((1, 0.985, 0.96), F)
    tan = lin((176, 140, 104))
    lore = np.exp(-(((np.abs(root[:, 0]) - 0.235) / 0.085) ** 2 + ((root[:, 1] - 0.05) / 0.15) ** 2))
    warm = (0.85 * lore + 0.34 * np.exp(-(((r - 0.13) / 0.10) ** 2)) + 0.14 * rng.random(len(r)) + 0.20 * np.exp(-((d / 0.07) ** 2))).clip(
        0, 0.92
    )
    col = base + warm[:, None] * (tan * (1 - 0.7 * lore[:, None]) - base)
    along = np.linspace(0.70, 1.06, pts.shape[1])[None, :, None]
    rgb = col[:, None] * shd[:, None, None] * along
    order = np.argsort(-(r + rng.normal(0, 0.03, len(r))))
    px = sc.g.to_px(face.place(pts[..., 0], pts[..., 1]))
    wd = rng.uniform(1.0, 2.0, len(r))
    sc.g.strands(px[order], rgb[order], wd[order], box, LABEL["disc"], lay)


def face_hairs(sc, face, lay, box, root, length, col, width, lift=0.0, curl=0.15, roll=0.45):
    """Extra strands on top (ridge, lores, lashes), raised by `lift` towards the viewer."""
    pts = grow(face, root, length, sc.rng, curl=curl)
    d = np.abs(np.abs(pts) * (1, 0) + pts * (0, 1) - face.EYE)
    ok = np.hypot(d[..., 0] / 0.172, d[..., 1] / 0.125).min(1) > 1  # none across an eye
    pts, col, width = pts[ok], col[ok], width[ok]
    z = face.z(pts[..., 0], pts[..., 1]) + lift * np.linspace(0.3, 1, pts.shape[1])
    rgb = col[:, None] * np.linspace(0.74, 1.08, pts.shape[1])[None, :, None]
    sc.g.strands(sc.g.to_px(face.place(pts[..., 0], pts[..., 1], z)), rgb, width, box, LABEL["disc"], lay, roll_amount=roll)


def owl_beak(sc, face, lay):
    """Ivory beak hanging below the ridge."""
    g, rng = sc.g, sc.rng
    a, b = g.to_px(face.place(*np.array([0, 0.10, 1.00], F))), g.to_px(face.place(*np.array([0, 0.545, 1.02], F)))
    ax = (b - a) / np.linalg.norm(b - a)
    ln = np.linalg.norm(b - a)
    x0, y0, k = int(min(a[0], b[0]) - ln), int(a[1] - 0.4 * ln), int(ln * 2)
    y, x = np.mgrid[0:k, 0 : int(2.2 * ln)].astype(F)
    dx, dy = x + x0 - a[0], y + y0 - a[1]
    t, c = (dx * ax[0] + dy * ax[1]) / ln, (dx * ax[1] - dy * ax[0]) / ln
    hw = 0.205 * np.clip(1 - np.clip(t, 0, 1) ** 2.4, 0, 1) ** 0.75 * (0.7 + 0.3 * step(0, 0.45, t))
    m = step(-1.2 / ln, 1.2 / ln, hw - np.abs(c)) * step(1.0, 0.985, t) * step(-0.02, 0.02, t)
    e = np.clip(c / np.maximum(hw, 1e-3), -1, 1)
    col = lin((226, 200, 176)) * (1 - 0.32 * np.abs(e) ** 2.5)[..., None] * (1 - 0.10 * step(0.75, 1, t))[..., None]
    col = col + (step(0.5, 0.1, t) * 0.5)[..., None] * (lin((214, 168, 150)) - col)
    col *= (1 + 0.06 * noise(rng, *t.shape, ln * 0.06, 3, aspect=3))[..., None]
    col += (0.55 * np.exp(-(((e + 0.28) / 0.10) ** 2)) * np.exp(-(((t - 0.66) / 0.16) ** 2)))[..., None]
    feat = np.zeros(t.shape + (g.CH,), F)
    box = (y0, y0 + k, x0, x0 + t.shape[1])
    feat[..., 3:9] = lay.env[y0 : y0 + k, x0 : x0 + t.shape[1]]
    feat[..., 3], feat[..., 4], feat[..., 5] = e * 1.1, -0.5 + 1.5 * t**2, 0.75
    feat[..., g.RGB], feat[..., g.AO], feat[..., g.SUN] = col, 1 - 0.5 * step(0.6, 0.1, t), 1
    sh = cv2.GaussianBlur(m, (0, 0), ln * 0.10)  # contact shadow on the chin
    sh = np.roll(sh, (int(ln * 0.07), int(ln * 0.07)), (0, 1))
    g.g[y0 : y0 + k, x0 : x0 + t.shape[1], g.AO] *= 1 - 0.75 * sh
    g.g[y0 : y0 + k, x0 : x0 + t.shape[1], g.SUN] *= 1 - 0.7 * sh
    g.blend(box, m, feat, LABEL["beak"])


def ruff(sc, face, lay, rows):
    """Rows of small stiff feathers around the disc, outermost row first."""
    rng, n = sc.rng, len(face.rim)
    nrm = np.roll(face.rim, -1, 0) - np.roll(face.rim, 1, 0)
    nrm = unit(np.stack([nrm[:, 1], -nrm[:, 0]], -1))
    nrm = unit(cv2.blur(np.vstack([nrm] * 3).astype(F), (1, 41), borderType=cv2.BORDER_REPLICATE)[n : 2 * n])
    nrm *= np.sign((nrm * (face.rim - (0, 0.1))).sum(1).mean())
    seg = np.linalg.norm(np.diff(face.rim, axis=0, append=face.rim[:1]), axis=1)
    arc = np.cumsum(seg)
    for off, gap, ln, wd, paint in rows:
        for a in rng.permutation(np.arange(0, arc[-1], gap)) + rng.uniform(-0.3, 0.3) * gap:
            i = int(np.searchsorted(arc, a + rng.normal(0, gap * 0.2))) % n
            q = face.rim[i] - nrm[i] * (off + rng.normal(0, 0.014))
            f2 = unit(nrm[i] + (0, 0.25) + rng.normal(0, 0.14, 2))
            p, nn = face.place(q[0], q[1]), face.normal(q[0], q[1])
            f3 = face.rot @ np.array([f2[0], f2[1], -0.5], F)
            sc.feather(
                "stiff",
                p,
                nn,
                f3,
                ln * face.r * rng.normal(1, 0.17),
                wd * face.r * rng.normal(1, 0.17),
                paint(q),
                lay,
                "ruff",
                gap * face.r,
                lift=0.06,
                curl=0.6,
                cup=0.4,
                shade=0.55,
            )
