"""From an area's targets and the craft's rules to ordered layers that the optics confirm.

The rules (which undertone, black last, how lights are kept, what blends) come in as plain records; the pencils, pressures
and the check are computed here. A rule that would cost the colour too much is left out and said.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import Array, chroma, hue_deg
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.sentences import say
from hanabira.core.solver.area import BANDS, WHERE, Layer, Prediction, follow, solve_area, without_layer
from hanabira.core.solver.library import opaque_order
from hanabira.core.solver.search import NEW_PENCIL_COST
from hanabira.core.token import SILENT, Token

BLACK_L, BLACK_C = 20.0, 7.0
"""A pencil is a black when its masstone is darker and duller than this."""
MOST_COST = 1.5
"""ΔE00 that a rule may cost the mean of the bands before it is left out."""
LEANS_C = 1.2
"""C* from which a near-neutral coat is said to lean: the noise of a measured grey stays under it."""
MIDDLE_L = 55.0
"""Coats darker than this take an undertone of middle value, paler ones a pale tint: a dark undertone shows through pale hair."""
UNDER_DARK_L, UNDER_PALE_L = (58.0, 18.0), (90.0, 4.0)
"""L* wanted of an undertone: at most, and so far above the general colour."""
UNDERTONE_COSTS = (12.0, 14.0, 4.0)
"""Degrees of hue and L* that weigh as much as one, and what a grey pencil (C* under `GREY_C`) costs, in choosing an undertone."""
GREY_C = 12.0
UNDERTONE_TURN = 45.0
"""A pencil whose hue lies farther from the wanted one is no undertone of it."""
NEAR_ENOUGH = 1.0
"""ΔE00 of a band that needs no black any more."""
BLACK_EARNS, GAP_MAY_LOSE = 0.5, 1.0
"""ΔE00 that a black must bring in its band, and that it may cost the gap."""
OPAQUE_EARNS = 0.2
"""ΔE00 that an opaque light must bring."""
PALE_L = 78.0
"""Pencils lighter than this can be the tint of a light."""
ACCENT_HUES = {"complement": 200.0, "sun": 58.0}
"""Turn from the general colour's hue (a cool violet-blue under an orange coat), and the sun's own orange."""
ACCENT_L, ACCENT_BAND_L = {"complement": 34.0, "sun": 68.0}, 18.0
"""L* wanted of an accent in the gaps and in the lights, and the L* that weigh as much as one."""
ACCENT_TURN, ACCENT_LOSS = 40.0, 1.0
"""Degrees of hue within which a pencil serves as accent, and ΔE00 that it may cost its band."""


@dataclass(frozen=True)
class Craft:
    """What the craft says of one area, chosen from the technique data.

    ``undertone`` is ``hidden``, ``lean``, ``complement``, ``own`` or ``none``; ``hidden_lab`` the area's hidden hue.
    ``school`` maps switches to choices. ``map_marking`` asks for the marking's edge first, ``again`` for a second
    dark pass late. ``finish`` 1 (loose) to 5 (every hair). ``why`` gives a sentence a role.
    """

    stroke: str = "flick"
    base_stroke: str = "side"
    stroke_mm: float = 0.0
    blend: str = "none"
    light: str = "hairs"
    coat: str = "coloured"
    undertone: str = "own"
    accent: str = "none"
    hidden_lab: Sequence[float] | None = None
    lean: float = 0.0
    school: Mapping[str, str] = field(default_factory=dict)
    map_marking: bool = False
    again: bool = False
    marking_lab: Sequence[float] | None = None
    finish: int = 3
    why: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Plan:
    """Layers in order, what they give, and ``left_out``: rules that were not followed, each with its reason."""

    layers: tuple[Layer, ...]
    prediction: Prediction
    left_out: tuple[str, ...]


def blacks(kit: Kit) -> tuple[str, ...]:
    """Codes of the kit's black pencils, the darkest first."""
    lab = kit.masstone_lab
    found = [i for i in range(len(kit)) if lab[i, 0] < BLACK_L and float(chroma(lab[i])) < BLACK_C]
    return tuple(kit.pencils[i].code for i in sorted(found, key=lambda i: lab[i, 0]))


def _without(kit: Kit, codes: Sequence[str]) -> Kit:
    rest = tuple(p for p in kit if p.code not in set(codes))
    return Kit(kit.name, rest, kit.fit) if len(rest) >= 3 else kit


def _mean(p: Prediction) -> float:
    return float(np.mean([p.band(b).delta_e00 for b in BANDS]))


def plan_area(
    kit: Kit, paper: Paper, targets: Mapping[str, Array], craft: Craft, tray: Sequence[str] = (), locked: Sequence[Layer] = (), token: Token = SILENT
) -> Plan:  # fmt: skip
    """Layers for an area in working order, by the craft's rules. Deterministic.

    1 what must precede colour (indented lights, the marking's edge); 2 undertone; 3 the bands' colours solved on it;
    4 a blend where it serves; 5 black in the gaps, last of the darks; 6 scraped or opaque lights; 7 the accent.
    """
    opaque = opaque_order(kit, paper)
    school, left = dict(craft.school), []
    black = blacks(kit)
    late_black = school.get("black", "never-before-the-end") == "never-before-the-end" and bool(black)
    working = _without(kit, black) if late_black or school.get("black") == "mixed-blacks-only" else kit
    cost = NEW_PENCIL_COST * {1: 4.0, 2: 2.0, 3: 1.0, 4: 0.8, 5: 0.6}.get(craft.finish, 1.0)
    reasons = {k: craft.why[k] for k in ("general", "gap") if craft.why.get(k)}

    def solved(fixed: Sequence[Layer]) -> tuple[Layer, ...]:
        some = kit if any(q.code in black for q in fixed) else working
        return solve_area(some, paper, targets, craft.stroke, craft.stroke_mm, reasons, tray, (*locked, *fixed), cost, token)

    token.report(0.05, "Solving the colours")
    layers = solved(())
    base = _mean(follow(paper, kit, layers, targets, expected=False))
    token.report(0.2, "Solving the colours")
    first: list[Layer] = []
    if opaque and (school.get("values") == "dark-ground" or school.get("black") == "base-under-pastel") and kit.medium == "pastel":
        code = black[0] if black and school.get("black") == "base-under-pastel" else _darkest(working)
        first.append(Layer("ground", code, 3, 1, "everywhere", craft.base_stroke, why=say("rule.dark-ground"), locked=True))
    under = _undertone(working, paper, targets, craft, opaque)
    if under is not None:
        first.append(under)
    if first:
        token.report(0.35, "Trying the undertone")
        tried = solved(first)
        loss = _mean(follow(paper, kit, tried, targets, expected=False)) - base
        while first and loss > MOST_COST:
            gone = first.pop()
            left.append(say("rule.left-out", what=gone.role, code=gone.code, cost=loss))
            tried = solved(first) if first else layers
            loss = _mean(follow(paper, kit, tried, targets, expected=False)) - base
        if first:
            layers = tuple(
                replace(q, locked=False) if any(q.code == f.code and q.role == f.role for f in first) and q not in locked else q
                for q in tried
            )
    layers = _named(layers, craft, opaque)
    if late_black:
        token.report(0.6, "Trying black in the gaps")
        layers = _black_last(kit, paper, targets, layers, black[0], craft)
    token.report(0.75, "Trying tools")
    lights = school.get("lights", "reserved")
    layers, note = _blended(kit, paper, targets, layers, craft, lights == "indent" and craft.light == "hairs")
    left += note
    layers, note = _lights(kit, paper, targets, layers, craft, lights, opaque)
    left += note
    layers = _accent(kit, paper, targets, layers, craft, opaque)
    if craft.map_marking and craft.marking_lab is not None:
        layers = _edge_first(kit, paper, targets, layers, craft)
    layers = _in_order(layers, opaque, set(black) if late_black else set())
    return Plan(layers, follow(paper, kit, layers, targets), tuple(left))


def _darkest(kit: Kit) -> str:
    return kit.pencils[int(np.argmin(kit.masstone_lab[:, 0]))].code


def _undertone(kit: Kit, paper: Paper, targets: Mapping[str, Array], craft: Craft, opaque: bool) -> Layer | None:
    """The layer that goes under a near-neutral coat: a pencil of the hue that hides in it."""
    if craft.undertone not in ("hidden", "lean", "complement"):
        return None
    general = np.asarray(targets["general"], float)
    if craft.hidden_lab is not None and craft.undertone == "hidden":
        hue, reason = float(hue_deg(craft.hidden_lab)), say("rule.hidden")
    elif float(chroma(general)) > LEANS_C:
        hue, reason = float(hue_deg(general)), say("rule.lean")
    else:
        return None
    if craft.undertone == "complement":
        hue, reason = (hue + 180) % 360, say("rule.complement")
    lab = kit.masstone_lab
    c, h = np.asarray(chroma(lab)), np.asarray(hue_deg(lab))
    turn = np.abs((h - hue + 180) % 360 - 180)
    # under a dark coat a middle value, under a pale one a pale tint
    most, above = UNDER_DARK_L if general[0] < MIDDLE_L else UNDER_PALE_L
    wanted = min(most, general[0] + above)
    per_turn, per_l, grey = UNDERTONE_COSTS
    score = turn / per_turn + np.abs(lab[:, 0] - wanted) / per_l + np.where(c < GREY_C, grey, 0)
    at = int(np.argmin(score))
    if turn[at] > UNDERTONE_TURN:
        return None
    where = "everywhere" if opaque else "all but the highlights"
    return Layer(
        "undertone",
        kit.pencils[at].code,
        1 if general[0] > MIDDLE_L else 2,
        1,
        where,
        craft.base_stroke,
        why=craft.why.get("undertone", reason) or reason,
        locked=True,
    )


def _named(layers: Sequence[Layer], craft: Craft, opaque: bool) -> tuple[Layer, ...]:
    """Strokes and reasons by role: the lowest is laid with the base stroke, lights with the point."""
    out = []
    for q in layers:
        if q.role in ("ground", "undertone"):
            q = replace(q, stroke=craft.base_stroke, stroke_mm=0.0, why=craft.why.get("ground") or q.why if q.role == "ground" else q.why)
        elif q.role in ("light hair", "highlight"):
            q = replace(q, why=craft.why.get("light") or q.why)
        out.append(q)
    return tuple(out)


def _black_last(
    kit: Kit, paper: Paper, targets: Mapping[str, Array], layers: tuple[Layer, ...], code: str, craft: Craft
) -> tuple[Layer, ...]:
    """Black after the other darks: in the gaps, and in the whole dark coat where that brings it nearer by more than half a ΔE00."""
    for where, band, words in (
        ("all but the lights", "general", say("rule.black-coat")),
        ("gaps", "gap", say("rule.black-gap")),
    ):
        now = follow(paper, kit, layers, targets, expected=False)
        if now.band(band).delta_e00 < NEAR_ENOUGH or now.band(band).lab[0] <= targets[band][0] + 0.5:
            continue
        best = (now.band(band).delta_e00 - BLACK_EARNS, layers)
        for pressure in (1, 2, 3, 4):
            tried = (
                *layers,
                Layer("gap" if band == "gap" else "deepen", code, pressure, 1, where, craft.stroke, craft.stroke_mm, why=words),
            )
            told = follow(paper, kit, tried, targets, expected=False)
            worse = told.band("gap").delta_e00 > now.band("gap").delta_e00 + GAP_MAY_LOSE
            if told.band(band).delta_e00 < best[0] and told.most_tooth <= 1.0 and not worse:
                best = (told.band(band).delta_e00, tried)
        layers = best[1]
    return layers


def _blended(
    kit: Kit, paper: Paper, targets: Mapping[str, Array], layers: tuple[Layer, ...], craft: Craft, indented: bool
) -> tuple[tuple[Layer, ...], list[str]]:
    """The school's blend after the lower layers, where the surface takes one and the colour allows it."""
    how = craft.school.get("blending", "none")
    if how == "none":
        return layers, []
    if craft.blend == "none":
        return layers, [say("rule.no-blend")]
    if how == "solvent" and (indented or kit.medium == "pastel"):
        return layers, [say("rule.no-solvent-lines") if indented else say("rule.no-solvent-pastel")]
    lower = [i for i, q in enumerate(layers) if q.role in ("ground", "undertone", "general")]
    if not lower:
        return layers, []
    at = lower[-1] + 1
    if how == "burnish":
        white = _palest(kit)
        extra = Layer("blend", white, 4, 1, "all but the gaps", "circle", why=say("rule.burnish"))
    else:
        where = layers[lower[-1]].where if how == "stump" else "all but the highlights"
        words = say("rule.solvent" if how == "solvent" else "rule.stump")
        extra = Layer("blend", "", 1, 1, where, "circle", tool=how, why=words)
    tried = (*layers[:at], extra, *layers[at:])
    before, after = follow(paper, kit, layers, targets, expected=False), follow(paper, kit, tried, targets, expected=False)
    if _mean(after) - _mean(before) > MOST_COST or after.most_tooth > 1.0:
        return layers, [say("rule.tool-left-out", tool=how, cost=_mean(after) - _mean(before))]
    return tried, []


def _palest(kit: Kit) -> str:
    return kit.pencils[int(np.argmax(kit.masstone_lab[:, 0] - 0.5 * np.asarray(chroma(kit.masstone_lab))))].code


def _lights(
    kit: Kit, paper: Paper, targets: Mapping[str, Array], layers: tuple[Layer, ...], craft: Craft, how: str, opaque: bool
) -> tuple[tuple[Layer, ...], list[str]]:
    """Lights by the school: indented before any colour, scraped out of the darks, or laid opaque at the end."""
    if how == "indent" and craft.light == "hairs":
        if kit.medium == "pastel":
            return layers, [say("rule.no-indent-pastel")]
        return (
            Layer(
                "indent",
                "",
                1,
                1,
                "highlights",
                "flick",
                craft.stroke_mm,
                tool="indent",
                why=say("rule.indent"),
            ),
            *layers,
        ), []
    if how == "indent":
        return layers, [say("rule.no-indent")]
    if how == "scrape":
        before = follow(paper, kit, layers, targets, expected=False)
        tried = (
            *layers,
            Layer(
                "scrape",
                "",
                1,
                1,
                "highlights",
                "flick",
                craft.stroke_mm,
                tool="scrape",
                why=say("rule.scrape"),
            ),
        )
        after = follow(paper, kit, tried, targets, expected=False)
        if after.band("highlight").delta_e00 <= before.band("highlight").delta_e00 + MOST_COST:
            return tried, []
        return layers, [say("rule.no-scrape")]
    if how == "opaque" and not opaque:
        code = _palest(kit) if craft.school.get("highlight", "tinted") == "plain" else _tint(kit, targets["highlight"])
        now = follow(paper, kit, layers, targets, expected=False)
        best = (now.band("highlight").delta_e00 - OPAQUE_EARNS, layers)
        for pressure in (2, 3, 4, 5):
            tried = (
                *layers,
                Layer(
                    "highlight",
                    code,
                    pressure,
                    1,
                    "highlights",
                    "flick",
                    craft.stroke_mm,
                    why=craft.why.get("light", say("rule.opaque")),
                ),
            )
            told = follow(paper, kit, tried, targets, expected=False)
            if told.band("highlight").delta_e00 < best[0] and told.most_tooth <= 1.0:
                best = (told.band("highlight").delta_e00, tried)
        return best[1], [] if best[1] is not layers else [say("rule.no-opaque")]
    return layers, []


def _tint(kit: Kit, target: Array) -> str:
    """The pale pencil nearest to a light's own colour."""
    lab = kit.masstone_lab
    pale = np.flatnonzero(lab[:, 0] > PALE_L)
    if not len(pale):
        return _palest(kit)
    return kit.pencils[int(pale[np.argmin(delta_e00(lab[pale], np.asarray(target, float)))])].code


def _accent(
    kit: Kit, paper: Paper, targets: Mapping[str, Array], layers: tuple[Layer, ...], craft: Craft, opaque: bool
) -> tuple[Layer, ...]:
    """A glaze of the complement in the gaps of an orange coat, or of the sun's orange on a brown one, where it costs nothing."""
    if craft.accent not in ("complement", "sun") or craft.finish < 2:
        return layers
    general = np.asarray(targets["general"], float)
    hue = ACCENT_HUES[craft.accent] + (float(hue_deg(general)) if craft.accent == "complement" else 0)
    hue %= 360
    where = "gaps" if craft.accent == "complement" else "lights"
    band = "gap" if craft.accent == "complement" else "light"
    lab = kit.masstone_lab
    turn = np.abs((np.asarray(hue_deg(lab)) - hue + 180) % 360 - 180)
    dark = np.abs(lab[:, 0] - ACCENT_L[craft.accent]) / ACCENT_BAND_L
    at = int(np.argmin(turn / 14 + dark + np.where(np.asarray(chroma(lab)) < 16, 5, 0) + np.maximum(0, np.asarray(chroma(lab)) - 45) / 6))
    if turn[at] > ACCENT_TURN:
        return layers
    words = say("rule.violet") if band == "gap" else say("rule.sun")
    extra = Layer("accent", kit.pencils[at].code, 1, 1, where, craft.stroke, craft.stroke_mm, why=words)
    cut = (
        next((i for i, q in enumerate(layers) if q.role in ("highlight", "scrape", "light hair")), len(layers))
        if not opaque
        else len(layers)
    )
    # the darks' last word stays last
    while cut > 0 and layers[cut - 1].role == "gap":
        cut -= 1
    tried = (*layers[:cut], extra, *layers[cut:])
    before, after = follow(paper, kit, layers, targets, expected=False), follow(paper, kit, tried, targets, expected=False)
    if after.band(band).delta_e00 > before.band(band).delta_e00 + ACCENT_LOSS or after.most_tooth > 1.0:
        return layers
    return tried


def _edge_first(kit: Kit, paper: Paper, targets: Mapping[str, Array], layers: tuple[Layer, ...], craft: Craft) -> tuple[Layer, ...]:
    """The marking's edge, mapped with a light hand in its own colour before the coat hides it."""
    assert craft.marking_lab is not None
    wanted = np.asarray(craft.marking_lab, float)
    used = [q.code for q in layers if q.code]
    pool = [kit.index[c] for c in dict.fromkeys(used)] or list(range(len(kit)))
    at = min(pool, key=lambda i: float(delta_e00(kit.masstone_lab[i], wanted)))
    edge = Layer(
        "outline",
        kit.pencils[at].code,
        1,
        1,
        "gaps",
        "flick",
        craft.stroke_mm,
        why=craft.why.get("outline", say("rule.edge")),
    )
    out = (edge, *layers)
    told = follow(paper, kit, out, targets, expected=False)
    return out if told.most_tooth <= 1.0 else layers


_LATE = ("scrape", "light hair", "highlight", "whisker", "fix")


def _in_order(layers: Sequence[Layer], opaque: bool, black: set[str]) -> tuple[Layer, ...]:
    """Indenting before all, the outline next, the solved order, blacks last of the darks, lights last of all."""

    def rank(q: Layer) -> int:
        if q.tool == "indent" or q.role in ("indent", "reserve"):
            return 0
        if q.role == "outline":
            return 1
        if q.role in _LATE:
            return 4 if not opaque or q.role == "scrape" else 3
        return 3 if q.code in black else 2

    return tuple(sorted(layers, key=rank)) if not opaque else tuple(sorted(layers, key=lambda q: min(rank(q), 2)))


def fewest(kit: Kit, paper: Paper, layers: Sequence[Layer], targets: Mapping[str, Array], most_cost: float = 1.0) -> tuple[Layer, ...]:
    """The recipe without the layers whose loss costs the mean of the bands least, as long as it stays within ``most_cost`` ΔE00."""
    kept = tuple(layers)
    limit = _mean(follow(paper, kit, kept, targets, expected=False)) + most_cost
    while len(kept) > 1:
        options = [
            (_mean(follow(paper, kit, without_layer(kept, i), targets, expected=False)), i) for i, q in enumerate(kept) if not q.locked
        ]
        if not options or min(options)[0] > limit:
            return kept
        kept = without_layer(kept, min(options)[1])
    return kept


def covers(layer: Layer) -> tuple[str, ...]:
    """Bands a layer goes over."""
    return WHERE[layer.where]
