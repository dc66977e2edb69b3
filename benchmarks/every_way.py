"""Recipes under every pair of surface, coat, marking, medium, paper, finish and choices of the school: which rules are broken?

``python -m benchmarks.every_way [most]`` walks a list in which any two of these come together at least once (greedy pairwise covering), about
a thousand recipes in a quarter of an hour, and prints what is broken.
"""

from __future__ import annotations

import itertools
import sys
from multiprocessing import Pool

import numpy as np

from hanabira.craft.rules import switches
from hanabira.craft.supplies import papers, surfaces
from tests.ways import COATS, MARKINGS, makes_sense, one_way

NAMES = ("surface", "coat", "marking", "kit", "paper", "finish", *switches())
VALUES: list[list] = [
    sorted(surfaces()), sorted(COATS), list(MARKINGS), ["pencils", "pastels"], sorted(papers()), [1, 2, 3, 4, 5], *(sorted(s.choices) for s in switches().values())
]  # fmt: skip


def pairs(row: tuple) -> set[tuple]:
    """All pairs of a row: (column, value, column, value)."""
    return {(a, row[a], b, row[b]) for a, b in itertools.combinations(range(len(row)), 2)}


def covering(tries: int = 30) -> list[tuple]:
    """Rows in which any two values come together once: each is the best of some random ones for the pairs that are left."""
    rng = np.random.default_rng(5)
    left = {
        (a, x, b, y)
        for a, b in itertools.combinations(range(len(VALUES)), 2)
        for x in VALUES[a]
        for y in VALUES[b]
        if not ((a, b) == (3, 4) and not makes_sense(x, y))
    }
    rows = []
    while left:
        seed = min(left, key=str)
        best: tuple[int, tuple] | None = None
        for _ in range(tries):
            row = [v[int(rng.integers(len(v)))] for v in VALUES]
            row[seed[0]], row[seed[2]] = seed[1], seed[3]
            if not makes_sense(row[3], row[4]):
                row[3] = "pencils"
                if seed[0] == 3 or seed[2] == 3:
                    row[3], row[4] = (seed[1] if seed[0] == 3 else seed[3]), "sanded" if seed[2] != 4 and seed[0] != 4 else row[4]
            if not makes_sense(row[3], row[4]):
                continue
            new = len(pairs(tuple(row)) & left)
            if best is None or new > best[0]:
                best = new, tuple(row)
        assert best is not None
        rows.append(best[1])
        left -= pairs(best[1])
        left.discard(seed)
    return rows


def _one(row: tuple) -> tuple[tuple, list[str], float]:
    surface, coat, marking, kit, paper, finish, *chosen = row
    try:
        plan, wrong = one_way(surface, coat, marking, kit, paper, dict(zip(switches(), chosen, strict=True)), finish)
        return row, wrong, float(np.median([s.delta_e00 for s in plan.prediction.bands.values()]))
    except Exception as e:  # a crash is the worst that can be found; it is told, not raised
        return row, [f"{type(e).__name__}: {e}"], float("nan")


def main(most: int) -> int:
    """Print what is broken; how many recipes broke something."""
    rows = covering()[:most]
    bad, de = [], []
    with Pool(2) as pool:
        for n, (row, wrong, middle) in enumerate(pool.imap_unordered(_one, rows, chunksize=4), 1):
            de.append(middle)
            if wrong:
                bad.append(row)
                print("; ".join(wrong), "|", ", ".join(f"{k} {v}" for k, v in zip(NAMES, row, strict=True)), flush=True)
            if n % 100 == 0:
                print(f"{n} of {len(rows)}: {len(bad)} broken", flush=True)
    print(f"{len(rows)} recipes over every pair, {len(bad)} break a rule; median ΔE00 of their places {np.nanmedian(de):.1f}")
    return len(bad)


if __name__ == "__main__":
    sys.exit(1 if main(int(sys.argv[1]) if len(sys.argv) > 1 else 10**6) else 0)
