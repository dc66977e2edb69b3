"""The studio's database file: opening it, telling what is wrong with it, bringing it up to date.

SQLite with write-ahead log. The driver stays in autocommit and every transaction is begun by us, so that also the
statements that change tables are undone when the process ends in the middle of them.
"""

from __future__ import annotations

import contextlib
import errno
import os
import sqlite3
import tempfile
import threading
from collections.abc import Iterator
from operator import methodcaller
from pathlib import Path
from urllib.parse import quote

from hanabira.core.faults import LostStudio, StudioFault

DATABASE = "studio.sqlite"
HEAD = "0012"
"""The newest schema; a test holds it against the migrations."""
WAIT_S = 10.0
"""How long a statement waits for another process that holds the file."""
_PROBE_BYTES = 1 << 18


def uri(path: Path, mode: str) -> str:
    """SQLite's URI of a file: ``ro``, ``rw`` or ``rwc``. Quoted, so that %, ? and # in a folder's name are taken as they are.

    >>> uri(Path("/a%b?c#d/e"), "ro")
    'file:///a%25b%3Fc%23d/e?mode=ro'
    """
    return f"file://{quote(os.fsencode(path.absolute()))}?mode={mode}"


def connect(path: Path, mode: str, whole: bool = False) -> sqlite3.Connection:
    """A plain connection in autocommit. ``whole`` says that the file stands alone, without a log beside it (a backup)."""
    text = uri(path, mode) + ("&immutable=1" if whole else "")
    connection = sqlite3.connect(text, uri=True, timeout=WAIT_S, isolation_level=None, check_same_thread=False)
    # bytes that are no UTF-8 make one row unreadable, not the whole table
    connection.text_factory = methodcaller("decode", "utf-8", "surrogateescape")
    return connection


def _tuned(path: Path, mode: str, foreign_keys: bool = True) -> sqlite3.Connection:
    """A connection that keeps what points at rows in order and, where it writes, a log that outlives a power cut."""
    connection = connect(path, mode)
    try:
        connection.execute(f"PRAGMA foreign_keys = {'ON' if foreign_keys else 'OFF'}")
        if mode != "ro":
            connection.execute("PRAGMA journal_mode = WAL")
            connection.execute("PRAGMA synchronous = FULL")
            # the log goes into the file when the store says so: any other change of the file was made by another program
            connection.execute("PRAGMA wal_autocheckpoint = 0")
    except BaseException:
        connection.close()
        raise
    return connection


class Connections:
    """Connections to a database file. Each serves one thread at a time; a few wait for the next one where the file may be written.

    One of these stays open as long as the store: the last one to be closed would move the log into the file.
    """

    MOST_IDLE = 4

    def __init__(self, path: Path, mode: str) -> None:
        self._path, self._mode = path, mode
        self._idle: list[sqlite3.Connection] = []
        self._guard = threading.Condition()
        self._closed = self._no_more = False
        if mode != "ro":
            self._idle.append(_tuned(path, mode))

    def open_no_more(self) -> None:
        """Another file lies under the name: what is open goes on reading, and nothing else is opened."""
        with self._guard:
            self._no_more = True

    def _taken(self) -> sqlite3.Connection:
        with self._guard:
            while not self._idle and self._no_more and not self._closed:
                self._guard.wait(1.0)
            if self._idle:
                return self._idle.pop()
            mode = "ro" if self._closed else self._mode  # whoever still reads a closed studio must not move its log into the file
        return _tuned(self._path, mode)

    @contextlib.contextmanager
    def plain(self) -> Iterator[sqlite3.Connection]:
        """A connection without a transaction. Raises `sqlite3.Error`."""
        connection = self._taken()
        try:
            yield connection
        finally:
            self._put_back(connection)

    @contextlib.contextmanager
    def transaction(self, writes: bool = False) -> Iterator[sqlite3.Connection]:
        """A transaction, undone where an exception ends it; one that ``writes`` takes the write lock at once. Raises `sqlite3.Error`."""
        connection = self._taken()
        try:
            connection.execute("BEGIN IMMEDIATE" if writes else "BEGIN")
            yield connection
            connection.execute("COMMIT")
        finally:
            self._put_back(connection)

    def _put_back(self, connection: sqlite3.Connection) -> None:
        try:
            if connection.in_transaction:
                connection.execute("ROLLBACK")
        except sqlite3.Error:  # closing it undoes as well
            connection.close()
            return
        with self._guard:
            if self._mode != "ro" and not self._closed and len(self._idle) < self.MOST_IDLE:
                self._idle.append(connection)
                self._guard.notify()
                return
        connection.close()

    def close(self) -> None:
        """Close those that wait; those at work close when they are done."""
        with self._guard:
            idle, self._idle, self._closed = self._idle, [], True
        for connection in idle:
            connection.close()


# -- what is wrong ---------------------------------------------------------------
def has_room(folder: Path, size: int = _PROBE_BYTES) -> bool:
    """Whether so many bytes can be written in a folder; True when something else than room is missing."""
    try:
        with tempfile.TemporaryFile(dir=folder) as f:
            f.write(b"\0" * size)
            f.flush()
            os.fsync(f.fileno())
    except OSError as error:
        return not is_full(error)
    return True


def is_full(error: OSError) -> bool:
    """Whether the system refused for want of room: the disk, a quota or a limit on the size of files."""
    return error.errno in (errno.ENOSPC, errno.EDQUOT, errno.EFBIG)


FULL = "Make room on the disk, then try again."


def refusal(error: OSError | ValueError, otherwise: str = "") -> tuple[str, str]:
    """Why the system refused a file, in words, and what to do: make room where that is what lacks, else ``otherwise``.

    >>> refusal(OSError(errno.ENOSPC, "No space left on device"))
    ('the disk is full', 'Make room on the disk, then try again.')
    """
    if isinstance(error, OSError) and is_full(error):
        return _WORDS["full"]
    return getattr(error, "strerror", None) or str(error), otherwise


def kind_of(error: BaseException, folder: Path) -> str:
    """What an error of the database means: ``full``, ``locked``, ``closed``, ``readonly``, ``damaged``, ``misfit`` or ``other``."""
    cause = getattr(error, "orig", None) or error
    name = getattr(cause, "sqlite_errorname", "") or ""
    if name.startswith("SQLITE_FULL"):
        return "full"
    if name.startswith(("SQLITE_IOERR", "SQLITE_CANTOPEN")) and not has_room(folder):
        return "full"
    for start, kind in (
        ("SQLITE_BUSY", "locked"), ("SQLITE_LOCKED", "locked"), ("SQLITE_READONLY", "readonly"), ("SQLITE_CANTOPEN", "closed"), ("SQLITE_PERM", "closed"),
        ("SQLITE_AUTH", "closed"), ("SQLITE_CORRUPT", "damaged"), ("SQLITE_NOTADB", "damaged"), ("SQLITE_CONSTRAINT", "misfit"),
        ("SQLITE_MISMATCH", "misfit"), ("SQLITE_TOOBIG", "misfit"),
    ):  # fmt: skip
        if name.startswith(start):
            return kind
    return "other"


_WORDS = {
    "full": ("the disk is full", FULL),
    "locked": ("another program holds the database", "Close the other program, then try again."),
    "closed": ("the database file may not be opened", "Look at the permissions of the folder."),
    "readonly": ("its files cannot be written", "Look at the permissions of the folder."),
    "damaged": ("the database is damaged", "Go back to a backup."),
    "misfit": ("it does not fit what is there", ""),
}


def said(error: BaseException, folder: Path) -> tuple[str, str]:
    """An error of the database in words, and what to do; nothing to do where we do not know it."""
    kind = kind_of(error, folder)
    cause = getattr(error, "orig", None) or error
    words, do = _WORDS.get(kind, (str(cause), ""))
    return (f"{words} ({cause})" if kind in ("damaged", "misfit") else words), do


def check(path: Path) -> None:
    """Refuse a database that cannot be read, saying which of full, locked, closed and damaged it is."""
    try:
        with contextlib.closing(connect(path, "ro")) as connection:
            answer = connection.execute("PRAGMA quick_check").fetchone()[0]
    except sqlite3.Error as error:
        kind = kind_of(error, path.parent)
        words, do = said(error, path.parent)
        if kind != "damaged":
            raise StudioFault(f"The studio cannot be opened now: {words}.", "Nothing in it is lost.", do) from error
        answer = str(error)
    if answer != "ok":
        raise LostStudio(
            f"The studio’s database is damaged ({' '.join(str(answer).split())[:200]}).",
            f"Its photos, and its backups in {path.parent / 'backups'}, are untouched.",
            "Go back to a backup: nothing is deleted, the damaged files are set aside.",
        )


def version(path: Path, whole: bool = False) -> str | None:
    """The revision of a database; None when it has no tables of ours, or does not say."""
    with contextlib.closing(connect(path, "ro", whole)) as connection:
        try:
            row = connection.execute("SELECT version_num FROM alembic_version").fetchone()
        except sqlite3.OperationalError as error:
            if "no such table" in str(error):
                return None
            raise
    return row[0] if row else None


def tables(path: Path) -> frozenset[str]:
    """Names of the tables with records in a database. Raises `sqlite3.Error`."""
    with contextlib.closing(connect(path, "ro")) as connection:
        names = {str(row[0]) for row in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
    return frozenset(q for q in names if q != "alembic_version" and not q.startswith("sqlite_"))


# -- up to date -----------------------------------------------------------------
def migrate(path: Path, to: str = "head", fresh: bool = False) -> None:
    """Bring a database to a revision in one transaction; ended in the middle it is as it was.

    Raises what the engine or the migrations raise; then nothing was changed.
    """
    # these take a third of a second to load, and a studio that is up to date needs none of them
    from alembic import command
    from alembic.config import Config
    from sqlalchemy import create_engine, event
    from sqlalchemy.pool import NullPool

    config = Config()
    # a % in the folder's name is no placeholder
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations").replace("%", "%%"))
    # tables may be made anew on the way: what points at them is looked at once, at the end
    engine = create_engine("sqlite://", creator=lambda: _tuned(path, "rwc" if fresh else "rw", foreign_keys=False), poolclass=NullPool)
    event.listen(engine, "begin", lambda connection: connection.exec_driver_sql("BEGIN IMMEDIATE"))
    try:
        with engine.connect() as connection, connection.begin():
            config.attributes["connection"] = connection
            command.upgrade(config, to)
            loose = connection.exec_driver_sql("PRAGMA foreign_key_check").fetchall()
            if loose:
                raise StudioFault(f"{len(loose)} records name others that are not there.")
    finally:
        engine.dispose()


def remove(path: Path) -> None:
    """Take away a database that was never finished, with its log."""
    for name in (path.name, f"{path.name}-wal", f"{path.name}-shm", f"{path.name}-journal"):
        with contextlib.suppress(OSError):
            (path.parent / name).unlink(missing_ok=True)
