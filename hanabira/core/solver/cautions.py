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
from hanabira.core.solver.area import BANDS, WHERE, Layer, Prediction, follow, swaps, with_layer
from hanabira.core.solver.library import opaque_order
from hanabira.core.solver.reach_help import missing_pencil, other_paper

FULL_TOOTH = 0.95
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


def stack_cautions(paper_lab: Array, labs: Sequence[Array], tooth: Sequence[float], target: Array) -> list[tuple[str, str, str, int]]:
    """Faults along one stack: (kind, title, text, layer). ``labs`` and ``tooth`` start with the bare paper."""
    out = []
    end = labs[-1]
    hue, c = float(hue_deg(end)), float(chroma(end))
    wanted_hue, wanted_c = float(hue_deg(target)), float(chroma(target))
    for k in range(1, len(labs)):
        before, after = labs[k - 1], labs[k]
        h0, h1 = float(hue_deg(before)), float(hue_deg(after))
        c0, c1 = float(chroma(before)), float(chroma(after))
        warm_below = 30 <= h0 <= 100 and c0 > 12
        wants_green = 80 < wanted_hue < 200 and wanted_c > 6
        if warm_below and 87 <= h1 <= 200 and c1 > 4 and after[0] < before[0] - 6 and not wants_green and (87 <= hue <= 200 and c > 4):
            out.append(
                (
                    "greenish dark",
                    "Greenish dark",
                    f"This layer turns the warm colour below it olive: hue {h1:.0f}°, where the photo has {wanted_hue:.0f}°.",
                    k - 1,
                )
            )
        if c0 > 18 and c1 < 0.6 * c0 and c1 < wanted_c - 6 and c < wanted_c - 5 and abs(_turn(h0, wanted_hue)) < 70:
            out.append(
                (
                    "mud",
                    "Mud",
                    f"This layer takes {100 * (1 - c1 / c0):.0f} % of the colour’s strength (C* {c0:.0f} to {c1:.0f}; the photo has {wanted_c:.0f}).",
                    k - 1,
                )
            )
        if after[0] > before[0] + 4 and c1 < 0.7 * c0 and c1 < wanted_c - 6 and c < wanted_c - 5:
            out.append(
                (
                    "chalky",
                    "Chalky",
                    f"A pale layer over colour: {after[0] - before[0]:.0f} lighter in L*, but only {100 * c1 / max(c0, 1e-6):.0f} % of its strength is left.",
                    k - 1,
                )
            )
        if after[0] > before[0] - 0.4 and after[0] < before[0] + 0.4 and float(delta_e00(before, after)) < 0.6 and k > 1:
            out.append(
                (
                    "no effect",
                    "Layer without effect",
                    f"It changes the colour by ΔE00 {float(delta_e00(before, after)):.1f} only; no eye sees it.",
                    k - 1,
                )
            )
    if c > wanted_c + 12:
        out.append(
            (
                "neon",
                "Too strong",
                f"C* {c:.0f}, where the photo has {wanted_c:.0f}: a duller pencil or a thin layer of its complement.",
                len(labs) - 2,
            )
        )
    full = [k for k in range(1, len(tooth)) if tooth[k] > FULL_TOOTH]
    if full:
        out.append(
            (
                "tooth full",
                "Tooth full",
                f"The paper is full after layer {full[0]}: {100 * min(1, tooth[full[0]]):.0f} % of the tooth is used.",
                full[0] - 1,
            )
        )
    return out


def recipe_cautions(
    paper: Paper,
    kit: Kit,
    layers: Sequence[Layer],
    targets: Mapping[str, Array],
    prediction: Prediction,
    floor: int = FUGITIVE_FLOOR,
    papers: Sequence[Paper] = (),
) -> tuple[Caution, ...]:
    """Faults of a recipe in the order of its layers, each said once, with a cure where the model finds one."""
    out: list[Caution] = []
    opaque = opaque_order(kit, paper)
    for band in BANDS:
        state = prediction.band(band)
        mine = [i for i, q in enumerate(layers) if band in WHERE[q.where]]
        if not mine:
            continue
        labs = [state.labs[0], *(state.labs[i + 1] for i in mine)]
        tooth = [0.0, *(state.tooth[i + 1] for i in mine)]
        for kind, title, text, k in stack_cautions(labs[0], labs, tooth, state.target):
            at = mine[k] if 0 <= k < len(mine) else -1
            if not any(c.kind == kind and c.layer == at for c in out):
                out.append(_cure(paper, kit, layers, targets, Caution(kind, title, f"{text} Seen in the {band}.", at), band))
    general, light, gap, high = (prediction.band(b) for b in ("general", "light", "gap", "highlight"))
    if targets["light"][0] - targets["general"][0] > 6 and light.lab[0] - general.lab[0] < 3:
        out.append(
            Caution(
                "pale on pale",
                "No step for the lights",
                f"The lights end {light.lab[0] - general.lab[0]:.0f} L* above the general colour; the photo has {targets['light'][0] - targets['general'][0]:.0f}.",
                _last(layers, "light" if opaque else "general"),
                "Deepen the general colour, or leave the lights free.",
            )
        )
    if opaque and high.lab[0] < targets["highlight"][0] - 8:
        out.append(
            Caution(
                "cannot cover",
                "A light that cannot cover",
                f"The highlight reaches L* {high.lab[0]:.0f}, wanted {targets['highlight'][0]:.0f}.",
                _last(layers, "highlight"),
                "Keep the highlight free of dark, or lay it heavier.",
            )
        )
    if not opaque and high.lab[0] < targets["highlight"][0] - 8:
        out.append(
            Caution(
                "cannot cover",
                "The highlight is buried",
                f"The highlight ends at L* {high.lab[0]:.0f}, wanted {targets['highlight'][0]:.0f}; no pencil lifts it again.",
                _last(layers, "highlight"),
                "Reserve the paper there.",
            )
        )
    if abs(general.lab[0] - gap.lab[0]) < 2 and targets["general"][0] - targets["gap"][0] > 6:
        out.append(
            Caution(
                "flat",
                "Flat",
                f"Gap and general colour end {abs(general.lab[0] - gap.lab[0]):.0f} L* apart; the photo has {targets['general'][0] - targets['gap'][0]:.0f}.",
                _last(layers, "gap"),
                "Darken the gaps.",
            )
        )
    for i, q in enumerate(layers):
        if q.code and kit.get(q.code).lightfast > floor and not any(c.kind == "fugitive" and layers[c.layer].code == q.code for c in out):
            p = kit.get(q.code)
            out.append(
                _lasting(
                    paper, kit, layers, targets, i, f"{p.name} {p.code} fades: lightfastness {p.lightfast} of 5, where 1 lasts best.", floor
                )
            )
    for i, q in enumerate(layers):
        below = [k for k in range(i) if layers[k].role == "indent" and set(WHERE[layers[k].where]) & set(WHERE[q.where])]
        if q.tool in ("solvent", "stump") and below:
            words = f"Layer {below[0] + 1} indents lines here; {q.tool} carries colour into them and they are lost."
            out.append(
                Caution(
                    "solvent on indented lines",
                    f"{q.tool.capitalize()} over indented lines",
                    words,
                    i,
                    "Blend before indenting, or leave these places out.",
                )
            )
    for band in BANDS:
        state = prediction.band(band)
        if state.delta_e00 > OUT_OF_REACH:
            out.append(_out_of_reach(paper, kit, f"The {band} is out of reach", state.lab, state.target, prediction.most_tooth, papers))
    return tuple(sorted(out, key=lambda c: (c.layer < 0, c.layer)))


def _out_of_reach(paper: Paper, kit: Kit, title: str, got: Array, wanted: Array, most_tooth: float, papers: Sequence[Paper]) -> Caution:
    """How a colour is missed, and what would be needed: which pencil to buy, or which paper to take."""
    parts = []
    if abs(got[0] - wanted[0]) > 4:
        parts.append("too light" if got[0] > wanted[0] else "too dark")
    if abs(chroma(got) - chroma(wanted)) > 5:
        parts.append("too strong" if chroma(got) > chroma(wanted) else "too dull")
    de = float(delta_e00(got, wanted))
    text = f"It ends ΔE00 {de:.0f} from the target: {' and '.join(parts) or 'another hue'}."
    missing = missing_pencil(paper, kit, wanted)
    helps = [f"{missing.words}, would leave ΔE00 {missing.delta_e00:.0f}"] if missing.delta_e00 < 0.6 * de else []
    other = other_paper(paper, papers, most_tooth, got[0] > wanted[0] + 4)
    helps += [other] if other else []
    cure = "; ".join(helps) or "Neither a pencil nor another paper reaches it; take the nearest"
    return Caution("out of reach", title, text, -1, f"{cure[:1].upper()}{cure[1:]}.")


def _last(layers: Sequence[Layer], band: str) -> int:
    return max((i for i, q in enumerate(layers) if band in WHERE[q.where]), default=-1)


_CURES = {
    "greenish dark": "Lay a thin dark red or violet first.",
    "mud": "Press less, or lay it only where it is needed.",
    "chalky": "Take a light with more colour, or glaze colour over it.",
    "neon": "Lay a thin layer of its complement over it.",
}
"""What to do when no single pencil of the kit cures the fault."""


def _cure(paper: Paper, kit: Kit, layers: Sequence[Layer], targets: Mapping[str, Array], caution: Caution, band: str) -> Caution:
    """Find the pencil that, in the layer's place, ends nearest to the target and shows the fault no more."""
    at = caution.layer
    if at < 0 or caution.kind in ("tooth full", "no effect") or layers[at].tool:
        words = {"tooth full": "Take a pass away or press less below.", "no effect": "Leave the layer out."}.get(caution.kind, "")
        return Caution(caution.kind, caution.title, caution.text, at, words)
    for swap in swaps(paper, kit, layers, at, targets, most=8)[1:]:
        if not kit.get(swap.code).owned:
            continue
        changed = with_layer(layers, at, code=swap.code)
        then = follow(paper, kit, changed, targets, expected=False).band(band)
        mine = [i for i, q in enumerate(changed) if band in WHERE[q.where]]
        labs = [then.labs[0], *(then.labs[i + 1] for i in mine)]
        left = stack_cautions(labs[0], labs, [0.0] * len(labs), then.target)
        if not any(kind == caution.kind for kind, *_ in left):
            p = kit.get(swap.code)
            return Caution(caution.kind, caution.title, caution.text, at, f"Lay {p.code} {p.name} instead", swap.code)
    return Caution(caution.kind, caution.title, caution.text, at, _CURES.get(caution.kind, "Press less."))


def _lasting(paper: Paper, kit: Kit, layers: Sequence[Layer], targets: Mapping[str, Array], at: int, text: str, floor: int) -> Caution:
    """The nearest pencil that lasts, with what it costs."""
    ranked = swaps(paper, kit, layers, at, targets, most=len(kit))
    now = ranked[0].delta_e00
    for swap in ranked[1:]:
        p = kit.get(swap.code)
        if p.lightfast <= floor and p.owned:
            cost = swap.delta_e00 - now
            words = (
                f"{text} {p.name} {p.code} lasts and costs ΔE00 {max(0, cost):.1f}."
                if cost > 0.05
                else f"{text} {p.name} {p.code} lasts and is no worse."
            )
            return Caution("fugitive", "Fades in the light", words, at, f"Lay {p.code} {p.name} instead", p.code)
    return Caution("fugitive", "Fades in the light", text, at, "No lasting pencil of this kit is near.")


def target_cautions(
    paper: Paper, kit: Kit, codes: Sequence[str], labs: Sequence[Array], tooth: Sequence[float], target: Array, papers: Sequence[Paper] = ()
) -> tuple[Caution, ...]:
    """Faults of one stack for one target, for the terminal. ``labs`` start with the bare paper."""
    found = [Caution(kind, title, text, k) for kind, title, text, k in stack_cautions(bare(paper).lab, labs, tooth, target)]
    for code in dict.fromkeys(codes):
        p = kit.get(code)
        if p.lightfast > FUGITIVE_FLOOR:
            found.append(
                Caution("fugitive", "Fades in the light", f"{p.name} {p.code} fades: lightfastness {p.lightfast} of 5.", codes.index(code))
            )
    if float(delta_e00(labs[-1], target)) > OUT_OF_REACH:
        missed = _out_of_reach(paper, kit, "Out of reach", np.asarray(labs[-1]), target, max(tooth), papers)
        found.append(Caution(missed.kind, missed.title, f"{missed.text} {missed.cure}"))
    return tuple(found)
