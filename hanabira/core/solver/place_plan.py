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
from hanabira.core.optics.tools import RUBS
from hanabira.core.places.place import Places
from hanabira.core.sentences import say
from hanabira.core.solver.allowed import allowed
from hanabira.core.solver.area import Targets, follow
from hanabira.core.solver.form import Tie, bound, first_layers, tied
from hanabira.core.solver.gamut import Gamut, gamut
from hanabira.core.solver.gestures import STAGE, FormRules, Gesture, is_bare
from hanabira.core.solver.hand_moves import same_again, seen, told_once
from hanabira.core.solver.joint import Lay, Lays, Search, in_order
from hanabira.core.solver.layer import BANDS, WHERE, Layer
from hanabira.core.solver.library import covers, opaque_order
from hanabira.core.solver.path import BLACK_C, BLACK_L, BY_VALUE, TINTED_LIGHT_L, Costs, Field, Target
from hanabira.core.solver.pencil_kinds import turn, within
from hanabira.core.solver.place_layers import Telling
from hanabira.core.solver.place_targets import band_aliases, green_thrown, place_targets
from hanabira.core.solver.single_hairs import SingleHairs, with_single_hairs
from hanabira.core.solver.technique import Craft, LayerPlan
from hanabira.core.solver.tool_switches import ToolSwitches
from hanabira.core.token import SILENT, Token

MAIN, FAINT = 1.25, 0.8
"""How much the eye rests on the places that carry a picture, and on specks (under `SPECK` of the area)."""
SPECK = 0.015
CATCHLIGHT = 3.8
"""The catchlight makes the eye alive."""
MAIN_PLACES = ("general", "pupil", "catchlight", "iris outer", "marking", "base lit", "base shade")
STRONG_COST = 4.5
"""ΔE00 that an over-strong base may cost any place."""
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
ESSENCE = 1.5
"""What a layer must earn, as a factor, when only the essence is wanted."""


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
    palette: frozenset[str] = frozenset()
    """The portrait's pencils; empty: any."""
    fugitive: frozenset[str] = frozenset()
    """Pencils that fade: none of them in paid work."""
    twin: tuple[Layer, ...] = ()
    """Layers of the other side: the same again, only pressures, passes and places may differ."""
    hairs: SingleHairs | None = None
    """Whiskers that were measured."""
    ties: tuple[Tie, ...] = ()
    """What lies beside the area and is solved already."""


@dataclass(frozen=True)
class PlacePlan(LayerPlan):
    """A plan with what each switch of the school did: ``acts``, or ``refused: why``."""

    effect: Mapping[str, str] = field(default_factory=dict)
    targets: Targets = field(default_factory=lambda: Targets({}))
    reach: Gamut | None = None


class PlacePlanner(ToolSwitches):
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
        banned |= rules.fugitive | (frozenset(p.code for p in kit) - rules.palette if rules.palette else frozenset())
        coat = self.targets[self._general()]
        toned = not self.opaque and bool(covers(kit, paper).any())
        self.on_card = toned or self.opaque and kit.medium != "pastel"
        stages = () if palest else craft.card if self.on_card else self._gestures()
        costs = Costs(new=Costs.new * rules.thrift, **(BY_VALUE if self.opaque or toned else {}))
        self.area = Field(
            kit, paper, self._places(), hues=np.array(hues), opaque=self.opaque, pencils=craft.pencils, costs=costs, finish=craft.finish,
            tray=frozenset(tray), banned=banned, palest_first=palest, coat_darks=allowed(craft.darks, lab, coat),
            coat_lights=allowed(craft.lights, lab, coat),
            gestures=stages, open_strokes=craft.kind in ("hair", "feathers"),
        )  # fmt: skip
        self.search = Search(self.area, token=token)
        self.n, self.twin = len(places), bool(rules.twin)

    def _gestures(self) -> tuple[Gesture, ...]:
        """What a hand does here: a pale pencil blends where the school wants it and the surface does not live by its grain."""
        pale = self.school.get("blending", "pale") == "pale" and self.craft.blend != "none"
        return tuple(g for g in self.craft.gestures if (pale or g.id != "blend") and g.surface in ("", self.craft.kind))

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
                    reserved=kept, white=white, keeps_off=tuple(self.craft.keeps_off.get(p.id, ())), share=p.share, bare=is_bare(p.name),
                )
            )
        return out

    # -- the plan --------------------------------------------------------------------
    def plan(self) -> PlacePlan:
        """Layers in working order by the craft's rules. Deterministic."""
        self.token.report(0.02, "Solving the places")
        base = self._locked()
        layers = self._values(base)
        if not self.rules.twin:
            layers = self._steps(layers)
            layers = self._bottom(layers, base)
            layers = self._hidden(layers)
            layers = self._tints(layers)
            if self._form is not None and self.craft.finish >= self._form.tied_from:
                layers = tied(self.search, layers, self.craft.blend, self._form)
            layers = self.search.merged(told_once(self.search, self.search.trimmed(layers)))
            layers = seen(self.search, self.search.improved(self.search.switched(layers), 1, own=True))
        self.token.report(0.7, "Trying tools")
        layers = self._fidelity(layers)
        layers = self._ground(layers)
        layers = self._blend(layers)
        if self.craft.form is not None and self.area.gestures and not self.rules.twin:
            layers = bound(self.search, layers, self.rules.ties, np.array([p.photo for p in self.area.places]), self.craft.form)
        layers, first, last = self._lights(layers)
        self._black(base)
        for switch in ("sequence", "highlight"):
            self.effect.setdefault(switch, "acts")
        layers, mask = self._mask(layers)
        out = Telling(self.kit, self.places, self.targets, self.craft, self.search, self.locked, self.reach.lightest_l, mask).layers(layers, first, last)
        free = tuple(p.id for p in self.places if not p.reserved)
        out = with_single_hairs(out, self.rules.hairs, self.kit, free, say("place.whiskers"))
        told = follow(self.paper, self.kit, out, self.targets)
        refused = tuple(f"{key}: {text.removeprefix('refused: ')}." for key, text in self.effect.items() if text.startswith("refused"))
        notes = (*self.places.notes, *(["place.green"] if green_thrown(self.places) - self.rules.aims.keys() else []))
        return PlacePlan(out, told, (*(say(k) for k in notes), *refused), dict(self.effect), self.targets, self.reach)

    def _locked(self) -> Lays:
        """Locked layers as the search knows them, in their own order."""
        out: list[Lay] = []
        least = -np.inf
        for n, q in enumerate(self.locked):
            if q.tool and q.tool not in RUBS:
                continue
            covered = tuple((p.id in q.on) if q.on else any(self.targets.aliases.get(b, b) == p.id for b in _bands(q)) for p in self.places)
            if not q.tool and q.code not in self.kit.index:
                continue
            pencil = -1 if q.tool else self.kit.index[q.code]
            gesture = self.area.gesture(q.gesture or "build")
            key = max(least + 1e-6, out[-1].key + 1e-3 if q.tool and out else self.area.key_of(pencil, gesture) if pencil >= 0 else -1e5)
            least = key
            out.append(Lay(
                pencil, q.pressure, q.passes, on=covered, key=key, tool=q.tool, fixed=True, role=q.role, source=n, gesture=gesture.id if gesture is not None else "",
                coverage=q.coverage, laid=q.laid,
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
        if self.rules.twin:
            return same_again(self.search, start, self._other_side())
        if not start and self._form is not None:
            start = first_layers(self.search, [p.share for p in self.places], [p.group for p in self.places], self._form)
        return self.search.solve(start)

    def _other_side(self) -> Lays:
        """The layers of the other side as they would stand here, the first wash fixed as it is there."""
        out: list[Lay] = []
        for q in self.rules.twin:
            on = tuple(p.id in q.on for p in self.places)
            if not any(on):  # a lone part of a marking may have another name on the other side
                on = tuple(p.id.split()[0] in {k.split()[0] for k in q.on} for p in self.places)
            if q.tool or q.code not in self.kit.index or not any(on):
                continue
            pencil, gesture = self.kit.index[q.code], self.area.gesture(q.gesture or "build")
            first = gesture is not None and gesture.stage == 0 and not out
            key = -STAGE if first else self.area.key_of(pencil, gesture)
            out.append(Lay(pencil, q.pressure, q.passes, on, key, fixed=first, gesture=gesture.id if gesture is not None else "", coverage=self.area.coverage(gesture), laid=q.laid))
        return tuple(out)

    @property
    def _form(self) -> FormRules | None:
        """What is laid for the form alone, by a hand with translucent pencils; None else."""
        return self.craft.form if self.area.gestures and not self.opaque and not self.on_card else None

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
        low = area.gesture("shadow")
        best: tuple[float, Lays] | None = None
        for i in sorted(np.flatnonzero(fits), key=lambda i: float(turn(area.hue[i], hue)) / 10 + area.strength[i] / 12)[:3]:
            tint = Lay(int(i), 1, 1, on, area.key_of(int(i), low), fixed=True, role="undertone", gesture=low.id if low is not None else "")
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
                _gain, tint = alone.insertion(rest, self.area.candidates.of([i]))
                if tint is not None:
                    one = in_order((*rest, tint))
                    firsts.append((float(self.search.place_costs(one)[1][k]), i, one))
            dull = p.photo[0] < TINTED_LIGHT_L  # a bright light bears one tint
            for de, _i, one in sorted(firsts)[: TINT_FIRSTS if dull else 1]:
                gain, second = alone.insertion(one, self.area.candidates.of(may))
                two = in_order((*one, second)) if dull and second is not None and gain > 0 else one
                for value, tried in ((de, one), (float(self.search.place_costs(two)[1][k]), two)):
                    best = (value, tried) if value < best[0] else best
            layers = best[1]
            off = self.search.place_costs(layers)[1]
        return layers

    def _colour_early(self, layers: Lays) -> float:
        c = [self.area.strength[q.pencil] for q in layers if not q.tool]
        return float(np.dot(np.linspace(1, -1, len(c)), c) / len(c)) if c else 0.0

    def _fidelity(self, layers: Lays) -> Lays:
        """Only the essence: what earns less than half as much again is left out. (Strokes are longer and wider too.)"""
        self.effect["fidelity"] = "acts"
        if self.school.get("fidelity") != "essence" or self.kit.medium == "pastel":
            return layers
        keep, self.area.earn = self.area.earn, self.area.earn * ESSENCE
        layers = self.search.pruned(layers)
        self.area.earn = keep
        return layers

    def _black(self, base: Lays) -> None:
        """Whether forbidding blacks changed anything at all."""
        self.effect.setdefault("black", "acts")
        if self.school.get("black") == "mixed-blacks-only":
            plain = Search(replace(self.area, banned=frozenset()), token=self.token).solve(base)
            if not any(q.pencil in self.blacks for q in plain):
                self._refuse("black", "school.no-black")


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
