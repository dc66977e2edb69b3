"""Coats: colours and marks in animal coordinates."""

from __future__ import annotations

import numpy as np
from scipy.spatial import cKDTree

from demo_making.animals.engine import F, Noise3, mix, smooth


class Coat:
    """Colours and marks in animal coordinates.  Each call gives root, shaft and tip colours
    (sRGB 0..255) and a mark value 0..1 per hair root."""

    def __init__(self, name, kind, rng, eyes, skin):
        self.name, self.kind, self.eyes, self.skin = name, kind, eyes, np.array(skin, F)
        self.n, self.n2 = Noise3(rng), Noise3(rng)
        q = rng.uniform(-2.2, 1.5, (9000, 2)).astype(F)
        keep = [0]  # rough blue-noise cells for the dapples
        tree = cKDTree(q)
        dead = np.zeros(len(q), bool)
        for i in range(len(q)):
            if not dead[i]:
                dead[tree.query_ball_point(q[i], 0.062 if kind == "pony" else 0.115)] = True
                keep.append(i)
        self.cells = cKDTree(q[keep])

    def cell(self, P, warp=0.03, freq=9.0):
        Q = P + warp * np.stack([self.n(P + s, freq, 2) for s in (0, 3.1, 6.7)], 1)
        d, i = self.cells.query(np.c_[Q[:, 0] + 0.5 * Q[:, 2], Q[:, 1] + 0.3 * Q[:, 2]], k=2)
        return d[:, 0], d[:, 1] - d[:, 0], i[:, 0]

    def __call__(self, P, ear):
        x, y, z = P.T
        n = self.n
        m = getattr(self, self.name)(P, x, y, z, ear)
        two, mark = m if isinstance(m, tuple) else (m, np.zeros(len(P), F))
        near = np.min([np.linalg.norm(P - e.c, axis=1) / e.r for e in self.eyes], 0)
        if self.kind == "rabbit":  # pale ring round the eye
            ring = (0.45 * smooth(1.75, 1.2, near) * (ear == 0))[:, None]
            two = [mix(c, np.minimum(c * 1.35 + 14, 250), ring) for c in two]
        elif self.name != "white":  # dark skin shows through there
            ring = (0.75 * smooth(2.3, 1.25, near + 0.35 * n(P, 9.0, 2)))[:, None]
            two = [mix(c, np.array((56, 52, 53), F), ring) for c in two]
        if self.kind == "pony":  # muzzle takes the colour of its skin
            a, b = x * 0.643 - y * 0.766, x * 0.766 + y * 0.643
            dusk = smooth(0.68, 0.94, a + 0.3 * b + 0.04 * n(P, 9.0, 2))[:, None] * 0.9
            two = [mix(c, self.skin * k + 6, dusk) for c, k in zip(two, (0.9, 1.05, 1.4))]
        fine = (1 + 0.10 * n(P, 6.0, 3) + 0.06 * self.n2(P, 30.0, 2))[:, None]
        return [np.clip(c * fine, 4, 252).astype(F) for c in two], mark.astype(F)

    @staticmethod
    def blend(a, b, t):
        t = np.asarray(t, F)[:, None]
        return [np.array(p, F) * (1 - t) + np.array(q, F) * t for p, q in zip(a, b)]

    def soft(self, v, w):
        """Edge with ragged, hair-fine breakup."""
        return smooth(-w, w, v)

    BLACK = ((56, 50, 49), (42, 36, 34), (54, 45, 39))
    FAWN = ((204, 178, 148), (176, 118, 72), (184, 126, 78))
    WHITE = ((226, 220, 212), (238, 234, 228), (245, 243, 239))

    def plain(self, trio, P):
        t = np.clip(0.5 + 0.5 * self.n(P, 3.0, 2), 0, 1)
        return self.blend(trio, [np.array(c) * 0.9 for c in trio], t)

    def black(self, P, *a):
        return self.plain(self.BLACK, P)

    def white(self, P, *a):
        return self.plain(self.WHITE, P)

    def brown(self, P, *a):
        return self.plain(((88, 66, 52), (104, 68, 42), (122, 82, 52)), P)

    def harlequin(self, P, x, y, z, ear):
        n = 0.055 * self.n(P, 5.0, 3)
        side = z + 0.035 + n * 1.0  # face split down the middle
        body = np.sin(8.2 * (x + 0.25 * y - 0.35 * z) + 1.1 + 14 * n) + 0.25
        t = np.where(smooth(-0.18, -0.34, x + 0.55 * y + 0.4 * n - 0.02) > 0.5, self.soft(body * 0.06, 0.012), self.soft(side, 0.010))
        t = np.where(ear == 1, self.soft(0.05 + 0.4 * n, 0.02), t)
        t = np.where(ear == 2, self.soft(-0.05 + 0.4 * n, 0.02), t)
        dark = self.blend(self.BLACK, ((70, 56, 48), (50, 38, 30), (84, 58, 38)), np.clip(0.35 + 0.8 * self.n2(P, 7.0, 2), 0, 1) * 0.6)
        pale = np.maximum(
            smooth(0.02, -0.30, y + 0.2 * x) * 0.35, 0.75 * smooth(0.36, 0.47, x + 0.3 * self.n(P, 11.0, 2) * 0.2) * smooth(-0.10, -0.24, y)
        )
        stray = smooth(0.35, 0.9, self.n2(P, 330.0)) * (0.5 + 0.5 * self.n(P + 2, 4.0)) * 0.6 * (ear == 0)
        t = np.clip(t + stray * (1 - t), 0, 1)
        fawn = self.blend(self.FAWN, ((226, 210, 188), (212, 170, 124), (216, 176, 132)), pale)
        t3 = t[:, None]
        return [a * (1 - t3) + b * t3 for a, b in zip(fawn, dark)], t - stray * (t < 0.9)

    def dapple(self, P, x, y, z, ear):
        d0, edge, idx = self.cell(P, 0.012, 5.0)
        size = 0.75 + 0.5 * ((idx * 7919) % 97 / 97.0)
        spot = smooth(-0.004, 0.040, edge) * np.exp(-((d0 / (0.032 * size)) ** 2.4))
        a, b = x * 0.643 - y * 0.766, x * 0.766 + y * 0.643  # head frame of the pony
        face = smooth(0.25, 0.62, a) * smooth(-0.30, -0.02, x)
        front = smooth(-0.02, 0.06, b)
        amount = (1 - 0.85 * np.maximum(face, front)) * (0.75 + 0.35 * self.n2(P, 3.0))
        base = np.clip(0.34 + 0.16 * self.n(P, 2.6, 2) + 0.30 * np.maximum(front, face * 0.8) - 0.45 * smooth(0.66, 0.93, a), 0, 1)
        t = np.clip(base + 0.62 * (spot - 0.30) * amount * (0.55 + 0.45 * size), 0, 1)
        dark, light = ((64, 64, 68), (80, 80, 84), (98, 98, 101)), ((160, 158, 156), (196, 193, 189), (212, 209, 204))
        return self.blend(dark, light, t), np.clip(1.7 * spot * amount, 0, 1)

    def ginger(self, P, x, y, z, ear):
        warp = 0.05 * self.n(P, 4.0, 3)
        ang = np.arctan2(np.abs(z), y - 0.02) * 8 + 30 * warp
        bars = (x + 0.35 * y) * 34 + 40 * warp
        w = smooth(-0.15, -0.32, x + 0.3 * y)
        s = np.where(w > 0.5, np.sin(bars), np.sin(ang + 1.2) * smooth(0.1, 0.2, y + 0.5 * np.abs(z)) - 0.2)
        t = smooth(0.05, 0.55, s) * (ear == 0)
        light, dark = ((238, 214, 180), (222, 164, 100), (230, 178, 116)), ((196, 140, 88), (176, 98, 44), (168, 90, 40))
        return self.blend(light, dark, t), t

    def spotted(self, P, x, y, z, ear):
        d0, edge, idx = self.cell(P, 0.03)
        t = smooth(0.062, 0.050, d0 - 0.022 * ((idx * 31) % 7 / 7.0) + 0.01) * ((idx * 13) % 5 > 0)
        t = np.where(ear > 0, smooth(-0.2, 0.1, self.n(P, 6.0, 2)), t)
        return self.blend(self.WHITE, ((90, 66, 54), (66, 42, 30), (80, 52, 36)), t), t

    def ticked(self, P, x, y, z, ear):
        belly = smooth(-0.2, -0.5, y) * 0.4
        return self.blend(((120, 116, 116), (176, 136, 92), (50, 40, 34)), ((190, 186, 180), (206, 184, 154), (150, 128, 106)), belly)


COATS = ["harlequin", "dapple", "black", "white", "brown", "ginger", "spotted", "ticked"]


SKIN = {
    ("rabbit", "black"): (58, 45, 43),
    ("rabbit", "brown"): (92, 64, 56),
    ("rabbit", "white"): (206, 150, 142),
    ("rabbit", "spotted"): (170, 118, 110),
    ("pony", "white"): (146, 124, 118),
    ("pony", "ginger"): (108, 84, 74),
    ("pony", "spotted"): (104, 84, 80),
    ("pony", "ticked"): (70, 61, 57),
}
