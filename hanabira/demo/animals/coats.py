"""Coats: colours and marks in animal coordinates."""
from __future__ import annotations

import numpy as np
from scipy.spatial import cKDTree

from hanabira.demo.animals.engine import F, Noise3, mix, smooth


class Coat:
    """Colours and marks in animal coordinates.  Each call gives root, shaft and tip colours
    (sRGB 0..255) and a mark value 0..1 per hair root."""

    def __init__(self, name, kind, rng, eyes, skin):
        self.name, self.kind, self.eyes, self.skin = name, kind, eyes, np.array(skin, F)
        self.n, self.n2 = Noise3(rng), Noise3(rng)
        q = rng.uniform(-2.2, 1.5, (9000, 2)).astype(F)
        keep = [0]                                     # rough blue-noise cells for the dapples
        tree = cKDTree(q)
        dead = np.zeros(len(q), bool)
        for i in range(len(q)):
            if not dead[i]:
                dead[tree.query_ball_point(q[i], .062 if kind == "pony" else .115)] = True
                keep.append(i)
        self.cells = cKDTree(q[keep])

    def cell(self, P, warp=.03, freq=9.):
        Q = P + warp * np.stack([self.n(P + s, freq, 2) for s in (0, 3.1, 6.7)], 1)
        d, i = self.cells.query(np.c_[Q[:, 0] + .5 * Q[:, 2], Q[:, 1] + .3 * Q[:, 2]], k=2)
        return d[:, 0], d[:, 1] - d[:, 0], i[:, 0]

    def __call__(self, P, ear):
        x, y, z = P.T
        n = self.n
        m = getattr(self, self.name)(P, x, y, z, ear)
        two, mark = m if isinstance(m, tuple) else (m, np.zeros(len(P), F))
        near = np.min([np.linalg.norm(P - e.c, axis=1) / e.r for e in self.eyes], 0)
        if self.kind == "rabbit":                              # pale ring round the eye
            ring = (.45 * smooth(1.75, 1.2, near) * (ear == 0))[:, None]
            two = [mix(c, np.minimum(c * 1.35 + 14, 250), ring) for c in two]
        elif self.name != "white":                             # dark skin shows through there
            ring = (.75 * smooth(2.3, 1.25, near + .35 * n(P, 9., 2)))[:, None]
            two = [mix(c, np.array((56, 52, 53), F), ring) for c in two]
        if self.kind == "pony":                                # muzzle takes the colour of its skin
            a, b = x * .643 - y * .766, x * .766 + y * .643
            dusk = smooth(.68, .94, a + .3 * b + .04 * n(P, 9., 2))[:, None] * .9
            two = [mix(c, self.skin * k + 6, dusk) for c, k in zip(two, (.9, 1.05, 1.4))]
        fine = (1 + .10 * n(P, 6., 3) + .06 * self.n2(P, 30., 2))[:, None]
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
        t = np.clip(.5 + .5 * self.n(P, 3., 2), 0, 1)
        return self.blend(trio, [np.array(c) * .9 for c in trio], t)

    def black(self, P, *a):
        return self.plain(self.BLACK, P)

    def white(self, P, *a):
        return self.plain(self.WHITE, P)

    def brown(self, P, *a):
        return self.plain(((88, 66, 52), (104, 68, 42), (122, 82, 52)), P)

    def harlequin(self, P, x, y, z, ear):
        n = .055 * self.n(P, 5., 3)
        side = z + .035 + n * 1.0                                   # face split down the middle
        body = np.sin(8.2 * (x + .25 * y - .35 * z) + 1.1 + 14 * n) + .25
        t = np.where(smooth(-.18, -.34, x + .55 * y + .4 * n - .02) > .5, self.soft(body * .06, .012),
                     self.soft(side, .010))
        t = np.where(ear == 1, self.soft(.05 + .4 * n, .02), t)
        t = np.where(ear == 2, self.soft(-.05 + .4 * n, .02), t)
        dark = self.blend(self.BLACK, ((70, 56, 48), (50, 38, 30), (84, 58, 38)),
                          np.clip(.35 + .8 * self.n2(P, 7., 2), 0, 1) * .6)
        pale = np.maximum(smooth(.02, -.30, y + .2 * x) * .35,
                          .75 * smooth(.36, .47, x + .3 * self.n(P, 11., 2) * .2) * smooth(-.10, -.24, y))
        stray = smooth(.35, .9, self.n2(P, 330.)) * (.5 + .5 * self.n(P + 2, 4.)) * .6 * (ear == 0)
        t = np.clip(t + stray * (1 - t), 0, 1)
        fawn = self.blend(self.FAWN, ((226, 210, 188), (212, 170, 124), (216, 176, 132)), pale)
        t3 = t[:, None]
        return [a * (1 - t3) + b * t3 for a, b in zip(fawn, dark)], t - stray * (t < .9)

    def dapple(self, P, x, y, z, ear):
        d0, edge, idx = self.cell(P, .012, 5.)
        size = .75 + .5 * ((idx * 7919) % 97 / 97.)
        spot = smooth(-.004, .040, edge) * np.exp(-(d0 / (.032 * size)) ** 2.4)
        a, b = x * .643 - y * .766, x * .766 + y * .643            # head frame of the pony
        face = smooth(.25, .62, a) * smooth(-.30, -.02, x)
        front = smooth(-.02, .06, b)
        amount = (1 - .85 * np.maximum(face, front)) * (.75 + .35 * self.n2(P, 3.))
        base = np.clip(.34 + .16 * self.n(P, 2.6, 2) + .30 * np.maximum(front, face * .8)
                       - .45 * smooth(.66, .93, a), 0, 1)
        t = np.clip(base + .62 * (spot - .30) * amount * (.55 + .45 * size), 0, 1)
        dark, light = ((64, 64, 68), (80, 80, 84), (98, 98, 101)), ((160, 158, 156), (196, 193, 189),
                                                                  (212, 209, 204))
        return self.blend(dark, light, t), np.clip(1.7 * spot * amount, 0, 1)

    def ginger(self, P, x, y, z, ear):
        warp = .05 * self.n(P, 4., 3)
        ang = np.arctan2(np.abs(z), y - .02) * 8 + 30 * warp
        bars = (x + .35 * y) * 34 + 40 * warp
        w = smooth(-.15, -.32, x + .3 * y)
        s = np.where(w > .5, np.sin(bars), np.sin(ang + 1.2) * smooth(.1, .2, y + .5 * np.abs(z)) - .2)
        t = smooth(.05, .55, s) * (ear == 0)
        light, dark = ((238, 214, 180), (222, 164, 100), (230, 178, 116)), (
            (196, 140, 88), (176, 98, 44), (168, 90, 40))
        return self.blend(light, dark, t), t

    def spotted(self, P, x, y, z, ear):
        d0, edge, idx = self.cell(P, .03)
        t = smooth(.062, .050, d0 - .022 * ((idx * 31) % 7 / 7.) + .01) * ((idx * 13) % 5 > 0)
        t = np.where(ear > 0, smooth(-.2, .1, self.n(P, 6., 2)), t)
        return self.blend(self.WHITE, ((90, 66, 54), (66, 42, 30), (80, 52, 36)), t), t

    def ticked(self, P, x, y, z, ear):
        belly = smooth(-.2, -.5, y) * .4
        return self.blend(((120, 116, 116), (176, 136, 92), (50, 40, 34)),
                          ((190, 186, 180), (206, 184, 154), (150, 128, 106)), belly)


COATS = ["harlequin", "dapple", "black", "white", "brown", "ginger", "spotted", "ticked"]


SKIN = {("rabbit", "black"): (58, 45, 43), ("rabbit", "brown"): (92, 64, 56),
        ("rabbit", "white"): (206, 150, 142), ("rabbit", "spotted"): (170, 118, 110),
        ("pony", "white"): (146, 124, 118), ("pony", "ginger"): (108, 84, 74),
        ("pony", "spotted"): (104, 84, 80), ("pony", "ticked"): (70, 61, 57)}
