"""What is done before a studio opens and after it closes: left-overs swept, a lost database built up again, tables made or carried over."""

from __future__ import annotations

import contextlib
import os
import shutil
import sqlite3
from pathlib import Path

from hanabira.core.clock import Clock
from hanabira.core.faults import LostStudio, StudioFault
from hanabira.studio import backups, database, healing
from hanabira.studio.database import DATABASE, HEAD
from hanabira.studio.journal import FOLDER, newest

SCRATCH = "incoming"
"""Where files lie while they are taken in; what a killed process left there goes at the next start."""


def writable(folder: Path) -> bool:
    """Whether folder and database may be written."""
    return os.access(folder, os.W_OK) and (not (folder / DATABASE).exists() or os.access(folder / DATABASE, os.W_OK))


def tidy(folder: Path) -> None:
    """Only the person may look into a studio, and what a killed process left half written goes."""
    with contextlib.suppress(OSError):
        folder.chmod(0o700)
    close_to_others(folder)
    for place in (folder, folder / "photos", folder / backups.FOLDER):
        for part in place.glob("*.part"):
            with contextlib.suppress(OSError):
                part.unlink()
    shutil.rmtree(folder / SCRATCH, ignore_errors=True)


def close_to_others(folder: Path) -> None:
    """Let only the person read the database."""
    for name in (DATABASE, f"{DATABASE}-wal", f"{DATABASE}-shm"):  # the engine makes its files as the database is
        with contextlib.suppress(OSError):
            (folder / name).chmod(0o600)


def healed(folder: Path, clock: Clock, remarks: list[str]) -> bool:
    """Build a studio up again whose database is lost, malformed, older than its journal or mixed with another's; ``remarks`` gets what is to be
    said of it. Whether the database was found whole.
    """
    if newest(folder) is None:
        return False
    why = healing.wrong(folder / DATABASE)
    said = healing.heal(folder, clock.now(), why) if why else ""
    remarks += [said] if said else []
    return not why or bool(said)


def leave(path: Path, theirs: Path) -> None:
    """Leave a file that another program wrote as it was found: closing our connections may have written into it."""
    with contextlib.suppress(OSError):
        part = path.with_name(f"{path.name}.part")
        shutil.copyfile(theirs, part)
        os.chmod(part, backups.PRIVATE)
        database.remove(path)
        os.replace(part, path)


def is_fresh(path: Path) -> bool:
    """Whether a studio is to be made here. Raises `LostStudio` where there was one whose database is gone or empty."""
    try:
        size = path.stat().st_size
    except FileNotFoundError:
        size = -1
    except OSError as error:
        raise StudioFault(f"The studio cannot be opened: {error.strerror}.", "Nothing was changed.") from error
    if size > 0:
        return False
    log = path.with_name(f"{path.name}-wal")
    photos, kept = path.parent / "photos", path.parent / backups.FOLDER
    witnesses = [
        *(["its photos"] if photos.is_dir() and any(p.is_file() for p in photos.rglob("*")) else []),
        *(["its backups"] if kept.is_dir() and any(kept.glob("*.sqlite")) else []),
        *(["its log"] if log.exists() and log.stat().st_size > 0 else []),
        *(["its journal"] if any((path.parent / FOLDER).glob("*.jsonl")) else []),
        *(["what was saved of it"] if backups.rescued(path.parent) else []),
    ]
    if witnesses:
        raise LostStudio(
            f"The studio’s database {'is empty' if size == 0 else 'is gone'}, but {' and '.join(witnesses)} are there.",
            "Nothing was changed and no empty studio was made in its place.",
            "Go back to a backup.",
        )
    return True


def revision(path: Path) -> str | None:
    """The revision of a database. Raises `StudioFault` where it cannot be read now."""
    try:
        return database.version(path)
    except sqlite3.Error as error:
        words, do = database.said(error, path.parent)
        raise StudioFault(f"The studio cannot be opened now: {words}.", "Nothing in it is lost.", do) from error


def bring_up_to_date(path: Path, fresh: bool, clock: Clock) -> bool:
    """Make the tables of a new studio, or carry an older one over after a copy of it was made; whether that was done."""
    found = None if fresh else revision(path)
    if found == HEAD:
        return False
    if found is not None and found > HEAD:
        raise StudioFault("This studio was written by a newer version of Hanabira.", "Nothing was changed.", "Open it with that version.")
    if not fresh and not found and database.tables(path):
        raise LostStudio(
            "The studio’s database does not say which version wrote it.",
            "Nothing was changed.",
            "Go back to a backup; where there is none, keep the file and open it with the version that wrote it.",
        )
    if not fresh and not found and (path.parent / backups.FOLDER).is_dir() and any((path.parent / backups.FOLDER).glob("*.sqlite")):
        raise LostStudio("The studio’s database holds no studio.", "Nothing was changed.", "Go back to a backup.")
    copy = None if fresh or not found else backups.make(path.parent, "before-update", found, clock.now())
    try:
        database.migrate(path, fresh=fresh)
    except Exception as error:  # whatever a migration stumbles over, the person needs to know what is safe
        if fresh:
            database.remove(path)
            words, do = database.said(error, path.parent)
            raise StudioFault(f"No studio could be made in {path.parent}: {words}.", "Nothing was left behind.", do) from error
        full = database.kind_of(error, path.parent) == "full"
        reason = database.said(error, path.parent)[0] if full else f"{type(error).__name__}: {' '.join(str(error).split())[:200]}"
        raise StudioFault(
            f"This studio could not be brought up to date ({reason}).",
            f"It is as it was; a copy from before is {copy.path if copy else 'not needed'}.",
            database.FULL if full else "Keep that copy, and open the studio with the version that wrote it.",
        ) from error
    return not fresh
