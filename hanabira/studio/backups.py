"""Backups of a studio's database: made, listed, thinned out, and gone back to.

Each is a whole SQLite file in ``backups/``, named by a running number, the time it was made and the reason. Copies made before an update
are never thinned out, nor are those that look as if they came from the future: then the clock was set back.
"""

from __future__ import annotations

import contextlib
import datetime
import os
import re
import shutil
import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

from hanabira.core.clock import MACHINE
from hanabira.core.faults import StudioFault
from hanabira.studio import database, locks
from hanabira.studio.database import DATABASE, HEAD

FOLDER = "backups"
ASIDE = "aside"
JOURNAL = "journal"
PRIVATE = 0o600
"""Only the person reads clients' names and prices."""
KEPT = 10
"""How many of the backups of each reason are kept that hold a commission."""
EMPTY_KEPT = 2
RESCUE, MINE, THEIRS = "rescue", "as-this-window-had-it.sqlite", "as-it-was-found.sqlite"
"""Where it is kept what an open window held when another program changed its files, and what that had put there."""
REASONS = {
    "rescued": "what a window held when its files were changed", "day": "the first of the day", "closing": "at closing", "asked": "asked for", "before-update": "before an update", "before-going-back": "before going back",
}  # fmt: skip
_NAME = re.compile(r"(\d{5,})-(\d{4}-\d{2}-\d{2})-(\d{6})-([a-z-]+?)(?:-(\d{4}))?\.sqlite$")
_OLD_NAME = re.compile(r"(\d{4}-\d{2}-\d{2})\.sqlite$")


@dataclass(frozen=True)
class Backup:
    """A backup: its running number, when it was made (local time), why, and what it holds; ``fault`` says why it cannot be used."""

    path: Path
    number: int
    made: datetime.datetime
    reason: str
    commissions: int = 0
    log_rows: int = 0
    revision: str = ""
    fault: str = ""

    @property
    def words(self) -> str:
        """What it holds and why it was made, in words."""
        if self.fault:
            return f"cannot be used: {self.fault}"
        n, r = self.commissions, self.log_rows
        held = f"{n} commission{'' if n == 1 else 's'}, {r} row{'' if r == 1 else 's'} of the log"
        return f"{held}; {REASONS[self.reason]}" if self.reason in REASONS else held


def backups(folder: Path, look_inside: bool = True) -> tuple[Backup, ...]:
    """The backups of a studio, the oldest first; without ``look_inside`` only what their names say."""
    out = []
    for path in (folder / FOLDER).glob("*.sqlite"):
        with contextlib.suppress(OSError):  # another process may just have thinned it out
            out.append(named(path))
    for path in rescued(folder):
        with contextlib.suppress(OSError):
            out.append(named(path))
    out.sort(key=lambda b: (b.number, b.made, b.path.name))
    return tuple(inside(b) for b in out) if look_inside else tuple(out)


def rescued(folder: Path) -> tuple[Path, ...]:
    """What open windows had saved, the oldest first."""
    return tuple(sorted((folder / RESCUE).glob(f"*/{MINE}")))


def named(path: Path) -> Backup:
    """What the name of a backup says, and the time of its file where the name says nothing."""
    found = _NAME.match(path.name)
    if found:
        with contextlib.suppress(ValueError):
            time = found.group(3)
            made = datetime.datetime.fromisoformat(f"{found.group(2)} {time[:2]}:{time[2:4]}:{time[4:]}")
            return Backup(path, int(found.group(1)), made, found.group(4))
    made = datetime.datetime.fromtimestamp(path.stat().st_mtime)
    if path.name == MINE:
        with contextlib.suppress(ValueError):
            made = datetime.datetime.strptime(path.parent.name[:17], "%Y-%m-%d-%H%M%S")
        return Backup(path, 0, made, "rescued")
    old = _OLD_NAME.match(path.name)  # backups of the first versions have the day alone
    if old:
        with contextlib.suppress(ValueError):
            return Backup(path, 0, datetime.datetime.combine(datetime.date.fromisoformat(old.group(1)), made.time()), "day")
    return Backup(path, 0, made, "before-update" if path.name.startswith("before-update") else "other")


def inside(b: Backup) -> Backup:
    """The backup with what it holds, or with the fault that makes it useless."""
    try:
        with contextlib.closing(database.connect(b.path, "ro", whole=True)) as c:
            answer = c.execute("PRAGMA quick_check").fetchone()[0]
            if answer != "ok":
                return replace(b, fault=f"it is damaged ({' '.join(str(answer).split())[:80]})")
            tables = {row[0] for row in c.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
            if not {"commission", "alembic_version"} <= tables:
                return replace(b, fault="it holds no studio")
            count = lambda table: c.execute(f"SELECT count(*) FROM {table}").fetchone()[0] if table in tables else 0  # noqa: E731
            row = c.execute("SELECT version_num FROM alembic_version").fetchone()
            revision = str(row[0]) if row else ""
            if revision > HEAD:
                return replace(b, fault="it was written by a newer version of Hanabira")
            return replace(b, commissions=int(count("commission")), log_rows=int(count("log")), revision=revision)
    except (sqlite3.Error, OSError) as error:
        return replace(b, fault=str(error) or type(error).__name__)


def due(folder: Path, now: datetime.datetime | None = None) -> bool:
    """Whether the day has no backup yet."""
    today = (now or MACHINE.now()).date()
    days = [b for b in backups(folder, look_inside=False) if b.reason == "day"]
    return not days or days[-1].made.date() != today


def make(folder: Path, reason: str, mark: str = "", now: datetime.datetime | None = None) -> Backup:
    """Copy a studio's database as it stands; other windows and threads may go on. Raises `StudioFault` when it cannot be written.

    A copy before an update that is the same as the newest one is not made twice.
    """
    if reason not in REASONS:
        raise ValueError(reason)
    now = now or MACHINE.now()
    kept = folder / FOLDER
    part = kept / f".{os.getpid()}-{now:%H%M%S%f}.part"
    try:
        kept.mkdir(mode=0o700, exist_ok=True)
        with (
            contextlib.closing(database.connect(folder / DATABASE, "ro")) as source,
            contextlib.closing(database.connect(part, "rwc")) as copy,
        ):
            source.backup(copy)
        os.chmod(part, PRIVATE)
        settle(part)
        before = [b for b in backups(folder, look_inside=False) if b.reason == reason]
        if reason == "before-update" and before and _same(before[-1].path, part):
            part.unlink()
            return inside(before[-1])
        number = max((b.number for b in backups(folder, look_inside=False)), default=0) + 1
        while True:
            target = kept / f"{number:05d}-{now:%Y-%m-%d-%H%M%S}-{reason}{'-' + mark if mark else ''}.sqlite"
            try:
                os.link(part, target)  # never over another one, also when two processes come to the same number
                break
            except FileExistsError:
                number += 1
            except OSError:  # a file system without links
                if not target.exists():
                    os.replace(part, target)
                    break
                number += 1
        part.unlink(missing_ok=True)
    except (sqlite3.Error, OSError) as error:
        words, do = _why(error, folder)
        raise StudioFault(f"The backup could not be written: {words}.", "The studio itself is unchanged.", do) from error
    finally:
        with contextlib.suppress(OSError):
            database.remove(part)
    thin_out(folder, now)
    return inside(named(target))


def _why(error: BaseException, folder: Path) -> tuple[str, str]:
    if isinstance(error, OSError):
        return database.refusal(error, "Look at the folder’s permissions.")
    return database.said(error, folder)


def settle(path: Path) -> None:
    """See that a file is on the disk, not only on its way there."""
    with open(path, "rb+") as f:
        os.fsync(f.fileno())


def _same(a: Path, b: Path) -> bool:
    return a.stat().st_size == b.stat().st_size and a.read_bytes() == b.read_bytes()


def thin_out(folder: Path, now: datetime.datetime | None = None) -> None:
    """Delete the oldest backups beyond those that are kept. Empty ones never push out one that holds a commission."""
    now = now or MACHINE.now()
    found = [b for b in backups(folder, look_inside=False) if b.reason in ("day", "closing", "asked")]
    if len(found) <= EMPTY_KEPT:
        return
    found = [inside(b) for b in found if b.made.date() <= now.date()]
    empty = [b for b in found if not b.fault and not b.commissions]
    doomed = empty[:-EMPTY_KEPT]
    for reason in ("day", "closing", "asked"):
        doomed += [b for b in found if b.reason == reason and not b.fault and b.commissions][:-KEPT]
    for b in doomed:
        with contextlib.suppress(OSError):
            b.path.unlink()


# -- going back --------------------------------------------------------------------
@contextlib.contextmanager
def _alone(folder: Path) -> Iterator[None]:
    """Hold the studio's lock, so that no window writes meanwhile."""
    lock, why = locks.take(folder)
    if lock is None:
        if why == locks.TAKEN:
            raise StudioFault("Another window has this studio open.", "Nothing was changed.", "Close it, then go back to the backup.")
        raise StudioFault(f"The folder {folder} cannot be written: {why}.", "Nothing was changed.")
    try:
        yield
    finally:
        lock.close()


def restore(folder: Path, backup: Path, now: datetime.datetime | None = None) -> Path:
    """Put a backup in the place of the studio's database; the folder where the files that stood there are now.

    Database, log and index are set aside together, nothing is deleted, and a copy that cannot be written leaves all as it was.
    Raises `StudioFault` for a backup that cannot be used, an open studio and a full disk.
    """
    now = now or MACHINE.now()
    if not backup.is_file():
        raise StudioFault(f"There is no backup {backup.name}.", "Nothing was changed.", "Choose one of the list.")
    found = inside(Backup(backup, 0, now, "other"))
    if found.fault:
        raise StudioFault(f"{backup.name} cannot be gone back to: {found.fault}.", "Nothing was changed.", "Choose another backup.")
    path = folder / DATABASE
    part = folder / f"{DATABASE}.part"
    with _alone(folder):
        try:
            shutil.copyfile(backup, part)
            settle(part)
            os.chmod(part, PRIVATE)
            aside = set_aside(folder, now)
            os.replace(part, path)
        except OSError as error:
            words, do = _why(error, folder)
            with contextlib.suppress(OSError):
                part.unlink(missing_ok=True)
            raise StudioFault(
                f"{backup.name} could not be put back: {words}.",
                "The files of the studio are unchanged or set aside; none was deleted.",
                do,
            ) from error
    return aside


def set_aside(folder: Path, now: datetime.datetime, with_journal: bool = True) -> Path:
    """Move a studio's database and log, and its journal unless that goes on, into a folder of their own; that folder. Raises `OSError`."""
    aside = _aside(folder, now)
    # the database first: ended in between, it is missed at the next start; without its log it would open as an older one
    for name in (DATABASE, f"{DATABASE}-wal", f"{DATABASE}-shm", f"{DATABASE}-journal", *((JOURNAL,) if with_journal else ())):
        if (folder / name).exists():
            os.replace(folder / name, aside / name)
    return aside


def journal_aside(folder: Path, now: datetime.datetime) -> Path:
    """Move the journal alone aside: the database is not one that it knows."""
    aside = _aside(folder, now)
    os.replace(folder / JOURNAL, aside / JOURNAL)
    return aside


def _aside(folder: Path, now: datetime.datetime) -> Path:
    n = 0
    while True:
        path = folder / ASIDE / f"{now:%Y-%m-%d-%H%M%S}{f'-{n}' if n else ''}"
        try:
            path.mkdir(mode=0o700, parents=True)
            return path
        except FileExistsError:
            n += 1
