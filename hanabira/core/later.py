"""Libraries that are loaded when they are first used: a window must not wait for what only a measurement needs.

`np` and `cv2` here are for modules that a window loads before it stands; all others import the libraries themselves.
"""

from __future__ import annotations

import importlib
import threading
from types import ModuleType
from typing import TYPE_CHECKING, Any

from hanabira.core.token import SILENT, Token

__all__ = ["Later", "catch_up", "cv2", "np"]


class Later:
    """Stands for a module and loads it at the first look into it, on whatever thread that is.

    What is ``seldom`` needed is left out when all others are loaded ahead (`catch_up`).

    >>> fractions = Later("fractions")
    >>> fractions.Fraction(2, 4)
    Fraction(1, 2)
    """

    def __init__(self, name: str, seldom: bool = False) -> None:
        self._name = name
        self._module: ModuleType | None = None
        if not seldom:
            _awaited.append(name)

    def __getattr__(self, name: str) -> Any:
        if self._module is None:
            self._module = importlib.import_module(self._name)
        return getattr(self._module, name)


_awaited: list[str] = []
"""Names of the modules that are not loaded ahead yet, as they come to be waited for."""
_taking = threading.Lock()


def catch_up(package: str, token: Token = SILENT) -> None:
    """Load what was waited for in a package, and what that waits for, so that the first look into it costs nobody a moment."""
    while True:  # what is loaded may wait for more
        token.check()
        with _taking:
            at = next((k for k, name in enumerate(_awaited) if name.partition(".")[0] == package), None)
            name = "" if at is None else _awaited.pop(at)
        if not name:
            return
        importlib.import_module(name)


if TYPE_CHECKING:
    import cv2
    import numpy as np
else:
    cv2, np = Later("cv2"), Later("numpy")
