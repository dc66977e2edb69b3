"""What stands on the bench card of a chosen area: its readings, its parts, its marking, and the work on its shape."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from hanabira.core.area import clipping, face, in_the_way
from hanabira.core.area import eye as eye_reader
from hanabira.core.area import marking as markings
from hanabira.core.area import pattern as patterns
from hanabira.core.area.shape import Point, smooth_ring
from hanabira.core.colour.words import value_step
from hanabira.craft.rules import coats
from hanabira.craft.templates import templates
from hanabira.desk.controls import Caption, Choice, PetalButton, Pick, Words, act_button, label, measured_caption, row
from hanabira.desk.widgets.measure_cards import Balance, HairCard, HiddenHueCard, Patches, Shares, ValuePatches
from hanabira.desk.widgets.rose import PetalRose, petals_of
from hanabira.session import area_edits, measuring
from hanabira.studio.writing import write_file

if TYPE_CHECKING:
    from hanabira.core.area.measures import Measures
    from hanabira.core.area.seams import Seam
    from hanabira.desk.stages.areas.stage import AreasStage
    from hanabira.studio.records import Area

LOCKS = ("long-fur", "mane-and-tail", "curly-or-wavy", "wet")
"""Surfaces of locks, whose change from root to tip nothing measures."""
LEAVES = 0.01
"""Share of an outline beside the animal that is told."""


def parts(s: AreasStage, m: Measures | None, area: Area) -> list:
    """The card of an area under its name: a line of tabs and the chosen one."""
    if m is None:
        return [Words("The area is being measured.")]
    tabs = [("read", "Readings")]
    ear = area.surface_id == measuring.EAR
    if m.eye or m.nose or m.whiskers or m.feathers or ear:
        tabs.append(("parts", "Eye" if m.eye else "Nose" if m.nose else "Whiskers" if m.whiskers else "Feathers" if m.feathers else "Ear"))
    if area.surface_id != "eye":
        tabs.append(("marking", "Marking"))
    tabs.append(("shape", "Shape"))
    if s.tab not in [key for key, _ in tabs]:
        s.tab = "read"
    pick = Pick("What the card shows", tabs, s.tab)
    pick.picked.connect(s.show_tab)
    body = {"read": _read, "parts": _parts, "marking": _marking, "shape": _shape}[s.tab]
    return [pick, *body(s, m, area)]


def _read(s: AreasStage, m: Measures, area: Area) -> list:
    petals = petals_of(m)
    rose, shares = PetalRose(petals), Shares(petals)
    shares.pointed.connect(rose.lift)
    plain = [k for k, q in enumerate(petals) if not q.hidden]
    hidden = [k for k, q in enumerate(petals) if q.hidden]
    shares.shown.connect(lambda k: s.show_sample(f"colour {plain.index(k)}" if k in plain else f"hidden {hidden.index(k)}"))
    pair = row(rose, shares)
    values = ValuePatches(m)
    values.shown.connect(lambda band: s.show_sample(f"band {band}"))
    out: list = []
    if m.borrowed:
        out.append(Words(f"Values and colours are read from {m.borrowed}, shape and hair from this photo.", "small", "ink"))
    out += _doubts(s, m, area)
    out += _coat(s, m, area)
    out += [
        measured_caption(s.desk.explain, "Values", "values"),
        values,
        measured_caption(s.desk.explain, "Colours", "palette"),
        pair,
        measured_caption(s.desk.explain, "Temperature and hidden hue", "temperature"),
        Balance(m),
    ]
    side = s.session.side(area)
    if side:
        out.append(Words(f"It lies {side}."))
    for h in m.hidden[:2]:
        petal = next(q for q in petals if q.hidden and q.name == h.name)
        out.append(HiddenHueCard(petal, h.where))
    out += [measured_caption(s.desk.explain, "Hair at true size", "hair"), HairCard(m, s.desk.px_per_mm)]
    if m.hair.direction_deg is None and s.session.area is not None and m.field is not None:
        out.append(
            row(
                act_button("Comb it by hand", "comb", lambda: s.choose_way("comb"), "Stroke from root to tip where you see the hair lie"),
                None,
            )
        )
    elif m.combed is None and m.hair.direction_deg is not None:
        out.append(Words("Which end is the root? One stroke with the comb, from root to tip, tells it for the whole area."))
    elif m.combed is not None and m.combed.mean_deg is not None:
        trust = float(m.combed.trust[m.combed.trust > 0].min()) if (m.combed.trust > 0).any() else 0.0
        out.append(
            Words(
                f"Root to tip: {m.combed.mean_deg:.0f}°, "
                + ("sure everywhere." if trust > 0.5 else "unsure where whorls meet: add a stroke there.")
            )
        )
        out.append(row(act_button("Take the last stroke away", "brush", lambda: _uncomb(s, area)), None))
    if area.surface_id in LOCKS:
        out.append(Words("How a lock changes from root to tip is not measured: that is yours to see."))
    near = s.session.neighbours(area)
    if near:
        out.append(measured_caption(s.desk.explain, "Against its neighbours", "neighbours"))
        for other, d in near[:4]:
            steps = abs(d) / 10
            word = "as light as this" if abs(d) < 3 else f"{steps:.1f} steps {'lighter' if d > 0 else 'darker'}"
            out.append(Words(f"{other.number} {other.name}: {word}"))
        out += [Words(words) for words in s.session.workshop.beside_words(area)]
        for other, found in s.session.measuring.seams(area, 4.0)[:3]:
            out.append(Words(f"Seam with {other.number} {other.name}: {found.words(area.name, other.name)}"))
            out.append(row(_seam_button(s, area, other, found), None))
    return out


def _seam_button(s: AreasStage, area: Area, other: Area, found: Seam) -> PetalButton:
    """Into the plan as a step of its own, or out of it again."""
    planner = s.session.planner
    if planner.seam_of(area.id, other.id) is not None:
        return act_button("Leave it out of the plan", "night", lambda: planner.leave_seam(area.id, other.id))
    return act_button(
        "Make it a step",
        "hours",
        lambda: planner.plan_seam(area, other, found),
        "Planned after the darks of both areas, before their lights",
    )


def _coat(s: AreasStage, m: Measures, area: Area) -> list:
    """The coat as it is read, with the two likeliest to choose from where it is not sure; the artist's word holds for all areas of that coat."""
    shop, names = s.session.workshop, coats()
    doubt, said = shop.coat_doubt(area), shop.coat(area)
    if doubt:
        shares = " or ".join(f"{names[k].name.lower()} ({share:.0%})" for k, share in doubt)
        choose = [
            act_button(names[k].name, None, lambda k=k: _say_coat(s, area, k), "It holds for every area that measures as this coat")
            for k, _share in doubt
        ]
        return [Words(f"The coat may be {shares}: the photo’s exposure decides. Which is it?", "small", "ink"), row(*choose, None)]
    if said and not area.coat:
        return [Words(f"{names[said].name}, as you said of another area of this coat.")]
    read = s.session.animal.coats(area)
    if not said and len(read) > 1:
        (first, share), (second, other) = read[:2]
        return [Words(f"Coat: {names[first].name.lower()} ({share:.0%}), then {names[second].name.lower()} ({other:.0%}).")]
    return []


def _say_coat(s: AreasStage, area: Area, coat: str) -> None:
    area_edits.change(s.session, "coat", replace(area, coat=coat))


def _doubts(s: AreasStage, m: Measures, area: Area) -> list:
    """What the figures below cannot know: pixels beside the animal, burnt out or crushed."""
    out: list = []
    if m.in_way is not None:
        out.append(Words(in_the_way.way_words(m.in_way), "small", "ink"))
        if m.in_way.hue:
            belongs = lambda: area_edits.change(s.session, "its own colour", replace(area, marking_kind="patches"))  # noqa: E731
            out.append(row(act_button("It belongs to the coat", None, belongs, "Then it is a marking of its own, and nothing is left out"), None))
    if m.outside > LEAVES:
        out.append(Words(f"{m.outside:.0%} of this outline is not animal. It was left out of every figure.", "small", "ink"))
        out.append(
            row(
                act_button(
                    "Clip it to the animal", "loop", lambda: area_edits.clip_to_animal(s.session), "Draws the outline in to the cut-out"
                ),
                None,
            )
        )
    out += [Words(words, "small", "ink") for words in clipping.lost_words(m.clipping)]
    return out


def _uncomb(s: AreasStage, area: Area) -> None:
    area_edits.change(s.session, "combing stroke", replace(area, combing=area.combing[:-1]))


# -- parts -----------------------------------------------------------------------
def _parts(s: AreasStage, m: Measures, area: Area) -> list:
    out: list = []
    k = s.session.mm_per_px or 0.0
    if m.eye is not None:
        out += _eye(s, m, k)
    if m.nose is not None:
        out += _nose(s, m, k)
    if m.whiskers is not None:
        out += [measured_caption(s.desk.explain, "Whiskers", "whiskers"), Words(m.whiskers.words(s.session.mm_per_px), "body", "ink")]
    if m.feathers is not None:
        out += _feathers(s, m, k)
    if area.surface_id == measuring.EAR:
        out += _ear(s, area)
    if m.eye is not None or m.nose is not None or area.surface_id == measuring.EAR:
        out += _face(s)
    return out


def tip_of(s: AreasStage) -> Point | None:
    """The tip of the chosen ear: as the artist set it, else where it may be."""
    area = s.session.area
    if area is None or area.surface_id != measuring.EAR:
        return None
    return area.eye[0] if area.eye else face.likely_tip(area.ring, s.session.measuring.face_middle())


def _ear(s: AreasStage, area: Area) -> list:
    """The tip, proposed and confirmed."""
    found = tip_of(s)
    assert found is not None
    tip = (found,)
    move = act_button(
        "Move the tip", "move", lambda: s.pin(tip, s.confirm_tip), "Drag the pin or move it with the arrow keys; Enter takes it"
    )
    if area.eye:
        return [Caption("Tip of the ear"), Words("Its tip is where you set it."), row(move, None)]
    yes = act_button("The tip is there", "petal", lambda: s.confirm_tip(tip), "The outline’s point farthest from the face")
    return [
        Caption("Tip of the ear"), Words("A pin marks where its tip may be. Until it is confirmed nothing is measured from it."), row(yes, move, None)
    ]  # fmt: skip


def _face(s: AreasStage) -> list:
    """The face's lines in millimetres, as far as they are confirmed."""
    words = s.session.measuring.face().words
    return [Caption("The face on the sheet"), *(Words(q, "body", "ink") for q in words)] if words else []


def _eye(s: AreasStage, m: Measures, k: float) -> list:
    e = m.eye
    assert e is not None
    pupil = f"{2 * e.pupil_px * k:.1f} mm, {e.pupil_form}" if e.pupil_px else "melts into the dark iris"
    others = [(a, other.eye) for a in s.session.areas if a.id != s.session.area_id and (other := s.session.measures(a.id)) is not None and other.eye is not None]
    iris = eye_reader.pair_word(e, others[0][1]) if others else e.iris_word
    patches = [(name, lab) for name, lab in (("pupil", e.pupil_lab), *e.rings.items()) if lab[0] == lab[0]]
    sectors = [(name, lab) for name, lab in e.sectors.items() if lab[0] == lab[0]]
    out: list = [
        measured_caption(s.desk.explain, "Pupil and iris", "eye"),
        Words(f"Iris {2 * e.iris_px * k:.1f} mm across, {iris}. Pupil {pupil}.", "body", "ink"),
        Patches(patches),
        Caption("Round the iris"),
        Patches(sectors),
    ]
    notes = []
    if e.lid_shadow > 3:
        notes.append(f"The upper lid shades the iris by {e.lid_shadow:.0f} L*.")
    if e.wet_line > 4:
        notes.append("A wet line shines along the lower rim: keep it free.")
    if e.shine:
        notes.append("The pupil shines from the flash. A dark pupil is planned; its size and edge cannot be read.")
    if e.sky:
        notes.append("The blue in its upper half is the sky’s, mirrored; the iris is read below it.")
    if e.catchlight is not None:
        c = e.catchlight
        notes.append(
            f"Catchlight at {c.angle_deg:.0f}°, L* {c.lab[0]:.0f}, {c.tint}, {100 * c.share:.0f} % of the iris: reserve it, then tint it."
        )
    else:
        notes.append("No catchlight shows: ask the client for another photo, or place one toward the light.")
    out += [Words(q) for q in notes]
    for a, beside in others[:1]:
        out.append(Caption(f"Beside “{a.name}”"))
        out += [Words(q) for q in eye_reader.compare_eyes(e, beside).words]
    return out


def _nose(s: AreasStage, m: Measures, k: float) -> list:
    n = m.nose
    assert n is not None
    out: list = [measured_caption(s.desk.explain, "Nose", "nose")]
    found = (
        "Two nostrils, as you set them."
        if n.confirmed
        else "Two dots lie where nostrils may be."
        if n.nostrils
        else "No sure pair of nostrils shows."
    )
    grain = f"Pebbles about {n.pebble_px * k:.1f} mm apart." if n.pebble_px else "No pebbles stand out."
    out.append(Words(f"{n.pigment.capitalize()}. {found} {grain}", "body", "ink"))
    if not n.confirmed:
        yes = (
            [
                act_button(
                    "These are the nostrils", "petal", lambda: s.confirm_nostrils(n.nostrils), "Their line is then compared with the eyes"
                )
            ]
            if n.nostrils
            else []
        )
        out.append(
            row(
                *yes,
                *(
                    [
                        act_button(
                            "Move the dots",
                            "move",
                            lambda: s.pin(n.nostrils, s.confirm_nostrils),
                            "Drag them, or choose one with page up and down and move it with the arrow keys; Enter takes them",
                        )
                    ]
                    if n.nostrils
                    else []
                ),
                act_button("Click them", "corners", lambda: s.choose_way("nostrils"), "Click the left nostril, then the right one"),
                None,
            )
        )
    eyes = [q.eye for q in (s.session.measures(a.id) for a in s.session.areas) if q is not None and q.eye is not None]
    if len(eyes) == 2:
        out.append(Words(n.against(eye_reader.compare_eyes(eyes[0], eyes[1]).axis_deg)))
    elif n.axis_deg is not None and n.confirmed:
        out.append(Words(f"The line through the nostrils {'is level' if abs(n.axis_deg) < 1 else f'turns {n.axis_deg:+.0f}°'}."))
    patches = [("nostril", n.nostril_lab)] if n.nostril_lab else []
    patches += [("wet light", n.wet_lab)] if n.wet_lab else []
    if patches:
        out.append(Patches(patches))
    wet = (
        f"Wet highlights cover {100 * n.wet_share:.1f} %: cool, and smaller on each pass."
        if n.wet_share > 0.002
        else "No wet highlight shows."
    )
    out.append(Words(wet))
    return out


def _feathers(s: AreasStage, m: Measures, k: float) -> list:
    f = m.feathers
    assert f is not None
    out: list = [measured_caption(s.desk.explain, "Rows of feathers", "feathers")]
    if f.row_px is None:
        out.append(Words(f"{f.reason.capitalize()}. Set two rows by hand, or comb the area from root to tip; the barbs are read as hair."))
        out.append(row(_rows_button(s), None))
        return out
    by = ", as you set them" if f.said else ""
    words = f"Rows follow each other along {f.shaft_deg:.0f}°, about {f.row_px * k:.1f} mm apart{by}."
    if f.barb_angle_deg is not None:
        words += f" Barbs stand {f.barb_angle_deg:.0f}° to the shaft."
    if f.bar_px is not None:
        words += f" Bars lie about {f.bar_px * k:.1f} mm apart."
    out.append(Words(words, "body", "ink"))
    out.append(Words("Work from the tail end toward the head: each row overlaps the one behind it."))
    out.append(row(_rows_button(s), None))
    return out


def _rows_button(s: AreasStage) -> PetalButton:
    return act_button(
        "Set two rows", "corners", lambda: s.choose_way("rows"), "Click the rim of one feather, then the rim of the next one behind it"
    )


# -- marking -----------------------------------------------------------------------
def _marking(s: AreasStage, m: Measures, area: Area) -> list:
    q = m.marking
    out: list = [measured_caption(s.desk.explain, "Class of the marking", "marking")]
    if q.kind is None:
        return [*out, Words(f"{q.reason[:1].upper()}{q.reason[1:]}.")]
    kind = Choice()
    kind.setAccessibleName("Class of the marking")
    kind.addItem("as measured" if not area.marking_kind else "as measured again", "")
    for name in markings.CLASSES:
        kind.addItem(name, name)
    kind.setCurrentIndex(max(0, kind.findData(area.marking_kind)))
    kind.activated.connect(lambda _i: _set_kind(s, area, kind.currentData()))
    said = (
        f"{q.kind.capitalize()}, as you said."
        if area.marking_kind
        else f"{q.kind.capitalize()}, {100 * q.confidence:.0f} % sure; else {q.second}." + (" Say which it is." if q.ask else "")
    )
    out += [Words(said, "body", "ink"), row(label("It is"), kind, None)]
    if q.kind == "gradient":
        out.append(Words("A soft change from light to dark may be the light alone: look at the animal’s other side."))
    if m.pattern is None:
        if q.kind not in ("plain", "ticked", "gradient"):
            out.append(Words("Its outline is being looked for."))
        return out
    p, k = m.pattern, s.session.mm_per_px or 0.0
    size = f"{p.count} part{'s' if p.count != 1 else ''}, about {p.size_px * k:.0f} mm across, {p.width_px * k:.1f} mm wide"
    space = f", {p.spacing_px * k:.0f} mm from one to the next" if p.spacing_px else ""
    if m.dapples is not None:
        d = m.dapples
        rounds = "Light rounds in a dark net" if d.lighter else "Dark rounds in a light net"
        apart = f", {d.spacing_px * k:.0f} mm from one to the next" if d.spacing_px else ""
        out += [
            measured_caption(s.desk.explain, "Rounds", "pattern"),
            Words(
                f"{rounds}: {len(d.found)}, about {d.size_px * k:.0f} mm across{apart}. They have no edge: "
                + ("draw the net and let each fade into it." if d.lighter else "let each fade into the net.")
            ),
            Patches(
                [("rounds", p.lab), ("net", p.ground_lab)]
                if (p.lab[0] > p.ground_lab[0]) == d.lighter
                else [("rounds", p.ground_lab), ("net", p.lab)]
            ),
            row(act_button("Write as SVG", "write", lambda: write_marking(s), "The rounds as vectors at true size"), None),
        ]
        return out
    edge = p.edge_px * k
    soft = "hard" if edge < 0.6 else "soft" if edge > 2 else "broken by the hair"
    out += [
        measured_caption(s.desk.explain, "Shape", "pattern"),
        Words(f"It covers {100 * p.coverage:.0f} % of the area: {size}{space}. Its edge is {soft}, {edge:.1f} mm."),
        Patches([("marking", p.lab), ("ground", p.ground_lab)]),
        Words(
            f"The marking runs from L* {p.value_range[0]:.0f} to {p.value_range[1]:.0f} "
            f"(steps {value_step(p.value_range[0])}–{value_step(p.value_range[1])}), the ground from {p.ground_range[0]:.0f} to {p.ground_range[1]:.0f}."
        ),
        *([Caption("Colours of the marking"), Patches([(f"{100 * c.share:.0f} %", c.lab) for c in p.palette[:4]])] if p.palette else []),
        row(
            act_button("Add a part", "add", lambda: s.trace("add"), "Draw round what belongs to the marking"),
            act_button("Take a part", "minus", lambda: s.trace("away"), "Draw round what does not"),
            None,
        ),
    ]
    if area.marking_edits:
        out.append(row(act_button("Forget my corrections", "brush", lambda: _forget(s, area)), None))
    out.append(
        row(act_button("Write as SVG", "write", lambda: write_marking(s), "The outline as vectors at true size, to trace or cut"), None)
    )
    return out


def _set_kind(s: AreasStage, area: Area, kind: str) -> None:
    area_edits.change(s.session, "class of the marking", replace(area, marking_kind=kind))


def _forget(s: AreasStage, area: Area) -> None:
    area_edits.change(s.session, "marking", replace(area, marking_edits=()))


def write_marking(s: AreasStage) -> None:
    """Write the chosen area's outline and marking as SVG in millimetres of the paper."""
    session, area = s.session, s.session.area
    rings = session.marking_rings(session.area_id)
    if area is None or session.photo is None or session.mm_per_px is None or not rings:
        s.desk.say("There is no marking to write.", "Nothing was written.", "Choose an area with a marking, and wait until it is measured.")
        return
    target = s.desk.ask_target(f"{area.name} marking.svg")
    if target is None:
        return
    outline = tuple((float(x), float(y)) for x, y in (smooth_ring(area.ring) if area.smooth else area.ring))
    assert session.commission is not None
    drawing = patterns.svg(
        (outline, *rings), session.commission.picture_mm, f"{session.commission.name}: {area.name}", session.mm_per_px, session.photo.crop[:2]
    )
    session.jobs.run(
        "marking",
        "Writing the marking",
        lambda _t: write_file(target, drawing),
        lambda done: session.messages.remark(f"Written: {done}"),
        lasting=True,
    )


# -- shape ------------------------------------------------------------------------
def _gaps(s: AreasStage) -> list:
    """How much of the animal lies under no area, and the way to see where."""
    found = s.session.planner.covering()
    if found.drawn is None or not found.gaps:
        return []
    words = f"{1 - found.drawn:.0%} of the animal lies under no area."
    show = act_button("Hide it" if s.gaps_shown else "Show it", "forecast", s.show_gaps, "Hatch what lies under no area, on the picture")
    return [Caption("Not drawn yet"), Words(words), row(show, None)]


def _shape(s: AreasStage, m: Measures, area: Area) -> list:
    session = s.session
    out: list = _gaps(s)
    out += [
        Caption("Join and cut"),
        row(
            act_button("Join a loop", "add", lambda: s.next_loop("join"), "The next loop is added (or hold Shift)"),
            act_button(
                "Cut a loop away", "minus", lambda: s.next_loop("cut"), "The next loop is cut off; inside it makes a hole (or hold Alt)"
            ),
            None,
        ),
    ]
    near = [a for a, _d in session.neighbours(area)]
    if near:
        other = Choice()
        other.setAccessibleName("Area to join")
        for a in near:
            other.addItem(f"{a.number} {a.name}", a.id)
        joined = act_button(
            "Join with", None, lambda: area_edits.join_areas(session, next(a for a in session.areas if a.id == other.currentData()))
        )
        out.append(row(joined, other))
    if area.holes:
        out.append(
            row(
                act_button(
                    f"Close {len(area.holes)} hole{'s' if len(area.holes) > 1 else ''}", "loop", lambda: area_edits.close_holes(session)
                ),
                None,
            )
        )
    over = session.areas_over(area)
    out.append(measured_caption(s.desk.explain, "Overlap", "overlap"))
    out.append(Words(("On top of it: " + ", ".join(a.name for a in over[:4]) + ".") if over else "Nothing lies on top of it."))
    out.append(
        row(
            act_button("On top", "up", lambda: area_edits.lay(session, 1)),
            act_button("Underneath", "down", lambda: area_edits.lay(session, -1)),
            None,
        )
    )
    out += [
        Caption("The other side of the face"),
        row(
            act_button(
                "Mirror this area over",
                "mirror",
                lambda: area_edits.mirror_over(session),
                "A second eye or ear: mirrored over the nose and moved to where the photo resembles it",
            ),
            None,
        ),
        Caption("Place in the working order"),
        row(
            act_button("Earlier", "up", lambda: area_edits.step_order(session, -1)),
            act_button("Later", "down", lambda: area_edits.step_order(session, 1)),
            None,
        ),
        Words("Or drag its name in the margin onto another one."),
    ]
    out += _borrow(s, area)
    out += template_parts(s)
    return out


def _borrow(s: AreasStage, area: Area) -> list:
    """Values and colours from another photo of the commission."""
    others = [p for p in s.session.photos if s.session.photo is not None and p.id != s.session.photo.id]
    if not others:
        return []
    source = Choice()
    source.setAccessibleName("Photo that values and colours come from")
    source.addItem("this photo", "")
    for p in others:
        source.addItem(p.original_name, p.id)
    source.setCurrentIndex(max(0, source.findData(area.colour_photo_id or s.beside_id)))

    def chosen(_i: int) -> None:
        key = source.currentData()
        s.show_beside(key)
        if not key and area.colour_photo_id:
            area_edits.change(s.session, "values from this photo", replace(area, colour_photo_id="", colour_ring=()))

    source.activated.connect(chosen)
    words = "Draw a loop on the photo at the right, where the same fur shows its true colour." if s.beside_id else ""
    return [Caption("Values and colours from"), row(source, None), *([Words(words)] if words else [])]


def template_parts(s: AreasStage) -> list:
    """Templates to place."""
    out: list = [Caption("The usual areas of")]
    keys = list(templates())
    for pair in (keys[:2], keys[2:]):
        out.append(row(*(act_button(templates()[key].name, "loop", lambda key=key: s.choose_template(key)) for key in pair), None))
    return out
