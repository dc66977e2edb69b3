"""Photo files that nothing refers to any more: what a removed commission leaves, and what deleted photos of the work leave when nobody can take it back.

A file that any backup still refers to stays: going back to that backup must find its photos.
"""

from __future__ import annotations

import contextlib
import datetime
import re
import sqlite3
import time
from pathlib import Path
from typing import TYPE_CHECKING

from hanabira.studio import account, backups, database
from hanabira.studio.records import Commission, Photo, Shot

if TYPE_CHECKING:
    from hanabira.studio.store import Store

_FILE = re.compile(r"^[0-9a-f]{64}\.[A-Za-z0-9]+$")
TABLES = ("photo", "shot")
YOUNG_S = 3600.0
"""Files younger than this are left alone."""


def referred(store: Store, with_backups: bool = True) -> frozenset[str]:
    """Digests of the photos that the studio's records, and those of its backups, refer to. Raises nothing: a backup that cannot be read keeps all."""
    found = {p.digest for p in store.all(Photo)} | {p.digest for p in store.all(Shot)}
    found |= _in_database(store.folder / database.DATABASE)
    if with_backups:
        for b in backups.backups(store.folder, look_inside=False):
            found |= _in_database(b.path)
    return frozenset(found)


class UnreadableDatabase(Exception):
    """A database whose photos cannot be listed."""


def _in_database(path: Path) -> set[str]:
    """Digests in a database, rows that make no sense among them."""
    out: set[str] = set()
    try:
        with contextlib.closing(database.connect(path, "ro")) as c:
            names = {row[0] for row in c.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
            for table in TABLES:
                if table in names:
                    out |= {str(row[0]) for row in c.execute(f"SELECT digest FROM {table}")}
    except (sqlite3.Error, OSError) as error:
        raise UnreadableDatabase(str(path)) from error
    return out


def sweep(store: Store, now: float | None = None) -> tuple[Path, ...]:
    """Delete photo files that no record and no backup refers to; what was deleted. Does nothing when any of them cannot be read.

    Young files stay: another window may just be taking them in. ``now`` is a time in seconds since the epoch.
    """
    if store.read_only:
        return ()
    try:
        needed = referred(store)
    except UnreadableDatabase:
        return ()
    young = (time.time() if now is None else now) - YOUNG_S
    return _delete([p for p in _files(store.folder) if p.stem not in needed and p.stat().st_mtime < young])


def age(path: Path) -> datetime.timedelta:
    """How long ago a file was written, by the clock that stamped it. Raises `OSError`."""
    return datetime.timedelta(seconds=time.time() - path.stat().st_mtime)


def _files(folder: Path) -> list[Path]:
    return [p for p in (folder / "photos").glob("*/*") if p.is_file() and _FILE.match(p.name)]


def _delete(paths: list[Path]) -> tuple[Path, ...]:
    gone = []
    for p in paths:
        with contextlib.suppress(OSError):  # another process may have it open or have deleted it
            p.unlink()
            gone.append(p)
    return tuple(gone)


def remove_commission(store: Store, key: str) -> tuple[Path, ...]:
    """Remove a commission with everything that belongs to it, and the photo files that no other commission refers to; the files that went.

    The records go in one transaction first: a file without a record is only litter, a record without its file a lost photo.
    """
    found = store.get(Commission, key)
    if found is None:
        return ()
    mine = {p.digest: store.photo_path(p) for p in store.all(Photo, commission_id=key)}
    mine |= {p.digest: store.photo_path(p) for p in store.all(Shot, commission_id=key)}
    store.edit((), [found])
    store.keep_setting(account.first_plan_key(key), None)
    try:
        needed = referred(store, with_backups=False)
    except UnreadableDatabase:
        return ()
    return _delete([path for digest, path in mine.items() if digest not in needed and path.exists()])
