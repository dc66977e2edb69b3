"""The further cards of a recipe: the way it is worked, advice on its pencils, the portrait as a whole."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

from hanabira.core.colour import difference, spaces
from hanabira.core.colour.words import nearness, tone
from hanabira.core.optics.tools import KEEPS_OFF
from hanabira.core.solver import advice as advisor
from hanabira.core.solver import place_words
from hanabira.craft import techniques, whisker_methods
from hanabira.craft.rules import coats
from hanabira.craft.supplies import surfaces
from hanabira.desk.cards import school_parts
from hanabira.desk.controls import Caption, Choice, Pick, Stepper, Words, act_button, row
from hanabira.desk.stages.recipe.tabs import TABS
from hanabira.desk.widgets.measure_cards import Patches
from hanabira.session.edits import ChangeAreas

if TYPE_CHECKING:
    from hanabira.core.solver.layer import Layer
    from hanabira.desk.stages.recipe.stage import RecipeStage
    from hanabira.studio.records import Area


def tabs(s: RecipeStage) -> Pick:
    """The line of tabs over a recipe's card."""
    q = Pick("What the recipe card shows", TABS, s.tab)
    q.picked.connect(s.show_tab)
    return q


# -- way ------------------------------------------------------------------------
def way(s: RecipeStage, area: Area) -> list:
    """Coat, finish and school: what the next solve follows, each choice with its reason."""
    session, shop = s.session, s.session.workshop
    m, craft = session.measures(area.id), shop.craft(area)
    if m is None or craft is None:
        return [Words("The area is being measured.")]
    coat = Choice()
    coat.setAccessibleName("Coat of the area")
    coat.addItem(f"as measured: {coats()[techniques.measured_coat(m)].name.lower()}", "")
    for key, c in coats().items():
        coat.addItem(", ".join([c.name, *c.also]), key)
    coat.setCurrentIndex(max(0, coat.findData(area.coat)))
    coat.activated.connect(lambda _i: _change(s, "coat", replace(area, coat=coat.currentData())))
    finish = Stepper("Finish", 1, 5, shop.finish(area), "1 loose, 5 every hair")
    finish.changed.connect(lambda n: _change(s, "finish", replace(area, finish=n)))
    rules, surface = coats()[craft.coat], surfaces()[area.surface_id]
    out: list = [
        Caption("Coat"),
        row(coat, None),
        Words(rules.why, "aside"),
        Words(f"Darks: {rules.dark} Lights: {rules.light}"),
        Caption(surface.name),
        *(Words(words) for words in (surface.why_ground, surface.why_general, surface.why_gap, surface.why_light) if words),
        Caption("Finish"),
        row(finish, None),
    ]
    if area.finish:
        out.append(row(act_button("By distance from the focus", "backdrop", lambda: _change(s, "finish", replace(area, finish=0))), None))
    out += school_parts(session, "School of this commission")
    for words in shop.left_out.get(area.id, ()):
        out.append(Words(f"Not followed here: {words}", "small", "ink"))
    out += [Words(words, "small", "ink") for words in session.checkroom.cautions()]
    out.append(row(act_button("Solve by this", "strata", s.solve, "Solve the layers of this area anew by these rules"), None))
    if m.whiskers is not None or area.surface_id in ("whisker", "lash"):
        out += _whiskers(s, area)
    return out


def _whiskers(s: RecipeStage, area: Area) -> list:
    session, m = s.session, s.session.measures(area.id)
    c = session.commission
    if m is None or c is None:
        return []
    found = m.whiskers.found if m.whiskers is not None else ()
    light = sum(w.light for w in found) * 2 >= len(found)
    ground = sum(w.over_l for w in found) / len(found) if found else m.values.general
    line = sum(w.own_l for w in found) / len(found) if found else m.values.highlight if light else m.values.gap
    school = session.workshop.school
    method, warning = whisker_methods.whisker_method(
        c.paper_id, session.kit.medium, school["lights"], ground, line, school["blending"] == "solvent"
    )
    out: list = [Caption("Whiskers and single hairs"), Words(f"{method.name}. {method.words}", "body", "ink"), Words(method.rule)]
    if m.whiskers is not None and m.whiskers.count:
        out += [Words(m.whiskers.words(session.mm_per_px)), Words("Solved layers hold it as a step of its own, before all or after all; the plan keeps it there.")]
    if warning:
        out.append(Words(warning, "small", "ink"))
    return out


def _change(s: RecipeStage, words: str, after: Area) -> None:
    before = next((a for a in s.session.areas if a.id == after.id), None)
    if before is not None and before != after:
        s.session.do(ChangeAreas(s.session, words, [before], [after]))
        s.session.want_measures(after.id)


# -- advice -----------------------------------------------------------------------
def advice(s: RecipeStage, area: Area) -> list:
    """What the kit can do for the chosen layer's pencil and this coat, computed on this paper."""
    session = s.session
    kit, paper, m = session.kit.usable, session.paper, session.measures(area.id)
    if not s.layers or m is None:
        return [Words("Solve the layers first.")]
    q = s.layers[s.at]
    out: list = []
    hidden = [tuple(float(v) for v in h.lab) for h in m.hidden[:2]]
    lean = float(spaces.hue_deg(m.values.band_lab["general"])) if abs(m.temperature.lean) > 1.5 else None
    under = advisor.undertones(kit, hidden, lean)
    if under:
        out.append(Caption("Undertones for this coat"))
        out.append(Patches([(code, kit.masstone_lab[kit.index[code]]) for code, _ in under]))
        out += [Words(f"{code} {kit.get(code).name}: {why}.") for code, why in under]
    if not q.code or q.code not in kit.index:
        return [*out, Words("This layer is a tool; choose a pencil’s layer for more.")]
    name = kit.get(q.code).name
    own = kit.masstone_lab[kit.index[q.code]]
    rungs = advisor.ladder(kit, float(spaces.hue_deg(own)), float(spaces.chroma(own)))
    if len(rungs) > 1:
        out += [Caption(f"The ladder of {name}: lightest to darkest"), Patches([(c, kit.masstone_lab[kit.index[c]]) for c in rungs])]
    out += _answers(
        s,
        f"What dulls {name}",
        advisor.neutralisers(paper, kit, q.code, q.pressure),
        lambda a: f"{100 * a.figure:.0f} % of its colour is left",
    )
    band = s.band
    targets = session.targets(area.id)
    if targets is not None:
        mixes = advisor.natural_mixes(paper, kit, targets[band])
        out += _answers(s, f"Two dull ones for the {s.place_name(band)}", mixes, lambda a: f"{nearness(a.figure)} to the target")
    floor = session.commission.lasting_floor if session.commission else None
    out += _answers(
        s,
        f"Instead of {name}",
        advisor.substitutes(paper, kit, q.code, q.pressure, floor),
        lambda a: f"{nearness(a.figure)} to it",
        take=True,
    )
    return out


def _answers(
    s: RecipeStage, caption: str, found: tuple[advisor.Advice, ...], figure: Callable[[advisor.Advice], str], take: bool = False
) -> list:
    kit = s.session.kit
    if not found:
        return [Caption(caption), Words("Nothing in this kit does.")]
    out: list = [Caption(caption), Patches([(" + ".join(a.codes[-2:]), a.lab) for a in found])]
    for a in found:
        names = " then ".join(f"{kit.get(q.code).name} {q.code} at {q.pressure}" for q in a.layers)
        out.append(Words(f"{names}: gives {tone(a.lab)}, {figure(a)}."))
        if take:
            out.append(row(act_button("Take it", "swap", lambda a=a: take_advice(s, a)), None))
    return out


def take_advice(s: RecipeStage, a: advisor.Advice) -> None:
    """Put a substitute's layers in the chosen layer's place, in one edit."""
    q = s.layers[s.at]
    new = [replace(q, code=p.code, pressure=p.pressure, passes=1, why=f"Stands in for {q.code}.") for p in a.layers]
    s._set((*s.layers[: s.at], *new, *s.layers[s.at + 1 :]), "substitute")


# -- portrait ------------------------------------------------------------------------
def _palette(s: RecipeStage) -> list:
    """The pencils that were chosen over all areas, and how to choose or let go."""
    shared, kit = s.session.portrait, s.session.kit
    mine = shared.palette
    if kit.medium != "pencil":
        return []
    out: list = [Caption(f"Palette of the portrait: {len(mine)} pencils" if mine else "Palette of the portrait: any pencil")]
    if mine:
        out.append(Patches([(code, kit.masstone_lab[kit.index[code]]) for code in mine]))
    buttons = [
        act_button("Choose it anew" if mine else "Choose it", "find", shared.choose, "One palette over all areas: so few pencils that a hand knows them"),
    ]
    if mine:
        buttons.append(act_button("Take any pencil", "minus", shared.let_go, "Let recipes take any pencil of the kit again"))
    return [*out, row(*buttons, None)]


def _aims(s: RecipeStage) -> list:
    """The whole animal aimed by choice, a step at a time."""
    shared = s.session.portrait
    if not any(r.places for r in s.session.recipes.values()):
        return []
    button = lambda words, icon, key, tip: act_button(words, icon, lambda: shared.aim(key), tip)  # noqa: E731
    return [
        Caption("The whole animal, by choice"),
        row(
            button("Warmer", "sun", "warmer", "Every target of every area a step warmer"),
            button("Cooler", "sun", "cooler", "Every target of every area a step cooler"), None,
        ),
        row(
            button("Richer", "grey", "richer", "Every target a little stronger"),
            button("Quieter", "grey", "quieter", "Every target a little duller"), None,
        ),
        row(
            button("Lift the darks", "lift", "darks", "Half a value step lighter where it is darkest"),
            act_button("Softer away", "backdrop", shared.hold_back, "Less contrast and strength the farther an area lies from the focus"), None,
        ),
        row(
            act_button("Under the backdrop", "backdrop", shared.under_backdrop, "Shaded pale fur takes on the new backdrop’s colour and loses the old one’s"), None,
        ),
        Words("The measures stay. Solve every area anew to follow.", "small", "ink"),
    ]  # fmt: skip


def portrait(s: RecipeStage, area: Area) -> list:
    """All recipes together: pencils on the table, values against the photo, the same again, what to write."""
    session, shop = s.session, s.session.workshop
    used = shop.palette()
    out: list = _palette(s)
    out.append(Caption(f"In its recipes: {len(used)}"))
    kit = session.kit
    known = [q for q in used if q[0] in kit.index]
    if known:
        out.append(Patches([(f"{code} ×{n}", kit.masstone_lab[kit.index[code]]) for code, n, _ in known[:12]]))
        once = [code for code, n, _ in known if n == 1]
        if once:
            out.append(Words(f"Used once only: {', '.join(once[:8])}."))
        prices = shop.prices()
        if prices:
            out.append(Caption("What a pencil less would cost"))
            out += [
                Words(
                    f"{code} {kit.get(code).name}: {nearness(max(0.0, cost))} in its worst place, with {other} {kit.get(other).name} instead.",
                    "small",
                )
                for code, cost, other in prices
            ]
    if s.layers:
        out.append(
            row(
                act_button(
                    "Fewest pencils here",
                    "minus",
                    lambda: shop.spare(area.id),
                    "Solve this area anew with as few pencils as it can do with, and say what that costs",
                ),
                None,
            )
        )
    if s.session.by_places(area.id):
        out.append(
            row(
                act_button(
                    "Hold it back",
                    "backdrop",
                    lambda: shop.hold_back(area.id),
                    "Less contrast and strength the farther it lies from the focus; by choice, and printed so",
                ),
                None,
            )
        )
    out += [Words(words) for words in shop.beside_words(area)]
    out += _aims(s)
    jumps = shop.jumps()
    out.append(Caption("Values against the photo"))
    out += [Words(q, "small", "ink") for q in jumps] or [
        Words("Every step between neighbours that have layers is as in the photo, within one value step.")
    ]
    out += _woven(s, used)
    others = [a for a in session.areas if a.id != area.id]
    if s.layers and others:
        target = Choice()
        target.setAccessibleName("Area that gets the same recipe")
        for a in sorted(others, key=lambda a: (a.surface_id != area.surface_id, a.number)):
            target.addItem(f"{a.number} {a.name}", a.id)
        pick = lambda: next(a for a in session.areas if a.id == target.currentData())  # noqa: E731
        out += [
            Caption("The same again, on"),
            row(target, None),
            row(
                act_button(
                    "Its pencils, solved anew",
                    "strata",
                    lambda: shop.same_again(area, pick(), False),
                    "The same pencils, pressures solved for the other area’s own values",
                ),
                act_button("Exact copy", "write", lambda: shop.same_again(area, pick(), True)),
                None,
            ),
        ]
    out += [
        Caption("Your techniques"),
        row(act_button("Open a technique", "strata", s.desk.writers.open_technique), None),
        Caption("Write"),
    ]
    for words, run in s.desk.writers.all:
        out.append(row(act_button(words, "sheet", run), None))
    return out


def _woven(s: RecipeStage, used: tuple[tuple[str, int, tuple[int, ...]], ...]) -> list:
    """Whether a colour of the backdrop is in the animal, and which pencil would weave it in."""
    c, kit = s.session.commission, s.session.kit.usable
    if c is None or c.backdrop == "paper" or not used:
        return []
    lab = spaces.srgb_to_lab(spaces.parse_hex(c.backdrop_hexes[0]))
    codes = [code for code, _n, _a in used if code in kit.index]
    off = {code: float(difference.delta_e00(kit.masstone_lab[kit.index[code]], lab)) for code in (p.code for p in kit)}
    mine = min(codes, key=lambda code: off[code], default="")
    best = min(off, key=lambda code: off[code])
    if mine and off[mine] < 12:
        words = f"{mine} {kit.get(mine).name} is near the backdrop and is in the animal already."
    else:
        words = (
            f"{best} {kit.get(best).name} is nearest to the backdrop: a thin pass of it in the gaps on the shadow side ties the animal in."
        )
    return [Caption("The backdrop woven in"), Words(words)]


def split(s: RecipeStage) -> None:
    """Part the chosen layer by value: one for the darker bands, one for the lighter, each to be changed on its own; one edit."""
    parts = {
        "everywhere": ("all but the lights", "lights"),
        "all but the highlights": ("all but the lights", "lights"),
        "all but the lights": ("gaps", "all but the gaps"),
        "all but the gaps": ("all but the gaps", "lights"),
        "lights": ("lights", "highlights"),
    }
    if not s.layers:
        return
    q = s.layers[s.at]
    if q.on:
        _split_places(s, q)
        return
    if q.where not in parts or q.tool in KEEPS_OFF:
        s.session.messages.remark("This layer lies in one value only; it cannot be parted.")
        return
    low, high = parts[q.where]
    s._set((*s.layers[: s.at], replace(q, where=low), replace(q, where=high), *s.layers[s.at + 1 :]), "parted layer")


def _split_places(s: RecipeStage, q: Layer) -> None:
    told, places = s.session.prediction(s.session.area_id), s.session.places(s.session.area_id)
    if told is None or places is None or len(q.on) < 2 or q.tool in KEEPS_OFF:
        s.session.messages.remark("This layer lies in one place only; it cannot be parted.")
        return
    order = sorted(q.on, key=lambda k: float(told[0].band(k).target[0]))
    names = {p.id: p.name for p in places}
    halves = order[: len(order) // 2], order[len(order) // 2 :]
    new = [replace(q, on=tuple(k for k in q.on if k in half), where=place_words.places_in_words(half, names), id="") for half in halves]
    s._set((*s.layers[: s.at], replace(new[0], id=q.id), new[1], *s.layers[s.at + 1 :]), "parted layer")
