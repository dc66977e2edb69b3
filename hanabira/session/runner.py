"""Long work without knowing who runs it: the desk off its thread, the terminal at once."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from typing import Any, Protocol

from hanabira.core.faults import Cancelled, Fault
from hanabira.core.token import Token
from hanabira.session.events import Event


class Runner(Protocol):
    """Runs work. Results, faults and progress arrive on the thread that asked.

    ``failed`` tells a fault that nobody handled, ``broke`` an unexpected exception with its trace.
    """

    failed: Any
    broke: Any

    def run(
        self, key: str, title: str, work: Callable[[Token], Any], done: Callable[[Any], None], failed: Callable[[Fault], None] | None = None,
        quiet: bool = False, lasting: bool = False, asked: bool = False, first: bool = False,
    ) -> object:  # fmt: skip
        """Start work; an older one of the same key is cancelled and its result dropped.

        ``lasting`` work writes something and goes on when another commission is opened. ``asked`` work was wanted by the
        person, who is told when it is stopped. What is looked at now goes ``first``: before all that waits.
        """
        ...

    def cancel(self, key: str) -> None:
        """Cancel the work of a key; its result will not arrive."""
        ...

    def under_way(self, key: str) -> bool:
        """Whether work of a key runs or waits, and its result will arrive."""
        ...

    def cancel_all(self, lasting: bool = False) -> Sequence[str]:
        """Cancel everything but lasting work, or that as well; the titles of what a person had asked for."""
        ...

    @property
    def busy(self) -> bool:
        """Whether any work still runs."""
        ...

    def shut(self, wait_ms: int = 5000) -> None:
        """Cancel everything and wait for it."""
        ...


MOST_AT_ONCE = 4
"""More processes at once would only take memory."""


def processors() -> int:
    """How many computations this machine can do at once, as far as we may use it."""
    return min(MOST_AT_ONCE, len(os.sched_getaffinity(0)))


class InlineRunner:
    """Runs work at once, where it was asked for; what goes wrong is raised there."""

    def __init__(self, listener: Callable[[float, str], None] | None = None) -> None:
        self.failed, self.broke = Event(), Event()
        self._listener = listener

    def run(
        self, key: str, title: str, work: Callable[[Token], Any], done: Callable[[Any], None], failed: Callable[[Fault], None] | None = None,
        quiet: bool = False, lasting: bool = False, asked: bool = False, first: bool = False,
    ) -> object:  # fmt: skip
        """Do the work and hand its result over."""
        try:
            result = work(Token(self._listener))
        except Cancelled:
            return None
        except Fault as fault:
            if failed is None:
                raise
            failed(fault)
            return None
        done(result)
        return None

    def cancel(self, key: str) -> None:
        """Nothing runs that could be cancelled."""

    def under_way(self, key: str) -> bool:
        """Never."""
        return False

    def cancel_all(self, lasting: bool = False) -> Sequence[str]:
        """Nothing runs that could be cancelled."""
        return ()

    @property
    def busy(self) -> bool:
        """Never."""
        return False

    def shut(self, wait_ms: int = 5000) -> None:
        """Nothing to wait for."""
