"""The trained weights of the marking classifier, read once."""

from __future__ import annotations

from functools import cache

import numpy as np

from hanabira.core.area.marking import MarkingModel
from hanabira.craft.supplies import DATA


@cache
def marking_model() -> MarkingModel:
    """The classifier that ships."""
    with np.load(DATA / "marking_weights.npz", allow_pickle=False) as f:
        return MarkingModel({k: f[k] for k in f.files})
