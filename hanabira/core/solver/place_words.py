"""What is said of a recipe by places: roles by what a layer does, places in words, runs of one pencil."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from hanabira.core.colour.spaces import Array, chroma, hue_deg
from hanabira.core.sentences import say
from hanabira.core.solver.pencil_kinds import turn

DARKS = ("gap", "shade", "nostril", "pupil", "rim", "lid shadow", "marking gap", "crease", "line", "hollow", "overlap", "lock edge")
"""Places whose layers make the depth."""
LIGHTS = ("light", "half-tone", "marking light", "ridge", "lock light", "feather edge", "edge hairs")
TOPS = ("highlight", "wet light", "gloss", "wet line", "catchlight", "catchlight edge")
TURNED_DEG, TURNED_C = 35.0, 10.0
"""A pencil whose hue lies farther from the place's, and that is strong enough to be seen, turns what lies with it."""


def places_in_words(covered: Sequence[str], names: Mapping[str, str]) -> str:
    """Places as a hand would be told: everywhere, everywhere but two, or their names.

    >>> places_in_words(("gap", "general", "light"), {k: k for k in ("gap", "general", "light", "highlight")})
    'everywhere but the highlight'
    """
    inside = [k for k in names if k in covered]
    missing = [k for k in names if k not in covered]
    if not missing:
        return say("place.everywhere")
    if len(missing) <= 2 and len(names) > 3:
        return say("place.but", places=joined([names[k] for k in missing]))
    return joined([names[k] for k in inside])


def joined(names: Sequence[str]) -> str:
    """Names with commas and one ‘and’."""
    return names[0] if len(names) == 1 else say("place.and", first=", ".join(names[:-1]), last=names[-1])


def run_of(codes: Sequence[str], at: int) -> tuple[int, int]:
    """First and last of the neighbouring layers that are laid with the same pencil as layer ``at``; a tool stands alone.

    >>> run_of(("a", "b", "b", "", "b"), 1), run_of(("a", "b", "b", "", "b"), 3)
    ((1, 2), (3, 3))
    """
    low = high = at
    while codes[at] and low > 0 and codes[low - 1] == codes[at]:
        low -= 1
    while codes[at] and high + 1 < len(codes) and codes[high + 1] == codes[at]:
        high += 1
    return low, high


def run_in_words(where: Sequence[str], passes: Sequence[int]) -> str:
    """Layers of one pencil as one sentence: where it goes first, then where again.

    >>> run_in_words(("everywhere", "general", "gap"), (1, 1, 2))
    'everywhere; again: general; again, twice: gap'
    """
    times = ("", say("place.twice"), say("place.thrice"), say("place.more"))
    word = lambda n: times[min(n, len(times)) - 1]  # noqa: E731
    return "; ".join([where[0], *(say("place.again", times=word(n), places=w) for w, n in zip(where[1:], passes[1:], strict=True))])


def role_of(
    covered: Sequence[str], pencil_lab: Array, target: Array, before: Array, after: Array, below: set[str], above: set[str], opaque: bool
) -> str:
    """The role of a pencil layer. ``below`` are places with layers under it, ``above`` those with layers over it."""
    touches = set(covered)
    if touches <= {"edge"}:
        return "outline"
    if opaque and touches <= set(LIGHTS):
        return "light hair"
    if touches <= set(TOPS):
        return "highlight" if opaque else "glaze" if touches & below else "general"
    hue, strength = float(hue_deg(pencil_lab)), float(chroma(pencil_lab))
    goal = float(hue_deg(target)) if float(chroma(target)) > 3 else hue + 180
    turned = strength > TURNED_C and float(turn(hue, goal)) > TURNED_DEG
    if not touches & below:
        return "undertone" if turned and touches & above else "ground" if touches & above else "general"
    if turned and abs(float(after[0] - before[0])) < 9:
        return "glaze"
    if all(k in DARKS for k in touches):
        return "gap"
    return "deepen" if after[0] < before[0] - 2 else "glaze"
