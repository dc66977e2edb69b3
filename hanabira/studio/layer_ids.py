"""Lasting ids of layers: given once, kept through every change, so that the log, a dragged order and the plan name a layer and not its place.

Works on plain data, since studios and bundles from before are carried over by it (`carry_over`), and on `Layer` records.
"""

from __future__ import annotations

import os
import uuid
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from hanabira.core.solver.layer import Layer


def fresh() -> str:
    """An id that no other layer of an area has, nor ever had."""
    return os.urandom(6).hex()


def with_ids(layers: Iterable[Layer]) -> tuple[Layer, ...]:
    """The layers, each with an id of its own: who has none gets one, and so does the second of two with the same."""
    out: list[Layer] = []
    seen: set[str] = set()
    for q in layers:
        if not q.id or q.id in seen:
            q = replace(q, id=fresh())
        seen.add(q.id)
        out.append(q)
    return tuple(out)


def carried(old: Sequence[Layer], new: Iterable[Layer]) -> tuple[Layer, ...]:
    """New layers of an area with the ids of those old ones that they still are: by their id, by all they say, then by role and pencil."""
    left = {q.id: q for q in old}
    out: list[Layer] = []
    for q in new:
        out.append(q if left.pop(q.id, None) is not None else replace(q, id=""))
    same = (
        lambda a, b: replace(a, id="", why="", locked=False) == replace(b, id="", why="", locked=False),
        lambda a, b: (a.role, a.code, a.tool, a.where) == (b.role, b.code, b.tool, b.where),
    )
    for alike in same:
        for k, q in enumerate(out):
            if not q.id:
                found = next((o for o in left.values() if alike(o, q)), None)
                if found is not None:
                    out[k] = replace(q, id=found.id)
                    del left[found.id]
    return with_ids(out)


# -- what was written when steps were named by a layer's place ------------------------------
def place_of(step: str) -> tuple[str, int] | None:
    """Area and place of a step's key as it was written then; None for any other key."""
    area, colon, place = step.rpartition(":")
    return (area, int(place)) if colon and place.isdigit() else None


def numbered(area_id: str, layers: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """Layers of an old recipe as plain data with ids; the same each time for the same recipe."""
    out = []
    for k, q in enumerate(layers):
        out.append({**q, "id": q.get("id") or uuid.uuid5(uuid.NAMESPACE_OID, f"{area_id} {k}").hex[:12]})
    return out


def _fits(layer: Mapping[str, Any], row: Mapping[str, Any]) -> bool:
    """Whether a row of the log says what a layer says: its role, and its pencil or tool unless another was taken."""
    return layer.get("role") == row["role"] and row["pencil"] in (layer.get("code"), layer.get("tool"))


def carry_over(layers: Mapping[str, Sequence[Mapping[str, Any]]], rows: Sequence[Mapping[str, Any]]) -> dict[str, str]:
    """Which old key becomes which: for every step of these recipes, as the log's rows tell.

    ``layers`` are numbered layers by area, ``rows`` have ``step``, ``role`` and ``pencil``. A row goes to the layer that has what it says,
    the nearest to its place; only what finds none goes by its place. Places without a row go by place, too. A place beyond
    the recipe keeps its old key: that layer is gone.
    """
    out: dict[str, str] = {}
    by_step = {}
    for row in rows:
        found = place_of(row["step"])
        if found is not None and found[0] in layers and row["step"] not in by_step:
            by_step[row["step"]] = (found, row)
    taken: set[str] = set()
    for only_content in (True, False):
        for step, ((area, place), row) in by_step.items():
            if step in out:
                continue
            free = [(k, q) for k, q in enumerate(layers[area]) if f"{area}:{q['id']}" not in taken]
            if only_content:
                # the role alone, where another pencil was taken at the same place
                good = [(k, q) for k, q in free if _fits(q, row)] or [
                    (k, q) for k, q in free if k == place and q.get("role") == row["role"]
                ]
            else:
                good = [(k, q) for k, q in free if k == place]
            if good:
                chosen = min(good, key=lambda kq: abs(kq[0] - place))[1]
                out[step] = f"{area}:{chosen['id']}"
                taken.add(out[step])
    for area, mine in layers.items():
        for k, q in enumerate(mine):
            key = f"{area}:{q['id']}"
            if f"{area}:{k}" not in out and key not in taken:
                out[f"{area}:{k}"] = key
                taken.add(key)
    return out
