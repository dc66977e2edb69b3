"""What was worked out from photos and kits, kept on disk: asked a second time for the same thing, the program reads instead of computing.

A file is named by what went in and by the code that made it (`edition`), so that nothing old is ever taken for true and a new version simply
finds nothing. The folder may be deleted at any time, holds at most `MOST_BYTES`, and a disk that is full or read-only only costs the time.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import tempfile
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import TypeVar

import numpy as np

import hanabira
from hanabira.studio.cache import cache_folder
from hanabira.studio.packing import pack, unpack

MOST_BYTES = 400_000_000
"""Bytes that are kept; what was not asked for longest goes first."""
LARGEST = 60_000_000
"""Bytes up to which one result is kept: to read more takes as long as to work it out."""
CODE = (
    "core", "craft", "studio/account.py", "studio/checking.py", "studio/pictures.py", "studio/picture_kinds.py", "studio/planning.py", "studio/records.py",
    "session/check_subject.py", "session/checkroom.py", "session/darkroom.py", "session/measuring.py", "session/view.py",
)  # fmt: skip
"""Folders and files of the program on which results depend."""
SUFFIX = ".worked"
T = TypeVar("T")


@cache
def edition() -> str:
    """Names the code and the trained weights that results are made by: a change in any of them gives another name."""
    home, told = Path(hanabira.__file__).parent, hashlib.blake2b(f"numpy {np.__version__}".encode(), digest_size=12)
    for name in CODE:
        path = home / name
        for file in sorted(path.rglob("*")) if path.is_dir() else [path]:
            if file.is_file() and "__pycache__" not in file.parts:
                told.update(f"\n{file.relative_to(home)}\n".encode())
                told.update(file.read_bytes())
    return told.hexdigest()


class Workings:
    """Results by what they were made from. Any number of threads and processes may share a ``folder``."""

    def __init__(self, folder: Path | None = None, most: int = MOST_BYTES) -> None:
        self.folder, self.most = folder or cache_folder(), most

    def once(self, kind: str, sign: object, make: Callable[[], T]) -> T:
        """The result of ``make``, read where one of this kind was made from an equal ``sign`` before. What ``make`` raises goes through and nothing is kept."""
        path = self._path(kind, sign)
        try:
            found: T = unpack(path.read_bytes())
            os.utime(path)
            return found
        except (OSError, ValueError):
            pass
        made = make()
        data = pack(made)
        if len(data) <= LARGEST:
            self._keep(path, data)
        return made

    def _path(self, kind: str, sign: object) -> Path:
        told = hashlib.blake2b(f"{kind} {edition()}\n".encode(), digest_size=20)
        told.update(pack(sign))
        return self.folder / f"{kind}-{told.hexdigest()}{SUFFIX}"

    def _files(self) -> list[Path]:
        try:
            return [Path(q.path) for q in os.scandir(self.folder) if q.name.endswith((SUFFIX, ".part"))]
        except OSError:
            return []

    def _keep(self, path: Path, data: bytes) -> None:
        """Write aside and rename, then make room."""
        with contextlib.suppress(OSError):
            self.folder.mkdir(parents=True, exist_ok=True)
            with tempfile.NamedTemporaryFile(dir=self.folder, suffix=".part", delete=False) as out:
                try:
                    out.write(data)
                    out.close()
                    os.replace(out.name, path)
                except OSError:
                    Path(out.name).unlink(missing_ok=True)
                    raise
            self._make_room(path)

    def _make_room(self, newest: Path) -> None:
        files = {}
        for path in self._files():
            with contextlib.suppress(OSError):  # another process took it away
                files[path] = path.stat()
        total = sum(s.st_size for s in files.values())
        for path, stat in sorted(files.items(), key=lambda q: q[1].st_mtime_ns):
            if total <= self.most:
                break
            if path != newest:
                with contextlib.suppress(OSError):
                    path.unlink()
                    total -= stat.st_size
