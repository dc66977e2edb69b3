"""What happened, behind the desk: the log, the photos of the work, and what both add up to."""

from __future__ import annotations

import datetime
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from PIL import Image

from hanabira.core.faults import Fault
from hanabira.core.schedule.plausible import Doubt, shared
from hanabira.core.schedule.work import Pace
from hanabira.core.token import SILENT, Token
from hanabira.devices import easel_camera
from hanabira.session import check_subject, simulated
from hanabira.session.edits import Edit
from hanabira.session.view import View
from hanabira.session.words import moment_words
from hanabira.studio import account, files, pictures, planning
from hanabira.studio.pictures import is_whole
from hanabira.studio.records import LogRow, Photo, PhotoCheck, Shot, new_id

if TYPE_CHECKING:
    from hanabira.devices.easel_camera import EaselCamera, WatchedFolder
    from hanabira.session.session import Session

THUMB_SIDE = 640


class _NotWhole(Fault):
    """A file in the watched folder that is still being written."""


NEAR = datetime.timedelta(hours=1)
"""A photo whose time lies within this of now was taken now, as far as a log is concerned."""


class When(NamedTuple):
    """When a photo was taken: ``at``, whose word that is (``camera`` or ``file``), and whether the person must be asked."""

    at: datetime.datetime
    word: str
    doubtful: bool


def when_taken(path: Path, now: datetime.datetime) -> When:
    """The camera's own time where the photo has one; else that of the file, which is asked about when it lies far from now.

    So is a camera that is ahead of now: its clock is wrong.
    """
    said = pictures.taken_at(path)
    if said is not None:
        return When(said, "camera", said > now + NEAR)
    age = files.age(path)
    return When(now, "file", False) if abs(age) <= NEAR else When(now - age, "file", True)


class Logbook:
    """Reads the log and the photos of the work; new ones go in as edits of the session."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.views: dict[str, View] = {}
        self._wanted: set[str] = set()
        self._watched: WatchedFolder | None = None

    # -- what is there -----------------------------------------------------------
    def rows(self) -> tuple[LogRow, ...]:
        """The open commission's log, by time."""
        return self.session.planner.log()

    def shots(self) -> tuple[Shot, ...]:
        """Photos of the work, by time."""
        c = self.session.commission
        return self.session.store.all(Shot, commission_id=c.id) if c else ()

    def view(self, shot: Shot) -> View | None:
        """A copy of a photo of the work; None while it is being opened (`Session.shot_ready` tells)."""
        found = self.views.get(shot.digest)
        if found is None and shot.digest not in self._wanted:
            self._wanted.add(shot.digest)
            store = self.session.store

            def work(token: Token) -> View:
                return View.of(store.read_photo(shot, 2 * THUMB_SIDE, token).pixels, (shot.width_px, shot.height_px), (), token)

            def done(view: View) -> None:
                self.views[shot.digest] = view
                self._wanted.discard(shot.digest)
                self.session.shot_ready.emit(shot.id)

            def failed(fault: Fault) -> None:
                self._wanted.discard(shot.digest)
                self.views[shot.digest] = View.of(np.full((30, 40, 3), 143, np.uint8), (40, 30))
                self.session.messages.fault(fault)

            self.session.jobs.run(f"shot {shot.digest}", f"Opening {shot.original_name}", work, done, failed, quiet=True)
        return found

    def thumb(self, shot: Shot) -> np.ndarray | None:
        """A small copy, when it is there."""
        view = self.view(shot)
        return view.levels[-1] if view is not None else None

    # -- what must be asked about ----------------------------------------------------
    def doubts(self) -> tuple[Doubt, ...]:
        """Rows of the open commission whose minutes cannot be believed as they stand."""
        return planning.doubts_of(self.rows())

    def set_minutes(self, doubt: Doubt, minutes: float) -> bool:
        """What the rows of a doubt really took together, shared out by our guesses; one undoable edit."""
        rows = [r for r in self.rows() if r.id in doubt.rows]
        share = shared(planning.timed(rows), minutes)
        return self.session.do(Edit(self.session, "minutes of the log", rows, [replace(r, minutes=share[r.id]) for r in rows]))

    # -- what it adds up to -----------------------------------------------------------
    def first_plan(self) -> account.FirstPlan | None:
        """What was promised before the first step was done: as it was kept then, else as it would have been planned with our own guess of the hours."""
        c, plan = self.session.commission, self.session.planner.planned()
        if c is None or plan is None:
            return None
        kept = account.FirstPlan.of_data(self.session.store.setting(account.first_plan_key(c.id)))
        if kept is not None:
            return kept
        try:
            found, calendar = replace(plan.whole, pace=Pace(), log=()).plan(planning.days_of(c, self.session.clock.today()))
        except Fault:
            return None
        return account.first_plan(found.steps, calendar)

    def keep_first_plan(self) -> None:
        """Before the first step is done: what is promised stays, whatever is planned anew later."""
        c, plan = self.session.commission, self.session.planner.planned()
        if c is None or plan is None or any(r.state == "done" for r in self.rows()):
            return
        try:
            self.session.store.keep_setting(account.first_plan_key(c.id), account.first_plan(plan.ordered.steps, plan.calendar).as_data())
        except Fault as fault:
            self.session.messages.fault(fault)

    def wear(self) -> tuple[account.Wear, ...]:
        """Pencils of the recipes with their wear."""
        plan = self.session.planner.planned()
        return account.pencils(plan.work, self.rows(), self.session.kit) if plan is not None else ()

    # -- photos of the work --------------------------------------------------------------
    def add_shot(self, path: Path | str, step: str = "", note: str = "") -> None:
        """Take a picture file in as a photo of the work; one undoable edit when it is done."""
        source = Path(path)
        self._take("photo of the work", f"Taking in {source.name}", lambda _t, _f: source, source.name, step, note)

    def photograph(self, camera_of: Callable[[], EaselCamera], step: str = "") -> None:
        """Let a camera take a photo of the work; ``camera_of`` makes it, off the interface thread."""

        def work(token: Token, folder: Path) -> Path:
            token.report(0.1, "Looking at the easel")
            camera = camera_of()
            pixels = camera.take()
            token.check()
            Image.fromarray(pixels).save(folder / "easel.jpg", quality=90)
            return folder / "easel.jpg"

        self._take("photo of the work", "Photographing the easel", work, f"easel {len(self.shots()) + 1}.jpg", step, "")

    def _take(
        self,
        words: str,
        title: str,
        get: Callable[[Token, Path], Path],
        name: str,
        step: str,
        note: str,
        failed: Callable[[Fault], None] | None = None,
    ) -> None:
        c, store = self.session.commission, self.session.store
        if c is None:
            return

        healed: list[Photo | Shot] = []

        now = self.session.clock.now()

        def work(token: Token) -> tuple[Shot, When]:
            with store.scratch() as folder:
                path = get(token, folder)
                healed.extend(p for p in store.heal(path) if p.commission_id == c.id)
                digest, suffix, (w, h) = store.take_in(path, token)
                when = when_taken(path, now)
            return Shot(
                new_id(), c.id, digest, suffix=suffix, original_name=name, width_px=w, height_px=h, at=now.isoformat(timespec="seconds"), step=step,
                note=note,
            ), when

        def done(found: tuple[Shot, When]) -> None:
            shot, when = found
            if not healed:
                at = self.session.ask_time(shot.original_name, when, now) if when.doubtful else when.at
                shot = replace(shot, at=at.isoformat(timespec="seconds"))
            if healed:
                self.views.pop(shot.digest, None)
                self.session.messages.remark(f"{healed[0].original_name} is back in its place.")
                self.session.log_changed.emit()
            elif self.session.do(Edit(self.session, words, [], [shot]), c.id):
                taken = "" if abs(datetime.datetime.fromisoformat(shot.at) - now) < NEAR else f", taken on {moment_words(shot.at)}"
                self.session.messages.remark(f"Photo {name} is in the log{taken}.")

        self.session.jobs.run(f"take {name}", title, work, done, failed, lasting=True)

    def drop_shot(self, shot: Shot) -> None:
        """Take a photo out of the log; its file stays until the studio is tidied."""
        told = self.session.store.get(PhotoCheck, shot.id)
        self.session.do(Edit(self.session, "photo of the work removed", [shot, *([told] if told is not None else [])], []))

    def simulated_camera(self) -> Callable[[], EaselCamera] | None:
        """What makes the simulated easel camera as the log has left the sheet; None while the client's photo is missing."""
        subject = check_subject.subject_of(self.session)
        n = len(self.shots()) + 1
        return None if subject is None else lambda: simulated.camera_over(subject.measured(SILENT), n)

    def watch(self, folder: str) -> None:
        """Look for new pictures in a folder; an empty name stops it."""
        self._watched = easel_camera.WatchedFolder(Path(folder)) if folder else None

    def poll(self, step: str = "") -> None:
        """Take in what came into the watched folder."""
        folder = self.session.settings.get("camera_folder") if self.session.settings.get("camera") == "folder" else ""
        if (str(self._watched.folder) if self._watched else "") != folder:
            self.watch(folder)
        watched = self._watched
        if watched is None:
            return
        for path in watched.new():
            self._take_watched(watched, path, step)
        for path in watched.unfinished():
            self.session.messages.remark(f"{path.name} in the watched folder is not whole; it is taken as soon as it is.")

    def _take_watched(self, watched: WatchedFolder, path: Path, step: str) -> None:
        def get(_token: Token, _folder: Path) -> Path:
            if not is_whole(path):
                raise _NotWhole(f"{path.name} is not whole yet.")
            return path

        def failed(fault: Fault) -> None:
            if isinstance(fault, _NotWhole):
                watched.later(path)
            else:
                self.session.messages.fault(fault)

        self._take("photo of the work", f"Taking in {path.name}", get, path.name, step, "", failed)
