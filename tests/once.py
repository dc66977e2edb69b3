"""Long computations that many windows of the tests ask for alike are worked out once in a whole run, whichever process comes first."""

from __future__ import annotations

import contextlib
import hashlib
import os
import pickle
import tempfile
import weakref
import zlib
from collections.abc import Callable, Iterator
from functools import cache
from pathlib import Path
from unittest import mock

import numpy as np

import hanabira
from hanabira.core.area.dapples import classed, find_dapples
from hanabira.core.area.measures import Readers, measure
from hanabira.core.area.pattern import find_pattern
from hanabira.core.area.seams import seam
from hanabira.core.places.find import find_places
from hanabira.core.progress.check import check_photo, display_lab
from hanabira.core.progress.expected import wanted_picture
from hanabira.core.progress.on_sheet import on_sheet
from hanabira.core.solver.gamut import gamut
from hanabira.core.token import Token
from tests.demo_studio import SHARED

LARGEST = 40_000_000
"""Bytes up to which a result is kept for other processes: reading more takes as long as working it out."""
_known: dict[str, object] = {}
_sums: dict[tuple, tuple[weakref.ref, int]] = {}


@cache
def _kept() -> Path:
    """Where results lie: apart for each state of the code, since the folder may outlive a run."""
    home = Path(hanabira.__file__).parent
    state = hashlib.sha256()
    for path in sorted(q for q in home.rglob("*") if q.suffix in (".py", ".toml", ".json", ".npz", ".csv")):
        state.update(f"{path.relative_to(home)} {path.stat().st_mtime_ns} {path.stat().st_size}\n".encode())
    folder = Path(os.environ[SHARED]) / "worked-out" / state.hexdigest()[:16]
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def _once(function: Callable, sign: Callable) -> Callable:
    """A function that is worked out once for what ``sign`` makes of its arguments."""

    def told(*args: object, **more: object) -> object:
        key = hashlib.sha256(repr((function.__module__, function.__name__, sign(*args, **more))).encode()).hexdigest()
        if key not in _known:
            path = _kept() / key
            with contextlib.suppress(FileNotFoundError):
                _known[key] = pickle.loads(path.read_bytes())
                return _known[key]
            _known[key] = function(*args, **more)
            data = pickle.dumps(_known[key], protocol=5)
            if len(data) <= LARGEST:
                with tempfile.NamedTemporaryFile(dir=path.parent, delete=False) as out:
                    out.write(data)
                os.replace(out.name, path)
        return _known[key]

    return told


def _pixels(array: np.ndarray) -> tuple[int, tuple[int, ...]]:
    """What a picture holds. A photo is asked for by every area of it: its sum is kept as long as the picture is the same one."""
    key = id(array), array.shape, array.ctypes.data
    seen = _sums.get(key)
    if seen is None or seen[0]() is not array:
        seen = _sums[key] = weakref.ref(array), zlib.crc32(np.ascontiguousarray(array))
    return seen[1], array.shape


def _region(region) -> tuple:  # noqa: ANN001
    return _pixels(region.pixels), _pixels(region.mask), region.left, region.top


def _plan(plan) -> tuple:  # noqa: ANN001
    """What a check depends on besides its photo."""
    told = tuple((e.area_id, tuple(sorted((p, tuple(np.round(v, 6))) for p, v in e.now.items())), repr(e.laid)) for e in plan.expected)
    return told, _pixels(plan.sheet.lab), repr(plan.patches)


def _plain(args: tuple, more: dict) -> str:
    """Arguments as words, pictures among them as what they hold, without the token and the readers, which ship."""
    told = lambda q: None if isinstance(q, Token | Readers) else _pixels(q) if isinstance(q, np.ndarray) else repr(q)  # noqa: E731
    return repr([told(q) for q in args]) + repr({k: told(q) for k, q in more.items()})


_TAKEN_FROM = {
    "measuring.measure": _once(measure, lambda photo, *args, **more: (_pixels(photo), _plain(args, more))),
    "measuring.classed": _once(classed, lambda _model, region: _region(region)),
    "measuring.find_places": _once(find_places, lambda _photo, region, *rest: (_region(region), repr(rest))),
    "measuring.find_pattern": _once(find_pattern, lambda region, *rest: (_region(region), repr(rest))),
    "measuring.find_dapples": _once(find_dapples, lambda region, *rest: (_region(region), repr(rest))),
    "reaches.gamut": _once(gamut, lambda kit, paper: (repr(kit), repr(paper))),
    "measuring.seam": _once(seam, lambda photo, *args: (_pixels(photo), repr(args))),
    "checkroom.check_photo": _once(
        check_photo,
        lambda photo, plan, corners=None, use_strip=True, second=None, token=None: (
            _pixels(photo), _plan(plan), repr(corners), use_strip, None if second is None else _pixels(second),
        ),
    ),
    "checkroom.display_lab": _once(display_lab, lambda photo, checked, grid: (_pixels(photo), repr(checked.map.tilt), checked.strip, grid)),
    "checkroom.wanted_picture": _once(
        wanted_picture,
        lambda sheet, found, paper, final=False: (
            _pixels(sheet.lab), tuple((e.area_id, e.begun, tuple(sorted((p, tuple(np.round(v, 6))) for p, v in (e.final if final else e.now).items()))) for e in found), final,
        ),
    ),
    "check_subject.on_sheet": _once(
        on_sheet,
        lambda pixels, crop, size, border, areas, grid: (
            _pixels(pixels), crop, size, border, repr([(a.id, a.outline, a.level, a.names) for a in areas]), grid,
        ),
    ),
}  # fmt: skip


def worked_out_once() -> Iterator[object]:
    """Patches that put these in the place of the session's own, each to be started and stopped."""
    return (mock.patch(f"hanabira.session.{place}", once) for place, once in _TAKEN_FROM.items())
