"""Libraries that are loaded when they are first used: a window must not wait for what only a measurement needs.

`np` and `cv2` here are for modules that a window loads before it stands; all others import the libraries themselves.
"""

from __future__ import annotations

import importlib
from types import ModuleType
from typing import TYPE_CHECKING, Any

__all__ = ["Later", "cv2", "np"]


class Later:
    """Stands for a module and loads it at the first look into it, on whatever thread that is.

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


if TYPE_CHECKING:
    import cv2
    import numpy as np
else:
    cv2, np = Later("cv2"), Later("numpy")
