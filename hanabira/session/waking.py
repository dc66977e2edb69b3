"""How a session that a window shows on records alone comes to all it can do: first what opens a photo, then what is computed on it."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from hanabira.core.faults import Fault
from hanabira.core.later import loaded

if TYPE_CHECKING:
    from hanabira.core.token import Token
    from hanabira.session.session import Session
    from hanabira.session.view import View

PICTURES = ("numpy", "cv2", "PIL.Image", "hanabira.studio.pictures", "hanabira.session.darkroom")
"""What opens a photo."""
MATHEMATICS = (
    "shapely", "hanabira.session.measuring", "hanabira.session.planner", "hanabira.session.predicting", "hanabira.session.logbook", "hanabira.session.reaches",
    "hanabira.session.area_edits",
)  # fmt: skip
"""What else a photo with its areas needs."""


class Waking:
    """Loads what is missing off the interface thread. The photo is decoded meanwhile and held back until everything on it can be shown."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.opens = False
        """Whether a photo can be decoded."""
        self.early: View | None = None

    def begin(self) -> None:
        """Begin, unless the session is awake."""
        if not self.session.awake:
            self._load(PICTURES, self._photo)

    def _load(self, names: Sequence[str], then: Callable[[], None], more: Callable[[], object] = lambda: None) -> None:
        def load(token: Token) -> None:
            for name in names:
                token.check()
                loaded(name)
            more()

        self.session.jobs.run("wake", "Getting ready", load, lambda _nothing: then(), quiet=True)

    def _photo(self) -> None:
        self.opens = True
        self.session.load_photo()
        self._load(MATHEMATICS, self._all, self._reach)

    def _reach(self) -> None:
        """What every stage with a value rule asks for first."""
        if self.session.commission is not None:
            with contextlib.suppress(Fault):  # a kit that cannot be read is told of where it is asked for
                self.session.reaches.reach()

    def _all(self) -> None:
        session, early, self.early = self.session, self.early, None
        session.awake = True
        if early is not None:
            session.show_view(early)
        session.awoke.emit()

    def another(self) -> tuple[str, ...]:
        """Another commission is opened: the photo on its way is not its. Nobody had asked for what is stopped."""
        self.early = None
        self.session.jobs.cancel("photo")
        return ()
