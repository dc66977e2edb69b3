"""Parts of a session that are made, and whose code is loaded, at the first look into them: a window stands before most are needed."""

from __future__ import annotations

from typing import TYPE_CHECKING, Generic, TypeVar, cast, overload

from hanabira.core.later import loaded

if TYPE_CHECKING:
    from hanabira.core.token import Token
    from hanabira.session.animal import Animal
    from hanabira.session.checkroom import Checkroom
    from hanabira.session.darkroom import Darkroom
    from hanabira.session.dropper import Dropper
    from hanabira.session.first import First
    from hanabira.session.framing import Framing
    from hanabira.session.logbook import Logbook
    from hanabira.session.measuring import Measuring
    from hanabira.session.planner import Planner
    from hanabira.session.portrait import Portrait
    from hanabira.session.practising import Practising
    from hanabira.session.predicting import Predicting
    from hanabira.session.reaches import Reaches
    from hanabira.session.whole import Whole
    from hanabira.session.workers import Workers
    from hanabira.session.workshop import Workshop
    from hanabira.studio.workings import Workings

T = TypeVar("T")


class Member(Generic[T]):
    """An attribute that is made when it is first looked at, of the class that is named like its module; it gets the session."""

    def __set_name__(self, owner: type, name: str) -> None:
        self.name = name

    @overload
    def __get__(self, session: None, owner: type) -> Member[T]: ...
    @overload
    def __get__(self, session: Members, owner: type) -> T: ...
    def __get__(self, session: Members | None, owner: type) -> Member[T] | T:
        if session is None:
            return self
        made = session.__dict__[self.name] = self.made(session)
        return cast("T", made)

    @property
    def module(self) -> str:
        """Where its class stands."""
        return f"hanabira.session.{self.name}"

    def made(self, session: Members) -> object:
        """The part itself."""
        return getattr(loaded(self.module), self.name.capitalize())(session)


class _OnDisk(Member[T]):
    @property
    def module(self) -> str:
        return f"hanabira.studio.{self.name}"

    def made(self, session: Members) -> object:
        return getattr(loaded(self.module), self.name.capitalize())()


class Members:
    """What a session is made of besides its records."""

    darkroom: Member[Darkroom] = Member()
    """Makes the working photo and the ways of looking at it."""
    animal: Member[Animal] = Member()
    """What is read of the animal as one, and of its light."""
    whole: Member[Whole] = Member()
    """Parts the whole animal into proposed areas."""
    first: Member[First] = Member()
    """Recipes of what is proposed, before it is accepted."""
    framing: Member[Framing] = Member()
    """How the photo lies on the sheet."""
    measuring: Member[Measuring] = Member()
    """Measures of the areas."""
    predicting: Member[Predicting] = Member()
    """What recipes give."""
    workshop: Member[Workshop] = Member()
    """Solves and changes recipes."""
    portrait: Member[Portrait] = Member()
    """One palette and one hand over all areas."""
    planner: Member[Planner] = Member()
    """Order, sessions and what the plan covers."""
    logbook: Member[Logbook] = Member()
    """The log and the photos of the work."""
    dropper: Member[Dropper] = Member()
    """Reads spots of the photo."""
    reaches: Member[Reaches] = Member()
    """What kit and paper give at their ends."""
    checkroom: Member[Checkroom] = Member()
    """Photos of the work held against the plan."""
    practising: Member[Practising] = Member()
    """Drills, rounds and what they add up to."""
    workers: Member[Workers] = Member()
    """Computes areas side by side in processes of their own."""
    workings: Member[Workings] = _OnDisk()
    """What was worked out before."""

    def load_parts(self, token: Token) -> None:
        """Load the code of every part, off the interface thread."""
        for part in vars(Members).values():
            if isinstance(part, Member):
                token.check()
                loaded(part.module)

    def forget(self) -> None:
        """Another commission is opened: what was worked out of the last one goes, where anything was."""
        for part in ("animal", "first", "measuring", "predicting", "checkroom"):
            if part in self.__dict__:
                getattr(self, part).forget()

    def forget_predictions(self, key: str = "") -> None:
        """What the predictions hang on has changed, of one area or of all."""
        if "predicting" in self.__dict__:
            self.predicting.forget(key)
