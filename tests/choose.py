"""Which test modules touch which code: by imports, the nearest first, with the seconds that each takes.

Imports are read from the sources, those inside functions and for types alone as well; a data file belongs to the modules that name it.
"""

from __future__ import annotations

import ast
import json
import re
import subprocess
from collections.abc import Collection, Iterable
from functools import cache
from pathlib import Path

ROOT = Path(__file__).parent.parent
PACKAGES = ("hanabira", "demo_making", "tests", "tools", "benchmarks")
SECONDS = Path(__file__).with_name("seconds.json")
"""How long each test module took in the last whole run that was kept (``python -m tests --keep-seconds``)."""
UNKNOWN_S = 8.0
ALWAYS = ("tests.test_house", "tests.test_words")
"""What looks at every file."""


def module_of(path: Path) -> str:
    """The module's name of a file of the repository."""
    return ".".join(path.relative_to(ROOT).with_suffix("").parts).removesuffix(".__init__")


@cache
def sources() -> dict[str, Path]:
    """Files of all modules, by name."""
    return {module_of(p): p for package in PACKAGES for p in sorted((ROOT / package).rglob("*.py"))}


def _imported(path: Path, there: Collection[str]) -> set[str]:
    out = set()
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        names: Iterable[str] = ()
        if isinstance(node, ast.Import):
            names = [q.name for q in node.names]
        elif isinstance(node, ast.ImportFrom) and node.module and not node.level:
            names = [node.module, *(f"{node.module}.{q.name}" for q in node.names)]
        elif isinstance(node, ast.Constant) and isinstance(node.value, str) and node.value.startswith("hanabira."):
            names = [node.value]  # loaded or patched by its name
        for name in names:
            while name and name not in there:
                name = name.rpartition(".")[0]
            if name:
                out.add(name)
    return out


@cache
def importers() -> dict[str, set[str]]:
    """Who imports each module directly. A package's own file counts for nobody: most hold a sentence."""
    out: dict[str, set[str]] = {name: set() for name in sources()}
    for name, path in sources().items():
        for needed in _imported(path, sources()):
            if needed != name and sources()[needed].name != "__init__.py":
                out[needed].add(name)
    # a part of the session is looked into by its name, not by an import
    for part in (ROOT / "hanabira/session").glob("*.py"):
        out[f"hanabira.session.{part.stem}"].add("hanabira.session.members") if part.stem in members() else None
    return out


@cache
def members() -> frozenset[str]:
    """Parts of the session that are made when they are looked at."""
    tree = ast.parse((ROOT / "hanabira/session/members.py").read_text("utf-8"))
    return frozenset(n.target.id for n in ast.walk(tree) if isinstance(n, ast.AnnAssign) and isinstance(n.target, ast.Name))


def owners(path: Path) -> set[str]:
    """Modules that a changed file is or belongs to."""
    if path.suffix == ".py":
        return {module_of(path)} & set(sources())
    return {name for name, source in sources().items() if path.name in (text := source.read_text("utf-8")) or f'"{path.stem}"' in text}


def touching(changed: Collection[Path]) -> dict[str, int]:
    """Test modules that a change of these files may break, with how many imports away they are."""
    far = {name: 0 for path in changed for name in owners(path)}
    front = list(far)
    while front:
        front = [who for name in front for who in sorted(importers().get(name, ())) if who not in far and far.setdefault(who, far[name] + 1)]
    tests = {name: steps for name, steps in far.items() if name.rpartition(".")[2].startswith("test_")}
    return {name: 0 if _named_alike(name, changed) else steps for name, steps in tests.items()}


def _named_alike(test: str, changed: Collection[Path]) -> bool:
    """Whether a test module bears the name of a file or of its folder: windows go to a stage by its name, which no import tells."""
    words = set(test.rpartition(".test_")[2].split("_"))
    return any(words & {path.stem, path.parent.name, path.stem.removesuffix("s"), *path.stem.split("_")} for path in changed)


def seconds() -> dict[str, float]:
    """How long each test module takes."""
    return json.loads(SECONDS.read_text()) if SECONDS.exists() else {}


def nearest(changed: Collection[Path], budget_s: float, names: Collection[str] = (), always: Collection[str] = ALWAYS) -> tuple[list[str], list[str]]:
    """Test modules to run for these files within a budget of seconds of one processor, the nearest and quickest first, and those that are left out.

    Those that speak of the ``names`` of what changed in them come before all others.
    """
    took, found = seconds(), touching(changed)
    speaks = {m: any(re.search(rf"\b{re.escape(name)}\b", sources()[m].read_text("utf-8")) for name in names) for m in found}
    order = sorted(found, key=lambda m: (not speaks[m], found[m], took.get(m, UNKNOWN_S)))
    out: list[str] = [m for m in always if m in sources()]
    spent = sum(took.get(m, UNKNOWN_S) for m in out)
    for m in order:
        if m not in out and spent + took.get(m, UNKNOWN_S) <= budget_s:
            out.append(m)
            spent += took.get(m, UNKNOWN_S)
    return out, [m for m in order if m not in out]


def changed_files() -> list[Path]:
    """Files that differ from the last commit, or, where none does, those of the last commit."""

    def git(*args: str) -> list[str]:
        return subprocess.run(["git", *args], cwd=ROOT, capture_output=True, text=True, check=True).stdout.splitlines()

    names = git("diff", "--name-only", "HEAD") + git("ls-files", "--others", "--exclude-standard")
    return [ROOT / name for name in names or git("show", "--name-only", "--format=", "HEAD")]
