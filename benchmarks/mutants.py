"""Ten thousand damaged files with a seed: photos, bundles, kits and techniques. All four counts must be 0.

``python -m benchmarks.mutants [COUNT] [SEED]`` prints how many ended in a traceback, hung for over five seconds, took over two
gigabytes, or were taken in by half. Each kind runs in processes of its own that are watched from outside.
"""

from __future__ import annotations

import os
import random
import resource
import selectors
import subprocess
import sys
import tempfile
import time
import traceback
from pathlib import Path

KINDS = ("bundle", "photo", "kit", "technique")
HANG_S = 5.0
MOST_KB = 2_000_000


class Cases:
    """Healthy content of one kind, and what is done with a damaged piece of it."""

    def __init__(self, kind: str, folder: Path) -> None:
        from tests import mutants

        self.kind, self.folder, self.mutants = kind, folder, mutants
        if kind == "bundle":
            self.good = [mutants.healthy(folder)]
        elif kind == "photo":
            self.good = mutants.photos(folder)
        elif kind == "kit":
            from hanabira.craft.kitfile import kit_csv, kit_gpl
            from hanabira.craft.supplies import shipped_kit
            from hanabira.craft.swatchfile import cgats_text, swatches_csv

            some = shipped_kit().subset([p.code for p in shipped_kit()][:12])
            rows = [("203:1:2+401:5", "white", (50.0, 3.0, 4.0)), ("", "black", (14.0, 0.0, 0.0)), ("401:3", "#334455", (30.0, 1.0, -2.0))]
            self.good = [q.encode() for q in (kit_csv(some), kit_gpl(some), swatches_csv(rows), cgats_text(rows))]
            self.suffixes = (".csv", ".gpl", ".csv", ".txt")
        else:
            from hanabira.core.solver.layer import Layer
            from hanabira.craft.own_techniques import as_technique

            layers = [Layer("ground", "203", 1, 2, "everywhere", "side"), Layer("blend", "", 2, 1, "gaps", tool="stump", why="“so”")]
            self.good = [as_technique(layers, "Mine", "short-fur").encode()]
        self.studio = None

    def run(self, seed: int) -> str:
        """What came of one damaged piece: refused, taken, or a complaint that begins with ``half``."""
        from hanabira.core.faults import Fault
        from hanabira.studio.store import Store

        r = random.Random(seed)
        n = r.randrange(len(self.good))
        make = {"bundle": self.mutants.bundle, "photo": self.mutants.photo}.get(self.kind, self.mutants.text)
        path = (
            self.folder
            / f"piece{self.suffixes[n] if self.kind == 'kit' else '.zip' if self.kind == 'bundle' else '.toml' if self.kind == 'technique' else '.jpg'}"
        )
        path.write_bytes(make(self.good[n], r))
        if self.studio is None or seed % 400 == 0:
            if self.studio is not None:
                self.studio.close()
            self.studio = Store.open(Path(tempfile.mkdtemp(dir=self.folder)))
        try:
            return self._feed(path, n)
        except Fault:
            return "refused"

    def _feed(self, path: Path, n: int) -> str:
        from hanabira.core.faults import Fault
        from hanabira.studio.bundle import import_bundle
        from hanabira.studio.overview import overviews
        from hanabira.studio.records import Commission

        store = self.studio
        assert store is not None
        files = lambda: sorted(p for p in (store.folder / "photos").rglob("*") if p.is_file())  # noqa: E731
        if self.kind == "bundle":
            from tests.studio.test_mutants import through

            before = store.keys(Commission), files()
            try:
                key = import_bundle(store, path).commission.id
            except Fault:
                return "refused" if (store.keys(Commission), files()) == before else "half: something of a refused bundle stayed"
            through(store, key, self.folder)
            if store.unreadable():
                return "half: what was taken in cannot be read"
            overviews(store)
        elif self.kind == "photo":
            from hanabira.studio.pictures import is_whole

            is_whole(path)
            before_files = files()
            try:
                digest, suffix, _size = store.take_in(path)
            except Fault:
                return "refused" if files() == before_files else "half: a refused photo stayed"
            if not (store.folder / "photos" / digest[:2] / f"{digest}{suffix}").exists():
                return "half: a photo that was taken in is not there"
        elif self.kind == "kit":
            from hanabira.craft.kitfile import kit_csv, parse_csv, read_kit
            from hanabira.craft.swatchfile import read_swatches

            if n < 2:
                kit = read_kit(path)
                parse_csv(kit_csv(kit), kit.name)
            else:
                read_swatches(path)
        else:
            from hanabira.craft.own_techniques import read_technique
            from hanabira.studio.checking import check
            from hanabira.studio.records import Recipe

            check(Recipe("a", read_technique(path).layers))
        return "taken"


def work(kind: str, first: int, last: int) -> None:
    """Run seeds of one kind, a line each; for the process that is watched."""
    with tempfile.TemporaryDirectory(prefix="hanabira-mutants-") as folder:
        cases = Cases(kind, Path(folder))
        print("ready", flush=True)
        for seed in range(first, last):
            try:
                end = cases.run(seed)
            except BaseException:
                end = f"traceback {traceback.format_exc()[-700:]!r}"
            print(f"{seed} {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss} {end}", flush=True)


def watch(kind: str, first: int, last: int) -> dict[str, list[str]]:
    """Run seeds of one kind in a process that is ended when one of them hangs; what was wrong by its sort."""
    wrong: dict[str, list[str]] = {"traceback": [], "hang": [], "memory": [], "half": []}
    counts = {"taken": 0, "refused": 0}
    while first < last:
        process = subprocess.Popen(
            [sys.executable, "-W", "ignore", "-m", "benchmarks.mutants", "--work", kind, str(first), str(last)],
            stdout=subprocess.PIPE,
            text=True,
        )
        assert process.stdout is not None
        with selectors.DefaultSelector() as ready:
            ready.register(process.stdout, selectors.EVENT_READ)
            began, started = time.monotonic(), False
            while first < last:
                if not ready.select(0.5):
                    if time.monotonic() - began > (HANG_S if started else 120):
                        wrong["hang"].append(f"{kind} {first}")
                        process.kill()
                        first += 1
                        break
                    continue
                line = process.stdout.readline()
                if not line:  # the process itself came to grief
                    wrong["traceback"].append(f"{kind} {first}: the process ended with {process.wait()}")
                    first += 1
                    break
                began, started = time.monotonic(), True
                if line.startswith("ready"):
                    continue
                _seed, peak, end = line.split(" ", 2)
                if int(peak) > MOST_KB:
                    wrong["memory"].append(f"{kind} {first}: {int(peak) // 1000} MB")
                    process.kill()
                    first += 1
                    break
                sort = end.split()[0].rstrip(":")
                if sort in counts:
                    counts[sort] += 1
                else:
                    wrong[sort].append(f"{kind} {first}: {end.strip()}")
                first += 1
        process.kill()
        process.wait()
        process.stdout.close()
    print(
        f"{kind:<10} {counts['refused']} refused, {counts['taken']} taken; " + ", ".join(f"{len(v)} {k}" for k, v in wrong.items()),
        flush=True,
    )
    return wrong


def main(count: int = 10_000, seed: int = 0) -> int:
    """Run all kinds; 1 when anything was wrong."""
    each, bad = count // len(KINDS), []
    for kind in KINDS:
        for words in watch(kind, seed, seed + each).values():
            bad += words
    for words in bad[:40]:
        print(words)
    print(f"{each * len(KINDS)} damaged files, {len(bad)} wrong")
    return 1 if bad else 0


if __name__ == "__main__":
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    if sys.argv[1:2] == ["--work"]:
        work(sys.argv[2], int(sys.argv[3]), int(sys.argv[4]))
    else:
        sys.exit(main(*(int(v) for v in sys.argv[1:3])))
