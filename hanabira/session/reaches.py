"""What kit and paper give at their ends: found once for each, and before it is asked for."""

from __future__ import annotations

from typing import TYPE_CHECKING

from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.solver.gamut import Gamut, gamut
from hanabira.core.solver.library import key
from hanabira.core.solver.target import Reach, reach

if TYPE_CHECKING:
    from hanabira.session.session import Session

Sign = tuple[Kit, Paper]


class Reaches:
    """Reach and gamut of the open commission's kit and paper. Both belong to one kit object and one paper; another of either finds them anew."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self._reach: tuple[Sign, Reach] | None = None
        self._gamut: tuple[Sign, Gamut] | None = None

    @property
    def sign(self) -> Sign:
        """What the answers hang on."""
        return self.session.kit, self.session.paper

    def reach(self) -> Reach:
        """Lightest and darkest that kit and paper give."""
        sign = self.sign
        if self._reach is None or not _same(self._reach[0], sign):
            self._reach = sign, reach(*sign)
        return self._reach[1]

    def gamut(self) -> Gamut:
        """The strongest colours that kit and paper give, by hue and value."""
        sign = self.sign
        if self._gamut is None or not _same(self._gamut[0], sign):
            self._gamut = sign, self._found(sign)
        return self._gamut[1]

    def _found(self, sign: Sign) -> Gamut:
        usable, paper = sign[0].usable, sign[1]
        return self.session.workings.once("gamut", key(usable, paper), lambda: gamut(usable, paper))

    def prepare(self) -> None:
        """Find the gamut of two hundred pencils, which takes a second, off the interface's thread while the photo is looked at."""
        sign = self.sign
        if self.session.view is None or (self._gamut is not None and _same(self._gamut[0], sign)):
            return

        def keep(found: Gamut) -> None:
            self._gamut = sign, found

        self.session.jobs.run("gamut", "Laying the pencils two by two", lambda _t: self._found(sign), keep, quiet=True)


def _same(a: Sign, b: Sign) -> bool:
    return a[0] is b[0] and a[1] == b[1]
