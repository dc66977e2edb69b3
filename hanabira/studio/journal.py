"""The journal of a studio: every edit once more, in files that are only ever written at their end.

It lies in ``journal/`` beside the database. A lost or malformed database is built up again from a backup and the lines after it
(`hanabira.studio.healing`). A chapter begins at each backup; its first line says where it begins, each further line is one edit:

    crc32 number mark json

``number`` counts edits, ``mark`` is drawn at random for each. The database keeps number and mark of its last edit in the same transaction, so
that one can tell where in the journal a database stands, or that it stands nowhere in it.
"""

from __future__ import annotations

import contextlib
import json
import os
import sqlite3
import zlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, NamedTuple

from hanabira.studio import tables
from hanabira.studio.database import HEAD

FOLDER = "journal"
KEY = "journal"
"""The setting under which a database keeps where it stands."""
CHAPTERS_KEPT = 6
"""Chapters, and so backups, from which everything can be built up again."""
PRIVATE = 0o600


class Standing(NamedTuple):
    """Where a database stands in a journal: which journal, how many edits, and the mark of the last one."""

    lineage: str
    number: int
    mark: str

    @property
    def text(self) -> str:
        """As the database keeps it."""
        return json.dumps(self._asdict())

    @classmethod
    def of_text(cls, text: str | None) -> Standing | None:
        """From what a database keeps; None for anything else."""
        try:
            raw = json.loads(text or "")
            return cls(str(raw["lineage"]), int(raw["number"]), str(raw["mark"]))
        except (ValueError, TypeError, KeyError):
            return None


def new_mark() -> str:
    """A mark that no other edit has."""
    return os.urandom(8).hex()


def new_lineage() -> Standing:
    """Where a journal of its own begins."""
    return Standing(new_mark(), 0, new_mark())


class JournalLine(NamedTuple):
    """One edit: its number and mark, and the rest of the line, which is only understood when it is asked for."""

    number: int
    mark: str
    text: bytes

    @property
    def said(self) -> Mapping[str, Any]:
        """``ops`` what was done, ``at`` when, ``file`` size and time of the database file then."""
        return dict(json.loads(self.text))


@dataclass(frozen=True)
class Chapter:
    """A file of the journal: where it begins, its whole lines, and how many bytes of it are whole."""

    path: Path
    begins: Standing
    lines: tuple[JournalLine, ...]
    whole: int

    @property
    def ends(self) -> Standing:
        """Where it ends."""
        last = self.lines[-1] if self.lines else None
        return Standing(self.begins.lineage, last.number, last.mark) if last else self.begins


def _written(number: int, mark: str, said: Mapping[str, Any]) -> bytes:
    rest = b"%d %s %s" % (number, mark.encode(), json.dumps(said, separators=(",", ":")).encode())
    return b"%08x %s\n" % (zlib.crc32(rest), rest)


def _read(line: bytes) -> JournalLine | None:
    crc, _space, rest = line.partition(b" ")
    try:
        if int(crc, 16) != zlib.crc32(rest):
            return None
        number, mark, text = rest.split(b" ", 2)
        return JournalLine(int(number), mark.decode(), text)
    except ValueError:
        return None


def read_chapter(path: Path) -> Chapter | None:
    """A chapter up to its first line that is not whole; None where even the first is not."""
    try:
        data = path.read_bytes()
    except OSError:
        return None
    found: list[JournalLine] = []
    whole = 0
    for raw in data.splitlines(keepends=True):
        line = _read(raw[:-1]) if raw.endswith(b"\n") else None
        if line is None or found and line.number != found[-1].number + 1:
            break
        found.append(line)
        whole += len(raw)
    if not found:
        return None
    try:
        lineage = str(found[0].said["lineage"])
    except (ValueError, KeyError, TypeError):
        return None
    return Chapter(path, Standing(lineage, found[0].number, found[0].mark), tuple(found[1:]), whole)


def chapters(folder: Path) -> tuple[Chapter, ...]:
    """The chapters of a studio's journal, the oldest first."""
    paths = sorted((folder / FOLDER).glob("*.jsonl"))
    return tuple(c for c in map(read_chapter, paths) if c is not None)


def newest(folder: Path) -> Chapter | None:
    """The chapter that is written last; None where there is no journal."""
    paths = sorted((folder / FOLDER).glob("*.jsonl"))
    return next((c for c in map(read_chapter, reversed(paths)) if c is not None), None)


def lines_after(found: Sequence[Chapter], standing: Standing) -> tuple[JournalLine, ...] | None:
    """The edits that a database at ``standing`` lacks; None where it stands nowhere in the journal, or lines between are missing."""
    out: list[JournalLine] | None = None
    for chapter in found:
        if chapter.begins.lineage != standing.lineage:
            continue
        places = [chapter.begins[1:], *(line[:2] for line in chapter.lines)]
        if out is None:
            if standing[1:] in places:
                out = list(chapter.lines[places.index(standing[1:]) :])
            continue
        end = (out[-1].number, out[-1].mark) if out else standing[1:]
        if end not in places:
            return None  # a chapter between is gone
        out += chapter.lines[places.index(end) :]
    return None if out is None else tuple(out)


def apply(connection: sqlite3.Connection, lines: Iterable[JournalLine], lineage: str) -> None:
    """Do edits of the journal again, in the caller's transaction. Raises `sqlite3.Error`."""
    keys = {t.name: t.key for t in tables.TABLES.values()}
    for line in lines:
        for op in line.said["ops"]:
            if op[0] == "set":
                keep(connection, op[1], op[2])
            elif op[0] == "drop":
                connection.execute(f"DELETE FROM {op[1]} WHERE {keys[op[1]]} = ?", (op[2],))
            else:
                _how, table, key, row = op
                names = [c for c in row if c.isidentifier()]
                sets = "".join(f"{c} = ?, " for c in names)
                values = [row[c] for c in names]
                done = connection.execute(f"UPDATE {table} SET {sets}version = version + 1 WHERE {keys[table]} = ?", (*values, key))
                if not done.rowcount:
                    marks = ", ".join("?" * len(names))
                    connection.execute(f"INSERT INTO {table} ({', '.join(names)}) VALUES ({marks})", values)
        keep(connection, KEY, Standing(lineage, line.number, line.mark).text)


def keep(connection: sqlite3.Connection, key: str, value: str | None) -> None:
    """Write a row of the settings, or delete it."""
    if value is None:
        connection.execute("DELETE FROM setting WHERE key = ?", (key,))
    else:
        connection.execute("INSERT INTO setting (key, value) VALUES (?, ?) ON CONFLICT (key) DO UPDATE SET value = excluded.value", (key, value))


def standing_of(connection: sqlite3.Connection) -> Standing | None:
    """Where a database stands; None for one of a version without a journal."""
    row = connection.execute("SELECT value FROM setting WHERE key = ?", (KEY,)).fetchone()
    return Standing.of_text(row[0] if row else None)


class Journal:
    """The chapter that is being written."""

    def __init__(self, folder: Path, standing: Standing) -> None:
        self._folder, self.standing = folder / FOLDER, standing
        self._handle = -1
        self._path: Path | None = None
        self._before: tuple[int, Standing] | None = None
        """Length of the chapter and standing before the last line."""

    def go_on(self, chapter: Chapter) -> None:
        """Write at the end of a chapter that is there; a line that was not finished goes."""
        self._open(chapter.path, os.O_RDWR | os.O_APPEND)
        os.ftruncate(self._handle, chapter.whole)
        self.standing = chapter.ends

    def begin(self) -> None:
        """Begin a chapter here. Raises `OSError`."""
        self.close()
        self._folder.mkdir(mode=0o700, exist_ok=True)
        path = self._folder / f"{self.standing.number:09d}-{self.standing.mark}.jsonl"
        self._open(path, os.O_RDWR | os.O_APPEND | os.O_CREAT | os.O_TRUNC)
        self._write(_written(self.standing.number, self.standing.mark, {"lineage": self.standing.lineage, "schema": HEAD}))
        for old in sorted(self._folder.glob("*.jsonl"))[:-CHAPTERS_KEPT]:
            with contextlib.suppress(OSError):
                old.unlink()

    def cut(self) -> None:
        """A backup was made: begin the next chapter, unless nothing stands in this one. Raises `OSError`."""
        if self._handle >= 0 and self._before is not None:
            self.begin()

    def add(self, ops: Sequence[Sequence[Any]], at: str, file: Sequence[int], settle: bool) -> Standing:
        """Write an edit; with ``settle`` it is on the disk when this returns. Raises `OSError`; then nothing was written."""
        if self._handle < 0 or not self.there:
            self.begin()
        before = (os.fstat(self._handle).st_size, self.standing)
        standing = Standing(self.standing.lineage, self.standing.number + 1, new_mark())
        try:
            self._write(_written(standing.number, standing.mark, {"at": at, "file": list(file), "ops": ops}), settle)
        except OSError:
            with contextlib.suppress(OSError):
                os.ftruncate(self._handle, before[0])
            raise
        self._before, self.standing = before, standing
        return standing

    def take_back(self) -> None:
        """The edit of the last line was not stored."""
        if self._before is not None:
            with contextlib.suppress(OSError):
                os.ftruncate(self._handle, self._before[0])
            self.standing = self._before[1]

    @property
    def there(self) -> bool:
        """Whether the chapter still lies under its name."""
        try:
            own, named = os.fstat(self._handle), os.stat(self._path or "")
        except OSError:
            return False
        return (own.st_dev, own.st_ino) == (named.st_dev, named.st_ino)

    def close(self) -> None:
        """Stop writing."""
        if self._handle >= 0:
            os.close(self._handle)
        self._handle, self._path, self._before = -1, None, None

    def _open(self, path: Path, flags: int) -> None:
        self.close()
        self._handle, self._path = os.open(path, flags | os.O_CLOEXEC, PRIVATE), path

    def _write(self, data: bytes, settle: bool = True) -> None:
        view = memoryview(data)
        while view:
            view = view[os.write(self._handle, view) :]
        if settle:
            os.fsync(self._handle)
