"""What the bench says in Check: faults by urgency, the cure, how the photo was read, and what photos and strip there are."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from hanabira.core.colour.words import nearness
from hanabira.craft.safety import words_for
from hanabira.craft.supplies import KITS
from hanabira.desk.controls import Caption, Words, act_button, row
from hanabira.desk.stages.check.likeness import likeness
from hanabira.desk.widgets.fault_list import CureCard, FaultList
from hanabira.session.practice_profile import effects

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QWidget

    from hanabira.desk.stages.check.stage import CheckStage

_FOUND_BY = {
    "strip": "by its border and the strip",
    "border": "by its border",
    "corners": "by corners set by hand",
    "drawing": "by what is drawn on it, as the photo cuts it off",
}
_BY = {
    "seen": "this very place in the photo before", "scrap": "these stacks tried on scrap", "near": "stacks near tried ones", "fitted": "the kit’s swatches",
    "shipped": "a kit that was never fitted",
}  # fmt: skip
CAUSES = {
    "left out": "laid unlike the recipe: layers are missing", "swapped": "laid unlike the recipe: another pencil", "pressure": "laid unlike the recipe: another pressure",
    "recipe": "the recipe itself is off the photo", "hand": "laid unlike the forecast; the log shows no reason", "log": "log and sheet differ",
}  # fmt: skip


def cure_word(f: dict[str, Any]) -> str:
    """The cure in a word or two."""
    tool, pencil = f["proposal"]["tool"], f["proposal"]["pencil"]
    codes = list(dict.fromkeys(s["pencil"] for s in f["proposal"]["steps"] if s["pencil"]))
    return {
        "lay": ", ".join(codes), "glaze": f"glaze {pencil}", "lift": "dab off" + (f", {pencil}" if pencil else ""), "erase": "lift down" + (f", {pencil}" if pencil else ""),
        "redraw": "bring its rim back", "break": "break the run", "log": "set the log right", "leave": "leave it", "scrape": "scrape it out", "around": f"round it, {pencil}",
        "soften": "break its line", "even": "fill the pale patches", "quiet": "calm it", "finish": "finish it", "wait": "wait for its neighbour", "rest": "rest a night",
    }.get(tool, tool)  # fmt: skip


def can_be_planned(s: CheckStage, f: dict[str, Any]) -> bool:
    """Whether a fault's correction makes steps of the plan, and does not stand there yet."""
    return f["proposal"]["tool"] not in ("leave", "log", "wait", "rest") and f["area_id"] in s.session.recipes and not planned_already(s, f)


def planned_already(s: CheckStage, f: dict[str, Any]) -> bool:
    """Whether the correction stands in the plan and waits."""
    done = set(s.session.planner.done_keys())
    return any(
        q.role == "correct" and q.why.startswith(f["sentence"]) and f"{f['area_id']}:{q.id}" not in done
        for q in s.session.recipe_layers(f["area_id"])
    )


def why_not(s: CheckStage, f: dict[str, Any]) -> str:
    """Why a correction cannot go into the plan."""
    if planned_already(s, f):
        return "This correction stands in the plan already."
    words = {
        "log": "Set the log right at the easel.",
        "wait": "There is nothing to lay yet: go on beside it.",
        "rest": "There is nothing to lay: rest a night.",
        "quiet": "Choose the glaze in Recipe: which opposite calms it is yours to say.",
    }
    return words.get(f["proposal"]["tool"], "There is nothing to lay: leave it, or rest a night.")


def fill(s: CheckStage) -> None:
    """Bring the bench up to date."""
    bench, f, data, shot = s.desk.bench, s.fault, s.data, s.shot
    if shot is None:
        bench.head.set("", "No photo yet", "Check holds a photo of your sheet against the plan")
        bench.set_parts([*_strip(s), *_sources(s)])
        return
    if f is not None and not s.working:
        place = f"{f['place_name']} · " if f["place_name"] else ""
        seen = (
            f"{place}found L* {f['found_lab'][0]:.0f} ± {_sd(s, f):.0f}, wanted {f['wanted_lab'][0]:.0f}" if f["found_lab"] else f["what"]
        )
        n = next(k for k, q in enumerate(s.faults, 1) if q["key"] == f["key"])
        bench.head.set(str(n), f["name"], seen)
    else:
        at = shot.at.replace("T", " ")[:16]
        bench.head.set("", "Being read" if s.working else "This photo", f"taken {at}")
    parts: list[QWidget | Any] = []
    said = _said_first(s)
    if said:
        parts.append(Words(said, "small", "ink"))
    if data is not None and not data.get("refused") and not s.working:
        parts += _faults(s, data)
        if f is not None and f["found_lab"] is not None:
            parts += _cure(s, f)
        parts += _read(s, data, f)
        parts += _lessons(s)
        parts += likeness(s, shot)
    elif data is not None and data.get("refused") and not s.working:
        parts += [Caption("Why it is not judged"), Words(data["refused"]["reason"], "small", "ink"), Words(data["refused"]["cure"])]
        if data["refused"].get("corners"):
            parts.append(act_button("Set the corners by hand", "corners", s.set_corners))
    parts += _photos(s)
    parts += _strip(s)
    bench.set_parts(parts)


def _sd(s: CheckStage, f: dict[str, Any]) -> float:
    for a in (s.data or {}).get("areas", ()):
        for p in a["places"]:
            if a["id"] == f["area_id"] and p["place"] == f["place"]:
                return float(p["sigma"][0])
    return 1.0


def _said_first(s: CheckStage) -> str:
    shot = s.shot
    return s.morning.said_words(shot) if shot is not None else ""


def _faults(s: CheckStage, data: dict[str, Any]) -> list[QWidget]:
    caption = Caption("Faults by urgency", "how ranked")
    caption.opened.connect(lambda: s.desk.explain("check_rank"))
    rows = s.fault_rows()
    out: list[QWidget] = [caption]
    chosen = s.fault["key"] if s.fault is not None else ""
    if rows:
        out.append(FaultList(rows, chosen, s.choose_fault, s.say_again))
    bad = {f["area_id"] for f in data["faults"]}
    stand = [a for a in data["areas"] if a["begun"] and a["near_de00"] is not None]
    good = [a for a in stand if a["id"] not in bad]
    if good:
        worst = max(good, key=lambda a: a["near_de00"])
        others = "other " if rows else ""
        words = f"{len(good)} {others}area{'s' if len(good) > 1 else ''} agree{'' if len(good) > 1 else 's'} with the plan; the farthest is {worst['name']}, {nearness(worst['near_de00'])}."
        out.append(Words(words))
    if not rows:
        nearest = sorted(stand, key=lambda a: -a["near_de00"])[:3]
        out += [Words(f"{a['name']}: {nearness(a['near_de00'])} to the plan", "small", "ink") for a in nearest]
    unsure = [(a["name"], p["name"], p["verdict"]) for a in data["areas"] for p in a["places"] if p["verdict"].startswith("not judged")]
    if unsure:
        why = unsure[0][2].partition(": ")[2]
        names = ", ".join(dict.fromkeys(f"{a} {p}" for a, p, _v in unsure[:3]))
        out.append(Words(f"Not judged ({why}): {names}{' and others' if len(unsure) > 3 else ''}."))
    return out


def _cure(s: CheckStage, f: dict[str, Any]) -> list[QWidget]:
    caption = Caption("The cure", "how predicted")
    caption.opened.connect(lambda: s.desk.explain("check_cure"))
    q, kit = f["proposal"], s.session.kit
    steps = []
    for step in q["steps"]:
        name = f"{step['pencil']} {kit.get(step['pencil']).name}" if step["pencil"] in kit.index else step["tool"]
        how = f"pressure {step['pressure']} of 5" if step["pencil"] else "dab, look, dab again"
        steps.append(f"{name}: {how}" + (f", {step['passes']} times" if step["passes"] > 1 else ""))
    after = None if q["lab_after"] is None or not q["steps"] else np.array(q["lab_after"])
    card = CureCard(np.array(f["found_lab"]), after, np.array(f["wanted_lab"]), steps or ("nothing to lay",))
    out: list[QWidget] = [caption, card]
    before, then = q["tooth"]
    if q["steps"]:
        out.append(Words(f"Expected within {q['claim_de00']:.1f} ΔE00 of that. Tooth left {1 - before:.0%} → {1 - then:.0%}."))
    for word in cautions_of(f):
        out.append(Words(word, "aside"))
    out.append(row(act_button("I meant it so", "petal", s.meant_so, "It is kept and not said again (X)"), None))
    if planned_already(s, f):
        out.append(Words("This correction stands in the plan.", "small", "ink"))
    return out


def cautions_of(f: dict[str, Any]) -> tuple[str, ...]:
    """Caution texts of the tools that a correction uses, as elsewhere."""
    out: list[str] = []
    for step in f["proposal"]["steps"]:
        if step["tool"]:
            out += words_for(step["tool"])[:1]
    if f["proposal"]["tool"] in ("break", "redraw"):
        out += words_for("lift")[:1]
    return tuple(dict.fromkeys(out))


def _read(s: CheckStage, data: dict[str, Any], f: dict[str, Any] | None) -> list[QWidget | Any]:
    caption = Caption("How it was read", "all readings")
    caption.opened.connect(lambda: s.desk.explain("check"))
    sheet, colour = data["sheet"], data["colour"]
    by = max(colour["forecast_by"], key=colour["forecast_by"].get, default="shipped")
    laid, steps = sum(a["done_steps"] for a in data["areas"]), sum(a["steps"] for a in data["areas"])
    lines = [
        f"Sheet {_FOUND_BY[sheet['found_by']]}, {max(0.1, sheet['residual_mm']):.1f} mm residue, {sheet['px_per_mm']:.1f} px a mm",
        f"Light by bare paper{' and check strip' if 'strip' in colour['by'] else ''}, ± {colour['de00_expected']:.1f} ΔE00",
        f"Forecast by {_BY[by]}",
        f"Log {laid} of {steps} layers laid",
    ]
    out: list[QWidget | Any] = [caption, *(Words(q, "small", "ink") for q in lines)]
    guessed = sum(n for k, n in colour["forecast_by"].items() if k in ("fitted", "shipped"))
    if guessed:
        out.append(
            Words(
                f"{guessed} places rest on the kit alone. Lay their stacks on scrap, photograph the card in the kit room, and Check knows them.",
                "small",
                "ink",
            )
        )
        out.append(row(act_button("Print the scrap card", "sheet", s.desk.writers.scrap_card), None))
    if f is not None:
        out.append(Words(f"Cause: {CAUSES[f['cause']]}.", "small", "ink"))
    out += [Words(q, "small", "ink") for q in data["remarks"]]
    if colour["left_out"].get("sheen", 0) > 0.01:
        out.append(
            act_button("Read with the photo before it", "swap", s.use_second, "Two photos with the lamp on either side take the gloss out")
        )
    return out


def _lessons(s: CheckStage) -> list[QWidget]:
    room = s.session.checkroom
    found, lean = room.lessons(), room.lean
    practised = effects(s.session.practising)
    out: list[QWidget] = [Caption("From your practice"), *(Words(q, "small", "ink") for q in practised)] if practised else []
    if not found and not lean:
        return out
    out.append(Caption("What the photos teach"))
    for q in found:
        if q["kind"] == "hand" and lean:
            continue
        out.append(Words(q["words"], "small", "ink"))
        if q["kind"] == "hand":
            out.append(
                act_button(
                    "Count on it",
                    "pencil",
                    lambda q=q: room.take_lesson(q["lean"]),
                    "The forecasts of this kit move by it; it can be taken back",
                )
            )
    if lean:
        out.append(Words(f"Forecasts of this kit count on your hand: {lean[0]:+.1f} L* where paper is well covered.", "small", "ink"))
        out.append(act_button("Forget that", "brush", room.forget_lesson))
    return out


def _photos(s: CheckStage) -> list[QWidget | Any]:
    shot = s.shot
    out: list[QWidget | Any] = [Caption("This photo and its files")]
    again = act_button("Read it again", "loupe", s.read_again)
    corners = act_button("Set corners", "corners", s.set_corners)
    out.append(row(again, corners, None))
    if shot is not None:
        out.append(
            row(
                act_button("Write the pair", "write", lambda: s.desk.records.progress_pair()),
                act_button("Write the film", "write", lambda: s.desk.records.time_lapse()),
                None,
            )
        )
    return out


def _strip(s: CheckStage) -> list[QWidget | Any]:
    known = s.session.settings.get("check_strip").get(s.session.kit_id, {})
    words = (
        f"Its greys were read once ({len(known)} colours known)."
        if known
        else "Scan it once after filling its boxes: then its printed greys are known, not guessed."
    )
    fitted = bool(s.session.kit.fit)
    kit = (
        ""
        if fitted
        else f" {'This kit as it ships' if s.session.kit_id in KITS else 'This kit'} was never fitted to swatches, so its boxes count only when they are read."
    )
    return [
        Caption("The check strip"), Words("Without it no verdict on darks."), Words(words + kit),
        row(act_button("Print the strip", "sheet", lambda: s.desk.records.check_strip()), act_button("Read its scan", "loupe", lambda: s.desk.records.read_strip()), None),
    ]  # fmt: skip


def _sources(s: CheckStage) -> list[QWidget]:
    way = {"file": "a file", "folder": "a watched folder", "simulated": "the simulated easel camera"}[s.session.settings.get("camera")]
    return [
        Caption("Where photos come from"),
        Words(f"Now from {way}; Easel, Files changes it. A picture dropped on this stage comes in as well."),
    ]
