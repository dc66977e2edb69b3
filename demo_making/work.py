"""Do the invented artist's work for the demo and write it: ``python -m demo_making.work``. Run it when recipes, paper, camera or Check changed."""

from __future__ import annotations

import datetime
import json
import shutil
from dataclasses import replace

from demo_making.photos import Work, photographed, tried
from demo_making.practice_weeks import practised
from demo_making.solve import found_again
from hanabira.core.clock import MACHINE
from hanabira.craft.supplies import shipped_kit
from hanabira.demo import history
from hanabira.demo.pictures import PHOTOS
from hanabira.demo.sitters import Sitter, sitters
from hanabira.demo.worked import SHOTS, WORK
from hanabira.studio.pictures import read_picture
from hanabira.studio.records import LogRow, Photo, Recipe

JUDGED = {"pony": 2, "owl": 1}
"""How many of the last photos Check is asked about."""


def at_work(sitter: Sitter, today: datetime.date) -> tuple[Work, tuple[tuple[LogRow, ...], ...]]:
    """A sitter's commission at work, and the log as it stood when each photo was taken."""
    path = PHOTOS[sitter.kind]
    pixels = read_picture(path).pixels
    photo = Photo(f"{sitter.commission.id}-photo", sitter.commission.id, "", path.suffix, sitter.file_name, pixels.shape[1], pixels.shape[0], sitter.crop)
    areas = sitter.records(photo.id)
    recipes = {key: Recipe(key, layers, places=places) for key, (layers, places) in history.shipped().items() if key in {a.id for a in areas}}
    listed = [recipes[a.id] for a in areas if a.id in recipes]
    c = history.begun(sitter.commission, photo, areas, listed, sitter.share, sitter.last_day(today))
    rows = history.log(c, photo, areas, listed, sitter.share, seed=len(areas))
    moments = tuple(rows[: round(len(rows) * n / sitter.shots)] for n in range(1, sitter.shots + 1))
    places = {a.id: found_again(pixels, a, recipes[a.id].places, c.picture_mm[0] / sitter.crop[2]) for a in areas if a.id in recipes}
    work = Work(c, photo, pixels, tuple(areas), recipes, places, shipped_kit(c.kit_id))
    return replace(work, recipes=tried(work, moments, len(areas))), moments


def main() -> None:
    shutil.rmtree(SHOTS, ignore_errors=True)
    SHOTS.mkdir()
    told: dict[str, object] = {}
    for sitter in sitters(MACHINE.today()):
        if sitter.share > 0:
            work, moments = at_work(sitter, MACHINE.today())
            taken = photographed(work, moments, sitter.planted, JUDGED[sitter.kind], SHOTS)
            told[work.commission.id] = {"tried": {key: r.tried for key, r in work.recipes.items()}, "taken": taken}
            print(f"{work.commission.name}: {len(taken)} photos", flush=True)
    WORK.write_text(json.dumps({"commissions": told, "practice": practised()}, ensure_ascii=False, indent=1) + "\n")
    print(f"written to {WORK} and {SHOTS}")


if __name__ == "__main__":
    main()
