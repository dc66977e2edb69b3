"""How fast the order of a large portrait is solved, and solved anew after a drag; how far the estimate of hours is off."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable

import numpy as np

from hanabira.core.schedule.order import Preferences, order
from hanabira.core.schedule.sessions import Days, lay_out
from hanabira.core.schedule.work import AreaWork, LayerWork, learned

ROLES = ("ground", "undertone", "general", "general", "deepen", "gap", "texture", "deepen", "gap", "light hair", "accent", "highlight")
SURFACES = ("eye", "nose", "short-fur", "long-fur", "mane-and-tail", "ear-inside", "curly-or-wavy", "fluffy-down")


def large(areas: int = 40) -> tuple[AreaWork, ...]:
    """A portrait of so many areas of twelve layers each, the neighbours in a grid."""
    out = []
    for n in range(areas):
        near = tuple(str(k) for k in (n - 1, n + 1, n - 8, n + 8) if 0 <= k < areas)
        layers = tuple(LayerWork(r, str(100 + (n + k) % 30)) for k, r in enumerate(ROLES))
        out.append(
            AreaWork(str(n), n + 1, f"area {n}", SURFACES[n % len(SURFACES)], 1500.0, (30.0 * (n % 8), 40.0 * (n // 8)), near, 3, layers)
        )
    return tuple(out)


def _ms(run: Callable[[], object]) -> float:
    out = []
    for _ in range(5):
        t = time.perf_counter()
        run()
        out.append(1000 * (time.perf_counter() - t))
    return statistics.median(out)


def plan(row: Callable[[str, str, str], None]) -> None:
    """Print the figures."""
    work = large()
    found = order(work)
    first = _ms(lambda: order(work))
    keys = [s.key for s in found.steps]
    drag = _ms(lambda: order(work, Preferences(), ((keys[200], keys[40]),)))
    row("Order of 40 areas × 12 layers", f"{first:.0f} ms", "under 1000 ms")
    row("  solved anew after a drag", f"{drag:.0f} ms, {drag / first:.1f} × first", "under 200 ms")
    rng = np.random.default_rng(1)
    many = [(str(a), str(b)) for a, b in (rng.choice(keys[:-1], 2, replace=False) for _ in range(40))]
    row("  with forty drags from nothing", f"{_ms(lambda: order(work, Preferences(), many)):.0f} ms", "under 300 ms")
    import datetime

    row("  laid out on days", f"{_ms(lambda: lay_out(found, Days(datetime.date(2026, 3, 2)))):.0f} ms", "")
    before, after = [], []
    for seed in range(200):
        rng = np.random.default_rng(seed)
        overall = np.exp(rng.normal(0, 0.5))
        own = {s: np.exp(rng.normal(0, 0.25)) for s in SURFACES}
        log = [(s, 30.0, 30.0 * overall * own[s] * np.exp(rng.normal(0, 0.2))) for s in rng.choice(SURFACES, 5)]
        pace = learned(log)
        truth = [overall * own[s] for s in SURFACES]
        before.append(np.mean(np.abs(np.log(truth))))
        after.append(np.mean([abs(np.log(t / pace.factor(s))) for t, s in zip(truth, SURFACES, strict=True)]))
    row("Error of the hours after five logged areas", f"{np.mean(after) / np.mean(before):.2f} × before", "under 0.5")
