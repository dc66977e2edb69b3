"""Parts of a session that are made, and whose code is loaded, at the first look into them: a window stands before most are needed."""

from __future__ import annotations

import importlib
from functools import cached_property
from typing import TYPE_CHECKING, cast

if TYPE_CHECKING:
    from hanabira.core.token import Token
    from hanabira.session.checkroom import Checkroom
    from hanabira.session.darkroom import Darkroom
    from hanabira.session.dropper import Dropper
    from hanabira.session.framing import Framing
    from hanabira.session.logbook import Logbook
    from hanabira.session.measuring import Measuring
    from hanabira.session.planner import Planner
    from hanabira.session.practising import Practising
    from hanabira.session.predicting import Predicting
    from hanabira.session.reaches import Reaches
    from hanabira.session.session import Session
    from hanabira.session.workshop import Workshop


class Rooms:
    """What a session is made of besides its records."""

    @cached_property
    def darkroom(self) -> Darkroom:
        """Makes the working photo and the ways of looking at it."""
        from hanabira.session.darkroom import Darkroom

        return Darkroom(cast("Session", self))

    @cached_property
    def framing(self) -> Framing:
        """How the photo lies on the sheet."""
        from hanabira.session.framing import Framing

        return Framing(cast("Session", self))

    @cached_property
    def measuring(self) -> Measuring:
        """Measures of the areas."""
        from hanabira.session.measuring import Measuring

        return Measuring(cast("Session", self))

    @cached_property
    def predicting(self) -> Predicting:
        """What recipes give."""
        from hanabira.session.predicting import Predicting

        return Predicting(cast("Session", self))

    @cached_property
    def workshop(self) -> Workshop:
        """Solves and changes recipes."""
        from hanabira.session.workshop import Workshop

        return Workshop(cast("Session", self))

    @cached_property
    def planner(self) -> Planner:
        """Order, sessions and what the plan covers."""
        from hanabira.session.planner import Planner

        return Planner(cast("Session", self))

    @cached_property
    def logbook(self) -> Logbook:
        """The log and the photos of the work."""
        from hanabira.session.logbook import Logbook

        return Logbook(cast("Session", self))

    @cached_property
    def dropper(self) -> Dropper:
        """Reads spots of the photo."""
        from hanabira.session.dropper import Dropper

        return Dropper(cast("Session", self))

    @cached_property
    def reaches(self) -> Reaches:
        """What kit and paper give at their ends."""
        from hanabira.session.reaches import Reaches

        return Reaches(cast("Session", self))

    @cached_property
    def checkroom(self) -> Checkroom:
        """Photos of the work held against the plan."""
        from hanabira.session.checkroom import Checkroom

        return Checkroom(cast("Session", self))

    @cached_property
    def practising(self) -> Practising:
        """Drills, rounds and what they add up to."""
        from hanabira.session.practising import Practising

        return Practising(cast("Session", self))

    def load_parts(self, token: Token) -> None:
        """Load the code of every part, off the interface thread."""
        for name, part in vars(Rooms).items():
            if isinstance(part, cached_property):  # each is named as its module
                token.check()
                importlib.import_module(f"hanabira.session.{name}")

    def forget(self) -> None:
        """Another commission is opened: what was worked out of the last one goes, where anything was."""
        for part in ("measuring", "predicting", "checkroom"):
            if part in self.__dict__:
                getattr(self, part).forget()

    def forget_predictions(self, key: str = "") -> None:
        """What the predictions hang on has changed, of one area or of all."""
        if "predicting" in self.__dict__:
            self.predicting.forget(key)
