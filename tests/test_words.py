"""One word for one thing: no sentence that a person can read uses another one (docs/words.md)."""

import ast
import itertools
import re
import tomllib
import unittest
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parent.parent
TABLE = re.compile(r"^\| ([^|]+) \| ([^|]+) \| ([^|]+) \|$", re.M)
SAID = ("hanabira/desk", "hanabira/session", "hanabira/sheets", "hanabira/core", "hanabira/studio", "hanabira/demo", "demo_making", "hanabira/devices")
_NO_SENTENCE = re.compile(r"^(SELECT|PRAGMA|CREATE|\s*Q\w+|\s*px)|[{};]\s*$|::|QWidget|subcontrol|selection-")
"""Queries and style sheets are no sentences."""
SPECTRUM = "hanabira/craft/kitfile.py"


def _spoken() -> str:
    """The part of the list that is about words."""
    return (ROOT / "docs" / "words.md").read_text("utf-8").partition("## One icon")[0]


def never() -> dict[str, str]:
    """Words that are not said, with what is said instead."""
    out = {}
    for said, _for, not_said in TABLE.findall(_spoken()):
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
        for said, _for, _never in TABLE.findall(_spoken()):
            for word in said.split(","):
                word = word.strip().lower()
                if word not in ("we say", "---"):
                    self.assertRegex(every, rf"\b{re.escape(word)}", word)


def buttons() -> Iterator[tuple[str, str, str]]:
    """Where, first words and icon of every button of the desk that names both in one call or one row of a table."""
    icons = {p.stem for p in (ROOT / "hanabira" / "desk" / "icons").glob("*.svg")}
    for path in sorted((ROOT / "hanabira" / "desk").rglob("*.py")):
        for n in ast.walk(ast.parse(path.read_text("utf-8"))):
            values = n.args if isinstance(n, ast.Call) else n.elts if isinstance(n, ast.Tuple) else []
            for words, icon in itertools.pairwise(values):
                names = _choices(icon)
                for said, name in zip(_choices(words), names if len(names) > 1 else names * 2, strict=False):
                    if name in icons and said[:1].isupper() and len(said) > 2:  # one letter is a key
                        yield f"{path.relative_to(ROOT)}:{n.lineno}", said, name


def _choices(n: ast.expr) -> list[str]:
    """The literal words of an expression, both ways of one that chooses; of a put-together one what it begins with."""
    if isinstance(n, ast.IfExp):
        return _choices(n.body) + _choices(n.orelse)
    if isinstance(n, ast.JoinedStr) and n.values and isinstance(n.values[0], ast.Constant):
        return [str(n.values[0].value)]
    return [n.value] if isinstance(n, ast.Constant) and isinstance(n.value, str) else []


class OneIcon(unittest.TestCase):
    def test_an_icon_stands_for_one_thing(self):
        told = (ROOT / "docs" / "words.md").read_text("utf-8").partition("## One icon")[2]
        means = {icon.strip(): tuple(q.strip() for q in words.split(",")) for icon, _for, words in TABLE.findall(told)}
        seen, wrong = set(), []
        for where, words, icon in buttons():
            seen.add((words, icon))
            if not words.startswith(means.get(icon, ())):
                wrong.append(f"{where}: “{words}” with {icon}")
        self.assertGreater(len(seen), 110)
        self.assertEqual(wrong, [], "\n".join(wrong))

    def test_what_is_painted_is_told_and_means_no_second_thing(self):
        told = (ROOT / "docs" / "words.md").read_text("utf-8").partition("| Painted |")[2]
        means = dict(re.findall(r"^\| (\w+) \| ([^|]+) \|$", told, re.M))
        drawn = set()
        for path in sorted((ROOT / "hanabira" / "desk").rglob("*.py")):
            for n in ast.walk(ast.parse(path.read_text("utf-8"))):
                if isinstance(n, ast.Call) and ast.unparse(n.func) == "icons.draw":
                    drawn |= set(_choices(n.args[1]))
        self.assertEqual(drawn, set(means))
        self.assertEqual(drawn & {icon for _where, _words, icon in buttons()} - {"down", "find", "petal", "photo", "swap"}, set())

    def test_no_meaning_is_told_that_no_button_has(self):
        told = (ROOT / "docs" / "words.md").read_text("utf-8").partition("## One icon")[2]
        used = {icon for _where, _words, icon in buttons()}
        self.assertEqual({icon.strip() for icon, _for, _w in TABLE.findall(told)} - {"Icon", "---"} - used, set())


if __name__ == "__main__":
    unittest.main()
