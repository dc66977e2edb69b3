"""The CIEDE2000 colour difference and what a difference means in words."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from hanabira.core.colour.spaces import Array, chroma, hue_deg
from hanabira.core.sentences import say


def delta_e00(lab1: ArrayLike, lab2: ArrayLike) -> Array:
    """CIEDE2000 difference of Lab arrays (…, 3), broadcast against each other, to (…).

    Source: CIE 142-2001; implementation notes and test pairs by Sharma, Wu and Dalal (2005),
    Color Research and Application 30(1). kL = kC = kH = 1.

    >>> round(float(delta_e00([50, 2.6772, -79.7751], [50, 0, -82.7485])), 4)
    2.0425
    """
    v1, v2 = np.asarray(lab1, float), np.asarray(lab2, float)
    l1, a1, b1 = v1[..., 0], v1[..., 1], v1[..., 2]
    l2, a2, b2 = v2[..., 0], v2[..., 1], v2[..., 2]
    mean7 = ((np.hypot(a1, b1) + np.hypot(a2, b2)) / 2) ** 7
    g = 0.5 * (1 - np.sqrt(mean7 / (mean7 + 25.0**7)))
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360, np.degrees(np.arctan2(b2, a2)) % 360
    grey = c1 * c2 == 0
    dh = h2 - h1
    dh = np.where(dh > 180, dh - 360, np.where(dh < -180, dh + 360, dh))
    dh = np.where(grey, 0, dh)
    d_l, d_c = l2 - l1, c2 - c1
    d_h = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(dh / 2))
    l_mean, c_mean = (l1 + l2) / 2, (c1 + c2) / 2
    total = h1 + h2
    h_mean = np.where(np.abs(h1 - h2) <= 180, total / 2, np.where(total < 360, total / 2 + 180, total / 2 - 180))
    h_mean = np.where(grey, total, h_mean)
    t = (
        1
        - 0.17 * np.cos(np.radians(h_mean - 30))
        + 0.24 * np.cos(np.radians(2 * h_mean))
        + 0.32 * np.cos(np.radians(3 * h_mean + 6))
        - 0.20 * np.cos(np.radians(4 * h_mean - 63))
    )
    turn = 30 * np.exp(-(((h_mean - 275) / 25) ** 2))
    c7 = c_mean**7
    r_c = 2 * np.sqrt(c7 / (c7 + 25.0**7))
    s_l = 1 + 0.015 * (l_mean - 50) ** 2 / np.sqrt(20 + (l_mean - 50) ** 2)
    s_c = 1 + 0.045 * c_mean
    s_h = 1 + 0.015 * c_mean * t
    r_t = -np.sin(np.radians(2 * turn)) * r_c
    x, y, z = d_l / s_l, d_c / s_c, d_h / s_h
    return np.sqrt(np.maximum(x * x + y * y + z * z + r_t * y * z, 0))


def difference_words(got: ArrayLike, wanted: ArrayLike) -> str:
    """How ``got`` differs from ``wanted`` (Lab, (3,)) in an artist's words.

    The first clause names the strongest of value, strength and hue; the second says at
    what distance it shows, from ΔE00 (2.3 is about one just noticeable difference on
    neighbouring patches, Mahy, Van Eycken and Oosterlinck 1994).

    >>> difference_words([50, 10, 20], [50, 10, 20])
    'A match; no eye sees it'
    """
    g, w = np.asarray(got, float), np.asarray(wanted, float)
    total = float(delta_e00(g, w))
    if total < 0.8:
        return say("difference.match")
    d_l, d_c = float(g[0] - w[0]), float(chroma(g) - chroma(w))
    turn = (float(hue_deg(g) - hue_deg(w)) + 180) % 360 - 180
    d_h = 2 * np.sqrt(max(float(chroma(g) * chroma(w)), 0)) * np.sin(np.radians(abs(turn)) / 2)
    amount = say("difference.touch" if total < 3 else "difference.somewhat" if total < 6 else "difference.clearly")
    parts = sorted(
        [
            (abs(d_l), say("difference.lighter" if d_l > 0 else "difference.darker")),
            (abs(d_c) * 0.7, say("difference.stronger" if d_c > 0 else "difference.duller")),
            (float(d_h) * 0.9, _towards(w, turn)),
        ],
        reverse=True,
    )
    words = [name for size, name in parts[:2] if size > 0.45 * parts[0][0]]
    seen = say(
        "difference.far" if total < 3 else "difference.beside" if total < 6 else "difference.at-once" if total < 12 else "difference.other"
    )
    how = say("difference.both", first=words[0], second=words[1]) if len(words) > 1 else words[0]
    return say("difference.told", amount=amount, how=how, seen=seen)


def _towards(wanted: Array, turn_deg: float) -> str:
    """The hue family a colour has moved to, in one comparative word."""
    hue = (float(hue_deg(wanted)) + np.sign(turn_deg) * (max(abs(turn_deg), 15) + 12)) % 360
    for limit, name in (
        (20, "pinker"),
        (50, "redder"),
        (75, "more-orange"),
        (110, "yellower"),
        (190, "greener"),
        (285, "bluer"),
        (330, "more-violet"),
    ):
        if hue < limit:
            return say(f"difference.{name}")
    return say("difference.pinker")
