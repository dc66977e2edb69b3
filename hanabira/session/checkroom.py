"""Photos of the work against the plan, behind the desk: judging, keeping, correcting, learning, taking back."""

from __future__ import annotations

import datetime
import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from hanabira.core.colour.spaces import Array, lab_to_bytes
from hanabira.core.faults import Fault
from hanabira.core.progress.check import check_photo, display_lab
from hanabira.core.progress.cure import found_faults
from hanabira.core.progress.expected import signature, wanted_picture
from hanabira.core.progress.find import Refused
from hanabira.core.progress.meant import entry, is_meant, parted, sizes
from hanabira.core.progress.told import refused, told
from hanabira.core.sentences import say
from hanabira.core.solver.layer import CORRECT, Layer, goes_over
from hanabira.core.token import Token
from hanabira.session.check_subject import subject_of
from hanabira.session.edits import Edit
from hanabira.session.words import likeness_marks
from hanabira.studio.checking import verdict_of
from hanabira.studio.layer_ids import fresh
from hanabira.studio.records import PhotoCheck, Record, Shot

if TYPE_CHECKING:
    from hanabira.core.optics.passes import Pass
    from hanabira.session.session import Session

SHOWN_GRID = 4.0
"""Pixels a millimetre at which sheet and wanted picture are shown."""
NIGHT_H = 5.0
"""A photo that was taken before a night, so many hours ago and on another day, is looked at before its numbers."""
MORNING_WORDS = (
    "nothing at all", "too light", "too dark", "too warm", "too cool", "too bright a colour", "edge too hard", "hair too even", "out of line",
    "too large or small",
)  # fmt: skip
"""What may strike first, by the key 0–9."""
_SAME = {
    "lighter": {1}, "darker": {2}, "red": {3, 5}, "yellow": {3, 5}, "green": {4, 5}, "blue": {4, 5}, "neon": {5}, "dull": set(), "mechanical": {7}, "combed": {7, 8},
    "turned": {8}, "large": {9}, "small": {9}, "skipped": {1}, "unlogged": set(),
}  # fmt: skip


@dataclass(frozen=True)
class Judged:
    """A photo that was judged: the sheet that was read and what was wanted as pictures (h, w, 3) uint8 sRGB, and where the ``corners`` of the sheet lie
    in the photo, (4, 2) px, from the upper left clockwise.
    """

    shot_id: str
    corners: Array
    sheet: np.ndarray
    wanted: np.ndarray


LIKE, MARK_CHARS, MOST_MARKS = "like:", 200, 12
"""How ticked marks of likeness are kept among what is meant; how much of a mark names it, and how many of a brief are asked."""
RIM = "rim"
"""Stands for the edge of an area where a step goes along it and over none of its places."""


class Checkroom:
    """Judges photos of the open commission's work. Verdicts are records; pictures are made again when they are needed."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.judged: dict[str, Judged] = {}
        self.working = ""
        """Id of the photo that is being judged."""
        self.step = ""
        """What is being done to it, in words."""

    def forget(self) -> None:
        """Another commission is open."""
        self.judged.clear()
        self.working = self.step = ""

    # -- what is kept -------------------------------------------------------------
    def kept(self) -> dict[str, PhotoCheck]:
        """Verdicts by the photo's id."""
        c = self.session.commission
        return {q.id: q for q in self.session.store.all(PhotoCheck, commission_id=c.id)} if c is not None else {}

    def verdict(self, shot: Shot) -> dict[str, Any] | None:
        """What a photo told, as plain data; None before it was judged."""
        found = self.kept().get(shot.id)
        return verdict_of(found.told) if found is not None and found.told else None

    def faults(self, shot: Shot) -> list[dict[str, Any]]:
        """Faults of a photo that the artist does not mean so, the most urgent first."""
        found = self.kept().get(shot.id)
        if found is None or not found.told:
            return []
        return [f for f in verdict_of(found.told).get("faults", ()) if not self.is_meant(f)]

    def meant(self) -> dict[str, float]:
        """Sizes of the faults that the artist means so, by key, on any photo of this commission: they are not said again unless they grow."""
        return sizes(q for check in self.kept().values() for q in _meant(check))

    def is_meant(self, fault: Mapping[str, Any], meant: Mapping[str, float] | None = None) -> bool:
        """Whether a fault of a verdict is what the artist means so."""
        return is_meant(fault["key"], float(fault.get("size", 0.0)), float(fault.get("sigma", 0.0)), self.meant() if meant is None else meant)

    def stale(self, shot: Shot) -> int:
        """Steps that the log holds since a photo."""
        return sum(r.state == "done" and r.at > shot.at for r in self.session.planner.log())

    def curves(self) -> dict[str, list[tuple[str, float, bool]]]:
        """Mean ΔE00 from the plan at the time, by area: (time, ΔE00, sure) of each judged photo."""
        kept = self.kept()
        out: dict[str, list[tuple[str, float, bool]]] = {}
        for shot in self.session.logbook.shots():
            found = kept.get(shot.id)
            if found is None or not found.told:
                continue
            data = verdict_of(found.told)
            sure = "strip" in ((data.get("colour") or {}).get("by") or "")
            for a in data.get("areas", ()):
                if a.get("near_de00") is not None:
                    out.setdefault(a["id"], []).append((shot.at, float(a["near_de00"]), sure))
        return out

    def nearness(self) -> dict[str, float]:
        """How near each finished area stands to its plan by the last photo that read it, ΔE00: for the record."""
        kept = self.kept()
        out: dict[str, float] = {}
        for shot in self.session.logbook.shots():
            if shot.id in kept and kept[shot.id].told:
                for a in verdict_of(kept[shot.id].told).get("areas", ()):
                    if a.get("near_de00") is not None and a.get("finished"):
                        out[a["id"]] = float(a["near_de00"])
        return out

    def keep_tried(self, chips: Sequence[tuple[tuple[Pass, ...], Array]]) -> int:
        """Colours of stacks that were laid on scrap and read back, kept with the places they were tried for; one undoable edit. How many places."""
        m = self.session
        before: list[Record] = []
        after: list[Record] = []
        places = 0
        for recipe in m.recipes.values():
            layers = [q for q in recipe.layers if q.role != CORRECT]
            known = {(p, s): rest for p, s, *rest in recipe.tried}
            for p in recipe.places:
                mine = tuple(q.as_pass for q in layers if q.code and not q.tool and goes_over(q, p.id))
                lab = next((v for stack, v in chips if mine and tuple(stack) == mine), None)
                if lab is not None:
                    known[p.id, signature(layers, p.id)] = [round(float(v), 2) for v in lab]
                    places += 1
            tried = tuple((p, s, float(v[0]), float(v[1]), float(v[2])) for (p, s), v in known.items())
            if tried != recipe.tried:
                before.append(recipe)
                after.append(replace(recipe, tried=tried))
        return places if before and m.do(Edit(m, "stacks tried on scrap", before, after)) else 0

    def keep_strip(self, found: dict[str, tuple[float, float, float]]) -> None:
        """Colours of the studio's own check strip, kept for the kit."""
        m = self.session
        m.settings.set("check_strip", {**m.settings.get("check_strip"), m.kit_id: {k: list(v) for k, v in found.items()}})
        m.checks_changed.emit()

    def share_near(self) -> float:
        """Share of the areas that are finished and were read without a fault by the last photo that read them, 0–1."""
        areas, kept = self.session.areas, self.kept()
        if not areas or not kept:
            return 0.0
        meant, well = self.meant(), {}
        for shot in self.session.logbook.shots():
            if shot.id in kept and kept[shot.id].told:
                data = verdict_of(kept[shot.id].told)
                bad = {f["area_id"] for f in data.get("faults", ()) if not self.is_meant(f, meant)}
                for a in data.get("areas", ()):
                    if a.get("near_de00") is not None:
                        well[a["id"]] = bool(a.get("finished")) and a["id"] not in bad
        return sum(well.get(a.id, False) for a in areas) / len(areas)

    # -- judging --------------------------------------------------------------------
    def check(
        self, shot: Shot, corners: Array | None = None, strip: bool = True, second: Shot | None = None, keep: bool = True, then: Callable[[], None] | None = None
    ) -> None:  # fmt: skip
        """Judge a photo off the interface thread and keep the verdict as one undoable edit, a refusal with its cure as well.

        Without ``keep`` only the pictures of a verdict that is kept already are made again.
        """
        m = self.session
        subject = subject_of(m, shot)
        if subject is None:
            m.messages.fault(Fault("The client’s photo is not there yet.", "Nothing was judged.", "Wait a moment, then check again."))
            return
        if not any(subject.laid_on(a.id) for a in subject.areas):
            m.messages.fault(Fault(say("check.nothing_begun"), "Nothing was judged.", "Log a step at the easel first."))
            return
        store, workings, meant = m.store, m.workings, self.meant()
        self.working, self.step = shot.id, "Opening the photo"
        m.checks_changed.emit()

        def work(token: Token) -> tuple[Judged | None, dict[str, Any]]:
            def tell(share: float, words: str) -> None:
                self.step = words
                token.report(share, words)

            def judge() -> tuple[Array, np.ndarray, np.ndarray, dict[str, Any]]:
                tell(0.0, "Opening the photo")
                photo = store.read_photo(shot, None, token).pixels
                other = store.read_photo(second, None, token).pixels if second is not None else None
                measured = subject.measured(token)
                plan = measured.plan()
                checked = check_photo(photo, plan, corners, strip, other, Token(lambda s, w: tell(0.3 + 0.5 * s, w)))
                faults = found_faults(checked, plan, subject.floor, subject.own, subject.near, meant)
                tell(0.85, "Painting what is wanted")
                wanted = wanted_picture(measured.sheet(SHOWN_GRID), plan.expected, plan.paper_lab)
                sheet = display_lab(photo, checked, SHOWN_GRID)
                (w, h), px = checked.map.size, photo.shape[1] / checked.map.photo_size[0]
                at = checked.map.to_photo(np.array([[0.0, 0], [w, 0], [w, h], [0, h]])) * px
                return at, lab_to_bytes(sheet), lab_to_bytes(wanted), told(checked, faults, plan)

            asked = (shot.id, shot.digest, second.digest if second is not None else "", corners, strip, subject.sign, meant)
            try:
                at, sheet, wanted, data = workings.once("check", asked, judge)
            except Refused as fault:
                return None, refused(fault)
            return Judged(shot.id, at, sheet, wanted), data

        def done(found: tuple[Judged | None, dict[str, Any]]) -> None:
            judged, data = found
            self.working = self.step = ""
            if judged is not None:
                self.judged = {shot.id: judged}
            if keep:
                self._keep(shot, data)
            m.checks_changed.emit()
            if then is not None:
                then()

        def failed(fault: Fault) -> None:
            self.working = self.step = ""
            m.messages.fault(fault)
            m.checks_changed.emit()

        m.jobs.run("check", f"Checking {shot.original_name}", work, done, failed, asked=True)

    def stopped(self) -> None:
        """The check was cancelled."""
        self.working = self.step = ""
        self.session.checks_changed.emit()

    def _keep(self, shot: Shot, data: dict[str, Any]) -> None:
        m = self.session
        before = self.kept().get(shot.id)
        rows = sum(r.at <= shot.at for r in m.planner.log())
        now = PhotoCheck(
            shot.id, shot.commission_id, self.session.clock.stamp(), json.dumps(data, ensure_ascii=False),
            before.meant if before is not None else (), before.said if before is not None else "", rows,
        )  # fmt: skip
        if m.store.get(Shot, shot.id) is not None:
            m.do(Edit(m, "check of a photo", [before] if before is not None else [], [now]), shot.commission_id)

    # -- what the artist says ------------------------------------------------------------
    def mean(self, shot: Shot, key: str, so: bool = True) -> bool:
        """“I meant it so”, or not any more; one undoable edit."""
        kept = self.kept()
        if so:
            found = kept.get(shot.id)
            fault = next((f for f in self.faults(shot) if f["key"] == key), None)
            if found is None or fault is None:
                return False
            others = tuple(k for k in found.meant if parted(k)[0] != key)
            after_ = replace(found, meant=(*others, entry(key, float(fault.get("size", 0.0)))))
            return self.session.do(Edit(self.session, "I meant it so", [found], [after_]))
        holders = [q for q in kept.values() if any(parted(k)[0] == key for k in q.meant)]
        after = [replace(q, meant=tuple(k for k in q.meant if parted(k)[0] != key)) for q in holders]
        return bool(holders) and self.session.do(Edit(self.session, "not meant so", holders, after))

    def likeness(self, shot: Shot) -> tuple[tuple[str, bool], ...]:
        """The brief's marks of likeness, a sentence each, and whether they were found in this photo of the work."""
        c, kept = self.session.commission, self.kept().get(shot.id)
        marks = likeness_marks(c.notes if c is not None else "")
        ticked = kept.meant if kept is not None else ()
        return tuple((q, f"{LIKE}{q[:MARK_CHARS]}" in ticked) for q in marks[:MOST_MARKS])

    def tick(self, shot: Shot, mark: str, found: bool) -> bool:
        """A mark of likeness is there, or not any more; one undoable edit."""
        kept = self.kept().get(shot.id)
        key = f"{LIKE}{mark[:MARK_CHARS]}"
        if kept is None or (key in kept.meant) == found:
            return False
        after = replace(kept, meant=(*kept.meant, key) if found else tuple(k for k in kept.meant if k != key))
        return self.session.do(Edit(self.session, "mark of likeness", [kept], [after]))

    def into_plan(self, shot: Shot, key: str) -> bool:
        """The correction of a fault becomes steps of the plan; layers of the recipe that were skipped are opened again. One undoable edit."""
        m = self.session
        f = next((q for q in self.faults(shot) if q["key"] == key), None)
        recipe = m.recipes.get(f["area_id"]) if f is not None else None
        if f is None or recipe is None:
            return False
        proposal = f["proposal"]
        before: list[Record] = []
        after: list[Record] = []
        missing = {s["id"] for s in proposal["steps"] if s["id"]}
        if missing:
            rows = [
                r for r in m.planner.log() if r.state == "skipped" and r.area_id == f["area_id"] and r.step.partition(":")[2] in missing
            ]
            before += rows
        else:
            steps = self.steps_of(f)
            if not steps:
                return False
            before.append(recipe)
            after.append(replace(recipe, layers=(*recipe.layers, *steps)))
        return bool(before) and m.do(Edit(m, f"correction of {f['name']}", before, after))

    def steps_of(self, f: dict[str, Any]) -> tuple[Layer, ...]:
        """The layers that a fault's correction makes in the recipe; none where it cannot be one."""
        recipe = self.session.recipes.get(f["area_id"])
        ids = {p.id for p in recipe.places} if recipe is not None else set()
        out = []
        for s in f["proposal"]["steps"]:
            on = tuple(p for p in s.get("on") or [f["place"]] if p in ids)
            where = f["proposal"].get("where") or f["place_name"]
            stroke = "dab" if s["tool"] else s.get("stroke") or "flick"
            out.append(
                Layer(
                    CORRECT, s["pencil"], s["pressure"], passes=s["passes"], where=where if on else "everywhere", stroke=stroke, stroke_mm=0.0,
                    tool=s["tool"], why=f["sentence"], id=fresh(), on=on,
                )
            )  # fmt: skip
        if not out and f["proposal"]["tool"] in ("redraw", "break", "soften"):
            # along an edge or in single hairs: it covers no place, so that no forecast lightens a whole area for it
            out.append(Layer(
                CORRECT, "", 1, passes=1, where=f["name"], stroke="dab", stroke_mm=0.0, tool="lift", why=f"{f['sentence']} {f['remedy']}",
                id=fresh(), on=(RIM,),
            ))
        return tuple(out)

    # -- the morning look --------------------------------------------------------------
    def morning(self, shot: Shot, now: datetime.datetime) -> bool:
        """Whether a photo is looked at before its numbers: judged after a night, and nothing said of it yet."""
        if not self.session.settings.get("mornings"):
            return False
        found = self.kept().get(shot.id)
        taken = datetime.datetime.fromisoformat(shot.at)
        later = now - taken
        rows = self.session.planner.log()
        rested = not any(r.at > shot.at for r in rows)
        return (found is None or not found.said) and rested and taken.date() < now.date() and later.total_seconds() > NIGHT_H * 3600

    def say_first(self, shot: Shot, word: int, area_id: str, certain: bool, at_mm: tuple[float, float] | None) -> bool:
        """Keep what struck first, before any number was seen; one undoable edit."""
        found = self.kept().get(shot.id)
        data = {"word": word, "area": area_id, "certain": certain, "at_mm": list(at_mm) if at_mm else None}
        text = json.dumps(data)
        before = [found] if found is not None else []
        rows = sum(r.at <= shot.at for r in self.session.planner.log())
        now = replace(found, said=text) if found is not None else PhotoCheck(shot.id, shot.commission_id, shot.at, "", (), text, rows)
        self.session.settings.set("mornings_skipped", 0)
        return self.session.do(Edit(self.session, "what struck first", before, [now]))

    def mornings(self) -> list[tuple[str, bool]]:
        """Of every morning of this commission: its day, and whether the measure agreed with what was said."""
        out = []
        for shot in self.session.logbook.shots():
            agreed = self.agreed(shot)
            if agreed is not None:
                out.append((shot.at[:10], agreed))
        return out

    def agreed(self, shot: Shot) -> bool | None:
        """Whether the measure agrees with what was said of a photo; None while one of both is missing."""
        found = self.kept().get(shot.id)
        if found is None or not found.said or not found.told:
            return None
        said, faults = verdict_of(found.said, "what was said"), verdict_of(found.told).get("faults", [])
        word = int(said.get("word", 0))
        if word == 0:
            return not faults
        return any(word in _SAME.get(f["kind"], set()) and said.get("area") in ("", f["area_id"]) for f in faults)

    # -- learning -----------------------------------------------------------------------
    def lessons(self) -> tuple[dict[str, Any], ...]:
        """What finished steps teach, as offers: the hand's pressure where everything leans one way, faults that come back."""
        out: list[dict[str, Any]] = []
        leans: list[list[float]] = []
        kinds: dict[str, int] = {}
        for shot in self.session.logbook.shots():
            data = self.verdict(shot)
            if not data or data.get("refused") or not data.get("colour"):
                continue
            if "strip" in data["colour"]["by"] and len([p for a in data["areas"] for p in a["places"]]) >= 6:
                leans.append([float(v) for v in data["colour"]["leaning_lab"]])
            for f in data["faults"]:
                kinds[f["kind"]] = kinds.get(f["kind"], 0) + 1
        if len(leans) >= 2:
            mean, spread = np.mean(leans, 0), float(np.std([v[0] for v in leans]))
            if abs(float(mean[0])) > 2.5 and spread < abs(float(mean[0])):
                words = say("check.lesson_hand", size=abs(float(mean[0])), way="lighter" if mean[0] > 0 else "darker", photos=len(leans))
                out.append({"kind": "hand", "lean": [round(float(v), 2) for v in mean], "photos": len(leans), "words": words})
        for kind, times in kinds.items():
            if times >= 3 and kind not in ("skipped", "unlogged"):
                out.append(
                    {"kind": "again", "fault": kind, "times": times, "words": say("check.lesson_again", kind=KIND_WORDS[kind], times=times)}
                )
        return tuple(out)

    def take_lesson(self, lean: list[float]) -> None:
        """The forecasts of this kit count on the hand as the photos have seen it, until that is taken back."""
        m = self.session
        m.settings.set("hand_lean", {**m.settings.get("hand_lean"), m.kit_id: lean})
        m.checks_changed.emit()

    def forget_lesson(self) -> None:
        """The forecasts are the kit's own again."""
        m = self.session
        m.settings.set("hand_lean", {k: v for k, v in m.settings.get("hand_lean").items() if k != m.kit_id})
        m.checks_changed.emit()

    @property
    def lean(self) -> list[float]:
        """The lean that the forecasts of this kit count on; empty when none."""
        return list(self.session.settings.get("hand_lean").get(self.session.kit_id, []))

    def cautions(self) -> tuple[str, ...]:
        """What came back on photos of this studio's works, for the recipes to come."""
        kinds: dict[str, int] = {}
        for q in self.session.store.all(PhotoCheck):
            if q.told:
                for f in verdict_of(q.told).get("faults", ()):
                    if not self.is_meant(f, sizes(_meant(q))):
                        kinds[f["kind"]] = kinds.get(f["kind"], 0) + 1
        often = sorted((k for k, n in kinds.items() if n >= 3 and k in CAUTION_KINDS), key=lambda k: -kinds[k])
        return tuple(say("check.often", kind=KIND_WORDS[k], times=kinds[k]) for k in often[:2])


def _meant(check: PhotoCheck) -> list[tuple[str, float | None]]:
    """What is meant so on a photo, by key and size; where an earlier version kept no size, the photo's own verdict has it."""
    told = {f["key"]: float(f.get("size", 0.0)) for f in verdict_of(check.told).get("faults", ())} if check.told else {}
    return [(key, told.get(key) if size is None else size) for key, size in map(parted, check.meant)]


CAUTION_KINDS = ("lighter", "darker", "green", "red", "yellow", "blue", "dull", "neon", "mechanical")
KIND_WORDS = {
    "lighter": "too light", "darker": "too dark", "green": "too green", "red": "too red", "yellow": "too yellow", "blue": "too blue", "dull": "too dull",
    "neon": "too strong a colour", "large": "too large", "small": "too small", "turned": "out of line", "mechanical": "hair too even", "combed": "hair off its direction",
    "skipped": "left bare", "unlogged": "not in the log",
}  # fmt: skip
