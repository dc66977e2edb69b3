"""The bare body under light, and the coat that grows on it."""

from __future__ import annotations

import cv2
import numpy as np

from demo_making.animals import shapes
from demo_making.animals.backgrounds import garden, stable
from demo_making.animals.engine import PART, Ear, F, Noise3, lin, mix, occlusion, smooth, tile_order, unit
from demo_making.animals.hair import hair_set, make_hair, strand_pieces
from demo_making.animals.lighting import K, shade_hair

SCENES = {
    "rabbit": dict(
        shape=shapes.rabbit,
        target=(-0.13, 0.245, 0),
        yaw=45,
        pitch=3,
        scale=465,
        focus=0.30,
        sun=(-0.72, 0.66, 0.22),
        back=garden,
        coat="harlequin",
        indoor=False,
        gloss=0.38,
        skin=(112, 78, 72),
        ear_skin=(214, 150, 138),
        clump=(14, 170),
        pull=(0.50, 0.30),
        density=0.42,
        fuzz=1.0,
        curl=0.07,
        spread=0.16,
        flat=1.0,
        tone=1.0,
    ),
    "pony": dict(
        shape=shapes.pony,
        target=(0.0, -0.285, 0),
        yaw=26,
        pitch=2,
        scale=650,
        focus=0.14,
        sun=(-0.62, 0.62, 0.48),
        back=stable,
        coat="dapple",
        indoor=True,
        gloss=0.30,
        skin=(52, 47, 48),
        ear_skin=(112, 98, 94),
        clump=(6, 90),
        pull=(0.14, 0.10),
        density=0.34,
        fuzz=0.70,
        curl=0.02,
        spread=0.08,
        flat=0.55,
        tone=0.55,
    ),
}


def naked_regions(kind, P):
    """Soft weights of nose leather and mouth line, by place on the head."""
    if kind == "rabbit":
        q = (P - np.array((0.525, -0.124, 0), F)) / np.array((0.050, 0.038, 0.056), F)
        mouth = np.minimum(np.abs(P[:, 2]) + np.abs(P[:, 0] - 0.49) * 0.8 + 10 * (P[:, 1] > -0.16), 1)
        return smooth(1.20, 0.80, np.linalg.norm(q, axis=1) + 0.25 * np.abs(q[:, 2]) * (q[:, 1] < 0)), smooth(0.035, 0.015, mouth)
    a, b = P[:, 0] * 0.643 - P[:, 1] * 0.766, P[:, 0] * 0.766 + P[:, 1] * 0.643
    return smooth(0.74, 0.97, a + 0.3 * b), smooth(0.016, 0.006, np.abs(b + 0.105)) * (a > 0.85)


def paint_eye(e, P, light, V, sh, ao, noise):
    """Colours and labels on the eyeball."""
    n = unit(P - e.c)
    nv = np.clip(n @ V, 0, 1)
    flat = V - e.n * (V @ e.n)
    q = (P - e.c) / e.r - 0.22 * flat * (n @ e.n)[:, None]  # iris lies deeper: parallax
    u, v = q @ e.u, q @ e.v
    rho, ang = np.hypot(u, v) / e.iris, np.arctan2(v, u)
    fib = noise(np.stack([np.cos(ang) * 3, np.sin(ang) * 3, rho * 0.35], 1), 9.0, 3)
    ring = smooth(0.55, 1.0, rho)
    iris = mix(lin(e.iris_rgb), lin(e.edge_rgb), ring[:, None]) * (1 + 0.55 * fib)[:, None]
    ll = np.array([light.dir @ e.u, light.dir @ e.v])
    glow = np.clip(0.30 - 0.8 * (u * ll[0] + v * ll[1]), 0.1, 1.6)  # light gathers opposite the sun
    pr = np.sqrt((u / e.pupil[0]) ** 2 + (v / e.pupil[1]) ** 2)
    pup = smooth(1.10, 0.93, pr)
    lidshade = smooth(0.98, 0.35, v / (e.bu / e.r)) * 0.8 + 0.2
    amb = light.ambient(n)
    body = iris * (amb * 1.6 + light.sun * glow[:, None]) * lidshade[:, None]
    white = smooth(1.0, 1.12, rho)[:, None]
    body = mix(body, lin((46, 34, 30)) * amb, white) * (1 - 0.96 * pup)[:, None]
    R = 2 * nv[:, None] * n - V
    fres = 0.05 + 0.6 * (1 - nv) ** 4
    tear = smooth(0.0, 0.02, -e.lens(*e.local(*P.T)[:2]) / e.r)
    refl = light.env(R, noise, e) * (fres * (0.35 + 0.65 * ao) * lidshade**0.7)[:, None]
    part = np.where(pup > 0.5, PART["pupil"], np.where(rho < 1, PART["iris"], PART["eye"]))
    return (body + refl) * (0.35 + 0.65 * tear)[:, None], part, mix(iris, iris * 0, pup[:, None])


def scene_maps(kind, sc, cam, light, rng):
    """Everything about the bare surface: points, normals, labels, skin colour and shading."""
    shape = sc["shape"]()
    T = cam.march(shape)
    H, W = T.shape
    hit = np.isfinite(T)
    iy, ix = np.nonzero(hit)
    o = tile_order(iy, ix)
    iy, ix = iy[o], ix[o]
    P = cam.point(ix + 0.5, iy + 0.5, T[iy, ix])
    N = shape.normal(P)
    sub = np.zeros_like(hit)
    sub[::2, ::2] = hit[::2, ::2]
    s = sub[iy, ix]
    lit = np.stack(occlusion(shape, P[s], N[s], light.dir), 1)
    small = np.zeros((H, W, 3), F)
    small[iy[s], ix[s]] = np.c_[lit, np.ones(len(lit))]
    small = cv2.GaussianBlur(small, (0, 0), 1.2)
    lit = small[iy, ix][:, :2] / np.maximum(small[iy, ix][:, 2:], 1e-4)
    ao, sh = lit[:, 0], lit[:, 1]
    noise = Noise3(rng)
    part = np.full(len(P), PART["coat"])
    ear = np.zeros(len(P), int)
    inner = np.zeros(len(P), F)
    ears = [p for p in shape.prims if isinstance(p, Ear)]
    for i, p in enumerate(ears):
        u = p.coords(*P.T)[0]
        near = (p.dist(*P.T) < 0.012) & (u > 0.02)
        ear[near] = i + 1
        inner = np.maximum(inner, np.where(near, p.inside(P), 0))
    part[inner > 0.5] = PART["ear_inside"]
    nose, mouth = naked_regions(kind, P)
    part[nose > 0.5] = PART["nose"]
    part[mouth > 0.5] = PART["mouth"]
    bare = np.maximum(inner, nose) > 0.01  # skin texture only where seen
    Pb, Nb, skin = P[bare], N.copy(), np.tile(lin(sc["skin"]), (len(P), 1))
    Nb[bare] = unit(N[bare] + 0.22 * np.stack([noise(Pb + k, 70.0, 2) for k in (0, 5.2, 9.1)], 1))
    vein = smooth(0.10, 0.0, np.abs(noise(Pb * (1, 0.45, 1), 13.0, 2))) + 0.6 * smooth(
        0.12, 0.0, np.abs(noise(Pb * (1, 0.5, 1) + 3, 30.0, 2))
    )
    pink = lin(sc["ear_skin"]) * (1 - np.clip(vein, 0, 1)[:, None] * np.array((0.16, 0.38, 0.34), F))
    skin[bare] = mix(skin[bare], pink, inner[bare][:, None]) * (1 + 0.16 * noise(Pb, 22.0, 3))[:, None]
    lid = np.zeros(len(P), F)
    balls = []
    for e in shape.eyes:
        u, v, n = e.local(*P.T)
        r = np.sqrt(u * u + v * v + n * n) / e.r
        lens = e.lens(u, v) / e.r
        ball = (r < 1.012) & (lens < 0.03) & (n > 0)
        lid = np.maximum(lid, (r < 1.5) * (n > 0) * smooth(e.rim * 1.5, e.rim * 0.8, lens) * ~ball)
        balls.append(ball)
    part[lid > 0.5] = PART["lid"]
    skin = mix(skin, lin((34, 26, 25)), lid[:, None])
    V = cam.t
    nl = np.clip((Nb @ light.dir + 0.15) / 1.15, 0, 1) * sh
    thin = inner * np.clip(0.25 + 0.75 * np.abs(N @ light.dir), 0, 1) * 0.25  # light through the ear
    col = skin * (light.sun * (nl + thin)[:, None] + light.ambient(Nb) * ao[:, None])
    Hv = unit(light.dir + V)
    wet = np.maximum(nose * (0.8 if kind == "rabbit" else 0.45), lid * 0.5)
    spec = np.clip(Nb @ Hv, 0, 1) ** 40 * sh * 0.5 + 0.03 * (1 - np.clip(Nb @ V, 0, 1)) ** 3
    col = col + (wet * spec)[:, None] * light.sun * 0.35 + (wet * 0.02)[:, None] * light.sky
    hole = np.min([p.dist(*P.T) for p in shape.prims[-3:] if p.carve and p.r > 0.008], 0)
    col *= mix(0.10, 1.0, smooth(0.002, 0.020, hole))[:, None]  # nostrils and cleft swallow light
    base_alb = skin.copy()
    for e, b in zip(shape.eyes, balls):
        if b.any():
            col[b], part[b], base_alb[b] = paint_eye(e, P[b], light, V, sh[b], ao[b], noise)
    depth = np.full((H, W), -9, F)
    depth[iy, ix] = cam.dist - T[iy, ix]
    return dict(
        shape=shape,
        hit=hit,
        P=P,
        N=N,
        ao=ao,
        sh=sh,
        part=part,
        ear=ear,
        inner=inner,
        nose=nose,
        lid=lid,
        col=col,
        alb=base_alb,
        depth=depth,
        ix=ix,
        iy=iy,
        mouth=mouth,
        hole=hole,
    )


def grow_coat(kind, sc, m, coat, cam, light, rng, ss):
    """Body hair: roots on the visible surface, more where it turns away."""
    V = cam.t
    nv = np.clip(m["N"] @ V, 0.22, 1)
    bald = np.maximum.reduce([m["lid"], (np.isin(m["part"], [PART[k] for k in ("eye", "iris", "pupil")])), m["mouth"] * 0.9])
    rim = smooth(0.0, 0.25, m["inner"]) * smooth(1.0, 0.6, m["inner"])
    want = sc["density"] * 1.7 / nv * (1 - bald) * (1 - 0.88 * m["inner"] + 0.5 * rim)
    want *= (1 - (0.80 if kind == "pony" else 1.0) * m["nose"]) * smooth(0.004, 0.022, m["hole"])
    k = rng.poisson(want)
    i = np.repeat(np.arange(len(k)), k)
    i = rng.permutation(i)
    P, N = m["P"][i], m["N"][i]
    P = P + (rng.normal(0, 0.5 / cam.scale, P.shape)).astype(F)
    G, L, lift = m["shape"].fur(P, N)
    inner, ear = m["inner"][i], m["ear"][i]
    noise = Noise3(rng)
    L = L * (1 + 0.18 * noise(P, 5.0, 2)) * (1 + 1.3 * smooth(0, 0.3, inner) - 0.5 * smooth(0.6, 1, inner))
    for e in m["shape"].eyes:  # short hair on the lids
        d = np.linalg.norm(P - e.c, axis=1) / e.r
        L = L * mix(0.42, 1.0, smooth(1.0, 1.9, d))
    keep = rng.random(len(L)) < np.clip((0.03 / L) ** 0.55, 0.22, 1)
    i, P, N, G, L, lift, inner, ear = (a[keep] for a in (i, P, N, G, L, lift, inner, ear))
    C, tone = make_hair(P, N, G, L * sc["fuzz"], lift * sc["flat"], rng, sc["clump"], sc["pull"], curl=sc["curl"], spread=sc["spread"])
    trio, mark = coat(P, np.where(inner > 0.5, 0, ear))
    trio, mark = [lin(c) for c in trio], mark * (inner <= 0.5)
    t = np.linspace(0, 1, K, dtype=F)[None, :, None]
    sft = rng.normal(0, 0.08, len(P)).astype(F)[:, None, None]
    if coat.name == "ticked":  # band of light below a dark tip
        a = smooth(0.25, 0.40, t + sft) - smooth(0.70, 0.80, t + sft)
        rgb = trio[0][:, None] * (1 - smooth(0.25, 0.4, t + sft)) + trio[1][:, None] * a + trio[2][:, None] * smooth(0.70, 0.80, t + sft)
    else:
        a, b = smooth(0.0, 0.55, t + sft), smooth(0.55, 1.0, t + sft)
        rgb = mix(mix(trio[0][:, None], trio[1][:, None], a), trio[2][:, None], b)
    pale = lin((232, 214, 200)) if kind == "rabbit" else lin((150, 144, 140))
    rgb = mix(rgb, np.broadcast_to(pale, rgb.shape), (0.85 * smooth(0, 0.35, inner))[:, None, None])
    hue = 1 + rng.normal(0, 0.035, (len(P), 1, 3)).astype(F)
    albedo = np.clip(rgb[:, K // 2 + 1] * hue[:, 0], 0, 1)
    rgb = rgb * (1 + sc["tone"] * (tone - 1))[:, None, None] * hue
    deep = mix(mix(0.50, 0.22, sc["flat"]), 1.0, smooth(-0.05, 0.80, t))  # roots sit in shadow
    deep = mix(deep, 1.0, (0.6 * inner)[:, None, None])
    Tn = unit(np.gradient(C, axis=1)).astype(F)
    Nj = unit(N + 0.13 * rng.normal(0, 1, N.shape)).astype(F)
    col = shade_hair(rgb * deep, Nj, Tn, light, V, m["sh"][i], m["ao"][i], sc["gloss"])
    taper = np.array([0.85, 0.9, 0.9, 0.85, 0.72, 0.5, 0.22], F)
    alpha = taper * (0.55 + 0.35 * rng.random((len(P), 1))) * mix(1, 0.40, smooth(0, 0.4, inner))[:, None]
    s, _ = hair_set(C, N, col, albedo, alpha, cam, mark, L * cam.scale / ss, np.where(inner > 0.5, PART["ear_inside"], PART["coat"]))
    return s


def fine_hairs(kind, m, cam, light, rng, ss, coat):
    """Whiskers, lashes and feelers: few, long, drawn as double lines."""
    sets = []
    eyes, t = m["shape"].eyes, np.linspace(0, 1, 13, dtype=F)[None, :, None]

    def add(P, D, L, bend, rgb, alpha, part, twin=2):
        P, D, L = np.asarray(P, F), unit(np.asarray(D, F)), np.asarray(L, F)
        C = P[:, None] + L[:, None, None] * (D[:, None] * t + np.asarray(bend, F)[:, None] * t * t)
        al = np.interp(t[0, :, 0], [0, 0.6, 1], [alpha, alpha * 0.75, alpha * 0.15])[None].astype(F) * min(1.0, cam.scale / 650)
        for k in range(twin):
            Ck = C + (k - 0.5) * (0.55 / cam.scale) * (1 - t) * cam.u
            col = np.broadcast_to(lin(rgb), C.shape).astype(F) * mix(0.5, 1.1, smooth(0, 0.3, t))
            N = np.broadcast_to(unit(cam.t + light.dir), C.shape)
            sets.extend(strand_pieces(Ck.astype(F), N, col, al, cam, light, np.full(len(P), 0.9, F), np.ones(len(P), F), 0.7, ss, part))

    def on_skin(P):
        P = np.asarray(P, F)
        for _ in range(3):
            P = P - m["shape"].normal(P) * m["shape"](P)[:, None]
        return P

    if kind == "rabbit":
        for s in (-1, 1):
            n = 17
            P = np.array((0.43, -0.205, s * 0.10)) + rng.normal(0, 1, (n, 3)) * (0.036, 0.036, 0.004)
            P = on_skin(P)
            up = (P[:, 1] + 0.205) / 0.04
            D = np.c_[rng.normal(-0.20, 0.16, n), 0.14 * up + rng.normal(-0.22, 0.07, n), np.full(n, s * 1.0)]
            add(
                P,
                D,
                rng.uniform(0.20, 0.52, n),
                np.c_[rng.normal(-0.30, 0.05, n), rng.normal(-0.20, 0.04, n), np.zeros(n)],
                (226, 218, 210) if s < 0 else (205, 196, 188),
                0.56,
                PART["whisker"],
                1,
            )
            e = eyes[0 if s < 0 else 1]
            P = on_skin(e.c + e.v * 0.16 + e.u * rng.normal(0, 0.03, (3, 1)) + e.n * 0.05)
            add(
                P,
                m["shape"].normal(P) * 0.6 + (-0.25, 0.75, 0) + rng.normal(0, 0.15, (3, 3)),
                rng.uniform(0.10, 0.20, 3),
                rng.normal(0, 0.08, (3, 3)) + (-0.15, 0, 0),
                (205, 195, 185),
                0.45,
                PART["whisker"],
                1,
            )
    else:
        a = rng.uniform(0.84, 1.0, 34)
        b, z = rng.uniform(-0.19, -0.06, 34), -rng.uniform(0.01, 0.085, 34)
        P = np.c_[a * 0.643 + b * 0.766, -a * 0.766 + b * 0.643, z]
        P = on_skin(P)
        D = m["shape"].normal(P) + (0.2, -0.35, 0) + rng.normal(0, 0.25, P.shape)
        add(P, D, rng.uniform(0.02, 0.065, 34), rng.normal(0, 0.15, (34, 3)) + (0, -0.2, 0), (92, 88, 87), 0.40, PART["whisker"], 1)
    for e in eyes:  # upper lashes
        n = 70 if kind == "pony" else 26
        u = np.linspace(-0.75, 0.8, n) + rng.normal(0, 0.03, n)
        R = (e.a**2 + e.bu**2) / (2 * e.bu)
        v = e.bu - R + np.sqrt(R * R - (u * e.a) ** 2) + 0.03 * e.r
        w = np.sqrt(np.maximum((e.lid * e.r) ** 2 - (u * e.a) ** 2 - v**2, 0))
        P = e.c + np.outer(u * e.a, e.u) + np.outer(v, e.v) + np.outer(w, e.n)
        D = np.outer(u * 0.6, e.u) + e.n * 0.9 + e.v * (-0.15 if kind == "pony" else 0.25) + rng.normal(0, 0.12, P.shape)
        L = rng.uniform(0.5, 1.0, n) * e.r * (0.85 if kind == "pony" else 0.5)
        rgb = (60, 54, 52) if coat != "white" else (200, 190, 180)
        add(P, D, L, np.tile(-0.30 * e.v, (n, 1)), rgb, 0.7, PART["coat"], 1)
    return sets
