"""The school's switches that are tools: the ground, the mask over a light, the blend, the kind of lights. Each acts, or says why it is refused."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from hanabira.core.optics.kit import Kit
from hanabira.core.places.place import Places
from hanabira.core.sentences import say
from hanabira.core.solver.area import Targets
from hanabira.core.solver.joint import Lay, Lays, Search, in_order
from hanabira.core.solver.path import Field
from hanabira.core.solver.technique import Craft
from hanabira.core.solver.with_tools import GROUNDS, MASKS, grounded, untinted

TOOL_COST = 1.5
"""ΔE00 that a blend may cost any place."""
BURNISH_COST, LIGHT_COST = 2.0, 1.0
BLEND_AT = (0.35, 0.5, 0.65)
"""After which share of the layers a blend is tried."""


class ToolSwitches:
    """What a planner does with tools on layers that are solved; the planner sets what stands here."""

    kit: Kit
    places: Places
    targets: Targets
    craft: Craft
    school: Mapping[str, str]
    area: Field
    search: Search
    effect: dict[str, str]
    opaque: bool
    on_card: bool
    n: int
    twin: bool
    """Whether the layers are those of the other side."""

    def _ground(self, layers: Lays) -> Lays:
        """The school's first layer: strokes, or a colour that is rubbed in; where no place pays much for it."""
        how = self.school.get("ground", "strokes")
        self.effect["ground"] = "acts"
        if how not in GROUNDS or self.twin:
            return layers
        if not self.craft.has(how) and how != "wax-first":
            self._refuse("ground", "school.not-owned", tool=say(f"tool.{how}"))
            return layers
        if how == "powder" and self.kit.medium == "pastel":
            self._refuse("ground", "school.powder-pastel")
            return layers
        if self.on_card:
            self._refuse("ground", "school.ground-card")
            return layers
        binders = np.array([p.binder for p in self.kit])
        serves = binders == {"powder": "", "sponge": "pastel", "wax-first": "wax"}[how] if how != "powder" else binders != "pastel"
        found = grounded(self.search, layers, GROUNDS[how], serves)
        if found is None:
            self._refuse("ground", f"school.no-{how}")
            return layers
        loss, place, grounds = found
        if loss > TOOL_COST:
            self._refuse("ground", "school.tool-costs", tool=say(f"tool.{how}"), cost=loss, place=self.places.all[place].name)
            return layers
        return grounds

    def _mask(self, layers: Lays) -> tuple[Lays, str]:
        """With what the lights that keep their paper are covered: nothing, tape that is peeled off for the last tint, or clear wax, which bears none."""
        how = self.school.get("lights", "reserved")
        if how not in MASKS:
            return layers, "reserve"
        if not self.area.reserved.any():
            self._refuse("lights", "school.nothing-to-mask")
        elif not self.craft.has(how):
            self._refuse("lights", "school.not-owned", tool=say(f"tool.{how}"))
        elif how == "wax":
            bare, loss = untinted(self.search, layers)
            if loss <= TOOL_COST:
                return bare, how
            self._refuse("lights", "school.tool-costs", tool=say("tool.wax"), cost=loss, place=next(p.name for p in self.places if p.reserved))
        else:
            return layers, how
        return layers, "reserve"

    def _blend(self, layers: Lays) -> Lays:
        """The school's blend right after the layers it evens, and solved on; where no place pays much for it."""
        how = self.school.get("blending", "none")
        if how == "pale" and self.kit.medium == "pastel":
            self._refuse("blending", "school.pale-pastel")
            return layers
        if how in ("none", "pale"):
            self.effect["blending"] = "acts"
            return layers
        if self.craft.blend == "none":
            self._refuse("blending", "school.grain")
            return layers
        if how == "solvent" and (self.kit.medium == "pastel" or self.school.get("lights") == "indent"):
            self._refuse("blending", "school.solvent-lines" if self.school.get("lights") == "indent" else "school.solvent-pastel")
            return layers
        if not self.craft.has(how) and how != "burnish":
            self._refuse("blending", "school.not-owned", tool=say(f"tool.{how}"))
            return layers
        if how == "burnish":
            return self._burnished(layers)
        if how == "blender" and self.kit.medium == "pastel":
            self._refuse("blending", "school.blender-pastel")
            return layers
        best: tuple[float, str, Lays] | None = None
        for share in BLEND_AT:
            k = max(1, round(len(layers) * share))
            on = tuple(
                not p.reserved and p.id not in ("highlight", "edge") and any(q.on[i] for q in layers[:k])
                for i, p in enumerate(self.area.places)
            )
            if k > len(layers) or not any(on):
                continue
            tool = Lay(
                -1, 1, 1, on=on, key=layers[k - 1].key + 1e-3, tool=how, fixed=True, role="blend",
            )
            tried = self.search.merged(self.search.pruned(self.search.improved(in_order((*layers, tool)), 1)))
            place, loss = self._loss(tried, layers)
            if best is None or loss < best[0]:
                best = loss, place, tried
        if best is not None and best[0] <= TOOL_COST:
            self.effect["blending"] = "acts"
            return best[2]
        if best is None:
            self._refuse("blending", "school.nothing-to-blend")
        else:
            self._refuse("blending", "school.tool-costs", tool=say(f"tool.{how}"), cost=best[0], place=best[1])
        return layers

    def _burnished(self, layers: Lays) -> Lays:
        """A pale pencil pressed over everything that is pale enough to bear it."""
        on = tuple(p.target[0] > 50 and not p.reserved for p in self.area.places)
        if not any(on) or self.kit.medium == "pastel":
            self._refuse("blending", "school.burnish-dark" if self.kit.medium != "pastel" else "school.burnish-pastel")
            return layers
        best: tuple[float, Lays] | None = None
        for i in np.flatnonzero((self.area.lightness > 80) & (self.area.strength < 27)):
            for pressure in (2, 3, 4):
                tried = (*layers, Lay(int(i), pressure, 1, on, 1e6, fixed=True, role="blend"))
                loss = self._loss(tried, layers)[1]
                if best is None or loss < best[0]:
                    best = loss, tried
        if best is not None and best[0] <= BURNISH_COST:
            self.effect["blending"] = "acts"
            return best[1]
        self._refuse("blending", "school.burnish-dark")
        return layers

    def _lights(self, layers: Lays) -> tuple[Lays, tuple[str, ...], tuple[str, ...]]:
        """Lights by the school: (layers, places indented before all, places scraped at the end)."""
        how = self.school.get("lights", "reserved")
        found = [p.id for p in self.places if p.id in ("highlight", "wet light", "marking light")] or self._lightest()
        self.effect["lights"] = "acts"
        if how in ("indent", "scrape") and not self.craft.has(how):
            self._refuse("lights", "school.not-owned", tool=say(f"tool.{how}"))
        elif how == "indent":
            if self.kit.medium != "pastel" and self.craft.light == "hairs" and found:
                return layers, tuple(found), ()
            self._refuse("lights", "school.indent-pastel" if self.kit.medium == "pastel" else "school.indent-hairs")
        elif how == "scrape":
            if self.opaque or not found or float(self.targets[found[0]][0]) > 60:
                self._refuse("lights", "school.scrape-light")
            else:
                return layers, (), tuple(found)
        elif how == "reserved" and self.kit.medium == "pastel" and not any(p.reserved for p in self.area.places):
            self._refuse("lights", "school.reserve-dark")
        elif how == "opaque" and not self.opaque and found:
            return self._opaque_lights(layers, self.places.ids.index(found[0])), (), ()
        return layers, (), ()

    def _lightest(self) -> list[str]:
        """The lightest value of a coat whose highlights are no place of their own."""
        values = [(float(p.target[0]), p.id) for p in self.area.places if p.chain and not p.reserved]
        return [max(values)[1]] if len(values) > 1 else []

    def _opaque_lights(self, layers: Lays, at: int) -> Lays:
        on = tuple(k == at for k in range(self.n))
        now = float(self.search.place_costs(layers)[1][at])
        best: tuple[float, Lays] | None = None
        for i in np.flatnonzero((self.area.lightness > 80.5) & (self.area.strength < 40)):
            for pressure in (1, 2, 3, 4):
                tried = (*layers, Lay(int(i), pressure, 1, on, 1e6, fixed=True, role="highlight"))
                more = float(self.search.place_costs(tried)[1][at]) - now
                if best is None or more < best[0]:
                    best = more, tried
        if best is not None and best[0] < LIGHT_COST:
            return best[1]
        self._refuse("lights", "school.opaque-costs", cost=best[0] if best else 0.0)
        return layers

    def _loss(self, tried: Lays, layers: Lays) -> tuple[str, float]:
        """The place that loses most, and its ΔE00."""
        lost = self.search.place_costs(tried)[1] - self.search.place_costs(layers)[1]
        k = int(np.argmax(lost))
        return self.places.all[k].name, float(lost[k])

    def _refuse(self, switch: str, key: str, **figures: object) -> None:
        self.effect[switch] = f"refused: {say(key, **figures)}"
