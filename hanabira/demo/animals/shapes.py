"""The body of a rabbit, built from blended primitives (units: head length about 1)."""
from __future__ import annotations

from hanabira.demo.animals.engine import Ear, Eye, Prim, Shape


def rabbit():
    G = ("from", (.52, -.13, 0))
    P = [
        Prim((-.05, .04, 0), (.35, .31, .255), rot=-.2, grow=G, length=.055),              # skull
        Prim((.06, .02, 0), .245, (.37, -.15, 0), .150, k=.10, grow=G, length=.034, lift=.32),
        Prim((.20, .10, 0), (.25, .10, .115), rot=-.62, k=.10, grow=G, length=.03, lift=.3),  # bridge
        Prim((-.03, -.17, .13), (.26, .22, .155), sym=True, k=.10, rot=.1,
             grow=(-1, -.25, .15), length=.075, lift=.5),                                  # cheek
        Prim((.375, -.215, .066), (.125, .115, .092), sym=True, k=.07, grow=(-1, -.40, .35),
             length=.032, lift=.45),                                                       # lip pad
        Prim((.28, -.33, 0), (.15, .085, .10), k=.08, rot=.15, grow=(-1, -.25, 0), length=.035),
        Prim((.455, -.120, 0), (.055, .048, .062), k=.07, grow=(-.5, 1, .3), length=.012, lift=.2),
        Prim((.08, .185, .15), (.15, .07, .07), sym=True, k=.08, rot=-.25, grow=G, length=.045),
        Prim((.20, -.03, .15), (.14, .08, .05), sym=True, k=.10, rot=-.4, grow=G, length=.04),
        Prim((-.22, -.28, 0), .28, (-.50, -.62, 0), .44, k=.16, grow=(-.75, -.75, .1), length=.13,
             lift=.55),                                                                    # neck
        Prim((-.06, -.80, 0), (.36, .42, .36), k=.18, grow=(-.25, -1, .25), length=.15, lift=.6),
        Prim((-1.0, -.62, 0), (.80, .58, .52), k=.35, grow=(-1, -.35, .1), length=.12, lift=.45),
        Prim((-.22, -.95, .24), (.24, .40, .17), sym=True, k=.15, grow=(-.3, -1, .1), length=.1),
        Ear((-.15, .25, -.120), (-.30, 1, -.17), (.62, .10, -.70), .84, .142, .018, cup=.82,
            bend=-.05, peak=.5, hair=.021, lift=.26),
        Ear((-.12, .26, .105), (-.14, 1, .22), (1., .10, -.30), .82, .142, .018, cup=.82,
            bend=-.05, peak=.5, hair=.021, lift=.26),
        # carved: nostrils, cleft, mouth
        Prim((.534, -.146, .013), .009, (.522, -.110, .050), .014, sym=True, k=.014, carve=True),
        Prim((.530, -.155, 0), .008, (.480, -.290, 0), .013, k=.024, carve=True),
        Prim((.475, -.285, .0), .010, (.31, -.322, .11), .0079, sym=True, k=.03, carve=True),
    ]
    eye = dict(r=.106, a=.98, bu=.70, bl=.68, lid=1.10, k=.07, iris=.90, pupil=(.52, .54), tilt=-.10,
               rim=.07, iris_rgb=(70, 38, 18), edge_rgb=(26, 14, 9))
    return Shape(P, [Eye((.105, .075, s * .178), gaze=(.30, .10, s), up=(0, 1, 0), **eye)
                     for s in (-1, 1)])
