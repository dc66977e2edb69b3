"""Start the application: fonts, theme, studio, window."""

from __future__ import annotations

import gc
import os
import socket
import sys
from pathlib import Path

from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication, QWidget

from hanabira.core.faults import StudioFault
from hanabira.desk import theme
from hanabira.desk.jobs import JobRunner
from hanabira.desk.rescue import Rescue
from hanabira.desk.window import Desk
from hanabira.session.runner import processors
from hanabira.session.session import Session
from hanabira.studio.store import Store, default_folder

_kept: list[QApplication] = []
"""Qt's application dies with its last Python name; this is that name."""
_windows: list[QWidget] = []
"""The window that is open; another one takes its place when a studio goes back to a backup."""


ICON = Path(__file__).parent.parent / "desktop" / "org.hanabira.Hanabira.svg"


def make_app(argv: list[str] | None = None) -> QApplication:
    """The Qt application with our typefaces."""
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication(argv if argv is not None else sys.argv[:1])
        _kept.append(app)
    app.setApplicationName("Hanabira")
    app.setDesktopFileName("org.hanabira.Hanabira")
    app.setWindowIcon(QIcon(str(ICON)))
    if app.property("fonts") is None:
        theme.load_fonts()
        app.setProperty("fonts", True)
    return app


def open_window(folder: Path | None = None) -> QWidget:
    """The window on a studio, not yet shown; one that says what is wrong and offers the way back where it does not open."""

    folder = folder or default_folder()
    app = make_app()

    def show(studio: Path) -> None:
        stand(open_window(studio))

    window: QWidget
    try:
        store = Store.open(folder)
    except StudioFault as fault:
        theme.use("day", 1.0)
        theme.apply(app)
        window = Rescue(folder, fault, lambda: show(folder))
    else:
        session = Session(store, JobRunner())
        session.at_once = processors()
        session.awake = False  # the window stands first: see `stand`
        sys.excepthook = session.messages.hook
        window = Desk(session)
        window.show_studio = show
    _windows[:] = [window]
    return window


def stand(window: QWidget) -> None:
    """Show a window; what computes is loaded once it is painted."""
    window.show()
    QApplication.processEvents()
    if isinstance(window, Desk):
        window.session.wake()


def start(folder: Path | None = None, bundle: Path | None = None) -> int:
    """Open a window on a studio and run until it is closed; a ``bundle`` is taken in. Raises `StudioFault` where no screen can be reached."""
    if not has_display():
        raise StudioFault("There is no display on which a window could open.", do="Set DISPLAY, or use the other commands.")
    app = make_app()
    window = open_window(folder)
    stand(window)
    # what stands now stays as long as the window: later searches for garbage pass it over, and so hold nobody up
    gc.freeze()
    gc.enable()
    if bundle is not None:
        take_in(window, bundle)
    return app.exec()


def take_in(window: QWidget, bundle: Path) -> None:
    """Take a bundle into the studio of a window; a window that only says what is wrong with its studio takes none."""

    if isinstance(window, Desk):
        window.show_room("Shelf")
        window.stages["Shelf"].take_in(str(bundle.absolute()))


def has_display() -> bool:
    """Whether a screen can be reached."""
    if os.environ.get("QT_QPA_PLATFORM") or os.environ.get("WAYLAND_DISPLAY"):
        return True
    name = os.environ.get("DISPLAY", "")
    host, _colon, number = name.partition(":")
    if not name or host not in ("", "unix"):
        return bool(name)
    path = f"/tmp/.X11-unix/X{number.partition('.')[0]}"
    for address in (path, f"\0{path}"):
        with socket.socket(socket.AF_UNIX) as door:
            try:
                door.connect(address)
                return True
            except OSError:
                continue
    return False
