"""Three weeks of an invented artist's practice: rounds played by a simulated learner who sees darks too light, and two sheets of a simulated hand."""

from __future__ import annotations

import datetime
from dataclasses import asdict
from typing import Any

from hanabira.core.optics.paper import Paper
from hanabira.core.practice.hand import read_hand, sheets
from hanabira.core.practice.profile import Learner
from hanabira.core.practice.question import AskedPicture
from hanabira.core.practice.round import Round, play
from hanabira.craft.drills import drills
from hanabira.craft.supplies import paper, paper_for, shipped_kit
from hanabira.demo.pictures import PHOTOS
from hanabira.demo.worked import HOUR
from hanabira.devices.hand_filled import SimulatedHand, photo_of
from hanabira.devices.scanner import Scanning
from hanabira.devices.simulated_paper import TRUTHS, SimulatedSheet
from hanabira.studio.pictures import read_picture

DAYS = (
    (20, "value-step"), (19, "which"), (17, "value-step"), (16, "pressure-ladder"), (14, "white-or-not"), (13, "value-step"), (12, "flicks"), (10, "order-six"),
    (9, "value-step"), (7, "foretell"), (6, "value-step"), (4, "find-fault"), (3, "value-step"), (2, "what-next"),
)  # fmt: skip
"""How many days ago, and which drill."""
LEARNER = Learner(0.55, 0.55, 0.12)
HAND = SimulatedHand((86.0, 74.0, 58.0, 50.0, 39.0), spread_deg=7.0, variation=0.18, seed=8)


def practised() -> list[dict[str, Any]]:
    """The rounds as `hanabira.demo.worked` dates them: days ago, drill, minutes, and what was told."""
    pictures = [AskedPicture(read_picture(PHOTOS[kind], 700).pixels, kind) for kind in ("rabbit", "pony")]
    kit = shipped_kit()
    on: Paper = paper_for(kit, paper("hotpress"), None)
    level: dict[str, float] = {}
    out = []
    for n, (ago, drill) in enumerate(DAYS, 1):
        at = datetime.datetime.combine(datetime.date(2026, 1, 30) - datetime.timedelta(days=ago), HOUR)
        q = drills()[drill]
        told: dict[str, Any]
        if q.bench == "hand":
            result, _filled = read_hand(
                photo_of(sheets()[drill], HAND, SimulatedSheet(kit, TRUTHS[0]), Scanning(tilt_deg=5.0, px_per_mm=5.0)), drill
            )
            told = {
                "answers": [], "hand": {"figures": dict(result.figures), "score": round(result.score, 3), "sentences": list(result.sentences)},
            }  # fmt: skip
        else:
            played = Round(drill, pictures, n, kit, on, level.get(drill, 1.0), lambda at=at: at)
            play(played, LEARNER, q.questions, n)
            level[drill] = played.level
            told = {"answers": [{k: v for k, v in asdict(a).items() if k != "at"} for a in played.answers], "level": played.level}
        out.append({"ago": ago, "drill": drill, "minutes": q.minutes + 0.4 * (n % 3), "told": told})
    return out
