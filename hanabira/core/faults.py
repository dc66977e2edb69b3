"""Faults that a person can cause and a person has to read.

A fault says what happened, what was kept and what to do. Everything else that
goes wrong is a bug and stays an ordinary exception.
"""

from __future__ import annotations


class Fault(Exception):
    """A fault for a person: ``what`` happened, what was ``kept``, what to ``do``.

    >>> str(Fault("The area is empty.", do="Draw it again, larger."))
    'The area is empty. Draw it again, larger.'
    """

    def __init__(self, what: str, kept: str = "", do: str = "") -> None:
        super().__init__(what)
        self.what, self.kept, self.do = what, kept, do

    def __str__(self) -> str:
        return " ".join(part for part in (self.what, self.kept, self.do) if part)


class PhotoFault(Fault):
    """A picture file that cannot be read or must not be taken in."""


class KitFault(Fault):
    """A kit file, pencil or paper that does not fit its description."""


class AreaFault(Fault):
    """An area that cannot be measured."""


class RecipeFault(Fault):
    """A recipe that cannot be solved or changed as asked."""


class StudioFault(Fault):
    """A studio that cannot be opened or written."""


class LostStudio(StudioFault):
    """A studio whose database is damaged, empty or gone, so that going back to a backup is the cure."""


class DisplacedStudio(StudioFault):
    """A studio whose files another program changed while it was open; what the window held is saved, and nothing is written any more."""


class StaleRecord(StudioFault):
    """A record that was changed elsewhere since it was read here."""


class RecordFault(StudioFault):
    """A record that does not make sense: a wrong kind of value, a number out of range, an id that does not exist."""


class Cancelled(Exception):
    """The person cancelled a long action; nothing of it is kept."""
