"""Medians and ranks of many pixels, several times as quick as the general ones: measuring an area asks for a hundred of them."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from hanabira.core.colour.spaces import Array

_STEPS = 655.0
"""Steps of an L* that are told apart when ranking; a tenth of what an 8-bit photo tells apart."""


def median(values: ArrayLike) -> Array:
    """Median along the first axis, (n, …) of finite numbers to (…) of their kind; the mean of the two in the middle where n is even.

    Raises `ValueError` for no values.

    >>> median([[1.0, 40.0], [3.0, 10.0], [2.0, 30.0], [9.0, 20.0]])
    array([ 2.5, 25. ])
    """
    v = np.asarray(values)
    n = len(v)
    if n == 0:
        raise ValueError("a median of no values")
    flat = np.ascontiguousarray(v.reshape(n, -1).T)  # each column in one piece: partitioning across is slow
    half = n // 2
    parted = np.partition(flat, half, axis=1)
    upper = parted[:, half]
    out = upper if n % 2 else (parted[:, :half].max(1) + upper) / 2
    return np.asarray(out).reshape(v.shape[1:])


def by_lightness(lightness: Array) -> np.ndarray:
    """Numbers of pixels (n,) from the darkest to the lightest; L* within 1/655 count as one and stay in their order.

    >>> by_lightness(np.array([50.0, 10.0, 90.0, 10.0])).tolist()
    [1, 3, 0, 2]
    """
    # whole numbers of 16 bits are sorted digit by digit, in a sixth of the time
    return np.argsort((np.clip(lightness, 0, 100) * _STEPS).astype(np.uint16), kind="stable")
