"""Minutes a square centimetre of each surface takes, from recipes that were solved: makes `craft/data/first_hours.toml`.

    python -m training.first_hours ANIMALS.json [--rows ROWS.json]

``ANIMALS.json`` is a list of {photo, loop: [[x, y] …], eyes: [[x, y, r] …], nose: [x, y] or null, surfaces: [id …]}: each animal is parted, planned as every one
of its surfaces, and solved, as the window does it. Printed are the figures, and what each animal would have been told by the others' alone. Photographs do not
ship: the figures that do were made from twelve photographs with hand-drawn outlines (a cat, a kitten, a dog, a cheetah, a koala, a bison, a panda, a
quokka, a raccoon; an owl, a macaw and a robin for feathers).
"""

from __future__ import annotations

import argparse
import json
import tempfile
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from hanabira.core.schedule.work import area_minutes
from hanabira.session.runner import InlineRunner, processors
from hanabira.session.session import Session
from hanabira.studio.records import Commission, Photo
from hanabira.studio.store import Store

LONGER_MM = 380.0
"""Longer side of the picture each animal is planned at."""
Row = tuple[str, str, float, float, int]
"""Animal, surface, cm², minutes at finish 3, layers."""


def rows_of(animal: dict, surface: str) -> list[Row]:
    """One animal parted, planned as one surface and solved; its areas."""
    with tempfile.TemporaryDirectory() as folder:
        store = Store.open(Path(folder) / "studio")
        session = Session(store, InlineRunner())
        session.at_once = processors()
        digest, suffix, (w, h) = store.take_in(Path(animal["photo"]))
        k = LONGER_MM / max(w, h)
        photo = Photo("p", "c", digest, suffix, "animal", w, h, (0.0, 0.0, float(w), float(h)), "main", 0)
        store.edit([Commission("c", "Animal", created="2026-01-03T00:00:00", width_mm=w * k, height_mm=h * k, border_mm=0.0), photo])
        session.open_commission("c")
        whole = session.whole
        whole.begin()
        whole.set_surface(surface)
        for x, y, r in animal["eyes"]:
            whole.show_eye((x, y), (x + r, y))
        if animal["nose"]:
            whole.show_nose(tuple(animal["nose"]))
        whole.draw_loop(tuple((float(x), float(y)) for x, y in animal["loop"]))
        whole.accept_all()
        session.portrait.solve_all()
        planned = session.planner.planned()
        work = planned.work if planned is not None else ()
        session.shut()
        return [(animal["photo"], a.surface_id, a.mm2 / 100, area_minutes(a), len(a.layers)) for a in work]


def figures(rows: Sequence[Row]) -> tuple[float, dict[str, tuple[float, float, int]]]:
    """Minutes an area takes however small it is, and for each surface minutes a cm², the spread of single areas round that (natural log) and how many they are."""
    least = 1.5 * float(np.median([r[4] for r in rows]))
    out = {}
    for surface in sorted({r[1] for r in rows}):
        mine = [r for r in rows if r[1] == surface]
        cm2, minutes = np.array([r[2] for r in mine]), np.array([r[3] for r in mine])
        rate = float(np.exp(np.median(np.log(np.maximum(minutes - least, 0.1 * minutes) / cm2))))
        told = least + rate * cm2
        out[surface] = rate, float(np.std(np.log(minutes / told))), len(mine)
    return least, out


def told(rows: Sequence[Row], least: float, rates: dict[str, tuple[float, float, int]]) -> float:
    """Minutes of some areas by the figures."""
    return sum(least + rates[r[1]][0] * r[2] for r in rows if r[1] in rates)


def main() -> None:
    """Solve, print the figures and how each animal would have been told by the others."""
    p = argparse.ArgumentParser(description=__doc__)
    p.add_argument("animals")
    p.add_argument("--rows", help="where the solved areas are kept; read again where they are there")
    args = p.parse_args()
    kept = Path(args.rows) if args.rows else None
    plans: dict[str, list[Row]] = json.loads(kept.read_text()) if kept is not None and kept.exists() else {}
    for animal in json.loads(Path(args.animals).read_text()):
        for surface in animal["surfaces"]:
            key = f"{animal['photo']} {surface}"
            if key not in plans:
                plans[key] = rows_of(animal, surface)
                print(f"{key}: {len(plans[key])} areas, {sum(r[3] for r in plans[key]) / 60:.1f} h", flush=True)
                if kept is not None:
                    kept.write_text(json.dumps(plans))
    rows = [r for found in plans.values() for r in found]
    least, rates = figures(rows)
    print(f"least_min = {least:.1f}")
    for surface, (rate, spread, count) in rates.items():
        print(f"[surface.{surface}]\nmin_a_cm2 = {rate:.2f}\nspread = {spread:.2f}\nareas = {count}")
    ratios = []
    for key, found in plans.items():
        others = [r for k, f in plans.items() if k.split()[0] != key.split()[0] for r in f]
        left, by = figures(others)
        known = [r for r in found if r[1] in by]
        ratios.append(np.log(sum(r[3] for r in known) / told(known, left, by)))
        print(f"{key}: solved {np.exp(ratios[-1]):.2f} of what the others tell")
    print(f"whole animals, told by the others: spread {np.std(ratios):.2f}, median {np.exp(np.median(ratios)):.2f}, 8 of 10 within ×{np.exp(np.quantile(np.abs(ratios), 0.8)):.2f}")


if __name__ == "__main__":
    main()
