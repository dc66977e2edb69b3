"""How long a start takes: ``python -m benchmarks.start``. A bare window of the toolkit and the program itself, ``hanabira open`` on the demo, are
started in turn, each in a process of its own, from the command to the painted window. A window stands on the records; the mathematics is loaded when it is
painted, and then the photo comes with its outlines: how long that takes is told as well, and what a start costs that was left in another stage.
Libraries that a start must not load are named from the interpreter's own list, and what its imports take from ``-X importtime``.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

RUNS = 9
FEWER = 5
NOT_AT_START = (
    "numpy", "cv2", "PIL", "shapely", "scipy", "skimage", "reportlab", "alembic", "sqlalchemy", "icalendar", "imagecodecs", "tifffile",
)  # fmt: skip
OTHERS = ("Brief", "Study", "Recipe", "Plan", "Easel", "Check")
BARE = """
from PyQt6.QtWidgets import QApplication, QMainWindow
a = QApplication([]); w = QMainWindow(); w.show(); a.processEvents()
import time; print(time.time(), flush=True)
import os; os._exit(0)
"""
OURS = """
import sys, time
from hanabira.__main__ import run
from PyQt6.QtWidgets import QApplication
def stands():
    from hanabira.core.later import Waiting
    loaded = sorted({m.partition(".")[0] for m, what in sys.modules.items() if not isinstance(what, Waiting)})
    a = QApplication.instance(); a.processEvents()
    stood = time.time()
    (window,) = [w for w in a.topLevelWidgets() if w.isVisible() and w.inherits("QMainWindow")]
    while window.session.view is None:
        a.processEvents(); time.sleep(0.001)
    a.processEvents()  # it is painted
    print(stood, time.time(), window.current.name, ",".join(loaded), flush=True)
    window.close()
    import os; os._exit(0)
QApplication.exec = staticmethod(stands)
sys.argv = ["hanabira", "open", "--studio", sys.argv[1]]
run()
"""


def _process(cache: str, *args: str) -> subprocess.CompletedProcess[str]:
    """A process of its own, with byte code kept as an installed application has it."""
    env = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}
    env |= {"QT_QPA_PLATFORM": "offscreen", "PYTHONPYCACHEPREFIX": cache}
    return subprocess.run([sys.executable, *args], env=env, capture_output=True, text=True, check=True)


def _run(code: str, cache: str, *args: str) -> tuple[float, list[str]]:
    """Seconds until the window stands, and what else was told."""
    before = time.time()
    told = _process(cache, "-c", code, *args).stdout.split()
    return float(told[0]) - before, [str(float(told[1]) - before), *told[2:]] if told[1:] else []


def _imports(cache: str, studio: str) -> tuple[float, list[tuple[float, str]]]:
    """Milliseconds that imports take until the window stands, and the dearest modules by their own time; being watched makes each of them dearer."""
    told = _process(cache, "-X", "importtime", "-c", OURS, studio).stderr
    rows = [line.removeprefix("import time:").split("|") for line in told.splitlines() if line.startswith("import time:")]
    own = [(int(row[0]) / 1000, row[2].strip()) for row in rows if row[0].strip().isdigit()]
    until = next((k for k, (_ms, name) in enumerate(own) if name.partition(".")[0] == "numpy"), len(own))  # from here on the window stands
    return sum(ms for ms, _name in own[:until]), sorted(own[:until], reverse=True)[:5]


def _left_in(studio: Path, stage: str) -> None:
    """Leave every commission of a studio in a stage."""
    from hanabira.studio.records import Commission
    from hanabira.studio.store import Store

    with Store.open(studio) as store:
        store.edit([replace(c, stage=stage) for c in store.all(Commission)])


def _middle(values: list[float]) -> float:
    return sorted(values)[len(values) // 2]


def main() -> None:
    """Print the figures."""
    from hanabira.demo.studio import build_demo

    with tempfile.TemporaryDirectory() as folder:
        studio = Path(folder) / "demo"
        build_demo(studio)
        _left_in(studio, "Areas")
        cache = str(Path(folder) / "cache")
        _run(BARE, cache), _run(OURS, cache, str(studio))  # the first run compiles
        bare, ours, photo, loaded = [], [], [], ""
        for _ in range(RUNS):
            bare.append(_run(BARE, cache)[0])
            seconds, (with_photo, stage, loaded) = _run(OURS, cache, str(studio))
            assert stage == "Areas", f"{stage} was opened"
            ours.append(seconds)
            photo.append(float(with_photo))
        there = set(loaded.split(","))
        print(f"{f'start to usable, in Areas, median of {RUNS}':<64} {_middle(ours):.2f} s")
        print(f"{'a bare window of the toolkit in the same run':<64} {_middle(bare):.2f} s")
        print(f"{'ratio':<64} {_middle(ours) / _middle(bare):.1f}")
        print(f"{'until the photo stands in it, with its outlines':<64} {_middle(photo):.2f} s")
        print(f"{'libraries loaded that a start must not wait for':<64} {', '.join(m for m in NOT_AT_START if m in there) or 'none'}")
        total, dearest = _imports(cache, str(studio))
        print(f"{'imports until it stands, under watch':<64} {total:.0f} ms: {', '.join(f'{name} {ms:.0f}' for ms, name in dearest)}")
        for other in OTHERS:
            _left_in(studio, other)
            _run(OURS, cache, str(studio))
            some = [_run(OURS, cache, str(studio)) for _ in range(FEWER)]
            assert all(told[1] == other for _s, told in some), f"{other} was not opened"
            figures = f"{_middle([s for s, _t in some]):.2f} s, its photo at {_middle([float(t[0]) for _s, t in some]):.2f} s"
            print(f"{f'start to usable, left in {other}, median of {FEWER}':<64} {figures}")


if __name__ == "__main__":
    main()
