"""How much of each stage is really done, for the petals of the thread."""

from __future__ import annotations

from typing import TYPE_CHECKING

from hanabira.core.area import covering

if TYPE_CHECKING:
    from hanabira.session.session import Session

UNKNOWN_SHARE = 0.5
"""What the petal of Areas shows while nobody knows how much of the picture is animal."""


def share_done(session: Session, stage: str) -> float:
    """How much of a stage is done, 0–1, for its petal."""
    c = session.commission
    if c is None:
        return 0.0
    if stage == "Brief":
        return sum((bool(c.name.strip()) and c.name != "New commission", bool(c.client), bool(c.due), bool(session.photos))) / 4
    if stage == "Study":
        p = session.photo.prep if session.photo is not None else None
        done = (bool(session.photos), p is not None and p.cut_out, p is not None and (p.focal is not None or p.sun_deg is not None))
        return sum(done) / len(done)
    if not session.awake:
        return 0.0  # what follows is worked out, and the window stands before that
    if stage == "Check":
        return session.checkroom.share_near() if session.logbook.shots() else 0.0
    if stage not in ("Areas", "Recipe", "Plan", "Easel") or not session.areas:
        return 0.0
    found = session.planner.covering()
    drawn = UNKNOWN_SHARE if found.drawn is None else found.drawn
    if stage == "Areas":
        return min(1.0, drawn / covering.WHOLE)
    laid = found.solved / max(1, found.areas)
    if stage == "Recipe":
        return laid
    if stage == "Plan":
        return laid * (1.0 if c.due else 0.5)
    total = sum(len(r.layers) for r in session.recipes.values()) + 1
    return laid * min(1.0, len(session.planner.done_keys()) / total) if session.recipes else 0.0
