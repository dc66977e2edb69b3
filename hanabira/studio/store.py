"""A studio on disk: a folder with the database, the photos and the backups.

Every edit is one transaction that is on the disk when `edit` returns: ending the process
at any moment loses nothing that was shown as done.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import sqlite3
import tempfile
import threading
from collections.abc import Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any, TypeVar

import platformdirs

from hanabira.core.clock import MACHINE, Clock
from hanabira.core.faults import DisplacedStudio, PhotoFault, RecordFault, StaleRecord, StudioFault
from hanabira.core.token import SILENT, Token
from hanabira.studio import backups, database, healing, locks, opening, pictures, tables
from hanabira.studio.checking import check
from hanabira.studio.database import DATABASE, HEAD, Connections
from hanabira.studio.healing import Displaced
from hanabira.studio.journal import KEY, Journal, keep, new_lineage, newest, standing_of
from hanabira.studio.locks import Lock
from hanabira.studio.records import Photo, Recipe, Record, Shot
from hanabira.studio.watch import Watch

if TYPE_CHECKING:
    from hanabira.studio.backups import Backup
    from hanabira.studio.pictures import Picture
    from hanabira.studio.tables import UnreadableRow

R = TypeVar("R", bound=Record)
MOST_LOG = 4 << 20
"""Bytes of the engine's log from which it is moved into the database file."""
DISPLACED = {
    "gone": "its files were taken away while it was open",
    "swapped": "another program put other files in its place",
    "written": "another program wrote into its files",
}


def default_folder() -> Path:
    """The user's own studio."""
    return Path(platformdirs.user_data_dir("hanabira")) / "studio"


class Store:
    """An opened studio. ``read_only`` says why when it cannot be written, else it is empty.

    It may be used from several threads: each transaction has a connection of its own, and writers wait for one another.
    """

    def __init__(self, folder: Path, connections: Connections, lock: Lock | None, read_only: str, clock: Clock = MACHINE) -> None:
        self.folder, self._connections, self._lock, self.read_only = folder, connections, lock, read_only
        self.clock = clock
        """What day and hour it is, for all that is done in this studio."""
        self.displaced: Displaced | None = None
        """Set once another program has changed the files: nothing is written any more, and what this window held is saved."""
        self.remarks: tuple[str, ...] = ()
        """What is to be said of its opening: that it was built up again, or that what an earlier window held lies aside."""
        self._watch, self._journal = Watch(folder / DATABASE), Journal(folder, new_lineage())
        self._ops: list[list[Any]] = []
        """What the transaction under way has done, for the journal."""
        self._versions: dict[tuple[str, str], int] = {}
        """How often each row had been changed when it was last read or written here."""
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
        self._closed = False

    # -- opening ---------------------------------------------------------
    @classmethod
    def open(cls, folder: Path | str, clock: Clock = MACHINE) -> Store:
        """Open a studio, making it when the folder holds none. `StudioFault` when that cannot be; `LostStudio` where a backup is the cure.

        A studio that another window writes, or on a disk that cannot be written, opens read-only. One whose database is lost or malformed is
        built up again where its journal reaches to the last edit; `remarks` says so.
        """
        folder = Path(folder)
        try:
            folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        except (OSError, ValueError) as error:
            reason, do = database.refusal(error, "Choose another folder.")
            raise StudioFault(f"The studio folder {folder} cannot be made: {reason}.", do=do) from error
        path = folder / DATABASE
        lock, why = locks.take(folder)
        if lock is not None and not opening.writable(folder):
            lock.close()
            lock, why = None, "its files cannot be written"
        remarks: list[str] = []
        try:
            checked = False
            if lock is not None:
                opening.tidy(folder)
                checked = opening.healed(folder, clock, remarks)
            fresh = opening.is_fresh(path)
            if fresh and why:
                raise StudioFault(f"There is no studio in {folder} and none can be made: {why}.")
            if not fresh and not checked:
                database.check(path)
            renewed = False
            if why:
                if not fresh and opening.revision(path) != HEAD:
                    raise StudioFault(
                        "This studio was made by another version and cannot be brought up to date while it is read-only.",
                        do=f"First: {why}.",
                    )
            else:
                renewed = opening.bring_up_to_date(path, fresh, clock)
                opening.close_to_others(folder)
            if lock is not None and not lock.take_database(path):
                lock.close()
                lock, why = None, locks.TAKEN
            store = cls(folder, Connections(path, "ro" if why else "rw"), lock, why, clock)
            if not why:
                remarks += store._take_up_journal(fresh, renewed)
                with contextlib.suppress(StudioFault):  # a full disk must not keep anyone from looking at the work
                    store.backup_of_the_day()
            store.remarks = tuple(remarks)
        except BaseException:
            if lock is not None:
                lock.close()
            raise
        return store

    def close(self) -> None:
        """Let the studio go; what was edited since the last backup is backed up first. Afterwards nothing is written: the files may be another store's."""
        if self._lock is not None and not self.read_only and self.edits != self._saved_edits:
            with contextlib.suppress(StudioFault):
                self.backup("closing")
        with self._writing:
            self._closed = True
            self._connections.close()
            self._journal.close()
        if self._lock is not None:
            self._lock.close()
            if self.displaced is not None and self.displaced.theirs is not None:
                opening.leave(self.folder / DATABASE, self.displaced.theirs)
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
        self._may_write()
        with self._said("stored"), self._writing:
            self.look()
            self._may_write()
            if self._watch.log_size > MOST_LOG:
                self._fold_log()
            self._ops, begun = [], self._journal.standing
            try:
                with self._connections.transaction(writes=True) as connection:
                    yield connection
                    if self._ops:
                        settle = any(op[0] != "set" for op in self._ops)
                        now = self._journal.add(self._ops, self.clock.stamp(), self._watch.file, settle)
                        keep(connection, KEY, now.text)
            except BaseException:
                if self._journal.standing != begun:
                    self._journal.take_back()
                raise
            finally:
                self._ops = []
            how = self._watch.changed()
            if how in ("gone", "swapped"):  # while it was written
                self._displace(how)
                self._may_write()
            self._watch.take()

    def _may_write(self) -> None:
        if self._closed:
            raise StudioFault("This studio is closed in this window.", kept="Nothing was changed.", do="Open it again.")
        if self.displaced is not None:
            raise DisplacedStudio(f"Nothing can be stored: {self.read_only}.", *_rescued(self.displaced))
        if self.read_only:
            raise StudioFault(f"This studio is open for reading only: {self.read_only}.", kept="Nothing was changed.")

    def look(self) -> bool:
        """Whether the files are still those that were opened, as they were left. If not, what this store holds is saved and nothing is written any more."""
        if self.read_only or self._closed or self._lock is None:
            return self.displaced is None
        with self._writing:
            how = self._watch.changed()
            if how:
                self._displace(how)
        return not how

    def _displace(self, how: str) -> None:
        self._connections.open_no_more()
        self.read_only = DISPLACED[how]
        with self._connections.plain() as connection:
            self.displaced = healing.rescue(self.folder, how, connection, self._journal.standing, self.clock.now())

    def _fold_log(self) -> None:
        """Move the log into the database file; while somebody reads it, another time."""
        with self._connections.plain() as connection:
            connection.execute("PRAGMA busy_timeout = 0")
            connection.execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchall()
            connection.execute(f"PRAGMA busy_timeout = {round(1000 * database.WAIT_S)}")
        self._watch.take()

    def _take_up_journal(self, fresh: bool, renewed: bool) -> list[str]:
        """Go on writing the journal where the database stands in it; else begin another, from a backup on.

        So it is where the studio was ``renewed``: what was written of older tables does not fit the new ones.
        """
        with self._connections.transaction() as connection:
            standing = standing_of(connection)
        last = newest(self.folder)
        if last is not None and standing == last.ends and not renewed:
            self._journal.go_on(last)
            self._watch.take()
            return []
        said = []
        if last is not None:
            aside = backups.journal_aside(self.folder, self.clock.now())
            lost = backups.rescued(self.folder)
            if not renewed:
                said.append(
                    f"The studio is another one than its last window left. The changes of that one are in {aside}"
                    + (f", and the whole of it is in {lost[-1]}; “Go back to a backup” offers it." if lost else ".")
                )
        self._journal = Journal(self.folder, new_lineage())
        with self._connections.transaction(writes=True) as connection:
            keep(connection, KEY, self._journal.standing.text)
        self._watch.take()
        with contextlib.suppress(OSError):  # a full disk must not keep anyone from looking at the work; the first edit tries again
            self._journal.begin()
        if not fresh:
            with contextlib.suppress(StudioFault):
                self.backup("day")
        return said

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
        except OSError as error:  # of the journal
            words, do = database.refusal(error, "Look at the permissions of the folder.")
            raise StudioFault(f"The change could not be stored: {words}.", "Everything before it is safe.", do) from error

    # -- records ---------------------------------------------------------
    def all(self, kind: type[R], **where: Any) -> tuple[R, ...]:
        """All records of a kind, those with these field values; recipes also by the ``commission_id`` of their area. Rows that make no sense are left out; `unreadable` names them."""
        return self.told(kind, **where)[0]

    def unreadable(self) -> tuple[UnreadableRow, ...]:
        """The rows of the studio that make no sense, each with its first cause."""
        with self.snapshot():
            return tuple(q for kind in tables.TABLES for q in self.told(kind)[1])

    def told(self, kind: type[R], **where: Any) -> tuple[tuple[R, ...], tuple[UnreadableRow, ...]]:
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
            f"SELECT {', '.join(table.columns)}, version FROM {table.name}{' WHERE ' if asked else ''}{' AND '.join(asked)} ORDER BY {table.order}"
        )
        good: list[R] = []
        bad: list[UnreadableRow] = []
        with self._reading() as connection:
            # one odd value must not hide the rest: each row is looked at for itself
            at = table.columns.index(table.key)
            for *read, version in connection.execute(query, tuple(where.values())):
                values = tuple(read)
                row = (table.name, str(values[at]))
                if isinstance(version, int) and version > self._versions.get(row, -1):
                    self._versions[row] = version
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

    def edit(self, put: Iterable[Record] = (), drop: Iterable[Record] = (), settings: Mapping[str, Any] | None = None) -> None:
        """Write and delete records, and keep ``settings`` that belong to them, in one transaction; `StudioFault` when nothing could be kept, `RecordFault` for one that makes no sense."""
        put = tuple(put)
        for record in put:
            check(record)
            if (tables.TABLES[type(record)].name, tables.key_of(record)) in self._bad:
                raise RecordFault("What is stored there cannot be read.", "It is kept as it is, and nothing was changed.")
        versions: dict[tuple[str, str], int] = {}
        with self._transaction() as connection:
            for record in drop:
                self._delete(connection, record)
            for record in put:
                self._put(connection, record, versions)
            for key, value in (settings or {}).items():
                self._keep(connection, key, value)
        for key in settings or {}:
            self._settings.pop(key, None)
        self._versions.update(versions)
        self.edits += 1

    def _delete(self, connection: sqlite3.Connection, record: Record) -> None:
        table, key = tables.TABLES[type(record)], tables.key_of(record)
        connection.execute(f"DELETE FROM {table.name} WHERE {table.key} = ?", (key,))
        self._ops.append(["drop", table.name, key])

    def _put(self, connection: sqlite3.Connection, record: Record, versions: dict[tuple[str, str], int]) -> None:
        """Write a record: a new row, or of one that is there what has changed. Raises `StaleRecord` where it was changed since it was read here."""
        table, key = tables.TABLES[type(record)], tables.key_of(record)
        row, known = tables.to_row(record), (table.name, key)
        seen = versions.get(known, self._versions.get(known))
        there = connection.execute(f"SELECT {', '.join(table.columns)}, version FROM {table.name} WHERE {table.key} = ?", (key,)).fetchone()
        if there is None:
            versions[known] = (seen or 0) + 1
            values = [row[c] for c in table.columns]
            connection.execute(
                f"INSERT INTO {table.name} ({', '.join(table.columns)}, version) VALUES ({', '.join('?' * len(values))}, ?)", (*values, versions[known])
            )
            self._ops.append(["put", table.name, key, {c: row[c] for c in table.columns}])
            return
        *before, version = there
        if seen is not None and version != seen:
            raise StaleRecord(
                f"“{getattr(record, 'name', '') or table.name}” was changed by another window meanwhile.",
                "What the other one wrote stands; nothing was changed here.",
                "Look at it as it is now, then change it again.",
            )
        # a row that is there is changed, never replaced: replacing would take what points at it along
        changed = {c: row[c] for c, was in zip(table.columns, before, strict=True) if row[c] != was}
        if changed:
            versions[known] = version + 1
            connection.execute(
                f"UPDATE {table.name} SET {', '.join(f'{c} = ?' for c in changed)}, version = ? WHERE {table.key} = ?",
                (*changed.values(), versions[known], key),
            )
            self._ops.append(["put", table.name, key, changed])

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
        """Keep a setting, or forget it when the value is None; a read-only or closed studio keeps nothing. Raises `StudioFault` when the disk refuses."""
        if self.read_only or self._closed:
            return
        self._settings.pop(key, None)
        with self._transaction() as connection:
            self._keep(connection, key, value)
        self._settings.pop(key, None)

    def _keep(self, connection: sqlite3.Connection, key: str, value: Any) -> None:
        text = None if value is None else json.dumps(value)
        keep(connection, key, text)
        self._ops.append(["set", key, text])

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
            root.mkdir(mode=0o700, exist_ok=True)
            with open(source, "rb") as src, tempfile.NamedTemporaryFile(dir=root, suffix=".part", delete=False) as out:
                part = out.name
                digest = _copy(src, out, name, token)
            size = pictures.read_picture(part, None, token, name).size
            suffix = suffix or pictures.suffix_of(part)
            target = root / digest[:2] / f"{digest}{suffix}"
            target.parent.mkdir(mode=0o700, exist_ok=True)
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

    @contextlib.contextmanager
    def scratch(self) -> Iterator[Path]:
        """A folder for files that are being taken in. Clients' photos are never left elsewhere: what a killed process leaves here is swept."""
        root = self.folder / opening.SCRATCH
        root.mkdir(mode=0o700, exist_ok=True)
        with tempfile.TemporaryDirectory(dir=root) as folder:
            yield Path(folder)
        with contextlib.suppress(OSError):
            root.rmdir()

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
        self._may_back_up()
        made = backups.make(self.folder, reason, now=self.clock.now())
        self._saved_edits = edits
        if not self.read_only:
            with self._writing, contextlib.suppress(OSError):
                self._journal.cut()
        return made

    def _may_back_up(self) -> None:
        """What another program put there is no backup of this studio."""
        if not self.look():
            self._may_write()

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


def _rescued(displaced: Displaced) -> tuple[str, str]:
    """What was kept of it, and what to do."""
    if displaced.mine is None:
        return "What this window held could not be saved in its folder.", "Write a bundle of each commission to another place before you close it."
    return f"What this window held is saved in {displaced.mine.parent}.", "Go on with that, or open what lies there now."
