"""Sun, sky and bounce, and how a hair answers them."""

from __future__ import annotations

import numpy as np

from demo_making.animals.engine import F, mix, smooth, unit

K = 7
"""Control points of a hair."""


class Light:
    """Warm sun, cool sky, bounce from the ground; `env` is what wet surfaces mirror."""

    def __init__(self, cam, sun_screen, sun=(3.1, 2.75, 2.2), sky=(0.45, 0.57, 0.76), ground=(0.22, 0.23, 0.16), indoor=False):
        r, u, t = sun_screen  # right, up, towards the camera
        self.dir = unit(r * cam.r + u * cam.u + t * cam.t).astype(F)
        self.sun, self.sky, self.ground = (np.array(c, F) for c in (sun, sky, ground))
        self.indoor, self.cam = indoor, cam

    def ambient(self, N):
        h = 0.5 + 0.5 * N[..., 1:2]
        return self.ground * (1 - h) + self.sky * h

    def env(self, R, noise, eye):
        el = R[..., 1]
        sky = mix(np.array((0.80, 0.86, 0.95), F), np.array((0.30, 0.48, 0.85), F), smooth(0.05, 0.9, el)[..., None])
        az = np.arctan2(R[..., 0], R[..., 2])
        hor = 0.06 + 0.10 * noise(np.stack([az * 2, 0 * az, 0 * az], 1), 2.0, 3)
        trees = np.array((0.030, 0.045, 0.020), F) + 0.04 * np.clip(noise(R, 8.0, 2), 0, 1)[..., None]
        land = mix(np.array((0.05, 0.06, 0.03), F), np.array((0.20, 0.22, 0.10), F), smooth(-0.9, -0.1, el)[..., None])
        out = mix(trees, sky * (0.25 if self.indoor else 1.0), smooth(hor, hor + 0.06, el)[..., None])
        out = mix(land, out, smooth(-0.22, -0.12, el)[..., None])
        side = np.sign(self.dir @ self.cam.r) * self.cam.r  # the window, kept in view
        n0 = unit(0.50 * eye.n + 0.42 * self.cam.t + 0.30 * side + 0.36 * self.cam.u)
        w = unit(2 * (n0 @ self.cam.t) * n0 - self.cam.t)
        s = unit(np.cross([0, 1, 0], w))
        v = np.cross(w, s)
        a, b, c = R @ s, R @ v, R @ w
        win = smooth(0.34, 0.30, np.abs(a)) * smooth(0.40, 0.36, np.abs(b)) * (c > 0)
        win *= smooth(0.014, 0.03, np.abs(a)) * smooth(0.014, 0.03, np.abs(b - 0.05))
        return out + win[..., None] * np.array((8.0, 8.2, 8.6), F)


def shade_hair(rgb, N, T, light, V, sh, ao, gloss):
    """Anisotropic hair shading; rgb (n,K,3) linear, N (n,3), T (n,K,3), sh/ao (n,)."""
    L = light.dir
    nl = N @ L
    tl, tv = T @ L, T @ V
    sl, sv = np.sqrt(np.maximum(1 - tl * tl, 0)), np.sqrt(np.maximum(1 - tv * tv, 0))
    wrap = np.clip((nl + 0.22) / 1.22, 0, 1)[:, None]
    diff = wrap * (0.45 + 0.55 * sl) * sh[:, None]
    cosd = np.clip(sl * sv - tl * tv, 0, 1)
    lobe = smooth(-0.05, 0.35, nl)[:, None] * sh[:, None]
    s1, s2 = gloss * cosd**26 * lobe, 0.9 * gloss * cosd**8 * lobe
    nv = np.clip(N @ V, 0, 1)
    rim = ((1 - nv) ** 3 * np.clip(0.55 - 0.75 * (L @ V), 0.05, 1.2) * smooth(-0.5, 0.3, nl) * 0.5)[:, None]
    grad = np.linspace(0.25, 1.15, K, dtype=F)
    amb = light.ambient(N)[:, None, :] * ao[:, None, None]
    s1 = s1 * (0.30 + 0.9 * np.sqrt(np.clip(rgb.mean(2), 0, 1)))  # dark coats gleam less white
    out = rgb * (light.sun * (diff + 0.6 * s2 + rim * grad)[..., None] + amb)
    return out + (light.sun * 0.22) * s1[..., None] + 0.02 * (amb * (1 - nv)[:, None, None] ** 2)
