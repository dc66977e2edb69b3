"""How whiskers, lashes and single light hairs are laid: chosen from paper, medium, backdrop, school and what they run over."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

SCRAPES = ("film", "sanded", "bristol")
"""Papers that stand a blade."""
NO_INDENT = ("film", "sanded", "blackcard")
"""Papers in which an indented line does not stay."""
SAME_L = 12.0
"""A line and its ground nearer than this in L* cannot be told apart."""


@dataclass(frozen=True)
class WhiskerMethod:
    """A method, what to do, and the step it must come before or after."""

    id: str
    name: str
    words: str
    rule: str


_METHODS = {
    "dark pencil": ("Dark pencil", "Draw them with a sharp dark point in one stroke each, from the root outward, lifted at the end.", "After everything they cross."),
    "reserve": ("Reserved", "Leave each line free and draw the fur up to it from both sides.", "Before any colour goes there: mark the lines first."),
    "indent": ("Indented", "Press each line in with a stylus, from the root outward.", "Before any colour; afterwards no solvent and no tissue across them."),
    "scrape": ("Scraped", "Scrape each line out of the filled dark with a guarded blade, away from the hand.", "After the darks they cross, before any fixing; catch the dust on a damp cloth."),
    "lift": ("Lifted with tape", "Lay adhesive tape over the dark and press each line with a stylus; lift the tape.", "After the darks, before the last lights."),
    "opaque": ("Opaque white", "Lay each line with a sharp opaque white in one stroke, thicker at the root.", "Last of all. On wax or oil use a pencil, not a water paint, which may flake."),
}  # fmt: skip


def whisker_method(
    paper_id: str, medium: str, lights: str, ground_l: float, line_l: float, solvent: bool = False, has: Callable[[str], bool] = lambda _tool: True
) -> tuple[WhiskerMethod, str]:
    """The method for lines of L* ``line_l`` over a ground of L* ``ground_l``, and a warning; empty when there is none.

    ``lights`` is the school's switch; a choice that this paper or medium cannot carry out, or whose tool is not in the drawer (``has``), gives way to the next best.
    """
    warning = ""
    if line_l < ground_l - SAME_L:
        return _of("dark pencil"), ""
    if abs(line_l - ground_l) < SAME_L:
        warning = (
            "They are as light as what they run over and cannot show: darken the ground there, or draw a thin grey shadow side along each."
        )
    wanted = {"reserved": "reserve", "indent": "indent", "scrape": "scrape", "opaque": "opaque"}.get(lights, "reserve")
    if medium == "pastel":
        return _of("opaque"), warning
    presses, scrapes = paper_id not in NO_INDENT and not solvent and has("indent"), paper_id in SCRAPES and has("scrape")
    lifts = "lift" if has("tape") else "opaque"
    if wanted == "indent" and not presses:
        wanted = "scrape" if scrapes else lifts
    if wanted == "scrape" and not scrapes:
        wanted = lifts
    if wanted == "reserve" and ground_l < 25:
        wanted = "indent" if presses else "scrape" if scrapes else "opaque"
    return _of(wanted), warning


def _of(key: str) -> WhiskerMethod:
    return WhiskerMethod(key, *_METHODS[key])
