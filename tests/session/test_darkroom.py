"""Photos as they are developed behind the desk: quick copy and whole, the cut, looks, other photos, the forecast's layers."""

import unittest

import numpy as np
from PIL import Image

from hanabira.core.colour.spaces import srgb_to_lab
from hanabira.core.solver.layer import Layer
from hanabira.core.study.preparation import Light
from hanabira.core.token import SILENT
from hanabira.session.edits import Edit, EditBrief, SetLayers, SetPrep, SetStage
from hanabira.session.looks import LOOKS
from hanabira.session.view import PREVIEW_SIDE, screen
from hanabira.studio.records import LogRow
from tests.session.test_session import Case


class RoomCase(Case):
    def setUp(self):
        super().setUp()
        self.room = self.session.darkroom

    def look(self, name: str) -> np.ndarray:
        told = []
        self.session.look_ready.connect(told.append)
        self.room.want_look(name)
        self.assertIn(name, told)
        return self.session.view.looks[name]

    def plain(self) -> np.ndarray:
        """The copy that looks are made from, as it is shown."""
        return screen(self.session.view.preview())[..., :3].astype(int)


class Developing(RoomCase):
    def test_the_view_is_the_file_as_long_as_nothing_is_set(self):
        raw = self.room.raw
        np.testing.assert_array_equal(self.session.view.pixels, raw)
        with Image.open(self.root / "main.png") as image:
            np.testing.assert_array_equal(raw, np.asarray(image.convert("RGB")))
        self.assertEqual((self.session.view.size, self.session.view.full), ((360, 300), True))
        self.assertIsNone(self.session.view.coverage)

    def test_a_stop_of_exposure_doubles_the_light_and_the_file_stays(self):
        before = self.room.raw.copy()
        s = self.session
        s.do(SetPrep(s, s.photo, "light", light=Light(None, 1.0)))
        linear = lambda q: srgb_to_lab(q.astype(float) / 255)[..., 0]  # noqa: E731
        self.assertGreater(np.median(linear(s.view.pixels)), np.median(linear(before)) + 10)
        np.testing.assert_array_equal(self.room.raw, before)
        s.undo.undo()
        np.testing.assert_array_equal(s.view.pixels, before)

    def test_a_large_photo_shows_a_quick_copy_first(self):
        rng = np.random.default_rng(1)
        small = rng.integers(0, 255, (60, 90, 3), np.uint8)
        big = Image.fromarray(small).resize((PREVIEW_SIDE + 900, 1600))
        big.save(self.root / "big.jpg", quality=85)
        shown: list[tuple[bool, int]] = []
        self.session.view_ready.connect(
            lambda: shown.append((self.session.view.full, self.session.view.pixels.shape[1])) if self.session.view else None
        )
        self.session.add_photo(self.root / "big.jpg")
        self.assertTrue(shown[-1][0])
        self.assertEqual(shown[-1][1], PREVIEW_SIDE + 900)
        firsts = [wide for full, wide in shown if not full]
        self.assertTrue(firsts and all(wide < PREVIEW_SIDE + 900 for wide in firsts), shown)

    def test_every_look_has_the_size_of_the_copy_and_is_made_once(self):
        for name in LOOKS:
            if name in ("forecast", "backdrop"):
                continue
            image = self.look(name)
            self.assertEqual(image.shape[:2], self.session.view.preview().shape[:2], name)
            self.assertIs(self.look(name), image, name)
        grey = self.look("grey").astype(int)
        self.assertLessEqual(int(np.ptp(grey[..., :3], axis=2).max()), 3)
        mirror = self.look("mirror")
        np.testing.assert_allclose(mirror[:, ::-1, :3].astype(int), self.plain(), atol=2)

    def test_the_animal_is_cut_out_once_and_stands_on_the_portraits_backdrop(self):
        s = self.session
        y, x = np.mgrid[0:300, 0:360]
        inside = np.hypot(x - 180, y - 150) < 90
        pixels = np.where(inside[..., None], (205, 190, 170), (40, 60, 45)).astype(np.uint8)
        Image.fromarray(pixels).save(self.root / "round.png")
        s.add_photo(self.root / "round.png")
        turn = np.arange(24) * 2 * np.pi / 24
        ring = tuple((180 + 102 * float(np.cos(t)), 150 + 102 * float(np.sin(t))) for t in turn)
        s.do(SetPrep(s, s.photo, "outline", outline=ring))
        covered = s.view.coverage > 127
        self.assertGreater((covered & inside).sum() / (covered | inside).sum(), 0.96)
        cover = self.room.cover
        s.do(SetPrep(s, s.photo, "light", light=Light(None, 0.5)))
        self.assertIs(self.room.cover, cover, "another light is no other cut")
        s.do(SetPrep(s, s.photo, "light", light=Light(None, 0.0), cut_out=True))
        s.do(EditBrief(s, "backdrop", backdrop="#3060c0"))
        np.testing.assert_allclose(s.view.pixels[5:40, 5:40].reshape(-1, 3).mean(0), (0x30, 0x60, 0xC0), atol=3)
        np.testing.assert_allclose(s.view.pixels[140:160, 170:190].reshape(-1, 3).mean(0), (205, 190, 170), atol=3)
        own = self.look("backdrop")[..., :3].astype(int)
        h, w = own.shape[:2]
        near = screen(np.full((2, 2, 3), (40, 60, 45), np.uint8))[0, 0, :3].astype(int)
        np.testing.assert_allclose(own[h // 50, w // 50], near, atol=4, err_msg="held, it shows the photo's own surroundings")

    def test_another_photo_is_opened_once_and_told(self):
        other = next(p for p in self.session.photos if p.id == "p1")
        told: list[str] = []
        self.session.other_ready.connect(told.append)
        self.assertIsNone(self.room.other(other))
        self.assertEqual(told, ["p1"])
        view = self.room.other(other)
        self.assertIs(self.room.other(other), view)
        with Image.open(self.root / "other.png") as image:
            np.testing.assert_array_equal(view.pixels, np.asarray(image.convert("RGB")))
        self.room.forget()
        self.assertIsNone(self.room.other(other))
        np.testing.assert_array_equal(self.room.copy_of(other, SILENT), view.pixels)


class Laid(RoomCase):
    TWO = (Layer("ground", "209", 2, 1, "everywhere"), Layer("gap", "401", 4, 1, "gaps"))

    def setUp(self):
        super().setUp()
        self.session.do(SetLayers(self.session, self.area("a"), self.TWO, "layers"))
        self.measured("a")

    def stage(self, name: str) -> None:
        self.session.do(SetStage(self.session, name))

    def laid(self) -> list[str]:
        return [q.code for q in self.room._layers_laid().get("a", ())]

    def test_recipe_shows_the_chosen_area_up_to_the_chosen_layer_and_others_whole(self):
        self.session.choose_area("a")
        self.stage("Recipe")
        for at, codes in ((0, ["209"]), (1, ["209", "401"])):
            self.session.layer_at = at
            self.assertEqual(self.laid(), codes)
        self.session.choose_area("b")
        self.session.layer_at = 0
        self.assertEqual(self.laid(), ["209", "401"])

    def test_the_easel_shows_what_the_log_says_with_the_pencil_that_was_used(self):
        self.stage("Easel")
        self.assertEqual(self.laid(), [])
        key = f"a:{self.session.recipe_layers('a')[0].id}"
        row = LogRow("r", "c", key, "a", "Cheek", "short-fur", "ground", "207", 3, 5.0, 5.0, "2026-01-05T10:00:00")
        self.session.do(Edit(self.session, "log", [], [row]))
        self.assertEqual(self.laid(), ["207"])

    def test_a_forecast_changes_the_area_and_leaves_the_rest_as_paper_and_photo_say(self):
        self.stage("Plan")
        self.room.want_look("forecast")
        image = self.session.view.looks["forecast"][..., :3].astype(float)
        k = image.shape[1] / self.session.photo.width_px
        cheek = image[int(90 * k) : int(130 * k), int(90 * k) : int(150 * k)].reshape(-1, 3)
        bare = image[int(220 * k) : int(280 * k), int(60 * k) : int(200 * k)].reshape(-1, 3)
        self.assertLess(cheek.mean(), bare.mean() - 30, "what is not laid is bare paper")
        again = self.session.view.looks["forecast"]
        self.room.want_look("forecast")
        self.assertIs(self.session.view.looks["forecast"], again)
        self.session.do(SetLayers(self.session, self.area("a"), (self.TWO[0],), "layers"))
        self.room.want_look("forecast")
        self.assertIsNot(self.session.view.looks["forecast"], again)

    def test_with_nothing_laid_it_says_so(self):
        self.session.do(SetLayers(self.session, self.area("a"), (), "layers"))
        self.stage("Plan")
        self.room.want_look("forecast")
        self.assertEqual(self.said[-1].what, "Nothing is laid yet that could be shown.")
        self.assertNotIn("forecast", self.session.view.looks)


if __name__ == "__main__":
    unittest.main()
