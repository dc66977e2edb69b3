"""The handbook's pages: one source in Markdown for the window, the folder ``docs/handbook`` and the printed book.

Pages are read from this package's ``*.md``. Two of them have parts that the window shows alone: how each measure works, and the words of the craft.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from pathlib import Path

FOLDER = Path(__file__).parent
ORDER = (
    "first", "shelf", "brief", "study", "areas", "recipe", "plan", "easel", "check", "kit", "practice", "words", "measures", "cautions", "formats",
    "terminal",
)  # fmt: skip
"""All pages in the order of the book."""
_TITLE = re.compile(r"^# (.+)$", re.M)
_PART = re.compile(r"^## (.+)$", re.M)
_PICTURE = re.compile(r"<!-- picture: (\w+) -->\s*")
LINK = re.compile(r"(!?)\[([^\]]*)\]\(([^)\s]+)\)")
"""A link or a picture: whether it is a picture, its words, where it leads."""


@dataclass(frozen=True)
class Page:
    """One page: its name, which is its file's, its title, and its text as Markdown."""

    name: str
    title: str
    text: str


@dataclass(frozen=True)
class Word:
    """A word of the craft: two sentences, and the name of the picture that goes with it."""

    word: str
    words: str
    picture: str


@cache
def pages() -> Mapping[str, Page]:
    """All pages by name, in order."""
    out = {}
    for name in ORDER:
        text = (FOLDER / f"{name}.md").read_text("utf-8")
        found = _TITLE.search(text)
        out[name] = Page(name, found.group(1) if found else name, text)
    return out


def page_of(stage: str) -> str:
    """Name of the page about a stage or room; the first page where there is none."""
    name = stage.lower()
    return name if name in ORDER else "first"


def parts(name: str) -> dict[str, str]:
    """The parts under second headings of a page: their text by heading."""
    text = pages()[name].text
    heads = list(_PART.finditer(text))
    ends = [h.start() for h in heads[1:]] + [len(text)]
    return {h.group(1): text[h.end() : end].strip() for h, end in zip(heads, ends, strict=True)}


@cache
def explanations() -> Mapping[str, tuple[str, str]]:
    """How each measure works: its plain words and its mathematics, by title."""
    out = {}
    for title, text in parts("measures").items():
        plain, _mark, maths = text.partition("*Mathematics.*")
        out[title] = (" ".join(plain.split()), " ".join(maths.split()))
    return out


@cache
def glossary() -> Mapping[str, Word]:
    """The words of the craft by word, in their order."""
    out = {}
    for word, text in parts("words").items():
        found = _PICTURE.search(text)
        out[word] = Word(word, " ".join(_PICTURE.sub("", text).split()), found.group(1) if found else "")
    return out


def anchor(heading: str) -> str:
    """The anchor of a heading, as renderers of Markdown make it: small letters, hyphens, nothing else."""
    return re.sub(r"[^\w\- ]", "", heading.lower()).replace(" ", "-")


def links(text: str) -> list[tuple[bool, str]]:
    """Where a page's links and pictures lead: (whether it is a picture, target)."""
    return [(bool(m.group(1)), m.group(3)) for m in LINK.finditer(text)]


def for_docs(text: str, pictures: str) -> str:
    """A page's text for another folder, its pictures taken from ``pictures`` beside it."""
    return LINK.sub(lambda m: f"![{m.group(2)}]({pictures}/{m.group(3)})" if m.group(1) else m.group(0), text)
