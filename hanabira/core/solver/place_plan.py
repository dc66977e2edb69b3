"""An area's recipe by places: targets, the school's switches, and layers that the optics confirm.

The joint search serves what the school asks for; a switch that would cost too much is refused in words with what it would cost.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from hanabira.core.colour.spaces import Array, chroma, hue_deg
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.places.place import Places
from hanabira.core.sentences import say
from hanabira.core.solver.allowed import allowed
from hanabira.core.solver.area import Targets, follow
from hanabira.core.solver.gamut import Gamut, gamut
from hanabira.core.solver.joint import Lay, Lays, Search, in_order
from hanabira.core.solver.layer import BANDS, WHERE, Layer
from hanabira.core.solver.library import opaque_order
from hanabira.core.solver.path import BLACK_C, BLACK_L, DULL_LIGHT_L, Costs, Field, Target, turn, within
from hanabira.core.solver.place_targets import band_aliases, place_targets
from hanabira.core.solver.place_words import DARKS, LIGHTS, TOPS, joined, places_in_words, reason, role_of
from hanabira.core.solver.technique import Craft, LayerPlan
from hanabira.core.token import SILENT, Token

MAIN, FAINT = 1.25, 0.8
"""How much the eye rests on the places that carry a picture, and on specks (under `SPECK` of the area)."""
SPECK = 0.015
CATCHLIGHT = 3.8
"""The catchlight makes the eye alive."""
MAIN_PLACES = ("general", "pupil", "catchlight", "iris outer", "marking", "base lit", "base shade")
TOOL_COST = 1.5
"""ΔE00 that a blend may cost any place."""
STRONG_COST = 4.5
"""ΔE00 that an over-strong base may cost any place."""
BURNISH_COST, LIGHT_COST = 2.0, 1.0
DARK_SPAN_L, DARK_MOST_L, ANCHOR_L = 14.0, 40.0, 46.0
"""Darks first: places within this of the darkest and under this are anchored, by pencils no paler than this."""
NO_DARK_L = 45.0
HIDDEN_TURN, HIDDEN_C, HIDDEN_COST = 35.0, 8.0, 1.0
"""A pencil that brings out a hidden hue lies so near it and is so strong; what it may cost any place (ΔE00)."""
TINT_OFF, TINT_FIRSTS = 3.5, 6
"""ΔE00 from its own colour above which a kept light's tints are looked for anew, and how many first tints are followed by a second."""
ANCHORED = -1e4
"""Where anchored darks stand in the order."""
STEP_L, STEP_KEPT, STEP_WEIGHT = 6.0, 0.6, 2.2
"""Neighbouring values so far apart must keep this share of their step; else both weigh more and are solved on."""
PALE_BASE_L = 52.0
"""A ground of a darker pencil is no pale base, and is not called one."""
SEEN_DE = 4.0
"""ΔE76 from which a layer's change of a place counts fully when it is chosen to tell what the layer does."""
BLEND_AT = (0.35, 0.5, 0.65)
"""After which share of the layers a blend is tried."""
ESSENCE, LOOSE = 1.5, 1.6
"""What a layer must earn and how much longer a stroke is, as factors, when only the essence is wanted."""


@dataclass(frozen=True)
class Rules:
    """What the craft asks beside the colours: hues measured in the area (Lab), whether its coat is white, the artist's aims by place, how
    much dearer than usual a further pencil is, and hues (Lab) that hide in the coat and are welcome under its darks.
    """

    hues: tuple[Array, ...] = ()
    white_coat: bool = False
    aims: Mapping[str, Array] = field(default_factory=dict)
    thrift: float = 1.0
    hidden: tuple[Array, ...] = ()


@dataclass(frozen=True)
class PlacePlan(LayerPlan):
    """A plan with what each switch of the school did: ``acts``, or ``refused: why``."""

    effect: Mapping[str, str] = field(default_factory=dict)
    targets: Targets = field(default_factory=lambda: Targets({}))
    reach: Gamut | None = None


class PlacePlanner:
    """Plans one area by its places."""

    def __init__(
        self, kit: Kit, paper: Paper, places: Places, craft: Craft, rules: Rules, tray: Sequence[str] = (), locked: Sequence[Layer] = (),
        reach: Gamut | None = None, token: Token = SILENT,
    ) -> None:  # fmt: skip
        self.kit, self.paper, self.places, self.craft, self.rules = kit, paper, places, craft, rules
        self.school, self.locked, self.token = dict(craft.school), tuple(locked), token
        self.opaque = opaque_order(kit, paper)
        self.reach = reach or gamut(kit, paper)
        self.targets = place_targets(self.reach, places, rules.aims)
        self.effect: dict[str, str] = {}
        lab = kit.masstone_lab
        self.blacks = [i for i in range(len(kit)) if lab[i, 0] < BLACK_L and float(chroma(lab[i])) < BLACK_C]
        hues = [float(hue_deg(v)) % 360 for v in (*rules.hues, *rules.hidden, *self.targets.values()) if float(chroma(v)) > 6]
        palest = self.opaque and self.school.get("values") == "lights-first"
        banned = frozenset(kit.pencils[i].code for i in self.blacks) if self.school.get("black") == "mixed-blacks-only" else frozenset()
        coat = self.targets[self._general()]
        self.area = Field(
            kit, paper, self._places(), hues=np.array(hues), opaque=self.opaque, costs=Costs(new=Costs.new * rules.thrift), finish=craft.finish,
            tray=frozenset(tray), banned=banned, palest_first=palest, coat_darks=allowed(craft.darks, lab, coat),
            coat_lights=allowed(craft.lights, lab, coat),
        )  # fmt: skip
        self.search = Search(self.area, token=token)
        self.n = len(places)

    def _places(self) -> list[Target]:
        out = []
        opaque_reserve = self.kit.medium == "pastel" and self.school.get("lights") == "reserved"
        for p in self.places:
            goal = np.asarray(self.targets[p.id], float)
            white = self.rules.white_coat and goal[0] > 50 and float(chroma(p.photo_lab)) < 18
            kept = p.reserved or (opaque_reserve and p.id in ("highlight", "wet light") and goal[0] > 76)
            weight = CATCHLIGHT if p.id == "catchlight" else MAIN if p.id in MAIN_PLACES else FAINT if p.share < SPECK else 1.0
            out.append(
                Target(
                    p.id, goal, np.asarray(p.photo_lab, float), weight=weight, group=p.group, chain=p.group in ("coat", "ground", "marking"),
                    reserved=kept, white=white, keeps_off=tuple(self.craft.keeps_off.get(p.id, ())),
                )
            )
        return out

    # -- the plan --------------------------------------------------------------------
    def plan(self) -> PlacePlan:
        """Layers in working order by the craft's rules. Deterministic."""
        self.token.report(0.02, "Solving the places")
        base = self._locked()
        layers = self._values(base)
        layers = self._steps(layers)
        layers = self._bottom(layers, base)
        layers = self._hidden(layers)
        layers = self._tints(layers)
        layers = self.search.trimmed(layers)
        self.token.report(0.7, "Trying tools")
        layers = self._fidelity(layers)
        layers = self._blend(layers)
        layers, first, last = self._lights(layers)
        self._black(base)
        for switch in ("sequence", "highlight"):
            self.effect.setdefault(switch, "acts")
        out = self._as_layers(layers, first, last)
        told = follow(self.paper, self.kit, out, self.targets)
        refused = tuple(f"{key}: {text.removeprefix('refused: ')}." for key, text in self.effect.items() if text.startswith("refused"))
        return PlacePlan(out, told, (*(say(k) for k in self.places.notes), *refused), dict(self.effect), self.targets, self.reach)

    def _refuse(self, switch: str, key: str, **figures: object) -> None:
        self.effect[switch] = f"refused: {say(key, **figures)}"

    def _locked(self) -> Lays:
        """Locked layers as the search knows them, in their own order."""
        out: list[Lay] = []
        least = -np.inf
        for n, q in enumerate(self.locked):
            if q.tool and q.tool not in ("solvent", "stump"):
                continue
            covered = tuple((p.id in q.on) if q.on else any(self.targets.aliases.get(b, b) == p.id for b in _bands(q)) for p in self.places)
            if not q.tool and q.code not in self.kit.index:
                continue
            pencil = -1 if q.tool else self.kit.index[q.code]
            key = max(least + 1e-6, out[-1].key + 1e-3 if q.tool and out else self.area.key(pencil) if pencil >= 0 else -1e5)
            least = key
            out.append(Lay(
                pencil, q.pressure, q.passes, on=covered, key=key, tool=q.tool, fixed=True, role=q.role, source=n,
            ))
        return tuple(out)

    def _values(self, base: Lays) -> Lays:
        """The order of values: as the medium's own, on a dark ground, or with the darks anchored first."""
        how = self.school.get("values")
        start = base
        if (
            self.kit.medium == "pastel"
            and (how == "dark-ground" or self.school.get("black") == "base-under-pastel")
            and not self.area.palest_first
        ):
            start = (*base, self._dark_ground())
            for switch, choice in (("values", "dark-ground"), ("black", "base-under-pastel")):
                if self.school.get(switch) == choice:
                    self.effect[switch] = "acts"
        elif how == "dark-ground" or self.school.get("black") == "base-under-pastel":
            for switch, choice in (("values", "dark-ground"), ("black", "base-under-pastel")):
                if self.school.get(switch) == choice:
                    self._refuse(switch, "school.no-dark-ground")
        if how == "darks-first" and not self.opaque:
            found = self._darks_first(base)
            if found is not None:
                self.effect["values"] = "acts"
                return found
            self._refuse("values", "school.no-dark")
        self.effect.setdefault("values", "acts")
        return self.search.solve(start)

    def _general(self) -> str:
        return self.targets.aliases.get("general", "general")

    def _dark_ground(self) -> Lay:
        """A stick a step darker in the coat's own hue, or the black, under everything that is not reserved."""
        lab = self.kit.masstone_lab
        if self.school.get("black") == "base-under-pastel" and self.blacks:
            best = self.blacks[0]
        else:
            goal = self.targets[self._general()]
            wanted = max(20.0, min(38.0, float(goal[0]) - 14))
            score = (
                np.abs(lab[:, 0] - wanted) / 6
                + np.abs(np.asarray(chroma(lab)) - min(30.0, float(chroma(goal)))) / 15
                + 50 * (lab[:, 0] > 39)
            )
            if float(chroma(goal)) > 6:
                score = score + turn(np.asarray(hue_deg(lab)), float(hue_deg(goal))) / 25
            best = int(np.argmin(score))
        return Lay(best, 3, 1, tuple(not p.reserved for p in self.area.places), -1e6, fixed=True, role="ground")

    def _dark(self) -> np.ndarray:
        """Places that are anchored when the darks go first; none where nothing is dark."""
        value = self.area.targets[:, 0]
        limit = min(float(value.min()) + DARK_SPAN_L, DARK_MOST_L)
        found = np.array([v <= limit and not p.reserved for v, p in zip(value, self.area.places, strict=True)])
        return found if float(value.min()) <= NO_DARK_L else np.zeros_like(found)

    def _darks_first(self, base: Lays) -> Lays | None:
        """The darkest places anchored on bare paper by themselves, the others solved around them."""
        dark = self._dark()
        if not dark.any():
            return None
        pale = frozenset(p.code for p, v in zip(self.kit, self.area.lightness, strict=True) if v > ANCHOR_L)
        deep = Search(replace(self.area, banned=self.area.banned | pale), dark, token=self.token).solve()
        # fixed: what is changed later must not lay them anew in their usual order
        deep = tuple(replace(q, key=ANCHORED + n, fixed=True) for n, q in enumerate(deep) if not q.fixed)
        used = frozenset(self.kit.pencils[q.pencil].code for q in deep)
        rest = Search(replace(self.area, tray=self.area.tray | used), ~dark, token=self.token).solve(base)
        return in_order((*deep, *rest))

    def _ends(self, layers: Lays) -> Array:
        return self.search.snapshots(layers)[-1].lab

    def _steps(self, layers: Lays) -> Lays:
        """Where a step between neighbouring values has melted, both places weigh more and are solved on; twice at most."""
        at = {k: n for n, k in enumerate(self.places.ids)}
        four = [at[self.targets.aliases.get(b, b)] for b in BANDS]
        if self.school.get("values") == "darks-first" and not self.opaque:
            return layers
        for _ in range(2):
            end, goal = self._ends(layers)[:, 0], self.area.targets[:, 0]
            pairs = [(a, b) for a, b in zip(four, four[1:], strict=False) if goal[b] - goal[a] >= STEP_L]
            lost = {k for a, b in pairs for k in (a, b) if end[b] - end[a] < STEP_KEPT * (goal[b] - goal[a])}
            if not lost:
                break
            for k in lost:
                self.area.weight[k] *= STEP_WEIGHT
            self.search = Search(self.area, token=self.token)
            layers = self.search.improved(self.search.switched(layers))
        return layers

    def _bottom(self, layers: Lays, base: Lays) -> Lays:
        """Strong colour first, then dulled: one over-strong layer of the coat's hue under everything."""
        if self.school.get("bottom") != "strong-first":
            self.effect["bottom"] = "acts"
            return layers
        goal = self.targets[self._general()]
        if float(chroma(goal)) <= 4:
            self._refuse("bottom", "school.no-colour")
            return layers
        lab = self.kit.masstone_lab
        c, h = np.asarray(chroma(lab)), np.asarray(hue_deg(lab)) % 360
        own = float(hue_deg(goal)) % 360
        above = 0.0 if self.opaque else 14.0
        score = (
            turn(h, own) / 14 + np.abs(lab[:, 0] - (goal[0] + above)) / 9 - c / 16 + 9 * (c < chroma(goal) + 6) + 30 * (turn(h, own) > 40)
        )
        score = score + (0 if self.area.has_green else 40 * within(h, 96, 222))
        anchored = self.school.get("values") == "darks-first" and self.effect.get("values") == "acts" and not self.opaque
        on = tuple(not p.reserved and not (anchored and d) for p, d in zip(self.area.places, self._dark(), strict=True))
        if not any(on):
            self._refuse("bottom", "school.strong-already")
            return layers
        key = ANCHORED + 1e3 if anchored else -1e5  # over the darks that are anchored, and only beside them
        strong = Lay(int(np.argmin(score)), 3 if self.opaque else 2, 1, on, key, fixed=True, role="undertone")
        tried = (self._darks_first((*base, strong)) if anchored else None) or self.search.solve((*base, strong))
        loss = self._loss(tried, layers)
        lead = self._colour_early(tried) - self._colour_early(layers)
        if loss[1] > STRONG_COST:
            self._refuse("bottom", "school.strong-costs", cost=loss[1], place=loss[0])
        elif lead <= 0:
            self._refuse("bottom", "school.strong-already")
        else:
            self.effect["bottom"] = "acts"
            return tried
        return layers

    def _hidden(self, layers: Lays) -> Lays:
        """A hue that hides in a black or white coat laid low in it, where no place pays much: blacks are coloured darks, whites are never white."""
        if not self.rules.hidden or (self.school.get("values") == "darks-first" and not self.opaque):
            return layers
        white, area = self.rules.white_coat, self.area
        on = tuple(p.id.startswith(("gap", "shade", "general")) and p.group in ("coat", "ground") for p in area.places)
        hue = float(hue_deg(self.rules.hidden[0])) % 360
        near = (turn(area.hue, hue) <= HIDDEN_TURN) & (area.strength >= HIDDEN_C) & area.allowed
        fits = near & ((area.lightness > 70) & (area.strength <= 26) if white else area.lightness < 45)
        if not any(on) or any(fits[q.pencil] and np.any(np.array(q.on) & np.array(on)) for q in layers if not q.tool):
            return layers
        best: tuple[float, Lays] | None = None
        for i in sorted(np.flatnonzero(fits), key=lambda i: float(turn(area.hue[i], hue)) / 10 + area.strength[i] / 12)[:3]:
            tint = Lay(int(i), 1, 1, on, area.key(int(i)), fixed=True, role="undertone")
            tried = in_order((*layers, tint))
            loss = self._loss(tried, layers)[1]
            if best is None or loss < best[0]:
                best = loss, tried
        if best is not None and best[0] > HIDDEN_COST:  # what lies over it may make room
            tried = self.search.improved(best[1], 1)
            best = self._loss(tried, layers)[1], tried
        return best[1] if best is not None and best[0] <= HIDDEN_COST else layers

    def _tints(self, layers: Lays) -> Lays:
        """A kept light that ends far from its own colour gets its own one or two tints, over every pencil that may go there."""
        off = self.search.place_costs(layers)[1]
        for k, p in enumerate(self.area.places):
            if not p.reserved or off[k] <= TINT_OFF:
                continue
            bare_ = tuple(replace(q, on=tuple(v and i != k for i, v in enumerate(q.on))) if not q.fixed else q for q in layers)
            alone = Search(self.area, np.arange(self.n) == k, token=self.token)
            may = np.flatnonzero(self.area.allowed & (self.area.forbidden[:, k] < 1)).tolist()
            rest: Lays = in_order([q for q in bare_ if any(q.on)])
            best: tuple[float, Lays] = float(off[k]) - 0.5, layers
            firsts = []
            for i in may:  # a pair is better than its better half: each pencil as the first of two
                _gain, tint = alone.insertion(rest, pencils=[i])
                if tint is not None:
                    one = in_order((*rest, tint))
                    firsts.append((float(self.search.place_costs(one)[1][k]), i, one))
            dull = p.photo[0] < DULL_LIGHT_L  # a bright light bears one tint
            for de, _i, one in sorted(firsts)[: TINT_FIRSTS if dull else 1]:
                gain, second = alone.insertion(one, pencils=may)
                two = in_order((*one, second)) if dull and second is not None and gain > 0 else one
                for value, tried in ((de, one), (float(self.search.place_costs(two)[1][k]), two)):
                    best = (value, tried) if value < best[0] else best
            layers = best[1]
            off = self.search.place_costs(layers)[1]
        return layers

    def _colour_early(self, layers: Lays) -> float:
        c = [self.area.strength[q.pencil] for q in layers if not q.tool]
        return float(np.dot(np.linspace(1, -1, len(c)), c) / len(c)) if c else 0.0

    def _loss(self, tried: Lays, layers: Lays) -> tuple[str, float]:
        """The place that loses most, and its ΔE00."""
        lost = self.search.place_costs(tried)[1] - self.search.place_costs(layers)[1]
        k = int(np.argmax(lost))
        return self.places.all[k].name, float(lost[k])

    def _fidelity(self, layers: Lays) -> Lays:
        """Only the essence: what earns less than half as much again is left out. (Strokes are longer and wider too.)"""
        self.effect["fidelity"] = "acts"
        if self.school.get("fidelity") != "essence" or self.kit.medium == "pastel":
            return layers
        keep, self.area.earn = self.area.earn, self.area.earn * ESSENCE
        layers = self.search.pruned(layers)
        self.area.earn = keep
        return layers

    def _blend(self, layers: Lays) -> Lays:
        """The school's blend right after the layers it evens, and solved on; where no place pays much for it."""
        how = self.school.get("blending", "none")
        if how == "none":
            self.effect["blending"] = "acts"
            return layers
        if self.craft.blend == "none":
            self._refuse("blending", "school.grain")
            return layers
        if how == "solvent" and (self.kit.medium == "pastel" or self.school.get("lights") == "indent"):
            self._refuse("blending", "school.solvent-lines" if self.school.get("lights") == "indent" else "school.solvent-pastel")
            return layers
        if how == "burnish":
            return self._burnished(layers)
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
            self._refuse("blending", "school.tool-costs", tool=how, cost=best[0], place=best[1])
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
        how, found = (
            self.school.get("lights", "reserved"),
            [p.id for p in self.places if p.id in ("highlight", "wet light", "marking light")],
        )
        self.effect["lights"] = "acts"
        if how == "indent":
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

    def _black(self, base: Lays) -> None:
        """Whether forbidding blacks changed anything at all."""
        self.effect.setdefault("black", "acts")
        if self.school.get("black") == "mixed-blacks-only":
            plain = Search(replace(self.area, banned=frozenset()), token=self.token).solve(base)
            if not any(q.pencil in self.blacks for q in plain):
                self._refuse("black", "school.no-black")

    # -- as layers ----------------------------------------------------------------------
    def _as_layers(self, layers: Lays, first: tuple[str, ...], last: tuple[str, ...]) -> tuple[Layer, ...]:
        names, ids, craft = self.targets.names, self.places.ids, self.craft
        out: list[Layer] = []
        kept = [p.id for k, p in enumerate(self.area.places) if p.reserved or not any(q.on[k] for q in layers)]
        kept = [k for k in kept if self.targets[k][0] > self.reach.lightest_l - 25 or k == "catchlight"]
        if kept and not any(q.role == "reserve" for q in self.locked):
            above = float(self.area.paper_lab[0] - self.targets[kept[0]][0])
            words = say("why.reserve" if above > 1 else "why.reserve-paper", places=joined([names[k] for k in kept]), above=above)
            out.append(Layer("reserve", "", 1, 1, places_in_words(kept, names), "dot", tool="reserve", why=words, on=tuple(kept)))
        if first:
            out.append(
                Layer(
                    "indent", "", 1, passes=1, where=places_in_words(first, names), stroke="flick", stroke_mm=craft.stroke_mm, tool="indent",
                    why=say("rule.indent"), on=first,
                )
            )
        fine = craft.stroke_mm * (LOOSE if self.school.get("fidelity") == "essence" else 1.0)
        said: set[str] = set()
        reasons: set[str] = set()
        for c, q in enumerate(layers):
            if q.source >= 0:
                out.append(self.locked[q.source])
                continue
            covered = [k for k in range(self.n) if q.on[k]]
            if not covered:
                continue
            below_lab, above_lab = (self.search.snapshots(layers)[c + s].lab for s in (0, 1))
            moved = np.linalg.norm(above_lab - below_lab, axis=-1)  # it is told by a place where it does something
            covered.sort(key=lambda k: -self.area.weight[k] * (0.2 + self.places.all[k].share) * min(1.0, float(moved[k]) / SEEN_DE))
            on = tuple(ids[k] for k in covered)
            main = covered[0]
            before, after = below_lab[main], above_lab[main]
            where = places_in_words(on, names)
            if q.tool:
                why = say(
                    "why.blend-lighter" if after[0] > before[0] else "why.blend-darker", places=where, by=abs(float(after[0] - before[0]))
                )
                if q.tool == "solvent":
                    why += say("why.wet", by=float(after[0] - self.area.wet_l(self.search.snapshots(layers)[c + 1].zones[main])))
                out.append(Layer("blend", "", 1, 1, where, "circle", tool=q.tool, why=why, on=on))
                continue
            below = {ids[k] for k in covered if any(x.on[k] and not x.tool for x in layers[:c])}
            above_ = {ids[k] for k in covered if any(x.on[k] and not x.tool for x in layers[c + 1 :])}
            role = q.role or role_of(
                on, self.kit.masstone_lab[q.pencil], self.area.targets[main], before=before, after=after, below=below, above=above_,
                opaque=self.opaque,
            )
            low = role in ("ground", "undertone", "blend")
            why = reason(
                names[on[0]],
                before,
                after,
                self.area.targets[main],
                [names[k] for k in on[1:]],
                q.passes,
                not any(x.on[main] for x in layers[c + 1 :]),
            )
            if why in reasons:  # the same numbers once more: told apart by where it goes
                why = say("why.where", why=why.rstrip("."), places=where)
            reasons.add(why)
            kind = {"deepen": "general", "light hair": "light", "highlight": "light"}.get(role, role)
            pale = float(self.kit.masstone_lab[q.pencil, 0]) >= PALE_BASE_L
            fits = kind != "ground" or pale or self.opaque
            # a sentence about black is said of blacks only
            fits = fits and (q.pencil in self.blacks or not craft.why.get(kind, "").startswith("Black"))
            if kind in craft.why and craft.why[kind] and kind not in said and fits and _speaks_of(kind, on[0], self.places.all[main].group):
                why = f"{craft.why[kind].split('. ')[0].rstrip('.')}. {why}"
                said.add(kind)
            point = role == "outline" or set(on) <= set(TOPS)
            out.append(
                Layer(
                    role, self.kit.pencils[q.pencil].code, q.pressure, q.passes, where, craft.base_stroke if low else craft.stroke,
                    0.0 if low else round(fine * (0.6 if point else 1.0), 1), why=why, on=on,
                )
            )  # fmt: skip
        if last:
            out.append(
                Layer(
                    "scrape", "", 1, passes=1, where=places_in_words(last, names), stroke="flick", stroke_mm=craft.stroke_mm, tool="scrape",
                    why=say("rule.scrape"), on=last,
                )
            )
        rest = [q for n, q in enumerate(self.locked) if all(x.source != n for x in layers)]
        return (*[q for q in rest if q.role in ("reserve", "indent")], *out, *[q for q in rest if q.role not in ("reserve", "indent")])


def _speaks_of(kind: str, place: str, group: str) -> bool:
    """Whether the surface's sentence for a role belongs to this place: in an eye the base is the iris's, the depth the pupil's."""
    if kind in ("undertone", "outline"):
        return False
    if group == "part":
        return kind == "gap" and place in DARKS or kind == "light" and place in (*LIGHTS, *TOPS)
    if group not in ("eye", "nose", "skin"):
        return True
    return place.startswith(("iris", "base") if kind in ("ground", "general") else ("pupil", "rim", "nostril") if kind == "gap" else TOPS)


def _bands(layer: Layer) -> tuple[str, ...]:
    return WHERE[layer.where]


def plan_places(
    kit: Kit, paper: Paper, places: Places, craft: Craft, rules: Rules, tray: Sequence[str] = (), locked: Sequence[Layer] = (),
    reach: Gamut | None = None, token: Token = SILENT,
) -> PlacePlan:  # fmt: skip
    """Layers for the places of an area, by the craft's rules."""
    return PlacePlanner(
        kit, paper, places, craft=craft, rules=rules, tray=tray, locked=locked, reach=reach, token=token,
    ).plan()


__all__ = ["PlacePlan", "PlacePlanner", "Rules", "band_aliases", "place_targets", "plan_places"]
