"""What will go wrong with a recipe, computed from its prediction and not from a list."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import Array, chroma, hue_deg
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.stack import bare
from hanabira.core.sentences import say
from hanabira.core.solver.area import Prediction, follow, swaps, with_layer
from hanabira.core.solver.gamut import Gamut
from hanabira.core.solver.layer import Layer, goes_over
from hanabira.core.solver.library import opaque_order
from hanabira.core.solver.reach_help import missing_pencil, other_paper

FULL_TOOTH = 0.95
"""Share of the tooth beyond which a further layer slides: the last measured contact of the paper model falls under a tenth there."""
WARM_HUES, WARM_C = (30.0, 100.0), 12.0
"""Hues from red-orange to yellow, strong enough to be seen as coat colour: what a cold dark turns olive."""
GREEN_HUES, GREEN_C = (87.0, 200.0), 4.0
"""Hues that read as olive to green beside warm fur; below this chroma they read as grey."""
WANTED_GREEN = (80.0, 200.0)
"""A target of these hues is green itself, as a parrot's; a little wider, so that a green's edge is not warned of."""
DARKENS = 6.0
"""L* that a layer must darken to be the dark that did it, and not a tint."""
MUD_C, MUD_SHARE = 18.0, 0.6
"""A clear colour, and the share of its chroma below which artists call it muddy."""
DULLER = 6.0
"""C* under the photo's from which dullness is a loss (two just noticeable differences in chroma)."""
SAME_HUE_DEG = 70.0
"""A colour within this turn of the photo's hue was wanted, so dulling it is a fault; a farther one is neutralised on purpose."""
CHALK_L, CHALK_SHARE = 4.0, 0.7
"""A pale layer that lightens by so much and leaves less than this share of the chroma veils the colour."""
IDLE_L, UNSEEN_DE = 0.4, 0.6
"""A layer that moves value and colour by less than this is seen by no eye (well under one just noticeable difference, ΔE00 1)."""
NEON_C = 12.0
"""C* beyond the photo's that makes fur look dyed."""
STEP_L, LOST_STEP_L = 6.0, 3.0
"""A step of the photo between lights and general colour that carries form, and the rest of it at which the form is gone."""
FLAT_L = 2.0
"""L* between gap and general colour under which the coat looks flat."""
BURIED_L = 8.0
"""L* that a highlight may end under its target before it counts as buried."""
NEAR_L, NEAR_C = 4.0, 5.0
"""What is missed by less than this in value or strength is not named as the way in which a colour is missed."""
WORTH_BUYING = 0.6
"""A pencil is proposed only when it leaves less than this share of the difference."""
SAME_DE = 0.05
"""ΔE00 under which a lasting pencil counts as no worse."""
OUT_OF_REACH = 6.0
"""ΔE00 above which a colour counts as missed."""
FUGITIVE_FLOOR = 3
"""Lightfastness classes worse than this are warned of in paid work."""


@dataclass(frozen=True)
class Caution:
    """A fault with its figure in ``text``, the layer that causes it (−1 none) and a cure.

    ``cure_code`` is a pencil to put in the layer's place; empty when the cure is words only.
    """

    kind: str
    title: str
    text: str
    layer: int = -1
    cure: str = ""
    cure_code: str = ""


def _turn(a: float, b: float) -> float:
    return (a - b + 180) % 360 - 180


def stack_cautions(
    paper_lab: Array, labs: Sequence[Array], tooth: Sequence[float], target: Array, numbers: Sequence[int] = ()
) -> list[tuple[str, str, str, int]]:
    """Faults along one stack: (kind, title, text, layer). ``labs`` and ``tooth`` start with the bare paper; ``numbers`` are those of its layers."""
    out = []
    end = labs[-1]
    hue, c = float(hue_deg(end)), float(chroma(end))
    wanted_hue, wanted_c = float(hue_deg(target)), float(chroma(target))

    def found(kind: str, at: int, **figures: object) -> None:
        key = f"caution.{kind.replace(' ', '-')}"
        out.append((kind, say(f"{key}-title"), say(key, **figures), at))

    for k in range(1, len(labs)):
        before, after = labs[k - 1], labs[k]
        h0, h1 = float(hue_deg(before)), float(hue_deg(after))
        c0, c1 = float(chroma(before)), float(chroma(after))
        warm_below = WARM_HUES[0] <= h0 <= WARM_HUES[1] and c0 > WARM_C
        wants_green = WANTED_GREEN[0] < wanted_hue < WANTED_GREEN[1] and wanted_c > 6
        turns_green = GREEN_HUES[0] <= h1 <= GREEN_HUES[1] and c1 > GREEN_C
        ends_green = GREEN_HUES[0] <= hue <= GREEN_HUES[1] and c > GREEN_C
        if warm_below and turns_green and after[0] < before[0] - DARKENS and not wants_green and ends_green:
            found("greenish dark", k - 1, hue=h1, wanted=wanted_hue)
        ends_dull = c1 < wanted_c - DULLER and c < wanted_c - DULLER + 1
        if c0 > MUD_C and c1 < MUD_SHARE * c0 and ends_dull and abs(_turn(h0, wanted_hue)) < SAME_HUE_DEG:
            found("mud", k - 1, percent=100 * (1 - c1 / c0), before=c0, after=c1, wanted=wanted_c)
        if after[0] > before[0] + CHALK_L and c1 < CHALK_SHARE * c0 and ends_dull:
            found("chalky", k - 1, lighter=after[0] - before[0], percent=100 * c1 / max(c0, 1e-6))
        if abs(after[0] - before[0]) < IDLE_L and float(delta_e00(before, after)) < UNSEEN_DE and k > 1:
            found("no effect", k - 1, moved=float(delta_e00(before, after)))
    if c > wanted_c + NEON_C:
        found("neon", len(labs) - 2, strength=c, wanted=wanted_c)
    full = [k for k in range(1, len(tooth)) if tooth[k] > FULL_TOOTH]
    if full:
        found("tooth full", full[0] - 1, layer=numbers[full[0] - 1] if numbers else full[0], percent=100 * min(1, tooth[full[0]]))
    return out


def recipe_cautions(
    paper: Paper,
    kit: Kit,
    layers: Sequence[Layer],
    targets: Mapping[str, Array],
    prediction: Prediction,
    floor: int = FUGITIVE_FLOOR,
    papers: Sequence[Paper] = (),
    reach: Gamut | None = None,
) -> tuple[Caution, ...]:
    """Faults of a recipe in the order of its layers, each said once, with a cure where the model finds one.

    With the ``reach`` of kit and paper a colour is called out of reach only when the pencils alone cannot give it; else other layers are in its way.
    """
    out: list[Caution] = []
    opaque = opaque_order(kit, paper)
    aliases = prediction.aliases
    for band in prediction.bands:
        state = prediction.band(band)
        mine = [i for i, q in enumerate(layers) if goes_over(q, band, aliases)]
        if not mine:
            continue
        labs = [state.labs[0], *(state.labs[i + 1] for i in mine)]
        tooth = [0.0, *(state.tooth[i + 1] for i in mine)]
        for kind, title, text, k in stack_cautions(labs[0], labs, tooth, state.target, [i + 1 for i in mine]):
            at = mine[k] if 0 <= k < len(mine) else -1
            if not any(c.kind == kind and c.layer == at for c in out):
                out.append(
                    _cure(
                        paper,
                        kit,
                        layers,
                        targets,
                        Caution(kind, title, say("caution.seen", text=text, band=getattr(targets, "name", str)(band)), at),
                        band,
                    )
                )
    general, light, gap, high = (prediction.band(b) for b in ("general", "light", "gap", "highlight"))
    coat = not aliases  # steps of value are those of a coat; an eye has its own

    def step(kind: str, at: int, **figures: object) -> None:
        key = f"caution.{kind}"
        out.append(
            Caution(
                "cannot cover" if kind == "buried" else kind.replace("-", " "),
                say(f"{key}-title"),
                say(key, **figures),
                at,
                say(f"{key}-cure"),
            )
        )

    wanted = targets["light"][0] - targets["general"][0]
    if coat and wanted > STEP_L and light.lab[0] - general.lab[0] < LOST_STEP_L:
        step("pale-on-pale", _last(layers, "light" if opaque else "general", aliases), got=light.lab[0] - general.lab[0], wanted=wanted)
    if coat and high.lab[0] < targets["highlight"][0] - BURIED_L:
        kind = "cannot-cover" if opaque else "buried"
        step(kind, _last(layers, "highlight", aliases), got=high.lab[0], wanted=targets["highlight"][0])
    wanted = targets["general"][0] - targets["gap"][0]
    if coat and abs(general.lab[0] - gap.lab[0]) < FLAT_L and wanted > STEP_L:
        step("flat", _last(layers, "gap", aliases), got=abs(general.lab[0] - gap.lab[0]), wanted=wanted)
    for i, q in enumerate(layers):
        if q.code and kit.get(q.code).lightfast > floor and not any(c.kind == "fugitive" and layers[c.layer].code == q.code for c in out):
            p = kit.get(q.code)
            text = say("caution.fades", name=p.name, code=p.code, lightfast=p.lightfast)
            out.append(_lasting(paper, kit, layers, targets, i, text, floor))
    for i, q in enumerate(layers):
        below = [
            k
            for k in range(i)
            if layers[k].role == "indent" and any(goes_over(layers[k], b, aliases) and goes_over(q, b, aliases) for b in prediction.bands)
        ]
        if q.tool in ("solvent", "stump") and below:
            title = say("caution.over-lines-title", tool=q.tool.capitalize())
            words = say("caution.over-lines", layer=below[0] + 1, tool=q.tool)
            out.append(Caution("solvent on indented lines", title, words, i, say("caution.over-lines-cure")))
    for band in prediction.bands:
        state = prediction.band(band)
        if band in getattr(targets, "kept", ()) and state.lab[0] >= state.target[0]:
            continue
        if state.delta_e00 > OUT_OF_REACH and reach is not None and reach.holds(state.target):
            title = say("caution.in-the-way-title", place=getattr(targets, "name", str)(band))
            out.append(Caution("in the way", title, say("caution.in-the-way", de=state.delta_e00), -1, say("caution.in-the-way-cure")))
        elif state.delta_e00 > OUT_OF_REACH:
            out.append(
                _out_of_reach(
                    paper,
                    kit,
                    say("caution.band-out-of-reach", band=getattr(targets, "name", str)(band)),
                    state.lab,
                    state.target,
                    prediction.most_tooth,
                    papers,
                )
            )
    return tuple(sorted(out, key=lambda c: (c.layer < 0, c.layer)))


def _out_of_reach(paper: Paper, kit: Kit, title: str, got: Array, wanted: Array, most_tooth: float, papers: Sequence[Paper]) -> Caution:
    """How a colour is missed, and what would be needed: which pencil to buy, or which paper to take."""
    parts = []
    if abs(got[0] - wanted[0]) > NEAR_L:
        parts.append("too-light" if got[0] > wanted[0] else "too-dark")
    if abs(chroma(got) - chroma(wanted)) > NEAR_C:
        parts.append("too-strong" if chroma(got) > chroma(wanted) else "too-dull")
    de = float(delta_e00(got, wanted))
    how = say("caution.both", first=say(f"caution.{parts[0]}"), second=say(f"caution.{parts[1]}")) if len(parts) > 1 else ""
    text = say("caution.out-of-reach", de=de, how=how or say(f"caution.{parts[0] if parts else 'other-hue'}"))
    missing = missing_pencil(paper, kit, wanted)
    helps = [say("caution.buy", pencil=missing.words, left=missing.delta_e00)] if missing.delta_e00 < WORTH_BUYING * de else []
    other = other_paper(paper, papers, most_tooth, got[0] > wanted[0] + 4)
    helps += [other] if other else []
    cure = "; ".join(helps) or say("caution.nothing-helps")
    return Caution("out of reach", title, text, -1, f"{cure[:1].upper()}{cure[1:]}.")


def _last(layers: Sequence[Layer], band: str, aliases: Mapping[str, str]) -> int:
    return max((i for i, q in enumerate(layers) if goes_over(q, band, aliases)), default=-1)


def _cure(paper: Paper, kit: Kit, layers: Sequence[Layer], targets: Mapping[str, Array], caution: Caution, band: str) -> Caution:
    """Find the pencil that, in the layer's place, ends nearest to the target and shows the fault no more."""
    at = caution.layer
    if at < 0 or caution.kind in ("tooth full", "no effect") or layers[at].tool:
        words = say(f"caution.{caution.kind.replace(' ', '-')}-cure") if caution.kind in ("tooth full", "no effect") else ""
        return Caution(caution.kind, caution.title, caution.text, at, words)
    for swap in swaps(paper, kit, layers, at, targets, most=8)[1:]:
        if not kit.get(swap.code).owned:
            continue
        changed = with_layer(layers, at, code=swap.code)
        then = follow(paper, kit, changed, targets, expected=False).band(band)
        mine = [i for i, q in enumerate(changed) if goes_over(q, band, getattr(targets, "aliases", {}))]
        labs = [then.labs[0], *(then.labs[i + 1] for i in mine)]
        left = stack_cautions(labs[0], labs, [0.0] * len(labs), then.target)
        if not any(kind == caution.kind for kind, *_ in left):
            p = kit.get(swap.code)
            return Caution(caution.kind, caution.title, caution.text, at, say("caution.instead", code=p.code, name=p.name), swap.code)
    return Caution(caution.kind, caution.title, caution.text, at, say(f"caution.{caution.kind.replace(' ', '-')}-cure"))


def _lasting(paper: Paper, kit: Kit, layers: Sequence[Layer], targets: Mapping[str, Array], at: int, text: str, floor: int) -> Caution:
    """The nearest pencil that lasts, with what it costs."""
    ranked = swaps(paper, kit, layers, at, targets, most=len(kit))
    now = ranked[0].delta_e00
    for swap in ranked[1:]:
        p = kit.get(swap.code)
        if p.lightfast <= floor and p.owned:
            cost = swap.delta_e00 - now
            words = say("caution.lasts-for" if cost > SAME_DE else "caution.lasts", text=text, name=p.name, code=p.code, cost=max(0, cost))
            return Caution("fugitive", say("caution.fades-title"), words, at, say("caution.instead", code=p.code, name=p.name), p.code)
    return Caution("fugitive", say("caution.fades-title"), text, at, say("caution.none-lasts"))


def target_cautions(
    paper: Paper, kit: Kit, codes: Sequence[str], labs: Sequence[Array], tooth: Sequence[float], target: Array, papers: Sequence[Paper] = ()
) -> tuple[Caution, ...]:
    """Faults of one stack for one target, for the terminal. ``labs`` start with the bare paper."""
    found = [Caution(kind, title, text, k) for kind, title, text, k in stack_cautions(bare(paper).lab, labs, tooth, target)]
    for code in dict.fromkeys(codes):
        p = kit.get(code)
        if p.lightfast > FUGITIVE_FLOOR:
            text = say("caution.fades", name=p.name, code=p.code, lightfast=p.lightfast)
            found.append(Caution("fugitive", say("caution.fades-title"), text, codes.index(code)))
    if float(delta_e00(labs[-1], target)) > OUT_OF_REACH:
        missed = _out_of_reach(paper, kit, say("caution.out-of-reach-title"), np.asarray(labs[-1]), target, max(tooth), papers)
        found.append(Caution(missed.kind, missed.title, f"{missed.text} {missed.cure}"))
    return tuple(found)
