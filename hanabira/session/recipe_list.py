"""All recipes of a commission as plain data."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from hanabira.craft.recipe_data import layers_data, places_data, result_data

if TYPE_CHECKING:
    from hanabira.session.session import Session

FORMAT = "hanabira recipes 1"


def recipes(session: Session) -> dict[str, Any]:
    """All recipes of the open commission as plain data; keys as documented in docs/formats.md."""
    c = session.commission
    assert c is not None
    areas = []
    for a in session.areas:
        told, m = session.prediction(a.id), session.measures(a.id)
        if told is None or m is None:
            continue
        finish = session.workshop.finish(a)
        areas.append(
            {
                "number": a.number,
                "name": a.name,
                "surface": a.surface_id,
                "finish": finish,
                "note": session.recipes[a.id].note,
                "layers": layers_data(session.kit, session.paper, session.recipe_layers(a.id), told[0], m, a.surface_id, finish),
                "result": result_data(told[0]),
                **(
                    {"places": places_data(places, told[0])} if (places := session.places(a.id)) is not None and session.by_places(a.id) else {}
                ),
                "cautions": [{"kind": q.kind, "text": f"{q.title}. {q.text} {q.cure}".strip()} for q in told[1]],
            }  # fmt: skip
        )
    sheet = {"id": c.paper_id, "ground": c.ground_hex, "width_mm": c.width_mm, "height_mm": c.height_mm, "border_mm": c.border_mm}
    return {"format": FORMAT, "commission": c.name, "paper": sheet, "kit": session.kit.name, "school": session.workshop.school, "areas": areas}
