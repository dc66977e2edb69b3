"""How long a start takes: ``python -m benchmarks.start``. A bare window of the toolkit and the program itself, ``hanabira open`` on the demo, are
started in turn, each in a process of its own, from the command to the painted window; libraries that a start must not load are named from
the interpreter's own list.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

RUNS = 9
NOT_AT_START = ("scipy", "skimage", "reportlab", "alembic", "sqlalchemy", "icalendar", "imagecodecs", "tifffile")
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
    a = QApplication.instance(); a.processEvents()
    print(time.time(), ",".join(sorted({m.partition(".")[0] for m in sys.modules})), flush=True)
    [w.close() for w in a.topLevelWidgets()]
    import os; os._exit(0)
QApplication.exec = staticmethod(stands)
sys.argv = ["hanabira", "open", "--studio", sys.argv[1]]
run()
"""


def _run(code: str, cache: str, *args: str) -> tuple[float, str]:
    """Seconds until the window stands, and what is loaded then, with byte code kept as an installed application has it."""
    env = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}
    env |= {"QT_QPA_PLATFORM": "offscreen", "PYTHONPYCACHEPREFIX": cache}
    before = time.time()
    told = subprocess.run([sys.executable, "-c", code, *args], env=env, capture_output=True, text=True, check=True).stdout
    stood, _, loaded = told.strip().partition(" ")
    return float(stood) - before, loaded


def main() -> None:
    """Print the figures."""
    from hanabira.demo.studio import build_demo

    with tempfile.TemporaryDirectory() as folder:
        studio = Path(folder) / "demo"
        build_demo(studio)
        cache = str(Path(folder) / "cache")
        _run(BARE, cache), _run(OURS, cache, str(studio))  # the first run compiles
        bare, ours, loaded = [], [], ""
        for _ in range(RUNS):
            bare.append(_run(BARE, cache)[0])
            seconds, loaded = _run(OURS, cache, str(studio))
            ours.append(seconds)
    there = set(loaded.strip().split(","))
    print(f"{'start to usable, median of ' + str(RUNS):<64} {sorted(ours)[RUNS // 2]:.2f} s")
    print(f"{'a bare window of the toolkit in the same run':<64} {sorted(bare)[RUNS // 2]:.2f} s")
    print(f"{'ratio':<64} {sorted(ours)[RUNS // 2] / sorted(bare)[RUNS // 2]:.1f}")
    print(f"{'libraries loaded that a start must not wait for':<64} {', '.join(m for m in NOT_AT_START if m in there) or 'none'}")


if __name__ == "__main__":
    main()
