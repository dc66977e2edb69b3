"""Hairs as curves: growth, clumps, and long hairs in pieces."""

from __future__ import annotations

import numpy as np
from scipy.spatial import cKDTree

from demo_making.animals.engine import F, unit
from demo_making.animals.lighting import K, shade_hair


def make_hair(P, N, G, L, lift, rng, clump=(14, 160), pull=(0.55, 0.30), droop=0.05, curl=0.06, spread=0.16):
    """Curves (n,K,3) for the roots P; two levels of clumps draw the tips together."""
    n = len(P)
    B = np.cross(N, G)
    t = np.linspace(0, 1, K, dtype=F)[None, :, None]
    j = rng.normal(0, 1, (4, n)).astype(F)
    sub = rng.random(n)
    near = [cKDTree(P[sub < 1 / c]).query(P, eps=0.3)[1] for c in clump]
    seeds = [np.flatnonzero(sub < 1 / c) for c in clump]
    big = rng.normal(0, 1, (3, len(seeds[1]))).astype(F)[:, near[1]]  # shared by a lock
    ang = spread * j[0] + 0.16 * big[0]
    D = G * np.cos(ang)[:, None] + B * np.sin(ang)[:, None]
    lf = np.clip(lift * (1 + 0.30 * j[1] + 0.30 * big[1]), 0.04, 1.3)[:, None, None]
    guard = 1 + 0.55 * (rng.random(n) < 0.05)
    ln = (L * guard * np.clip(1 + 0.22 * j[2] + 0.12 * big[2], 0.35, 1.6)).astype(F)[:, None, None]
    rise = np.sin(lf) * (t - 0.42 * t * t)
    C = P[:, None] + ln * (D[:, None] * np.sqrt(np.maximum(t * t - rise * rise * 0.5, 0)) + N[:, None] * rise)
    C = C + ln * curl * (B * j[3][:, None])[:, None] * t * t
    C[..., 1] -= (ln * droop * t * t)[..., 0]
    for lev, p in ((1, pull[1]), (0, pull[0])):
        lead = seeds[lev][near[lev]]
        gap = C[lead] - C
        far = np.linalg.norm(gap[:, 0], axis=1) > 1.2 * L  # never across a fold
        amt = np.where(far, 0, p * np.clip(L / 0.055, 0.25, 1.1) * (0.6 + 0.8 * rng.random(n))).astype(F)
        C = C + np.clip(amt, 0, 0.92)[:, None, None] * t**1.4 * (gap - gap[:, :1] * 0.15)
    tone = 1 + 0.10 * big[2] + 0.07 * rng.normal(0, 1, len(seeds[0])).astype(F)[near[0]]
    return C.astype(F), np.clip(tone + 0.09 * j[2], 0.55, 1.5)


def hair_set(C, N, rgb, albedo, alpha, cam, mark, length_px, part):
    T = unit(np.gradient(C, axis=1)).astype(F)
    x, y, z = cam.project(C.reshape(-1, 3))
    n = len(C)
    extra = np.concatenate([albedo, mark[:, None], length_px[:, None], np.broadcast_to(np.asarray(part, F), (n,))[:, None]], 1).astype(F)
    return dict(x=x.reshape(n, K), y=y.reshape(n, K), z=z.reshape(n, K), rgb=rgb.astype(F), alpha=alpha.astype(F), extra=extra), T


def join(sets):
    return {k: np.concatenate([s[k] for s in sets]) for k in sets[0]}


def strand_pieces(C, N, rgb, alpha, cam, light, sh, ao, gloss, ss, part, mark=0.0):
    """Long hairs (n,M,3), M = 6k+1, cut into pieces of K points and lit piece by piece."""
    n, M = C.shape[:2]
    sets = []
    length = np.linalg.norm(np.diff(C, axis=1), axis=2).sum(1) * cam.scale / ss
    T = unit(np.gradient(C, axis=1)).astype(F)
    for k in range(0, M - 1, K - 1):
        s = slice(k, k + K)
        col = shade_hair(rgb[:, s], N[:, k + K // 2], T[:, s], light, cam.t, sh, ao, gloss)
        sets.append(
            hair_set(C[:, s], None, col, rgb[:, k + 3], np.broadcast_to(alpha[:, s], (n, K)), cam, np.full(n, mark, F), length, part)[0]
        )
    return sets
