"""A studio on disk: a folder with the database, the photos and the backups.

Every edit is one transaction that is on the disk when `edit` returns: ending the process
at any moment loses nothing that was shown as done.
"""

from __future__ import annotations

import contextlib
import datetime
import fcntl
import hashlib
import json
import os
import sqlite3
import tempfile
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any, TypeVar

import platformdirs
from sqlalchemy import Connection, create_engine, event, select
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.pool import NullPool, StaticPool

from hanabira.core.faults import PhotoFault, StudioFault
from hanabira.core.token import SILENT, Token
from hanabira.studio import tables
from hanabira.studio.pictures import probe
from hanabira.studio.records import Photo, Record, Shot

HEAD = "0006"
"""The newest schema; a test holds it against the migrations."""
DATABASE = "studio.sqlite"
BACKUPS_KEPT = 10
R = TypeVar("R", bound=Record)


def default_folder() -> Path:
    """The user's own studio."""
    return Path(platformdirs.user_data_dir("hanabira")) / "studio"


class Store:
    """An opened studio. ``read_only`` says why when it cannot be written, else it is empty."""

    def __init__(self, folder: Path, engine: Any, lock: Any, read_only: str) -> None:
        self.folder, self._engine, self._lock, self.read_only = folder, engine, lock, read_only
        self.edits = 0
        """How many edits went in since it was opened; whoever keeps something read from it looks here whether it is still so."""

    # -- opening ---------------------------------------------------------
    @classmethod
    def open(cls, folder: Path | str) -> Store:
        """Open a studio, making it when the folder holds none; `StudioFault` when that cannot be.

        A studio that another window writes, or on a disk that cannot be written, opens read-only.
        """
        folder = Path(folder)
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise StudioFault(f"The studio folder {folder} cannot be made: {error.strerror}.", do="Choose another folder.") from error
        path = folder / DATABASE
        lock, why = _lock(folder)
        if why and not path.exists():
            raise StudioFault(f"There is no studio in {folder} and none can be made: {why}.")
        fresh = not path.exists()
        if not fresh:
            _check(path)
        engine = _engine(path, read_only=bool(why))
        store = cls(folder, engine, lock, why)
        try:
            if not why:
                store._bring_up_to_date(fresh)
            elif _version(path) != HEAD:
                raise StudioFault(
                    "This studio was made by an older version and cannot be brought up to date while it is read-only.", do=f"First: {why}."
                )
        except BaseException:
            store.close()
            raise
        return store

    def _bring_up_to_date(self, fresh: bool) -> None:
        found = None if fresh else _version(self.folder / DATABASE)
        if found is not None and found > HEAD:
            raise StudioFault(
                "This studio was written by a newer version of Hanabira.", kept="Nothing was changed.", do="Open it with that version."
            )
        if found != HEAD:
            if not fresh:
                self.backup("before-update")
            from alembic import command
            from alembic.config import Config

            config = Config()
            config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
            with self._engine.begin() as connection:
                config.attributes["connection"] = connection
                command.upgrade(config, "head")
        self._daily_backup()

    def close(self) -> None:
        """Let the studio go."""
        self._engine.dispose()
        if self._lock is not None:
            with contextlib.suppress(OSError):
                fcntl.flock(self._lock, fcntl.LOCK_UN)
                self._lock.close()
            self._lock = None

    def __enter__(self) -> Store:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    # -- records ---------------------------------------------------------
    def all(self, kind: type[R], **where: Any) -> tuple[R, ...]:
        """All records of a kind, those with these field values."""
        table = tables.TABLES[kind]
        query = select(table)
        for name, value in where.items():
            query = query.where(table.c[name] == value)
        order = {"commission": "created", "photo": "position", "area": "number", "log": "at", "shot": "at"}.get(table.name)
        if order:
            query = query.order_by(table.c[order])
        with self._engine.connect() as connection:
            return tuple(tables.from_row(kind, row) for row in connection.execute(query).mappings())  # type: ignore[arg-type,misc]

    def get(self, kind: type[R], key: str) -> R | None:
        """The record of a key, or None."""
        name = "area_id" if tables.TABLES[kind].name == "recipe" else "id"
        found = self.all(kind, **{name: key})
        return found[0] if found else None

    def edit(self, put: Iterable[Record] = (), drop: Iterable[Record] = ()) -> None:
        """Write and delete records in one transaction; `StudioFault` when nothing could be kept."""
        if self.read_only:
            raise StudioFault(f"This studio is open for reading only: {self.read_only}.", kept="Nothing was changed.")
        try:
            with self._engine.begin() as connection:
                for record in drop:
                    self._delete(connection, record)
                for record in put:
                    self._upsert(connection, record)
            self.edits += 1
        except SQLAlchemyError as error:
            reason = str(getattr(error, "orig", error))
            raise StudioFault(
                f"The change could not be stored: {reason}.",
                kept="Everything before it is safe.",
                do="Make room on the disk and try again.",
            ) from error

    @staticmethod
    def _key(record: Record) -> tuple[Any, str]:
        table = tables.TABLES[type(record)]
        return table, "area_id" if table.name == "recipe" else "id"

    def _delete(self, connection: Connection, record: Record) -> None:
        table, key = self._key(record)
        connection.execute(table.delete().where(table.c[key] == tables.key_of(record)))

    def _upsert(self, connection: Connection, record: Record) -> None:
        table, key = self._key(record)
        row = tables.to_row(record)
        done = connection.execute(table.update().where(table.c[key] == row[key]).values(**row))
        if not done.rowcount:
            connection.execute(table.insert().values(**row))

    # -- settings --------------------------------------------------------
    def setting(self, key: str, default: Any = None) -> Any:
        """A kept setting, or the default."""
        with self._engine.connect() as connection:
            found = connection.execute(select(tables.setting.c.value).where(tables.setting.c.key == key)).scalar()
        return default if found is None else json.loads(found)

    def keep_setting(self, key: str, value: Any) -> None:
        """Keep a setting; a read-only studio forgets it."""
        if self.read_only:
            return
        with self._engine.begin() as connection:
            connection.execute(tables.setting.delete().where(tables.setting.c.key == key))
            connection.execute(tables.setting.insert().values(key=key, value=json.dumps(value)))

    # -- photos ----------------------------------------------------------
    def photo_path(self, photo: Photo | Shot) -> Path:
        """Where the original file of a photo lies."""
        return self.folder / "photos" / photo.digest[:2] / f"{photo.digest}{photo.suffix}"

    def take_in(self, source: Path | str, token: Token = SILENT) -> tuple[str, str, tuple[int, int]]:
        """Copy a picture file into the studio by its content: (digest, suffix, upright size).

        The file is decoded first, so that a damaged one never enters. The same file twice is kept once.
        """
        if self.read_only:
            raise StudioFault(f"This studio is open for reading only: {self.read_only}.", kept="Nothing was changed.")
        source = Path(source)
        size = probe(source)
        digest, suffix = hashlib.sha256(), source.suffix.lower() or ".img"
        target_root = self.folder / "photos"
        try:
            target_root.mkdir(exist_ok=True)
            total = max(1, source.stat().st_size)
            with open(source, "rb") as src, tempfile.NamedTemporaryFile(dir=target_root, suffix=".part", delete=False) as out:
                try:
                    while block := src.read(1 << 20):
                        token.report(0.5 * out.tell() / total, f"Copying {source.name}")
                        digest.update(block)
                        out.write(block)
                    out.flush()
                    os.fsync(out.fileno())
                except BaseException:
                    os.unlink(out.name)
                    raise
            name = digest.hexdigest()
            target = target_root / name[:2] / f"{name}{suffix}"
            target.parent.mkdir(exist_ok=True)
            if target.exists():
                os.unlink(out.name)
            else:
                os.replace(out.name, target)
        except OSError as error:
            raise PhotoFault(
                f"{source.name} could not be copied into the studio: {error.strerror or error}.", kept="Nothing was changed."
            ) from error
        return name, suffix, size

    # -- backups ---------------------------------------------------------
    def backup(self, label: str) -> Path:
        """Write a copy of the database; the ten newest are kept."""
        folder = self.folder / "backups"
        folder.mkdir(exist_ok=True)
        target = folder / f"{label}.sqlite"
        part = target.with_suffix(".part")
        source = sqlite3.connect(self.folder / DATABASE)
        copy = sqlite3.connect(part)
        try:
            source.backup(copy)
        finally:
            copy.close()
            source.close()
        os.replace(part, target)
        for old in sorted(folder.glob("*.sqlite"), key=lambda p: p.stat().st_mtime)[:-BACKUPS_KEPT]:
            old.unlink(missing_ok=True)
        return target

    def _daily_backup(self) -> None:
        label = datetime.date.today().isoformat()
        if not (self.folder / "backups" / f"{label}.sqlite").exists():
            with contextlib.suppress(OSError, sqlite3.Error):
                self.backup(label)

    def backups(self) -> Sequence[Path]:
        """Backups, the oldest first."""
        return sorted((self.folder / "backups").glob("*.sqlite"), key=lambda p: p.stat().st_mtime)


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


def _engine(path: Path, read_only: bool) -> Any:
    if read_only:
        engine = create_engine(f"sqlite:///file:{path}?mode=ro&uri=true", poolclass=NullPool)
    else:
        engine = create_engine(f"sqlite:///{path}", poolclass=StaticPool, connect_args={"check_same_thread": False})

    @event.listens_for(engine, "connect")
    def _on_connect(connection: Any, _record: Any) -> None:
        cursor = connection.cursor()
        cursor.execute("PRAGMA foreign_keys = ON")
        if not read_only:
            cursor.execute("PRAGMA journal_mode = WAL")
            cursor.execute("PRAGMA synchronous = FULL")
        cursor.close()

    return engine


def _check(path: Path) -> None:
    """Refuse a database that is damaged, naming the newest backup."""
    try:
        connection = sqlite3.connect(f"file:{path}?mode=ro", uri=True)
        try:
            answer = connection.execute("PRAGMA quick_check").fetchone()[0]
        finally:
            connection.close()
    except sqlite3.Error as error:
        answer = str(error)
    if answer != "ok":
        raise StudioFault(
            f"The studio’s database is damaged ({answer}).",
            kept=f"Its backups are in {path.parent / 'backups'}.",
            do=f"Copy the newest one over {path.name}.",
        )


def _version(path: Path) -> str | None:
    with contextlib.closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as connection:
        try:
            row = connection.execute("SELECT version_num FROM alembic_version").fetchone()
        except sqlite3.Error:
            return None
    return row[0] if row else None
