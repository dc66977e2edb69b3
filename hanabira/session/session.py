"""The session behind the desk: one studio, the open commission and what was measured of it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from hanabira.core.faults import Fault, StaleRecord
from hanabira.craft import kitfile
from hanabira.craft.supplies import KITS, paper, paper_for
from hanabira.session.edits import EditBrief
from hanabira.session.events import Event
from hanabira.session.members import Members
from hanabira.session.messages import MessageDoor
from hanabira.session.petals import share_done
from hanabira.session.runner import InlineRunner, Runner
from hanabira.session.settings import Settings
from hanabira.session.undo import Undoable, UndoList
from hanabira.session.waking import Waking
from hanabira.studio import backups, files, overlaps
from hanabira.studio.kits import kit_record
from hanabira.studio.records import Area, Commission, LogRow, Photo, PhotoCheck, Recipe, Record, Shot, StudioKit, new_id

if TYPE_CHECKING:
    import datetime

    from hanabira.core.area.measures import Measures
    from hanabira.core.area.shape import Point, Region, RingAndCurve
    from hanabira.core.colour.spaces import Array
    from hanabira.core.forecast.portrait import PhotoLab
    from hanabira.core.optics.kit import Kit
    from hanabira.core.optics.paper import Paper
    from hanabira.core.places.place import Places
    from hanabira.core.schedule.work import Pace
    from hanabira.core.solver.area import Prediction
    from hanabira.core.solver.cautions import Caution
    from hanabira.core.solver.gamut import Gamut
    from hanabira.core.solver.layer import Layer
    from hanabira.core.solver.target import Reach
    from hanabira.session.logbook import When
    from hanabira.session.view import View
    from hanabira.studio.overlaps import Overlaps
    from hanabira.studio.store import Store


class Doable(Undoable, Protocol):
    """An edit as `Session.do` takes it."""

    def carry_out(self) -> None:
        """Do it the first time. Raises `Fault`; then nothing changed."""
        ...


class Session(Members):
    """Holds records, writes every edit through the store, and tells who listens.

    Signals carry an area's id or nothing. `apply` is the only way data changes.
    """

    def __init__(self, store: Store, runner: Runner | None = None) -> None:
        self.commission_changed = Event()
        self.commissions_changed = Event()
        self.photo_changed = Event()
        self.view_ready = Event()
        self.areas_changed = Event()
        self.recipe_changed = Event()
        self.measures_changed = Event()
        self.area_chosen = Event()
        self.layer_chosen = Event()
        self.kit_changed = Event()
        self.stage_changed = Event()
        self.look_ready = Event()
        self.animal_changed = Event()
        self.whole_changed = Event()
        self.first_changed = Event()
        self.other_ready = Event()
        self.log_changed = Event()
        self.shot_ready = Event()
        self.checks_changed = Event()
        self.undo_changed = Event()
        self.awoke = Event()
        self.awake, self.waking = True, Waking(self)
        """False while a window starts and the mathematics is not loaded yet: until it `awoke`, the desk shows what the records alone tell."""
        self.store, self.clock = store, store.clock
        self.jobs: Runner = runner or InlineRunner()
        self.at_once = 1
        """How many areas are computed side by side; who starts a program says as many as the machine has processors."""
        self.messages = MessageDoor(store.folder / "reports", store.clock)
        self.settings = Settings(store, self.messages.fault)
        self.jobs.failed.connect(self.messages.fault)
        self.jobs.broke.connect(self.messages.bug)
        self.ask_time: Callable[[str, When, datetime.datetime], datetime.datetime] = lambda _name, _when, now: now
        """Asks when a photo of the work was taken of which that is not known: its file's name, what is thought, and now. The desk asks."""
        self.pace_given: Pace | None = None
        """The pace that a bundle was written with, where this session looks at a bundle alone; else the studio's log tells it."""
        self._undo_lists: dict[str, UndoList] = {}
        self.commission: Commission | None = None
        self.photos: tuple[Photo, ...] = ()
        self.all_areas: tuple[Area, ...] = ()
        self.areas: tuple[Area, ...] = ()
        self._overlaps: Overlaps | None = None
        self.recipes: dict[str, Recipe] = {}
        self.view: View | None = None
        self.unopened = ""
        """Digest of the photo that was to be shown, when it cannot be read."""
        self.area_id, self.layer_at = "", 0
        self.shape_steps, self.shape_only = 5, None  # type: int, int | None
        for signal in (self.view_ready, self.kit_changed):
            signal.connect(lambda: self.reaches.prepare() if self.awake else None)
        self._kits: dict[str, tuple[str, Kit]] = {}
        self._kit_records: dict[str, StudioKit] = {}

    # -- starting -----------------------------------------------------------
    def wake(self) -> None:
        """Load the mathematics off the interface thread, then show the photo; what can be shown then is told by `awoke`."""
        self.waking.begin()

    # -- commissions --------------------------------------------------------
    @property
    def commissions(self) -> tuple[Commission, ...]:
        """All commissions of the studio."""
        return self.store.all(Commission)

    def new_commission(self, name: str = "New commission") -> Commission | None:
        """Make and open a commission; None when it could not be stored."""
        made = Commission(new_id(), name, created=self.clock.stamp("microseconds"))
        return made if self.take_up(made) else None

    def take_up(self, made: Commission, *more: Record) -> bool:
        """Store a commission that was just made, with what belongs to it, and open it; whether that could be stored."""
        try:
            self.store.edit([made, *more])
        except Fault as fault:
            self.messages.fault(fault)
            return False
        self.commissions_changed.emit()
        self.open_commission(made.id)
        return True

    def belongings(self, key: str) -> tuple[int, int, int]:
        """How many areas, photos and rows of the log a commission holds."""
        areas, photos, shots, rows = (len(self.store.all(kind, commission_id=key)) for kind in (Area, Photo, Shot, LogRow))
        return areas, photos + shots, rows

    def remove_commission(self, key: str) -> bool:
        """Remove a commission with everything that belongs to it, for good; another one is opened, or a new one made."""
        name = next((c.name for c in self.commissions if c.id == key), "")
        self.jobs.cancel_all()
        try:
            gone = files.remove_commission(self.store, key)
        except Fault as fault:
            self.messages.fault(fault)
            return False
        self._undo_lists.pop(key, None)
        left = sorted(self.commissions, key=lambda c: c.created)
        self.commissions_changed.emit()
        if left:
            self.open_commission(left[-1].id, stay=True)
        else:
            self.new_commission()
        self.messages.remark(f"{name} is removed, with {len(gone)} photo file{'' if len(gone) == 1 else 's'}.")
        return True

    def open_commission(self, key: str, stay: bool = False) -> None:
        """Open a commission and its photo; the desk shows its stage unless it shall ``stay`` where it is."""
        found = self.store.get(Commission, key)
        if found is None:
            self.messages.fault(Fault("That commission is not in this studio any more."))
            return
        self.settings.set("opening", found.id)
        stopped = self.jobs.cancel_all() if self.awake else self.waking.another()
        self.commission, self.view, self.area_id, self.layer_at = found, None, "", 0
        self.forget()
        self._reload()
        self.undo_changed.emit()
        self.settings.set("commission", found.id)
        kept = self.settings.get("area")
        if any(a.id == kept for a in self.areas):
            self.area_id = kept
        self.commission_changed.emit()
        self.photo_changed.emit()
        self.areas_changed.emit()
        if not stay:
            self.stage_changed.emit(found.stage)
        self.load_photo()
        if stopped:
            self.messages.remark(f"Stopped, since another commission was opened: {', '.join(stopped)}.")

    def undo_list(self, key: str) -> UndoList:
        """The undo list of a commission."""
        if key not in self._undo_lists:
            self._undo_lists[key] = UndoList(self.undo_changed.emit)
        return self._undo_lists[key]

    def _reload(self) -> None:
        assert self.commission is not None
        key = self.commission.id
        self.photos = self.store.all(Photo, commission_id=key)
        photo = self.photo
        self.all_areas = self.store.all(Area, commission_id=key)
        # an outline belongs to the photo it was drawn on
        self.areas = tuple(a for a in self.all_areas if photo is not None and a.photo_id == photo.id)
        self.recipes = {r.area_id: r for r in self.store.all(Recipe, commission_id=key)}

    def _backdrop(self) -> tuple[str, str] | None:
        return self.commission.backdrop_hexes if self.commission else None

    # -- edits ----------------------------------------------------------------
    def apply(self, put: Iterable[Record] = (), drop: Iterable[Record] = ()) -> None:
        """Store records and tell what changed. Raises `StudioFault`; then nothing changed."""
        put, drop = list(put), list(drop)
        kept = self._backdrop()
        try:
            self.store.edit(put, drop)
        except StaleRecord:
            self._look_again()
            raise
        before = self.photo
        if self.commission is not None:
            self.commission = self.store.get(Commission, self.commission.id) or self.commission
            self._reload()
        changed = (*put, *drop)
        kinds = {type(r) for r in changed}
        # the order in which listeners are told: what later ones look at stands by then
        for kind, tell in (
            (Commission, self._commission_edited), (StudioKit, self._kit_edited), (Photo, self._photo_edited), (Area, self._areas_edited), (LogRow, self.log_changed.emit),
            (Shot, self.log_changed.emit), (PhotoCheck, self.checks_changed.emit),
        ):  # fmt: skip
            if kind in kinds:
                tell()
        self._develop_again(before, kept)
        for r in changed:
            if isinstance(r, Recipe):
                self._recipe_edited(r.area_id)

    def _look_again(self) -> None:
        """Another window wrote: show what stands there now."""
        if self.commission is None:
            return
        self.commission = self.store.get(Commission, self.commission.id) or self.commission
        self._reload()
        self._kit_edited()
        self._commission_edited()
        self._photo_edited()
        for key in self.recipes:
            self._recipe_edited(key)

    def _commission_edited(self) -> None:
        self.forget_predictions()
        self.commission_changed.emit()
        self.commissions_changed.emit()

    def _kit_edited(self) -> None:
        self._kit_records.clear()
        self.forget_predictions()
        self.kit_changed.emit()

    def _photo_edited(self) -> None:
        self.photo_changed.emit()
        self._areas_edited()

    def _areas_edited(self) -> None:
        if self.area_id and self.area is None:
            self.choose_area("")
        self.areas_changed.emit()

    def _recipe_edited(self, key: str) -> None:
        self.forget_predictions(key)
        self.layer_at = max(0, min(self.layer_at, len(self.recipe_layers(key)) - 1))
        self.recipe_changed.emit(key)

    def _develop_again(self, before: Photo | None, backdrop: tuple[str, str] | None) -> None:
        """Make the working photo anew when it is another one, or looks another way."""
        now = self.photo
        if now is None:
            if before is not None:
                self.view = None
                self.view_ready.emit()
        elif (
            before is None
            or (before.digest, before.prep.pixels) != (now.digest, now.prep.pixels)
            or (now.prep.cut_out and backdrop != self._backdrop())
        ):
            self.load_photo()

    @property
    def undo(self) -> UndoList | None:
        """Undo list of the open commission; it reaches across stages."""
        return self.undo_list(self.commission.id) if self.commission is not None else None

    # -- photo ------------------------------------------------------------------
    @property
    def photo(self) -> Photo | None:
        """The main photo of the open commission."""
        return self.photos[0] if self.photos else None

    @property
    def mm_per_px(self) -> float | None:
        """Millimetres of paper a photo pixel covers."""
        if self.photo is None or self.commission is None:
            return None
        return self.commission.picture_mm[0] / self.photo.crop[2]

    def load_photo(self) -> None:
        """Show the photo as its settings say: a quick copy first, then the whole."""
        if self.awake or self.waking.opens:
            self.darkroom.load()

    def show_view(self, view: View) -> None:
        """A developed copy of the photo is there."""
        if not self.awake:
            self.waking.early = view
            return
        self.view = view
        if view.full and self.area_id:
            self.want_measures(self.area_id)
        self.view_ready.emit()
        if view.full:
            for remark in view.remarks:
                self.messages.remark(f"Photo: {remark}.")

    def add_photo(self, path: Path | str) -> None:
        """Take a picture file into the studio and put it on the paper; one undoable edit when it is done."""
        self.framing.add_photo(path)

    def want_look(self, name: str) -> None:
        """Make a look of the photo ready; `look_ready` tells when it is."""
        self.darkroom.want_look(name)

    def show_shapes(self, steps: int, only: int | None = None) -> None:
        """How many value shapes the look has, and which one alone is shown."""
        if (steps, only) != (self.shape_steps, self.shape_only):
            self.shape_steps, self.shape_only = steps, only
            if self.view is not None:
                self.view.looks.pop("shapes", None)

    # -- areas --------------------------------------------------------------------
    @property
    def area(self) -> Area | None:
        """The chosen area."""
        return next((a for a in self.areas if a.id == self.area_id), None)

    def areas_over(self, area: Area) -> tuple[Area, ...]:
        """Areas of the same photo that lie on top where they overlap: higher levels, then smaller ones."""
        return self.overlaps.over(area)

    @property
    def overlaps(self) -> Overlaps:
        """The order of the areas where they overlap, worked out once for each edit."""
        if self._overlaps is None or self._overlaps.areas is not self.areas:
            self._overlaps = overlaps.Overlaps(self.areas)
        return self._overlaps

    def over_of(self, area: Area) -> tuple[RingAndCurve, ...]:
        """Their outlines, as the measures take them."""
        return self.overlaps.outlines_over(area)

    def in_the_way_of(self, area: Area) -> tuple[RingAndCurve, ...]:
        """Outlines of what is said to be in the way of an area."""
        return self.overlaps.in_the_way(area)

    def region_of(self, area: Area) -> Callable[[], Region]:
        """What cuts an area's pixels out of the photo as both are now, on whatever thread it is called."""
        return self.measuring.region_of(area)

    def marking_rings(self, key: str) -> tuple[tuple[Point, ...], ...]:
        """Outlines of an area's marking in photo pixels; none while it is unknown or plain."""
        m = self.measures(key)
        return m.marking_rings if m is not None else ()

    def choose_area(self, key: str) -> None:
        """Choose an area, or none."""
        if key == self.area_id:
            return
        self.area_id, self.layer_at = key, 0
        self.settings.set("area", key)
        self.area_chosen.emit()
        if key:
            self.want_measures(key)

    def choose_layer(self, at: int) -> None:
        """Choose a layer of the chosen area's recipe."""
        self.layer_at = at
        self.layer_chosen.emit()

    def light_sign(self, photo: Photo) -> tuple[object, ...]:
        """What the pixels of a photo depend on: the file, its settings, and the backdrop behind a cut-out animal."""
        return (photo.digest, photo.prep.pixels, self._backdrop() if photo.prep.cut_out else None)

    def measures(self, key: str) -> Measures | None:
        """Measures of an area when they are up to date."""
        found = self.measuring.kept(key) if self.awake else None
        return found[1] if found is not None else None

    def want_all_measures(self) -> None:
        """Measure every area that has layers."""
        for a in self.areas:
            if a.id in self.recipes:
                self.want_measures(a.id)

    def want_measures(self, key: str) -> None:
        """Measure an area off the interface thread; the marking, which takes longest, only of the chosen one."""
        if self.awake:
            self.measuring.want(key)

    def neighbours(self, area: Area, within_mm: float = 4.0) -> tuple[tuple[Area, float], ...]:
        """Areas that touch or nearly touch one, with the difference of their general L* (theirs less its own)."""
        return self.measuring.neighbours(area, within_mm)

    def side(self, area: Area) -> str:
        """Whether an area lies on the light or the shadow side; empty while nobody knows where the light comes from."""
        return self.predicting.side(area)

    # -- recipes ------------------------------------------------------------------
    @property
    def kit(self) -> Kit:
        """The kit of the open commission."""
        return self.kit_of(self.kit_id)

    @property
    def kit_id(self) -> str:
        """Which kit the commission is worked with."""
        return self.commission.kit_id if self.commission else "pencils"

    def kits(self) -> dict[str, str]:
        """All kits by id with their names: those that ship and the studio's own."""
        return {key: name for key, (name, _f) in KITS.items()} | {k.id: k.name for k in self.store.all(StudioKit)}

    def kit_record(self, key: str) -> StudioKit:
        """The studio's record of a kit; one that ships becomes a record with the first edit."""
        record = kit_record(self.store, key) or kit_record(self.store, "pencils")
        assert record is not None
        return record

    def kit_of(self, key: str) -> Kit:
        """A kit of the studio."""
        record = self._kit_records.get(key)
        if record is None:
            record = self._kit_records[key] = self.kit_record(key)
        kept = self._kits.get(key)
        sign = f"{(unsteady := float(self.settings.get('hand_unsteady')))} {record.pencils}"
        if kept is None or kept[0] != sign:
            kept = self._kits[key] = (sign, replace(kitfile.parse_csv(record.pencils, record.name), unsteady=unsteady))
        return kept[1]

    @property
    def kit_sign(self) -> str:
        """What the open commission's kit is read from; another text is another kit."""
        self.kit_of(self.kit_id)
        return self._kits[self.kit_id][0]

    @property
    def paper(self) -> Paper:
        """Paper and ground of the open commission."""
        if self.commission is None:
            return paper("hotpress")
        return paper_for(self.kit, paper(self.commission.paper_id), self.commission.ground_hex)

    @property
    def reach(self) -> Reach:
        """Lightest and darkest that kit and paper give."""
        return self.reaches.reach()

    @property
    def gamut(self) -> Gamut:
        """The strongest colours that kit and paper give, by hue and value."""
        return self.reaches.gamut()

    def places(self, key: str) -> Places | None:
        """Places of an area as its recipe has them, in today's colours where they were found again; as they are found when it has none."""
        return self.predicting.places(key) if self.awake else None

    def by_places(self, key: str) -> bool:
        """Whether an area's recipe was planned by places."""
        return key in self.recipes and bool(self.recipes[key].places)

    def targets(self, key: str) -> Mapping[str, Array] | None:
        """Paper targets of an area's places, or of its bands while its recipe is one by values; None until it is measured."""
        return self.predicting.targets(key) if self.awake else None

    def drawing(self, key: str) -> Callable[[tuple[int, int], tuple[float, float], float], PhotoLab] | None:
        """What tells, on whatever thread, what the photo shows of an area on a raster: (rows and columns, photo pixel of the first one, pixels
        of the raster a photo pixel). None until it is measured.
        """
        return self.predicting.drawing(key) if self.awake else None

    def recipe_layers(self, key: str) -> tuple[Layer, ...]:
        """Layers of an area's recipe."""
        return self.recipes[key].layers if key in self.recipes else ()

    def prediction(self, key: str) -> tuple[Prediction, tuple[Caution, ...]] | None:
        """What an area's recipe gives, with its cautions; None until it is measured and has layers."""
        return self.predicting.prediction(key) if self.awake else None

    def solve(self, key: str, keep: Layer | None = None) -> None:
        """Solve an area's layers by the craft's rules and keep them as one edit."""
        self.workshop.solve(key, keep)

    @property
    def from_tray(self) -> bool:
        """Whether recipes use only what lies in the tray (a limited palette)."""
        return self.commission is not None and self.commission.tray_only

    def limit_to_tray(self, on: bool) -> None:
        """Solve from the tray only, or from the whole kit again; one undoable edit."""
        if self.commission is not None and self.commission.tray_only != on:
            self.do(EditBrief(self, "tray only" if on else "whole kit", tray_only=on))
            self.kit_changed.emit()

    def do(self, command: Doable, commission: str = "") -> bool:
        """Carry out an edit and put it on the undo stack; a fault is said and nothing changes.

        What was begun in another ``commission`` goes on that one's stack.
        """
        stack = self.undo_list(commission) if commission else self.undo
        if stack is None:
            return False
        try:
            command.carry_out()
        except Fault as fault:
            self.messages.fault(fault)
            return False
        stack.push(command)
        return True

    def share_done(self, stage: str) -> float:
        """How much of a stage is done, 0–1, for its petal."""
        return share_done(self, stage)

    def look_at_the_day(self) -> None:
        """Look whether the studio's files are still ours, and make the day's backup when the day has changed under an open window."""
        store = self.store
        if not store.look():
            return
        if not store.read_only and backups.due(store.folder, self.clock.now()):
            self.jobs.run(
                "backup of the day",
                "Making the day’s backup",
                lambda _t: store.backup_of_the_day(),
                lambda _b: None,
                quiet=True,
                lasting=True,
            )

    def shut(self) -> None:
        """Stop work and let the studio go. With the undo lists goes what only they could bring back: files of photos that were deleted."""
        self.jobs.shut()
        if "workers" in self.__dict__:
            self.workers.shut()
        files.sweep(self.store)
        self.store.close()
