"""The core's words: every sentence that is said is written, with exactly its figures, and none is written in code."""

from __future__ import annotations

import ast
import re
import unittest
from pathlib import Path
from string import Formatter

from hanabira.core.sentences import say, templates

CORE = Path(__file__).parents[2] / "hanabira" / "core"
PROGRESS = re.compile(
    r"^(Solving|Trying|Looking|Leaving|Sorting|Laying|Softening|Setting|Putting|Straightening|Taking|Measuring|Fitting|Following)\b"
)
"""What a running job says beside its bar stays with the job."""


def calls() -> list[tuple[str, int, list[str], set[str]]]:
    """(file, line, keys that may be said, names of the figures handed over) of every call of ``say`` in the product."""
    found = []
    for path in CORE.parent.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "say" and node.args:
                keys = [n.value for n in _said(node.args[0])]
                found.append((path.name, node.lineno, keys, {k.arg or "**" for k in node.keywords}))
    return found


def _said(node: ast.expr) -> list[ast.Constant]:
    """The constants that an argument can be: one, or those of a choice."""
    if isinstance(node, ast.IfExp):
        return [*_said(node.body), *_said(node.orelse)]
    return [node] if isinstance(node, ast.Constant) and isinstance(node.value, str) else []


def figures(text: str) -> set[str]:
    return {name for _, name, _, _ in Formatter().parse(text) if name}


class Sentences(unittest.TestCase):
    def test_each_is_written_with_the_figures_it_gets(self):
        told = calls()
        self.assertGreater(len(told), 90)
        for file, line, keys, given in told:
            for key in keys:
                with self.subTest(file=file, line=line, key=key):
                    self.assertIn(key, templates())
                    if "**" not in given:
                        self.assertLessEqual(figures(templates()[key]), given)
            # what is handed over is named by at least one of the sentences it may become
            if keys and "**" not in given:
                self.assertEqual(given, set().union(*(figures(templates()[k]) for k in keys)), (file, line))

    def test_none_is_written_that_nobody_says(self):
        source = "\n".join(p.read_text() for p in CORE.parent.rglob("*.py"))
        for key in templates():
            subject, name = key.split(".", 1)
            built = re.findall(rf'f"{subject}\.([\w-]*)\{{', source)
            named = f'"{key}"' in source or any(name.startswith(q) for q in built) or re.search(rf'"{re.escape(name)}"', source)
            caution = subject == "caution" and re.sub(r"-(title|cure)$", "", name).replace("-", " ") in source.replace("-", " ")
            self.assertTrue(named or caution, key)

    def test_the_core_holds_no_sentence(self):
        for path in CORE.rglob("*.py"):
            tree = ast.parse(path.read_text())
            quiet = set()
            for node in ast.walk(tree):
                # docstrings, and the words of errors: those belong to the check beside them
                if isinstance(node, (ast.Expr, ast.Raise)):
                    quiet |= (
                        {id(n) for n in ast.walk(node)} if isinstance(node, ast.Raise) or isinstance(node.value, ast.Constant) else set()
                    )
            for node in ast.walk(tree):
                if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in quiet:
                    words = node.value
                    if re.match(r"[A-Z][a-z’]+ \w+ .*[.!]$", words) and not PROGRESS.match(words):
                        self.fail(f"{path.name}:{node.lineno} says “{words}”")

    def test_figures_and_decimals(self):
        self.assertEqual(
            say("reach.pencil", hex="#a08060", colour="brown", hue=63.6, lightness=55.2),
            "a pencil like #a08060, brown, hue 64°, L* 55",
        )
        self.assertEqual(say("eyes.rises", turn=3.25001), "The line through the eyes rises 3.3° to the right.")
        with self.assertRaises(KeyError):
            say("order.drying")
        with self.assertRaises(KeyError):
            say("order.nothing")
