"""The trained weights of coat classes, of the hair gate and of casts, read once."""

from __future__ import annotations

from functools import cache

import numpy as np

from hanabira.core.area.coat_class import CoatModel
from hanabira.core.area.hair_gate import HairGate
from hanabira.core.area.measures import Readers
from hanabira.core.study.cast import CastModel
from hanabira.craft.supplies import DATA


@cache
def readers() -> Readers:
    """The models that ship."""
    with np.load(DATA / "coat_weights.npz", allow_pickle=False) as f:
        coats = CoatModel({k: f[k] for k in f.files if k.startswith("m")}, tuple(str(c) for c in f["classes"]))
    with np.load(DATA / "hairgate_weights.npz", allow_pickle=False) as f:
        gate = HairGate({k: f[k] for k in f.files if k.startswith("m")})
    return Readers(coats, gate)


@cache
def cast_model() -> CastModel:
    """The regression that weighs the clues to a photo's light."""
    with np.load(DATA / "cast_weights.npz", allow_pickle=False) as f:
        return CastModel(f["mu"], f["sd"], f["W"])
