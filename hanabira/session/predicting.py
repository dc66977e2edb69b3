"""What recipes give: places and targets of the areas, the sun's side, and predictions with their cautions."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING

import numpy as np

from hanabira.core.faults import Fault
from hanabira.core.forecast.portrait import PhotoLab, drawn_places
from hanabira.core.places.place import Places, as_planned
from hanabira.core.solver.area import Prediction, follow, paper_targets
from hanabira.core.solver.cautions import Caution, recipe_cautions
from hanabira.core.solver.place_plan import place_targets
from hanabira.core.study.sun import side_of
from hanabira.craft.supplies import papers

if TYPE_CHECKING:
    from hanabira.core.colour.spaces import Array
    from hanabira.session.session import Session
    from hanabira.studio.records import Area


class Predicting:
    """Answers from the session's records and measures; predictions are kept as long as they are true."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self._kept: dict[str, tuple[object, Prediction, tuple[Caution, ...]]] = {}

    def forget(self, key: str = "") -> None:
        """What the predictions hang on has changed, of one area or of all."""
        if key:
            self._kept.pop(key, None)
        else:
            self._kept.clear()

    def side(self, area: Area) -> str:
        """Whether an area lies on the light or the shadow side; empty while nobody knows where the light comes from."""
        photo = self.session.photo
        if photo is None or photo.prep.sun_deg is None:
            return ""
        rings = [photo.prep.outline] if len(photo.prep.outline) > 2 else [a.ring for a in self.session.areas]
        p = np.asarray([q for ring in rings for q in ring])
        low, high = p.min(0), p.max(0)
        middle = np.asarray(area.ring).mean(0)
        return side_of((middle[0], middle[1]), (low[0], low[1], high[0] - low[0], high[1] - low[1]), photo.prep.sun_deg)

    def places(self, key: str) -> Places | None:
        """Places of an area as its recipe has them, in today's colours where they were found again; as they are found when it has none."""
        m, recipe = self.session.measures(key), self.session.recipes.get(key)
        if m is None or m.places is None:
            return None
        if recipe is None or not recipe.places:
            return m.places
        return as_planned(m.places, recipe.places)

    def targets(self, key: str) -> Mapping[str, Array] | None:
        """Paper targets of an area's places, or of its bands while its recipe is one by values; None until it is measured."""
        m = self.session.measures(key)
        if m is None:
            return None
        places = self.places(key)
        if places is not None and (self.session.by_places(key) or not self.session.recipe_layers(key)):
            aims = {place: np.array(shift) for place, *shift in self.session.recipes[key].aims} if key in self.session.recipes else {}
            return place_targets(self.session.gamut, places, aims)
        return paper_targets(self.session.reach, {b: np.asarray(v) for b, v in m.values.band_lab.items()})

    def drawing(self, key: str) -> Callable[[tuple[int, int], tuple[float, float], float], PhotoLab] | None:
        """What tells, on whatever thread, what the photo shows of an area on a raster: (rows and columns, photo pixel of the first one, pixels
        of the raster a photo pixel). None until it is measured.
        """
        m, places = self.session.measures(key), self.places(key)
        if m is None:
            return None
        if not self.session.by_places(key) or places is None:
            bands = PhotoLab({b: np.asarray(v, float) for b, v in m.values.band_lab.items()})
            return lambda _shape, _corner, _k: bands
        return lambda shape, corner, k: drawn_places(places, shape, corner, k)

    def prediction(self, key: str) -> tuple[Prediction, tuple[Caution, ...]] | None:
        """What an area's recipe gives, with its cautions; None until it is measured and has layers."""
        session = self.session
        layers, targets, measured = session.recipe_layers(key), self.targets(key), session.measuring.kept(key)
        if targets is None or not layers or measured is None:
            return None
        try:
            for q in layers:
                if q.code:
                    session.kit.get(q.code)
        except Fault:
            return None
        sign = (layers, session.kit_sign, session.paper, measured[0])
        kept = self._kept.get(key)
        if kept is None or kept[0] != sign:
            told = follow(session.paper, session.kit, layers, targets)
            kept = (
                sign,
                told,
                recipe_cautions(
                    session.paper, session.kit, layers, targets=targets, prediction=told,
                    floor=session.commission.lasting_floor if session.commission else 3, papers=tuple(papers().values()),
                    reach=session.gamut if session.by_places(key) else None,
                ),
            )
            self._kept[key] = kept
        return kept[1], kept[2]
