"""Render docs/screenshots from the demo studio: ``python -m tools.screenshots docs/screenshots``."""

from __future__ import annotations

import os
import sys
import tempfile
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


def main(target: Path) -> None:
    from PIL import Image

    from hanabira.demo.studio import build_demo
    from hanabira.desk.model import Model
    from hanabira.desk.start import make_app
    from hanabira.desk.virtual import settle
    from hanabira.desk.window import Desk
    from hanabira.studio.store import Store

    target.mkdir(parents=True, exist_ok=True)
    app = make_app()
    with tempfile.TemporaryDirectory() as folder:
        build_demo(Path(folder) / "demo")
        for theme, suffix, stages in (("day", "", ("Shelf", "Brief", "Study", "Areas", "Recipe")), ("evening", "-evening", ("Recipe",))):
            store = Store.open(Path(folder) / "demo")
            store.keep_setting("theme", theme)
            model = Model(store)
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
                desk.grab().save(str(path))
                with Image.open(path) as image:
                    image.convert("RGB").save(path, optimize=True)
                print(path)
            desk.close()


if __name__ == "__main__":
    main(Path(sys.argv[1] if len(sys.argv) > 1 else "docs/screenshots"))
