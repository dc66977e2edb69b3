"""Every edit changes what it says and nothing beside it; taken back, each record is as it was, and done again, as it became."""

from dataclasses import fields, replace
from pathlib import Path

from hanabira.core.area.shape import rectangle
from hanabira.core.places.place import Place
from hanabira.core.solver.layer import Layer
from hanabira.core.study.preparation import Light, Preparation
from hanabira.session import edits
from hanabira.session.edits import (
    AddArea,
    AddKit,
    AddPhoto,
    Aim,
    ChangeAreas,
    ChoosePhoto,
    DeleteArea,
    EditBrief,
    EditKit,
    FramePhoto,
    NoteRecipe,
    RemovePhoto,
    RenameArea,
    ReshapeArea,
    SetLayers,
    SetPart,
    SetPrep,
    SetStage,
    SetSurface,
    TurnPhoto,
    WholePhoto,
    fit_crop,
)
from hanabira.studio.records import Area, Commission, LogRow, Photo, PhotoCheck, Recipe, Record, Shot, StudioKit
from tests.session.test_session import Case

KINDS = (Commission, Photo, Area, Recipe, LogRow, Shot, PhotoCheck, StudioKit)
W, H = 360, 300
KIND = "band"


def line(x: float, y: float, n: int = 3) -> tuple[tuple[float, float], ...]:
    """Points of nobody else."""
    return tuple((x + 7.0 * k, y + 5.0 * k * (1 + k % 2)) for k in range(n))


class EveryEdit(Case):
    """A commission in which every field of every record says something, and a neighbour that no edit may touch."""

    def setUp(self):
        super().setUp()
        self.full = Area(
            "a", "c", "p0", 1, "Cheek", "short-fur", rectangle(60, 60, 120, 100), False, (line(80, 80),), 2, (line(90, 90, 2), line(70, 75, 2)), line(100, 95, 2),
            "patches", (("add", line(66, 66)), ("away", line(88, 70))), "p1", line(40, 44, 4), "grey", 4, (("gap", "add", line(71, 91)), ("general", "away", line(95, 65))),
        )  # fmt: skip
        layers = (Layer("general", "203", 2, 1, "general", on=("general",), id="l1"), Layer("gap", "401", 4, 2, "gap", on=("gap",), id="l2"))
        places = tuple(Place(n, n, KIND, "coat", (50.0, 1.0, 2.0), 0.5, (60, 60, 20, 20)) for n in ("general", "gap"))
        self.recipe = Recipe("a", layers, "soft", places, (("gap", -2.0, 0.0, 1.0),), (("gap", "x", 40.0, 1.0, 2.0), ("general", "y", 60.0, 1.0, 2.0)))
        other = Area("far", "d", "pd", 1, "Ear", "ear-inside", line(10, 10, 4), colour_photo_id="pd", colour_ring=line(20, 20, 4))
        c = self.store.get(Commission, "c")
        prep = Preparation(0.0, False, Light(None, 0.2), "guess", line(30, 30, 4), (line(31, 33),), (line(50, 52),), True, 40.0, (120.0, 110.0))
        photos = {p.id: p for p in self.store.all(Photo)}
        self.store.edit(
            [
                self.full, replace(c, stage="Areas", width_mm=260.0, height_mm=300.0), replace(photos["p0"], prep=prep), replace(photos["p1"], id="pd", commission_id="d", position=0),
                replace(photos["p1"], id="p2", position=2, part="pose"), Area("on1", "c", "p1", 3, "Chin", "short-fur", line(40, 40, 4), colour_photo_id="p0", colour_ring=line(12, 12, 4)),
                other, self.recipe, Recipe("far", layers, places=places), Recipe("on1", layers, "own", places),
                LogRow("r1", "c", "a:l1", "a", "Cheek", "short-fur", "general", "203", 2, 5.0, 4.0, "2026-02-01T10:00:00"),
                Shot("s1", "c", photos["p0"].digest, ".png", "easel.png", W, H, "2026-02-01T11:00:00", "a:l2", "by day"),
                PhotoCheck("s1", "c", "2026-02-01T11:10:00", '{"faults": []}', ("x:-2.0",), '{"word": 1}', 1),
                StudioKit("own", "Mine", self.store_kit(), ""),
            ]
        )  # fmt: skip
        self.session.open_commission("c")

    def store_kit(self) -> str:
        return self.session.kit_record("pencils").pencils

    def everything(self) -> dict[tuple[str, str], Record]:
        return {(kind.__name__, r.area_id if isinstance(r, Recipe) else r.id): r for kind in KINDS for r in self.store.all(kind)}

    def photo(self, key: str) -> Photo:
        return next(p for p in self.session.photos if p.id == key)

    def goes_there_and_back(self, edit: edits.Edit, changed: dict[tuple[str, str], set[str]], made: int = 0, gone: tuple[tuple[str, str], ...] = ()) -> dict:
        """What stands after an edit, which changes these fields, makes so many records and deletes these, and can be undone and redone."""
        before = self.everything()
        undos = len(self.session.undo)
        self.assertTrue(self.session.do(edit))
        after = self.everything()
        self.assertEqual(set(before) - set(after), set(gone))
        self.assertEqual(len(set(after) - set(before)), made)
        told = {}
        for key in set(before) & set(after):
            differ = {f.name for f in fields(before[key]) if getattr(before[key], f.name) != getattr(after[key], f.name)}
            if differ:
                told[key] = differ
        self.assertEqual(told, changed)
        self.shows(after)
        if not isinstance(edit, SetStage):
            self.assertEqual(len(self.session.undo), undos + 1)
            self.session.undo.undo()
            self.assertEqual(self.everything(), before)
            self.shows(before)
            self.session.undo.redo()
            self.assertEqual(self.everything(), after)
            self.shows(after)
        self.assertEqual([m.what for m in self.said if m.kind != "remark"], [])
        return after

    def shows(self, stored: dict) -> None:
        """The session shows what is stored."""
        s = self.session
        self.assertEqual(s.commission, stored["Commission", "c"])
        self.assertEqual({p.id: p for p in s.photos}, {k: v for (kind, k), v in stored.items() if kind == "Photo" and v.commission_id == "c"})
        self.assertEqual({a.id: a for a in s.all_areas}, {k: v for (kind, k), v in stored.items() if kind == "Area" and v.commission_id == "c"})
        self.assertEqual(dict(s.recipes), {k: v for (kind, k), v in stored.items() if kind == "Recipe" and k != "far"})
        self.assertEqual([p.position for p in s.photos], sorted(p.position for p in s.photos))

    # -- the commission ----------------------------------------------------------
    def test_words_of_the_brief(self):
        after = self.goes_there_and_back(EditBrief(self.session, "client", client="Ada Fenn", notes="torn ear"), {("Commission", "c"): {"client", "notes"}})
        self.assertEqual((after["Commission", "c"].client, after["Commission", "c"].notes), ("Ada Fenn", "torn ear"))

    def test_another_size_moves_every_photos_crop_of_this_commission_and_keeps_its_middle(self):
        old = {p.id: p.crop for p in self.session.photos}
        after = self.goes_there_and_back(
            EditBrief(self.session, "size", width_mm=320.0, height_mm=220.0),
            {("Commission", "c"): {"width_mm", "height_mm"}, **{("Photo", p): {"crop"} for p in ("p0", "p1", "p2")}},
        )
        for key, (x, y, w, h) in old.items():
            now = after["Photo", key].crop
            self.assertAlmostEqual(now[2] / now[3], 300 / 200, places=6)
            self.assertAlmostEqual(now[2] * now[3], w * h, delta=0.25 * w * h)
            self.assertTrue(now[0] >= 0 and now[1] >= 0 and now[0] + now[2] <= W + 1e-6 and now[1] + now[3] <= H + 1e-6)
            self.assertLess(abs(now[0] + now[2] / 2 - x - w / 2) + abs(now[1] + now[3] / 2 - y - h / 2), 45)

    def test_a_crop_with_room_about_it_keeps_its_middle_and_its_size_and_moves_in_from_an_edge(self):
        photo = replace(self.photo("p0"), crop=(100.0, 90.0, 80.0, 60.0))
        x, y, w, h = fit_crop(photo, 3.0)
        self.assertAlmostEqual(w, (80 * 60 * 3.0) ** 0.5)
        self.assertAlmostEqual(h, w / 3.0)
        self.assertAlmostEqual(x + w / 2, 140.0)
        self.assertAlmostEqual(y + h / 2, 120.0)
        x, y, w, h = fit_crop(replace(photo, crop=(270.0, 235.0, 80.0, 60.0)), 3.0)
        self.assertAlmostEqual(x + w, W)
        self.assertAlmostEqual(y + h / 2, 265.0)
        x, y, w, h = fit_crop(replace(photo, crop=(0.0, 250.0, 60.0, 50.0)), 0.2)
        self.assertEqual((x, y + h), (30 - w / 2, H))

    def test_a_frame_that_shows_next_to_nothing_says_how_little(self):
        edit = FramePhoto(self.session, self.photo("p0"), (100.0, 100.0, 9.0, 10.5))
        before = self.everything()
        self.assertFalse(self.session.do(edit))
        (said,) = [m for m in self.said if m.kind == "fault"]
        self.assertIn("0.1 % of the photo at 0.04 px a mm", said.what)
        self.assertEqual(self.everything(), before)
        self.said.clear()

    def test_the_same_proportions_leave_the_crop(self):
        self.goes_there_and_back(EditBrief(self.session, "size", width_mm=500.0, height_mm=580.0), {("Commission", "c"): {"width_mm", "height_mm"}})

    def test_the_open_stage_is_kept_and_is_nothing_to_take_back(self):
        edit = SetStage(self.session, "Plan")
        before = self.everything()
        edit.carry_out()
        after = self.everything()
        self.assertEqual(after["Commission", "c"], replace(before["Commission", "c"], stage="Plan"))
        self.assertEqual({k: v for k, v in after.items() if k[0] != "Commission"}, {k: v for k, v in before.items() if k[0] != "Commission"})
        self.assertEqual(len(self.session.undo), 0)

    # -- photos -------------------------------------------------------------------
    def test_a_new_photo_goes_first(self):
        new = replace(self.photo("p2"), id="new", position=7)
        after = self.goes_there_and_back(AddPhoto(self.session, new), {("Photo", p): {"position"} for p in ("p0", "p1", "p2")}, made=1)
        self.assertEqual([after["Photo", k].position for k in ("new", "p0", "p1", "p2")], [0, 1, 2, 3])

    def test_a_new_photo_may_turn_the_sheet(self):
        c = self.session.commission
        new = replace(self.photo("p2"), id="new")
        edit = AddPhoto(self.session, new, sheet=(c, replace(c, width_mm=300.0, height_mm=260.0)))
        self.goes_there_and_back(
            edit, {("Commission", "c"): {"width_mm", "height_mm"}, **{("Photo", p): {"position"} for p in ("p0", "p1", "p2")}}, made=1
        )

    def test_another_main_photo(self):
        after = self.goes_there_and_back(ChoosePhoto(self.session, self.photo("p2")), {("Photo", p): {"position"} for p in ("p0", "p1", "p2")})
        self.assertEqual([after["Photo", k].position for k in ("p2", "p0", "p1")], [0, 1, 2])

    def test_a_removed_photo_takes_its_areas_and_recipes_and_what_was_borrowed_from_it(self):
        after = self.goes_there_and_back(
            RemovePhoto(self.session, self.photo("p1")), {("Area", "a"): {"colour_photo_id", "colour_ring"}},
            gone=(("Photo", "p1"), ("Area", "on1"), ("Recipe", "on1")),
        )  # fmt: skip
        self.assertEqual((after["Area", "a"].colour_photo_id, after["Area", "a"].colour_ring), ("", ()))

    def test_the_main_photo_may_go_with_all_that_was_drawn_on_it(self):
        self.goes_there_and_back(
            RemovePhoto(self.session, self.photo("p0")), {("Area", "on1"): {"colour_photo_id", "colour_ring"}},
            gone=(("Photo", "p0"), ("Area", "a"), ("Area", "b"), ("Recipe", "a")),
        )  # fmt: skip

    def test_a_frame_and_the_whole_photo(self):
        after = self.goes_there_and_back(FramePhoto(self.session, self.photo("p0"), (30.0, 5.0, 200.0, 240.0)), {("Photo", "p0"): {"crop"}})
        self.assertEqual(after["Photo", "p0"].crop, (30.0, 5.0, 200.0, 240.0))
        after = self.goes_there_and_back(WholePhoto(self.session, self.photo("p0")), {("Photo", "p0"): {"crop"}})
        x, y, w, h = after["Photo", "p0"].crop
        self.assertAlmostEqual(w / h, 240 / 280, places=6)
        self.assertAlmostEqual(h, H)
        self.assertAlmostEqual(x + w / 2, W / 2)

    def test_light_and_cut_move_no_point(self):
        light = Light(None, -0.5)
        after = self.goes_there_and_back(SetPrep(self.session, self.photo("p0"), "exposure", light=light, sun_deg=10.0), {("Photo", "p0"): {"prep"}})
        self.assertEqual(after["Photo", "p0"].prep, replace(self.everything()["Photo", "p0"].prep, light=light, sun_deg=10.0))

    def test_turned_over_everything_that_was_drawn_lies_on_the_same_hair(self):
        before = self.everything()
        after = self.goes_there_and_back(
            TurnPhoto(self.session, self.photo("p0"), 0.0, True),
            {
                ("Photo", "p0"): {"prep", "crop"}, ("Area", "b"): {"ring"}, ("Area", "on1"): {"colour_ring"},
                ("Area", "a"): {"ring", "holes", "combing", "eye", "marking_edits", "place_edits"},
            },
        )  # fmt: skip
        over = lambda points: tuple((W - x, y) for x, y in points)  # noqa: E731
        a, b = before["Area", "a"], after["Area", "a"]
        for name, old, new in (
            ("ring", (a.ring,), (b.ring,)), ("holes", a.holes, b.holes), ("combing", a.combing, b.combing), ("eye", (a.eye,), (b.eye,)),
            ("marking_edits", [q[1] for q in a.marking_edits], [q[1] for q in b.marking_edits]), ("place_edits", [q[2] for q in a.place_edits], [q[2] for q in b.place_edits]),
            ("borrowed", (before["Area", "on1"].colour_ring,), (after["Area", "on1"].colour_ring,)),
            ("outline", (before["Photo", "p0"].prep.outline,), (after["Photo", "p0"].prep.outline,)), ("keep", before["Photo", "p0"].prep.keep, after["Photo", "p0"].prep.keep),
            ("drop", before["Photo", "p0"].prep.drop, after["Photo", "p0"].prep.drop), ("focal", ((before["Photo", "p0"].prep.focal,),), ((after["Photo", "p0"].prep.focal,),)),
        ):  # fmt: skip
            self.assertEqual(len(old), len(new), name)
            for was, is_now in zip(old, new, strict=True):
                for p, q in zip(over(was), is_now, strict=True):
                    self.assertAlmostEqual(p[0], q[0], delta=1.01, msg=name)
                    self.assertAlmostEqual(p[1], q[1], delta=1.01, msg=name)
        self.assertEqual([q[:2] for q in a.place_edits], [q[:2] for q in b.place_edits])
        self.assertEqual([q[0] for q in a.marking_edits], [q[0] for q in b.marking_edits])
        self.assertAlmostEqual(after["Photo", "p0"].prep.sun_deg, 140.0)
        x, _y, w, _h = before["Photo", "p0"].crop
        self.assertAlmostEqual(after["Photo", "p0"].crop[0], W - x - w, delta=1.01)

    def test_a_photo_that_is_borrowed_from_turns_only_what_lies_on_it(self):
        self.goes_there_and_back(
            TurnPhoto(self.session, self.photo("p1"), 0.0, True), {("Photo", "p1"): {"prep", "crop"}, ("Area", "a"): {"colour_ring"}, ("Area", "on1"): {"ring"}}
        )

    def test_straightened_by_an_angle_points_turn_about_the_middle(self):
        before = self.everything()
        after = self.goes_there_and_back(
            TurnPhoto(self.session, self.photo("p1"), 8.0, False), {("Photo", "p1"): {"prep", "crop"}, ("Area", "a"): {"colour_ring"}, ("Area", "on1"): {"ring"}}
        )
        middle = complex(W / 2, H / 2)
        for was, is_now in zip(before["Area", "on1"].ring, after["Area", "on1"].ring, strict=True):
            turn = (complex(*is_now) - middle) / (complex(*was) - middle)
            self.assertAlmostEqual(abs(turn), 1.0, delta=0.02)
            self.assertAlmostEqual(turn.imag, -0.1392, delta=0.01, msg="counter-clockwise as it is seen, with y down")

    def test_what_a_photo_is_for(self):
        after = self.goes_there_and_back(SetPart(self.session, self.photo("p2"), "colour"), {("Photo", "p2"): {"part"}})
        self.assertEqual(after["Photo", "p2"].part, "colour")

    # -- areas ---------------------------------------------------------------------
    def test_a_new_area_counts_on_and_lies_on_the_photo_that_is_shown(self):
        edit = AddArea(self.session, line(200, 200, 4), True, holes=[line(205, 205)], eye=line(1, 1, 2))
        after = self.goes_there_and_back(edit, {}, made=1)
        made = after["Area", edit.area.id]
        self.assertEqual((made.commission_id, made.photo_id, made.number, made.name, made.smooth), ("c", "p0", 4, "Area 4", True))
        self.assertEqual((made.ring, made.holes, made.eye), (line(200, 200, 4), (line(205, 205),), line(1, 1, 2)))

    def test_name_surface_and_edge(self):
        area = self.area("a")
        self.assertEqual(self.goes_there_and_back(RenameArea(self.session, area, "Jowl"), {("Area", "a"): {"name"}})["Area", "a"].name, "Jowl")
        self.goes_there_and_back(SetSurface(self.session, self.area("a"), "long-fur"), {("Area", "a"): {"surface_id"}})
        self.goes_there_and_back(ReshapeArea(self.session, self.area("a"), line(61, 61, 5)), {("Area", "a"): {"ring"}})

    def test_a_deleted_area_takes_its_recipe(self):
        self.goes_there_and_back(DeleteArea(self.session, self.area("a")), {}, gone=(("Area", "a"), ("Recipe", "a")))
        self.goes_there_and_back(DeleteArea(self.session, self.area("b")), {}, gone=(("Area", "b"),))

    def test_areas_that_are_joined(self):
        a, b = self.area("a"), self.area("b")
        self.goes_there_and_back(
            ChangeAreas(self.session, "join", [a, b], [replace(b, ring=line(70, 70, 6))]), {("Area", "b"): {"ring"}}, gone=(("Area", "a"), ("Recipe", "a"))
        )

    # -- recipes and kits --------------------------------------------------------------
    def test_changed_layers_keep_note_aims_chips_and_the_names_of_layers(self):
        layers = self.session.recipes["a"].layers
        edit = SetLayers(self.session, self.area("a"), (replace(layers[0], pressure=3), layers[1]), "pressure")
        after = self.goes_there_and_back(edit, {("Recipe", "a"): {"layers"}})
        self.assertEqual([q.id for q in after["Recipe", "a"].layers], ["l1", "l2"])
        self.assertEqual([q.pressure for q in after["Recipe", "a"].layers], [3, 4])

    def test_other_places_let_go_of_what_belonged_to_those_that_are_gone(self):
        places = self.recipe.places[:1]
        edit = SetLayers(self.session, self.area("a"), self.session.recipes["a"].layers[:1], "solve", places)
        after = self.goes_there_and_back(edit, {("Recipe", "a"): {"layers", "places", "aims", "tried"}})["Recipe", "a"]
        self.assertEqual((after.places, after.aims, after.tried, after.note), (places, (), (self.recipe.tried[1],), "soft"))

    def test_a_first_recipe(self):
        layer = Layer("general", "203", 2, 1, "general", on=("general",))
        after = self.goes_there_and_back(SetLayers(self.session, self.area("b"), (layer,), "solve", self.recipe.places), {}, made=1)
        self.assertEqual((after["Recipe", "b"].places, after["Recipe", "b"].aims), (self.recipe.places, ()))
        self.assertTrue(after["Recipe", "b"].layers[0].id)

    def test_an_aim_moves_one_place_and_nothing_stands_where_it_is_taken_away(self):
        recipe = lambda: self.session.recipes["a"]  # noqa: E731
        after = self.goes_there_and_back(Aim(self.session, recipe(), "general", (3.0, 0.0, -1.0)), {("Recipe", "a"): {"aims"}})
        self.assertEqual(dict((p, (x, y, z)) for p, x, y, z in after["Recipe", "a"].aims), {"gap": (-2.0, 0.0, 1.0), "general": (3.0, 0.0, -1.0)})
        after = self.goes_there_and_back(Aim(self.session, recipe(), "gap", (0.0, 0.0, 0.0)), {("Recipe", "a"): {"aims"}})
        self.assertEqual(after["Recipe", "a"].aims, (("general", 3.0, 0.0, -1.0),))

    def test_a_note_and_kits(self):
        self.goes_there_and_back(NoteRecipe(self.session, self.session.recipes["a"], "harder"), {("Recipe", "a"): {"note"}})
        own = self.store.get(StudioKit, "own")
        self.goes_there_and_back(EditKit(self.session, own, replace(own, name="Drawer"), "name"), {("StudioKit", "own"): {"name"}})
        self.goes_there_and_back(AddKit(self.session, replace(own, id="two", name="Second")), {}, made=1)

    def test_every_class_of_edit_is_tried_here(self):
        known = {q for q in vars(edits).values() if isinstance(q, type) and issubclass(q, edits.Edit) and q is not edits.Edit}
        source = Path(__file__).read_text("utf-8")
        self.assertEqual([q.__name__ for q in known if f"{q.__name__}(self.session" not in source], [])
