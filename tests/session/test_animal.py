"""One model of the animal and its light: a cast is asked for by the session, without any window, and answered once."""

from PIL import Image

from hanabira.core.colour.spaces import chroma
from hanabira.session.edits import SetPrep
from hanabira.studio.records import Commission, Photo
from tests.core.test_cast import LAMP, scene, shot
from tests.session.test_session import Case


class Light(Case):
    def setUp(self):
        super().setUp()
        Image.fromarray(shot(scene(2), LAMP, 2)).save(self.root / "lamp.png")
        digest, suffix, (w, h) = self.store.take_in(self.root / "lamp.png")
        self.store.edit([Commission("e", "Heron", created="2026-01-03T00:00:00"), Photo("lamp", "e", digest, suffix, "lamp.png", w, h, (0.0, 0.0, float(w), float(h)), "main", 0)])
        self.session.open_commission("e")
        self.told = 0
        self.session.animal_changed.connect(lambda: setattr(self, "told", self.told + 1))

    def test_a_cast_is_looked_for_told_and_taken_out_as_one_edit(self):
        animal, s = self.session.animal, self.session
        self.assertIsNone(animal.cast(), "it is being looked for")
        self.assertEqual(self.told, 1)
        found = animal.cast()
        self.assertTrue(found.suspected)
        self.assertEqual(found.lean, "warm")
        before = s.photo.prep
        animal.take_cast_out()
        self.assertEqual(s.photo.prep.light.white, found.white)
        self.assertTrue(s.photo.prep.light_how)
        self.assertIsNone(animal.cast(), "it was answered")
        s.undo.undo()
        self.assertEqual(s.photo.prep, before)
        self.assertEqual(animal.cast(), found, "taken back it is asked again, and not looked for twice")
        self.assertEqual(self.told, 1)

    def test_a_light_that_is_left_is_not_asked_about_again(self):
        animal = self.session.animal
        animal.cast()
        animal.leave_cast()
        self.assertIsNone(animal.cast())
        self.assertEqual(self.told, 2)
        self.session.open_commission("c")
        self.assertIsNone(animal.cast(), "another photo is looked at anew")
        self.assertEqual(self.told, 3)

    def test_old_surroundings_are_known_once_the_animal_is_cut_out(self):
        animal, s = self.session.animal, self.session
        self.assertIsNone(animal.in_its_own())
        self.assertIsNone(animal.before)
        self.assertIsNone(animal.thrown())
        w, h = s.photo.width_px, s.photo.height_px
        ring = tuple((w / 2 + 0.3 * w * x, h / 2 + 0.35 * h * y) for x, y in ((-1, -1), (1, -1), (1, 1), (-1, 1)))
        s.do(SetPrep(s, s.photo, "cut", outline=ring))
        self.assertIsNotNone(animal.in_its_own())
        ground = animal.before
        self.assertGreater(float(chroma(ground)), 5, "a wall under a lamp is no grey")
        self.assertLess(float(ground[0]), 90)


if __name__ == "__main__":
    import unittest

    unittest.main()
