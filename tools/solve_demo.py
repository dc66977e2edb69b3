"""Solve every area of the demo and write its recipes: ``python -m tools.solve_demo``. Run it when the solver or the finders changed."""

from __future__ import annotations

import datetime
import json
from dataclasses import asdict

from hanabira.core.token import Token
from hanabira.demo import history, studio
from hanabira.demo.sitters import sitters
from hanabira.demo.truth import PHOTO, PHOTOS
from hanabira.studio.pictures import read_picture


def solved() -> history.Solved:
    """All recipes of the demo, solved anew."""
    token = Token(
        lambda share, words: print(f"{share:4.0%} {words}", flush=True) if words.startswith("Solving ") and " of " in words else None
    )
    rabbit = studio.rabbit(datetime.date(2026, 1, 5))
    out = history.solve(read_picture(PHOTO).pixels, rabbit.areas, rabbit.commission, studio.CROP, token)
    for sitter in sitters(datetime.date(2026, 1, 5)):
        pixels = read_picture(PHOTOS[sitter.kind]).pixels
        out |= history.solve(pixels, sitter.records(f"{sitter.commission.id}-photo"), sitter.commission, sitter.crop, token)
    return out


def as_data(found: history.Solved) -> dict[str, dict]:
    """Recipes as they are kept, without ids of layers."""
    data = {}
    for key, (layers, places) in found.items():
        rows = [{k: v for k, v in asdict(q).items() if k != "id"} for q in layers]
        spots = [{**asdict(p), "photo_lab": [round(v, 3) for v in p.photo_lab], "share": round(p.share, 5)} for p in places]
        data[key] = {"layers": rows, "places": spots}
    return data


if __name__ == "__main__":
    found = solved()
    history.RECIPES.write_text(json.dumps(as_data(found), ensure_ascii=False, indent=1) + "\n")
    print(f"{len(found)} recipes written to {history.RECIPES}")
