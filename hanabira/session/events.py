"""Plain listeners: who wants to know says so, and is told in the order of asking."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any


class Event:
    """Something that happens again and again.

    >>> seen, event = [], Event()
    >>> event.connect(seen.append)
    >>> event.emit("area-1")
    >>> seen
    ['area-1']
    """

    def __init__(self) -> None:
        self._listeners: list[Callable[..., object]] = []

    def connect(self, listener: Callable[..., object]) -> None:
        """Tell this listener from now on."""
        self._listeners.append(listener)

    def disconnect(self, listener: Callable[..., object]) -> None:
        """Tell it no more. Raises `ValueError` when it was not told."""
        self._listeners.remove(listener)

    def emit(self, *values: Any) -> None:
        """Tell all listeners. One that fails keeps none of the others from being told; its error is raised then."""
        first: BaseException | None = None
        for listener in tuple(self._listeners):
            try:
                listener(*values)
            except Exception as error:
                first = first or error
        if first is not None:
            raise first
