"""Why a layer is laid, as one easel says it to another: by gesture, turn of the colour, surface and place. No figures: they stand on the instrument."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from hanabira.core.colour.spaces import Array, chroma
from hanabira.core.colour.words import temperature

DARKER_L, LIGHTER_L = 5.0, 1.0
"""L* from which a translucent layer builds a value, and by which one may lighten before that is what it does."""
RICHER_C = 1.5
"""C* from which a layer is richer or greyer than what it goes over."""
SPEAKS_C = 10.0
"""A pencil weaker than this (C*) is neither warm nor cool to whoever holds it."""
STICKS = {"block": "cover-first", "dark": "cover-darker", "middle": "cover-middle", "veil": "cover-veil", "lights": "cover-lighter", "spark": "cover-light"}
"""Under which key the sentences of what covers stand, by gesture."""
NAMED = 3
"""Places that a sentence names one by one at most."""


@dataclass(frozen=True)
class GestureWords:
    """Sentences by kind of surface and key, with ``{places}`` in them, and what places are called in a sentence."""

    sentences: Mapping[str, Mapping[str, Sequence[str]]]
    places: Mapping[str, str]

    def fitting(self, keys: Sequence[str], kind: str) -> Iterator[str]:
        """All sentences under some keys, the surface's own before those for any."""
        for table in dict.fromkeys((kind, "any")):
            for key in keys:
                yield from self.sentences.get(table, {}).get(key, ())

    def first_unsaid(self, keys: Sequence[str], kind: str, said: set[str]) -> str:
        """The first fitting sentence that this recipe has not used; it is remembered there. Raises `LookupError` for keys without any sentence."""
        known = list(self.fitting(keys, kind))
        if not known:
            raise LookupError(f"There is no sentence for {', '.join(keys)}.")
        text = next((t for t in known if t not in said), known[0])
        said.add(text)
        return text

    def name(self, name: str) -> str:
        """A place with its article."""
        return self.places.get(name, f"the {name}")

    def where(self, names: Sequence[str], rest: Sequence[str]) -> str:
        """Places in words; ``rest`` are those that the layer leaves out.

        >>> words = GestureWords({}, {"everything": "everything", "but": "everything but {places}", "more": "{first} and what lies between"})
        >>> words.where(("gap", "light", "rim"), ("edge",)), words.where(("gap", "light"), ("a", "b", "c"))
        ('everything but the edge', 'the gap and the light')
        """
        if not rest:
            return self.places["everything"]
        if len(names) > 2 and len(rest) <= 2:
            return self.places["but"].format(places=self._joined(rest))
        return self._joined(names) if len(names) <= NAMED else self.places["more"].format(first=self._joined(names[:2]))

    def _joined(self, names: Sequence[str]) -> str:
        told = [self.name(n) for n in names]
        return told[0] if len(told) == 1 else f"{', '.join(told[:-1])} and {told[-1]}"


def turn_of(before: Array, after: Array) -> str:
    """What a translucent layer does to the colour (Lab) it goes over: ``darker``, ``richer``, ``greyer`` or ``lighter``."""
    value, strength = float(after[0] - before[0]), float(chroma(after) - chroma(before))
    if value < -DARKER_L:
        return "darker"
    if abs(strength) > RICHER_C:
        return "richer" if strength > 0 else "greyer"
    return "lighter" if value > LIGHTER_L else "darker"


def keys_of(gesture: str, pencil: Array, before: Array, after: Array, again: bool, first: bool) -> tuple[str, ...]:
    """Under which keys a layer's sentence may stand, the fittest first.

    ``gesture`` is empty for what covers; there ``first`` says that nothing lies below. ``again`` holds where the recipe was washed before.
    """
    if gesture in STICKS:
        turn = turn_of(before, after) if after[0] - before[0] <= DARKER_L else "lighter"
        return (STICKS[gesture], f"cover-{turn}", "cover-darker")
    warm = temperature(pencil) if float(chroma(pencil)) >= SPEAKS_C else "neutral"
    if not gesture:
        value = float(after[0] - before[0])
        if first:
            return ("cover-first",)
        turn = turn_of(before, after) if value <= DARKER_L else "lighter"
        return (f"cover-{turn}", "cover-lighter" if value > 0 else "cover-darker")
    if gesture == "wash":
        return ("wash-again",) if again else (f"wash-{warm}", "wash")
    if gesture == "build":
        turn = turn_of(before, after)
        return (f"build-{turn}-{warm}", f"build-{turn}", "build-darker")
    if gesture == "glaze":
        return (f"glaze-{'cool' if warm == 'cool' else 'warm'}",)
    return (gesture,)
