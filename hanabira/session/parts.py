"""Parts practised by themselves: an area of the open commission as a small sheet of its own, through Recipe, Easel and Check, once and again.

They stand on a shelf of their own: no paid work, no hours promised, no days taken from what is ordered.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from hanabira.studio.checking import verdict_of
from hanabira.studio.records import Area, Commission, Photo, PhotoCheck, Terms, is_part, new_id

if TYPE_CHECKING:
    from hanabira.session.session import Session

SIZE_MM, BORDER_MM = 80.0, 12.0
"""The small sheet and its unpainted border: the part itself comes to about 50 mm."""
ROOM = 1.12
"""How much larger the cut is than the part."""
SURFACES = {
    "part-eye": ("eye",), "part-nose": ("nose", "beak-and-cere"), "part-paw": ("paw-pad",), "part-ear": ("ear-inside",), "part-tongue": ("tongue",),
    "part-lock": ("mane-and-tail", "long-fur", "curly-or-wavy"),
}  # fmt: skip
"""Which surfaces a part drill can take its part from."""
IN_A_ROW = 5


@dataclass(frozen=True)
class Tried:
    """One attempt at a part: its commission and how near it came by its last photo (mean ΔE00); None while no photo was judged."""

    commission: Commission
    near: float | None


def areas_for(session: Session, drill: str) -> tuple[Area, ...]:
    """Areas of the open commission that a part drill can take."""
    return tuple(a for a in session.areas if a.surface_id in SURFACES.get(drill, ()))


def tried(session: Session, drill: str) -> tuple[Tried, ...]:
    """Every attempt at a part, the first one first."""
    store = session.store
    out = []
    for c in sorted(store.all(Commission), key=lambda c: c.created):
        if is_part(c.id) and c.id.startswith(f"{drill}-"):
            checks = sorted(store.all(PhotoCheck, commission_id=c.id), key=lambda q: q.at)
            out.append(Tried(c, _near(checks)))
    return tuple(out)


def _near(checks: list[PhotoCheck]) -> float | None:
    for q in reversed(checks):
        values = [a["near_de00"] for a in verdict_of(q.told).get("areas", ()) if a.get("near_de00") is not None]
        if values:
            return float(sum(values) / len(values))
    return None


def begin_part(session: Session, drill: str, area: Area) -> Commission | None:
    """Make and open a small sheet of an area; None when it could not be stored. The area's commission is not touched."""
    c, photo = session.commission, next((p for p in session.photos if p.id == area.photo_id), None)
    if c is None or photo is None:
        return None
    n = 1 + len(tried(session, drill))
    xs, ys = [x for x, _ in area.ring], [y for _, y in area.ring]
    side = min(ROOM * max(max(xs) - min(xs), max(ys) - min(ys)), float(photo.width_px), float(photo.height_px))
    x = min(max(0.0, (min(xs) + max(xs) - side) / 2), photo.width_px - side)
    y = min(max(0.0, (min(ys) + max(ys) - side) / 2), photo.height_px - side)
    made = Commission(
        f"{drill}-{new_id()}", f"{area.name}, {n}", "", animal=f"from {c.name}", paper_id=c.paper_id, ground_hex=c.ground_hex, width_mm=SIZE_MM,
        height_mm=SIZE_MM, border_mm=BORDER_MM, due=None, kit_id=c.kit_id, stage="Recipe", created=session.clock.stamp("microseconds"), tray=c.tray,
        lasting_floor=c.lasting_floor, terms=Terms(hand=c.terms.hand, hours_a_day=c.terms.hours_a_day, weekdays=c.terms.weekdays),
    )  # fmt: skip
    own = replace(photo, id=new_id(), commission_id=made.id, crop=(x, y, side, side), position=0, part="main")
    assert isinstance(own, Photo)
    part = replace(area, id=new_id(), commission_id=made.id, photo_id=own.id, number=1, colour_photo_id="", colour_ring=(), twin_id="")
    return made if session.take_up(made, own, part) else None
