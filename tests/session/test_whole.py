"""The whole animal in a session: shown, proposed, taken over as one edit; nothing is stored before, and what is accepted is never parted anew."""

from dataclasses import replace
from unittest import mock

import cv2
import numpy as np

from hanabira.core.token import SILENT
from hanabira.core.whole.proposal import Proposed
from hanabira.craft.patches import coat_word, named_patches
from hanabira.session.edits import ChangeAreas, SetPrep, TurnPhoto
from hanabira.studio.overlaps import polygon_of
from tests.session.test_session import Case
from tests.session.whole_animal import EYES, SIZE, AnimalCase


class Parting(AnimalCase):
    def test_without_a_cut_out_a_loop_is_asked_for_and_cuts_it_out(self):
        self.whole.begin()
        self.assertTrue(self.whole.open and self.whole.needs_loop)
        self.assertEqual(self.whole.patches, ())
        self.whole.draw_loop(self.loop)
        self.assertFalse(self.whole.needs_loop)
        self.assertEqual(self.session.photo.prep.outline, self.loop)
        self.assertGreater(len(self.whole.patches), 3)
        self.assertGreater(self.whole.covered, 0.98)
        self.assertEqual(self.session.areas, (), "nothing is stored")

    def test_a_face_gives_names_and_eyes_come_first(self):
        patches = self.shown()
        self.assertEqual([a.name for a in patches[:2]], ["Left eye", "Right eye"])
        self.assertLess(patches[0].eye[0][0], patches[1].eye[0][0])
        names = {a.name for a in patches}
        self.assertLessEqual({"Left ear", "Right ear", "Forehead"}, names)
        one = next(a for a in patches if a.name == "Right ear")
        two = next(a for a in patches if a.name == "Left ear")
        self.assertIn((one.twin_id, two.twin_id), [(two.id, ""), ("", one.id)])
        self.assertEqual([a.number for a in patches], list(range(1, len(patches) + 1)))
        self.assertEqual({a.level for a in patches if a.surface_id == "eye"}, {1})

    def test_accept_all_is_one_edit_and_taken_back_as_one(self):
        patches = self.shown()
        before = self.session.undo.at
        self.whole.accept_all()
        self.assertFalse(self.whole.open)
        self.assertEqual([a.name for a in self.session.areas], [a.name for a in patches])
        for mine, theirs in zip(self.session.areas, patches, strict=True):
            np.testing.assert_allclose(mine.ring, theirs.ring, atol=0.01)
        self.assertEqual(self.session.undo.at, before + 1)
        ids = {a.id for a in self.session.areas}
        self.assertFalse(any(k.startswith("patch") for k in ids))
        twins = [a for a in self.session.areas if a.twin_id]
        self.assertTrue(twins and all(a.twin_id in ids for a in twins))
        self.session.undo.undo()
        self.assertEqual(self.session.areas, ())

    def test_accepted_areas_survive_proposing_again(self):
        patches = self.shown()
        mine = next(a for a in patches if a.name == "Forehead")
        self.whole.accept(mine.id)
        self.assertEqual([a.name for a in self.session.areas], ["Forehead"])
        self.assertEqual(len(self.whole.patches), len(patches) - 1)
        kept = self.session.areas
        self.whole.again()
        self.assertEqual(self.session.areas, kept)
        over = np.zeros((SIZE, SIZE), np.uint8)
        cv2.fillPoly(over, [np.round(np.array(mine.ring)).astype(np.int32)], 1)
        for a in self.whole.patches:
            if a.surface_id == "eye":
                continue
            one = np.zeros((SIZE, SIZE), np.uint8)
            cv2.fillPoly(one, [np.round(np.array(r)).astype(np.int32) for r in (a.ring, *a.holes)], 1)
            self.assertLess((one & over).sum(), 0.25 * one.sum(), a.name)
        self.assertNotIn("Forehead", {a.name for a in self.whole.patches}, "what is left of it is no second one")

    def test_eyes_that_are_drawn_are_known_and_not_proposed_twice(self):
        self.shown()
        eyes = [a.id for a in self.whole.patches if a.surface_id == "eye"]
        for key in eyes:
            self.whole.accept(key)
        self.whole.end()
        self.whole.begin()
        self.assertEqual(len(self.whole.eyes), 2)
        self.assertTrue(self.whole.face_known)
        self.assertFalse([a for a in self.whole.patches if a.surface_id == "eye"])

    def test_the_surface_is_taken_over_at_once_for_one_or_for_all_alike(self):
        self.shown()
        self.whole.set_surface("long-fur")
        coats = [a for a in self.whole.patches if a.surface_id == "long-fur"]
        self.assertGreater(len(coats), 2)
        self.assertEqual({a.surface_id for a in self.whole.patches if "ear" in a.name.lower().split()}, {"ear-inside"})
        self.whole.set_patch_surface(coats[0].id, "wet")
        self.assertEqual(sum(a.surface_id == "wet" for a in self.whole.patches), 1)
        self.whole.set_patch_surface(coats[1].id, "curly-or-wavy", alike=True)
        self.assertEqual(sum(a.surface_id == "curly-or-wavy" for a in self.whole.patches), len(coats) - 1)

    def test_few_and_many(self):
        self.shown()
        for n in (5, 10, 14):
            self.whole.set_count(n)
            self.assertEqual(sum(a.surface_id != "eye" for a in self.whole.patches), n)
        self.whole.set_count(99)
        self.assertEqual(self.whole.count, 14)

    def test_background_is_taken_out_and_leaving_stores_nothing(self):
        patches = self.shown()
        self.whole.leave_out(patches[-1].id)
        self.assertEqual(self.whole.patches, patches[:-1])
        self.whole.end()
        self.assertEqual((self.session.areas, self.whole.patches, self.whole.open), ((), (), False))

    def test_another_commission_ends_it(self):
        self.shown()
        self.session.open_commission("c")
        self.assertFalse(self.whole.open)
        self.assertEqual(self.whole.patches, ())

    def test_where_all_lies_under_areas_that_is_said_and_nothing_is_parted(self):
        self.shown()
        self.whole.accept_all()
        told = []
        self.session.messages.said.connect(lambda *words: told.append(words))
        self.whole.begin()
        self.assertFalse(self.whole.open)
        self.assertIn("All of the animal lies under areas.", repr(told))

    def test_a_photo_that_lies_another_way_ends_it(self):
        self.shown()
        self.session.do(TurnPhoto(self.session, self.session.photo, 0.0, True))
        self.assertEqual((self.whole.open, self.whole.patches), (False, ()), "patches would lie on the wrong side")

    def test_late_answers_of_an_older_question_are_dropped(self):
        self.shown()
        late: list = []
        with mock.patch.object(self.session.jobs, "run", lambda _key, _title, work, done, *_a, **_k: late.append((work, done))):
            self.whole.forget_face()
            self.whole.set_count(6)  # asked before the face is forgotten: all is worked out again
        self.assertEqual(len(late), 2)
        (one, first), (two, second) = ((work(SILENT), done) for work, done in late)
        second(two)
        stands = self.whole.patches
        self.assertEqual(len(stands), 6)
        first(one)
        self.assertIs(self.whole.patches, stands)
        self.whole.end()
        second(two)
        self.assertEqual(self.whole.patches, ())

    def test_it_tells_whoever_listens_and_needs_a_photo(self):
        told = []
        self.session.whole_changed.connect(lambda: told.append(len(self.whole.patches)))
        self.shown()
        self.assertTrue(told and told[-1] == len(self.whole.patches))
        self.session.do(SetPrep(self.session, self.session.photo, "cut-out", outline=(), cut_out=False))
        self.assertTrue(self.whole.needs_loop)

    def test_hand_drawn_areas_are_left_as_they_are(self):
        self.shown()
        self.whole.accept_all()
        some = self.session.areas[:3]
        self.session.do(ChangeAreas(self.session, "less", list(self.session.areas[3:]), []))
        self.whole.begin()
        self.assertEqual(self.session.areas, some)
        self.assertGreater(min(a.number for a in self.whole.patches), max(a.number for a in some))


class Questions(AnimalCase):
    """What is asked of a proposal, and what each answer does."""

    def asking(self, kind):
        return next((q for q in self.whole.asked if q.kind == kind), None)

    def test_two_alike_are_asked_about_and_one_makes_them_one(self):
        patches = self.shown()
        asking = self.asking("one")
        self.assertLessEqual(len(self.whole.asked), 2)
        first, second = (next(a for a in patches if a.id == k) for k in asking.patches)
        n, size = len(patches), lambda a: polygon_of(a.ring, a.holes).area
        self.whole.answer(asking, True)
        (one,) = (a for a in self.whole.patches if a.id == first.id)
        self.assertEqual(len(self.whole.patches), n - 1)
        self.assertNotIn(second.id, {a.id for a in self.whole.patches})
        self.assertAlmostEqual(size(one), size(first) + size(second), delta=0.02 * size(one))
        self.assertEqual((one.name, one.surface_id), (first.name, first.surface_id))
        self.assertIsNone(self.asking("one"), "it is answered")

    def test_two_stay_two_and_are_not_asked_about_again(self):
        self.shown()
        asking = self.asking("one")
        before = self.whole.patches
        self.whole.answer(asking, False)
        self.assertEqual(self.whole.patches, before)
        self.whole.set_surface("long-fur")  # told anew
        self.assertIsNone(self.asking("one"))

    def test_what_has_the_colours_of_the_ground_is_asked_about(self):
        self.shown()
        found = self.whole._proposal
        coat = next(n for n, a in enumerate(found.areas) if not a.kind)
        strange = replace(found, areas=tuple(replace(a, strange=0.9 if n == coat else 0.1) for n, a in enumerate(found.areas)))
        self.whole._told(strange)
        asking = self.asking("animal")
        self.whole.answer(asking, True)
        self.assertIn(asking.patches[0], {a.id for a in self.whole.patches}, "it is the animal")
        self.whole._answered.clear()
        self.whole._told(strange)
        self.whole.answer(self.asking("animal"), False)
        self.assertNotIn(asking.patches[0], {a.id for a in self.whole.patches}, "it is left out")
        self.whole._told(replace(found, areas=tuple(replace(a, strange=0.5) for a in found.areas)))
        self.assertIsNone(self.asking("animal"), "half of it alike is not strange")

    def test_patches_apart_do_not_join(self):
        self.shown()
        eyes = [a.id for a in self.whole.patches if a.surface_id == "eye"]
        said = []
        self.session.messages.said.connect(lambda m: said.append(m.what))
        before = self.whole.patches
        self.whole.join(*eyes)
        self.assertEqual(self.whole.patches, before)
        self.assertIn("do not meet", said[-1])

    def test_the_eye_that_could_not_be_measured_later_is_refused_at_once(self):
        self.whole.begin()
        said = []
        self.session.messages.said.connect(lambda m: said.append(m.what))
        x, y = EYES[0][0]
        self.whole.show_eye((x, y), (x + 5.2, y))  # the drawn eye is larger; what is fitted in these few pixels may be smaller
        with mock.patch("hanabira.session.whole.measure_eye") as fitted:
            fitted.return_value.iris_px, fitted.return_value.centre = 4.2, (x, y)
            eyes = self.whole.eyes
            self.whole.show_eye((x, y), (x + 5.2, y))
        self.assertEqual(self.whole.eyes, eyes)
        self.assertIn("too small", said[-1])


class Names(Case):
    def patch(self, part="", kind="", lab=(50.0, 10.0, 20.0), x=0.0):
        return Proposed(((0, 0), (1, 0), (1, 1)), (), 0.1, lab, part, kind, ((x, 0.0), (x + 1, 0.0)) if kind == "eye" else ())

    def test_a_bird_has_a_beak_and_no_ears(self):
        shapes = [self.patch("left ear"), self.patch("nose", "nose"), self.patch("forehead")]
        self.assertEqual([(p.name, p.surface_id) for p in named_patches(shapes, "contour-feathers", 4)], [
            ("Patch 4, brown", "contour-feathers"), ("Beak", "beak-and-cere"), ("Forehead", "contour-feathers"),
        ])  # fmt: skip
        self.assertEqual([(p.name, p.surface_id) for p in named_patches(shapes, "short-fur")], [
            ("Left ear", "ear-inside"), ("Nose", "nose"), ("Forehead", "short-fur"),
        ])  # fmt: skip

    def test_names_differ_and_eyes_are_told_by_their_side(self):
        shapes = [self.patch("", "eye", x=9.0), self.patch("", "eye", x=2.0), self.patch("ear"), self.patch("ear")]
        self.assertEqual([p.name for p in named_patches(shapes, "short-fur")], ["Right eye", "Left eye", "Ear", "Ear 2"])
        self.assertEqual([p.name for p in named_patches(shapes[:1], "short-fur")], ["Eye"])

    def test_coats_have_owners_words(self):
        for lab, word in (((15, 1, 2), "black"), ((60, 0, 3), "grey"), ((85, 2, 14), "cream"), ((45, 12, 25), "brown"), ((45, 45, 25), "ginger"), ((45, 55, 5), "red"), ((55, -30, 30), "green"), ((40, -5, -35), "blue")):
            self.assertEqual(coat_word(lab), word)
