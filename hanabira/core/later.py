"""Libraries that are loaded when they are first used: a window must not wait for what only a measurement needs."""

from __future__ import annotations

import importlib
from types import ModuleType
from typing import Any


class Later:
    """Stands for a module and loads it at the first look into it.

    >>> fractions = Later("fractions")
    >>> fractions.Fraction(2, 4)
    Fraction(1, 2)
    """

    def __init__(self, name: str) -> None:
        self._name = name
        self._module: ModuleType | None = None

    def __getattr__(self, name: str) -> Any:
        if self._module is None:
            self._module = importlib.import_module(self._name)
        return getattr(self._module, name)
