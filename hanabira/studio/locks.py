"""One window writes a studio: a lock on its folder's lock file, and one on the database itself, which nobody can delete unseen."""

from __future__ import annotations

import contextlib
import fcntl
import os
from pathlib import Path

from hanabira.studio.database import DATABASE

LOCK_FILE = "studio.lock"
TAKEN = "another window has it open"


class Lock:
    """What this process holds. The handle on the database is let go last: closing it would let go of the engine's own locks, too."""

    def __init__(self, handle: int) -> None:
        self._handles = [handle]

    def take_database(self, path: Path) -> bool:
        """Hold the database as well; whether no other process does. Held anew when another file has come to lie there."""
        if len(self._handles) > 1:
            held, there = os.fstat(self._handles[1]), os.stat(path)
            if (held.st_dev, held.st_ino) == (there.st_dev, there.st_ino):
                return True
            os.close(self._handles.pop())
        handle = _locked(path, os.O_RDONLY)
        if handle is None:
            return False
        self._handles.append(handle)
        return True

    def close(self) -> None:
        """Let go."""
        while self._handles:
            with contextlib.suppress(OSError):
                os.close(self._handles.pop())


def take(folder: Path) -> tuple[Lock | None, str]:
    """The lock on a studio's folder, or None and the reason why it can only be read. Raises nothing."""
    try:
        handle = _locked(folder / LOCK_FILE, os.O_RDWR | os.O_CREAT)
    except OSError as error:
        return None, f"its folder cannot be written ({error.strerror})"
    if handle is None:
        return None, TAKEN
    lock, path = Lock(handle), folder / DATABASE
    try:
        if not path.exists() or lock.take_database(path):
            return lock, ""
    except OSError as error:
        lock.close()
        return None, f"its files cannot be read ({error.strerror})"
    lock.close()
    return None, TAKEN


def _locked(path: Path, flags: int) -> int | None:
    """A handle that holds a file alone; None where another process does. Raises `OSError` where it cannot be opened."""
    handle = os.open(path, flags | os.O_CLOEXEC, 0o600)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        os.close(handle)
        return None
    return handle
