"""Runs every test with warnings as errors, in a process for each processor, and ends with the line ``N passed, N failed``.

The processes are forked from one that has loaded the application and its libraries: a hundred of them need not do so again.

``python -m tests [names…]`` runs only the named ones, in one process. ``--shuffle SEED`` before them runs classes and their tests in
another order: no result may hang on it. ``--quick`` runs what touches the changed files, the nearest first, in about a minute.
``--keep-seconds`` keeps how long each module took; the longest begin first.
"""

from __future__ import annotations

import argparse
import faulthandler
import gc
import importlib
import json
import os
import pkgutil
import random
import sys
import tempfile
import time
import traceback
import unittest
import warnings
from pathlib import Path
from typing import IO

import hanabira
from tests import choose
from tests.demo_studio import SHARED

warnings.simplefilter("error")
PROCESSES = max(2, min(8, os.cpu_count() or 2))
QUICK_S = 28.0
"""Seconds for what touches a change."""
PATIENCE = 1500.0
"""Seconds that a module may take; then each thread says where it stands and the process ends as failed."""


def modules() -> list[str]:
    """All test modules by their full names, the longest first."""
    here = Path(__file__).parent
    found = sorted(".".join(("tests", *p.relative_to(here).with_suffix("").parts)) for p in here.rglob("test_*.py"))
    took = choose.seconds()
    return sorted(found, key=lambda m: (-took.get(m, choose.UNKNOWN_S), m))


def full(name: str) -> str:
    """The full name of a module, class or test that may be given by its module's own name alone.

    >>> full("test_colour.Difference")
    'tests.core.test_colour.Difference'
    """
    if name.startswith("tests."):
        return name
    module, dot, rest = name.partition(".")
    return next((m + dot + rest for m in modules() if m.endswith(f".{module}")), name)


def shuffled(suite: unittest.TestSuite, seed: int) -> unittest.TestSuite:
    """The same tests with classes, and tests within each, in another order."""
    classes: dict[type, list[unittest.TestCase]] = {}

    def collect(part: unittest.TestSuite | unittest.TestCase) -> None:
        if isinstance(part, unittest.TestSuite):
            for q in part:
                collect(q)
        else:
            classes.setdefault(type(part), []).append(part)

    collect(suite)
    rng, order = random.Random(seed), list(classes.values())
    rng.shuffle(order)
    for tests in order:
        rng.shuffle(tests)
    return unittest.TestSuite(t for tests in order for t in tests)


def run(names: list[str], seed: int | None = None) -> int:
    """Run the named tests here, in their own order or in that of a ``seed``; the exit code."""
    with tempfile.TemporaryDirectory(prefix="hanabira-tests-") as home:
        # nothing of the user's own is read or written
        for key in ("XDG_DATA_HOME", "XDG_CACHE_HOME", "XDG_CONFIG_HOME"):
            os.environ[key] = home
        os.environ.setdefault(SHARED, home)
        os.environ["HANABIRA_CACHE"] = os.path.join(os.environ[SHARED], "cache")  # what one process has worked out, no other need
        faulthandler.dump_traceback_later(PATIENCE * len(names), exit=True, file=sys.__stderr__)
        suite = unittest.TestLoader().loadTestsFromNames(names)
        if seed is not None:
            suite = shuffled(suite, seed)
        gc.freeze()  # what is loaded stays: a search for garbage after each window need not go through it
        result = unittest.TextTestRunner(verbosity=1, warnings="error", buffer=True).run(suite)
        faulthandler.cancel_dump_traceback_later()
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    print(f"{result.testsRun - failed - len(result.skipped)} passed, {failed} failed", flush=True)
    return 1 if failed or not result.testsRun else 0


WARM = (
    "PyQt6.QtSvg", "PyQt6.QtTest", "PyQt6.QtWidgets", "alembic.command", "cv2", "icalendar", "numpy", "reportlab.platypus", "scipy.ndimage", "scipy.optimize",
    "shapely", "skimage.feature", "skimage.segmentation", "sqlalchemy",
)  # fmt: skip
"""Libraries that many tests load."""


def warm() -> None:
    """Load what the tests load. Nothing is made of it: no window, no studio, no thread of ours."""
    for name in WARM:
        importlib.import_module(name)
    for m in pkgutil.walk_packages(hanabira.__path__, "hanabira."):
        if ".migrations." not in m.name and not m.name.endswith("__main__"):
            importlib.import_module(m.name)


def forked(name: str, seed: int | None, out: IO[str]) -> int:
    """A process that runs a module's tests and writes into a file; its number."""
    sys.stdout.flush()
    sys.stderr.flush()
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # newer versions warn of threads: those of the libraries wait, and ours are not begun
        pid = os.fork()
    if pid:
        return pid
    code = 2
    try:
        os.dup2(out.fileno(), 1)
        os.dup2(out.fileno(), 2)
        code = run([name], seed)
    except BaseException:
        traceback.print_exc()
    finally:
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(code)


def run_all(compiled: str, waiting: list[str], seed: int | None = None, took: dict[str, float] | None = None) -> int:
    """Hand module after module to the processes; add up what they count. Byte code is kept in the folder ``compiled``, for all of them.

    ``took`` is told how many seconds each module needed.
    """
    running: list[tuple[str, int, IO[str], float]] = []
    passed, failed, bad = 0, 0, False
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
    os.environ["PYTHONPYCACHEPREFIX"] = sys.pycache_prefix = compiled
    warm()
    gc.freeze()
    while waiting or running:
        while waiting and len(running) < PROCESSES:
            name = waiting.pop(0)
            out = tempfile.TemporaryFile("w+")  # noqa: SIM115 - open as long as its process
            running.append((name, forked(name, seed, out), out, time.monotonic()))
        time.sleep(0.1)
        for job in list(running):
            name, process, out, began = job
            ended, status = os.waitpid(process, os.WNOHANG)
            if not ended:
                continue
            code = os.waitstatus_to_exitcode(status)
            running.remove(job)
            out.seek(0)
            text = out.read()
            out.close()
            last = text.strip().splitlines()[-1].split() if text.strip() else []
            if len(last) == 4 and last[1] == "passed,":
                passed, failed = passed + int(last[0]), failed + int(last[2])
            else:
                failed += 1  # the process itself came to grief
            bad |= code != 0
            seconds = time.monotonic() - began
            if took is not None:
                took[name] = round(seconds, 1)
            print(text if code else f"{name.removeprefix('tests.')}: {' '.join(last)}, {seconds:.0f} s", flush=True)
    print(f"{passed} passed, {failed} failed")
    return 1 if bad or failed or not passed else 0


def main(arguments: list[str]) -> int:
    """Run what the command line asks for; the exit code."""
    asked = argparse.ArgumentParser(prog="python -m tests")
    asked.add_argument("names", nargs="*")
    asked.add_argument("--shuffle", type=int, metavar="SEED")
    asked.add_argument("--quick", action="store_true")
    asked.add_argument("--keep-seconds", action="store_true")
    args = asked.parse_args(arguments)
    if args.names:
        return run([full(n) for n in args.names], args.shuffle)
    names, left = (choose.nearest(choose.changed_files(), QUICK_S * PROCESSES) if args.quick else (modules(), []))
    if not names:
        print("Nothing that a test touches has changed.\n0 passed, 0 failed")
        return 0
    took: dict[str, float] = {}
    with (
        tempfile.TemporaryDirectory(prefix="hanabira-demo-") as shared,
        tempfile.TemporaryDirectory(prefix="hanabira-compiled-") as compiled,
    ):
        os.environ[SHARED] = shared
        if left:
            print(f"Left out, further away or longer: {', '.join(n.removeprefix('tests.') for n in left)}", flush=True)
        code = run_all(compiled, sorted(names, key=modules().index), args.shuffle, took)
    if args.keep_seconds:
        choose.SECONDS.write_text(json.dumps(dict(sorted(took.items())), indent=1) + "\n")
    return code


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
