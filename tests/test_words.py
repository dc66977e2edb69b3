"""One word for one thing: no sentence that a person can read uses another one (docs/words.md)."""

import ast
import re
import tomllib
import unittest
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parent.parent
TABLE = re.compile(r"^\| ([^|]+) \| ([^|]+) \| ([^|]+) \|$", re.M)
SAID = ("hanabira/desk", "hanabira/session", "hanabira/sheets", "hanabira/core", "hanabira/studio", "hanabira/demo", "hanabira/devices")
_NO_SENTENCE = re.compile(r"^(SELECT|PRAGMA|CREATE|\s*Q\w+|\s*px)|[{};]\s*$|::|QWidget|subcontrol|selection-")
"""Queries and style sheets are no sentences."""
SPECTRUM = "hanabira/craft/kitfile.py"


def never() -> dict[str, str]:
    """Words that are not said, with what is said instead."""
    out = {}
    for said, _for, not_said in TABLE.findall((ROOT / "docs" / "words.md").read_text("utf-8")):
        if said.strip() in ("We say", "---"):
            continue
        for word in not_said.split(","):
            out[word.strip().lower()] = said.strip()
    return out


def sentences() -> Iterator[tuple[str, str]]:
    """Everything with more than one word that the code can show: literals that are no docstrings, the sentences, the handbook."""
    for folder in SAID:
        for path in sorted((ROOT / folder).rglob("*.py")):
            tree = ast.parse(path.read_text("utf-8"))
            told = {id(n.value) for n in ast.walk(tree) if isinstance(n, ast.Expr) and isinstance(n.value, ast.Constant)}
            for n in ast.walk(tree):
                if isinstance(n, ast.Constant) and isinstance(n.value, str) and id(n) not in told:
                    words = n.value.strip()
                    if " " in words and words[:1].isupper() and not _NO_SENTENCE.search(words):
                        yield f"{path.relative_to(ROOT)}:{n.lineno}", words
    for path in sorted((ROOT / "hanabira").rglob("*.toml")):
        yield from _leaves(tomllib.loads(path.read_text("utf-8")), path.name)
    for path in sorted((ROOT / "hanabira" / "handbook").glob("*.md")):
        for n, line in enumerate(path.read_text("utf-8").splitlines(), 1):
            if not line.startswith(("<!--", "hanabira ")):
                yield f"{path.name}:{n}", line


def _leaves(value: object, where: str) -> Iterator[tuple[str, str]]:
    if isinstance(value, str) and " " in value:
        yield where, value
    elif isinstance(value, dict):
        for key, inner in value.items():
            yield from _leaves(inner, f"{where} {key}")
    elif isinstance(value, list):
        for inner in value:
            yield from _leaves(inner, where)


class OneWord(unittest.TestCase):
    def test_no_sentence_says_it_with_another_word(self):
        instead = never()
        self.assertGreater(len(instead), 25)
        pattern = re.compile(r"\b(" + "|".join(sorted(map(re.escape, instead), key=len, reverse=True)) + r")(?:s|ed)?\b", re.I)
        wrong = []
        seen = 0
        for where, words in sentences():
            seen += 1
            wrong += [f"{where}: “{words[:90]}” says {m.group(1)}; we say {instead[m.group(1).lower()]}" for m in pattern.finditer(words)]
        self.assertGreater(seen, 1500)
        self.assertEqual(wrong, [], "\n".join(wrong))

    def test_the_list_is_of_words_that_are_said(self):
        """A word of the first column that nobody reads is no word of ours."""
        every = "\n".join(words for _where, words in sentences()).lower()
        for said, _for, _never in TABLE.findall((ROOT / "docs" / "words.md").read_text("utf-8")):
            for word in said.split(","):
                word = word.strip().lower()
                if word not in ("we say", "---"):
                    self.assertRegex(every, rf"\b{re.escape(word)}", word)


if __name__ == "__main__":
    unittest.main()
