"""Render a bird portrait with its ground truth: ``render("owl" | "jackdaw" | "bars", width, height, seed)``."""

import numpy as np

from demo_making.birds.owl_face import Face, disc_strands, face_hairs, owl_beak, ruff
from demo_making.birds.parts import Scene, finish, flyaway, log_perch, toes, wet_eye, yard
from demo_making.birds.plumage import DARK, DEEP, GOLD, LABEL, RUST, WHITE, F, ellipsoid, lin, noise, rotation, step, union, unit


# ---------------------------------------------------------------- the scenes
def owl(w, h, seed, yaw=11.0, tilt=3.0, light=(-0.74, -0.48, 0.47)):
    """Barn owl on a log, front three-quarter view; yaw and tilt turn the face (degrees)."""
    sc = Scene(w, h, seed, light, zoom=1.1)
    rng, P = sc.rng, sc.paint
    hc = np.array((12, 430, 190), F)
    head = union([ellipsoid(hc + (0, 14, 0), (362, 330, 325), rotation(10, 0, 2)), ellipsoid(hc + (0, -50, -30), (338, 306, 300))], 80)
    torso = union(
        [ellipsoid((-6, 985, 0), (408, 580, 330)), ellipsoid((0, 750, 10), (372, 250, 280)), ellipsoid((126, 1020, 120), (222, 430, 265))],
        90,
    )
    wing = union([ellipsoid((-252, 1040, 76), (186, 560, 250), rotation(roll=-4)), ellipsoid((-265, 830, 90), (165, 170, 215))], 60)
    far = ellipsoid((345, 985, -50), (92, 470, 190), rotation(roll=3))
    world = union([head, torso, wing, far], 30)
    L_head, L_body = sc.layer(head, head, 0.25), sc.layer(union([torso, wing, far], 48), world, 0.30)
    face = Face(hc, 330, rotation(yaw, 4, tilt))
    L_face = face.layer(sc)
    tone = lambda p, k: float(np.sin(p[0] * 0.013 + k) * np.sin(p[1] * 0.011 + 2 * k))

    front = lambda p: (
        -58 + 46 * np.sin((p[:, 1] - 690) / 220) + 15 * np.sin(p[:, 1] / 31) + 9 * np.sin(p[:, 1] / 13 + 1) - 125 * step(780, 1420, p[:, 1])
    )
    is_wing = lambda p: p[:, 0] < front(p)
    is_far = lambda p: p[:, 0] > 338 - 60 * step(950, 1400, p[:, 1])
    down = lambda p: np.array((-0.11 - 0.0006 * p[0], 1.0, 0.0), F)

    def breast(p):
        wash = step(230, -120, p[0]) * 0.55 + 0.25 * step(830, 640, p[1]) + 0.12 * tone(p, 1) + 0.3 * step(300, 370, p[0])
        base = WHITE + np.clip(wash, 0, 0.8) * (lin((240, 206, 150)) - WHITE)
        base = base * rng.normal(0.87, 0.035)
        return P.contour(
            base, tip=base * 0.3 + WHITE * 0.68, barbs=0.3, fleck=rng.uniform(0.8, 1.3) if rng.random() < 0.11 and p[1] > 800 else 0
        )

    def back(p):
        k = 0.55 + 0.35 * tone(p, 2) + 0.2 * rng.normal()
        base = GOLD + np.clip(k, 0, 1) * (DEEP - GOLD)
        return P.contour(
            base * rng.normal(1, 0.06),
            fringe=0.16,
            veil=np.clip(0.85 + 0.3 * tone(p, 3) + 0.15 * rng.normal(), 0.2, 1),
            pearl=rng.uniform(0.7, 1.25) if rng.random() < 0.7 else 0,
        )

    sc.g.fill(L_body, L_body.core, GOLD * 0.5, LABEL["back"])
    # far wing edge, flight feathers, perch, breast, coverts, shoulder: back to front
    sc.tract("firm", L_body, is_far, down, lambda p: p[:, 1], lambda p: np.full(len(p), 34.0), (3.1, 1.9), back, "wing")
    for i in range(15):
        f = i / 14
        p = np.array((-425 + 372 * f, 985 - 80 * np.sin(f * 3), 210 + 120 * f), F)
        n = unit(np.array((-0.62 + 0.6 * f, 0.0, 0.8), F))
        col = (GOLD * 0.55 + DEEP * 0.45) * rng.normal(1, 0.05)
        paint = P.flight(col, lin((88, 68, 52)), 6.5, 0.1 + 0.02 * i, 0.32, 0.03, 0.55, tip=lin((206, 190, 164)))
        sc.feather(
            "flight",
            p + (0, 330 - 8 * i, 0),
            n,
            np.array((0.09 - 0.17 * f, 1, -0.05), F),
            640,
            128,
            paint,
            L_body,
            "wing",
            40,
            lift=0.02,
            curl=0.2,
            cup=0.55,
            shade=0.75,
        )
    log_perch(sc, 1340, 1540)
    toes(sc, (-62, 116), 1344)
    sc.tract(
        "soft",
        L_body,
        lambda p: (
            ~is_far(p)
            & (p[:, 0] > front(p) - 26 + 60 * step(960, 1110, p[:, 1]))
            & (p[:, 1] < 1338 + 12 * np.sin(p[:, 0] * 0.05) - np.where(p[:, 0] < 20, 0.0018, 0.0009) * (p[:, 0] - 20) ** 2)
        ),
        down,
        lambda p: p[:, 1],
        lambda p: 22 + 11 * step(700, 1150, p[:, 1]),
        (5.2, 2.5),
        breast,
        "breast",
        lift=0.14,
        turn=0.07,
        curl=0.26,
        cup=0.16,
        shade=0.26,
    )
    cover = lambda p: P.flight(
        (GOLD * 0.6 + DEEP * 0.4) * rng.normal(1, 0.07), lin((112, 84, 62)), 3.2, rng.uniform(0, 0.2), 0.16, 0.05, 0.9
    )
    sc.tract(
        "flight",
        L_body,
        lambda p: is_wing(p) & (p[:, 1] > 1000) & (p[:, 1] < 1110),
        down,
        lambda p: p[:, 1],
        lambda p: np.full(len(p), 50.0),
        (4.4, 1.7),
        cover,
        "wing",
        lift=0.06,
        curl=0.3,
    )
    sc.tract(
        "firm",
        L_body,
        lambda p: is_wing(p) & (p[:, 1] < 1080 - 0.22 * p[:, 0] - 60),
        down,
        lambda p: p[:, 1],
        lambda p: 24 + 18 * step(690, 1060, p[:, 1]),
        (3.3, 2.0),
        back,
        "back",
        lift=0.16,
        curl=0.55,
        shade=0.6,
    )
    sc.tract(
        "soft",
        L_body,
        lambda p: (np.abs(p[:, 0] - front(p) - 34) < 34) & (p[:, 1] > 770) & (p[:, 1] < 1340),
        down,
        lambda p: p[:, 1],
        lambda p: np.full(len(p), 25.0),
        (5.4, 2.4),
        breast,
        "breast",
        lift=0.10,
        turn=0.16,
        curl=0.25,
        cup=0.2,
        shade=0.45,
    )
    flyaway(sc, L_body, lambda p: ~is_far(p) & ~is_wing(p) & (p[:, 1] < 1330) & (p[:, 1] > 650), down, WHITE, 500, "breast")
    flyaway(sc, L_body, lambda p: (is_far(p) | is_wing(p)) & (p[:, 1] < 1330) & (p[:, 1] > 600), down, GOLD, 500, "back", 26)
    # head: crown, ruff, disc, beak, eyes
    loc = lambda p: (p - hc) @ face.rot / face.r
    fd = lambda p: face.dist(loc(p)[:, 0], loc(p)[:, 1])

    sc.g.fill(L_head, L_head.core, GOLD * 0.5, LABEL["crown"])

    def crown_flow(p):
        q = loc(p[None])[0]
        return face.rot @ np.array((q[0] * 0.9, q[1] * 0.75 + 0.25 * step(-0.2, 0.4, q[1]), -0.6), F)

    def crown(p):
        base = GOLD + np.clip(0.55 + 0.4 * tone(p, 5) + 0.2 * rng.normal(), 0, 1) * (DEEP - GOLD)
        return P.contour(
            base * rng.normal(1, 0.09),
            fringe=0.14,
            veil=np.clip(0.80 + 0.3 * tone(p, 4) + 0.2 * rng.normal(), 0.2, 1),
            pearl=rng.uniform(0.6, 1.2) if rng.random() < 0.4 else 0,
        )

    sc.tract(
        "firm",
        L_head,
        lambda p: fd(p) < -0.05,
        crown_flow,
        lambda p: -fd(p) * 1000,
        lambda p: np.full(len(p), 16.5),
        (3.6, 1.75),
        crown,
        "crown",
        curl=0.5,
    )

    sc.g.fill(
        L_face,
        step(-0.03, 0.01, L_face.d)
        * (np.hypot(*(sc.g.to_px(hc) - np.stack(np.meshgrid(np.arange(w), np.arange(h)), -1)).transpose(2, 0, 1)) < 480 * sc.s),
        lin((190, 172, 152)),
        LABEL["disc"],
        0.75,
    )
    flyaway(sc, L_head, lambda p: fd(p) < -0.08, crown_flow, GOLD, 450, "crown", 20)
    low = lambda q: step(0.0, 0.7, q[1])
    rows = [
        (
            -0.100,
            0.027,
            0.125,
            0.044,
            lambda q: P.contour(
                (GOLD + DEEP) / 2 * rng.normal(1, 0.1), veil=0.6 * (1 - low(q)), edge=DARK * 2 if rng.random() < 0.4 else None
            ),
        ),
        (
            -0.078,
            0.025,
            0.12,
            0.040,
            lambda q: P.contour(
                GOLD * 0.8 * rng.normal(1, 0.1), edge=DARK * rng.uniform(1, 2.2) if rng.random() < 0.3 + 0.6 * low(q) else RUST * 0.8
            ),
        ),
        (
            -0.055,
            0.024,
            0.115,
            0.037,
            lambda q: P.contour(
                GOLD * 0.5 + WHITE * 0.25, edge=DARK * rng.uniform(1, 2.5) if rng.random() < 0.35 + 0.6 * low(q) else RUST * 0.7
            ),
        ),
        (
            -0.031,
            0.022,
            0.11,
            0.034,
            lambda q: P.contour(
                WHITE * 0.55 + GOLD * 0.3,
                edge=DARK * rng.uniform(1.5, 3) if rng.random() < 0.2 + 0.4 * low(q) else RUST * rng.uniform(0.5, 1),
            ),
        ),
        (
            -0.006,
            0.021,
            0.105,
            0.031,
            lambda q: P.contour(WHITE * 0.93, edge=RUST * rng.uniform(0.8, 1.4) if rng.random() < 0.45 else None),
        ),
    ]
    ruff(sc, face, L_face, rows)
    c = sc.g.to_px(hc)
    r = int(face.r * sc.s * 1.3)
    box = (max(0, int(c[1]) - r), min(h, int(c[1]) + r), max(0, int(c[0]) - r), min(w, int(c[0]) + r))
    disc_strands(sc, face, L_face, box)
    for side in (-1, 1):
        o = sc.g.to_px(face.place(*np.array([face.EYE[0] * side, face.EYE[1]], F)))
        wet_eye(sc, L_face.env, o, 0.178 * face.r * sc.s, 24 * side, -side, (0.56, 0.70), lin((40, 24, 16)), 0.57, lin((92, 66, 60)))
    owl_beak(sc, face, L_face)
    n = 5600  # ridge hairs half hide the beak
    y = rng.triangular(-0.56, 0.10, 0.17, n)
    root = np.stack([rng.normal(0, 1, n) * (0.018 + 0.10 * step(-0.55, 0.15, y)), y], 1).astype(F)
    tan = (0.10 + 0.35 * rng.random(n) ** 2)[:, None]
    col = (WHITE + tan * (lin((206, 176, 140)) - WHITE)) * rng.normal(0.9, 0.09, n).clip(0.5, 1.05)[:, None]
    o = np.argsort(-y + rng.normal(0, 0.03, n))
    face_hairs(
        sc,
        face,
        L_face,
        box,
        root[o],
        rng.uniform(0.6, 1.2, n) * (0.11 + 0.08 * step(-0.4, 0.1, y[o])),
        col[o],
        rng.uniform(1, 1.9, n),
        lift=0.07,
        curl=0.35,
        roll=0.55,
    )
    for side in (-1, 1):  # short velvet around the lids
        n = 2600
        a = rng.uniform(0, 2 * np.pi, n)
        rr = rng.uniform(0.150, 0.205, n)
        root = (np.stack([np.cos(a) * rr * 1.02, np.sin(a) * rr * 0.92], 1) + (face.EYE[0] * side, face.EYE[1])).astype(F)
        k = np.exp(-(((rr - 0.15) / 0.03) ** 2))[:, None] * 0.45 + 0.15
        col = (WHITE + k * (lin((150, 112, 84)) - WHITE)) * rng.normal(0.85, 0.09, n).clip(0.5, 1)[:, None]
        o = np.argsort(-rr)
        face_hairs(sc, face, L_face, box, root[o], rng.uniform(0.05, 0.10, n), col[o], rng.uniform(0.9, 1.5, n), lift=0.015)
    return finish(sc, yard(rng, w, h, sc.s), 330, 0.006, exposure=0.93)


def jackdaw(w, h, seed, light=(-0.45, -0.62, 0.64)):
    """Jackdaw-like bird in profile: black plumage with an angle-dependent violet-blue sheen, grey nape."""
    sc = Scene(w, h, seed, light)
    rng, P, g, s = sc.rng, sc.paint, sc.g, sc.s
    hc, tip, base = np.array((150, 455, 60), F), np.array((520, 520, 90), F), np.array((318, 476, 110), F)
    head = union([ellipsoid(hc, (222, 196, 185), rotation(roll=6)), ellipsoid((250, 480, 80), (130, 105, 110))], 70)
    torso = union(
        [ellipsoid((-60, 1120, 0), (390, 610, 330), rotation(roll=14)), ellipsoid((70, 740, 20), (255, 300, 235), rotation(roll=10))], 110
    )
    wing = ellipsoid((-190, 1150, 190), (205, 520, 150), rotation(roll=15))
    body = union([torso, wing], 26)
    world = union([head, body], 70)
    L = sc.layer(world, world, 0.22)
    black, grey, blue = lin((30, 30, 34)), lin((128, 130, 138)), lin((26, 27, 36))
    order = lambda p: np.linalg.norm((p - base) * (1, 1, 0.6), axis=1)
    side = lambda p: -215 - 0.24 * (p[:, 1] - 1100) + 190 * step(1500, 800, p[:, 1])

    def flow(p):
        away, k = unit(p - base), step(560, 900, p[1])
        return unit(away * (1 - k) + k * np.array((-0.28, 1, 0), F))

    def plume(p):
        nape = float(np.exp(-(((p[0] - 10) / 120) ** 2 + ((p[1] - 520) / 190) ** 2)) * step(330, 420, p[1]))
        k = np.clip(1.15 * nape + 0.08 * rng.normal(), 0, 1)
        c = black + k * (grey - black)
        return P.contour(c * rng.normal(1, 0.09), fringe=0.16, sheen=(1 - 0.85 * k) * rng.uniform(0.6, 1), barbs=0.55)

    g.fill(L, L.core, black * 0.6, LABEL["back"])
    log_perch(sc, 1470, 1670)
    toes(sc, (-70, 70), 1474, (58, 56, 58))
    quill = lambda p: P.flight(blue * rng.normal(1, 0.08), black * 0.8, 3, 0, 0.02, 0.05, 0, sheen=rng.uniform(0.7, 1.1))
    for i in range(9):
        f = i / 8
        p = np.array((-400 + 250 * f, 1330 - 26 * i, 300 + 40 * f), F)
        sc.feather(
            "flight",
            p,
            unit(np.array((-0.45 + 0.5 * f, 0, 0.85), F)),
            np.array((-0.20 - 0.06 * f, 1, 0), F),
            700,
            128,
            quill(p),
            L,
            "wing",
            40,
            lift=0.02,
            curl=0.2,
            cup=0.6,
            shade=0.8,
        )
    is_wing = lambda p: (p[:, 0] < side(p)) & (p[:, 1] > 800)
    sc.tract(
        "soft",
        L,
        lambda p: ~is_wing(p) & (p[:, 1] > 560) & (p[:, 1] < 1500),
        flow,
        order,
        lambda p: 15 + 8 * step(600, 1100, p[:, 1]),
        (5, 2.3),
        plume,
        "breast",
        lift=0.12,
        curl=0.4,
    )
    sc.tract(
        "flight",
        L,
        lambda p: is_wing(p) & (p[:, 1] > 1080) & (p[:, 1] < 1180),
        flow,
        order,
        lambda p: np.full(len(p), 60.0),
        (4.2, 1.7),
        quill,
        "wing",
        lift=0.05,
        cup=0.5,
    )
    sc.tract(
        "firm",
        L,
        lambda p: is_wing(p) & (p[:, 1] < 1130),
        flow,
        order,
        lambda p: 21 + 13 * step(800, 1100, p[:, 1]),
        (3.4, 1.9),
        plume,
        "back",
        lift=0.12,
        curl=0.6,
    )
    sc.tract(
        "firm",
        L,
        lambda p: p[:, 1] < 600,
        flow,
        order,
        lambda p: 11 + 5 * step(250, 500, np.abs(p[:, 0] - 380)),
        (4, 2.0),
        plume,
        "crown",
        lift=0.04,
        curl=0.5,
        facing=0.22,
    )
    a, b = g.to_px(base - (40, 6, 0)), g.to_px(tip)  # beak
    ln = np.linalg.norm(b - a)
    x0, y0, hh, ww = int(a[0] - 10), int(a[1] - 0.5 * ln), int(1.2 * ln), int(1.2 * ln)
    y, x = np.mgrid[0:hh, 0:ww].astype(F)
    ax = (b - a) / ln
    t, c = ((x + x0 - a[0]) * ax[0] + (y + y0 - a[1]) * ax[1]) / ln, ((y + y0 - a[1]) * ax[0] - (x + x0 - a[0]) * ax[1]) / ln
    c = c - 0.10 * t * t + 0.04
    up, lo = 0.20 * (1 - t.clip(0, 1) ** 2.2) ** 0.8, 0.15 * (1 - t.clip(0, 0.96) / 0.96) ** 0.75
    hw = np.where(c < 0, up, lo)
    e = np.clip(c / np.maximum(hw, 1e-3), -1, 1)
    m = step(-1.2 / ln, 1.2 / ln, hw - np.abs(c)) * step(-0.01, 0.01, t) * step(1, 0.98, t)
    col = lin((44, 44, 48)) * (1 + 0.15 * noise(rng, hh, ww, 14 * s, 3))[..., None] * (1 - 0.75 * np.exp(-((c / 0.012) ** 2)))[..., None]
    col = col + (0.16 * np.exp(-(((e + 0.55) / 0.22) ** 2)) * step(0.95, 0.3, t))[..., None]
    feat = np.zeros((hh, ww, g.CH), F)
    feat[..., :3], feat[..., 4], feat[..., 5], feat[..., g.Z], feat[..., g.AO], feat[..., g.SUN] = (
        col,
        e * 0.9,
        np.sqrt(1.05 - e * e),
        120,
        0.9,
        1,
    )
    g.blend((y0, y0 + hh, x0, x0 + ww), m, feat, LABEL["beak"])
    for _ in range(80):  # nasal bristles over the beak's base
        p = base + np.array((rng.uniform(-52, -6), rng.normal(-6, 30), 60), F)
        n = unit(np.array((0.3, (p[1] - base[1]) / 70, 0.9), F))
        sc.feather(
            "stiff",
            p,
            n,
            np.array((1, 0.14 + (p[1] - base[1]) / 260, 0), F),
            62 * rng.normal(1, 0.15),
            20,
            P.contour(black, sheen=0.5),
            L,
            "crown",
            12,
            lift=0.05,
        )
    wet_eye(sc, L.env, g.to_px(np.array((238, 424, 0), F)), 38 * s, 4, 1, (0.70, 0.76), lin((150, 160, 168)), 0.50, lin((20, 20, 22)))
    return finish(sc, yard(rng, w, h, s), 230, 0.006, exposure=1.12)


def bars(w, h, seed, angle=-97.0, count=5.5, row=330.0, width=165.0, light=(-0.66, -0.50, 0.56)):
    """Flat patch of barred flight feathers. `angle`: tip direction in degrees, counter-clockwise from right."""
    sc = Scene(w, h, seed, light)
    rng, a = sc.rng, np.radians(angle)
    t, b = np.array((np.cos(a), -np.sin(a), 0), F), np.array((np.sin(a), np.cos(a), 0), F)
    dome = ellipsoid((0, 800, -9000), (9000, 9000, 9000))
    L = sc.layer(dome, dome, 0.12)
    sc.g.fill(L, L.core * 0 + 1, GOLD * 0.3, LABEL["wing"])
    n, half = np.array((0, 0, 1), F), np.hypot(w, h) / sc.s / 2
    for r in np.arange(half + row * 2, -half - row * 2, -row):
        for c in rng.permutation(np.arange(-half, half, width * 0.52)):
            p = np.array((0, 800, 0), F) + t * (r + rng.normal(0, 9)) + b * (c + rng.normal(0, 4))
            paint = sc.paint.flight(
                (GOLD * 0.6 + DEEP * 0.4) * rng.normal(1, 0.06),
                lin((92, 70, 52)),
                count,
                0.25 + rng.normal(0, 0.03),
                0.34,
                0.03,
                0.55,
                tip=lin((222, 206, 176)),
            )
            sc.feather(
                "flight",
                p,
                n,
                unit(t + b * rng.normal(0, 0.02)),
                row * 2.3,
                width,
                paint,
                L,
                "wing",
                row,
                lift=0.03,
                curl=0.3,
                cup=0.5,
                shade=0.75,
            )
    return finish(sc, np.zeros((h, w, 3), F), 0, 0)


SCENES = {"owl": owl, "jackdaw": jackdaw, "bars": bars}


def render(kind="owl", width=2000, height=1600, seed=7, **params):
    """Returns (uint8 sRGB picture, dict of ground truth arrays of the same size)."""
    return SCENES[kind](width, height, seed, **params)
