"""Whether the files of an open studio are still those that were opened, and still as this process left them."""

from __future__ import annotations

import os
from pathlib import Path
from typing import NamedTuple


class Stamp(NamedTuple):
    """What tells one file from another, and one state of it from another."""

    device: int
    inode: int
    size: int
    time_ns: int


def stamp(path: Path) -> Stamp | None:
    """The stamp of a file; None where there is none. It is not opened: closing it would let go of the engine's own locks."""
    try:
        found = os.stat(path)
    except OSError:
        return None
    return Stamp(found.st_dev, found.st_ino, found.st_size, found.st_mtime_ns)


class Watch:
    """Folder, database and its log as they were after the last own write.

    Only this process writes the studio, and its connections move the log into the database only when they are told to, so any other state
    was made by another program.
    """

    def __init__(self, path: Path) -> None:
        self._path, self._log = path, path.with_name(f"{path.name}-wal")
        self._known = self._now()

    def _now(self) -> tuple[Stamp | None, ...]:
        folder = stamp(self._path.parent)
        return folder._replace(size=0, time_ns=0) if folder else None, stamp(self._path), stamp(self._log)

    def take(self) -> None:
        """This process has just written."""
        self._known = self._now()

    @property
    def file(self) -> tuple[int, int]:
        """Size and time of the database file, as the journal's lines name it."""
        found = self._known[1]
        return (found.size, found.time_ns) if found else (0, 0)

    @property
    def log_size(self) -> int:
        """Bytes of the log."""
        found = self._known[2]
        return found.size if found else 0

    def changed(self) -> str:
        """What happened to the files: ``gone``, ``swapped`` (another file lies there), ``written`` (written by another program); empty while they are ours."""
        now = self._now()
        if now == self._known:
            return ""
        if now[0] is None or now[1] is None:
            return "gone"
        before, own = self._known[1], now[1]
        if now[0] != self._known[0] or before is None or own[:2] != before[:2]:
            return "swapped"
        return "written"
