"""Render a portrait with its ground truth."""

from __future__ import annotations

import cv2
import numpy as np
from scipy.spatial import cKDTree

from demo_making.animals.coats import SKIN, Coat
from demo_making.animals.develop import develop, lens_blur
from demo_making.animals.engine import PART, Camera, F, composite, lin, mix, smooth, to_srgb
from demo_making.animals.hair import join
from demo_making.animals.lighting import Light
from demo_making.animals.mane import pony_hair
from demo_making.animals.scene import SCENES, fine_hairs, grow_coat, scene_maps


def render(kind="rabbit", coat=None, size=(1280, 800), seed=1, ss=None, **over):
    """Returns (picture, truth).  truth: direction (axial degrees, 0 right, counter-clockwise, NaN
    without hair), length (px), albedo (uint8 sRGB), marking (uint8 0/1), part (uint8, see PARTS),
    light (unit vector: right, up, to the viewer), depth (animal units, NaN for background)."""
    sc = dict(SCENES[kind], **over)
    coat = coat or sc["coat"]
    sc["skin"] = SKIN.get((kind, coat), sc["skin"])
    w, h = size
    ss = ss or (1.5 if h <= 1000 else 1.0)  # supersampling
    W, H = int(round(w * ss)), int(round(h * ss))
    sc["density"] *= min(1.0, (1200 / H) ** 0.9)
    rng = np.random.default_rng(seed)
    cam = Camera(W, H, sc["target"], sc["yaw"], sc["pitch"], sc["scale"] * H / 800)
    indoor = sc["indoor"]
    light = Light(
        cam, sc["sun"], indoor=indoor, **(dict(sun=(2.6, 2.46, 2.22), sky=(0.36, 0.40, 0.48), ground=(0.12, 0.11, 0.10)) if indoor else {})
    )
    m = scene_maps(kind, sc, cam, light, rng)
    extra = fine_hairs(kind, m, cam, light, rng, ss, coat)
    if kind == "pony":
        mane, guides = pony_hair(sc, m, cam, light, rng, ss, coat)
        extra += mane
        d1 = cKDTree(guides).query(m["P"], distance_upper_bound=0.1)[0]
        d2 = cKDTree(guides).query(m["P"] + 0.05 * light.dir, distance_upper_bound=0.1)[0]
        m["ao"] = m["ao"] * mix(0.45, 1, smooth(0.01, 0.08, d1))
        m["sh"] = m["sh"] * mix(0.30, 1, smooth(0.012, 0.06, d2))
    painter = Coat(coat, kind, rng, m["shape"].eyes, sc["skin"])
    strands = join([grow_coat(kind, sc, m, painter, cam, light, rng, ss)] + extra)
    buf = composite(strands, W, H, m["depth"] - 0.012)
    a = buf[..., 3]
    base, alb = np.zeros((H, W, 3), F), np.zeros((H, W, 3), F)
    hit = m["hit"]
    under = m["part"] == PART["coat"]
    skin_root = m["col"].copy()
    if under.any():  # undercoat seen between the hairs
        ck = [lin(c) for c in painter(m["P"][under], m["ear"][under])[0]]
        lit_ = (
            light.sun * (np.clip(m["N"][under] @ light.dir, 0, 1) * m["sh"][under])[:, None]
            + light.ambient(m["N"][under]) * m["ao"][under][:, None]
        )
        bald = np.maximum(m["nose"], m["lid"])[under][:, None]
        skin_root[under] = mix(ck[0] * lit_ * 0.32, skin_root[under], bald)
        m["alb"][under] = mix(ck[1], m["alb"][under], bald)
    base[m["iy"], m["ix"]], alb[m["iy"], m["ix"]] = skin_root, m["alb"]
    rgb = buf[..., :3] + (1 - a)[..., None] * base
    alpha = np.where(hit, 1, a)
    dep = np.where(a > 0.02, buf[..., 4] / np.maximum(a, 0.02), m["depth"])
    solid = np.where(
        alpha > 0.3,
        dep,
        cv2.GaussianBlur(np.where(alpha > 0.3, dep, 0), (0, 0), 5) / np.maximum(cv2.GaussianBlur((alpha > 0.3).astype(F), (0, 0), 5), 1e-3),
    ).astype(F)
    s = 2.2 * ss * h / 800  # relief of clumps, lit from the sun side
    low = cv2.GaussianBlur(solid, (0, 0), 2.5 * s)
    rel = cv2.GaussianBlur(solid, (0, 0), 0.35 * s) - low
    lx, ly = light.dir @ cam.r, -(light.dir @ cam.u)
    M = np.array([[1, 0, lx * 1.2 * s], [0, 1, ly * 1.2 * s]], F)
    toward = cv2.warpAffine(rel, M, (W, H), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE)
    gain = np.clip(1 + (rel * 20 - toward * 14), 0.62, 1.35)
    rgb = rgb * mix(1, gain, np.clip(a, 0, 1))[..., None]
    small = lambda im: np.stack(
        [cv2.resize(np.ascontiguousarray(c), (w, h), interpolation=cv2.INTER_AREA) for c in np.moveaxis(np.atleast_3d(im), 2, 0)], 2
    )
    rgba = small(np.dstack([rgb, alpha]).astype(F))
    dep_s = small(solid)[..., 0]
    coc = cv2.GaussianBlur(np.clip(np.abs(dep_s - sc["focus"]) - 0.16, 0, 2) * 3.6 * w / 1280, (0, 0), 3)
    soft = lens_blur(rgba, coc)
    back = sc["back"](w, h, rng, np.sign(sc["sun"][0])).astype(F) * np.array(sc.get("back_gain", 1.0), F)
    body = soft[..., 3] > 0.9
    meter = np.clip((0.17 / max(float(soft[..., :3][body].mean()), 1e-3)) ** 0.35, 0.78, 1.6)
    pic = develop(soft[..., :3] + (1 - np.clip(soft[..., 3], 0, 1))[..., None] * back, rng, 0.72 * meter)
    # ground truth at picture size
    g = small(np.dstack([buf[..., 3:4], buf[..., 5:7], buf[..., 7:12]]))
    ga = np.maximum(g[..., 0], 1e-4)
    hair = g[..., 0] > 0.35
    ang = np.degrees(0.5 * np.arctan2(g[..., 2], g[..., 1])) % 180
    albedo = small(buf[..., 7:10] + (1 - a)[..., None] * alb) / np.maximum(rgba[..., 3:], 1e-3)
    part = np.zeros((H, W), np.uint8)
    part[m["iy"], m["ix"]] = m["part"]
    top = np.rint(buf[..., 12] / np.maximum(a, 1e-3)).astype(np.uint8)
    is_coat = np.isin(part, [PART["coat"], PART["ear_inside"], PART["background"], PART["lid"]])
    part = np.where((a > 0.5) & is_coat, np.where(np.isin(top, [1, 2]), top, np.where(top > 3, PART["whisker"], 1)), part)
    part = cv2.resize(part.astype(np.uint8), (w, h), interpolation=cv2.INTER_NEAREST)
    truth = dict(
        direction=np.where(hair, ang, np.nan).astype(F),
        length=np.where(hair, g[..., 7] / ga, np.nan).astype(F),
        albedo=(to_srgb(albedo) * 255 * (rgba[..., 3:] > 0.3)).astype(np.uint8),
        marking=((g[..., 6] / ga > 0.5) & hair).astype(np.uint8),
        part=part,
        depth=np.where(rgba[..., 3] > 0.3, dep_s, np.nan).astype(F),
        light=np.array([light.dir @ cam.r, light.dir @ cam.u, light.dir @ cam.t], F),
        hairs=len(strands["x"]),
    )
    return pic, truth
