"""Render docs/screenshots from the demo studio: ``python -m tools.screenshots docs/screenshots``."""

from __future__ import annotations

import os
import sys
import tempfile
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


def main(target: Path) -> None:
    from hanabira.demo.studio import build_demo
    from hanabira.desk.jobs import JobRunner
    from hanabira.desk.start import make_app
    from hanabira.desk.virtual import settle
    from hanabira.desk.window import Desk
    from hanabira.session.session import Session
    from hanabira.studio.store import Store

    target.mkdir(parents=True, exist_ok=True)
    app = make_app()
    with tempfile.TemporaryDirectory() as folder:
        build_demo(Path(folder) / "demo")
        for theme, suffix, stages in (("day", "", ("Shelf", "Brief", "Study", "Areas", "Recipe")), ("evening", "-evening", ("Recipe",))):
            store = Store.open(Path(folder) / "demo")
            store.keep_setting("theme", theme)
            model = Session(store, JobRunner())
            desk = Desk(model)
            desk.resize(1280, 800)
            desk.show()
            for name in stages:
                desk.show_room(name) if name == "Shelf" else desk.go(name)
                settle(app, lambda model=model: model.jobs.busy)
                if name == "Recipe":
                    desk.current._choose(len(model.recipe_layers(model.area_id)) - 2)
                    settle(app, lambda model=model: model.jobs.busy)
                path = target / f"{name.lower()}{suffix}.png"
                _save(desk, path)
            desk.close()
        study_and_areas(app, Path(folder) / "demo", target)
        kit_room(app, Path(folder) / "demo", target)
        checks(app, Path(folder) / "demo", target)


def checks(app, studio: Path, target: Path) -> None:  # noqa: ANN001
    """A photo of the work held against the plan, and the look before the numbers."""
    from hanabira.desk.jobs import JobRunner
    from hanabira.desk.virtual import settle
    from hanabira.desk.window import Desk
    from hanabira.session.session import Session
    from hanabira.studio.store import Store

    for name, mornings in (("check", False), ("check-morning", True)):
        store = Store.open(studio)
        store.keep_setting("theme", "day")
        store.keep_setting("mornings", mornings)
        store.keep_setting("commission", "demo-bracken")
        model = Session(store, JobRunner())
        desk = Desk(model)
        desk.resize(1280, 800)
        desk.show()
        desk.go("Check")
        for _ in range(3):
            settle(app, lambda model=model: model.jobs.busy, 180)
        if mornings:
            look = desk.current.morning
            look.touch(0.86, 0.33)
            look.say(4)
            look.be_sure(True)
        _save(desk, target / f"{name}.png")
        if not mornings:
            desk.show_room("Practice")
            settle(app, lambda model=model: model.jobs.busy, 180)
            room = desk.current
            room.begin()
            room.set_guess(45)
            room.next()
            settle(app, lambda model=model: model.jobs.busy, 180)
            _save(desk, target / "practice.png")
        desk.close()


def study_and_areas(app, studio: Path, target: Path) -> None:  # noqa: ANN001
    """The animal cut out, the grid, an eye beside its twin, a marking traced."""
    from hanabira.desk.jobs import JobRunner
    from hanabira.desk.virtual import settle
    from hanabira.desk.window import Desk
    from hanabira.session.session import Session
    from hanabira.studio.store import Store

    store = Store.open(studio)
    store.keep_setting("theme", "day")
    model = Session(store, JobRunner())
    desk = Desk(model)
    desk.resize(1280, 800)
    desk.show()

    def quiet() -> None:
        for _ in range(2):
            settle(app, lambda: model.jobs.busy, 180)

    def area(name: str, tab: str) -> None:
        model.choose_area(next(a.id for a in model.areas if a.name == name))
        quiet()
        desk.current.show_tab(tab)
        quiet()

    model.open_commission("demo-vesper")
    desk.go("Study")
    quiet()
    study = desk.current
    study.choose_way("cut")
    ring = (
        (560, 90),
        (850, 30),
        (1090, 110),
        (1190, 420),
        (1160, 640),
        (1195, 1000),
        (1130, 1190),
        (380, 1190),
        (375, 900),
        (420, 600),
        (470, 300),
    )
    study.cut_out(tuple((float(x), float(y)) for x, y in ring))
    quiet()
    _save(desk, target / "study-cut.png")
    study.show_cut(False)
    study.choose_way("grid")
    study.set_grid("grid_on", True)
    study.gestures["line"].kept = ((737.0, 362.0), (957.0, 371.0))
    quiet()
    study.set_grid("grid_on", False)
    desk.go("Areas")
    area("Left eye", "parts")
    _save(desk, target / "areas-eye.png")
    model.open_commission("demo-bracken")
    desk.go("Areas")
    quiet()
    area("Dappled neck", "marking")
    _save(desk, target / "areas-marking.png")
    model.open_commission("demo-tansy")
    quiet()
    desk.go("Recipe")
    quiet()
    model.choose_area("demo-area-8")
    quiet()
    quiet()
    area("Eye", "layers")
    desk.current.show_band("iris lower")
    quiet()
    _save(desk, target / "recipe-eye.png")
    model.open_commission("demo-bracken")
    quiet()
    desk.go("Brief")
    desk.current.show_tab("agreement")
    quiet()
    _save(desk, target / "brief-agreement.png")
    desk.current.show_tab("order")
    desk.go("Plan")
    quiet()
    desk.current.show_card("days")
    quiet()
    _save(desk, target / "plan.png")
    desk.go("Easel")
    quiet()
    _save(desk, target / "easel.png")
    desk.current.show_bench(True, "log")
    quiet()
    _save(desk, target / "easel-log.png")
    desk.current.show_bench(False)
    desk.close()


def kit_room(app, studio: Path, target: Path) -> None:  # noqa: ANN001
    """The kit after its swatches were read by the stand-in scanner, and the sheet as it was read."""
    from hanabira.desk.jobs import JobRunner
    from hanabira.desk.virtual import settle
    from hanabira.desk.window import Desk
    from hanabira.session.session import Session
    from hanabira.studio.store import Store

    store = Store.open(studio)
    store.keep_setting("theme", "day")
    model = Session(store, JobRunner())
    desk = Desk(model)
    desk.resize(1280, 800)
    desk.show()
    desk.show_room("Kit")
    room = desk.current
    room.reading.simulate_scan()
    settle(app, lambda: model.jobs.busy, 180)
    room.reading._choose(37)
    _save(desk, target / "swatches.png")
    room.reading.fit()
    settle(app, lambda: model.jobs.busy, 180)
    room.choose("122")
    room.choose("209")
    desk.message_strip.hide()
    settle(app, lambda: model.jobs.busy)
    _save(desk, target / "kit.png")
    desk.close()


def _save(desk, path: Path) -> None:  # noqa: ANN001
    from PIL import Image

    desk.grab().save(str(path))
    with Image.open(path) as image:
        image.convert("RGB").save(path, optimize=True)
    print(path)


if __name__ == "__main__":
    main(Path(sys.argv[1] if len(sys.argv) > 1 else "docs/screenshots"))
