"""Render docs/screenshots from the demo studio: ``python -m tools.screenshots docs/screenshots``."""

from __future__ import annotations

import os
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PIL import Image  # noqa: E402  (the platform has to be named before the toolkit is loaded)
from PyQt6.QtWidgets import QApplication  # noqa: E402
from shapely import Polygon, unary_union  # noqa: E402

from hanabira.demo.studio import build_demo  # noqa: E402
from hanabira.desk.jobs import JobRunner  # noqa: E402
from hanabira.desk.start import make_app  # noqa: E402
from hanabira.desk.virtual import SIZE, settle  # noqa: E402
from hanabira.desk.window import Desk  # noqa: E402
from hanabira.handbook import pages as handbook  # noqa: E402
from hanabira.session.edits import ChangeAreas  # noqa: E402
from hanabira.session.session import Session  # noqa: E402
from hanabira.studio.store import Store  # noqa: E402

PICTURES = handbook.FOLDER / "pictures"
SMALL_PX = 840
"""Width of the pictures that ship inside the handbook."""


@dataclass
class Shown:
    """An open desk with its session, and how to wait for it and take its picture."""

    app: QApplication
    desk: Desk
    session: Session
    target: Path

    def quiet(self, times: int = 2) -> None:
        """Let all work end, and what it starts."""
        for _ in range(times):
            settle(self.app, lambda: self.session.jobs.busy, 180)

    def save(self, name: str) -> None:
        """Keep what is shown."""
        path = self.target / f"{name}.png"
        self.desk.grab().save(str(path))
        with Image.open(path) as image:
            image.convert("RGB").save(path, optimize=True)
            small = image.convert("RGB").resize((SMALL_PX, round(image.height * SMALL_PX / image.width)), Image.Resampling.LANCZOS)
            small.save(PICTURES / f"{name}.jpg", quality=82, optimize=True)
        print(path)

    def area(self, name: str, tab: str) -> None:
        """Choose an area by its name, and a tab of the open stage."""
        self.session.choose_area(next(a.id for a in self.session.areas if a.name == name))
        self.quiet()
        self.desk.current.show_tab(tab)
        self.quiet()


@contextmanager
def opened(app: QApplication, studio: Path, target: Path, **settings: object) -> Iterator[Shown]:
    """A desk over the demo, in the day theme unless settings say otherwise."""
    store = Store.open(studio)
    for key, value in {"theme": "day", **settings}.items():
        store.keep_setting(key, value)
    session = Session(store, JobRunner())
    desk = Desk(session)
    desk.resize(*SIZE)
    desk.show()
    yield Shown(app, desk, session, target)
    desk.close()


def write_docs(folder: Path, pictures: str) -> None:
    """The handbook's pages in ``docs/handbook``, with the large pictures."""
    folder.mkdir(exist_ok=True)
    for page in handbook.pages().values():
        (folder / f"{page.name}.md").write_text(handbook.for_docs(page.text, pictures), "utf-8")


def main(target: Path) -> None:
    """Every picture, from a demo built for them."""
    target.mkdir(parents=True, exist_ok=True)
    PICTURES.mkdir(exist_ok=True)
    write_docs(target.parent / "handbook", f"../{target.name}")
    app = make_app()
    with tempfile.TemporaryDirectory() as folder:
        studio = Path(folder) / "demo"
        build_demo(studio)
        stages(app, studio, target)
        for what in (study_and_areas, kit_room, checks, whole_animal):
            what(app, studio, target)


def stages(app: QApplication, studio: Path, target: Path) -> None:
    """The first stages by day, Recipe in the evening."""
    for theme, suffix, names in (("day", "", ("Shelf", "Brief", "Study", "Areas", "Recipe")), ("evening", "-evening", ("Recipe",))):
        with opened(app, studio, target, theme=theme) as shown:
            for name in names:
                shown.desk.show_room(name) if name == "Shelf" else shown.desk.go(name)
                shown.quiet(1)
                if name == "Recipe":
                    shown.desk.current._choose(len(shown.session.recipe_layers(shown.session.area_id)) - 2)
                    shown.quiet(1)
                shown.save(f"{name.lower()}{suffix}")


def checks(app: QApplication, studio: Path, target: Path) -> None:
    """A photo of the work held against the plan, the look before the numbers, and a drill."""
    for mornings in (False, True):
        with opened(app, studio, target, mornings=mornings, commission="demo-bracken") as shown:
            shown.desk.go("Check")
            shown.quiet(3)
            if mornings:
                look = shown.desk.current.morning
                look.touch(0.86, 0.33)
                look.say(4)
                look.be_sure(True)
                shown.save("check-morning")
                continue
            shown.save("check")
            shown.desk.show_room("Practice")
            shown.quiet(1)
            room = shown.desk.current
            room.choose_drill("value-step")
            room.begin()
            room.set_guess(45)
            room.next()
            if room.first is not None:  # the same spot on neutral
                room.set_guess(40)
                room.next()
            shown.quiet(1)
            shown.save("practice")


LOOSE_PX, CORNER_PX = 40, 14
"""How far outside the demo's own areas the loose loop runs, and how coarse it is."""


def whole_animal(app: QApplication, studio: Path, target: Path) -> None:
    """The rabbit as it comes in, parted at once: patches that nobody has accepted yet."""
    with opened(app, studio, target, commission="demo-tansy") as shown:
        session, whole = shown.session, shown.session.whole
        shown.quiet()
        eye = next(a.eye for a in session.areas if a.surface_id == "eye")
        nose = next(a.ring for a in session.areas if a.surface_id == "nose")
        loop = unary_union([Polygon(a.ring) for a in session.areas]).buffer(LOOSE_PX).simplify(CORNER_PX).exterior.coords
        session.do(ChangeAreas(session, "areas", list(session.areas), []))
        shown.desk.go("Areas")
        shown.desk.current.part_whole()
        whole.draw_loop(tuple((float(x), float(y)) for x, y in loop))
        shown.quiet(3)
        whole.show_eye(*eye)
        whole.show_nose((sum(x for x, _y in nose) / len(nose), sum(y for _x, y in nose) / len(nose)))
        shown.quiet(3)
        shown.save("areas-whole")


def study_and_areas(app: QApplication, studio: Path, target: Path) -> None:
    """The animal cut out, the grid, an eye beside its twin, a marking traced."""
    with opened(app, studio, target) as shown:
        session, desk = shown.session, shown.desk
        session.open_commission("demo-vesper")
        desk.go("Study")
        shown.quiet()
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
        shown.quiet()
        shown.save("study-cut")
        study.show_cut(False)
        study.choose_way("grid")
        study.set_grid("grid_on", True)
        study.gestures["line"].kept = ((737.0, 362.0), (957.0, 371.0))
        shown.quiet()
        study.set_grid("grid_on", False)
        desk.go("Areas")
        shown.area("Left eye", "parts")
        shown.save("areas-eye")
        session.open_commission("demo-tansy")
        shown.quiet()
        desk.go("Recipe")
        shown.quiet()
        session.choose_area("demo-area-8")
        shown.quiet()
        shown.quiet()
        shown.area("Eye", "layers")
        desk.current.show_band("iris lower")
        shown.quiet()
        shown.save("recipe-eye")
        session.open_commission("demo-bracken")
        shown.quiet()
        desk.go("Brief")
        desk.current.show_tab("agreement")
        shown.quiet()
        shown.save("brief-agreement")
        desk.current.show_tab("order")
        desk.go("Plan")
        shown.quiet()
        desk.current.show_card("days")
        shown.quiet()
        shown.save("plan")
        desk.go("Easel")
        shown.quiet()
        shown.save("easel")
        desk.current.show_bench(True, "log")
        shown.quiet()
        shown.save("easel-log")
        desk.current.show_bench(False)


def kit_room(app: QApplication, studio: Path, target: Path) -> None:
    """The kit after its swatches were read by the stand-in scanner, and the sheet as it was read."""
    with opened(app, studio, target) as shown:
        desk = shown.desk
        desk.show_room("Kit")
        room = desk.current
        room.reading.simulate_scan()
        shown.quiet(1)
        room.reading._choose(37)
        shown.save("swatches")
        room.reading.fit()
        shown.quiet(1)
        room.choose("122")
        room.choose("209")
        desk.message_strip.hide()
        shown.quiet(1)
        shown.save("kit")


if __name__ == "__main__":
    main(Path(sys.argv[1] if len(sys.argv) > 1 else "docs/screenshots"))
