"""The wider eye drills: what is right is right by other means, and a learner who errs is told by how much."""

import unittest

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import lab_to_srgb, srgb_to_lab
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.stack import predict
from hanabira.core.practice.pairs import pairs_lab
from hanabira.core.practice.profile import Learner
from hanabira.core.practice.question import AskedPicture, again
from hanabira.core.practice.round import FROM_KIT, FROM_PICTURES, Round, play, told
from hanabira.core.practice.wider import (
    comb_it,
    darkest_shape,
    example_portrait,
    find_fault,
    guess_stack,
    overlap,
    stroke_errors,
    what_next,
)
from hanabira.core.schedule.order import RECIPE_ORDER
from hanabira.demo.pictures import PHOTO, PHOTOS
from hanabira.studio.pictures import read_picture
from tests.fur import fur
from tests.portrait import KIT, PAPER

PICTURE = AskedPicture(read_picture(PHOTO, 900).pixels, "rabbit")


def rng(seed: int) -> np.random.Generator:
    return np.random.default_rng([seed, 5])


def blots() -> tuple[np.ndarray, np.ndarray]:
    """A light picture with three dark ellipses of known place; (pixels, mask)."""
    mask = np.zeros((600, 800), np.uint8)
    for c, r in (((220, 180), (90, 60)), ((560, 260), (70, 95)), ((330, 450), (110, 55))):
        cv2.ellipse(mask, c, r, 20, 0, 360, 1, -1)
    lab = np.zeros((600, 800, 3))
    y, x = np.mgrid[0:600, 0:800]
    lab[..., 0] = np.where(mask, 12, 55 + 25 * np.sin(x / 90) * np.cos(y / 70))
    return (np.clip(lab_to_srgb(lab), 0, 1) * 255 + 0.5).astype(np.uint8), mask > 0


def ends(light: bool) -> AskedPicture:
    """A picture of nothing but near-white, or near-black, with as much of a change as one finds there."""
    y, x = np.mgrid[0:420, 0:560]
    lab = np.zeros((420, 560, 3))
    lab[..., 0] = (97.5 if light else 2.2) + 1.2 * np.sin(x / 70) * np.cos(y / 60)
    return AskedPicture((np.clip(lab_to_srgb(lab), 0, 1) * 255 + 0.5).astype(np.uint8), "white" if light else "black")


class LongRounds(unittest.TestCase):
    """Whatever is asked, and however often: a question stands, with an answer that counts as right."""

    LONG = 300

    def played(self, drill: str, pictures: list[AskedPicture]) -> None:
        answers = play(Round(drill, pictures, 7, KIT, PAPER), Learner(0.0, 0.0, 0.0), self.LONG, 7)
        self.assertEqual(len(answers), self.LONG, drill)
        # who sees without noise is mostly right, so each question has an answer
        self.assertGreater(np.mean([a.right for a in answers]), 0.7, drill)

    def test_every_drill_of_a_picture_lasts_on_every_demo_picture(self):
        for kind, path in PHOTOS.items():
            picture = [AskedPicture(read_picture(path, 320).pixels, kind)]
            for drill in FROM_PICTURES:
                with self.subTest(kind=kind, drill=drill):
                    self.played(drill, picture)

    def test_every_other_drill_lasts(self):
        for drill in (*FROM_KIT, "what-next"):
            self.played(drill, [])

    def test_a_fault_near_white_or_black_is_one_that_a_screen_shows(self):
        for light in (True, False):
            picture, ways = ends(light), set()
            for seed in range(60):
                q = find_fault(picture, rng(seed), 1.0)
                ways.add(q.key.split()[1])
                x, y = q.spots[q.truth]
                at = int(y * picture.lab.shape[0]), int(x * picture.lab.shape[1])
                shown = [np.round(np.clip(lab_to_srgb(p[at]), 0, 1) * 255) / 255 for p in (picture.lab, q.extra)]
                self.assertGreater(float(delta_e00(*srgb_to_lab(np.array(shown)))), 3.0, (light, seed))
            self.assertNotIn("lighter" if light else "darker", ways)

    def test_a_long_round_begins_again_and_asks_nothing_twice_running(self):
        round_, keys = Round("white-or-not", [PICTURE], 3), []
        for _ in range(200):
            keys.append(round_.ask().key)
        self.assertLess(len(set(keys)), 200, "there are not so many spots to ask about")
        self.assertFalse([a for a, b in zip(keys, keys[1:], strict=False) if a == b])
        begins = next(n for n, key in enumerate(keys) if key in keys[:n])
        again = keys[begins : begins + begins // 2]
        self.assertEqual(len(set(again)), len(again), "and then again each once, as far as chance finds them")

    def test_pairs_are_what_the_film_model_says_of_them(self):
        codes = [p.code for p in KIT.usable][:6]
        for a, b, lab in zip(codes, codes[::-1], pairs_lab(PAPER, KIT, codes, codes[::-1]), strict=True):
            np.testing.assert_allclose(lab, predict(PAPER, KIT, [Pass(a, 3), Pass(b, 3)])[-1].lab, atol=1e-9)


class Shapes(unittest.TestCase):
    def test_the_darkest_shape_is_a_dark_blot_and_its_outline_scores_full(self):
        pixels, mask = blots()
        picture = AskedPicture(pixels, "blots")
        h, w = picture.lab.shape[:2]
        asked = 0
        for seed in range(8):
            q = darkest_shape(picture, rng(seed), 1.0)
            if q is None:
                continue
            asked += 1
            x0, y0, pw, ph = q.part
            part = mask[int(y0 * h) : int(y0 * h) + q.extra.shape[0], int(x0 * w) : int(x0 * w) + q.extra.shape[1]]
            self.assertAlmostEqual(pw, 0.55, delta=0.01)
            self.assertGreater((q.extra & part).sum() / q.extra.sum(), 0.85, "the shape is one of the blots")
            contour = max(cv2.findContours(q.extra.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)[0], key=cv2.contourArea)[
                :, 0
            ]
            ring = [(x / q.extra.shape[1], y / q.extra.shape[0]) for x, y in contour]
            self.assertGreater(overlap(q.extra, ring), 0.93)
        self.assertGreater(asked, 3)

    @given(st.floats(0.05, 0.4), st.floats(0.05, 0.4), st.floats(0.1, 0.5))
    @settings(max_examples=30)
    def test_overlap_of_squares_is_their_common_ground(self, x, y, side):
        mask = np.zeros((400, 400), bool)
        mask[40:240, 40:240] = True
        ring = [(x, y), (x + side, y), (x + side, y + side), (x, y + side)]
        common = max(0.0, min(0.6, x + side) - max(0.1, x)) * max(0.0, min(0.6, y + side) - max(0.1, y))
        self.assertAlmostEqual(overlap(mask, ring), common / (0.25 + side * side - common), delta=0.03)

    def test_two_points_are_no_line(self):
        self.assertEqual(overlap(np.ones((10, 10), bool), [(0, 0), (1, 1)]), 0.0)


class Combing(unittest.TestCase):
    def test_strokes_are_held_against_the_hair_that_was_drawn(self):
        for deg in (20.0, 75.0, 140.0):
            q = comb_it(AskedPicture(fur(500, 640, deg, 7), "fur"), rng(2), 1.0)
            self.assertEqual(len(q.spots), 3)
            self.assertLess(max(stroke_errors(q.truth, (deg,) * 3)), 15)
            apart = [np.hypot(a[0] - b[0], a[1] - b[1]) for a in q.spots for b in q.spots if a is not b]
            self.assertGreater(min(apart), 0.1)

    def test_hair_has_no_sign_and_a_right_angle_is_the_worst(self):
        self.assertEqual(stroke_errors((10.0, 170.0, 90.0), (190.0, -10.0, 0.0)), (0.0, 0.0, 90.0))

    def test_a_picture_without_hair_asks_nothing(self):
        self.assertIsNone(comb_it(AskedPicture(np.full((300, 300, 3), 120, np.uint8), "flat"), rng(1), 0.0))


class Stacks(unittest.TestCase):
    def test_the_colour_is_the_two_pencils_own_and_worse_pairs_are_farther(self):
        q = guess_stack(KIT, PAPER, rng(3), 1.0)
        codes = [c.split()[0] for c in q.choices]
        i, j = q.truth
        self.assertNotEqual(i, j)
        mine = predict(PAPER, KIT, [Pass(codes[i], 3), Pass(codes[j], 3)])[-1].lab
        self.assertTrue(np.allclose(mine, q.labs[-1]))
        for a, b in ((0, 1), (4, 2), (8, 7)):
            lab = predict(PAPER, KIT, [Pass(codes[a], 3), Pass(codes[b], 3)])[-1].lab
            self.assertAlmostEqual(float(q.extra[a, b]), float(delta_e00(lab, q.labs[-1])), places=6)
        self.assertTrue(np.isinf(np.diag(q.extra)).all())

    def test_the_answer_says_yours_and_ours(self):
        r = Round("guess-stack", [], 4, KIT, PAPER)
        q = r.ask()
        wrong = next((a, b) for a in range(9) for b in range(9) if a != b and q.extra[a, b] > 15)
        got = r.answer(wrong)
        self.assertFalse(got.right)
        self.assertAlmostEqual(got.score, float(q.extra[wrong]))
        words = told(q, wrong)
        for k in (*q.truth, *wrong):
            self.assertIn(q.choices[k], words)


class Faults(unittest.TestCase):
    def test_one_ring_alone_was_changed_by_what_is_said(self):
        for seed in range(6):
            for level in (0.0, 4.0):
                q = find_fault(PICTURE, rng(seed), level)
                off = np.linalg.norm(q.extra - PICTURE.lab, axis=-1)
                h, w = off.shape
                at = [off[int(y * h), int(x * w)] for x, y in q.spots]
                self.assertEqual(int(np.argmax(at)), q.truth)
                self.assertGreater(at[q.truth], 4)
                self.assertLess(max(v for k, v in enumerate(at) if k != q.truth), 0.5)
                self.assertIn(f"Ring {q.truth + 1} ", q.why)

    def test_a_higher_level_hides_it_better(self):
        easy, hard = (float(np.linalg.norm(find_fault(PICTURE, rng(1), v).extra - PICTURE.lab, axis=-1).max()) for v in (0.0, 4.0))
        self.assertGreater(easy, 2 * hard)


class Orders(unittest.TestCase):
    def test_the_step_that_comes_is_free_and_the_others_wait_for_a_rule(self):
        ordered = example_portrait()
        place = {s.key: k for k, s in enumerate(ordered.steps)}
        names = {s.name: s for s in ordered.steps}
        for seed in range(12):
            q = what_next(ordered, rng(seed), 1.0)
            right = names[q.choices[q.truth]]
            done = {s.key for s in ordered.steps[: place[right.key]]}
            self.assertTrue(all(k in done for k in ordered.after[right.key]))
            for k, name in enumerate(q.choices):
                if k != q.truth:
                    self.assertFalse(all(w in done for w in ordered.after[names[name].key]), name)
                    self.assertNotEqual(q.notes[k], RECIPE_ORDER)
            wrong = (q.truth + 1) % 3
            self.assertIn(f"{q.choices[wrong]} waits", told(q, wrong))
            self.assertNotIn("waits", told(q, q.truth))


class Learners(unittest.TestCase):
    def test_a_good_eye_is_right_and_a_poor_one_is_not(self):
        for drill in ("darkest-shape", "comb-it", "guess-stack"):
            good = play(Round(drill, [PICTURE], 5, KIT, PAPER), Learner(noise=0.05), 6, 5)
            poor = play(Round(drill, [PICTURE], 5, KIT, PAPER), Learner(noise=6.0), 6, 5)
            with self.subTest(drill=drill):
                self.assertGreaterEqual(sum(a.right for a in good), 5)
                self.assertLess(sum(a.right for a in poor), sum(a.right for a in good))
                self.assertTrue(all(a.score is not None for a in good))


class ComingBack(unittest.TestCase):
    def test_every_third_question_is_one_that_waited(self):
        first = Round("value-step", [PICTURE], 11)
        keys = []
        for _ in range(2):
            keys.append(first.ask().key)
            first.answer(0.0)
        later = Round("value-step", [PICTURE], 12, waiting=[*keys, "value-step other 0.5,0.5", "nonsense"])
        asked = []
        for _ in range(9):
            asked.append(later.ask())
            later.answer(50.0)
        self.assertEqual([q.key for q in asked if q.key in keys], keys)
        self.assertEqual([k for k, q in enumerate(asked) if q.key in keys], [2, 5])
        self.assertEqual(asked[2].truth, again(PICTURE, keys[0]).truth)

    def test_a_key_of_another_drill_or_place_is_nothing(self):
        for key in (
            "which darker rabbit 0.5,0.5 0.6,0.6",
            "value-step rabbit here,there",
            "value-step rabbit 0.5",
            "value-step rabbit 1.5,0.5",
            "",
        ):
            self.assertIsNone(again(PICTURE, key), key)


if __name__ == "__main__":
    unittest.main()
