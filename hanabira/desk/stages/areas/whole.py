"""The card of the whole animal while it is parted: what is asked, the proposal, and taking it over."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout

from hanabira.craft.supplies import surfaces
from hanabira.desk.cards import first_plan_parts
from hanabira.desk.controls import Caption, Choice, PetalButton, Pick, Stepper, Words, act_button, row
from hanabira.desk.images import wrap
from hanabira.desk.theme import u
from hanabira.desk.widgets.patch_picture import PatchPicture

if TYPE_CHECKING:
    from hanabira.desk.stages.areas.stage import AreasStage
    from hanabira.session.whole import Whole
    from hanabira.studio.records import Area

LOOP, EYE, NOSE = "whole loop", "whole eye", "whole nose"
"""Gestures by which the animal and its face are shown."""
COATS = (
    "short-fur", "long-fur", "curly-or-wavy", "wet", "fluffy-down", "contour-feathers", "barred-feathers", "iridescent-feathers", "thin-haired-skin", "bare-skin-and-folds",
)  # fmt: skip
"""Surfaces that a whole coat is made of, the usual ones first."""


def head(w: Whole, some: bool) -> tuple[str, str, str]:
    """Number, name and line of the card. ``some`` areas are stored already."""
    if w.needs_loop:
        return "", "Show the animal", "One loose loop round it, a little outside"
    if not w.patches:
        return "", "Parting the animal", "A few seconds; stopped, it is begun again below"
    mine = w.patch()
    if mine is not None:
        return str(mine.number), mine.name, f"proposed as {surfaces()[mine.surface_id].name.lower()} · nothing is stored yet"
    n = len(w.patches)
    of = "what lies under no area" if some else "the animal"
    return "", f"{n} patch{'es' if n > 1 else ''} proposed", f"They cover {100 * w.covered:.0f} % of {of} · nothing is stored yet"


def parts(s: AreasStage, w: Whole) -> list:
    """What stands on the bench card while the animal is parted."""
    if w.needs_loop:
        cut_out = "The fur’s edge is found and kept soft; strokes in Study set it right where it is wrong."
        return [Words("Draw once loosely round the whole animal.", "body", "ink"), Words(cut_out), 6, row(_leave(w), None)]
    mine = w.patch()
    if mine is not None:
        return _one(w, mine)
    return [*_asked(s, w), *_coat(w), *_plan(s), *_face(s, w), *_how(s, w), *[Words(q) for q in w.notes], 6, row(_leave(w), None)]


QUESTIONS = {
    "animal": ("Is this the animal?", "{names} has the colours of what lies round the animal.", "Yes, it is", "No, leave it out"),
    "one": ("One patch or two?", "{names} differ least of all neighbours.", "One", "Two"),
}
"""Title, reason and both answers of each question."""


def _asked(s: AreasStage, w: Whole) -> list:
    """At most two questions, each with a picture of what it is about."""
    session, out = s.session, []
    view, photo = session.view, session.photo
    if view is None or photo is None:
        return []
    for asking in w.asked:
        title, why, yes, no = QUESTIONS[asking.kind]
        about = [a for a in w.patches if a.id in asking.patches]
        names = " and ".join(f"{a.number}" for a in about)
        picture = PatchPicture(f"Patch {names}", [a.ring for a in about], wrap(view.levels[-1]), photo.size)
        beside, words = QHBoxLayout(), QVBoxLayout()
        beside.setSpacing(u(10))
        beside.addWidget(picture, 0, Qt.AlignmentFlag.AlignTop)
        beside.addLayout(words, 1)
        for part in (Words(f"{title}", "name", "ink"), Words(why.format(names=names))):
            words.addWidget(part)
        words.addLayout(row(act_button(yes, None, partial(w.answer, asking, True)), act_button(no, None, partial(w.answer, asking, False)), None))
        out.append(beside)
    return [Caption("Two questions" if len(out) > 1 else "A question"), *out] if out else []


def _plan(s: AreasStage) -> list:
    """What the whole animal comes to, while its recipes are worked out in the background."""
    first = s.session.first
    out: list = first_plan_parts(s.session)
    if first.under_way:
        out.append(Words("Its recipes are being worked out meanwhile."))
    elif first.stopped:
        out.append(Words(f"No further recipes came: {first.stopped}"))
    names = {a.id: a.name for a in s.session.whole.patches}
    out += [Words(f"{names[key]} has no recipe and is estimated: {why}") for key, why in first.failed.items() if key in names]
    return out


def _leave(w: Whole) -> PetalButton:
    return act_button("Leave the proposal", "night", w.end, "Nothing of it is stored; areas that you accepted stay")


def _coat(w: Whole) -> list:
    """The surface moves the hours most, and is asked first."""
    return [Caption("What is its coat?"), surface_choice("Surface of the coat", w.surface_id, w.set_surface), Words("It moves the hours more than how the animal is parted.")]


def surface_choice(name: str, chosen: str, take: Callable[[str], object]) -> Choice:
    """A list of coats; what is chosen stands in it, too, where it is none of the usual ones."""
    box = Choice()
    box.setAccessibleName(name)
    for key in dict.fromkeys((*COATS, *((chosen,) if chosen in surfaces() else ()), *surfaces())):
        box.addItem(surfaces()[key].name, key)
    box.setCurrentIndex(max(0, box.findData(chosen)))
    box.activated.connect(lambda _i: take(box.currentData()))
    return box


def _face(s: AreasStage, w: Whole) -> list:
    said = "Its parts are known by the eyes and the nose." if w.face_known else "With two eyes, or one and the nose, the parts of the face get their names."
    shown = f"{len(w.eyes)} eye{'s' if len(w.eyes) != 1 else ''} shown" + (", and the nose" if w.nose is not None else "") + "."
    out: list = [
        Caption("Its face"),
        row(
            act_button("Click an eye", "corners", lambda: s.choose_way(EYE), "Its middle, then its rim"),
            act_button("Click the nose", "corners", lambda: s.choose_way(NOSE), "Or the beak"),
            None,
        ),
        Words(f"{shown} {said}"),
    ]
    if w.eyes or w.nose is not None:
        out.append(row(act_button("Forget the face", "brush", w.forget_face), None))
    return out


def _how(s: AreasStage, w: Whole) -> list:
    pick = Pick("How it is parted", [("colour", "by colour"), ("form", "by form")], "form" if w.by_form else "colour")
    pick.picked.connect(lambda key: w.set_form(key == "form"))
    out: list = [Caption("How it is parted"), pick, Words("By form a marking stays inside an area, as its place.")]
    if w.patches:
        count = Stepper("Patches of coat", w.few, w.many, min(w.many, max(w.few, w.count)), "patches of coat")
        count.changed.connect(w.set_count)
        out.append(count)
    again = act_button("Part it again", "patches", w.again, "What was accepted stays; only what lies under no area is parted anew")
    study = act_button("Study its edge", "squint", s.to_cut_out, "To Study: strokes that keep, strokes that drop")
    return [*out, row(again, None), Caption("Is something of the background in it?"), Words("Choose that patch and take it out, or set the cut-out right first."), row(study, None)]


def _one(w: Whole, mine: Area) -> list:
    same = sum(a.surface_id == mine.surface_id for a in w.patches)
    out: list = [Caption("Its surface"), surface_choice("Surface of the patch", mine.surface_id, lambda key: w.set_patch_surface(mine.id, key))]
    if same > 1:
        alike = surface_choice("Surface of all patches like this", mine.surface_id, lambda key: w.set_patch_surface(mine.id, key, alike=True))
        out += [Words(f"Or all {same} that are proposed as {surfaces()[mine.surface_id].name.lower()}:"), alike]
    return [
        *out,
        6,
        row(act_button("Accept this patch", "petal", lambda: w.accept(mine.id), "It becomes an area; the others stay proposed"), None),
        row(act_button("Not the animal", "crumple", lambda: w.leave_out(mine.id), "A patch of background: it is not proposed any longer"), None),
        row(act_button("Back to all patches", "back", lambda: w.choose("")), None),
    ]



