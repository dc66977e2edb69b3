"""Recipes for tests: an invented coat of four values as places, and its plan."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.places.place import Place, Places
from hanabira.core.solver.gamut import Gamut, gamut
from hanabira.core.solver.layer import BANDS, Layer
from hanabira.core.solver.place_plan import PlacePlan, Rules, plan_places
from hanabira.core.solver.technique import Craft
from hanabira.craft.hand import form_rules, gesture_words, gestures, hand_scale, pencil_kinds
from hanabira.craft.rules import school

SHARES = {"gap": 0.2, "general": 0.5, "light": 0.25, "highlight": 0.05}
_REACH: dict[tuple[str, Paper], Gamut] = {}


def reach_of(kit: Kit, on: Paper) -> Gamut:
    """What a kit reaches on a paper, worked out once."""
    key = (",".join(kit.index), on)
    if key not in _REACH:
        _REACH[key] = gamut(kit, on)
    return _REACH[key]


def by_hand(*said: object, kind: str = "hair", medium: str = "pencil", **more: object) -> Craft:
    """What the craft says, with what a hand does and how it speaks."""
    return replace(
        Craft(pencil_kinds(), *said, **more),  # type: ignore[arg-type]
        gestures=gestures(medium), card=() if medium == "pastel" else gestures("card"), form=form_rules(), scale=hand_scale(), words=gesture_words(), kind=kind,
    )  # fmt: skip


def coat(values: Mapping[str, Sequence[float]], reserved: Sequence[str] = ()) -> Places:
    """Four values as places, each in a stripe of the map."""
    labels = np.repeat(np.arange(1, 5, dtype=np.uint8), 10)[None].repeat(40, 0)
    all_ = tuple(
        Place(
            b,
            b,
            "band",
            "coat",
            (float(values[b][0]), float(values[b][1]), float(values[b][2])),
            SHARES[b],
            (10 * k, 0, 10, 40),
            b in reserved,
        )
        for k, b in enumerate(BANDS)
    )
    return Places(all_, labels, (0.0, 0.0), 1.0)


def plan(
    kit: Kit, on: Paper, values: Mapping[str, Sequence[float]], craft: Craft | None = None, tray: Sequence[str] = (), locked: Sequence[Layer] = (),
    places: Places | None = None, **rules: object,
) -> PlacePlan:  # fmt: skip
    """The plan of a coat on a paper by a kit, with the medium's own school when none is said."""
    said = craft or by_hand(blend="none", school=school(kit.medium))
    hues = tuple(np.asarray(v, float) for v in values.values())
    if said.gestures:
        said = replace(said, gestures=gestures(kit.medium))
    return plan_places(kit, on, places or coat(values), said, Rules(hues, **rules), tray, locked, reach_of(kit, on))  # type: ignore[arg-type]
