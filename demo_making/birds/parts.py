"""What the bird scenes are put together from: feather patterns, tracts, eyes, perch, background, camera."""

import cv2
import numpy as np

from demo_making.birds.plumage import (
    DARK,
    GREY,
    LABEL,
    PARTS,
    WHITE,
    F,
    GBuffer,
    Layer,
    develop,
    lens_blur,
    lin,
    noise,
    scatter,
    shade,
    sprite_library,
    srgb,
    step,
    unit,
)


# ----------------------------------------------------------- feather patterns
class Painter:
    """Turns a feather's (U across, V along, shade) into colour, marking and sheen."""

    def __init__(self, rng):
        self.rng, n = rng, 512
        self.fine = noise(rng, n, n, 5, 2)
        self.wave = noise(rng, n, n, 26, 2, aspect=0.22)

    def tile(self, tex, u, v, ku, kv):
        i, j = self.rng.integers(0, 512, 2).tolist()
        return cv2.remap(tex, u * ku + j, v * kv + i, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP)

    def contour(self, base, tip=None, veil=0.0, pearl=0.0, fleck=0.0, edge=None, sheen=0.0, barbs=0.5, fringe=0.0):
        """Body feather: base colour, tip wash, grey vermiculation, pearl drop, dark fleck, edge line."""

        def paint(u, v, sh):
            k = (1 - barbs + barbs * sh)[..., None]
            rgb = base * (1 - fringe + fringe * 2 * step(0.45, 0.95, v + 0.1 * np.abs(u)))[..., None]
            mark = np.zeros(u.shape, F)
            if tip is not None:
                rgb = rgb + step(0.45, 0.95, v)[..., None] * (tip - rgb)
            if veil:
                w, f = self.tile(self.wave, u, v, 50, 190), self.tile(self.fine, u, v, 95, 230)
                a = veil * step(0.50, 0.74, v + 0.08 * w) * step(-0.80, 0.10, w + 0.5 * f + 0.42)
                grey = GREY * (0.50 + 0.75 * step(-0.7, 0.7, f + 0.5 * w))[..., None]
                rgb = rgb + a[..., None] * (grey - rgb)
            if pearl:
                d = np.hypot(u / (0.13 * pearl), (v - 0.85) / (0.085 * pearl)) + 0.2 * self.tile(self.fine, u, v, 30, 60)
                e = np.hypot(u / (0.078 * pearl), (v - 0.85 - 0.050 * pearl) / (0.026 * pearl)) + 0.2 * self.tile(self.fine, u, v, 40, 60)
                a, b = 0.92 * step(1.15, 0.7, d), 0.95 * step(1.2, 0.7, e)
                rgb = rgb + a[..., None] * (DARK * 0.45 - rgb)
                rgb = rgb + b[..., None] * (WHITE * 0.95 - rgb)
                mark = np.maximum(a, b)
            if fleck:
                d = np.hypot(u / (0.20 * fleck), (v - 0.86) / (0.06 * fleck)) + 0.18 * self.tile(self.fine, u, v, 30, 60)
                a = 0.88 * step(1.15, 0.7, d)
                rgb = rgb + a[..., None] * (DARK * 1.5 - rgb)
                mark = np.maximum(mark, a)
            if edge is not None:
                a = 0.9 * step(0.80, 0.93, v + 0.05 * np.abs(u))
                rgb = rgb + a[..., None] * (edge - rgb)
                mark = np.maximum(mark, a)
            return rgb * k * k, mark, sheen

        return paint

    def flight(self, base, bar, count=6, phase=0.0, duty=0.36, soft=0.03, pepper=0.4, tip=None, sheen=0.0):
        """Flight feather with cross bars that follow the barbs and grey peppering between them."""
        wob = self.rng.normal(0, 0.1, 3)

        def paint(u, v, sh):
            f = self.tile(self.fine, u, v, 50, 300)
            c = v * count + phase + 0.10 * np.abs(u) + 0.05 * f + wob[0] * u + wob[1] * np.sin(3 * v)
            tri = np.abs((c % 1) - 0.5) * 2
            a = step(1 - duty - soft * 4, 1 - duty + soft * 4, tri) * (0.72 + 0.28 * step(-0.7, 0.5, f))
            rgb = np.broadcast_to(base, u.shape + (3,)).astype(F)
            rgb = rgb * (1 + 0.22 * step(0.1, -0.9, u) - 0.10 * step(0.2, 1, u))[..., None]
            p = pepper * step(0.1, 0.8, f + 0.5 * self.tile(self.wave, u, v, 40, 300)) * (1 - a)
            rgb = rgb + p[..., None] * (GREY - rgb)
            rgb = rgb + a[..., None] * (bar - rgb)
            if tip is not None:
                rgb = rgb + (step(0.93, 0.99, v))[..., None] * (tip - rgb)
            rgb = rgb * (1 - 0.35 * np.exp(-((u / 0.025) ** 2)))[..., None]
            k = (0.45 + 0.55 * sh)[..., None]
            return rgb * k * k, a, sheen

        return paint


class Scene:
    """Shared state of one render."""

    def __init__(self, w, h, seed, light, zoom=1.0):
        self.rng = np.random.default_rng(seed)
        self.w, self.h, self.s, self.light = w, h, h / 1600 * zoom, unit(np.array(light, F))
        self.g, self.sprites, self.paint = GBuffer(w, h, self.s), sprite_library(seed), Painter(self.rng)

    def layer(self, sdf, world, rough=0.0):
        return Layer(sdf, world, self.w, self.h, self.s, self.light, rough, self.rng)

    def feather(self, kind, p, n, flow, length, width, paint, layer, label, spacing, lift=0.18, **kw):
        """Lay one feather on the surface: `flow` is pressed into the tangent plane, the tip lifted."""
        t = unit(flow - n * (flow @ n))
        b = unit(np.cross(n, t))
        t = unit(t + n * lift)
        lib = self.sprites[kind]
        self.g.stamp(
            lib[self.rng.integers(len(lib))], p - t * length * 0.62, t, b, length, width, paint, layer, LABEL[label], spacing * self.s, **kw
        )

    def tract(self, kind, layer, where, flow, order, spacing, size, paint, label, lift=0.18, turn=0.10, facing=-1.0, **kw):
        """A feather tract: Poisson rows on the surface, laid from the tail towards the head."""
        p, n, r = scatter(self.rng, layer, spacing, where)
        for i in np.argsort(-order(p) + self.rng.normal(0, 3, len(p))):
            if n[i, 2] < facing:
                continue
            f = unit(flow(p[i]) + self.rng.normal(0, turn, 3))
            ln, wd = np.array(size) * r[i] * self.rng.normal(1, 0.09, 2)
            self.feather(kind, p[i], n[i], f, ln, wd, paint(p[i]), layer, label, r[i], lift * self.rng.uniform(0.6, 1.5), **kw)


# ----------------------------------------------------------------- background
def yard(rng, w, h, s):
    """Out-of-focus falconry yard: mews boards, foliage with bokeh, lawn. Linear RGB."""
    q = 0.5  # half size is plenty for a blur
    hh, ww = int(h * q), int(w * q)
    y, x = np.mgrid[0:hh, 0:ww].astype(F)
    x, y = (x / q - w / 2) / s, y / q / s
    img = np.zeros((hh, ww, 3), F)
    leaf = noise(rng, hh, ww, 260 * s * q, 5, gain=0.62)
    tone = step(-0.9, 1, leaf)[..., None]
    img[:] = lin((24, 34, 22)) + tone**2 * (lin((122, 138, 70)) - lin((24, 34, 22)))
    img += step(0.2, 1.0, noise(rng, hh, ww, 520 * s * q, 2))[..., None] * lin((128, 150, 116)) * 0.55
    wall = step(-395, -425, x + 0.03 * y)
    board = ((x + 2000) / 118) % 1
    grain = noise(rng, hh, ww, 30 * s * q, 4, aspect=14)
    wood = lin((128, 108, 88)) * (0.75 + 0.35 * grain + 0.25 * np.sin(np.floor((x + 2000) / 118) * 7.1))[..., None]
    wood = wood * (1 - 0.85 * (np.exp(-((board / 0.05) ** 2)) + np.exp(-(((1 - board) / 0.05) ** 2))))[..., None]
    wood = wood * (1 - 0.45 * step(500, 0, y))[..., None]
    img += wall[..., None] * (wood * 1.2 - img)
    post = step(60, 40, np.abs(x - 640)) * step(350, 380, y)
    rail = step(34, 24, np.abs(y - 760 - 0.02 * x)) * step(400, 420, x)
    img += np.maximum(post, rail)[..., None] * (lin((150, 128, 100)) * (0.8 + 0.2 * step(-60, 60, 640 - x))[..., None] - img)
    grass = step(1150, 1240, y + 40 * noise(rng, hh, ww, 200 * s * q, 2))
    blades = noise(rng, hh, ww, 14 * s * q, 3, aspect=3)
    lawn = (lin((104, 122, 58)) * (0.9 + 0.7 * blades)[..., None]) * (
        0.6 + 0.8 * step(-0.3, 0.5, noise(rng, hh, ww, 400 * s * q, 2, aspect=0.3))
    )[..., None]
    img += (grass * (1 - 0.3 * wall))[..., None] * (lawn.clip(0) - img)
    for _ in range(130):  # sun through leaves becomes bokeh discs
        px, py = rng.uniform(-330, 1300), rng.uniform(-40, 720)
        if rng.random() < 0.5:
            px, py = px * 0.6 + 330, py * 0.6
        c = (int((px * s + w / 2) * q), int(py * s * q))
        col = lin(((250, 244, 190), (214, 230, 150), (236, 240, 250), (255, 226, 160))[rng.integers(4)])
        cv2.circle(img, c, max(1, int(rng.uniform(2, 6) * s * q)), (col * rng.gamma(1.6, 5.5)).tolist(), -1)
    img = lens_blur(img.clip(0), 40 * s * q)
    img = cv2.GaussianBlur(img, (0, 0), 3 * s * q + 0.5)
    return cv2.resize(img, (w, h), interpolation=cv2.INTER_CUBIC).clip(0)


# ------------------------------------------------------------ eye, perch, feet
def wet_eye(sc, env, o, rad, tilt, inner, lids, iris, pupil_size, skin):
    """Eye at pixel `o`: lid opening, iris, pupil, sky reflection, wet highlight. `inner` is -1 or 1."""
    g, rng = sc.g, sc.rng
    k = int(rad * 1.6)
    x0, y0 = int(o[0]) - k, int(o[1]) - k
    y, x = np.mgrid[0 : 2 * k, 0 : 2 * k].astype(F)
    x, y = (x + x0 - o[0]) / rad, (y + y0 - o[1]) / rad
    a = np.radians(tilt)
    u, v = x * np.cos(a) - y * np.sin(a), x * np.sin(a) + y * np.cos(a)
    arch = (1 - np.abs(u) ** 2.2).clip(0) ** 0.8
    top, bot = (lids[0] - 0.06 * inner * u) * arch, (lids[1] + 0.08 * inner * u) * arch
    edge = np.where(v < 0, top + v, bot - v)
    edge = np.where(np.abs(u) < 1, edge, (1 - np.abs(u)) * 1.2 - np.abs(v) * 0.9)
    px = 1.3 / rad
    ball, lid = step(-px, px, edge - 0.05), step(-px * 2, px * 2, edge + 0.10)
    nx, ny = np.clip(x / 1.12, -0.95, 0.95), np.clip(y / 1.12, -0.95, 0.95)
    nz = np.sqrt(np.clip(1 - nx * nx - ny * ny, 0.02, 1))
    r = np.hypot(x, y)
    streak = 1 + 0.25 * noise(rng, 2, 360, 5, 2)[0][((np.arctan2(y, x) + np.pi) * 57.2).astype(int).clip(0, 359)]
    col = (
        iris
        * (0.55 + 0.45 * step(pupil_size - 0.1, 0.95, r) * step(1.25, 0.9, r) * streak)[..., None]
        * (0.8 + 0.4 * np.clip(nx * 0.6 + ny * 0.8, 0, 1))[..., None]
    )
    pupil = step(pupil_size + 0.05, pupil_size - 0.04, r)
    col = col + pupil[..., None] * (lin((10, 8, 8)) - col)
    ry, rx = 2 * ny * nz, 2 * nx * nz  # mirror direction
    fres = 0.035 + 0.5 * (1 - nz) ** 3
    skyv = step(0.12, -0.75, ry + 0.10 * np.sin(5 * rx + 1) + 0.05 * np.sin(13 * rx)) * step(-1.2, -0.4, -np.abs(rx) * 1.05)
    refl = skyv[..., None] * np.array((0.55, 0.70, 0.95), F) * 0.9 + step(0.1, 0.9, ry)[..., None] * np.array((0.55, 0.42, 0.26), F) * 0.8
    col = col + refl * fres[..., None] * 2.0
    hx, hy = x + 0.30, y + 0.24
    spot = step(1.2, 0.8, np.hypot(hx / 0.115, hy / 0.10))
    glow = np.exp(-(hx * hx + hy * hy) / 0.09)
    col = col + spot[..., None] * np.array((1.0, 0.97, 0.92), F) * 1.5 + glow[..., None] * 0.05
    col *= (1 - 0.72 * step(0.34, 0.0, edge) * step(0.25, -0.5, v))[..., None]  # upper lid's shadow
    wet = np.exp(-(((edge - 0.075) / 0.035) ** 2)) * step(0.05, 0.5, v) * (0.35 + 0.65 * step(0.9, -0.4, u * 1.0))
    col += wet[..., None] * np.array((0.8, 0.8, 0.82), F) * 0.10 * (1 + noise(rng, 2 * k, 2 * k, rad * 0.3, 2))[..., None]
    skin = skin * (0.5 + 0.5 * step(-0.6, 0.8, -y))[..., None] * (0.8 + 0.4 * noise(rng, 2 * k, 2 * k, rad * 0.12, 2))[..., None]
    box = (y0, y0 + 2 * k, x0, x0 + 2 * k)
    feat = np.zeros(x.shape + (g.CH,), F)
    feat[..., 3:9] = env[y0 : y0 + 2 * k, x0 : x0 + 2 * k]
    feat[..., g.RGB] = skin
    g.blend(box, lid, feat, LABEL["eye"])
    feat[..., g.RGB], feat[..., g.EMIT] = col, 1  # reflections are already light
    g.blend(box, ball, feat, LABEL["eye"])
    g.label[y0 : y0 + 2 * k, x0 : x0 + 2 * k][(ball * pupil) > 0.5] = LABEL["pupil"]


def flyaway(sc, layer, where, flow, colour, count, label, length=34):
    """Loose filaments that break the outline."""
    rng, (p, n, hit) = sc.rng, layer.grid
    ok = hit & (n[..., 2] < 0.5) & where(p.reshape(-1, 3)).reshape(hit.shape)
    if not ok.any():  # a very small picture may show no such edge
        return
    i = rng.choice(np.flatnonzero(ok), count)
    p, n = p.reshape(-1, 3)[i], n.reshape(-1, 3)[i]
    f = np.stack([flow(q) for q in p])
    d = unit(unit(f) * rng.uniform(0.5, 1.1, (count, 1)) + n * rng.uniform(0.2, 0.9, (count, 1)) + rng.normal(0, 0.2, (count, 3)))
    t = np.linspace(0, 1, 6)[None, :, None]
    ln = (length * rng.uniform(0.4, 1.2, count))[:, None, None]
    bend = rng.normal(0, 0.25, (count, 1, 3))
    q = p[:, None] + rng.uniform(-5, 5, (count, 1, 3)) + (d[:, None] * t + bend * t * t) * ln
    rgb = colour * rng.uniform(0.75, 1.1, (count, 1, 1)) * np.ones((1, 6, 3))
    sc.g.strands(sc.g.to_px(q), rgb.astype(F), rng.uniform(0.4, 0.8, count), (0, sc.h, 0, sc.w), LABEL[label], layer, alpha=0.55)


def log_perch(sc, top, bottom):
    """Weathered log across the picture, lit as a cylinder."""
    g, rng, s = sc.g, sc.rng, sc.s
    y0 = max(0, int((top - 60) * s))
    h, w = sc.h - y0, sc.w
    y, x = np.mgrid[0:h, 0:w].astype(F)
    x, y = (x - w / 2) / s, (y + y0) / s
    edge = top + 0.035 * x + 9 * noise(rng, 2, w, 170 * s, 3)[:1] + 3 * noise(rng, 2, w, 22 * s, 3)[:1]
    t = (y - edge) / (bottom - top)
    grain = noise(rng, h, w, 260 * s, 5, aspect=0.05, gain=0.7)
    crack = step(0.26, 0.0, np.abs(noise(rng, h, w, 420 * s, 4, aspect=0.045) + 0.25 * noise(rng, h, w, 60 * s, 3, aspect=0.3)))
    patch = noise(rng, h, w, 150 * s, 4, aspect=0.5)
    col = lin((134, 124, 110)) * (1 + 0.55 * grain)[..., None]
    col = col + step(0.15, 0.9, patch)[..., None] * 0.55 * (lin((112, 78, 52)) - col)
    col = col + (step(0.35, 0.6, noise(rng, h, w, 46 * s, 4)) * step(0.0, 0.6, -patch + 0.2) * 0.6)[..., None] * (
        lin((150, 158, 122)) - col
    )
    col *= (1 - 0.34 * crack)[..., None]
    relief = cv2.GaussianBlur(grain * 0.6 - crack, (0, 0), 2 * s)
    a = np.clip(t, 0, 1.6) * 1.9 - 1.25
    feat = np.zeros((h, w, g.CH), F)
    feat[..., g.RGB] = col.clip(0.01)
    feat[..., 3] = -1.5 * cv2.Sobel(relief, -1, 1, 0, scale=0.125 / s)
    feat[..., 4] = np.sin(a) - 1.6 * cv2.Sobel(relief, -1, 0, 1, scale=0.125 / s)
    feat[..., 5], feat[..., g.Z] = np.cos(a), 260
    under = np.exp(-(((x + 20) / 400) ** 4))
    feat[..., g.AO] = 1 - 0.5 * under * step(0.9, 0.0, t)
    feat[..., g.SUN] = 1 - 0.8 * np.exp(-(((x - 120) / 420) ** 4)) * step(0.75, 0.15, t)
    px = 1.5 / (s * (bottom - top))
    g.blend((y0, sc.h, 0, w), step(-px, px, t), feat, LABEL["perch"])


def toes(sc, feet, top, skin=(176, 152, 138)):
    """Scaly toes with dark claws gripping the log's edge; `feet` are x positions."""
    g, s, rng = sc.g, sc.s, sc.rng
    for fx in feet:
        for dx in (-44, 4, 48):
            q = np.linspace(0, 1, 16)[:, None]
            a, m, e = np.array(
                [(fx + dx * 0.5, top - 26), (fx + dx * 1.1, top - 8), (fx + dx * 1.15 + rng.normal(3, 4), top + rng.normal(60, 5))]
            )
            path = rng.normal(0, 3, 2) + np.vstack(
                [(1 - q) ** 2 * a + 2 * q * (1 - q) * m + q * q * e, e + q[1:] * (4 - dx * 0.08, 44) + np.sin(q[1:] * 3) * (5, 0)]
            )
            rad = np.concatenate([20 - 4 * q[:, 0], 13 * (1 - q[1:, 0] ** 1.5)])
            o = g.to_px(path)
            x0, y0 = (o.min(0) - 26 * s).astype(int)
            x1, y1 = (o.max(0) + 26 * s).astype(int)
            y1 = min(y1, sc.h)
            y, x = np.mgrid[y0:y1, x0:x1].astype(F)
            d = np.hypot(x[..., None] - o[:, 0], y[..., None] - o[:, 1]) / s - rad
            k = d.argmin(-1)
            d = d.min(-1)
            nx, ny = (x - o[k, 0]) / s / (rad[k] + 2), (y - o[k, 1]) / s / (rad[k] + 2)
            claw = step(15, 16, k.astype(F))
            scute = 0.78 + 0.22 * np.sin(k * 1.9 + nx) - 0.2 * noise(sc.rng, *d.shape, 9 * s, 2)
            col = lin(skin) * scute[..., None]
            col = col + claw[..., None] * (lin((34, 30, 30)) + 0.25 * np.exp(-(((nx + 0.35) / 0.18) ** 2))[..., None] - col)
            feat = np.zeros(d.shape + (g.CH,), F)
            feat[..., :3], feat[..., 3], feat[..., 4], feat[..., 5] = col, nx, ny * 0.4 - 0.1, np.sqrt(np.clip(1 - nx * nx, 0.05, 1))
            feat[..., g.Z], feat[..., g.AO], feat[..., g.SUN] = 330, 0.8, 0.75
            box = (y0, y1, x0, x1)
            sh = cv2.GaussianBlur(step(3, -6, d), (0, 0), 8 * s)
            sh = np.roll(sh, (int(5 * s), int(12 * s)), (0, 1))
            g.g[y0:y1, x0:x1, g.AO] *= 1 - 0.5 * sh
            g.g[y0:y1, x0:x1, g.SUN] *= 1 - 0.8 * sh
            g.blend(box, step(1 / s, -1 / s, d), feat, LABEL["perch"])


def finish(sc, back, focus, dof, exposure=1.0, sun=None):
    """Light, depth of field, background, camera; collect the ground truth."""
    g, s = sc.g, sc.s
    a = g.cov[..., None]
    lit = shade(g.g, sc.light, **({"sun": sun} if sun else {})) * a
    rgba = np.concatenate([lit, a], 2)
    coc = cv2.GaussianBlur(np.clip((np.abs(g.g[..., g.Z] - focus) - 150) * dof, 0, 4).astype(F), (0, 0), 6 * s)
    out = rgba
    for lo, sig in ((0, 1.1), (1, 2.2), (2.2, 4)):
        wgt = step(lo, lo + 1.2, coc)[..., None]
        if wgt.max() > 0:
            out = out + wgt * (cv2.GaussianBlur(rgba, (0, 0), sig * s) - out)
    rgb = out[..., :3] + back * (1 - out[..., 3:])
    rgb = cv2.GaussianBlur(rgb, (0, 0), 0.55)  # lens and demosaicing softness
    photo = develop(sc.rng, rgb, exposure)
    lab = g.label.copy()
    lab[g.cov < 0.5] = 0
    c2, s2 = g.g[..., 9], g.g[..., 10]
    ang = (np.degrees(np.arctan2(s2, c2)) / 2) % 180
    ok = (np.hypot(c2, s2) > 0.25) & ~np.isin(lab, [LABEL[k] for k in ("background", "eye", "pupil", "beak", "perch")])
    alb = g.g[..., :3].copy()
    alb[g.g[..., g.EMIT] > 0.5] = lin((24, 18, 15))
    truth = dict(
        direction_deg=np.where(ok, ang, np.nan).astype(F),
        feather_deg=np.where(ok, np.where(np.isnan(g.axis), ang, g.axis), np.nan).astype(F),
        albedo_srgb=srgb(alb * a).round().astype(np.uint8),
        marking=np.where(lab > 0, g.g[..., g.MARK], 0) > 0.5,
        row_spacing_px=np.where(ok, g.row, np.nan).astype(F),
        parts=lab,
        part_names=PARTS,
        light_dir=np.array((sc.light[0], -sc.light[1], sc.light[2])),
    )
    return photo, truth
