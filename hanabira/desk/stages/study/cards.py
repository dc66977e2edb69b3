"""What stands on the bench card in Study: one card for each way of the roll."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from hanabira.core.area import clipping
from hanabira.core.study import sun as suns
from hanabira.core.study.preparation import EXPOSURE_RANGE, MOST_TILT, STEPS
from hanabira.desk.cards import PHOTO_PARTS, backdrop_parts, hex_field
from hanabira.desk.controls import Caption, Choice, Number, Pick, Stepper, Words, act_button, label, measured_caption, row
from hanabira.desk.widgets.measure_cards import Shares, ValuePatches
from hanabira.desk.widgets.rose import PetalRose, petals_of
from hanabira.session.edits import ChoosePhoto, RemovePhoto, SetPart

if TYPE_CHECKING:
    from hanabira.desk.stages.study.stage import StudyStage
    from hanabira.studio.records import Photo


def fill(s: StudyStage) -> None:
    """Bring head, card and next thing up to date."""
    photo, c, bench, desk = s.session.photo, s.session.commission, s.desk.bench, s.desk
    if photo is None or c is None:
        bench.head.set("", "No photo yet", "The client’s photo is the first thing needed")
        bench.set_parts([Words("JPEG, PNG, TIFF, WebP and HEIC can be read. The file stays as it is; the studio keeps a copy.")])
        desk.set_next("Add the client’s photo", "photo")
        desk.mark_values(None)
        return
    k = photo.crop[2] / c.picture_mm[0]
    bench.head.set("", photo.original_name, f"{photo.width_px} × {photo.height_px} px · {k:.1f} px a mm of paper")
    m = s.whole_measures()
    desk.mark_values(m.clipping.known(m.values.band_lab) if m is not None else None)
    card = {"look": _look, "frame": _frame, "light": _light, "cut": _cut, "grid": _grid}[s.way]
    bench.set_parts(card(s, photo))
    desk.set_next("Draw the areas", "loop")


def _number(
    name: str, value: float, low: float, high: float, step: float, unit: str, changed: Callable[[float], object], decimals: int = 1
) -> Number:
    q = Number()
    q.setAccessibleName(name)
    q.setRange(low, high)
    q.setSingleStep(step)
    q.setDecimals(decimals)
    q.setSuffix(f"\u2009{unit}")
    q.setKeyboardTracking(False)
    q.setValue(value)
    q.valueChanged.connect(changed)
    return q


# -- look ---------------------------------------------------------------------
def _look(s: StudyStage, photo: Photo) -> list:
    c = s.session.commission
    assert c is not None
    k = photo.crop[2] / c.picture_mm[0]
    fine = (
        "Fine enough for single hairs."
        if k >= 4
        else "Good for fur; the finest hairs are missing."
        if k >= 2
        else "Coarse: ask the client for a larger file."
    )
    parts: list = [Words(fine), *_cast(s), *_lost(s), *_thrown(s, photo)]
    m = s.whole_measures()
    if m is not None:
        petals = petals_of(m)
        rose, shares = PetalRose(petals), Shares(petals)
        shares.pointed.connect(rose.lift)
        pair = row(rose, shares)
        parts += [measured_caption(s.desk.explain, "Values of the picture", "values"), ValuePatches(m), Caption("Its colours"), pair]
    w = s.warmth()
    if w is not None:
        parts.append(measured_caption(s.desk.explain, "Warm and cool against its own middle: hold T", "warmth"))
        parts.append(Words(f"{100 * w.warm_share:.0f} % is warmer, {100 * w.cool_share:.0f} % cooler. {w.words}"))
    parts += _shapes(s)
    parts += _photos(s, photo)
    return parts


def _shapes(s: StudyStage) -> list:
    """How many value shapes, and one alone."""
    steps = Stepper("Value shapes", STEPS[0], STEPS[1], s.session.shape_steps, "value shapes")

    def show(n: int, only: int | None) -> None:
        s.session.show_shapes(n, only)
        if s.look == "shapes":
            s.session.want_look("shapes")
        elif only is not None:
            s.pin("shapes")

    steps.changed.connect(lambda n: (show(n, None), s.refresh()))
    alone = Pick(
        "One value shape alone",
        (("0", "all"), *((str(k), str(k)) for k in range(1, s.session.shape_steps + 1))),
        str(s.session.shape_only or 0),
    )
    alone.picked.connect(lambda key: show(s.session.shape_steps, int(key) or None))
    return [measured_caption(s.desk.explain, "Value shapes: 1 is the darkest", "shapes"), row(steps, None), alone]


def _photos(s: StudyStage, photo: Photo) -> list:
    """The commission's photos, each with what it is for."""
    parts: list = [Caption("Photos of this commission")]
    for other in s.session.photos:
        what = Choice()
        what.setAccessibleName(f"What {other.original_name} is for")
        for key, words in PHOTO_PARTS:
            what.addItem(words, key)
        what.setCurrentIndex(max(0, what.findData(other.part)))
        what.activated.connect(lambda _i, q=other, w=what: s.session.do(SetPart(s.session, q, w.currentData())))
        if other.id == photo.id:
            parts.append(row(label("On the sheet, for", "small"), what))
            continue
        use = act_button(other.original_name, "photo", lambda q=other: s.session.do(ChoosePhoto(s.session, q)), "Work from this photo")
        parts.append(row(use, what))
        here = s.beside_id == other.id
        beside = act_button(
            "Put away" if here else "Beside",
            "away" if here else "photo",
            lambda q=other: s.show_beside("" if s.beside_id == q.id else q.id),
        )
        beside.setToolTip("Show this photo beside the one on the sheet")
        away = act_button("Remove", "crumple", lambda q=other: s.session.do(RemovePhoto(s.session, q)), "Take this photo off the commission")
        parts.append(row(beside, away, None))
        if photo.prep.sun_deg is not None and other.prep.sun_deg is not None:
            parts.append(Words(suns.agree(photo.prep.sun_deg, other.prep.sun_deg)))
    parts.append(row(act_button("Add a photo", "photo", s.desk.ask_photo), None))
    return parts


# -- frame ---------------------------------------------------------------------
def _frame(s: StudyStage, photo: Photo) -> list:
    tool = Pick("Tool", (("move", "Move"), ("level", "Level line"), ("focal", "Focal point")), s.tools["frame"])
    tool.picked.connect(s.choose_tool)
    helps = {
        "move": "Drag the photo under the sheet; the wheel scales it. The thin lines are the thirds.",
        "level": "Drag along something that should be level or upright: a table’s edge, a door.",
        "focal": "Click where the eye should go: most contrast belongs there.",
    }
    tilt = _number(
        "Tilt", photo.prep.tilt_deg, -MOST_TILT, MOST_TILT, 0.5, "°", lambda v: s.turn(v, None, "tilt")
    )  # fmt: skip
    parts: list = [
        tool,
        Words(helps[s.tools["frame"]]),
        Caption("Frame"),
        *(Words(q, "small", "ink") for q in (s.session.framing.words() if s.session.awake else ())),
        row(act_button("As much as fits", "frame", s.whole, "Show as much of the photo as the sheet’s proportions allow"), None),
        Caption("Straighten and turn over"),
        row(label("Tilt"), tilt, None),
        row(act_button("Upright again", "plumb", lambda: s.turn(0.0)), act_button("Mirror for good", "mirror", s.mirror), None),
    ]
    parts.append(Caption("Focal point"))
    if photo.prep.focal is None:
        parts.append(Words("None set. Take “Focal point” above and click on the picture, usually the nearer eye."))
        return parts
    c = s.session.commission
    assert c is not None
    x, y, w, h = photo.crop
    fx, fy = (photo.prep.focal[0] - x) / w, (photo.prep.focal[1] - y) / h
    parts.append(
        Words(f"It lies {fx * c.picture_mm[0]:.0f} mm from the left and {fy * c.picture_mm[1]:.0f} mm from the top. Bring it to a third:")
    )
    names = {(1, 1): "Upper left", (2, 1): "Upper right", (1, 2): "Lower left", (2, 2): "Lower right"}
    for line in (1, 2):
        parts.append(row(*(act_button(names[k, line], None, lambda k=k, line=line: s.to_third(k, line)) for k in (1, 2)), None))
    return parts


def _cast(s: StudyStage) -> list:
    """A suspected cast, unasked, with how sure it is and what can be done."""
    found = s.session.animal.cast()
    if found is None or not found.suspected:
        return []
    lean = {
        "warm": "warm, as under a lamp or a low sun",
        "cool": "cool, as in open shade",
        "green": "green, as under leaves or tubes",
        "violet": "violet",
    }
    words = (
        f"A cast is {'likely' if found.right >= 0.75 else 'possible'}: the light leans {lean[found.lean]} by about {found.angle_deg:.0f}°. "
        f"Of such suspicions about {found.right:.0%} were right on rendered scenes."
    )
    return [
        Words(words, "body", "ink"),
        row(
            act_button("Take it out", "sun", s.session.animal.take_cast_out, "Set the light by it; hold nothing back: Take back undoes it"),
            act_button("Leave the light", "night", s.session.animal.leave_cast, "It is as it should be: do not ask again"),
            None,
        ),
    ]


def _thrown(s: StudyStage, photo: Photo) -> list:
    """Light of the old surroundings in the rim of the fur, above all once another backdrop stands behind."""
    found = s.session.animal.thrown()
    if found is None or not found.matters:
        return []
    swapped = " On the new backdrop it has no reason any more: leave it out, or move it by choice." if photo.prep.cut_out else ""
    return [
        Words(
            f"The surroundings throw {found.hue} into the animal’s rim, by about {found.units:.0f} units of a*b*.{swapped}", "small", "ink"
        )
    ]


def _lost(s: StudyStage) -> list:
    """How much of the animal the photo lost."""
    m = s.whole_measures()
    return [] if m is None else [Words(words, "small", "ink") for words in clipping.lost_words(m.clipping)]


# -- light -----------------------------------------------------------------------
def _light(s: StudyStage, photo: Photo) -> list:
    tool = Pick("Tool", (("pick", "Grey or white"), ("known", "Known colour"), ("sun", "Where it stands")), s.tools["light"])
    tool.picked.connect(s.choose_tool)
    helps = {
        "pick": "Click something that is really grey or white: paper, a wall, a steel bowl. White fur in the shade is not.",
        "known": "Type the colour the client told, then click it on the photo.",
        "sun": "Drag the way the light falls: from where it comes toward the animal.",
    }
    parts: list = [tool, Words(helps[s.tools["light"]])]
    if s.tools["light"] == "known":
        field = hex_field("The known colour", s.known_hex, lambda v: setattr(s, "known_hex", v), s.session)
        parts.append(row(label("It is"), field, None))
    prep = photo.prep
    state = f"Cast taken out by {prep.light_how}." if prep.light.white else "The light is as taken."
    stops = _number(
        "Exposure", prep.light.exposure, EXPOSURE_RANGE[0], EXPOSURE_RANGE[1], 0.1, "stops", s.expose
    )  # fmt: skip
    parts += _cast(s)
    parts += [
        measured_caption(s.desk.explain, "Cast and exposure", "light"),
        Words(state),
        row(
            act_button(
                "Guess it", "find", s.automatic_light, "Shades of grey over the whole photo: a guess, one-coloured pictures mislead it"
            ),
            act_button("As taken", "plumb", s.as_taken),
            None,
        ),
        row(label("Exposure"), stops, None),
        measured_caption(s.desk.explain, "Where the light comes from", "sun"),
    ]
    parts.append(Words(f"Set: {_clock(prep.sun_deg)}." if prep.sun_deg is not None else "Not set yet."))
    sun = s.session.animal.sun()
    if sun is None:
        parts.append(Words("Cut the animal out first, then it can be estimated. Or drag it on the picture with “Where it stands”."))
    elif sun.clear:
        parts.append(Words(f"Estimated: {_clock(sun.direction_deg)}, give or take 40°."))
        parts.append(row(act_button("Take the estimate", "sun", lambda: s.set_sun(round(sun.direction_deg))), None))
    else:
        parts.append(Words("The photo does not show it clearly: markings and shading disagree. Drag it on the picture."))
    for other in s.session.photos:
        if other.id != photo.id and prep.sun_deg is not None and other.prep.sun_deg is not None:
            parts.append(Words(f"{other.original_name}: {suns.agree(prep.sun_deg, other.prep.sun_deg)}"))
    return parts


def _clock(degrees: float) -> str:
    """A direction in words and degrees."""
    names = ("right", "upper right", "above", "upper left", "left", "lower left", "below", "lower right")
    return (
        f"from {'the ' if names[round(degrees / 45) % 8] not in ('above', 'below') else ''}{names[round(degrees / 45) % 8]}, {degrees:.0f}°"
    )


# -- cut out ---------------------------------------------------------------------
def _cut(s: StudyStage, photo: Photo) -> list:
    c = s.session.commission
    assert c is not None
    tool = Pick("Tool", (("outline", "Outline"), ("keep", "Keep"), ("drop", "Drop")), s.tools["cut"])
    tool.picked.connect(s.choose_tool)
    helps = {
        "outline": "Draw once roughly round the animal, a little outside it. The fur’s edge is found and kept soft.",
        "keep": "Stroke over what belongs to the animal but was cut off.",
        "drop": "Stroke over what was taken for the animal but is not.",
    }
    parts: list = [tool, Words(helps[s.tools["cut"]])]
    if photo.prep.outline:
        shown = Pick("What is shown", (("on", "On the backdrop"), ("off", "As taken")), "on" if photo.prep.cut_out else "off")
        shown.picked.connect(lambda key: s.show_cut(key == "on"))
        parts += [Caption("Shown"), shown]
    parts += backdrop_parts(s.session)
    parts.append(measured_caption(s.desk.explain, "What the change does to the eye", "surroundings"))
    found = s.session.animal.reads()
    if found is None:
        parts.append(Words("Once the animal is cut out, this says how its values will be seen on the backdrop."))
    else:
        for q in found:
            d = q.on_backdrop - q.in_photo
            turn = "the same" if abs(d) < 0.25 else "lighter" if d > 0 else "darker"
            parts.append(
                Words(
                    f"Its {q.part} (L* {q.lightness:.0f}) read step {q.in_photo:.1f} in this photo, {q.on_backdrop:.1f} on the backdrop: {turn}.",
                    "small",
                    "ink",
                )
            )
    if photo.prep.outline:
        n = len(photo.prep.keep) + len(photo.prep.drop)
        parts.append(row(act_button("Forget the outline", "brush", s.forget_cut, f"With its {n} strokes" if n else ""), None))
    return parts


# -- grid and print --------------------------------------------------------------------
def _grid(s: StudyStage, photo: Photo) -> list:
    from hanabira.desk.stages.study import printing as study_print

    settings, c = s.session.settings, s.session.commission
    assert c is not None
    tool = Pick("Tool", (("line", "Measuring line"), ("angle", "Angle")), s.tools["grid"])
    tool.picked.connect(s.choose_tool)
    helps = {
        "line": "Drag between two places: the length is that on the paper, the angle counts from level.",
        "angle": "Click three places: the angle is at the second one.",
    }
    wide = _number("Grid", settings.get("grid_mm"), 5, 100, 1, "mm", lambda v: s.set_grid("grid_mm", v), 0)
    shown = Pick("Grid shown", (("on", "Shown"), ("off", "Hidden")), "on" if s.grid_on else "off")
    shown.picked.connect(lambda key: s.set_grid("grid_on", key == "on"))
    slant = Pick("Diagonals", (("off", "Squares"), ("on", "With diagonals")), "on" if settings.get("grid_diagonals") else "off")
    slant.picked.connect(lambda key: s.set_grid("grid_diagonals", key == "on"))
    numbers = Pick("Numbers", (("on", "Numbered"), ("off", "Plain")), "on" if settings.get("grid_numbers") else "off")
    numbers.picked.connect(lambda key: s.set_grid("grid_numbers", key == "on"))
    w, h = c.picture_mm
    n = settings.get("grid_mm")
    return [
        tool,
        Words(helps[s.tools["grid"]]),
        Caption("Grid on the paper and on the photo"),
        shown,
        row(label("Cells of"), wide, None),
        slant,
        numbers,
        Words(f"{w / n:.1f} by {h / n:.1f} cells on the picture of {w:.0f} × {h:.0f} mm."),
        *study_print.parts(s),
    ]
