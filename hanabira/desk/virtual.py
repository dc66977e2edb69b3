"""With no display: the same window under a virtual screen, with a picture of each stage."""

from __future__ import annotations

import contextlib
import os
import shutil
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent

from hanabira.desk.start import has_display, make_app, start

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QApplication

SIZE = (1280, 800)
STAGES = ("Brief", "Study", "Areas", "Recipe", "Plan", "Easel", "Check")


def show_on_virtual_screen(folder: Path) -> int:
    """Start a virtual screen, photograph the stages on it, say where the pictures are."""
    pictures = folder.parent / "pictures"
    print("There is no display here. Starting the same window on a virtual screen instead.")
    with virtual_screen() as environment:
        code = subprocess.run(
            [sys.executable, "-m", "hanabira.desk.virtual", str(folder), str(pictures)], env=environment, check=False
        ).returncode
    if code == 0:
        print(f"A picture of each stage lies in {pictures}")
    return code


@contextlib.contextmanager
def virtual_screen() -> Iterator[dict[str, str]]:
    """A virtual screen of its own: the environment in which a process opens its windows there, or draws them without any screen."""
    program = shutil.which("Xvfb")
    if program is None:
        print("Xvfb is not installed, so the window is drawn without any screen.")
        yield {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
        return
    read, write = os.pipe()
    server = subprocess.Popen(
        [program, "-displayfd", str(write), "-screen", "0", f"{SIZE[0]}x{SIZE[1]}x24", "-nolisten", "tcp"],
        pass_fds=[write],
        stderr=subprocess.DEVNULL,
    )
    os.close(write)
    try:
        with os.fdopen(read) as answer:
            # to the end of the line: closing earlier would end the server as it writes
            number = answer.readline().strip()
        yield {**os.environ, "DISPLAY": f":{number}", "QT_QPA_PLATFORM": "xcb"}
    finally:
        server.terminate()
        server.wait()


def settle(app: QApplication, busy: Callable[[], bool], most_s: float = 60.0) -> None:
    """Let the window finish its work."""
    end = time.monotonic() + most_s
    quiet = 0
    while quiet < 4 and time.monotonic() < end:
        app.processEvents()
        app.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        quiet = 0 if busy() else quiet + 1
        time.sleep(0.02)


def photograph(folder: Path, pictures: Path, stages: tuple[str, ...] = STAGES) -> None:
    """Open the studio and save a picture of each stage."""
    from hanabira.desk.jobs import JobRunner
    from hanabira.desk.window import Desk
    from hanabira.session.session import Session
    from hanabira.studio.store import Store

    app = make_app()
    session = Session(Store.open(folder), JobRunner())
    sys.excepthook = session.messages.hook
    desk = Desk(session)
    desk.resize(*SIZE)
    desk.show()
    pictures.mkdir(parents=True, exist_ok=True)
    for name in stages:
        desk.go(name)
        settle(app, lambda: session.jobs.busy)
        desk.grab().save(str(pictures / f"{name.lower()}.png"))
    desk.close()


def start_or_show(folder: Path) -> int:
    """Start the window; without a display say so, start under a virtual screen and leave pictures of the stages."""
    if has_display():
        return start(folder)
    return show_on_virtual_screen(folder)


if __name__ == "__main__":
    photograph(Path(sys.argv[1]), Path(sys.argv[2]))
