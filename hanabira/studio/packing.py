"""Values of the core as bytes and back, without ever running what is read: plain values, arrays, and records of named kinds.

A file is a line that names the form, the length and check sum of what follows, a JSON tree, and the arrays' bytes one after the other.
"""

from __future__ import annotations

import dataclasses
import json
import sys
import zlib
from importlib import import_module
from typing import Any

import numpy as np

FORM = b"hanabira worked out 1\n"
KINDS = ("hanabira.core.", "hanabira.studio.records")
"""Modules whose records may be packed; nothing else is made when a file is read."""


def pack(value: object) -> bytes:
    """A value as bytes; equal values give equal bytes. Raises TypeError for what is none of the kinds.

    >>> unpack(pack({"ears": (1.5, None), "coat": np.zeros(2)}))
    {'ears': (1.5, None), 'coat': array([0., 0.])}
    """
    arrays: list[np.ndarray] = []
    tree = json.dumps(_tree(value, arrays), separators=(",", ":")).encode()
    data = b"".join([len(tree).to_bytes(8, "little"), tree, *(a.tobytes() for a in arrays)])
    return b"".join([FORM, zlib.crc32(data).to_bytes(4, "little"), data])


def unpack(data: bytes) -> Any:
    """The value of some bytes. Raises ValueError for bytes that are cut short, damaged, of another form or of kinds that there are no more."""
    head = len(FORM)
    if data[:head] != FORM or zlib.crc32(data[head + 4 :]) != int.from_bytes(data[head : head + 4], "little"):
        raise ValueError("not a whole file of what was worked out")
    begin = head + 12
    at = begin + int.from_bytes(data[head + 4 : begin], "little")
    try:
        return _Reader(data, at).value(json.loads(data[begin:at]))
    except (TypeError, KeyError, AttributeError, ImportError) as error:
        raise ValueError(f"what was worked out does not fit the program: {error}") from error


def _tree(value: Any, arrays: list[np.ndarray]) -> Any:
    """Lists say by their first entry what they stand for; numbers, words, truths and None stand for themselves."""
    if value is None or type(value) in (bool, int, float, str):
        return value
    if isinstance(value, np.ndarray | np.generic):
        whole = np.asarray(value)
        if whole.dtype.hasobject:
            raise TypeError("an array of objects cannot be packed")
        arrays.append(np.ascontiguousarray(whole))
        return ["array", whole.dtype.str, list(whole.shape), isinstance(value, np.generic)]
    if dataclasses.is_dataclass(value) and type(value).__module__.startswith(KINDS):
        rows = [_tree(getattr(value, f.name), arrays) for f in dataclasses.fields(value) if f.init]
        return ["record", type(value).__module__, type(value).__qualname__, *rows]
    if isinstance(value, tuple) and type(value) is tuple:
        return ["tuple", *(_tree(v, arrays) for v in value)]
    if isinstance(value, tuple) and type(value).__module__.startswith(KINDS):
        return ["named", type(value).__module__, type(value).__qualname__, *(_tree(v, arrays) for v in value)]
    if type(value) is list:
        return ["list", *(_tree(v, arrays) for v in value)]
    if isinstance(value, frozenset | set):
        members = sorted((_tree(v, arrays) for v in value), key=json.dumps)
        return ["frozenset" if isinstance(value, frozenset) else "set", *members]
    if isinstance(value, dict):
        return ["dict", *([_tree(k, arrays), _tree(v, arrays)] for k, v in value.items())]
    raise TypeError(f"{type(value).__module__}.{type(value).__qualname__} cannot be packed")


class _Reader:
    """Takes values off a tree, and the arrays off the bytes in their order."""

    def __init__(self, data: bytes, at: int) -> None:
        self.data, self.at = data, at

    def value(self, tree: Any) -> Any:
        if not isinstance(tree, list):
            return tree
        kind, *rest = tree
        if kind == "array":
            return self._array(*rest)
        if kind in ("record", "named"):
            made = _kind(*rest[:2])
            return made(*(self.value(v) for v in rest[2:])) if kind == "named" else self._record(made, rest[2:])
        if kind == "dict":
            return {self.value(k): self.value(v) for k, v in rest}
        return {"tuple": tuple, "list": list, "set": set, "frozenset": frozenset}[kind](self.value(v) for v in rest)

    def _array(self, dtype: str, shape: list[int], single: bool) -> Any:
        of = np.dtype(dtype)
        count = int(np.prod(shape, dtype=int))
        out = np.frombuffer(self.data, of, count, self.at).reshape(shape)
        self.at += count * of.itemsize
        return out[()] if single else out.copy()

    def _record(self, made: Any, rows: list[Any]) -> Any:
        names = [f.name for f in dataclasses.fields(made) if f.init]
        if len(names) != len(rows):
            raise TypeError(f"{made.__qualname__} has other fields now")
        return made(**dict(zip(names, (self.value(v) for v in rows), strict=True)))


def _kind(module: str, name: str) -> Any:
    """A class by its name, of those that may be made."""
    if not module.startswith(KINDS):
        raise TypeError(f"{module} holds no records of ours")
    found = getattr(sys.modules.get(module) or import_module(module), name)
    if not (isinstance(found, type) and (dataclasses.is_dataclass(found) or issubclass(found, tuple))):
        raise TypeError(f"{name} is no record")
    return found
