"""Photos of the work, for every stage that takes one: from a file, a watched folder, or the simulated easel camera."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog

from hanabira.desk import ask
from hanabira.session import easel
from hanabira.session import words as session_words

if TYPE_CHECKING:
    import datetime
    from collections.abc import Callable

    from hanabira.desk.window import Desk
    from hanabira.session.logbook import When


class WorkCamera:
    """Takes photos of the work from where the studio takes them. ``ask_folder`` and ``ask_path`` ask the person."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.ask_folder = lambda: QFileDialog.getExistingDirectory(desk, "Folder that new photos come into")
        self.ask_path = lambda: desk.ask_open_path()
        self.ask_time: Callable[[str, When, datetime.datetime], datetime.datetime] = self._when
        desk.session.ask_time = lambda name, when, now: self.ask_time(name, when, now)

    def _when(self, name: str, when: When, now: datetime.datetime) -> datetime.datetime:
        """When a photo was taken of which neither the camera nor its file can be believed without asking."""
        said = session_words.moment_words(when.at.isoformat())
        why = "Its camera is ahead of your computer’s clock." if when.word == "camera" else "The photo itself does not say; its file does."
        way = ask.question(
            self.desk, f"When was {name} taken?", why, "Check holds it against what lay on the sheet at that moment.",
            {"then": f"On {said}", "now": "Just now"}, "", "then" if when.word == "file" else "now",
        )  # fmt: skip
        return when.at if way == "then" else now

    def choose_folder(self) -> str:
        """Ask for the folder to watch, and begin; its path, empty when none was chosen."""
        folder = self.ask_folder()
        if folder:
            self.desk.session.settings.set("camera_folder", folder)
            self.desk.session.logbook.poll(self._step())
        return folder

    def _step(self) -> str:
        step = easel.AtTheEasel(self.desk.session).step()
        return step.key if step is not None else ""

    def take(self) -> None:
        """A photo of the work as it stands, at the step that is to be done now."""
        session, step = self.desk.session, self._step()
        way, log = session.settings.get("camera"), session.logbook
        if way == "simulated":
            camera = log.simulated_camera()
            if camera is None:
                self.desk.say("The simulated camera needs the client’s photo.", "Nothing was taken.", "Add the photo in Brief.")
                return
            log.photograph(camera, step)
        elif way == "folder":
            folder = session.settings.get("camera_folder")
            if folder:
                log.poll(step)
            else:
                folder = self.choose_folder()
            if folder:
                session.messages.remark(f"New pictures in {folder} come into the log by themselves.")
        else:
            path = self.ask_path()
            if path:
                log.add_shot(path, step)
