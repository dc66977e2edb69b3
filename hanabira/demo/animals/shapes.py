"""The body of a rabbit, built from blended primitives (units: head length about 1)."""

from __future__ import annotations

from hanabira.demo.animals.engine import Ear, Eye, Prim, Shape


def rabbit():
    G = ("from", (0.52, -0.13, 0))
    P = [
        Prim((-0.05, 0.04, 0), (0.35, 0.31, 0.255), rot=-0.2, grow=G, length=0.055),  # skull
        Prim((0.06, 0.02, 0), 0.245, (0.37, -0.15, 0), 0.150, k=0.10, grow=G, length=0.034, lift=0.32),
        Prim((0.20, 0.10, 0), (0.25, 0.10, 0.115), rot=-0.62, k=0.10, grow=G, length=0.03, lift=0.3),  # bridge
        Prim((-0.03, -0.17, 0.13), (0.26, 0.22, 0.155), sym=True, k=0.10, rot=0.1, grow=(-1, -0.25, 0.15), length=0.075, lift=0.5),  # cheek
        Prim((0.375, -0.215, 0.066), (0.125, 0.115, 0.092), sym=True, k=0.07, grow=(-1, -0.40, 0.35), length=0.032, lift=0.45),  # lip pad
        Prim((0.28, -0.33, 0), (0.15, 0.085, 0.10), k=0.08, rot=0.15, grow=(-1, -0.25, 0), length=0.035),
        Prim((0.455, -0.120, 0), (0.055, 0.048, 0.062), k=0.07, grow=(-0.5, 1, 0.3), length=0.012, lift=0.2),
        Prim((0.08, 0.185, 0.15), (0.15, 0.07, 0.07), sym=True, k=0.08, rot=-0.25, grow=G, length=0.045),
        Prim((0.20, -0.03, 0.15), (0.14, 0.08, 0.05), sym=True, k=0.10, rot=-0.4, grow=G, length=0.04),
        Prim((-0.22, -0.28, 0), 0.28, (-0.50, -0.62, 0), 0.44, k=0.16, grow=(-0.75, -0.75, 0.1), length=0.13, lift=0.55),  # neck
        Prim((-0.06, -0.80, 0), (0.36, 0.42, 0.36), k=0.18, grow=(-0.25, -1, 0.25), length=0.15, lift=0.6),
        Prim((-1.0, -0.62, 0), (0.80, 0.58, 0.52), k=0.35, grow=(-1, -0.35, 0.1), length=0.12, lift=0.45),
        Prim((-0.22, -0.95, 0.24), (0.24, 0.40, 0.17), sym=True, k=0.15, grow=(-0.3, -1, 0.1), length=0.1),
        Ear(
            (-0.15, 0.25, -0.120),
            (-0.30, 1, -0.17),
            (0.62, 0.10, -0.70),
            0.84,
            0.142,
            0.018,
            cup=0.82,
            bend=-0.05,
            peak=0.5,
            hair=0.021,
            lift=0.26,
        ),
        Ear(
            (-0.12, 0.26, 0.105),
            (-0.14, 1, 0.22),
            (1.0, 0.10, -0.30),
            0.82,
            0.142,
            0.018,
            cup=0.82,
            bend=-0.05,
            peak=0.5,
            hair=0.021,
            lift=0.26,
        ),
        # carved: nostrils, cleft, mouth
        Prim((0.534, -0.146, 0.013), 0.009, (0.522, -0.110, 0.050), 0.014, sym=True, k=0.014, carve=True),
        Prim((0.530, -0.155, 0), 0.008, (0.480, -0.290, 0), 0.013, k=0.024, carve=True),
        Prim((0.475, -0.285, 0.0), 0.010, (0.31, -0.322, 0.11), 0.0079, sym=True, k=0.03, carve=True),
    ]
    eye = dict(
        r=0.106,
        a=0.98,
        bu=0.70,
        bl=0.68,
        lid=1.10,
        k=0.07,
        iris=0.90,
        pupil=(0.52, 0.54),
        tilt=-0.10,
        rim=0.07,
        iris_rgb=(70, 38, 18),
        edge_rgb=(26, 14, 9),
    )
    return Shape(P, [Eye((0.105, 0.075, s * 0.178), gaze=(0.30, 0.10, s), up=(0, 1, 0), **eye) for s in (-1, 1)])
