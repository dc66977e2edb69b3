"""Modules that are loaded when they are first used: a window must not wait for what only a measurement needs.

Once `install` was called, which the program's entry does and tests do not, ``from package import module`` and ``import numpy`` hand out a stand-in for
every module that the entry names, and the first look into it loads the module, on whatever thread that is. ``from module import name`` looks at once. So
who needs a thing to stand in a window imports its names, and who needs it later imports its module; both are plain imports that everybody sees.
"""

from __future__ import annotations

import importlib
import sys
import threading
from collections.abc import Sequence
from importlib.abc import Loader, MetaPathFinder
from importlib.machinery import ModuleSpec, PathFinder
from types import ModuleType
from typing import Any

from hanabira.core.token import SILENT, Token

__all__ = ["Waiting", "catch_up", "install", "loaded", "waiting"]


class Waiting(ModuleType):
    """Stands for a module until somebody looks into it, and hands everything on afterwards."""

    def __getattr__(self, name: str) -> Any:
        if "__stands__" not in vars(self):  # the import system itself looks while it puts this in the module's place
            raise AttributeError(name)
        return getattr(_load(self), name)

    def __setattr__(self, name: str, value: object) -> None:
        if name.startswith("__"):
            super().__setattr__(name, value)
        else:
            setattr(_load(self), name, value)


class _Late(MetaPathFinder, Loader):
    """Finds the modules of some packages, and some libraries, and loads nothing of them."""

    def __init__(self, packages: Sequence[str], libraries: Sequence[str], seldom: Sequence[str]) -> None:
        self.packages, self.libraries, self.seldom = tuple(packages), frozenset(libraries), frozenset(seldom)
        self.begun: set[str] = set()
        """Names that were looked into: they are found as always."""
        self.found: dict[str, ModuleSpec] = {}
        """Where the modules lie that something stands for: they need not be searched for twice."""
        self.ahead: list[str] = []
        """What may be loaded ahead, in the order in which it was asked for."""

    def find_spec(self, name: str, path: Sequence[str] | None = None, target: ModuleType | None = None) -> ModuleSpec | None:
        library = name in self.libraries
        if name in self.begun:
            return self.found.pop(name, None)
        if not (library or name.startswith(self.packages)):
            return None
        found = PathFinder.find_spec(name, path)
        if found is None or (found.submodule_search_locations is not None and not library):
            return None
        self.found[name] = found
        if not library and name not in self.seldom:
            self.ahead.append(name)
        return ModuleSpec(name, self)

    def create_module(self, spec: ModuleSpec) -> Waiting:
        return Waiting(spec.name)

    def exec_module(self, module: ModuleType) -> None:
        """It stands in; nothing runs."""
        vars(module)["__stands__"] = True


_taking = threading.Lock()
_found: list[_Late] = []
"""The finder that is installed, if any."""


def install(packages: Sequence[str], libraries: Sequence[str] = (), seldom: Sequence[str] = ()) -> None:
    """From here on load modules under these ``packages`` (each ends with a dot) and these ``libraries`` late. What is ``seldom`` needed is left out
    when all others are loaded ahead (`catch_up`).
    """
    late = _Late(packages, libraries, seldom)
    _found.append(late)
    sys.meta_path.insert(0, late)


def loaded(name: str) -> ModuleType:
    """A module by its name, not what stands for it. Raises ImportError."""
    found = importlib.import_module(name)
    return _load(found) if isinstance(found, Waiting) else found


def waiting() -> list[str]:
    """What `catch_up` would load now."""
    return [name for late in _found for name in late.ahead]


def _load(standing: Waiting) -> ModuleType:
    """The module that something stands for; the first who asks loads it, and others wait for that as for any import."""
    name = standing.__name__
    with _taking:
        for late in _found:
            late.begun.add(name)
            if name in late.ahead:
                late.ahead.remove(name)
        if sys.modules.get(name) is standing:
            del sys.modules[name]
    return importlib.import_module(name)


def catch_up(token: Token = SILENT) -> None:
    """Load what waits, and what that waits for, so that the first look into it costs nobody a moment."""
    while names := waiting():  # what is loaded may wait for more
        token.check()
        found = sys.modules.get(names[0])
        if isinstance(found, Waiting):
            _load(found)
        else:
            with _taking:
                for late in _found:
                    late.ahead = [name for name in late.ahead if name != names[0]]
