"""The one door for words to the user: faults, remarks, and what to do when a bug strikes."""

from __future__ import annotations

import platform
import sys
import traceback
from dataclasses import dataclass
from pathlib import Path
from types import TracebackType

from hanabira import __version__
from hanabira.core.clock import MACHINE, Clock
from hanabira.core.faults import Fault
from hanabira.session.events import Event


@dataclass(frozen=True)
class Message:
    """``kind`` is fault, bug or remark."""

    kind: str
    what: str
    kept: str = ""
    do: str = ""


class MessageDoor:
    """Everything that has to be said goes through here; the window shows it without blocking."""

    def __init__(self, reports: Path, clock: Clock = MACHINE) -> None:
        self.said = Event()
        self._reports, self._clock = reports, clock
        self._seen: set[str] = set()

    def fault(self, fault: Fault) -> None:
        """Say a fault of the person or of the machine."""
        self.said.emit(Message("fault", fault.what, fault.kept, fault.do))

    def remark(self, words: str) -> None:
        """Say that something was done."""
        self.said.emit(Message("remark", words))

    def bug(self, error: BaseException, trace: str) -> None:
        """Write a report of a bug and say so, once for each: a widget that fails fails at every repaint. Edits are stored when they are made."""
        if trace in self._seen:
            return
        self._seen.add(trace)
        path = self._reports / f"report-{self._clock.now():%Y%m%d-%H%M%S-%f}.txt"
        text = f"Hanabira {__version__}, Python {platform.python_version()}, {platform.platform()}\n\n{trace}"
        try:
            self._reports.mkdir(mode=0o700, parents=True, exist_ok=True)
            path.touch(mode=0o600)  # a trace may name a client
            path.write_text(text, "utf-8")
            where = f"A report lies in {path}."
        except OSError:
            print(text, file=sys.stderr)
            where = "The report stands in the terminal."
        self.said.emit(Message("bug", f"Something went wrong inside Hanabira ({type(error).__name__}).", "Your work is stored.", where))

    def hook(self, kind: type[BaseException], error: BaseException, tb: TracebackType | None) -> None:
        """For `sys.excepthook`: an exception in a slot becomes a report instead of an abort."""
        if isinstance(error, Fault):
            self.fault(error)
        elif isinstance(error, KeyboardInterrupt):
            sys.__excepthook__(kind, error, tb)
        else:
            self.bug(error, "".join(traceback.format_exception(kind, error, tb)))
