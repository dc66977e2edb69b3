"""What a fitted kit and Practice are worth on material that nothing was tuned on: ``python -m benchmarks.trust [seed]`` (some minutes).

Kits are fitted to swatches of three simulated papers and held against stacks that no swatch showed; learners and hands are drawn at random.
"""

from __future__ import annotations

import sys
from dataclasses import replace

import numpy as np

from hanabira.core.practice.hand import read_hand, sheets
from hanabira.core.practice.profile import Learner, diagnose
from hanabira.core.practice.question import AskedPicture
from hanabira.core.practice.round import Round, play
from hanabira.craft.supplies import shipped_kit
from hanabira.demo.pictures import PHOTO
from hanabira.devices.hand_filled import SimulatedHand, photo_of
from hanabira.devices.simulated_paper import TRUTHS, SimulatedSheet
from hanabira.studio.pictures import read_picture
from tests.core.test_fit import fitted, unseen

ANSWERS, SEEDS, HANDS = 40, 10, 6


def told(name: str, figure: str) -> None:
    """One line of the table."""
    print(f"{name:<72} {figure}", flush=True)


def kits(seed: int) -> None:
    """Fitted kits on unseen stacks."""
    for words, patches, chips in (("four patches a pencil and 30 chips", 4, True), ("one patch a pencil", 1, False)):
        for layers in (2, 3):
            medians = [float(np.median(unseen(t, fitted(t, patches, chips).kit, layers, seed=seed))) for t in TRUTHS]
            told(f"unseen stacks of {layers}, {words}: median ΔE00", ", ".join(f"{q:.1f}" for q in medians))


def learners(seed: int) -> None:
    """Leans that are found, and claimed where there is none."""
    photo = AskedPicture(read_picture(PHOTO, 1600).pixels, "photo")
    for bias in (1.0, -0.8, 0.0):
        right = claimed = 0
        for s in range(seed, seed + SEEDS):
            found = diagnose([a.error for a in play(Round("value-step", [photo], s), Learner(bias, 0.5), ANSWERS, s)])
            claimed += found.claimed
            right += found.claimed and abs(found.bias - bias) < 0.3
        figure = f"{right} of {SEEDS} within .3 step" if bias else f"{claimed} of {SEEDS} claimed"
        told(f"a lean of {bias:+.1f} steps in {ANSWERS} answers", figure)


def hands(seed: int) -> None:
    """Filled sheets read back: the largest error of each figure over hands drawn at random."""
    rng, paper, every = np.random.default_rng(seed), SimulatedSheet(shipped_kit(), TRUTHS[1]), sheets()
    off: dict[str, list[float]] = {"ladder, L*": [], "flicks’ direction, degrees": [], "flicks’ run, share": [], "lifted light, share": []}
    for n in range(HANDS):
        top = rng.uniform(78, 88)
        ladder = tuple(float(q) for q in np.linspace(top, top - rng.uniform(30, 46), 5))
        hand = replace(SimulatedHand(seed=seed + n), ladder=ladder, off_deg=float(rng.uniform(-20, 20)), back=float(rng.uniform(0.2, 0.8)))
        read = lambda drill, hand=hand: read_hand(photo_of(every[drill], hand, paper), drill)[0].figures  # noqa: E731
        got = read("pressure-ladder")
        off["ladder, L*"] += [abs(got[f"pressure {k}"] - v) for k, v in enumerate(ladder, 1)]
        got = read("flicks")
        off["flicks’ direction, degrees"].append(abs(got["off_deg"] - hand.off_deg))
        off["flicks’ run, share"].append(abs(got["run_mm"] / 9 - 1))
        off["lifted light, share"].append(abs(read("lift")["back"] - hand.back))
    for name, errors in off.items():
        told(f"{name} ({len(errors)}): median and largest error", f"{np.median(errors):.2f} and {max(errors):.2f}")


if __name__ == "__main__":
    first = int(sys.argv[1]) if len(sys.argv) > 1 else 43_000
    kits(first)
    learners(first)
    hands(first)
