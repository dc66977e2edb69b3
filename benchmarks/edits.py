"""What an edit costs in a studio with few and with many commissions: one typed letter, ratio in one run."""

from __future__ import annotations

import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path


def edits(row: Callable[[str, str, str], None]) -> None:
    """Print the ratio of an edit with 300 commissions to one with 3."""
    from hanabira.core.area.shape import rectangle
    from hanabira.core.solver.layer import Layer
    from hanabira.session.edits import EditBrief
    from hanabira.session.runner import InlineRunner
    from hanabira.session.session import Session
    from hanabira.studio.records import Area, Commission, Photo, Recipe
    from hanabira.studio.store import Store

    sessions: dict[int, Session] = {}
    with tempfile.TemporaryDirectory() as folder:
        for count in (3, 300):
            store = Store.open(Path(folder) / str(count))
            layers = tuple(Layer("general", "203", 2, 2, "everywhere", "flick", 3.0, id=str(k)) for k in range(10))
            for n in range(count):
                c = Commission(f"c{n}", f"Portrait {n}", created=f"2026-01-01T{n // 60:02d}:{n % 60:02d}:00")
                p = Photo(f"p{n}", c.id, "d" * 64, ".jpg", "x.jpg", 2000, 2500, (0.0, 0.0, 2000.0, 2500.0))
                areas = [
                    Area(f"a{n}-{k}", c.id, p.id, k + 1, f"Area {k}", "short-fur", rectangle(20 + 90 * k, 20, 80, 80)) for k in range(12)
                ]
                store.edit([c, p, *areas, *(Recipe(a.id, layers) for a in areas)])
            sessions[count] = Session(store, InlineRunner())
            sessions[count].darkroom.load = lambda: None  # type: ignore[method-assign]  # there are no files behind these photos
            sessions[count].open_commission("c1")
        times: dict[int, list[float]] = {3: [], 300: []}
        for k in range(40):
            for count, s in sessions.items():  # side by side, so that both meet the same machine
                c = s.commission
                assert c is not None
                t = time.perf_counter()
                s.do(EditBrief(s, "notes", True, notes=f"{c.notes}{k % 10}"))
                times[count].append(time.perf_counter() - t)
        few, many = (statistics.median(times[n]) for n in (3, 300))
        row("A typed letter with 300 commissions, against 3", f"{many / few:.2f} times ({many * 1000:.1f} ms)", "about 1")
        for s in sessions.values():
            s.shut()
