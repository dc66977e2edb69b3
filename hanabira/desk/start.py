"""Start the application: fonts, theme, studio, window."""

from __future__ import annotations

import os
import sys
from pathlib import Path

from PyQt6.QtWidgets import QApplication

from hanabira.core.faults import StudioFault
from hanabira.desk import theme
from hanabira.studio.store import Store, default_folder

_kept: list[QApplication] = []
"""Qt's application dies with its last Python name; this is that name."""


def make_app(argv: list[str] | None = None) -> QApplication:
    """The Qt application with our typefaces."""
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication(argv if argv is not None else sys.argv[:1])
        _kept.append(app)
    app.setApplicationName("Hanabira")
    app.setDesktopFileName("hanabira")
    if app.property("fonts") is None:
        theme.load_fonts()
        app.setProperty("fonts", True)
    return app


def start(folder: Path | None = None) -> int:
    """Open a window on a studio and run until it is closed; 2 when the studio cannot be opened."""
    from hanabira.desk.model import Model
    from hanabira.desk.window import Desk

    try:
        store = Store.open(folder or default_folder())
    except StudioFault as fault:
        print(f"hanabira: {fault}", file=sys.stderr)
        return 2
    app = make_app()
    model = Model(store)
    sys.excepthook = model.messages.hook
    desk = Desk(model)
    desk.show()
    return app.exec()


def has_display() -> bool:
    """Whether a screen can be reached."""
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or os.environ.get("QT_QPA_PLATFORM"))


def start_or_show(folder: Path) -> int:
    """Start the window; without a display say so, start under a virtual screen and leave pictures of the stages."""
    if has_display():
        return start(folder)
    from hanabira.desk.virtual import show_on_virtual_screen

    return show_on_virtual_screen(folder)
