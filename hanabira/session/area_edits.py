"""Edits of areas that need more than one record or some geometry first: each is one undoable command."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from hanabira.core.area.eye import measure_eye
from hanabira.core.area.outline import Outline, clipped_to, cut_away, in_box, join, place_twin
from hanabira.core.faults import Fault
from hanabira.craft.templates import ellipse, templates
from hanabira.session.edits import AddArea, ChangeAreas
from hanabira.studio.records import Area, new_id

if TYPE_CHECKING:
    from hanabira.core.area.shape import Point
    from hanabira.session.session import Session
    from hanabira.session.view import View

ANIMAL = 235
"""Coverage (0–255) from which a pixel is animal."""


def outline_of(area: Area) -> Outline:
    """An area's outline for geometry."""
    return Outline(area.ring, area.smooth, area.holes)


def change(model: Session, words: str, after: Area) -> bool:
    """Change one area and measure it anew."""
    before = next((a for a in model.all_areas if a.id == after.id), None)
    if before is None or before == after or not model.do(ChangeAreas(model, words, [before], [after])):
        return False
    model.want_measures(after.id)
    return True


def add(model: Session, found: Outline, name: str = "", surface_id: str = "short-fur") -> Area | None:
    """A new area of an outline with its holes, chosen; None when it could not be made."""
    if model.photo is None:
        return None
    edit = AddArea(model, found.ring, found.smooth, name, surface_id, found.holes)
    if not model.do(edit):
        return None
    model.choose_area(edit.area.id)
    return edit.area


def add_eye(model: Session, centre: Point, rim: Point) -> None:
    """An eye from two clicks: its circle is fitted, the area is drawn a little outside for lids and wet line."""
    view = model.view
    if view is None or model.photo is None or model.commission is None:
        return
    try:
        eye = measure_eye(view.pixels, *view.small((centre, rim)))
    except Fault as fault:
        model.messages.fault(fault)
        return
    (c,), r = view.large((eye.centre,)), eye.iris_px / view.scale
    ring = ellipse(c[0], c[1], 1.12 * r, 1.12 * r, 0.0, 14)
    names = [a.name for a in model.areas if a.surface_id == "eye"]
    name = "Eye" if not names else "Second eye" if len(names) == 1 else ""
    edit = AddArea(model, ring, True, name, "eye", eye=(c, (c[0] + r, c[1])))
    if model.do(edit):
        model.choose_area(edit.area.id)


def operate(model: Session, op: str, drawn: Outline) -> None:
    """Join a drawn outline to the chosen area, or cut it away; parts that fall off become areas of their own."""
    area = model.area
    if area is None:
        model.messages.fault(Fault("No area is chosen.", "Nothing was changed.", "Click an area or its name first."))
        return
    try:
        if op == "join":
            parts: tuple[Outline, ...] = (join(outline_of(area), drawn),)
        else:
            parts = cut_away(outline_of(area), drawn)
    except Fault as fault:
        model.messages.fault(fault)
        return
    after = [replace(area, ring=parts[0].ring, smooth=False, holes=parts[0].holes)]
    number = max((a.number for a in model.all_areas), default=0)
    for n, part in enumerate(parts[1:], 1):
        after.append(
            replace(
                area, id=new_id(), number=number + n, name=f"{area.name} {n + 1}", ring=part.ring, smooth=False, holes=part.holes, eye=()
            )
        )
    if model.do(ChangeAreas(model, "join" if op == "join" else "cut", [area], after)):
        model.want_measures(area.id)


def clip_to_animal(model: Session) -> None:
    """Draw the chosen area's outline in to the animal that was cut out."""
    area, view = model.area, model.view
    if area is None or view is None or view.coverage is None:
        return
    try:
        part = clipped_to(outline_of(area), view.coverage >= ANIMAL, view.size[0] / view.coverage.shape[1])[0]
    except Fault as fault:
        model.messages.fault(fault)
        return
    if model.do(ChangeAreas(model, "clip to the animal", [area], [replace(area, ring=part.ring, smooth=False, holes=part.holes)])):
        model.want_measures(area.id)


def join_areas(model: Session, other: Area) -> None:
    """Join another area to the chosen one; the other one goes."""
    area = model.area
    if area is None or other.id == area.id:
        return
    try:
        one = join(outline_of(area), outline_of(other))
    except Fault as fault:
        model.messages.fault(fault)
        return
    after = replace(area, ring=one.ring, smooth=False, holes=one.holes)
    if model.do(ChangeAreas(model, f"join with {other.name}", [area, other], [after])):
        model.want_measures(area.id)


def split_from_neighbours(model: Session) -> None:
    """Cut everything that lies over the chosen area out of it for good."""
    area = model.area
    if area is None:
        return
    rest = outline_of(area)
    for a in model.areas_over(area):
        try:
            rest = cut_away(rest, outline_of(a))[0]
        except Fault:
            continue
    if rest != outline_of(area):
        change(model, "cut along neighbours", replace(area, ring=rest.ring, smooth=False, holes=rest.holes))


def close_holes(model: Session) -> None:
    """Fill the chosen area's holes."""
    if model.area is not None and model.area.holes:
        change(model, "holes", replace(model.area, holes=()))


def lay(model: Session, step: int) -> None:
    """Lay the chosen area over all others (+1) or under them (−1), where they overlap."""
    area = model.area
    if area is not None and len(model.areas) > 1:
        levels = [a.level for a in model.areas if a.id != area.id]
        change(model, "overlap", replace(area, level=max(levels) + 1 if step > 0 else min(levels) - 1))


def reorder(model: Session, key: str, onto: str) -> None:
    """Give an area the place of another one in the working order; the rest closes up."""
    areas = sorted(model.areas, key=lambda a: a.number)
    keys = [a.id for a in areas]
    if key not in keys or onto not in keys or key == onto:
        return
    at = keys.index(onto)
    moved = areas.pop(keys.index(key))
    areas.insert(at, moved)
    numbers = sorted(a.number for a in areas)
    after = [replace(a, number=n) for a, n in zip(areas, numbers, strict=True)]
    before = {a.id: a for a in model.areas}
    changed = [a for a in after if before[a.id].number != a.number]
    model.do(ChangeAreas(model, "working order", [before[a.id] for a in changed], changed))


def step_order(model: Session, step: int) -> None:
    """Work the chosen area one place earlier (−1) or later (+1)."""
    areas = sorted(model.areas, key=lambda a: a.number)
    at = next((k for k, a in enumerate(areas) if a.id == model.area_id), -1)
    if at >= 0 and 0 <= at + step < len(areas):
        reorder(model, areas[at].id, areas[at + step].id)


def face_axis(model: Session) -> tuple[Point, Point]:
    """The line about which the face is alike: through the nose and square to the eyes, or what of it is known."""
    middle = lambda a: np.asarray(a.ring).mean(0)  # noqa: E731
    eyes = [middle(a) for a in model.areas if a.surface_id == "eye"]
    noses = [middle(a) for a in model.areas if a.surface_id == "nose"]
    assert model.photo is not None
    x, y, w, h = model.photo.crop
    through = noses[0] if noses else (eyes[0] + eyes[1]) / 2 if len(eyes) == 2 else np.array([x + w / 2, y + h / 2])
    if len(eyes) == 2:
        d = eyes[1] - eyes[0]
        up = np.array([-d[1], d[0]]) / max(float(np.hypot(*d)), 1e-6)
        if not noses:
            through = (eyes[0] + eyes[1]) / 2
    else:
        up = np.array([0.0, 1.0])
    return (float(through[0]), float(through[1])), (float(through[0] + up[0]), float(through[1] + up[1]))


def mirror_over(model: Session) -> None:
    """Make the chosen area's twin on the other side of the face, moved to where the photo resembles it; looked for off the interface thread."""
    area, view = model.area, model.view
    if area is None or view is None or model.photo is None:
        return
    small = view.small
    a, b = small(face_axis(model))
    outline = Outline(small(area.ring), area.smooth, tuple(map(small, area.holes)))

    def done(found: tuple[Outline, float]) -> None:
        if model.area_id == area.id:  # somebody who went on elsewhere did not wait for it
            _add_twin(model, area, view, *found)

    model.jobs.run("twin", f"Looking for the twin of {area.name}", lambda _t: place_twin(view.pixels, outline, a, b), done, asked=True)


def _add_twin(model: Session, area: Area, view: View, twin: Outline, likeness: float) -> None:
    number = max((q.number for q in model.all_areas), default=0) + 1
    ring = view.large(twin.ring)
    eye: tuple[Point, ...] = ()
    if len(area.eye) == 2:
        c = np.asarray(ring).mean(0)
        r = float(np.hypot(area.eye[1][0] - area.eye[0][0], area.eye[1][1] - area.eye[0][1]))
        eye = ((float(c[0]), float(c[1])), (float(c[0]) + r, float(c[1])))
    made = replace(
        area, id=new_id(), number=number, name=_other_side(area.name), ring=ring, holes=tuple(map(view.large, twin.holes)), combing=(), eye=eye,
        marking_edits=(), colour_photo_id="", colour_ring=(),
    )  # fmt: skip
    if model.do(ChangeAreas(model, "mirrored area", [], [made])):
        model.choose_area(made.id)
        found = "It was found in the photo" if likeness >= 0.3 else "The photo does not resemble it there"
        model.messages.remark(f"{made.name}: {found}; move its edge until it fits.")


def _other_side(name: str) -> str:
    for a, b in (("left", "right"), ("near", "far")):
        for one, two in ((a, b), (b, a)):
            for form in (str.lower, str.capitalize):
                if form(one) in name:
                    return name.replace(form(one), form(two))
    return f"Second {name[:1].lower()}{name[1:]}"


def place_template(model: Session, key: str, box: tuple[float, float, float, float]) -> None:
    """Propose a template's areas in a box of the photo, in one edit."""
    if model.commission is None or model.photo is None or key not in templates():
        return
    number = max((a.number for a in model.all_areas), default=0)
    w, h = model.photo.size
    made = []
    for n, q in enumerate(templates()[key].areas, 1):
        ring = tuple((min(max(0.0, x), float(w)), min(max(0.0, y), float(h))) for x, y in in_box(q.ring, box))
        eye: tuple[Point, ...] = ()
        if q.surface_id == "eye":
            c = np.asarray(ring).mean(0)
            r = 0.88 * float(np.hypot(*(np.asarray(ring) - c).T).mean())
            eye = ((float(c[0]), float(c[1])), (float(c[0]) + r, float(c[1])))
        made.append(Area(new_id(), model.commission.id, model.photo.id, number + n, q.name, q.surface_id, ring, True, eye=eye))
    if model.do(ChangeAreas(model, f"{templates()[key].name.lower()}", [], made)):
        model.choose_area(made[0].id)
        for a in made:
            model.want_measures(a.id)
