"""A solved stack as the artist reads it: roles, places in words, strokes that fit their run, and why each layer is laid."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from hanabira.core.colour.spaces import Array
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.tools import LAYINGS, RUBS
from hanabira.core.places.hand_scale import run_mm
from hanabira.core.places.place import Places
from hanabira.core.sentences import say
from hanabira.core.solver.area import Targets
from hanabira.core.solver.gesture_words import keys_of
from hanabira.core.solver.gestures import is_bare
from hanabira.core.solver.joint import Lay, Lays, Search
from hanabira.core.solver.layer import Layer
from hanabira.core.solver.place_words import DARKS, TOPS, places_in_words, role_of
from hanabira.core.solver.technique import Craft
from hanabira.core.solver.with_tools import MASKS, peeled

SEEN_DE = 4.0
"""ΔE76 from which a layer's change of a place counts fully when it is chosen to tell what the layer does."""
LOOSE = 1.6
"""How much longer a stroke is when only the essence is wanted."""
KEPT_L = 25.0
"""A place further under the lightest reachable value (L*) is not said to be left free: its paper would stand out."""
POINT = 0.6
"""A stroke that sets an edge, an accent or a light is so much shorter."""
LEAST_STROKE_MM = 2.0
ROLES = {"wash": "ground", "between": "texture", "locks": "texture", "blend": "blend", "glaze": "glaze", "accent": "accent", "light": "highlight", "tint": "highlight",
         "block": "ground", "middle": "general", "veil": "glaze", "lights": "light hair", "spark": "highlight",
         "card-colour": "general", "card-press": "accent", "card-rise": "light hair", "card-light": "light hair", "card-spark": "highlight"}
"""What a layer of a gesture is for."""
RUBBED = tuple(k for k, v in LAYINGS.items() if not v.width)
"""Ways of bringing colour on that leave no strokes."""
ECHOES = ("echo-eye", "echo-border")
"""What a layer is for that brings a pencil of the neighbourhood back; it is told so, and laid as its gesture is."""
ON_CARD = {"cover-first": "card-under", "cover-lighter": "card-light", "cover-light": "card-spark"}
"""Under which keys the sentences for a pencil stand where sticks have the others."""
FLAT = ("side", "circle", "dot")
"""Strokes whose length means nothing."""


@dataclass(frozen=True)
class Telling:
    """Tells the layers of a search."""

    kit: Kit
    places: Places
    targets: Targets
    craft: Craft
    search: Search
    locked: tuple[Layer, ...]
    lightest_l: float
    mask: str = "reserve"
    """With what the places that keep their paper are covered."""

    def layers(self, stack: Lays, first: tuple[str, ...], last: tuple[str, ...]) -> tuple[Layer, ...]:
        """Layers in working order. ``first`` are places indented before all, ``last`` those scraped at the end."""
        names = self.targets.names
        out: list[Layer] = []
        said: set[str] = set()
        kept = self._left_free(stack)
        if self.mask in MASKS:
            kept = [p.id for p in self.search.area.places if p.reserved]
        if kept and not any(q.role == "reserve" for q in self.locked):
            out.append(
                Layer("reserve", "", 1, 1, places_in_words(kept, names), "dot", tool=self.mask, why=self._sentence((self.mask,), kept, said), on=tuple(kept))
            )
        if first:
            out.append(self._drawn_with("indent", first))
        for at, q in enumerate(stack):
            if q.source >= 0:
                out.append(self.locked[q.source])
            elif any(q.on):
                out.append(self._layer(stack, at, said))
        if self.mask == "tape" and kept:
            peel = Layer("lift", "", 1, 1, places_in_words(kept, names), "dot", tool="peel", why=self._sentence(("peel",), kept, said), on=tuple(kept))
            out = list(peeled(out, kept, peel))
        if last:
            out.append(self._drawn_with("scrape", last))
        rest = [q for n, q in enumerate(self.locked) if all(x.source != n for x in stack)]
        before_all = ("reserve", "indent")
        return (*[q for q in rest if q.role in before_all], *out, *[q for q in rest if q.role not in before_all])

    def _drawn_with(self, tool: str, on: tuple[str, ...]) -> Layer:
        """Light lines pressed into the paper before all, or scraped out at the end."""
        where, length = places_in_words(on, self.targets.names), self.craft.stroke_mm
        return Layer(tool, "", 1, 1, where, "flick", length, tool=tool, why=say(f"rule.{tool}"), on=on)

    def _left_free(self, stack: Lays) -> list[str]:
        """Places that nothing goes over, and that shine because of it; where no order of gestures keeps tints for the end, also those that get one."""
        area = self.search.area
        free = [
            p.id for k, p in enumerate(area.places) if not any(q.on[k] and not q.tool for q in stack) or p.reserved and not area.gestures
        ]  # fmt: skip
        return [k for k in free if self.targets[k][0] > self.lightest_l - KEPT_L or k == "catchlight"]

    def _layer(self, stack: Lays, at: int, said: set[str]) -> Layer:
        q, area, ids = stack[at], self.search.area, self.places.ids
        below_lab, above_lab = (self.search.snapshots(stack)[at + s].lab for s in (0, 1))
        covered = self._by_weight(q, np.linalg.norm(above_lab - below_lab, axis=-1))
        on = tuple(ids[k] for k in covered)
        main = covered[0]
        before, after = below_lab[main], above_lab[main]
        where = places_in_words(on, self.targets.names)
        if q.tool:
            why = self._sentence((q.tool, "blend-tool"), on, said)
            if RUBS[q.tool].runs:
                wet = float(after[0] - area.wet_l(self.search.snapshots(stack)[at + 1].zones[main]))
                why = f"{why.rstrip('.')}{say('why.wet', by=wet)}"
            return Layer("blend", "", 1, 1, where, "circle", tool=q.tool, why=why, on=on)
        under, over = stack[:at], stack[at + 1 :]
        below = {ids[k] for k in covered if any(x.on[k] and not x.tool for x in under)}
        pencil = self.kit.masstone_lab[q.pencil]
        role = q.role or self._role(q, on, pencil, area.targets[main], before, after, below, {ids[k] for k in covered if any(x.on[k] and not x.tool for x in over)})
        width = run_mm(self.places.mask(on), self.places.mm) if self.places.mm else 0.0
        again = any(x.gesture == "wash" for x in under)
        echo, role = (role, ROLES.get(q.gesture, "general")) if role in ECHOES else ("", role)
        keys = (q.laid,) if q.laid in RUBBED else (echo,) if echo else keys_of(self._told_as(q, role), pencil, before, after, again, ids[main] not in below)
        if not area.gestures and self.kit.medium != "pastel":  # a pencil on a card is no stick
            keys = (*dict.fromkeys(ON_CARD.get(k, "card-colour") for k in keys), "card-rise", "card-colour", "card-light")
        why = self._sentence(keys, on, said)
        stroke, length = self._stroke(q, role, on, width)
        return Layer(
            role, self.kit.pencils[q.pencil].code, q.pressure, q.passes, where, stroke, length, why=why, on=on, gesture=q.gesture,
            run_mm=round(width, 2), coverage=q.coverage, laid=q.laid,
        )  # fmt: skip

    def _by_weight(self, q: Lay, moved: Array) -> list[int]:
        """The places of a layer, the one that it is told by first: where the eye rests and where it does something."""
        covered = [k for k in range(len(self.places)) if q.on[k]]
        return sorted(covered, key=lambda k: -self.search.area.weight[k] * (0.2 + self.places.all[k].share) * min(1.0, float(moved[k]) / SEEN_DE))

    def _role(
        self, q: Lay, on: Sequence[str], pencil: Array, target: Array, before: Array, after: Array, below: set[str], above: set[str]
    ) -> str:
        if q.gesture in ROLES:
            return ROLES[q.gesture]
        if q.gesture in ("shadow", "dark", "card-shade"):
            return "gap" if all(k in DARKS for k in on) else "deepen"
        found = role_of(on, pencil, target, before=before, after=after, below=below, above=above, opaque=self.search.area.opaque)
        return "general" if q.gesture and found == "ground" else found

    def _told_as(self, q: Lay, role: str) -> str:
        """The gesture that the sentence speaks of: lights that cover, and what a school adds, have none of their own."""
        if q.gesture or not self.search.area.gestures:
            return q.gesture or ("" if role not in ("light hair", "highlight") else "cover-light")
        return {"highlight": "light", "blend": "blend"}.get(role, "build")

    def _stroke(self, q: Lay, role: str, on: Sequence[str], width: float) -> tuple[str, float]:
        """How and how long: with the side only where the run is as wide, and never longer than what the run bears."""
        craft, scale = self.craft, self.craft.scale
        if q.laid in RUBBED:
            return "circle", 0.0
        g = self.search.area.gesture(q.gesture)
        stroke = craft.base_stroke if (g is not None and g.wide) or role in ("ground", "undertone", "blend") else craft.stroke
        if scale is not None and width and stroke in ("side", "circle") and width < scale.side_mm:
            stroke = craft.stroke if craft.stroke not in ("side", "circle") else "hatch"
        if stroke in FLAT:
            return stroke, 0.0
        long = craft.stroke_mm * (LOOSE if craft.school.get("fidelity") == "essence" else 1.0)
        point = q.gesture in ("accent", "light", "tint", "spark", "card-press", "card-spark") or role == "outline" or set(on) <= set(TOPS)
        length = long * (POINT if point else 1.0)
        if scale is not None and width:
            length = min(length, max(LEAST_STROKE_MM, scale.taper * width))
        return stroke, round(length, 1)

    def _sentence(self, keys: Sequence[str], on: Sequence[str], said: set[str]) -> str:
        """Why a layer is laid, in words that this recipe has not used."""
        words, names = self.craft.words, self.targets.names
        if words is None:
            return ""
        called = [f"{k} {names[k]}" for k in on]  # what grows on a place is told by its name as much as by its id
        furred = any(w in called[0] for w in ("fur", "hairs"))
        bare = all("skin" in q or is_bare(q) and self.craft.kind == "hair" for q in called)  # one that holds more is told by its surface
        kind = "hair" if furred else "skin" if bare else self.craft.kind
        rest = [names[p.id] for p in self.places if p.id not in on and not p.reserved]
        text = words.first_unsaid(keys, kind, said).format(places=words.where([names[k] for k in on], rest))
        return f"{text[:1].upper()}{text[1:]}."
