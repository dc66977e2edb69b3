"""The one correction that helps: why a place is off, and what brings it nearer within what paper, pencils and eyes allow."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import Array
from hanabira.core.optics import batch as many
from hanabira.core.optics.film import Film
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.stack import PaperState, apply, remove, seen_as
from hanabira.core.progress.check import Checked, Expectation
from hanabira.core.progress.expected import Expected
from hanabira.core.progress.meant import is_meant
from hanabira.core.progress.reading import PlaceSeen
from hanabira.core.progress.verdict import Flaw
from hanabira.core.solver.layer import CORRECT, Layer, goes_over
from hanabira.core.solver.library import opaque_order

TOOTH = 0.95
"""Share of the tooth that a correction may use up."""
DARKER_PRESSURE, LIGHTER_PRESSURE = 4, 3
PRESSURE_COST, PASS_COST, MOVE_COST, OTHER_PENCIL = 0.25, 0.15, 0.05, 0.4
LIFTS = ((0.18, "lift", 1, 0.3), (0.35, "lift", 2, 0.5), (0.58, "lift", 3, 0.8), (0.80, "erase", 1, 1.2))
"""What may come off before anything is laid: share of the film, tool, how often, and what it costs in ΔE00."""
UNSTEADY = (0.6, 1.0, 1.6)
"""How much of a pass a hand really lays; a correction must help for all three."""
LEAST_GAIN = 0.8
REDRAWN = ("large", "small", "turned", "apart", "together", "eyeline", "tip")
FORMS: Mapping[str, str] = {"framed": "soften", "blotchy": "even", "loud": "quiet", "thin": "finish", "long": "break"}
"""Faults of form with the cure that they have."""
MOST_CORRECTIONS = 2
"""Corrections of one place after which it rests a night instead of taking a third."""
SMALL_STEPS, BESIDE_MM, MUCH_DARKER_L = 0.8, 4.0, 15.0
"""A difference under so many steps waits for a neighbour that is still bare, lies within so many mm and will be so much darker than the paper."""
SCRAPED, SCRAPE_TOOTH, SCRAPE_L = 0.9, 0.6, 60.0
"""Share of the film that a blade takes, the tooth that must be full for it, and the lightest target it is worth it for."""
SCRAPES = ("highlight", "wet light", "marking light", "light")
AROUND_L = 4.0
"""What lies round a place is darkened by so many L* where the place itself cannot be lightened."""
CLAIM: Mapping[str, float] = {"seen": 1.5, "scrap": 1.5, "near": 2.0, "fitted": 2.0, "shipped": 3.0}
"""How far the colour after a correction may end from the forecast, in ΔE00, by what the forecast rests on."""
_WAYS = ((1, 1), (1, 2), (1, 3), (2, 1), (2, 2), (3, 1), (4, 1))


@dataclass(frozen=True)
class Cure:
    """A correction. ``tool`` is lay (layers of the recipe that are missing), glaze, lift, erase, scrape, around (darken what lies round it), redraw,
    break, soften, even, quiet, finish, wait (until the areas ``names`` stand), rest, log or leave; ``steps`` are the layers that it makes; ``lab_after`` (3,) with ``claim`` ΔE00 around it; the tooth used before and after (0–1).
    """

    tool: str
    steps: tuple[Layer, ...] = ()
    lab_after: Array | None = None
    claim: float = 0.0
    tooth: tuple[float, float] = (0.0, 0.0)
    names: tuple[str, ...] = ()

    @property
    def codes(self) -> tuple[str, ...]:
        """Pencils that it needs."""
        return tuple(q.code for q in self.steps if q.code)


@dataclass(frozen=True)
class ToldFlaw:
    """A fault as it is told: what was seen of its worst place, its cause with what names it, its cure, and how urgent it is."""

    fault: Flaw
    place: PlaceSeen | None
    cause: str
    because: tuple[str, ...]
    cure: Cure
    urgency: float
    wider_mm: float = 0.0
    """By how many mm a part that is too large or too small is off in width."""


def bounds(paper: Paper, kit: Kit, spot: PaperState, wanted: Array, floor: int, own: Sequence[str]) -> tuple[Layer, ...] | None:
    """The best lift and glaze over a spot for what is wanted, as steps without a place; None when nothing gains enough.

    Nothing that fades more than ``floor``, no more tooth than there is, light pressure where it is too dark; lifting comes before laying.
    """
    want = np.asarray(wanted, float)
    before = float(delta_e00(spot.lab, want))
    too_dark = float(spot.lab[0]) < want[0] - 1.5
    best, chosen = before - LEAST_GAIN, None
    starts: list[tuple[PaperState, tuple[Layer, ...], float]] = [(spot, (), 0.0)]
    if too_dark or float(np.hypot(*(spot.lab - want)[1:])) > 5:
        for share, tool, times, cost in LIFTS:
            starts.append((remove(spot, share), (_tool(tool, times),), cost))
    fast = np.array([p.lightfast <= floor and p.owned for p in kit])
    mine = np.array([p.code in own for p in kit])
    most = LIGHTER_PRESSURE if too_dark else DARKER_PRESSURE
    for start, lifted, cost in starts:
        alone = float(delta_e00(start.lab, want)) + cost
        if lifted and alone < best:
            best, chosen = alone, lifted
        for pressure, passes in _WAYS:
            if pressure > most:
                continue
            n = len(kit)
            film = Film(kit.film.absorption, kit.film.scattering)
            misses = []
            for thickness in UNSTEADY:
                state = many.start(start, n)
                for _ in range(passes):
                    state, _deposit = many.lay(paper, state, film, np.full(n, pressure), kit.hand, np.full(n, thickness))
                misses.append(np.asarray(delta_e00(state.lab, want)))
                if thickness == 1.0:
                    meant = state
            state = meant
            # a pencil that is right only when the hand is: black over pale fur, a pale one over black
            score = (
                np.mean(misses, 0) + cost + PRESSURE_COST * (pressure - 1) + PASS_COST * passes
                + MOVE_COST * np.asarray(delta_e00(state.lab, start.lab)) + np.where(mine, 0.0, OTHER_PENCIL)
            )  # fmt: skip
            score = np.where(fast & (many.used(paper, state) <= TOOTH), score, np.inf)
            j = int(np.argmin(score))
            if score[j] < best:
                best = float(score[j])
                chosen = (*lifted, Layer(CORRECT, kit.pencils[j].code, pressure, passes, "everywhere", "flick"))
    return chosen


def _evening(e: Expected) -> tuple[Layer, ...]:
    """Small circles with the pencil that made an area's tone, as lightly as can be."""
    place = "general" if "general" in e.now else next(iter(e.now), "")
    tone = [q for q in e.laid if q.code and goes_over(q, place)]
    return (Layer(CORRECT, tone[-1].code, 1, 1, "everywhere", "circle", on=(place,)),) if tone else ()


def _bare_beside(f: Flaw, plan: Expectation) -> str:
    """Name of a bare neighbour that a small difference should wait for: judged beside white paper everything looks darker. Empty for none."""
    if f.kind not in ("lighter", "darker") or abs(f.size) >= SMALL_STEPS:
        return ""
    here = next(a for a in plan.sheet.areas if a.id == f.area_id)
    reach = 2 * int(BESIDE_MM * plan.sheet.grid) + 1
    near = cv2.dilate(here.inside.astype(np.uint8), np.ones((reach, reach), np.uint8)) > 0
    for a in plan.sheet.areas:
        e = plan.by_area.get(a.id)
        if a.id != f.area_id and e is not None and not e.begun and e.recipe and (near & a.inside).any():
            darkest = min((float(t[0]) for t in e.target.values()), default=100.0)
            if darkest < float(plan.paper_lab[0]) - MUCH_DARKER_L:
                return a.name
    return ""


def _may_scrape(place: str, spot: PaperState, seen: PlaceSeen, plan: Expectation) -> bool:
    """A blade lifts a light out of full tooth, where wax lies thick on white paper: no pastel, nothing that is to be pale."""
    pale = float(seen.wanted[0]) > SCRAPE_L
    return place in SCRAPES and spot.used > SCRAPE_TOOTH and not pale and not opaque_order(plan.kit, plan.paper)


def _around(f: Flaw, e: Expected, plan: Expectation, floor: int, own: Sequence[str]) -> Cure | None:
    """What lies round a place darkened, so that the place reads lighter; None where that cannot be done either."""
    area = next(a for a in plan.sheet.areas if a.id == f.area_id)
    others = [p for p in e.now if p != f.place and p not in area.kept and p in e.final]
    if not others:
        return None
    near = max(others, key=lambda p: float(e.now[p][0]) if float(e.now[p][0]) < float(e.now[f.place][0]) else -1.0)
    spot = seen_as(plan.paper, plan.kit, [q.as_pass for q in e.laid if goes_over(q, near)], np.asarray(e.now[near], float))
    steps = bounds(plan.paper, plan.kit, spot, np.asarray(e.now[near], float) - np.array([AROUND_L, 0, 0]), floor, own)
    if steps is None or any(q.tool for q in steps):
        return None
    done = after(spot, plan.kit, steps)
    named = tuple(replace(q, on=(near,)) for q in steps)
    return Cure(
        "around", named, np.asarray(done.lab), CLAIM[e.source.get(near, "shipped")], (spot.used, done.used), (area.place_name(near),)
    )


def _tool(tool: str, times: int) -> Layer:
    return Layer(CORRECT, "", 1, times, "everywhere", "dab", tool=tool)


def after(spot: PaperState, kit: Kit, steps: Sequence[Layer]) -> PaperState:
    """The spot after these steps; a tool used ``passes`` times takes the share that so many careful dabs take."""
    for q in steps:
        if q.tool == "scrape":
            spot = remove(spot, SCRAPED)
        elif q.tool:
            share = next((s for s, tool, times, _c in LIFTS if tool == q.tool and times == q.passes), 0.35)
            spot = remove(spot, share)
        else:
            spot = apply(spot, kit, q.as_pass)
    return spot


def cause_of(fault: Flaw, e: Expected, finished_off: float, kit: Kit) -> tuple[str, tuple[str, ...]]:
    """Why: layers left out, laid otherwise, the recipe itself, or the hand; with the pencils or layers that name it."""
    place = fault.place
    if place and e.missing.get(place) and fault.kind in ("lighter", "darker", "dull", "green", "red", "yellow", "blue"):
        return "left out", tuple(q.code or q.tool for q in e.missing[place])
    planned = {q.id: q for q in e.recipe}
    for q in e.laid:
        was = planned.get(q.id)
        if was is None or not place or not goes_over(q, place) or q.tool:
            continue
        if q.code != was.code:
            return "swapped", (q.code, was.code)
        if q.pressure != was.pressure:
            return "pressure", (q.code, str(q.pressure), str(was.pressure))
    if e.finished and finished_off > 4.0:
        return "recipe", ()
    return "hand", ()


def found_faults(
    checked: Checked, plan: Expectation, floor: int, own: Sequence[str], near: Mapping[str, float] | None = None, meant: Mapping[str, float] | None = None
) -> tuple[ToldFlaw, ...]:  # fmt: skip
    """Every fault with cause and cure, the most urgent first. ``own`` are the portrait's pencils, ``near`` how near each area lies to the focus (0–1),
    ``meant`` sizes of what the artist wants so by its key (`key_of`): that, and no more, is left out.
    """
    by_area, by_place = plan.by_area, {(p.area_id, p.place): p for p in checked.places}
    out = []
    for f in checked.verdict.faults:
        if is_meant(key_of(f), f.size, f.sigma, meant or {}):
            continue
        e, place = by_area[f.area_id], by_place.get((f.area_id, f.place))
        target = e.target.get(f.place)
        off = float(delta_e00(e.final[f.place], target)) if target is not None and f.place in e.final else 0.0
        cause, because = cause_of(f, e, off, plan.kit)
        form = checked.forms.get(f.area_id)
        wider = abs(form.times - 1) * form.width_mm if form is not None and f.kind in ("large", "small") else 0.0
        out.append(ToldFlaw(f, place, cause, because, _cure(f, e, place, plan, floor, own), 0.0, wider))
    out += [
        ToldFlaw(Flaw(a, "", "unlogged", 0.0, 0.0, 9.0), None, "log", (), Cure("log"), 0.0)
        for a in checked.unlogged
        if f"{a}::unlogged" not in (meant or {})
    ]
    total = max(1, sum(int(a.core.sum()) for a in plan.sheet.areas))
    sizes = {a.id: int(a.core.sum()) / total for a in plan.sheet.areas}
    ranked = [replace(q, urgency=_urgency(q, by_area[q.fault.area_id], sizes, near or {})) for q in out if q.fault.area_id in by_area]
    return tuple(sorted(ranked, key=lambda q: -q.urgency))


def key_of(f: Flaw) -> str:
    """What names a fault from photo to photo."""
    return f"{f.area_id}:{f.place}:{f.kind}"


def _urgency(q: ToldFlaw, e: Expected, sizes: Mapping[str, float], near: Mapping[str, float]) -> float:
    """ΔE00 × share × nearness to the focus × how soon it can no longer be mended."""
    if q.place is not None:
        size = float(delta_e00(q.place.found, q.place.wanted))
        share = sizes.get(q.fault.area_id, 0.05) * q.place.share
    else:
        size, share = 3.0 * min(4.0, abs(q.fault.z) / 2), sizes.get(q.fault.area_id, 0.05)
    left = 1.0 - e.done / max(1, len(e.recipe))
    # a layer that later ones would bury is mended now or never; full tooth leaves little
    soon = 1.0 + (0.6 if q.cure.tool == "lay" and left > 0 else 0.0) + 0.4 * q.cure.tooth[0]
    return float(size * np.sqrt(max(share, 1e-4)) * (0.5 + near.get(q.fault.area_id, 0.5)) * soon)


def _cure(f: Flaw, e: Expected, place: PlaceSeen | None, plan: Expectation, floor: int, own: Sequence[str]) -> Cure:
    if f.kind in REDRAWN:
        return Cure("redraw")
    if f.kind in ("mechanical", "combed"):
        return Cure("break")
    if f.kind in FORMS:
        return Cure(FORMS[f.kind], _evening(e) if f.kind == "blotchy" else ())
    if f.kind == "skipped":
        return Cure("log")
    if place is None:
        return Cure("leave")
    if sum(q.role == CORRECT and goes_over(q, f.place) for q in e.laid) >= MOST_CORRECTIONS:
        return Cure("rest")
    waits = _bare_beside(f, plan)
    if waits:
        return Cure("wait", names=(waits,))
    spot = seen_as(plan.paper, plan.kit, [q.as_pass for q in e.laid if goes_over(q, f.place)], place.found)
    claim = CLAIM[e.source.get(f.place, "shipped")]
    before = float(delta_e00(spot.lab, place.wanted))
    missing = e.missing.get(f.place, ())
    if missing and f.kind in ("lighter", "dull"):
        done = after(spot, plan.kit, missing)
        if float(delta_e00(done.lab, place.wanted)) < before - LEAST_GAIN and done.used <= 0.99:
            return Cure("lay", missing, np.asarray(done.lab), claim, (spot.used, done.used))
    steps = bounds(plan.paper, plan.kit, spot, place.wanted, floor, own)
    if f.kind == "darker" and _may_scrape(f.place, spot, place, plan):
        scraped = _tool("scrape", 1)
        done = remove(spot, SCRAPED)
        if float(delta_e00(done.lab, place.wanted)) < before - LEAST_GAIN:
            return Cure("scrape", (replace(scraped, on=(f.place,)),), np.asarray(done.lab), claim, (spot.used, done.used))
    if steps is None and f.kind == "darker":
        around = _around(f, e, plan, floor, own)
        if around is not None:
            return around
    if steps is None:
        return Cure("leave", (), np.asarray(spot.lab), claim, (spot.used, spot.used))
    named = tuple(replace(q, where="everywhere", on=(f.place,)) for q in steps)
    done = after(spot, plan.kit, steps)
    tool = named[0].tool or "glaze"
    return Cure(tool, named, np.asarray(done.lab), claim, (spot.used, done.used))
