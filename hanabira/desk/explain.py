"""How things are measured, in an artist's words, for the dotted underlines."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QVBoxLayout, QWidget

from hanabira.desk import theme
from hanabira.desk.controls import Words, act_button, row
from hanabira.desk.widgets.word_picture import WordPicture
from hanabira.handbook.pages import Word, explanations

TITLES: Mapping[str, str] = {
    "check": "How a photo is judged",
    "practice": "How practice is measured",
    "check_rank": "How faults are ranked",
    "check_cure": "How a correction is predicted",
    "values": "How values are measured",
    "palette": "How colours are found",
    "temperature": "How warm and cool are judged",
    "hair": "How the hair is read",
    "shapes": "How value shapes are found",
    "light": "How the light is set",
    "warmth": "How warm and cool are weighed",
    "sun": "How the light’s direction is estimated",
    "surroundings": "How surroundings change a value",
    "printer": "How the printer’s tone is corrected",
    "eye": "How an eye is measured",
    "nose": "How a nose is measured",
    "whiskers": "How whiskers are found",
    "feathers": "How rows of feathers are read",
    "marking": "How the class of a marking is judged",
    "pattern": "How the marking is separated",
    "neighbours": "How neighbours are compared",
    "overlap": "How overlapping areas share the photo",
    "fit": "How a pencil is fitted",
    "optics": "How a colour is predicted",
}
"""Headings of the handbook's page on measures, by topic."""
TOPICS: Mapping[str, tuple[str, str]] = {key: (title, explanations()[title][0]) for key, title in TITLES.items()}
"""Title and plain words of each topic."""


class WordCard(QFrame):
    """A word of the craft on the spot: two sentences and a picture; Esc or any click puts it away."""

    def __init__(self, parent: QWidget, word: Word, more: Callable[[], object]) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAccessibleName(f"{word.word}: {word.words}")
        self.setFrameShape(QFrame.Shape.StyledPanel)
        box = QVBoxLayout(self)
        box.addWidget(Words(f"{word.word[:1].upper()}{word.word[1:]}", "name", "ink"))
        box.addWidget(WordPicture(word.picture))
        box.addWidget(Words(word.words, "body", "ink"))
        box.addLayout(row(act_button("All words", "book", lambda: (self.close(), more()), "In the handbook (F1)"), None))
        self.setFixedWidth(theme.u(330))


class Explanation(QFrame):
    """A card that tells how something was measured; any click or Esc puts it away."""

    def __init__(self, parent: QWidget, title: str, words: str, more: Callable[[], object] | None = None) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAccessibleName(title)
        self.setFrameShape(QFrame.Shape.StyledPanel)
        box = QVBoxLayout(self)
        box.addWidget(Words(title, "name", "ink"))
        box.addWidget(Words(words, "body", "ink"))
        if more is not None:
            box.addLayout(row(act_button("With the mathematics", "book", lambda: (self.close(), more()), "In the handbook (F1)"), None))
        self.setFixedWidth(theme.u(400))
