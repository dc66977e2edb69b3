"""A portrait with two hundred areas: entering Areas, choosing one, naming one, as the window does it."""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np

COUNT = 200


def crowded(folder: Path, count: int = COUNT) -> None:
    """The demo studio with so many areas, drawn at random, in the place of the rabbit's own."""
    from hanabira.demo.studio import COMMISSION, build_demo
    from hanabira.studio.records import Area, Commission, Photo
    from hanabira.studio.store import Store

    build_demo(folder)
    with Store.open(folder) as store:
        c, p = store.get(Commission, COMMISSION), store.all(Photo, commission_id=COMMISSION)[0]
        assert c is not None
        store.edit(drop=store.all(Area, commission_id=c.id))
        rng, turn, made = np.random.default_rng(1), np.linspace(0, 2 * np.pi, 24, endpoint=False), []
        for k in range(count):
            x, y, r = rng.uniform(200, p.width_px - 200), rng.uniform(200, p.height_px - 200), rng.uniform(30, 120)
            ring = tuple(
                (float(x + r * s * np.cos(a)), float(y + r * s * np.sin(a))) for a, s in zip(turn, rng.uniform(0.85, 1.15, 24), strict=True)
            )
            made.append(Area(f"n{k}", c.id, p.id, k + 1, f"Area {k + 1}", "short-fur", ring))
        store.edit([replace(c, stage="Brief"), *made])
        store.keep_setting("commission", c.id)


def many_areas(row: Callable[[str, str, str], None]) -> None:
    """Print how long the window takes until it shows what was asked for."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from hanabira.desk.jobs import JobRunner
    from hanabira.desk.start import make_app
    from hanabira.desk.window import Desk
    from hanabira.session.edits import RenameArea
    from hanabira.session.session import Session
    from hanabira.studio.store import Store

    with tempfile.TemporaryDirectory() as temp:
        crowded(Path(temp) / "demo")
        app = make_app()
        session = Session(Store.open(Path(temp) / "demo"), JobRunner())
        desk = Desk(session)
        desk.resize(1280, 800)
        desk.show()

        def settle() -> None:
            for _ in range(2):
                while session.jobs.busy:
                    app.processEvents()
                    time.sleep(0.002)
                app.processEvents()

        def shown(act: Callable[[], object]) -> float:
            t = time.perf_counter()
            act()
            desk.stages["Areas"].mat.repaint()  # type: ignore[attr-defined]
            taken = time.perf_counter() - t
            settle()
            return taken

        settle()
        row(f"{COUNT} areas: entering Areas until it shows", f"{shown(lambda: desk.go('Areas')) * 1000:.0f} ms", "under 300 ms")
        chosen = [shown(lambda k=k: session.choose_area(f"n{k}")) for k in (7, 50, 120)]  # type: ignore[misc]
        row("  choosing one, slowest of three", f"{max(chosen) * 1000:.0f} ms", "under 300 ms")
        area = session.area
        assert area is not None
        row("  naming it", f"{shown(lambda: session.do(RenameArea(session, area, 'Brow'))) * 1000:.0f} ms", "under 300 ms")
        desk.close()
