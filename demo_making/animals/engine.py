"""Engine for synthetic animal portraits: implicit 3-D shapes, ray casting, and
order-correct rendering of several hundred thousand hairs (an A-buffer in numpy).

Axes of the animal: x to the nose, y up, z sideways.  All light is linear; colours are
given as sRGB 0..255 and converted once with `lin`.
"""

from __future__ import annotations

import numpy as np
from scipy import ndimage

F = np.float32
PARTS = ["background", "coat", "ear_inside", "eye", "iris", "pupil", "nose", "mouth", "whisker", "lid", "skin"]
PART = {n: i for i, n in enumerate(PARTS)}


def lin(c):
    c = np.asarray(c, F) / 255
    return np.where(c <= 0.04045, c / 12.92, ((c + 0.055) / 1.055) ** 2.4).astype(F)


def to_srgb(x):
    x = np.clip(x, 0, 1)
    return np.where(x <= 0.0031308, x * 12.92, 1.055 * x ** (1 / 2.4) - 0.055).astype(F)


def unit(v, axis=-1):
    return v / np.maximum(np.linalg.norm(v, axis=axis, keepdims=True), 1e-9)


def smooth(a, b, x):
    t = np.clip((x - a) / (b - a), 0, 1)
    return t * t * (3 - 2 * t)


def mix(a, b, t):
    return a + (b - a) * t


class Noise3:
    """Smooth periodic value noise in 3-D, about -1..1; `octaves` adds finer detail."""

    def __init__(self, rng, n=24):
        self.g = rng.uniform(-1, 1, (n, n, n)).astype(F)

    def __call__(self, p, freq, octaves=1):
        out, amp, tot = 0, 1.0, 0.0
        for o in range(octaves):
            q = np.asarray(p, F).T * freq * 2**o + 17.3 * o
            i = np.floor(q)
            f = q - i
            out = out + amp * ndimage.map_coordinates(self.g, i + f * f * (3 - 2 * f), order=1, mode="grid-wrap")
            tot += amp
            amp *= 0.5
        return out / tot * 1.6


# ------------------------------------------------------------------ implicit shapes
def smin(a, b, k):
    h = np.maximum(k - np.abs(a - b), 0) / k
    return np.minimum(a, b) - h * h * k * F(0.25)


class Prim:
    """Ellipsoid (r = 3 radii), sphere (r scalar) or round cone (b, rb); `sym` mirrors it in z.
    Also carries what grows on it: direction (`grow`: vector, or ('from', point)), hair
    length and lift (radians), used as a soft mixture near the surface."""

    def __init__(self, a, r, b=None, rb=None, k=0.08, sym=False, rot=0.0, zs=1.0, carve=False, grow=None, length=0.06, lift=0.45, w=1.0):
        self.a, self.b = np.array(a, F), None if b is None else np.array(b, F)
        self.r, self.rb, self.k, self.sym, self.zs, self.carve = r, rb, k, sym, zs, carve
        self.c, self.s = F(np.cos(rot)), F(np.sin(rot))
        self.grow, self.length, self.lift, self.w = grow, length, lift, w

    def dist(self, x, y, z):
        if self.sym:
            z = np.sqrt(z * z + F(2e-4))
        x, y, z = x - self.a[0], y - self.a[1], (z - self.a[2]) * F(self.zs)
        if self.b is not None:
            d = self.b - self.a
            d = d * np.array([1, 1, self.zs], F)
            h = np.clip((x * d[0] + y * d[1] + z * d[2]) / F(d @ d), 0, 1)
            q = np.sqrt((x - h * d[0]) ** 2 + (y - h * d[1]) ** 2 + (z - h * d[2]) ** 2)
            return (q - F(self.r) - h * F(self.rb - self.r)) / F(max(self.zs, 1) ** 0.5)
        if np.isscalar(self.r):
            return np.sqrt(x * x + y * y + z * z) - F(self.r)
        x, y = self.c * x + self.s * y, self.c * y - self.s * x
        rx, ry, rz = map(F, self.r)
        k0 = np.sqrt((x / rx) ** 2 + (y / ry) ** 2 + (z / rz) ** 2)
        k1 = np.sqrt((x / rx**2) ** 2 + (y / ry**2) ** 2 + (z / rz**2) ** 2)
        return k0 * (k0 - 1) / np.maximum(k1, F(1e-6))


class Ear:
    """Cupped leaf: `u` along the axis 0..1, `v` across, `w` out of the open side."""

    def __init__(
        self, base, axis, face, length, width, thick, cup=0.5, bend=0.0, peak=0.5, tip=0.75, k=0.05, hair=0.03, lift=0.3, curl=1.0
    ):
        self.o, self.L, self.W, self.th = np.array(base, F), F(length), F(width), F(thick)
        self.U = unit(np.array(axis, F))
        f = np.array(face, F)
        self.Wn = unit(f - (f @ self.U) * self.U)
        self.V = np.cross(self.Wn, self.U).astype(F)
        self.cup, self.bend, self.peak, self.tip, self.k = cup, bend, peak, tip, k
        self.carve, self.w, self.length, self.lift, self.curl = False, 1.0, hair, lift, curl

    def coords(self, x, y, z):
        x, y, z = x - self.o[0], y - self.o[1], z - self.o[2]
        u = (x * self.U[0] + y * self.U[1] + z * self.U[2]) / self.L
        v = x * self.V[0] + y * self.V[1] + z * self.V[2]
        w = x * self.Wn[0] + y * self.Wn[1] + z * self.Wn[2]
        uc = np.clip(u, F(-0.1), F(1))
        rise = 0.42 + 0.58 * smooth(-0.1, self.peak, uc)
        fall = np.sqrt(np.maximum(1 - smooth(self.peak * 0.9, 1.0, uc) ** 1.0, 0)) ** F(self.tip)
        hw = np.maximum(self.W * rise * fall, F(1e-3))
        q = np.clip(v / hw, -1.3, 1.3)
        tube = 1 + self.curl * (1 - smooth(0.0, 0.42, uc))
        w0 = self.cup * hw * (q * q - 0.35) * tube + self.bend * self.L * uc * uc
        return u, v, w, hw, q, w0

    def dist(self, x, y, z):
        u, v, w, hw, q, w0 = self.coords(x, y, z)
        du = np.maximum(np.maximum(u - 1, -0.1 - u), 0) * self.L
        dv = np.maximum(np.abs(v) - hw, 0)
        slope = 2 * self.cup * np.abs(q) * (1 + 0.5 * self.curl)
        dw = np.abs(w - w0) / np.sqrt(1 + slope * slope)
        th = self.th * (1.1 - 0.55 * np.abs(q)) * (1.5 - 0.6 * np.clip(u, 0, 1))
        return (np.sqrt(du * du + dv * dv + dw * dw) - th) * F(0.85)

    def inside(self, P):
        u, v, w, hw, q, w0 = self.coords(*P.T)
        return ((w > w0) & (u > -0.05)) * (1 - smooth(0.72, 0.97, np.abs(q))) * (1 - smooth(0.9, 0.99, u))


class Eye:
    """Ball, lid shell and lens-shaped opening, all in the frame (n = gaze, u, v)."""

    def __init__(
        self,
        c,
        r,
        gaze,
        up,
        a=0.95,
        bu=0.75,
        bl=0.7,
        lid=1.1,
        rim=0.12,
        iris=0.8,
        pupil=(0.42, 0.42),
        iris_rgb=(92, 52, 24),
        edge_rgb=(30, 16, 9),
        k=0.06,
        tilt=0.0,
    ):
        self.c, self.r, self.n = np.array(c, F), F(r), unit(np.array(gaze, F))
        up = np.array(up, F)
        v = unit(up - (up @ self.n) * self.n)
        u = np.cross(v, self.n)
        self.u = (np.cos(tilt) * u + np.sin(tilt) * v).astype(F)
        self.v = (np.cos(tilt) * v - np.sin(tilt) * u).astype(F)
        self.a, self.bu, self.bl = F(a * r), F(bu * r), F(bl * r)
        self.lid, self.rim, self.iris, self.pupil, self.k = F(lid), rim, iris, pupil, k
        self.iris_rgb, self.edge_rgb = iris_rgb, edge_rgb

    def local(self, x, y, z):
        x, y, z = x - self.c[0], y - self.c[1], z - self.c[2]
        return [x * m[0] + y * m[1] + z * m[2] for m in (self.u, self.v, self.n)]

    def lens(self, u, v):
        d = []
        for b, s in ((self.bu, 1), (self.bl, -1)):
            R = (self.a**2 + b**2) / (2 * b)
            d.append(np.sqrt(u * u + (s * v - (b - R)) ** 2) - R)
        return -smin(-d[0], -d[1], F(0.25) * self.r)

    def apply(self, d, x, y, z):
        u, v, n = self.local(x, y, z)
        ball = np.sqrt(u * u + v * v + n * n)
        d = smin(d, ball - self.r * self.lid, F(self.k))
        hole = np.maximum(self.lens(u, v), F(0.1) * self.r - n)
        d = -smin(-d, hole, F(0.10) * self.r)
        return np.minimum(d, ball - self.r)


class Shape:
    def __init__(self, prims, eyes):
        self.prims, self.eyes = prims, eyes

    def sdf(self, P):
        """Distance for one bundle of neighbouring points; parts out of reach are skipped."""
        x, y, z = np.ascontiguousarray(P.T)
        mid = P.mean(0)
        rad = float(np.sqrt(((P - mid) ** 2).sum(1).max()))
        at = [float(p.dist(*mid[:, None])[0]) for p in self.prims]  # distances change by <= rad
        top, d = min(a for a, p in zip(at, self.prims) if not p.carve) + rad, None
        for p, a in zip(self.prims, at):
            if p.carve:
                if a - rad < p.k + 0.04:
                    d = -smin(-d, p.dist(x, y, z), F(p.k))
            elif a - rad < top + p.k + 0.03:
                q = p.dist(x, y, z)
                d = q if d is None else smin(d, q, F(p.k))
        for e in self.eyes:
            if np.linalg.norm(mid - e.c) - rad < e.r * e.lid + e.k + 0.06:
                d = e.apply(d, x, y, z)
        return d

    def __call__(self, P, chunk=12_000):
        out = np.empty(len(P), F)
        for i in range(0, len(P), chunk):
            out[i : i + chunk] = self.sdf(P[i : i + chunk])
        return out

    def normal(self, P, e=0.004):
        g = 0
        for k in ((1, -1, -1), (-1, -1, 1), (-1, 1, -1), (1, 1, 1)):
            k = np.array(k, F)
            g = g + k * self(P + F(e) * k)[:, None]
        return unit(g).astype(F)

    def fur(self, P, N):
        """Mixture of the growth laws: tangent direction, length and lift at surface points."""
        W = G = L = A = 0
        x, y, z = np.ascontiguousarray(P.T)
        for p in self.prims:
            if p.carve or p.w == 0:
                continue
            w = (p.w * np.exp(-np.clip(p.dist(x, y, z), -0.02, 1) / 0.035))[:, None]
            if isinstance(p, Ear):
                u, v, _, hw, q, _ = p.coords(x, y, z)
                g = p.U + np.outer(0.35 * q, p.V)
                w = w * 3
            elif isinstance(p.grow, tuple) and p.grow[0] == "from":
                g = unit(P - np.array(p.grow[1], F))
            else:
                g = np.tile(np.array(p.grow if p.grow is not None else (-1, 0, 0), F), (len(P), 1))
                if p.sym:
                    g[:, 2] *= np.sign(z)
            W, G, L, A = W + w, G + w * unit(g), L + w * p.length, A + w * p.lift
        G = G / W
        for e in self.eyes:  # flow round the eye like water round a post
            d = P - e.c
            d = d - (d @ e.n)[:, None] * e.n
            r = np.linalg.norm(d, axis=1, keepdims=True)
            near = np.exp(-((np.linalg.norm(P - e.c, axis=1, keepdims=True) / (2.6 * e.r)) ** 4))
            rh = d / np.maximum(r, 1e-6)
            k = np.minimum((1.15 * e.r / np.maximum(r, 1e-6)) ** 2, 1.0) * near
            G = G - k * (2 * np.sum(G * rh, 1, keepdims=True) * rh - G) + 0.25 * k * rh
        G = G - np.sum(G * N, 1, keepdims=True) * N
        return unit(G).astype(F), (L / W)[:, 0].astype(F), (A / W)[:, 0].astype(F)


# ------------------------------------------------------------------------- camera
def tile_order(iy, ix, size=96):
    """Order that keeps neighbouring pixels together, for the culling in Shape.sdf."""
    return np.argsort((iy // size) * 10_000 + ix // size, kind="stable")


class Camera:
    def __init__(self, w, h, target, yaw, pitch, scale, dist=7.0, roll=0.0, side=-1):
        self.w, self.h, self.dist, self.f = w, h, F(dist), F(scale * dist)
        self.scale = scale
        c, s = np.cos(np.radians([yaw, pitch, roll])), np.sin(np.radians([yaw, pitch, roll]))
        self.t = np.array([s[0] * c[1], s[1], side * c[0] * c[1]], F)  # to the camera
        r = unit(np.cross([0, 1, 0], self.t))
        u = np.cross(self.t, r)
        self.r = (c[2] * r + s[2] * u).astype(F)
        self.u = (c[2] * u - s[2] * r).astype(F)
        self.o = np.array(target, F)
        self.eye = self.o + self.dist * self.t

    def project(self, P):
        q = P - self.o
        dep = q @ self.t
        k = self.f / (self.dist - dep)
        return self.w / 2 + k * (q @ self.r), self.h / 2 - k * (q @ self.u), dep

    def point(self, x, y, t):
        a, b = ((x - self.w / 2) / self.f).astype(F), ((self.h / 2 - y) / self.f).astype(F)
        return self.eye + t[:, None] * (a[:, None] * self.r + b[:, None] * self.u - self.t)

    def march(self, shape, near=2.2, far=2.5, cell=8):
        """First hit per pixel.  A coarse cone pass finds a safe start for each cell."""
        gw, gh = -(-self.w // cell), -(-self.h // cell)
        gy, gx = np.mgrid[0:gh, 0:gw]
        x, y = (gx.ravel() + 0.5) * cell, (gy.ravel() + 0.5) * cell
        t = np.full(x.size, self.dist - near, F)
        foot = F(cell * 0.75 / self.scale)
        live, start = np.arange(x.size), np.full(x.size, np.nan, F)
        for _ in range(70):
            d = shape(self.point(x[live], y[live], t[live]))
            hit = d < foot
            start[live[hit]] = t[live[hit]]
            t[live] += np.maximum(d - foot * 0.5, foot * 0.3) * F(0.85)
            live = live[~hit & (t[live] < self.dist + far)]
            if not live.size:
                break
        st = np.repeat(np.repeat(start.reshape(gh, gw), cell, 0), cell, 1)[: self.h, : self.w]
        idx = np.flatnonzero(np.isfinite(st))
        idx = idx[tile_order(idx // self.w, idx % self.w)]
        x, y, t = (idx % self.w) + 0.5, idx // self.w + 0.5, st.ravel()[idx] - 2 * foot
        T = np.full(self.w * self.h, np.nan, F)
        live, eps = np.arange(idx.size), F(0.35 / self.scale)
        for i in range(48):
            d = shape(self.point(x[live], y[live], t[live]))
            hit = d < eps
            T[idx[live[hit]]] = t[live[hit]] + d[hit]
            t[live] += np.maximum(d * F(0.85), eps)
            live = live[~hit & (t[live] < self.dist + far) & ((d < 6 * foot) | (i < 8))]
            if not live.size:
                break
        return T.reshape(self.h, self.w)


def occlusion(shape, P, N, light, reach=0.25):
    """Ambient occlusion and soft sun shadow at surface points."""
    ao = np.zeros(len(P), F)
    for s in (0.03, 0.07, 0.14, 0.24, 0.4):
        ao += np.clip(s - shape(P + F(s) * N), 0, s) / s * (0.28 if s < 0.2 else 0.2)
    sh, t = np.ones(len(P), F), 0.03
    for _ in range(13):
        d = shape(P + N * F(0.012) + light * F(t))
        sh = np.minimum(sh, np.clip(0.5 + 3.5 * d / t, 0, 1))
        t *= 1.33
    return np.clip(1 - ao, 0.05, 1), smooth(0, 1, sh)


# -------------------------------------------------------------------------- hairs
def composite(strands, w, h, surf_depth, band=160):
    """Order-correct alpha compositing of all strands (control points (n,K)).

    strands: dict x,y,z (n,K); rgb (n,K,3); alpha (n,K); extra (n,C) constant per hair.
    Returns premultiplied rgb, alpha, and weighted means of depth, axial direction, extras.
    """
    X, Y, Z, A, RGB, EX = (strands[k] for k in ("x", "y", "z", "alpha", "rgb", "extra"))
    n, K = X.shape
    dX, dY, dZ, dA = (np.diff(a, axis=1).ravel() for a in (X, Y, Z, A))
    step = np.maximum(np.abs(dX), np.abs(dY)).reshape(n, K - 1)
    cum = np.concatenate([np.zeros((n, 1), F), np.cumsum(step, 1)], 1)
    count = np.diff(np.floor(cum + F(0.5)), axis=1).astype(np.int64)  # one sample per pixel
    count[:, 0] += count.sum(1) == 0
    count = count.ravel()
    first = (np.arange(n)[:, None] * K + np.arange(K - 1)).ravel()  # segment -> control point
    lo, hi = np.minimum(Y[:, :-1], Y[:, 1:]).ravel(), np.maximum(Y[:, :-1], Y[:, 1:]).ravel()
    X, Y, Z, A = (a[:, :-1].ravel() for a in (X, Y, Z, A))
    C0 = [RGB[..., c].ravel() for c in range(3)]
    out = np.zeros((h, w, 4 + 3 + EX.shape[1]), F)
    for y0 in range(0, h, band):
        y1 = min(h, y0 + band)
        pick = np.flatnonzero((hi >= y0 - 1) & (lo < y1 + 1) & (count > 0))
        if not pick.size:
            continue
        c = count[pick]
        rep = lambda a: np.repeat(a[pick], c)
        f = (np.arange(c.sum()) - np.repeat(np.cumsum(c) - c, c)).astype(F) + F(0.5)
        f /= np.repeat(c, c).astype(F)
        x, y = rep(X) + f * rep(dX) - F(0.5), rep(Y) + f * rep(dY) - F(0.5)
        z, al = rep(Z) + f * rep(dZ), rep(A) + f * rep(dA)
        steep = np.repeat(np.abs(dY[pick]) > np.abs(dX[pick]), c)
        ix, iy = np.where(steep, np.floor(x), np.rint(x)), np.where(steep, np.rint(y), np.floor(y))
        fr = np.where(steep, x - ix, y - iy)
        ix, iy = ix.astype(np.int32), iy.astype(np.int32)
        parts = []
        for side in (0, 1):
            px, py = ix + side * steep, iy + side * ~steep
            a = al * (fr if side else 1 - fr)
            g = np.flatnonzero((py >= y0) & (py < y1) & (px >= 0) & (px < w) & (a > 0.01))
            g = g[z[g] > surf_depth[py[g], px[g]]]
            parts.append((g, (py[g] - y0) * w + px[g], a[g]))
        src, pix, a = (np.concatenate(p) for p in zip(*parts))
        if not src.size:
            continue
        seg = np.repeat(pick, c)
        q = np.clip((3.0 - z[src]) * (2**17 / 6.0), 0, 2**17 - 1).astype(np.uint64)
        key = (pix.astype(np.uint64) << np.uint64(44)) | (q << np.uint64(27)) | np.arange(src.size, dtype=np.uint64)
        key.sort()
        o = (key & np.uint64(2**27 - 1)).astype(np.int64)
        pix, a, src = pix[o], a[o], src[o]
        head = np.flatnonzero(np.r_[True, pix[1:] != pix[:-1]])
        lg = np.log1p(-np.minimum(a, 0.97).astype(np.float64))
        cs = np.cumsum(lg) - lg
        runs = np.diff(np.r_[head, pix.size])
        T = np.exp(cs - np.repeat(cs[head], runs))
        wgt = (T * np.minimum(a, 0.97)).astype(F)
        keep = wgt > 2e-3
        src, wgt, pixk = src[keep], wgt[keep], pix[keep]
        head = np.flatnonzero(np.r_[True, pixk[1:] != pixk[:-1]])
        tgt = out[y0:y1].reshape(-1, out.shape[2])
        put = lambda ch, val: tgt.__setitem__((pixk[head], ch), np.add.reduceat(wgt * val, head))
        sg, ff = seg[src], f[src]
        b = first[sg]
        for ch in range(3):
            put(ch, C0[ch][b] * (1 - ff) + C0[ch][b + 1] * ff)
        put(3, F(1))
        put(4, z[src])
        ddx, ddy = dX[sg], dY[sg]
        r2 = np.maximum(ddx**2 + ddy**2, 1e-9)
        put(5, (ddx**2 - ddy**2) / r2)
        put(6, -2 * ddx * ddy / r2)
        hair = sg // (K - 1)
        for ch in range(EX.shape[1]):
            put(7 + ch, EX[hair, ch])
    return out
