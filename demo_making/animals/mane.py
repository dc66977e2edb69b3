"""Locks that hang and slide over the body: the pony's mane and forelock."""

from __future__ import annotations

import numpy as np

from demo_making.animals.engine import PART, F, lin, mix, smooth, unit
from demo_making.animals.hair import strand_pieces


def locks(root, vel, length, radius, per, shape, rng, M=19, gravity=0.16, wave=0.05, stiff=0.9, margin=0.012):
    """Guide hairs that fall under gravity and slide over the body, with `per` children each."""
    g, dt = [root.astype(F)], (length / (M - 1))[:, None]
    v = unit(vel).astype(F)
    ph = rng.uniform(0, 6.28, (2, len(root)))
    for i in range(1, M):
        v = (
            stiff * v
            + np.array((0, -gravity, 0), F)
            + np.stack([wave * np.sin(ph[0] + i * 0.55), 0 * ph[0], wave * 0.6 * np.sin(ph[1] + i * 0.4)], 1)
        )
        v = unit(v).astype(F)
        p = (g[-1] + v * dt).astype(F)
        for _ in range(2):
            d = shape(p)
            bad = d < margin
            if bad.any():
                p[bad] += shape.normal(p[bad]) * (margin - d[bad])[:, None]
        v = unit(p - g[-1])
        g.append(p)
    G = np.stack(g, 1)
    calm = G[:, :, 1].max(1) - G[:, 0, 1] < 0.045  # no lock stands up
    G, radius = G[calm], radius[calm]
    NN = np.stack([shape.normal(np.ascontiguousarray(G[:, i])) for i in range(M)], 1)
    t = np.linspace(0, 1, M, dtype=F)
    i = np.repeat(np.arange(len(G)), per)
    T = unit(np.gradient(G, axis=1))
    B = np.cross(NN, T)
    r, a = np.sqrt(rng.random(i.size)), rng.uniform(0, 6.28, i.size)
    prof = (0.55 + 0.9 * t - 1.25 * t**3).clip(0.10) * (radius[i][:, None])
    fly = rng.normal(0, 0.12, (i.size, 2)) + rng.normal(0, 0.5, (i.size, 2)) * (rng.random((i.size, 1)) < 0.06)
    wob = 0.4 * np.sin(t * rng.uniform(3, 9, (i.size, 1)) + rng.uniform(0, 6.28, (i.size, 1)))
    o1 = (r * np.cos(a))[:, None] * prof + (fly[:, :1] * t**2 + wob * t) * radius[i][:, None]
    o2 = 0.55 * (r * np.sin(a))[:, None] * prof + fly[:, 1:] * 0.6 * t**2 * radius[i][:, None]
    stop = rng.uniform(0.72, 1.0, i.size)[:, None] * t * (M - 1)  # uneven ends
    j = np.clip(stop.astype(int), 0, M - 2)
    f = (stop - j)[..., None]
    C = G[i[:, None], j] * (1 - f) + G[i[:, None], j + 1] * f
    C = C + o1[..., None] * B[i[:, None], j] + (o2 + radius[i][:, None] * 0.6)[..., None] * NN[i[:, None], j]
    Nc = unit(NN[i] + 1.0 * (r * np.cos(a))[:, None, None] * B[i] + 0.25 * (r * np.sin(a))[:, None, None])
    return C.astype(F), Nc.astype(F), i, G.reshape(-1, 3)


def pony_hair(sc, m, cam, light, rng, ss, coat):
    """Mane on the near side, forelock between the ears."""
    n = 150
    s = np.sort(rng.uniform(0, 1, n)) ** 0.9
    root = np.c_[-0.10 - 1.05 * s, 0.045 + 0.075 * s + 0.03 * np.sin(s * 3), rng.normal(-0.005, 0.022, n)]
    side = np.where(rng.random(n) < 0.9, -1, 1.0)
    vel = np.c_[rng.normal(-0.10, 0.22, n), rng.normal(0.16, 0.10, n), side * rng.uniform(0.5, 0.9, n)]
    L = rng.uniform(0.34, 0.56, n) * (0.75 + 0.4 * s)
    L = L * rng.uniform(0.75, 1.15, n)
    A = locks(root, vel, L, rng.uniform(0.006, 0.022, n), 95, m["shape"], rng, wave=0.08, gravity=0.2)
    U = locks(
        root[::2] - (0, 0.012, 0),
        vel[::2] + rng.normal(0, 0.15, vel[::2].shape),
        L[::2] * 0.9,
        rng.uniform(0.012, 0.026, len(L[::2])),
        70,
        m["shape"],
        rng,
        wave=0.10,
        gravity=0.2,
        margin=0.006,
    )
    n2 = 64
    z = rng.normal(0.004, 0.036, n2)
    root = np.c_[0.06 + rng.normal(0, 0.018, n2), 0.055 + rng.normal(0, 0.01, n2), z]
    vel = np.c_[rng.uniform(0.5, 1.0, n2), rng.normal(0.22, 0.10, n2), z * 6 + rng.normal(-0.02, 0.14, n2)]
    B = locks(root, vel, rng.uniform(0.22, 0.46, n2), rng.uniform(0.008, 0.017, n2), 90, m["shape"], rng, wave=0.06, gravity=0.2)
    dark, light_ = {
        "white": ((208, 202, 194), (244, 241, 236)),
        "black": ((30, 27, 27), (46, 41, 40)),
        "dapple": ((66, 65, 68), (200, 198, 194)),
        "spotted": ((150, 130, 116), (238, 232, 224)),
        "ginger": ((196, 150, 100), (238, 214, 176)),
    }.get(coat, ((30, 24, 21), (56, 44, 37)))
    sets, guides = [], []
    e = m["shape"].eyes[0]
    clear = np.linalg.norm(B[3] - e.c, axis=1).reshape(-1, 19).min(1) > 1.9 * e.r  # keep the eye free
    B = tuple(v[clear[B[2]]] for v in B[:3]) + (B[3].reshape(-1, 19, 3)[clear].reshape(-1, 3),)
    for C, N, i, G in (A, B, U):
        k = i.max() + 1
        w = np.clip(rng.beta(0.9, 1.2, k)[i] * 0.70 + rng.normal(0.05, 0.22, i.size), 0, 1)[:, None, None]
        w = w * (0.55 if G is U[3] else 1.0)
        t = np.linspace(0, 1, C.shape[1], dtype=F)[None, :, None]
        rgb = mix(lin(dark), lin(light_), w * (0.8 + 0.2 * t)) * (1 + rng.normal(0, 0.1, (i.size, 1, 1)))
        rgb = np.clip(rgb, 0.002, 1).astype(F) * mix(0.55, 1.0, smooth(0, 0.15, t))
        al = np.interp(t[0, :, 0], [0, 0.1, 0.8, 1], [0.5, 0.75, 0.6, 0.12])[None].astype(F)
        sh = np.ones(len(C), F) * mix(0.55, 1.0, np.clip(rng.normal(0.7, 0.3, len(C)), 0, 1)).astype(F)
        sets += strand_pieces(C, N, rgb, al, cam, light, sh, 0.35 + 0.6 * sh, 0.5, ss, PART["coat"], 0.0)
        guides.append(G)
    return sets, np.concatenate(guides)
