"""The stages and rooms of the desk, each loaded and made when it is first needed, the others in quiet moments after the window stands."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING

from PyQt6 import sip
from PyQt6.QtCore import QObject, QTimer

from hanabira.core.later import catch_up, loaded

if TYPE_CHECKING:
    from hanabira.core.token import Token
    from hanabira.desk.stage import Stage
    from hanabira.desk.window import Desk

WHERE: Mapping[str, tuple[str, str]] = {
    "Brief": ("brief", "BriefStage"), "Study": ("study", "StudyStage"), "Areas": ("areas", "AreasStage"), "Recipe": ("recipe", "RecipeStage"), "Plan": ("plan", "PlanStage"),
    "Easel": ("easel", "EaselStage"), "Check": ("check", "CheckStage"), "Shelf": ("shelf", "ShelfRoom"), "Kit": ("kit", "KitRoom"), "Practice": ("practice", "PracticeRoom"),
}  # fmt: skip
"""Package and class of each stage and room."""
QUIET_MS = 25
"""Between two stages that are made ahead, so that the window is never silent for long."""


def load(name: str) -> type[Stage]:
    """The class of a stage."""
    package, what = WHERE[name]
    found: type[Stage] = getattr(loaded(f"hanabira.desk.stages.{package}.stage"), what)
    return found


class StageSet(QObject):
    """Stages by name. ``made`` is told of each new one before anybody has it."""

    def __init__(self, desk: Desk, made: Callable[[Stage], object]) -> None:
        super().__init__(desk)
        self._desk, self._made = desk, made
        self._there: dict[str, Stage] = {}
        self._read: set[str] = set()
        """Of these the code is loaded."""
        self._timer = QTimer(self)
        self._timer.setInterval(QUIET_MS)
        self._timer.timeout.connect(self._one_more)

    def __getitem__(self, name: str) -> Stage:
        if name not in self._there:
            stage = load(name)(self._desk)
            self._there[name] = stage
            self._made(stage)
        return self._there[name]

    def __contains__(self, name: object) -> bool:
        return name in WHERE

    def get_ready(self) -> None:
        """Make the other stages one by one, in moments in which nothing else is at work."""

        def parts(token: Token) -> None:
            self._desk.session.load_parts(token)
            catch_up(token)
            self._desk.session.planner.read_ahead()

        self._ahead("log", parts)

    def _ahead(self, what: str, work: Callable[[Token], object]) -> None:
        """A little work off the interface thread; one that a person asks for then waits for no more than this."""
        self._timer.stop()
        self._desk.session.jobs.run("ahead", "Getting ready", work, lambda _r: self._go_on(what), quiet=True, first=True)

    def _go_on(self, what: str) -> None:
        self._read.add(what)
        if not sip.isdeleted(self._timer):  # the window may have gone meanwhile
            self._timer.start()

    def stop(self) -> None:
        """The window goes."""
        self._timer.stop()

    def _one_more(self) -> None:
        if self._desk.session.jobs.running:
            return  # work that fills the machine would make it slow: the next tick comes soon
        name = next((q for q in WHERE if q not in self._there), "")
        if name in self._read:
            self[name]  # noqa: B018 - making it is the point
        elif name:
            self._ahead(name, lambda token: (load(name), catch_up(token)))
        if len(self._there) == len(WHERE):
            self._timer.stop()
            self._desk.session.jobs.run("ahead", "Getting ready", lambda token: catch_up(token), lambda _r: None, quiet=True)
