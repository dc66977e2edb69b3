"""The order of all layers of all areas, solved from rules with reasons.

Rules that must hold are edges of a directed graph; the school, the drawing hand and convenience are preferences. A list
scheduler takes, of the steps that may come next, the one that fits best; the result is deterministic. A step that the
artist dragged stays where it was put: rules that contradict it are dropped and named with what they cost.
"""

from __future__ import annotations

import heapq
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from hanabira.core.faults import Fault
from hanabira.core.schedule.work import DARKS, EYES, HARD, HIGH, JUDGED_LAST, LIGHTS, LOW, AreaWork, LayerWork, Pace, layer_minutes
from hanabira.core.sentences import say

STAGES = 8.0
"""About how many stages a hand's work has, for layers that name none."""
SAME_PENCIL = 0.6
"""How far on the sheet one goes for the pencil that is in the hand, in its diagonal."""
KEPT = ("indent", "reserve")
"""Roles of what comes before any colour."""
LAST = "last look"
"""Key of the step that ends the portrait."""
RECIPE_ORDER = say("order.recipe")
"""The reason that says least: nothing but the recipe puts a step there."""


@dataclass(frozen=True)
class Step:
    """One step: its key ``area:layer``, whose it is, its place in the recipe (−1 where it lays no layer), its minutes from a good day to a bad one,
    and our ``guess`` in minutes before the artist's own pace.
    """

    key: str
    area: AreaWork | None
    at: int
    layer: LayerWork
    low: float
    high: float
    guess: float = 0.0

    @property
    def lays(self) -> bool:
        """Whether it is a layer of its area's recipe."""
        return self.area is not None and self.at >= 0

    @property
    def name(self) -> str:
        """Area and gesture, or role, in words."""
        what = self.layer.title.lower() or self.layer.role
        return f"{self.area.name}, {what}" if self.area else what


@dataclass(frozen=True)
class Rule:
    """``before`` must be done before ``after``; why, and what breaking it costs."""

    before: str
    after: str
    why: str
    cost: str


@dataclass(frozen=True)
class Preferences:
    """What an order should be like. ``hand`` right or left; ``sequence`` by-stage, one-area, roam or background-first."""

    hand: str = "right"
    sequence: str = "one-area"


@dataclass(frozen=True)
class Ordered:
    """Steps in order, for each the keys it waits for and why it stands there; rules that a drag broke, and what to mind at a step."""

    steps: tuple[Step, ...]
    after: Mapping[str, tuple[str, ...]]
    reasons: Mapping[str, str]
    broken: tuple[Rule, ...] = field(default=())
    reminders: Mapping[str, tuple[str, ...]] = field(default_factory=dict)


def steps_of(areas: Sequence[AreaWork], pace: Pace | None = None) -> tuple[Step, ...]:
    """Every area × layer as a step, and the last look."""
    out = []
    for a in areas:
        factor = pace.factor(a.surface_id) if pace else 1.0
        for k, q in enumerate(a.layers):
            guess = layer_minutes(a, q)
            out.append(Step(a.key(k), a, k, q, guess * factor * LOW, guess * factor * HIGH, guess))
    if out:
        out.append(Step(LAST, None, 0, LayerWork("last look", "", ""), 20.0, 45.0))
    return tuple(out)


def rules_of(areas: Sequence[AreaWork]) -> tuple[Rule, ...]:
    """The rules that must hold, each with its reason and what breaking it costs. They never run in a circle by themselves."""
    by = {a.id: a for a in areas}
    out: list[Rule] = []

    def key(a: AreaWork, k: int) -> str:
        return a.key(k)

    for a in areas:
        for k in range(1, len(a.layers)):
            q = a.layers[k - 1]
            if q.role in KEPT:
                why = say("order.indent" if q.role == "indent" else "order.reserve")
                cost = say("order.indent-cost" if q.role == "indent" else "order.reserve-cost")
            elif q.role == "outline":
                why, cost = say("order.outline"), say("order.outline-cost")
            elif q.tool == "solvent":
                why, cost = say("order.solvent"), say("order.solvent-cost")
            elif a.layers[k].role in LIGHTS:
                why, cost = say("order.lights"), say("order.lights-cost")
            else:
                why, cost = RECIPE_ORDER, say("order.recipe-cost")
            out.append(Rule(key(a, k - 1), key(a, k), why, cost))
        fur = [by[n] for n in a.neighbours if n in by and by[n].surface_id not in (*JUDGED_LAST, *EYES)]
        if a.surface_id in JUDGED_LAST and len(a.layers) > 1:
            for n in fur:
                last = _last_dark(n)
                if last is not None:
                    why = say("order.fur-first", fur=n.name, area=a.name.lower())
                    out.append(Rule(key(n, last), key(a, 1), why, say("order.fur-first-cost")))
        if a.surface_id in EYES and len(a.layers) > 1:
            for n in fur:
                dark = next((k for k, q in enumerate(n.layers) if q.role in ("general", "deepen", "gap")), None)
                if dark is not None:
                    why = say("order.dark-first", fur=n.name)
                    out.append(Rule(key(n, dark), key(a, len(a.layers) - 1), why, say("order.dark-first-cost")))
        lights = next((k for k, q in enumerate(a.layers) if q.role in LIGHTS), None)
        if lights is not None and a.surface_id not in EYES:
            for n in (by[i] for i in a.neighbours if i in by):
                last = _last_dark(n)
                # an area whose own end waits for this one's darks must not be waited for
                if last is not None and n.surface_id not in (*EYES, *JUDGED_LAST):
                    out.append(
                        Rule(
                            key(n, last),
                            key(a, lights),
                            say("order.lights-last", neighbour=n.name),
                            say("order.lights-last-cost"),
                        )
                    )
    out += _blends(areas)
    out += _kept_lines(areas)
    everything = [key(a, len(a.layers) - 1) for a in areas if a.layers]
    whiskers = [
        key(a, len(a.layers) - 1)
        for a in areas
        if a.layers and a.layers[-1].role in ("whisker", "highlight", "scrape") and a.surface_id in ("whisker", "lash")
    ]
    for w in whiskers:
        for a in areas:
            dark = _last_dark(a)
            if dark is not None and key(a, dark) != w and key(a, dark).rpartition(":")[0] != w.rpartition(":")[0]:
                out.append(Rule(key(a, dark), w, say("order.whiskers"), say("order.whiskers-cost")))
    out += [Rule(k, LAST, say("order.rest"), say("order.rest-cost")) for k in everything]
    return tuple(dict.fromkeys(out))


def _blends(areas: Sequence[AreaWork]) -> list[Rule]:
    """Neighbours are blended from the lighter to the darker one.

    Only a blend that comes before its area's lights makes another one wait, and none of an eye, a nose or whiskers, whose own layers
    wait for their neighbours: so these rules cannot close a circle with the others.
    """
    by, out = {a.id: a for a in areas}, []
    for a in areas:
        if a.value_l is None or a.surface_id in (*EYES, *JUDGED_LAST, "whisker", "lash"):
            continue
        lights = next((k for k, q in enumerate(a.layers) if q.role in LIGHTS), len(a.layers))
        mine = [k for k, q in enumerate(a.layers[:lights]) if q.role == "blend"]
        for b in (by[n] for n in a.neighbours if n in by):
            theirs = next((k for k, q in enumerate(b.layers) if q.role == "blend"), None)
            if mine and theirs is not None and b.value_l is not None and b.value_l < a.value_l - 3:
                why = say("order.blend", lighter=a.name, darker=b.name)
                out.append(Rule(a.key(mine[-1]), b.key(theirs), why, say("order.blend-cost")))
    return out


def _kept_lines(areas: Sequence[AreaWork]) -> list[Rule]:
    """Lines that are kept or pressed in run over into other areas: they come before any colour anywhere."""
    out = []
    for a in areas:
        for k, q in enumerate(a.layers):
            if q.crosses and q.role in KEPT:
                firsts = [(b, next((n for n, x in enumerate(b.layers) if x.role not in KEPT), None)) for b in areas if b is not a]
                out += [Rule(a.key(k), b.key(n), say("order.whiskers-kept"), say("order.whiskers-kept-cost")) for b, n in firsts if n is not None]
    return out


def _last_dark(a: AreaWork) -> int | None:
    found = [k for k, q in enumerate(a.layers) if q.role in DARKS]
    return found[-1] if found else None


def order(
    areas: Sequence[AreaWork], prefer: Preferences | None = None, moved: Sequence[tuple[str, str]] = (), pace: Pace | None = None
) -> Ordered:
    """Steps in working order. ``moved`` are (key, key it shall follow; empty for first) in the order in which they were dragged.

    Raises `Fault` that names the steps when rules run in a circle.
    """
    return Arranger(areas, prefer).ordered(moved, pace)


@dataclass(frozen=True)
class _State:
    """What stands after some drags: the rules that hold, the steps that were put somewhere, the rules that broke, the order."""

    rules: tuple[Rule, ...]
    pins: Mapping[str, str]
    broken: tuple[Rule, ...]
    steps: tuple[Step, ...]


class Arranger:
    """Orders the same work again and again: each drag is worked out once, on the order that the one before it had left.

    A drag is judged by the order that was on the screen when it was made, so every one needs the order before it; those are kept.
    """

    def __init__(self, areas: Sequence[AreaWork], prefer: Preferences | None = None) -> None:
        self._prefer = prefer or Preferences()
        if self._prefer.sequence == "by-stage" and not any(q.stage >= 0 for a in areas for q in a.layers):
            self._prefer = replace(self._prefer, sequence="one-area")  # recipes from before name no stages
        self._steps = {s.key: s for s in steps_of(areas)}
        self._index = {k: i for i, k in enumerate(self._steps)}
        self._rank = _area_rank(areas, self._prefer)
        self._rules = tuple(r for r in rules_of(areas) if r.before in self._steps and r.after in self._steps)
        # how well each step fits after a stranger: most steps that could come next have nothing to do with the one before
        self._apart = {k: _fit(s, None, self._prefer, self._rank, {}, set(), "") for k, s in self._steps.items()}
        self._states: list[tuple[tuple[str, str] | None, _State]] = []
        self._told: tuple[_State, Ordered] | None = None

    def ordered(self, moved: Sequence[tuple[str, str]] = (), pace: Pace | None = None) -> Ordered:
        """The order after these drags, with the minutes of a pace; see `order`."""
        if not self._states:
            self._states.append((None, _State(self._rules, {}, (), self._schedule(self._rules, {}))))
        n = 0
        while n < len(moved) and n + 1 < len(self._states) and self._states[n + 1][0] == tuple(moved[n]):
            n += 1
        del self._states[n + 1 :]
        for key, behind in moved[n:]:
            self._states.append(((key, behind), self._dragged(self._states[-1][1], key, behind)))
        state = self._states[-1][1]
        if self._told is None or self._told[0] is not state:
            self._told = state, self._with_reasons(state)
        found = self._told[1]
        return found if pace is None else replace(found, steps=tuple(_paced(s, pace) for s in found.steps))

    def _dragged(self, state: _State, key: str, behind: str) -> _State:
        """The state with one more step put right after another one, or first."""
        if key not in self._steps or (behind and behind not in self._steps) or key == behind:
            return state
        place = {s.key: i for i, s in enumerate(state.steps)}
        rules = list(state.rules)
        # what has not come by then cannot be waited for
        late = place[behind] if behind else -1
        contradicted = {r for r in rules if r.after == key and place[r.before] > late}
        rules = [r for r in rules if r not in contradicted]
        while behind:
            path = _path(rules, key, behind)
            if path is None:
                break
            # the rule nearest to the dragged step gives way
            contradicted.add(path[0])
            rules.remove(path[0])
        if behind:
            # what the dragged step waits for comes before the one it follows, so that nothing slips in between
            rules += [Rule(r.before, behind, "", "") for r in rules if r.after == key and r.before != behind]
            rules.append(Rule(behind, key, say("order.put"), ""))
        broken = (*state.broken, *sorted((r for r in contradicted if r.cost), key=lambda r: (self._index[r.before], self._index[r.after])))
        pins = {**state.pins, key: behind}
        return _State(tuple(rules), pins, broken, self._schedule(rules, pins))

    def _schedule(self, rules: Sequence[Rule], pins: Mapping[str, str]) -> tuple[Step, ...]:
        """A list scheduler: of the steps that wait for nothing any more, always the one that fits best.

        Only steps that the one before changes (of its area, with its pencil, put somewhere, a second eye) are judged anew
        each time; of all others the heap holds the best.
        """
        steps, prefer = self._steps, self._prefer
        follows: dict[str, set[str]] = {k: set() for k in steps}
        left = dict.fromkeys(steps, 0)
        for r in rules:
            if r.after not in follows[r.before]:
                follows[r.before].add(r.after)
                left[r.after] += 1
        ready = {k for k, n in left.items() if not n}
        heap = [(self._apart[k], k) for k in ready]
        heapq.heapify(heap)
        eyes = {k for k, s in steps.items() if s.area is not None and s.area.surface_id in EYES}
        by_area: dict[str, set[str]] = {}
        by_pencil: dict[str, set[str]] = {}
        for k, s in steps.items():
            by_area.setdefault(s.area.id if s.area is not None else "", set()).add(k)
            by_pencil.setdefault(s.layer.pencil, set()).add(k)
        out: list[Step] = []
        done: set[str] = set()
        now: Step | None = None
        finished_eye = ""
        while ready:
            near = pins.keys() & ready
            if now is not None and now.area is not None:
                near |= by_area[now.area.id] & ready
                near |= by_pencil[now.layer.pencil] & ready if now.layer.pencil else set()
            near |= eyes & ready if finished_eye else set()
            best = min(((_fit(steps[k], now, prefer, self._rank, pins, done, finished_eye), k) for k in near), default=None)
            kept = []
            while heap:
                fit, k = heap[0]
                if k in ready and k not in near:
                    best = (fit, k) if best is None or (fit, k) < best else best
                    break
                heapq.heappop(heap)
                if k in ready:
                    kept.append((fit, k))
            for entry in kept:
                heapq.heappush(heap, entry)
            assert best is not None
            step = steps[best[1]]
            ready.discard(step.key)
            done.add(step.key)
            out.append(step)
            finished_eye = _eye_after(step, finished_eye)
            now = step
            for k in follows[step.key]:
                left[k] -= 1
                if not left[k]:
                    ready.add(k)
                    heapq.heappush(heap, (self._apart[k], k))
        if len(out) < len(steps):
            stuck = [s.name for k, s in steps.items() if k not in done]
            raise Fault(
                f"These steps wait for each other: {', '.join(stuck[:4])}.", "The order stays as it was.", "Put one of them elsewhere."
            )
        return tuple(out)

    def _with_reasons(self, state: _State) -> Ordered:
        """An order with what each step waits for and why it stands there."""
        waits: dict[str, set[str]] = {k: set() for k in self._steps}
        why: dict[tuple[str, str], str] = {}
        for r in state.rules:
            waits[r.after].add(r.before)
            why[r.before, r.after] = why.get((r.before, r.after)) or r.why or say("order.put-behind")
        after = {k: tuple(sorted(v, key=self._index.__getitem__)) for k, v in waits.items()}
        reasons: dict[str, str] = {}
        now: Step | None = None
        finished_eye = ""
        for step in state.steps:
            reasons[step.key] = _reason(step, now, self._prefer, after[step.key], why, finished_eye, state.pins)
            finished_eye = _eye_after(step, finished_eye)
            now = step
        return Ordered(state.steps, after, reasons, state.broken)


def _eye_after(step: Step, finished_eye: str) -> str:
    """Id of the eye that has just been finished; empty once anything but an eye was worked on."""
    if step.area is not None and step.area.surface_id in EYES and step.at == len(step.area.layers) - 1:
        return step.area.id
    return "" if step.area is None or step.area.surface_id not in EYES else finished_eye


def _paced(step: Step, pace: Pace) -> Step:
    factor = pace.factor(step.area.surface_id) if step.area is not None else 1.0
    return step if factor == 1.0 else replace(step, low=step.low * factor, high=step.high * factor)


def _path(rules: Sequence[Rule], start: str, end: str) -> list[Rule] | None:
    """Rules that lead from one step to another, or None."""
    out: dict[str, list[Rule]] = {}
    for r in rules:
        out.setdefault(r.before, []).append(r)
    came: dict[str, Rule] = {}
    queue = [start]
    for k in queue:
        for r in out.get(k, ()):
            if r.after not in came and r.after != start:
                came[r.after] = r
                if r.after == end:
                    path, at = [], end
                    while at != start:
                        path.append(came[at])
                        at = came[at].before
                    return path[::-1]
                queue.append(r.after)
    return None


def _area_rank(areas: Sequence[AreaWork], prefer: Preferences) -> dict[str, float]:
    """Where each area stands by preference: eyes first or background first, by the drawing hand, hard textures before the end."""
    if not areas:
        return {}
    xs, ys = [a.middle[0] for a in areas], [a.middle[1] for a in areas]
    wide, high = max(max(xs) - min(xs), 1e-6), max(max(ys) - min(ys), 1e-6)
    out = {}
    for a in areas:
        across = (a.middle[0] - min(xs)) / wide
        across = across if prefer.hand == "right" else 1 - across
        place = 0.6 * (a.middle[1] - min(ys)) / high + 0.4 * across
        first = 0.0
        if a.surface_id == "background":
            first = -3.0 if prefer.sequence == "background-first" else 0.6
        elif a.surface_id in EYES and prefer.sequence != "background-first":
            first = -2.0
        elif a.surface_id in HARD:
            first = -0.35
        elif a.surface_id in ("whisker", "lash"):
            first = 0.7
        out[a.id] = first + place + 1e-6 * a.number
    return out


def _fit(
    step: Step, now: Step | None, prefer: Preferences, rank: Mapping[str, float], pins: Mapping[str, str], done: set[str], finished_eye: str
) -> tuple[Any, ...]:
    """The smaller, the sooner."""
    a = step.area
    if a is None:
        return (9, 0.0, 0.0, 0, 0)
    pinned = pins.get(step.key)
    if pinned is not None and (pinned == (now.key if now else "") or (pinned and pinned in done)):
        return (-1, 0.0, 0.0, a.number, step.at)
    same_area = now is not None and now.area is not None and now.area.id == a.id
    same_pencil = now is not None and bool(step.layer.pencil) and step.layer.pencil == now.layer.pencil
    wet = now is not None and now.layer.tool == "solvent" and same_area
    second_eye = bool(finished_eye) and a.surface_id in EYES and a.id != finished_eye
    late = step.layer.role in LIGHTS and a.surface_id not in EYES
    if prefer.sequence == "by-stage":
        return (0 if second_eye and step.at == 0 else 1, float(_stage(step)), rank[a.id] - (SAME_PENCIL if same_pencil else 0.0), a.number, step.at)
    if prefer.sequence == "roam":
        level = step.at / max(1, len(a.layers) - 1)
        return (
            0 if second_eye else 1 + (1 if late else 0),
            (0.0 if same_pencil else 0.12) + level + (0.5 if wet else 0),
            rank[a.id],
            a.number,
            step.at,
        )
    stay = 0.0 if same_area and not wet else 1.0
    return (
        0 if second_eye else 1 + (1 if late and not same_area else 0),
        stay,
        rank[a.id] - (0.05 if same_pencil else 0.0),
        a.number,
        step.at,
    )


def _stage(step: Step) -> float:
    """The stage of a step's layer; one that has none stands where its place in the recipe would be."""
    if step.layer.stage >= 0 or step.area is None:
        return step.layer.stage
    known = [q.stage for q in step.area.layers if q.stage >= 0]
    if step.layer.role in ("reserve", "indent"):
        return -1.0
    before = [q.stage for q in step.area.layers[: max(0, step.at)] if q.stage >= 0]
    return float(before[-1]) if before else float(known[0]) if known else STAGES * step.at / max(1, len(step.area.layers))


def _reason(
    step: Step,
    now: Step | None,
    prefer: Preferences,
    waits: Sequence[str],
    why: Mapping[tuple[str, str], str],
    finished_eye: str,
    pins: Mapping[str, str],
) -> str:
    """Why a step stands where it stands, in one sentence."""
    if step.key in pins:
        return say("order.put")
    a = step.area
    if a is None:
        return say("order.last-look")
    if finished_eye and a.surface_id in EYES and a.id != finished_eye:
        return say("order.second-eye")
    if now is not None and now.area is not None and now.area.id != a.id:
        if now.layer.tool == "solvent":
            return say("order.drying", area=now.area.name)
        others = [w for w in waits if not w.startswith(f"{a.id}:")]
        if others:
            return why[others[-1], step.key]
        if step.layer.pencil and step.layer.pencil == now.layer.pencil:
            return say("order.same-pencil")
    if a.surface_id == "background" and prefer.sequence == "background-first":
        return say("order.background")
    if prefer.sequence == "by-stage" and step.layer.stage >= 0 and now is not None and now.area is not None and now.area.id != a.id:
        return say("order.stage")
    if a.surface_id in EYES and step.at == 0:
        return say("order.eye")
    own = [w for w in waits if w.startswith(f"{a.id}:")]
    if own:
        return why[own[-1], step.key]
    if a.surface_id in HARD:
        return say("order.hard")
    return say("order.hand")
