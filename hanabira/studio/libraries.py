"""The stack libraries on disk: one file a kit and paper, rebuilt when either changes."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

import numpy as np
import platformdirs

from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.solver.library import Library, build, key
from hanabira.core.token import SILENT, Token

KEPT = 8


def cache_folder() -> Path:
    """Where libraries are kept; they can be deleted at any time."""
    return Path(os.environ.get("HANABIRA_CACHE") or platformdirs.user_cache_dir("hanabira")) / "libraries"


def library_for(kit: Kit, paper: Paper, token: Token = SILENT, folder: Path | None = None) -> Library:
    """The library of a kit on a paper, from disk when it is there, else built and kept."""
    folder = folder or cache_folder()
    path = folder / f"{key(kit, paper)}.npz"
    try:
        with np.load(path, allow_pickle=False) as f:
            library = Library(f["pencils"], f["pressures"], f["lab"], f["tooth"])
        os.utime(path)
    except (OSError, ValueError, KeyError, EOFError):
        library = build(kit, paper, token=token)
        _keep(library, path)
    _ = library.tree
    return library


def _keep(library: Library, path: Path) -> None:
    """Write aside and rename; a full or read-only disk only costs the next start its time."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.NamedTemporaryFile(dir=path.parent, suffix=".part", delete=False) as f:
            np.savez(f, pencils=library.pencils, pressures=library.pressures, lab=library.lab, tooth=library.tooth)
        os.replace(f.name, path)
        old = sorted(path.parent.glob("*.npz"), key=lambda p: p.stat().st_mtime)[:-KEPT]
        for p in old:
            p.unlink(missing_ok=True)
        for p in path.parent.glob("*.part"):
            p.unlink(missing_ok=True)
    except OSError:
        return
