"""Long computations side by side in processes of their own: the window stays smooth, and two areas take the time of one."""

from __future__ import annotations

import multiprocessing
import os
import threading
from collections.abc import Callable, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from typing import TYPE_CHECKING, TypeVar

import cv2

from hanabira.core.faults import Cancelled

if TYPE_CHECKING:
    from hanabira.core.token import Token
    from hanabira.session.session import Session

T = TypeVar("T")
R = TypeVar("R")
LOOKS_S = 0.1
"""Seconds after which a cancel is looked for again while processes compute."""
NICE = 5
"""The window goes first on a machine that is busy."""
READY = ("hanabira.session.asked", "hanabira.session.measuring")
"""Modules that the processes have loaded before they are asked anything."""


def begin() -> None:
    """What a process does first: it gives way to the window, and has one thread, since the others have the other processors."""
    os.nice(NICE)
    cv2.setNumThreads(1)


class Workers:
    """Runs one function on many things, ``most`` of them at a time. With one at a time everything runs where it was asked for."""

    def __init__(self, session: Session) -> None:
        self.most = max(1, session.at_once)
        self._pool: ProcessPoolExecutor | None = None
        self._lock = threading.Lock()

    def run(self, work: Callable[[T], R], things: Sequence[T], token: Token, told: Callable[[int, R], None] | None = None) -> list[R]:
        """Results in the order of the things; ``work`` is a function of a module. ``told`` is called on this thread as each comes in.

        Raises what the work raises, and `Cancelled` at once when the token is; what runs then ends by itself and is thrown away. Where the processes cannot be
        had, or one dies, the rest is worked out here.
        """
        out: dict[int, R] = {}

        def take(n: int, found: R) -> None:
            out[n] = found
            if told is not None:
                told(n, found)

        if self.most > 1 and len(things) > 1:
            try:
                self._in_processes(work, things, token, take)
            except (BrokenProcessPool, OSError):
                self.shut()
        for n, thing in enumerate(things):
            if n not in out:
                token.check()
                take(n, work(thing))
        return [out[n] for n in range(len(things))]

    def _in_processes(self, work: Callable[[T], R], things: Sequence[T], token: Token, take: Callable[[int, R], None]) -> None:
        pool, left = self._ready(), list(enumerate(things))
        running: dict[Future[R], int] = {}
        try:
            while left or running:
                while (
                    left and len(running) < self.most
                ):  # no more than run at once: what waits here is not copied yet, and nothing is left over when cancelled
                    n, thing = left.pop(0)
                    running[pool.submit(work, thing)] = n
                done, _waiting = wait(running, timeout=LOOKS_S, return_when=FIRST_COMPLETED)
                token.check()
                for one in sorted(done, key=lambda q: running[q]):
                    take(running.pop(one), one.result())
        except (Cancelled, Exception):
            for one in running:
                one.cancel()
            raise

    def _ready(self) -> ProcessPoolExecutor:
        with self._lock:
            if self._pool is None:
                # begun from a clean server: a process that already has threads and windows must not be copied
                context = multiprocessing.get_context("forkserver")
                context.set_forkserver_preload(list(READY))
                self._pool = ProcessPoolExecutor(self.most, context, begin)
            return self._pool

    def shut(self) -> None:
        """Let the processes go; what one is at, a second or two, is ended first, so that nothing of them is left behind."""
        with self._lock:
            pool, self._pool = self._pool, None
        if pool is not None:
            pool.shutdown(wait=True, cancel_futures=True)
