"""The one runner of long work: result, error, progress and cancel on the interface thread."""

from __future__ import annotations

import traceback
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QObject, QRunnable, Qt, QThreadPool, pyqtSignal

from hanabira.core.faults import Cancelled, Fault
from hanabira.core.token import Token


@dataclass
class Job:
    """Work under way. ``key`` names what it is about: a newer job of the same key makes it stale."""

    key: str
    title: str
    number: int
    token: Token
    done: Callable[[Any], None]
    failed: Callable[[Fault], None] | None
    share: float = 0.0
    words: str = ""
    quiet: bool = False
    lasting: bool = False
    asked: bool = False


class _Post(QObject):
    """Carries messages from the worker to the interface thread."""

    progress = pyqtSignal(int, float, str)
    finished = pyqtSignal(int, object, object)


class _Run(QRunnable):
    def __init__(self, number: int, work: Callable[[Token], Any], token: Token, post: _Post) -> None:
        super().__init__()
        self.number, self.work, self.token, self.post = number, work, token, post

    def run(self) -> None:
        result, error = None, None
        try:
            self.token.check()
            result = self.work(self.token)
        except BaseException as e:  # everything is carried over and judged there
            error = e
        try:
            self.post.finished.emit(self.number, result, error)
        except RuntimeError:  # the window is gone
            return


class JobRunner(QObject):
    """Runs work off the interface thread.

    ``changed`` tells that the list of visible jobs or their progress changed; ``failed`` a fault
    nobody handled; ``broke`` an unexpected exception with its trace.
    """

    changed = pyqtSignal()
    failed = pyqtSignal(object)
    broke = pyqtSignal(object, str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(2)
        self._jobs: dict[int, Job] = {}
        self._newest: dict[str, int] = {}
        self._next = 0
        self._post = _Post()
        self._post.progress.connect(self._on_progress, Qt.ConnectionType.QueuedConnection)
        self._post.finished.connect(self._on_finished, Qt.ConnectionType.QueuedConnection)

    def run(
        self,
        key: str,
        title: str,
        work: Callable[[Token], Any],
        done: Callable[[Any], None],
        failed: Callable[[Fault], None] | None = None,
        quiet: bool = False,
        lasting: bool = False,
        asked: bool = False,
        first: bool = False,
    ) -> Job:
        """Start work; an older job of the same key is cancelled and its result dropped.

        ``lasting`` work writes something and goes on when another commission is opened; a second one of its key waits its turn beside it.
        ``asked`` work was wanted by the person, who is told when it is stopped. What is looked at now goes ``first``: before all that waits.
        """
        if lasting:
            key = f"{key} {self._next + 1}"
        self.cancel(key)
        self._next += 1
        number = self._next
        token = Token(lambda share, words: self._post.progress.emit(number, share, words))
        job = Job(key, title, number, token, done, failed, words=title, quiet=quiet, lasting=lasting, asked=asked)
        self._jobs[number] = job
        self._newest[key] = number
        self._pool.start(_Run(number, work, token, self._post), int(first))
        self.changed.emit()
        return job

    def cancel(self, key: str) -> None:
        """Cancel the work of a key; its result will not arrive."""
        number = self._newest.pop(key, None)
        if number in self._jobs:
            self._jobs[number].token.cancel()

    def under_way(self, key: str) -> bool:
        """Whether work of a key runs or waits, and its result will arrive."""
        return self._newest.get(key) in self._jobs

    def cancel_all(self, lasting: bool = False) -> list[str]:
        """Cancel everything but lasting work, or that as well; the titles of what a person had asked for."""
        stopped = []
        for job in self.running:
            if lasting or not job.lasting:
                self.cancel(job.key)
                stopped += [job.title] if job.asked else []
        return stopped

    @property
    def writing(self) -> list[Job]:
        """Lasting work under way."""
        return [j for j in self._jobs.values() if j.lasting]

    @property
    def running(self) -> list[Job]:
        """Jobs that are not stale."""
        return [j for j in self._jobs.values() if self._newest.get(j.key) == j.number]

    @property
    def busy(self) -> bool:
        """Whether any work, stale or not, still runs."""
        return bool(self._jobs)

    def _on_progress(self, number: int, share: float, words: str) -> None:
        job = self._jobs.get(number)
        if job:
            job.share, job.words = share, words or job.words
            self.changed.emit()

    def _on_finished(self, number: int, result: Any, error: BaseException | None) -> None:
        job = self._jobs.pop(number, None)
        if job is None:
            return
        fresh = self._newest.get(job.key) == number
        if fresh:
            del self._newest[job.key]
        self.changed.emit()
        if isinstance(error, Cancelled) or not fresh:
            return
        if isinstance(error, Fault):
            (job.failed or self.failed.emit)(error)
        elif error is not None:
            self.broke.emit(error, "".join(traceback.format_exception(error)))
        else:
            job.done(result)

    def shut(self, wait_ms: int = 5000) -> None:
        """Cancel everything and wait for the workers."""
        self.cancel_all(lasting=True)
        self._pool.waitForDone(wait_ms)
        self._jobs.clear()
