"""Edits of areas that need more than one record or some geometry first: each is one undoable command."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from hanabira.core.area.eye import eye_ring, measure_eye
from hanabira.core.area.outline import Outline, clipped_to, cut_away, in_box, join, place_twin
from hanabira.core.faults import Fault
from hanabira.craft.templates import templates
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


def change(session: Session, words: str, after: Area) -> bool:
    """Change one area and measure it anew."""
    before = next((a for a in session.all_areas if a.id == after.id), None)
    if before is None or before == after or not session.do(ChangeAreas(session, words, [before], [after])):
        return False
    session.want_measures(after.id)
    return True


def add(session: Session, found: Outline, name: str = "", surface_id: str = "short-fur") -> Area | None:
    """A new area of an outline with its holes, chosen; None when it could not be made."""
    if session.photo is None:
        return None
    edit = AddArea(session, found.ring, found.smooth, name, surface_id, found.holes)
    if not session.do(edit):
        return None
    session.choose_area(edit.area.id)
    return edit.area


def add_eye(session: Session, centre: Point, rim: Point) -> None:
    """An eye from two clicks: its circle is fitted, the area is drawn a little outside for lids and wet line."""
    view = session.view
    if view is None or session.photo is None or session.commission is None:
        return
    try:
        eye = measure_eye(view.pixels, *view.small((centre, rim)))
    except Fault as fault:
        session.messages.fault(fault)
        return
    (c,), r = view.large((eye.centre,)), eye.iris_px / view.scale
    ring = eye_ring(c, r)
    names = [a.name for a in session.areas if a.surface_id == "eye"]
    name = "Eye" if not names else "Second eye" if len(names) == 1 else ""
    edit = AddArea(session, ring, True, name, "eye", eye=(c, (c[0] + r, c[1])))
    if session.do(edit):
        session.choose_area(edit.area.id)


def operate(session: Session, op: str, drawn: Outline) -> None:
    """Join a drawn outline to the chosen area, or cut it away; parts that fall off become areas of their own."""
    area = session.area
    if area is None:
        session.messages.fault(Fault("No area is chosen.", "Nothing was changed.", "Click an area or its name first."))
        return
    try:
        if op == "join":
            parts: tuple[Outline, ...] = (join(outline_of(area), drawn),)
        else:
            parts = cut_away(outline_of(area), drawn)
    except Fault as fault:
        session.messages.fault(fault)
        return
    after = [replace(area, ring=parts[0].ring, smooth=False, holes=parts[0].holes)]
    number = max((a.number for a in session.all_areas), default=0)
    for n, part in enumerate(parts[1:], 1):
        after.append(
            replace(
                area, id=new_id(), number=number + n, name=f"{area.name} {n + 1}", ring=part.ring, smooth=False, holes=part.holes, eye=()
            )
        )
    if session.do(ChangeAreas(session, "join" if op == "join" else "cut", [area], after)):
        session.want_measures(area.id)


def clip_to_animal(session: Session) -> None:
    """Draw the chosen area's outline in to the animal that was cut out."""
    area, view = session.area, session.view
    if area is None or view is None or view.coverage is None:
        return
    try:
        part = clipped_to(outline_of(area), view.coverage >= ANIMAL, view.size[0] / view.coverage.shape[1])[0]
    except Fault as fault:
        session.messages.fault(fault)
        return
    if session.do(ChangeAreas(session, "clip to the animal", [area], [replace(area, ring=part.ring, smooth=False, holes=part.holes)])):
        session.want_measures(area.id)


def join_areas(session: Session, other: Area) -> None:
    """Join another area to the chosen one; the other one goes."""
    area = session.area
    if area is None or other.id == area.id:
        return
    try:
        one = join(outline_of(area), outline_of(other))
    except Fault as fault:
        session.messages.fault(fault)
        return
    after = replace(area, ring=one.ring, smooth=False, holes=one.holes)
    if session.do(ChangeAreas(session, f"join with {other.name}", [area, other], [after])):
        session.want_measures(area.id)


def split_from_neighbours(session: Session) -> None:
    """Cut everything that lies over the chosen area out of it for good."""
    area = session.area
    if area is None:
        return
    rest = outline_of(area)
    for a in session.areas_over(area):
        try:
            rest = cut_away(rest, outline_of(a))[0]
        except Fault:
            continue
    if rest != outline_of(area):
        change(session, "cut along neighbours", replace(area, ring=rest.ring, smooth=False, holes=rest.holes))


def close_holes(session: Session) -> None:
    """Fill the chosen area's holes."""
    if session.area is not None and session.area.holes:
        change(session, "holes", replace(session.area, holes=()))


def lay(session: Session, step: int) -> None:
    """Lay the chosen area over all others (+1) or under them (−1), where they overlap."""
    area = session.area
    if area is not None and len(session.areas) > 1:
        levels = [a.level for a in session.areas if a.id != area.id]
        change(session, "overlap", replace(area, level=max(levels) + 1 if step > 0 else min(levels) - 1))


def reorder(session: Session, key: str, onto: str) -> None:
    """Give an area the place of another one in the working order; the rest closes up."""
    areas = sorted(session.areas, key=lambda a: a.number)
    keys = [a.id for a in areas]
    if key not in keys or onto not in keys or key == onto:
        return
    at = keys.index(onto)
    moved = areas.pop(keys.index(key))
    areas.insert(at, moved)
    numbers = sorted(a.number for a in areas)
    after = [replace(a, number=n) for a, n in zip(areas, numbers, strict=True)]
    before = {a.id: a for a in session.areas}
    changed = [a for a in after if before[a.id].number != a.number]
    session.do(ChangeAreas(session, "working order", [before[a.id] for a in changed], changed))


def step_order(session: Session, step: int) -> None:
    """Work the chosen area one place earlier (−1) or later (+1)."""
    areas = sorted(session.areas, key=lambda a: a.number)
    at = next((k for k, a in enumerate(areas) if a.id == session.area_id), -1)
    if at >= 0 and 0 <= at + step < len(areas):
        reorder(session, areas[at].id, areas[at + step].id)


def face_axis(session: Session) -> tuple[Point, Point]:
    """The line about which the face is alike: through the nose and square to the eyes, or what of it is known."""
    middle = lambda a: np.asarray(a.ring).mean(0)  # noqa: E731
    eyes = [middle(a) for a in session.areas if a.surface_id == "eye"]
    noses = [middle(a) for a in session.areas if a.surface_id == "nose"]
    assert session.photo is not None
    x, y, w, h = session.photo.crop
    through = noses[0] if noses else (eyes[0] + eyes[1]) / 2 if len(eyes) == 2 else np.array([x + w / 2, y + h / 2])
    if len(eyes) == 2:
        d = eyes[1] - eyes[0]
        up = np.array([-d[1], d[0]]) / max(float(np.hypot(*d)), 1e-6)
        if not noses:
            through = (eyes[0] + eyes[1]) / 2
    else:
        up = np.array([0.0, 1.0])
    return (float(through[0]), float(through[1])), (float(through[0] + up[0]), float(through[1] + up[1]))


def mirror_over(session: Session) -> None:
    """Make the chosen area's twin on the other side of the face, moved to where the photo resembles it; looked for off the interface thread."""
    area, view = session.area, session.view
    if area is None or view is None or session.photo is None:
        return
    small = view.small
    a, b = small(face_axis(session))
    outline = Outline(small(area.ring), area.smooth, tuple(map(small, area.holes)))

    def done(found: tuple[Outline, float]) -> None:
        if session.area_id == area.id:  # somebody who went on elsewhere did not wait for it
            _add_twin(session, area, view, *found)

    session.jobs.run("twin", f"Looking for the twin of {area.name}", lambda _t: place_twin(view.pixels, outline, a, b), done, asked=True)


def _add_twin(session: Session, area: Area, view: View, twin: Outline, likeness: float) -> None:
    number = max((q.number for q in session.all_areas), default=0) + 1
    ring = view.large(twin.ring)
    eye: tuple[Point, ...] = ()
    if len(area.eye) == 2:
        c = np.asarray(ring).mean(0)
        r = float(np.hypot(area.eye[1][0] - area.eye[0][0], area.eye[1][1] - area.eye[0][1]))
        eye = ((float(c[0]), float(c[1])), (float(c[0]) + r, float(c[1])))
    made = replace(
        area, id=new_id(), number=number, name=_other_side(area.name), ring=ring, holes=tuple(map(view.large, twin.holes)), combing=(), eye=eye,
        marking_edits=(), colour_photo_id="", colour_ring=(), place_edits=(), twin_id=area.twin_id or area.id,
    )  # fmt: skip
    if session.do(ChangeAreas(session, "mirrored area", [], [made])):
        session.choose_area(made.id)
        found = "It was found in the photo" if likeness >= 0.3 else "The photo does not resemble it there"
        session.messages.remark(f"{made.name}: {found}; move its edge until it fits.")


def _other_side(name: str) -> str:
    for a, b in (("left", "right"), ("near", "far")):
        for one, two in ((a, b), (b, a)):
            for form in (str.lower, str.capitalize):
                if form(one) in name:
                    return name.replace(form(one), form(two))
    return f"Second {name[:1].lower()}{name[1:]}"


def place_template(session: Session, key: str, box: tuple[float, float, float, float]) -> None:
    """Propose a template's areas in a box of the photo, in one edit."""
    if session.commission is None or session.photo is None or key not in templates():
        return
    number = max((a.number for a in session.all_areas), default=0)
    w, h = session.photo.size
    made = []
    for n, q in enumerate(templates()[key].areas, 1):
        ring = tuple((min(max(0.0, x), float(w)), min(max(0.0, y), float(h))) for x, y in in_box(q.ring, box))
        eye: tuple[Point, ...] = ()
        if q.surface_id == "eye":
            c = np.asarray(ring).mean(0)
            r = 0.88 * float(np.hypot(*(np.asarray(ring) - c).T).mean())
            eye = ((float(c[0]), float(c[1])), (float(c[0]) + r, float(c[1])))
        made.append(Area(
            new_id(), session.commission.id, session.photo.id, number=number + n, name=q.name, surface_id=q.surface_id, ring=ring, smooth=True,
            eye=eye,
        ))
    if session.do(ChangeAreas(session, f"{templates()[key].name.lower()}", [], made)):
        session.choose_area(made[0].id)
        for a in made:
            session.want_measures(a.id)
