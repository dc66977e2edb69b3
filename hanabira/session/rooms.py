"""Rooms of a session that most starts never enter: they are made, and their code is loaded, at the first look into them."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING, cast

if TYPE_CHECKING:
    from hanabira.session.checkroom import Checkroom
    from hanabira.session.practising import Practising
    from hanabira.session.session import Session


class Rooms:
    """What a session has besides its own parts."""

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

    def forget_checks(self) -> None:
        """Another commission is opened: pictures of the last one's photos go, if there were any."""
        if "checkroom" in self.__dict__:
            self.checkroom.forget()
