"""Two pencils one over the other, for the drills that foretell them: many pairs at once."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from hanabira.core.colour.spaces import Array
from hanabira.core.optics import batch as many
from hanabira.core.optics.film import Film
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.stack import bare

PRESSURE = 3


def pairs_lab(paper: Paper, kit: Kit, first: Sequence[str], then: Sequence[str]) -> Array:
    """Lab (n, 3) of one pass of each pencil of ``first`` under one of ``then`` at the middle pressure, by codes.

    The same physics as `core.optics.stack.predict`, which a test holds it to.
    """
    state = many.start(bare(paper), len(first))
    for codes in (first, then):
        at = [kit.index[code] for code in codes]
        film = Film(kit.film.absorption[at], kit.film.scattering[at])
        state, _deposit = many.lay(paper, state, film, np.full(len(at), PRESSURE), kit.hand)
    return state.lab
