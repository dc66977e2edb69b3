"""The bodies of a rabbit and a pony, built from blended primitives (units: head length about 1)."""

from __future__ import annotations

import numpy as np

from demo_making.animals.engine import Ear, Eye, Prim, Shape


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


def pony():
    th = np.radians(50)
    c, s = np.cos(th), np.sin(th)
    H = lambda a, b, z=0.0: (a * c + b * s, -a * s + b * c, z)  # head frame -> animal
    D = lambda a, b, z=0.0: np.array(H(a, b, z))
    R = -th
    P = [
        Prim(H(0.13, -0.05), (0.19, 0.16, 0.135), rot=R, grow=D(0.8, -0.5), length=0.03, lift=0.3),
        Prim(H(0.20, -0.02), 0.125, H(0.78, -0.005), 0.082, k=0.08, grow=D(1, -0.1), length=0.02, lift=0.22),
        Prim(H(0.27, 0.045), (0.17, 0.07, 0.105), rot=R + 0.02, k=0.07, grow=D(0.9, 0), length=0.022, lift=0.25),
        Prim(
            H(0.34, -0.175, 0.060), (0.205, 0.185, 0.064), rot=R + 0.15, sym=True, k=0.05, grow=D(0.6, -0.75), length=0.022, lift=0.25
        ),  # jowl
        Prim(H(0.58, -0.09, 0.02), (0.28, 0.095, 0.072), rot=R + 0.18, sym=True, k=0.08, grow=D(0.9, -0.4), length=0.02, lift=0.22),  # side
        Prim(H(0.36, -0.235, 0.05), 0.045, H(0.84, -0.12, 0.02), 0.042, sym=True, k=0.07, grow=D(0.9, -0.5), length=0.03),  # mandible
        Prim(H(0.88, -0.030), (0.125, 0.105, 0.090), rot=R + 0.12, k=0.07, grow=D(1, -0.4), length=0.012, lift=0.3),
        Prim(H(0.935, 0.015, 0.052), (0.074, 0.060, 0.044), rot=R - 0.1, sym=True, k=0.04, grow=D(1, -0.4), length=0.008),  # nostril
        Prim(H(0.965, -0.060), (0.060, 0.060, 0.070), rot=R - 0.4, k=0.05, grow=D(0.3, -1), length=0.012),
        Prim(H(0.915, -0.140), (0.070, 0.045, 0.060), rot=R + 0.35, k=0.045, grow=D(-0.2, -1), length=0.014),
        Prim(H(0.85, -0.158), (0.05, 0.042, 0.048), k=0.05, grow=D(-0.6, -1), length=0.02),  # chin
        Prim(
            H(0.315, 0.060, 0.108), (0.090, 0.05, 0.048), rot=R - 0.1, sym=True, k=0.05, grow=D(0.8, 0.2, 0.2), length=0.016, lift=0.2
        ),  # brow
        Prim(
            H(0.42, -0.020, 0.098), 0.020, H(0.62, -0.035, 0.072), 0.014, sym=True, k=0.06, grow=D(1, -0.2), length=0.018, lift=0.2
        ),  # crest
        Prim((-0.16, -0.22, 0), 0.205, (-1.4, -0.75, 0), 0.50, zs=1.55, k=0.07, grow=(-0.62, -0.78, 0), length=0.03, lift=0.25),  # neck
        Prim((-0.06, -0.06, 0), 0.11, (-1.5, -0.05, 0), 0.20, zs=1.3, k=0.16, grow=(-0.7, -0.7, 0), length=0.03, lift=0.25),  # crest line
        Prim((-1.45, -1.05, 0), (0.75, 0.65, 0.45), k=0.2, grow=(-0.6, -1, 0), length=0.03),
        Ear(
            H(-0.01, 0.075, -0.075),
            (0.05, 1, -0.14),
            (0.75, 0.1, -0.65),
            0.215,
            0.058,
            0.011,
            cup=0.75,
            bend=0.03,
            peak=0.42,
            tip=0.85,
            hair=0.014,
            lift=0.2,
            k=0.035,
        ),
        Ear(
            H(-0.01, 0.075, 0.075),
            (0.10, 1, 0.16),
            (0.9, 0.1, 0.30),
            0.215,
            0.058,
            0.011,
            cup=0.75,
            bend=0.03,
            peak=0.42,
            tip=0.85,
            hair=0.014,
            lift=0.2,
            k=0.035,
        ),
        Prim(H(0.912, 0.052, 0.096), 0.010, H(0.962, -0.004, 0.094), 0.023, sym=True, k=0.022, carve=True),
        Prim(H(1.04, -0.108, 0.03), 0.007, H(0.86, -0.100, 0.085), 0.005, sym=True, k=0.018, carve=True),
    ]
    eye = dict(
        r=0.060,
        a=0.98,
        bu=0.64,
        bl=0.52,
        lid=1.14,
        k=0.04,
        iris=0.92,
        pupil=(0.62, 0.30),
        iris_rgb=(46, 28, 17),
        edge_rgb=(20, 13, 10),
        rim=0.16,
    )
    return Shape(P, [Eye(H(0.325, 0.016, q * 0.110), gaze=(0.30, 0.12, q * 1.0), up=H(-0.42, 0.9), **eye) for q in (-1, 1)])
