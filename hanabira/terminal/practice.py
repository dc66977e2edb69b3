"""The terminal's drills: `hanabira practice`."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from hanabira.core.faults import Fault
from hanabira.terminal.args import Add

if TYPE_CHECKING:
    from hanabira.core.practice.profile import Learner

ANSWERS = 40


def practice(args: argparse.Namespace) -> dict:
    """List the drills, or play one with a simulated learner."""
    from hanabira.core.practice.profile import Learner, diagnose
    from hanabira.core.practice.question import AskedPicture
    from hanabira.core.practice.round import Round, play
    from hanabira.craft.drills import drills
    from hanabira.craft.supplies import paper, paper_for, shipped_kit

    if args.list:
        return {"drills": [{"id": d.id, "name": d.name, "bench": d.bench, "minutes": d.minutes} for d in drills().values()]}
    if not args.drill:
        raise Fault("Say which drill.", do="Use --drill ID, or --list for all of them.")
    if args.drill not in drills():
        raise Fault(f"There is no drill “{args.drill}”.", do=f"Use one of {', '.join(drills())}.")
    try:
        learner = Learner.parse(args.simulate or "bias=0,noise=0.5")
    except ValueError:
        raise Fault(f"“{args.simulate}” is no learner.", do="Write bias=+1.0,noise=0.5, in steps.") from None
    if drills()[args.drill].bench == "part":
        raise Fault("A part is drawn on paper and cannot be played here.", do="Begin it in the practice room.")
    if drills()[args.drill].bench == "hand":
        return _by_hand(args.drill, args.seed, learner)
    if not 1 <= args.answers <= 1000:
        raise Fault("--answers must be 1 to 1000.")
    kit = shipped_kit()
    pictures = [AskedPicture(pixels, name) for name, pixels in _pictures(args.studio)]
    found = play(Round(args.drill, pictures, args.seed, kit, paper_for(kit, paper("hotpress"), None)), learner, args.answers, args.seed)
    told = diagnose([a.error for a in found if a.error is not None])
    return {
        "drill": args.drill, "seed": args.seed, "right": sum(a.right for a in found),
        "answers": [
            {"key": a.key, "right": a.right, "level": round(a.level, 2), "is_step": _step(a.is_step), "said_step": _step(a.said_step), "surround_steps": round(a.lift, 2)} for a in found
        ],
        "diagnosis": {"bias_steps": round(told.bias, 3), "sigma": round(told.sigma, 3) if told.answers else None, "claimed": told.claimed, "sentence": told.sentence},
    }  # fmt: skip


def _by_hand(drill: str, seed: int, learner: Learner) -> dict:
    """A hand drill's sheet filled by a simulated hand, photographed and read; the learner's noise is the hand's unsteadiness."""
    from hanabira.core.practice.hand import read_hand, sheets
    from hanabira.craft.supplies import shipped_kit
    from hanabira.devices.hand_filled import SimulatedHand, photo_of
    from hanabira.devices.simulated_paper import SimulatedSheet

    hand = SimulatedHand(seed=seed, chips_sd=2.4 * learner.noise, spread_deg=18 * learner.noise, jump=16 * max(0.0, learner.noise - 0.5))
    result, _filled = read_hand(photo_of(sheets()[drill], hand, SimulatedSheet(shipped_kit())), drill)
    return {
        "drill": drill, "seed": seed, "answers": [], "figures": {k: round(v, 3) for k, v in result.figures.items()}, "score": round(result.score, 3),
        "sentences": list(result.sentences), "diagnosis": {"bias_steps": 0.0, "sigma": None, "claimed": False, "sentence": " ".join(result.sentences)},
    }  # fmt: skip


def _step(v: float | None) -> float | None:
    return None if v is None else round(v, 2)


def _pictures(studio: str | None) -> list:
    """The studio's own photos by name, else the demo animals."""
    from hanabira.demo.pictures import PHOTOS
    from hanabira.studio.database import DATABASE
    from hanabira.studio.pictures import read_picture
    from hanabira.studio.records import Photo
    from hanabira.studio.store import Store

    if studio:
        folder = Path(studio)
        if not (folder / DATABASE).exists():
            raise Fault(f"There is no studio in {folder}.", do="Give its folder with --studio.")
        with Store.open(folder) as store:
            own = [(p.original_name, store.read_photo(p, 1600).pixels) for p in store.all(Photo) if store.holds(p)]
        if own:
            return own
    return [(kind, read_picture(path, 1600).pixels) for kind, path in sorted(PHOTOS.items())]


def show(_command: str, data: dict) -> None:
    """The same answers as readable lines."""
    if "drills" in data:
        for d in data["drills"]:
            print(f"{d['id']:<14} {d['name']:<20} {d['bench']:<6} {d['minutes']} min")
        return
    if "figures" in data:
        print(data["diagnosis"]["sentence"])
        return
    print(f"{data['right']} of {len(data['answers'])} right")
    if data["diagnosis"]["sigma"] is not None:
        print(data["diagnosis"]["sentence"])


def add_commands(add: Add) -> None:
    """Declare the command on the parser."""
    p = add("practice", practice, "List the drills, or let a simulated learner play one.")
    p.add_argument("--studio", metavar="DIR", help="ask from this studio’s photos instead of the demo’s")
    p.add_argument("--list", action="store_true", help="all drills")
    p.add_argument("--drill", metavar="ID")
    p.add_argument("--seed", type=int, default=1, metavar="N")
    p.add_argument("--simulate", metavar="bias=B,noise=N", help="the learner: bias and noise in value steps")
    p.add_argument("--answers", type=int, default=ANSWERS, metavar="N")
