"""An open commission without a window: edits and their undo list, measures and what they depend on, the limited palette, the darkroom."""

import dataclasses
import tempfile
import threading
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
from PIL import Image

from hanabira.core.area.shape import rectangle
from hanabira.core.faults import Cancelled, StudioFault
from hanabira.core.solver.layer import Layer
from hanabira.core.study.preparation import Light
from hanabira.core.token import SILENT, Token
from hanabira.session.edits import AddArea, ChangeAreas, DeleteArea, EditBrief, FramePhoto, NoteRecipe, RenameArea, SetLayers, SetPrep
from hanabira.session.events import Event
from hanabira.session.measuring import NOT_MEASURED
from hanabira.session.runner import InlineRunner
from hanabira.session.session import Session
from hanabira.session.undo import LIMIT, UndoList
from hanabira.session.view import View
from hanabira.studio.records import Area, Commission, LogRow, Photo, Recipe
from hanabira.studio.store import Store


def fur(seed: int, w: int = 360, h: int = 300) -> np.ndarray:
    """Streaky brown stuff, (h, w, 3) uint8."""
    rng = np.random.default_rng(seed)
    streaks = np.cumsum(rng.normal(0, 5, (h, w, 1)), 1)
    return np.clip(np.array([130, 100, 75]) + (streaks - streaks.mean()) * 0.5 + rng.normal(0, 8, (h, w, 1)), 5, 250).astype(np.uint8)


class Case(unittest.TestCase):
    def setUp(self):
        temp = tempfile.TemporaryDirectory()
        self.addCleanup(temp.cleanup)
        self.root = Path(temp.name)
        self.store = Store.open(self.root / "studio")
        self.session = Session(self.store, InlineRunner())
        self.addCleanup(self.session.shut)
        self.said: list = []
        self.session.messages.said.connect(self.said.append)
        photos = []
        for n, name in enumerate(("main.png", "other.png")):
            Image.fromarray(fur(n)).save(self.root / name)
            digest, suffix, (w, h) = self.store.take_in(self.root / name)
            photos.append(Photo(f"p{n}", "c", digest, suffix, name, w, h, (20.0, 10.0, 240.0, 280.0), "main" if not n else "colour", n))
        cheek = Area("a", "c", "p0", 1, "Cheek", "short-fur", rectangle(60, 60, 120, 100), False)
        brow = Area("b", "c", "p0", 2, "Brow", "short-fur", rectangle(190, 70, 50, 60), False)
        self.store.edit(
            [
                Commission("c", "Moss", created="2026-01-01T00:00:00"),
                Commission("d", "Fern", created="2026-01-02T00:00:00"),
                *photos,
                cheek,
                brow,
            ]
        )
        self.session.open_commission("c")

    def area(self, key: str = "a") -> Area:
        return next(a for a in self.session.areas if a.id == key)

    def measured(self, key: str = "a"):
        self.session.want_measures(key)
        return self.session.measures(key)


class Edits(Case):
    def test_it_opens_develops_measures_and_solves_without_a_window(self):
        s = self.session
        self.assertTrue(s.view.full)
        self.assertIsNotNone(self.measured())
        s.solve("a")
        self.assertGreater(len(s.recipe_layers("a")), 2)
        self.assertIsNotNone(s.prediction("a"))
        self.assertEqual(self.store.all(Recipe, commission_id="c")[0].layers, s.recipe_layers("a"))
        self.assertEqual(self.store.all(Recipe, commission_id="d"), ())
        names = [q.id for q in s.recipe_layers("a")]
        s.solve("a")  # the same again: the log still names its layers
        self.assertEqual([q.id for q in s.recipe_layers("a")], names)

    def test_undo_and_redo_bring_back_what_was(self):
        s = self.session
        states = []

        def state():
            return (s.commission, s.photos, s.all_areas, tuple(s.recipes.values()))

        acts = (
            lambda: s.do(EditBrief(s, "name", name="Moss the cat")),
            lambda: s.do(RenameArea(s, self.area(), "Left cheek")),
            lambda: s.do(SetLayers(s, self.area(), (Layer("gap", "401", 3, 1, "gaps"),), "layers")),
            lambda: s.do(NoteRecipe(s, s.recipes["a"], "softly")),
            lambda: s.do(AddArea(s, rectangle(10, 10, 40, 40), True)),
            lambda: s.do(SetPrep(s, s.photo, "exposure", light=Light(None, 0.5))),
            lambda: s.do(EditBrief(s, "width", width_mm=300.0)),
            lambda: s.do(DeleteArea(s, self.area())),
        )
        for act in acts:
            states.append(state())
            self.assertTrue(act())
        end = state()
        for before in reversed(states):
            s.undo.undo()
            self.assertEqual(state(), before)
        self.assertFalse(s.undo.can_undo)
        for _ in acts:
            s.undo.redo()
        self.assertEqual(state(), end)
        self.assertEqual((s.undo.undo_words, s.undo.redo_words), ("Left cheek", ""))

    def test_joining_areas_brings_the_recipe_back_on_undo(self):
        s = self.session
        s.do(SetLayers(s, self.area("b"), (Layer("gap", "401", 3, 1, "gaps"),), "layers"))
        recipe = s.recipes["b"]
        s.do(ChangeAreas(s, "join", [self.area("a"), self.area("b")], [self.area("a")]))
        self.assertNotIn("b", s.recipes)
        s.undo.undo()
        self.assertEqual(s.recipes["b"], recipe)

    def test_a_gesture_and_typing_are_one_edit_each(self):
        s = self.session
        for word in ("M", "Mo", "Mos"):
            s.do(EditBrief(s, "name", True, name=word))
        for k in range(5):
            s.do(FramePhoto(s, s.photo, (20.0 + k, 10.0, 240.0, 280.0), gesture=7))
        s.do(FramePhoto(s, s.photo, (30.0, 10.0, 240.0, 280.0), gesture=8))
        self.assertEqual(len(s.undo), 3)
        s.undo.undo()
        s.undo.undo()
        self.assertEqual(s.photo.crop[0], 20.0)
        s.undo.undo()
        self.assertEqual(s.commission.name, "Moss")

    def test_what_the_disk_refuses_leaves_no_edit_and_an_undo_that_fails_can_be_tried_again(self):
        s = self.session
        with mock.patch.object(Store, "edit", side_effect=StudioFault("The change could not be stored: the disk is full.")):
            self.assertFalse(s.do(EditBrief(s, "name", name="Lost")))
        self.assertEqual((s.commission.name, len(s.undo)), ("Moss", 0))
        s.do(EditBrief(s, "name", name="Kept"))
        with mock.patch.object(Store, "edit", side_effect=StudioFault("The change could not be stored: the disk is full.")):
            s.undo.undo()
        self.assertEqual((s.commission.name, s.undo.can_undo), ("Kept", True))
        s.undo.undo()
        self.assertEqual(s.commission.name, "Moss")
        self.assertEqual(len([m for m in self.said if m.kind == "fault"]), 2)

    def test_each_commission_has_its_own_list(self):
        s = self.session
        s.do(EditBrief(s, "name", name="One"))
        s.open_commission("d")
        self.assertFalse(s.undo.can_undo)
        s.do(EditBrief(s, "name", name="Two"))
        s.open_commission("c")
        s.undo.undo()
        self.assertEqual({c.name for c in s.commissions}, {"Moss", "Two"})

    def test_the_limited_palette_is_the_commissions_own_and_can_be_taken_back(self):
        s = self.session
        s.limit_to_tray(True)
        self.assertTrue(s.from_tray and self.store.get(Commission, "c").tray_only)
        s.open_commission("d")
        self.assertFalse(s.from_tray)
        s.open_commission("c")
        s.undo.undo()
        self.assertFalse(s.from_tray or self.store.get(Commission, "c").tray_only)

    def test_an_undone_layer_under_a_half_done_area_is_the_next_step(self):
        s = self.session
        s.do(
            SetLayers(
                s, self.area(), (Layer("ground", "203", 1, 1, "everywhere", "side"), Layer("general", "401", 3, 1, "everywhere")), "layers"
            )
        )
        first = s.recipe_layers("a")[0]
        self.store.edit([LogRow("r", "c", f"a:{first.id}", "a", "Cheek", "short-fur", "ground", "203", 1, 9.0, 8.0, "2026-05-02T10:00:00")])
        s.do(SetLayers(s, self.area(), (Layer("undertone", "118", 1, 1, "everywhere", "side"), *s.recipe_layers("a")), "layers"))
        plan = s.planner.planned()
        open_ = [q.layer.role for q in plan.ordered.steps if q.key not in s.planner.done_keys() and q.area is not None]
        self.assertEqual(open_, ["undertone", "general"])


class Dependence(Case):
    """Measures say that they are current only while all they depend on is as it was."""

    def test_of_the_photo_that_colours_are_borrowed_from(self):
        s = self.session
        s.do(
            ChangeAreas(s, "colours", [self.area()], [replace(self.area(), colour_photo_id="p1", colour_ring=rectangle(50, 50, 100, 100))])
        )
        before = self.measured()
        self.assertEqual(before.borrowed, "other.png")
        other = next(p for p in s.photos if p.id == "p1")
        s.do(SetPrep(s, other, "exposure", light=Light(None, 1.0)))
        self.assertIsNone(s.measures("a"))
        self.assertGreater(self.measured().values.general, before.values.general + 4)

    def test_of_its_outline_its_light_and_the_paper(self):
        s = self.session
        for change in (
            lambda: ChangeAreas(s, "edge", [self.area()], [replace(self.area(), ring=rectangle(62, 60, 118, 100))]),
            lambda: ChangeAreas(s, "combing", [self.area()], [replace(self.area(), combing=(((70.0, 80.0), (110.0, 90.0)),))]),
            lambda: SetPrep(s, s.photo, "exposure", light=Light(None, 0.7)),
            lambda: EditBrief(s, "width", width_mm=200.0),
        ):
            self.assertIsNotNone(self.measured())
            s.do(change())
            self.assertIsNone(s.measures("a"))
        self.assertIsNotNone(self.measured())
        s.do(RenameArea(s, self.area(), "Another name"))
        self.assertIsNotNone(s.measures("a"))

    def test_of_no_field_that_only_says_how_it_is_worked(self):
        """What is kept stays, and it is what would be measured now: both are held against each other for every field."""
        s = self.session
        values = {
            "name": "Cheek", "number": 7, "level": 3, "coat": "black", "finish": 5, "twin_id": "b", "surface_id": "fluffy-down", "smooth": not self.area().smooth, "marking_kind": "stripes",
            "ring": rectangle(62, 60, 118, 100), "holes": (rectangle(80, 80, 20, 20),), "combing": (((70.0, 80.0), (110.0, 90.0)),),
            "eye": ((100.0, 100.0), (120.0, 100.0)), "marking_edits": (("add", rectangle(70, 70, 20, 20)),), "colour_photo_id": "p1",
            "colour_ring": rectangle(50, 50, 100, 100), "place_edits": (("light", "add", rectangle(70, 70, 20, 20)),),
        }  # fmt: skip
        fields = {f.name for f in dataclasses.fields(Area)} - {"id", "commission_id", "photo_id"}
        self.assertEqual(set(values), fields, "a new field says here whether measures depend on it")
        kept = set()
        for name, value in values.items():
            measured = self.measured()
            before = self.area()
            more = {"colour_ring": values["colour_ring"]} if name == "colour_photo_id" else {"colour_photo_id": "p1"} if name == "colour_ring" else {}
            s.do(ChangeAreas(s, name, [before], [replace(before, **{name: value, **more})]))
            if s.measures("a") is not None:
                kept.add(name)
                now = s.measuring.request(self.area()).measure(SILENT)
                self.assertEqual(repr(now.values), repr(measured.values), name)
                self.assertEqual(repr(now.places.all), repr(measured.places.all), name)
            s.do(ChangeAreas(s, "back", [self.area()], [before]))
        self.assertEqual(kept, set(NOT_MEASURED))

    def test_of_what_lies_over_it_and_of_nothing_else(self):
        s = self.session
        self.assertIsNotNone(self.measured())
        s.do(ChangeAreas(s, "edge", [self.area("b")], [replace(self.area("b"), ring=rectangle(195, 70, 50, 60))]))  # beside it
        self.assertIsNotNone(s.measures("a"))
        s.do(ChangeAreas(s, "edge", [self.area("b")], [replace(self.area("b"), ring=rectangle(150, 70, 50, 60))]))  # over it
        self.assertIsNone(s.measures("a"))
        full = self.measured()
        s.do(ChangeAreas(s, "overlap", [self.area("b")], [replace(self.area("b"), level=-1)]))  # now under it
        self.assertIsNone(s.measures("a"))
        self.assertGreater(self.measured().pixels, full.pixels)


class Darkroom(Case):
    def test_a_photo_is_never_developed_from_the_pixels_of_another(self):
        """A job that was cancelled goes on until it looks; meanwhile the other photo's pixels come and go in the darkroom."""
        room, first, second = self.session.darkroom, *self.session.photos
        truth = {p.id: self.store.read_photo(p).pixels for p in (first, second)}
        stop, wrong = threading.Event(), []

        def churn() -> None:
            while not stop.is_set():
                for p in (first, second):
                    room._raw = (p.digest, self.store.read_photo(p))

        other = threading.Thread(target=churn)
        other.start()
        try:
            for _ in range(150):
                for p in (first, second):
                    view = room._whole(p, Token())
                    if not np.array_equal(view.pixels, truth[p.id]):
                        wrong.append(p.id)
        finally:
            stop.set()
            other.join(60)
        self.assertEqual(wrong, [])

    def test_a_cancelled_job_leaves_the_newer_pixels(self):
        room, first, second = self.session.darkroom, *self.session.photos
        room._raw = (second.digest, self.store.read_photo(second))
        token = Token()
        real = self.store.read_photo

        def read(photo, most_side=None, _token=token):
            token.cancel()
            return real(photo, most_side)

        with mock.patch.object(self.store, "read_photo", read), self.assertRaises(Cancelled):
            room._whole(first, token)
        self.assertEqual(room._raw[0], second.digest)


class Views(unittest.TestCase):
    def test_one_scale_and_one_crop(self):
        pixels = np.zeros((150, 200, 3), np.uint8)
        pixels[30:90, 40:120] = 255
        view = View.of(pixels, (400, 300))
        self.assertEqual((view.scale, view.full), (0.5, False))
        self.assertEqual(view.small(((80.0, 60.0),)), ((40.0, 30.0),))
        self.assertEqual(view.large(view.small(((81.0, 61.0),))), ((81.0, 61.0),))
        cut = view.sheet_crop((80.0, 60.0, 160.0, 120.0))
        self.assertEqual((cut.shape, int(cut.min())), ((60, 80, 3), 255))
        self.assertEqual(view.sheet_box((80.4, 59.6, 160.0, 120.0)), (40, 30, 120, 90))
        self.assertEqual(view.sheet_crop((0.0, 0.0, 400.0, 300.0), 50).shape, (38, 50, 3))
        # also beyond its edges and for next to nothing there is something to show
        self.assertEqual(view.sheet_crop((-40.0, -40.0, 900.0, 900.0)).shape, (150, 200, 3))
        self.assertEqual(view.sheet_crop((399.9, 299.9, 0.1, 0.1)).shape, (1, 1, 3))
        np.testing.assert_array_equal(view.at(100, 80), [255, 255, 255])
        self.assertIsNone(view.at(-1, 5))

    def test_levels_are_never_coarser_than_the_screen(self):
        view = View.of(np.zeros((1600, 2000, 3), np.uint8), (2000, 1600))
        self.assertEqual([v.shape[:2] for v in view.levels], [(1600, 2000), (800, 1000), (400, 500)])
        for wanted, width in ((1.0, 2000), (0.6, 2000), (0.5, 1000), (0.2, 500), (0.01, 500)):
            self.assertEqual(view.level_for(wanted).shape[1], width)


class Lists(unittest.TestCase):
    class Fake:
        merge_key = ""

        def __init__(self, words: str, fails: bool = False) -> None:
            self.words, self.fails = words, fails

        def undo(self) -> bool:
            return not self.fails

        redo = undo

        def take_over(self, later: object) -> None:
            raise AssertionError

    def test_the_oldest_are_forgotten_and_a_new_edit_ends_what_was_taken_back(self):
        told = []
        undo = UndoList(lambda: told.append(1))
        for k in range(LIMIT + 20):
            undo.push(self.Fake(str(k)))
        self.assertEqual((len(undo), undo.undo_words), (LIMIT, str(LIMIT + 19)))
        undo.undo()
        undo.undo()
        self.assertEqual(undo.redo_words, str(LIMIT + 18))
        undo.push(self.Fake("new"))
        self.assertFalse(undo.can_redo)
        self.assertEqual(len(undo), LIMIT - 1)
        self.assertEqual(len(told), LIMIT + 23)

    def test_events_tell_everyone_even_when_one_fails(self):
        event, heard = Event(), []
        event.connect(heard.append)
        event.connect(lambda _v: 1 / 0)
        event.connect(heard.append)
        with self.assertRaises(ZeroDivisionError):
            event.emit("x")
        self.assertEqual(heard, ["x", "x"])
        event.disconnect(heard.append)
        with self.assertRaises(ZeroDivisionError):
            event.emit("y")
        self.assertEqual(heard, ["x", "x", "y"])
