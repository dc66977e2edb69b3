"""Progress and cancel for long computations, without knowing who listens."""

from __future__ import annotations

from collections.abc import Callable

from hanabira.core.faults import Cancelled


class Token:
    """Handed into long computations: they report a share done and stop when cancelled.

    >>> seen = []
    >>> token = Token(lambda share, words: seen.append((share, words)))
    >>> token.report(.5, "half way")
    >>> seen
    [(0.5, 'half way')]
    """

    def __init__(self, listener: Callable[[float, str], None] | None = None) -> None:
        self._listener = listener
        self._cancelled = False

    def cancel(self) -> None:
        """Ask the computation to stop at its next report or check."""
        self._cancelled = True

    @property
    def cancelled(self) -> bool:
        """Whether somebody asked to stop."""
        return self._cancelled

    def check(self) -> None:
        """Raise `Cancelled` when somebody asked to stop."""
        if self._cancelled:
            raise Cancelled

    def report(self, share: float, words: str = "") -> None:
        """Tell the share done (0–1) and what is going on; raises `Cancelled` when asked to stop."""
        self.check()
        if self._listener is not None:
            self._listener(min(1.0, max(0.0, share)), words)


SILENT = Token()
"""A token nobody listens to and nobody cancels."""
