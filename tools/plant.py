"""Plant one-line mistakes and see whether the tests notice: ``python -m tools.plant [--count N] [--seed S] [--budget SECONDS] [PATH …]``.

Each mistake is made in a copy of the repository: a sign, a factor, a unit, swapped arguments, a neighbour's field, a call left out, a comparison turned,
a figure of the craft, a row of a table. Then the test modules that touch the file run, the nearest and quickest first, until one fails or the budget is
spent. What stays green is listed: there a test is missing, or the mistake changes nothing that anybody could notice.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import re
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from queue import Queue

from tests.choose import ROOT, nearest, seconds

WHERE = ("hanabira/core", "hanabira/craft", "hanabira/studio", "hanabira/session", "hanabira/sheets")
COPIED = ("hanabira", "tests", "demo_making", "tools", "benchmarks", "docs", "pyproject.toml", "requirements.txt", "requirements-dev.txt", "Makefile", "README.md", "CHANGELOG.md", "CONTRIBUTING.md", "LICENSE")  # fmt: skip
TWINS = {
    "min": "max", "sin": "cos", "left": "right", "top": "bottom", "width": "height", "width_mm": "height_mm", "width_px": "height_px", "before": "after", "first": "last",
    "lightest_l": "darkest_l", "floor": "ceil", "x": "y", "minimum": "maximum", "argmin": "argmax", "any": "all", "rows": "columns", "start": "end",
}  # fmt: skip
"""Names that are mistaken for each other; both ways."""
TWINS |= {b: a for a, b in TWINS.items()}
OPERATORS = {ast.Add: ("+", "-"), ast.Sub: ("-", "+"), ast.Mult: ("*", "/"), ast.Div: ("/", "*")}
COMPARED = {ast.Lt: ("<", ">"), ast.Gt: (">", "<"), ast.LtE: ("<=", ">="), ast.GtE: (">=", "<="), ast.Eq: ("==", "!="), ast.NotEq: ("!=", "==")}
PATIENCE_S = 900.0


@dataclass(frozen=True)
class Planted:
    """One mistake: in which file and line, of which kind, and the text from ``at`` to ``end`` that is replaced."""

    path: Path
    line: int
    kind: str
    at: int
    end: int
    new: str

    def text(self) -> str:
        """The file with the mistake."""
        old = self.path.read_text("utf-8")
        return old[: self.at] + self.new + old[self.end :]

    def names(self) -> list[str]:
        """What holds the mistake: function, class."""
        if self.path.suffix != ".py":
            return []
        held = []
        for node in ast.walk(ast.parse(self.path.read_text("utf-8"))):
            if isinstance(node, ast.FunctionDef | ast.ClassDef) and node.lineno <= self.line <= (node.end_lineno or 0):
                held.append(node.name)
        return [n for n in held if not n.startswith("__")]

    def told(self) -> str:
        """The line before and after."""
        old = self.path.read_text("utf-8")
        a = old.rfind("\n", 0, self.at) + 1
        b = old.find("\n", self.end)
        return f"{self.path.relative_to(ROOT)}:{self.line} {self.kind}\n    - {old[a:b].strip()}\n    + {(old[a : self.at] + self.new + old[self.end : b]).strip()}"


@cache
def _neighbours() -> dict[str, str]:
    """The field beside each field of a record, where both are of one type and the name stands in one record only."""
    out: dict[str, list[str]] = {}
    for path in (ROOT / "hanabira").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.ClassDef):
                fields = [(q.target.id, ast.unparse(q.annotation)) for q in node.body if isinstance(q, ast.AnnAssign) and isinstance(q.target, ast.Name)]
                for (a, kind), (b, other) in zip(fields, fields[1:], strict=False):
                    if kind == other:
                        out.setdefault(a, []).append(b)
    return {a: bs[0] for a, bs in out.items() if len(bs) == 1}


class _Finder:
    """All mistakes that could be made in a source."""

    def __init__(self, path: Path) -> None:
        self.path, self.source = path, path.read_text("utf-8")
        self.starts = [0]
        for row in self.source.split("\n"):
            self.starts.append(self.starts[-1] + len(row) + 1)
        self.lines = self.source.split("\n")

    def place(self, line: int, column: int) -> int:
        """Place in the text of a line and of a column in bytes."""
        return self.starts[line - 1] + len(self.lines[line - 1].encode()[:column].decode())

    def span(self, node: ast.expr | ast.stmt) -> tuple[int, int]:
        return self.place(node.lineno, node.col_offset), self.place(node.end_lineno or node.lineno, node.end_col_offset or 0)

    def make(self, node: ast.expr | ast.stmt, kind: str, new: str) -> Planted:
        at, end = self.span(node)
        return Planted(self.path, node.lineno, kind, at, end, new)

    def between(self, a: ast.expr, b: ast.expr, kind: str, old: str, new: str) -> Iterator[Planted]:
        at, end = self.span(a)[1], self.span(b)[0]
        middle = self.source[at:end]
        if middle.count(old) == 1:
            k = at + middle.index(old)
            yield Planted(self.path, a.end_lineno or a.lineno, kind, k, k + len(old), new)

    def all(self) -> Iterator[Planted]:
        tree = ast.parse(self.source)
        silent: set[ast.AST] = set()
        for node in ast.walk(tree):
            for name in ("annotation", "returns"):
                silent.update(ast.walk(q) if (q := getattr(node, name, None)) is not None else ())
            if isinstance(node, ast.If) and getattr(node.test, "id", "") == "TYPE_CHECKING":
                silent.update(ast.walk(node))
            if isinstance(node, ast.Raise | ast.Assert):
                silent.update(ast.walk(node))
            if isinstance(node, ast.JoinedStr):  # their places are not told by this version of the language
                silent.update(ast.walk(node))
        for node in ast.walk(tree):
            if node not in silent:
                yield from self.of(node)

    def of(self, node: ast.AST) -> Iterator[Planted]:
        if isinstance(node, ast.BinOp) and type(node.op) in OPERATORS and not isinstance(node.left, ast.Constant | ast.JoinedStr | ast.List):
            old, new = OPERATORS[type(node.op)]
            yield from self.between(node.left, node.right, "sign" if old in "+-" else "factor", old, new)
            if isinstance(node.op, ast.Mult):
                yield self.make(node, "unit", ast.unparse(node.left) if isinstance(node.left, ast.Name | ast.Attribute | ast.Call) else f"({ast.unparse(node.left)})")
        elif isinstance(node, ast.Constant) and type(node.value) in (int, float):
            value = node.value
            yield self.make(node, "figure", repr(value + 1) if isinstance(value, int) and abs(value) < 4 else repr(round(value * 1.4, 6) or 0.5))
        elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
            yield self.make(node, "condition", f"({ast.unparse(node.operand)})")
        elif isinstance(node, ast.Compare) and len(node.ops) == 1 and type(node.ops[0]) in COMPARED:
            old, new = COMPARED[type(node.ops[0])]
            yield from self.between(node.left, node.comparators[0], "comparison", old, new)
        elif isinstance(node, ast.BoolOp):
            old, new = ("and", "or") if isinstance(node.op, ast.And) else ("or", "and")
            yield from self.between(node.values[0], node.values[1], "condition", f" {old} ", f" {new} ")
        elif isinstance(node, ast.Call):
            if len(node.args) >= 2 and not any(isinstance(q, ast.Starred) for q in node.args[:2]):
                a, b = (self.source[slice(*self.span(q))] for q in node.args[:2])
                at, end = self.span(node.args[0])[0], self.span(node.args[1])[1]
                if a != b:
                    yield Planted(self.path, node.lineno, "swapped", at, end, f"{b}{self.source[self.span(node.args[0])[1] : self.span(node.args[1])[0]]}{a}")
        elif isinstance(node, ast.Expr) and isinstance(node.value, ast.Call):
            yield self.make(node, "call left out", "pass")
        elif isinstance(node, ast.Attribute) and isinstance(node.ctx, ast.Load):
            other = TWINS.get(node.attr) or _neighbours().get(node.attr)
            if other:
                yield self.make(node, "neighbour", f"{ast.unparse(node.value)}.{other}")
        elif isinstance(node, ast.Name) and isinstance(node.ctx, ast.Load) and node.id in ("min", "max", "any", "all"):
            yield self.make(node, "neighbour", TWINS[node.id])


def _figures(path: Path) -> Iterator[Planted]:
    """Numbers of a table of the craft, and rows of a table of pencils that have taken each other's colour."""
    text = path.read_text("utf-8")
    at = 0
    for n, row in enumerate(text.split("\n"), 1):
        if path.suffix == ".toml" and not row.lstrip().startswith("#"):
            for m in re.finditer(r"(?<![\w.\"'#-])(\d+\.?\d*)(?![\w\"'.%])", row):
                if row[: m.start()].count('"') % 2 == 0:
                    new = float(m[1]) * 1.5 if "." in m[1] else int(m[1]) + max(1, int(m[1]) // 2)
                    yield Planted(path, n, "craft figure", at + m.start(1), at + m.end(1), f"{new:g}")
        if path.suffix == ".csv":
            for m in re.finditer(r"#([0-9a-fA-F]{6})", row):
                yield Planted(path, n, "table row", at + m.start(1), at + m.end(1), m[1][2:] + m[1][:2])
        at += len(row) + 1


def possible(paths: Sequence[Path]) -> list[Planted]:
    """Every mistake that could be made in these files, or in the files of these folders."""
    out: list[Planted] = []
    for top in paths:
        for path in sorted(top.rglob("*")) if top.is_dir() else [top]:
            if path.suffix in (".toml", ".csv"):
                out += _figures(path)
            elif path.suffix == ".py" and "migrations" not in path.parts:
                for one in _Finder(path).all():
                    with_it = one.text()
                    try:
                        compile(with_it, str(path), "exec")
                    except SyntaxError:
                        continue
                    out.append(one)
    return out


def drawn(paths: Sequence[Path], count: int, rng: random.Random) -> list[Planted]:
    """So many mistakes by chance: first a file, by its length, then a kind, then a place, so that no kind is rare."""
    files = [q for top in paths for q in (sorted(top.rglob("*")) if top.is_dir() else [top]) if q.suffix in (".py", ".toml", ".csv") and "migrations" not in q.parts]
    weights = [len(q.read_text("utf-8")) for q in files]
    out: list[Planted] = []
    while len(out) < count:
        path = rng.choices(files, weights)[0]
        found = possible([path])
        if found:
            kind = rng.choice(sorted({q.kind for q in found}))
            one = rng.choice([q for q in found if q.kind == kind])
            if one not in out:
                out.append(one)
    return out


class Copy:
    """A copy of the repository in which mistakes are made."""

    def __init__(self, folder: Path, shared: Path) -> None:
        self.folder, self.shared = folder, shared
        for name in COPIED:
            source = ROOT / name
            if source.is_dir():
                shutil.copytree(source, folder / name, ignore=shutil.ignore_patterns("__pycache__"))
            else:
                shutil.copy(source, folder / name)

    def caught_by(self, one: Planted, budget_s: float) -> tuple[str, int]:
        """The test module that fails with a mistake, or "" where all stay green, and how many ran."""
        target = self.folder / one.path.relative_to(ROOT)
        names, _left = nearest([one.path], budget_s, one.names(), always=())
        target.write_text(one.text(), "utf-8")
        try:
            for k, name in enumerate(names, 1):
                done = subprocess.run([sys.executable, "-m", "tests", name], cwd=self.folder, env=self._env(), capture_output=True, text=True, timeout=PATIENCE_S)
                if done.returncode:
                    return name, k
            return "", len(names)
        except subprocess.TimeoutExpired:
            return f"{name} (hung)", k
        finally:
            shutil.copy(ROOT / one.path.relative_to(ROOT), target)

    def _env(self) -> dict[str, str]:
        return {**os.environ, "PYTHONPATH": str(self.folder), "HANABIRA_TEST_SHARED": str(self.shared), "PYTHONDONTWRITEBYTECODE": "1"}


def main() -> int:
    parser = argparse.ArgumentParser(prog="python -m tools.plant", description="Plant one-line mistakes and list those that no test notices.")
    parser.add_argument("paths", nargs="*", type=Path, help="files or folders to plant in")
    parser.add_argument("--count", type=int, default=60)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--budget", type=float, default=90.0, help="seconds of tests for each mistake")
    parser.add_argument("--lanes", type=int, default=max(1, min(8, os.cpu_count() or 2)))
    args = parser.parse_args()
    paths = [p.resolve() for p in args.paths] or [ROOT / p for p in WHERE]
    planted = drawn(paths, args.count, random.Random(args.seed))
    if not seconds():
        print("How long each test module takes is not known yet: python -m tests --keep-seconds tells it.", flush=True)
    with tempfile.TemporaryDirectory(prefix="hanabira-plant-") as temp:
        copies: Queue[Copy] = Queue()
        for n in range(args.lanes):
            shared = Path(temp) / f"shared{n}"
            shared.mkdir()
            copies.put(Copy(Path(temp) / f"copy{n}", shared))

        def one_of(mistake: Planted) -> tuple[Planted, str, int]:
            copy = copies.get()
            try:
                return mistake, *copy.caught_by(mistake, args.budget)
            finally:
                copies.put(copy)

        green = 0
        with ThreadPoolExecutor(args.lanes) as lanes:
            for mistake, by, ran in lanes.map(one_of, planted):
                green += not by
                print(f"{'caught by ' + by.removeprefix('tests.') if by else 'STAYS GREEN'} ({ran} ran)\n  {mistake.told()}", flush=True)
    print(f"{green} of {len(planted)} stay green ({green / len(planted):.0%})")
    return 1 if green > 0.1 * len(planted) else 0


if __name__ == "__main__":
    sys.exit(main())
