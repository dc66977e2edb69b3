"""A studio on disk: a folder with the database, the photos and the backups.

Every edit is one transaction that is on the disk when `edit` returns: ending the process
at any moment loses nothing that was shown as done.
"""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import sqlite3
import tempfile
import threading
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any, TypeVar

import platformdirs

from hanabira.core.clock import MACHINE, Clock
from hanabira.core.faults import LostStudio, PhotoFault, RecordFault, StudioFault
from hanabira.core.later import Later
from hanabira.core.token import SILENT, Token
from hanabira.studio import backups, database, tables
from hanabira.studio.checking import check
from hanabira.studio.database import DATABASE, HEAD, Connections
from hanabira.studio.records import Photo, Recipe, Record, Shot

if TYPE_CHECKING:
    import hashlib

    from hanabira.studio import pictures
    from hanabira.studio.backups import Backup
    from hanabira.studio.pictures import Picture
    from hanabira.studio.tables import Unreadable
else:
    hashlib = Later("hashlib")
    pictures = Later("hanabira.studio.pictures")

R = TypeVar("R", bound=Record)


def default_folder() -> Path:
    """The user's own studio."""
    return Path(platformdirs.user_data_dir("hanabira")) / "studio"


class Store:
    """An opened studio. ``read_only`` says why when it cannot be written, else it is empty.

    It may be used from several threads: each transaction has a connection of its own, and writers wait for one another.
    """

    def __init__(self, folder: Path, connections: Connections, lock: Any, read_only: str, clock: Clock = MACHINE) -> None:
        self.folder, self._connections, self._lock, self.read_only = folder, connections, lock, read_only
        self.clock = clock
        """What day and hour it is, for all that is done in this studio."""
        self.edits = 0
        """How many edits went in since it was opened; whoever keeps something read from it looks here whether it is still so."""
        self._writing = threading.RLock()
        self._local = threading.local()
        self._settings: dict[str, Any] = {}
        """Settings as they are kept, by key: asked for at every look at a kit, written by this studio alone."""
        self._bad: set[tuple[str, str]] = set()
        """Rows that could not be read: nothing is written over them."""
        self._saved_edits = 0
        """How many edits the newest backup holds."""

    # -- opening ---------------------------------------------------------
    @classmethod
    def open(cls, folder: Path | str, clock: Clock = MACHINE) -> Store:
        """Open a studio, making it when the folder holds none. `StudioFault` when that cannot be; `LostStudio` where a backup is the cure.

        A studio that another window writes, or on a disk that cannot be written, opens read-only.
        """
        folder = Path(folder)
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except (OSError, ValueError) as error:
            reason, do = database.refusal(error, "Choose another folder.")
            raise StudioFault(f"The studio folder {folder} cannot be made: {reason}.", do=do) from error
        path = folder / DATABASE
        lock, why = _lock(folder)
        try:
            fresh = _is_fresh(path)
            if fresh and why:
                raise StudioFault(f"There is no studio in {folder} and none can be made: {why}.")
            if not fresh:
                database.check(path)
            if why:
                if not fresh and _revision(path) != HEAD:
                    raise StudioFault(
                        "This studio was made by another version and cannot be brought up to date while it is read-only.",
                        do=f"First: {why}.",
                    )
            else:
                _bring_up_to_date(path, fresh, clock)
            store = cls(folder, Connections(path, "ro" if why else "rw"), lock, why, clock)
            if not why:
                with contextlib.suppress(StudioFault):  # a full disk must not keep anyone from looking at the work
                    store.backup_of_the_day()
        except BaseException:
            _let_go(lock)
            raise
        return store

    def close(self) -> None:
        """Let the studio go; what was edited since the last backup is backed up first."""
        if self._lock is not None and not self.read_only and self.edits != self._saved_edits:
            with contextlib.suppress(StudioFault):
                self.backup("closing")
        self._connections.close()
        _let_go(self._lock)
        self._lock = None

    def __enter__(self) -> Store:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    # -- transactions --------------------------------------------------------
    @contextlib.contextmanager
    def snapshot(self) -> Iterator[None]:
        """Everything that this thread reads inside is of one moment, whatever other threads write meanwhile."""
        if getattr(self._local, "connection", None) is not None:
            yield
            return
        with self._said("read"), self._connections.transaction() as connection:
            self._local.connection = connection
            try:
                yield
            finally:
                self._local.connection = None

    @contextlib.contextmanager
    def _reading(self) -> Iterator[sqlite3.Connection]:
        with self.snapshot():
            yield self._local.connection

    @contextlib.contextmanager
    def _transaction(self) -> Iterator[sqlite3.Connection]:
        if self.read_only:
            raise StudioFault(f"This studio is open for reading only: {self.read_only}.", kept="Nothing was changed.")
        with self._said("stored"), self._writing, self._connections.transaction(writes=True) as connection:
            yield connection

    @contextlib.contextmanager
    def _said(self, act: str) -> Iterator[None]:
        """Errors of the database in words."""
        try:
            yield
        except sqlite3.Error as error:
            words, do = database.said(error, self.folder)
            if act == "read":
                raise StudioFault(f"The studio could not be read: {words}.", "Nothing was changed.", do) from error
            raise StudioFault(f"The change could not be stored: {words}.", "Everything before it is safe.", do) from error

    # -- records ---------------------------------------------------------
    def all(self, kind: type[R], **where: Any) -> tuple[R, ...]:
        """All records of a kind, those with these field values; recipes also by the ``commission_id`` of their area. Rows that make no sense are left out; `unreadable` names them."""
        return self.told(kind, **where)[0]

    def unreadable(self) -> tuple[Unreadable, ...]:
        """The rows of the studio that make no sense, each with its first cause."""
        with self.snapshot():
            return tuple(q for kind in tables.TABLES for q in self.told(kind)[1])

    def told(self, kind: type[R], **where: Any) -> tuple[tuple[R, ...], tuple[Unreadable, ...]]:
        """What `all` gives, and the rows that make no sense, in one reading."""
        table = tables.TABLES[kind]
        asked = []
        for name in where:
            if kind is Recipe and name == "commission_id":
                asked.append("area_id IN (SELECT id FROM area WHERE commission_id = ?)")
            elif name in table.columns:
                asked.append(f"{name} = ?")
            else:
                raise KeyError(name)
        query = (
            f"SELECT {', '.join(table.columns)} FROM {table.name}{' WHERE ' if asked else ''}{' AND '.join(asked)} ORDER BY {table.order}"
        )
        good: list[R] = []
        bad: list[Unreadable] = []
        with self._reading() as connection:
            # one odd value must not hide the rest: each row is looked at for itself
            for values in connection.execute(query, tuple(where.values())):
                try:
                    good.append(tables.record_of(kind, values))  # type: ignore[arg-type]
                except RecordFault as fault:
                    found = tables.unreadable_row(kind, tables.row_of(kind, values), fault)
                    self._bad.add((found.table, found.key))
                    bad.append(found)
        return tuple(good), tuple(bad)

    def get(self, kind: type[R], key: str) -> R | None:
        """The record of a key, or None."""
        found = self.all(kind, **{tables.TABLES[kind].key: key})
        return found[0] if found else None

    def keys(self, kind: type) -> frozenset[str]:
        """The keys of all rows of a kind, also of those that cannot be read."""
        table = tables.TABLES[kind]
        with self._reading() as connection:
            return frozenset(str(row[0]) for row in connection.execute(f"SELECT {table.key} FROM {table.name}"))

    def edit(self, put: Iterable[Record] = (), drop: Iterable[Record] = ()) -> None:
        """Write and delete records in one transaction; `StudioFault` when nothing could be kept, `RecordFault` for one that makes no sense."""
        put = tuple(put)
        for record in put:
            check(record)
            if (tables.TABLES[type(record)].name, tables.key_of(record)) in self._bad:
                raise RecordFault("What is stored there cannot be read.", "It is kept as it is, and nothing was changed.")
        with self._transaction() as connection:
            for record in drop:
                self._delete(connection, record)
            for record in put:
                self._upsert(connection, record)
        self.edits += 1

    @staticmethod
    def _delete(connection: sqlite3.Connection, record: Record) -> None:
        table = tables.TABLES[type(record)]
        connection.execute(f"DELETE FROM {table.name} WHERE {table.key} = ?", (tables.key_of(record),))

    @staticmethod
    def _upsert(connection: sqlite3.Connection, record: Record) -> None:
        table = tables.TABLES[type(record)]
        row = tables.to_row(record)
        values = [row[c] for c in table.columns]
        # a row that is there is changed, never replaced: replacing would take what points at it along
        done = connection.execute(
            f"UPDATE {table.name} SET {', '.join(f'{c} = ?' for c in table.columns)} WHERE {table.key} = ?", (*values, row[table.key])
        )
        if not done.rowcount:
            connection.execute(f"INSERT INTO {table.name} ({', '.join(table.columns)}) VALUES ({', '.join('?' * len(values))})", values)

    # -- settings --------------------------------------------------------
    def setting(self, key: str, default: Any = None) -> Any:
        """A kept setting, or the default; also when what is kept cannot be read."""
        if key not in self._settings:
            with self._reading() as connection:
                row = connection.execute("SELECT value FROM setting WHERE key = ?", (key,)).fetchone()
                self._settings[key] = row[0] if row else None
        found = self._settings[key]
        try:
            return default if found is None else json.loads(found)
        except (ValueError, TypeError, RecursionError):
            return default

    def keep_setting(self, key: str, value: Any) -> None:
        """Keep a setting, or forget it when the value is None; a read-only studio keeps nothing. Raises `StudioFault` when the disk refuses."""
        if self.read_only:
            return
        self._settings.pop(key, None)
        with self._transaction() as connection:
            connection.execute("DELETE FROM setting WHERE key = ?", (key,))
            if value is not None:
                connection.execute("INSERT INTO setting (key, value) VALUES (?, ?)", (key, json.dumps(value)))
        self._settings.pop(key, None)

    # -- photos ----------------------------------------------------------
    def photo_path(self, photo: Photo | Shot) -> Path:
        """Where the original file of a photo lies."""
        return self.folder / "photos" / photo.digest[:2] / f"{photo.digest}{photo.suffix}"

    def take_in(self, source: Path | str, token: Token = SILENT, suffix: str = "", name: str = "") -> tuple[str, str, tuple[int, int]]:
        """Copy a picture file into the studio by its content: (digest, suffix, upright size).

        The copy is decoded before it counts, so that a damaged file never enters. The same file twice is kept once; a stored
        copy that was damaged is replaced. The ``suffix`` follows the bytes unless one is given, ``name`` is what messages call it.
        """
        if self.read_only:
            raise StudioFault(f"This studio is open for reading only: {self.read_only}.", kept="Nothing was changed.")
        source = Path(source)
        name = name or source.name
        pictures.probe(source)
        root = self.folder / "photos"
        part = ""
        try:
            root.mkdir(exist_ok=True)
            with open(source, "rb") as src, tempfile.NamedTemporaryFile(dir=root, suffix=".part", delete=False) as out:
                part = out.name
                digest = _copy(src, out, name, token)
            size = pictures.read_picture(part, None, token, name).size
            suffix = suffix or pictures.suffix_of(part)
            target = root / digest[:2] / f"{digest}{suffix}"
            target.parent.mkdir(exist_ok=True)
            if not target.exists() or _digest(target) != digest:
                os.replace(part, target)
        except OSError as error:
            reason, do = database.refusal(error)
            raise PhotoFault(f"{name} could not be copied into the studio: {reason}.", "Nothing was changed.", do) from error
        finally:
            if part:
                with contextlib.suppress(OSError):
                    os.unlink(part)
        return digest, suffix, size

    def holds(self, photo: Photo | Shot) -> bool:
        """Whether the original file of a photo is there and still the one that was taken in."""
        try:
            return _digest(self.photo_path(photo)) == photo.digest
        except OSError:
            return False

    def heal(self, source: Path | str) -> tuple[Photo | Shot, ...]:
        """Put a file back where a stored photo of the same content is lost or damaged: the records that have it again."""
        if self.read_only:
            return ()
        pictures.probe(source)
        try:
            digest = _digest(Path(source))
        except OSError:
            return ()
        known: tuple[Photo | Shot, ...] = (*self.all(Photo, digest=digest), *self.all(Shot, digest=digest))
        lost = tuple(p for p in known if not self.holds(p))
        for p in lost:
            self.take_in(source, suffix=p.suffix)
        return lost

    def read_photo(self, photo: Photo | Shot, most_side: int | None = None, token: Token = SILENT) -> Picture:
        """The decoded original of a photo. Raises `PhotoFault` that names a lost or damaged one and its cure."""
        path = self.photo_path(photo)
        again = "Add the same file again; it goes back into its place."
        if not path.is_file():
            raise PhotoFault(f"The file of {photo.original_name} is not in the studio any more.", "Everything else is kept.", again)
        try:
            return pictures.read_picture(path, most_side, token, photo.original_name)
        except PhotoFault as fault:
            raise PhotoFault(f"The studio’s own copy cannot be shown: {fault.what}", "Everything else is kept.", again) from fault

    # -- backups ---------------------------------------------------------
    def backup(self, reason: str = "asked") -> Backup:
        """Copy the database as it stands. Raises `StudioFault` when that cannot be written."""
        edits = self.edits
        made = backups.make(self.folder, reason, now=self.clock.now())
        self._saved_edits = edits
        return made

    def backup_of_the_day(self) -> Backup | None:
        """Make the day's backup when there is none yet; also for a window that is open over midnight."""
        return self.backup("day") if not self.read_only and backups.due(self.folder, self.clock.now()) else None

    def backups(self) -> Sequence[Backup]:
        """Backups, the oldest first."""
        return backups.backups(self.folder)


def _copy(src: IO[bytes], out: IO[bytes], name: str, token: Token) -> str:
    """Copy to the disk, not only on its way there; the SHA-256 of what was copied."""
    digest, total = hashlib.sha256(), max(1, os.fstat(src.fileno()).st_size)
    while block := src.read(1 << 20):
        token.report(min(0.5, 0.5 * out.tell() / total), f"Copying {name}")
        digest.update(block)
        out.write(block)
    out.flush()
    os.fsync(out.fileno())
    return digest.hexdigest()


def _digest(path: Path) -> str:
    with open(path, "rb") as f:
        return hashlib.file_digest(f, "sha256").hexdigest()


def _is_fresh(path: Path) -> bool:
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
    ]
    if witnesses:
        raise LostStudio(
            f"The studio’s database {'is empty' if size == 0 else 'is gone'}, but {' and '.join(witnesses)} are there.",
            "Nothing was changed and no empty studio was made in its place.",
            "Go back to a backup.",
        )
    return True


def _revision(path: Path) -> str | None:
    try:
        return database.version(path)
    except sqlite3.Error as error:
        words, do = database.said(error, path.parent)
        raise StudioFault(f"The studio cannot be opened now: {words}.", "Nothing in it is lost.", do) from error


def _bring_up_to_date(path: Path, fresh: bool, clock: Clock) -> None:
    """Make the tables of a new studio, or carry an older one over after a copy of it was made."""
    found = None if fresh else _revision(path)
    if found == HEAD:
        return
    if found is not None and found > HEAD:
        raise StudioFault("This studio was written by a newer version of Hanabira.", "Nothing was changed.", "Open it with that version.")
    if not fresh and found is None and (path.parent / backups.FOLDER).is_dir() and any((path.parent / backups.FOLDER).glob("*.sqlite")):
        raise LostStudio("The studio’s database holds no studio.", "Nothing was changed.", "Go back to a backup.")
    copy = None if fresh or found is None else backups.make(path.parent, "before-update", found, clock.now())
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


def _lock(folder: Path) -> tuple[Any, str]:
    """An exclusive lock on the folder, or the reason why it can only be read."""
    try:
        handle = open(folder / "studio.lock", "a+")  # noqa: SIM115 - it stays open as long as the studio
    except OSError as error:
        return None, f"its folder cannot be written ({error.strerror})"
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        handle.close()
        return None, "another window has it open"
    if not os.access(folder, os.W_OK) or ((folder / DATABASE).exists() and not os.access(folder / DATABASE, os.W_OK)):
        handle.close()
        return None, "its files cannot be written"
    return handle, ""


def _let_go(lock: Any) -> None:
    if lock is not None:
        with contextlib.suppress(OSError):
            fcntl.flock(lock, fcntl.LOCK_UN)
            lock.close()
