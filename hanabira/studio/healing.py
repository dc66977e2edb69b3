"""A studio whose database is lost, malformed or older than its journal is built up again; what an open window held is saved.

What stands in the way is set aside, never deleted.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import sqlite3
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from hanabira.core.faults import LostStudio, StudioFault
from hanabira.studio import backups, database, journal
from hanabira.studio.backups import MINE, RESCUE, THEIRS
from hanabira.studio.database import DATABASE
from hanabira.studio.journal import Chapter, JournalLine, Standing


@dataclass(frozen=True)
class Source:
    """A whole database from which a studio can be built up again, and the edits that the journal has after it."""

    path: Path
    standing: Standing
    lines: tuple[JournalLine, ...]

    @property
    def reaches(self) -> int:
        """The number of the last edit that comes back."""
        return self.standing.number + len(self.lines)


def sources(folder: Path, found: Sequence[Chapter]) -> list[Source]:
    """Every usable backup and rescued copy that stands in the journal, the one that brings most back first."""
    out = []
    for path in (b.path for b in backups.backups(folder, look_inside=False)):
        try:
            with contextlib.closing(database.connect(path, "ro", whole=True)) as c:
                if c.execute("PRAGMA quick_check").fetchone()[0] != "ok":
                    continue
                standing = journal.standing_of(c)
        except sqlite3.Error:
            continue
        lines = journal.lines_after(found, standing) if standing is not None else None
        if standing is not None and lines is not None:
            out.append(Source(path, standing, lines))
    # the most edits, and then the fewest to be done again
    return sorted(out, key=lambda s: (s.reaches, s.standing.number), reverse=True)


def best(folder: Path) -> Source | None:
    """From what a studio can be built up to its very last edit; None where that is not known to be possible."""
    found = journal.chapters(folder)
    if not found:
        return None
    # what the newest chapter cannot continue is no way to the last edit
    last = found[-1].ends
    own = [s for s in sources(folder, found) if s.standing.lineage == last.lineage and s.reaches == last.number]
    return own[0] if own else None


def build(source: Source, target: Path) -> None:
    """Write a database from a source: a copy, with the edits after it done again. Raises `sqlite3.Error` and `OSError`."""
    shutil.copyfile(source.path, target)
    os.chmod(target, journal.PRIVATE)
    with contextlib.closing(database.connect(target, "rw")) as c:
        c.execute("PRAGMA foreign_keys = ON")
        c.execute("BEGIN IMMEDIATE")
        journal.apply(c, source.lines, source.standing.lineage)
        c.execute("COMMIT")
        answer = c.execute("PRAGMA quick_check").fetchone()[0]
        if answer != "ok":
            raise sqlite3.DatabaseError(str(answer))
    backups.settle(target)


def wrong(path: Path) -> str:
    """What is wrong with a database before it is opened: ``lost``, ``malformed``, ``mixed`` or ``older``; empty for one that stands where its journal ends.

    One that the journal does not know is not wrong: it may have been put there on purpose.
    """
    last = journal.newest(path.parent)
    if not path.exists() or path.stat().st_size == 0:
        return "lost" if last is not None else ""
    log = path.with_name(f"{path.name}-wal")
    if last is not None and last.lines and log.exists() and log.stat().st_size > 0:
        # a process was killed; where the file is not as it left it, the log belongs to another one
        found = path.stat()
        if tuple(last.lines[-1].said.get("file", ())) not in ((), (found.st_size, found.st_mtime_ns)):
            return "mixed"
    try:
        database.check(path)
        with contextlib.closing(database.connect(path, "ro")) as c:
            standing = journal.standing_of(c)
    except LostStudio:
        return "malformed"
    except (StudioFault, sqlite3.Error):
        return ""
    if last is None or standing is None or standing == last.ends:
        return ""
    return "older" if journal.lines_after(journal.chapters(path.parent), standing) else ""


SAID = {
    "lost": "The studio’s database was gone.",
    "malformed": "The studio’s database was damaged.",
    "mixed": "Another program had written into the studio’s database.",
    "older": "An older copy of the studio’s database lay in its place.",
}


def heal(folder: Path, now: datetime, why: str = "lost") -> str:
    """Build a lost studio up again in its place; what came back, in words, or nothing where it cannot be done whole.

    The caller holds the studio's lock. The journal goes on where it was.
    """
    if why == "older":
        return _caught_up(folder)
    source = best(folder)
    if source is None:
        return ""
    part = folder / f"{DATABASE}.part"
    try:
        build(source, part)
        aside = backups.set_aside(folder, now, with_journal=False)
        os.replace(part, folder / DATABASE)
    except (OSError, sqlite3.Error):
        return ""
    finally:
        with contextlib.suppress(OSError):
            database.remove(part)
    n = len(source.lines)
    edits = f" and the {n} change{'' if n == 1 else 's'} after it" if n else ""
    there = f" What lay there is in {aside}." if any(aside.iterdir()) else ""
    return f"{SAID[why]} It was built up again from {_named(source.path)}{edits}; nothing is missing.{there}"


def _caught_up(folder: Path) -> str:
    """Do on a whole database again what its journal has after it."""
    try:
        with contextlib.closing(database.connect(folder / DATABASE, "rw")) as c:
            standing = journal.standing_of(c)
            lines = journal.lines_after(journal.chapters(folder), standing) if standing is not None else None
            if standing is None or not lines:
                return ""
            c.execute("PRAGMA foreign_keys = ON")
            c.execute("BEGIN IMMEDIATE")
            journal.apply(c, lines, standing.lineage)
            c.execute("COMMIT")
    except sqlite3.Error:
        return ""
    n = len(lines)
    return f"{SAID['older']} Its journal brought {'the last change' if n == 1 else f'{n} changes'} back; nothing is missing."


def _named(path: Path) -> str:
    found = backups.named(path)
    return "what the last window had saved" if path.name == MINE else f"the backup of {found.made.day} {found.made:%B, %H:%M}"


# -- what an open window holds --------------------------------------------------------
@dataclass(frozen=True)
class Displaced:
    """Another program changed the files of an open studio: how (`watch.Watch.changed`), where what this window held was saved, and, where the
    found file would not stay as it is by itself, a copy of that. None for what could not be saved or is not there.
    """

    how: str
    mine: Path | None
    theirs: Path | None


def rescue(folder: Path, how: str, connection: sqlite3.Connection, standing: Standing, now: datetime) -> Displaced:
    """Save what an open window holds: from its own connection, else from backup and journal. Nothing is raised."""
    mine: Path | None = None
    theirs: Path | None = None
    with contextlib.suppress(OSError):
        place = _fresh(folder / RESCUE, now)
        if how != "gone" and (folder / DATABASE).is_file():
            shutil.copyfile(folder / DATABASE, place / THEIRS)
            theirs = place / THEIRS
            os.chmod(theirs, journal.PRIVATE)
        ways = [_from_connection(connection), _from_journal(folder)]
        # a file that was written over may be half another program's and look whole; one that was moved away is still ours
        for way in reversed(ways) if how == "written" else ways:
            if mine is None and _saved(way, place / MINE, standing):
                mine = place / MINE
        if mine is not None and not (folder / journal.FOLDER).is_dir():
            begun = journal.Journal(folder, standing)  # so that the next start knows this copy for the last state
            begun.begin()
            begun.close()
    return Displaced(how, mine, theirs)


def _fresh(root: Path, now: datetime) -> Path:
    root.mkdir(mode=0o700, parents=True, exist_ok=True)
    for n in range(10_000):
        place = root / f"{now:%Y-%m-%d-%H%M%S}{f'-{n}' if n else ''}"
        with contextlib.suppress(FileExistsError):
            place.mkdir(mode=0o700)
            return place
    raise OSError("no name is free")


def _from_connection(connection: sqlite3.Connection) -> Callable[[Path], None]:
    def write(target: Path) -> None:
        with contextlib.closing(database.connect(target, "rwc")) as copy:
            connection.backup(copy)

    return write


def _from_journal(folder: Path) -> Callable[[Path], None]:
    def write(target: Path) -> None:
        source = best(folder)
        if source is None:
            raise OSError("the journal does not reach so far")
        build(source, target)

    return write


def _saved(way: Callable[[Path], None], target: Path, standing: Standing) -> bool:
    """Whether a way gives a whole database at the last edit."""
    try:
        way(target)
        with contextlib.closing(database.connect(target, "ro", whole=True)) as c:
            whole = c.execute("PRAGMA quick_check").fetchone()[0] == "ok" and journal.standing_of(c) == standing
        if whole:
            os.chmod(target, journal.PRIVATE)
            backups.settle(target)
            return True
    except (sqlite3.Error, OSError):
        pass
    database.remove(target)
    return False
