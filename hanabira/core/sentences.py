"""What the core says to the artist: it names a sentence and hands over its figures; the words are craft data.

The words lie in ``craft/data/sentences.toml``, one table a subject, so that they can be reviewed and translated without
reading code. This is the one place of the core that reads a file, and it reads it once.
"""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from functools import cache
from pathlib import Path

WORDS = Path(__file__).parent.parent / "craft" / "data" / "sentences.toml"


@cache
def templates() -> Mapping[str, str]:
    """All sentences by ``subject.name``, with named figures in braces."""
    with open(WORDS, "rb") as f:
        return {f"{subject}.{name}": text for subject, table in tomllib.load(f).items() for name, text in table.items()}


def say(key: str, **figures: object) -> str:
    """The sentence with its figures. Raises `KeyError` for one that is not written, or a figure that it needs and did not get.

    >>> say("order.drying", area="Left ear")
    'Left ear is drying meanwhile.'
    """
    return templates()[key].format(**figures)
