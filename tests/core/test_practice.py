"""Drills: the same seed asks the same, what is right is right by other means, learners with a known bias are diagnosed, nothing is claimed without one."""

import datetime
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from hanabira.core.colour.spaces import lab_to_srgb, srgb_to_lab
from hanabira.core.faults import Fault
from hanabira.core.practice.profile import (
    CERTAIN_ANSWERS,
    Answer,
    Learner,
    diagnose,
    due,
    next_level,
    profile,
    remembered,
)  # fmt: skip
from hanabira.core.practice.question import HUES, OUTCOMES, AskedPicture, Question, outcome, right
from hanabira.core.practice.round import FROM_PICTURES, Round, play
from hanabira.craft.drills import BENCHES, drills
from hanabira.demo.pictures import PHOTO
from hanabira.studio.pictures import read_picture
from tests.portrait import KIT, PAPER

DAY = datetime.datetime(2026, 5, 4, 9, 0)


PICTURE = AskedPicture(read_picture(PHOTO, 900).pixels, "rabbit")


def fields(seed: int = 1) -> np.ndarray:
    """A picture of large even fields with known Lab, so that every question's truth can be read off it."""
    rng = np.random.default_rng(seed)
    lab = np.zeros((600, 800, 3))
    for y in range(0, 600, 100):
        for x in range(0, 800, 100):
            lab[y : y + 100, x : x + 100] = (rng.uniform(8, 92), rng.uniform(-10, 16), rng.uniform(-12, 22))
    return (np.clip(lab_to_srgb(lab), 0, 1) * 255 + 0.5).astype(np.uint8)


class Questions(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.pixels = fields()
        cls.picture = AskedPicture(cls.pixels, "fields")

    def at(self, spot) -> np.ndarray:  # noqa: ANN001
        h, w = self.pixels.shape[:2]
        x, y = int(spot[0] * w), int(spot[1] * h)
        return np.median(srgb_to_lab(self.pixels[y - 3 : y + 4, x - 3 : x + 4].reshape(-1, 3) / 255.0), 0)

    def rounds(self, drill: str, n: int = 12):  # noqa: ANN201
        r = Round(drill, [self.picture], 5, KIT, PAPER)
        for _ in range(n):
            q = r.ask()
            yield q
            r.answer(q.truth)

    def test_the_same_seed_asks_the_same_and_another_one_something_else(self):
        for drill in (*FROM_PICTURES, "foretell"):
            a, b, c = ([Round(drill, [self.picture], s, KIT, PAPER).ask().key for _ in range(1)] for s in (3, 3, 4))
            self.assertEqual(a, b)
            self.assertNotEqual(a, c, drill)

    def test_values_are_those_of_the_picture_and_even_enough_to_have_one(self):
        for q in self.rounds("value-step"):
            self.assertAlmostEqual(float(q.truth), float(self.at(q.spots[0])[0]), delta=0.6)
            self.assertTrue(right(q, float(q.truth) + 4.9) and not right(q, float(q.truth) + 5.1))
            self.assertIn(f"step {1 + min(9, int(q.truth // 10))}", q.why)

    def test_the_surround_is_told_with_its_sign(self):
        lifted = [q for q in self.rounds("value-step", 20) if q.lift > 0.6]
        self.assertTrue(lifted)
        for q in lifted:
            self.assertGreater(float(q.truth), q.around_l)
            self.assertIn("lifted", q.why)

    def test_which_names_the_one_that_the_picture_says(self):
        measures = {"darker": lambda v: -v[0], "warmer": lambda v: 0.5 * v[1] + 0.866 * v[2], "greener": lambda v: -v[1]}
        for q in self.rounds("which", 20):
            way = next(k for k in measures if k in q.prompt)
            seen = [measures[way](self.at(s)) for s in q.spots]
            self.assertEqual(int(np.argmax(seen)), q.truth, (way, seen))
            self.assertLess(q.spots[0][0], q.spots[1][0])

    def test_six_spots_in_order_and_one_neighbouring_swap_still_counts(self):
        for q in self.rounds("order-six", 6):
            values = [float(self.at(s)[0]) for s in q.spots]
            self.assertEqual(list(q.truth), list(np.argsort(values)))
            t = list(q.truth)
            self.assertTrue(right(q, [t[1], t[0], *t[2:]]))
            self.assertFalse(right(q, [t[2], t[1], t[0], *t[3:]]))

    def test_a_hidden_hue_is_the_spots_own(self):
        for q in self.rounds("white-or-not", 6):
            v = self.at(q.spots[0])
            self.assertLess(float(np.hypot(v[1], v[2])), 15)
            self.assertEqual(q.choices, HUES)
            if HUES[q.truth] in ("blue", "violet"):
                self.assertLess(v[2], 2)
            if HUES[q.truth] == "yellow":
                self.assertGreater(v[2], 0)

    def test_what_two_layers_come_to(self):
        black, yellow, white = np.array([12.0, 0, 0]), np.array([85.0, 2, 75]), np.array([96.0, 0, 2])
        self.assertEqual(outcome(black, yellow, np.array([35.0, -12, 18])), "green")
        self.assertEqual(outcome(np.array([45.0, 50, 25]), np.array([50.0, -40, 25]), np.array([30.0, 4, 6])), "mud")
        self.assertEqual(outcome(black, white, np.array([45.0, 0, -2])), "chalk")
        self.assertEqual(outcome(yellow, np.array([60.0, 35, 50]), np.array([62.0, 30, 52])), "clean")
        for q in self.rounds("foretell", 8):
            self.assertEqual(outcome(*q.labs), OUTCOMES[q.truth])

    def test_harder_questions_lie_nearer_together(self):
        def apart(level: float) -> float:
            out = []
            for seed in range(40):
                q = FROM_PICTURES["which"](self.picture, np.random.default_rng(seed), level)
                if q is not None and "darker" in q.prompt:
                    out.append(abs(float(q.labs[0][0] - q.labs[1][0])))
            return float(np.mean(out))

        self.assertGreater(apart(0.0), apart(4.0) + 4)

    def test_a_picture_without_an_even_spot_says_so(self):
        noise = np.random.default_rng(1).integers(0, 255, (400, 500, 3)).astype(np.uint8)
        with self.assertRaises(Fault):
            Round("value-step", [AskedPicture(noise, "noise")], 1).ask()
        with self.assertRaises(Fault):
            Round("value-step", [], 1).ask()
        with self.assertRaises(Fault):
            Round("juggling", [self.picture], 1).ask()


class Diagnoses(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.photo = AskedPicture(read_picture(PHOTO, 1600).pixels, "photo")

    def test_known_biases_are_found_in_forty_answers_on_nine_of_ten_seeds(self):
        for bias in (1.0, -0.8):
            good = 0
            for seed in range(500, 510):
                found = play(Round("value-step", [self.photo], seed), Learner(bias, 0.5), 40, seed)
                told = diagnose([a.error for a in found])
                good += told.claimed and abs(told.bias - bias) < 0.3
            self.assertGreaterEqual(good, 9, bias)

    def test_without_a_bias_none_is_claimed(self):
        claimed = 0
        for seed in range(700, 720):
            found = play(Round("value-step", [self.photo], seed), Learner(0.0, 0.5), 40, seed)
            claimed += diagnose([a.error for a in found]).claimed
        self.assertLessEqual(claimed, 1)

    def test_few_answers_claim_nothing_and_one_slip_is_no_habit(self):
        self.assertFalse(diagnose([1.5] * (CERTAIN_ANSWERS - 1)).claimed)
        self.assertTrue(diagnose([1.5] * CERTAIN_ANSWERS).claimed)
        slip = diagnose([0.0] * 30 + [8.0])
        self.assertFalse(slip.claimed)
        self.assertLess(abs(slip.bias), 0.1)
        self.assertEqual(diagnose([]).answers, 0)

    @settings(max_examples=40)
    @given(st.lists(st.floats(-3, 3), min_size=20, max_size=60), st.floats(-2, 2))
    def test_a_shift_of_all_answers_shifts_the_bias_as_much(self, errors, by):
        a, b = diagnose(errors), diagnose([e + by for e in errors])
        self.assertAlmostEqual(b.bias - a.bias, by, delta=0.02)
        self.assertAlmostEqual(a.sigma, b.sigma, delta=1e-6)

    def test_the_pull_of_the_surround_shows_in_darker_and_lighter_rounds(self):
        found = play(Round("value-step", [self.photo], 31), Learner(0.0, 0.3, 0.5), 60, 31)
        told = profile(found)
        self.assertGreater(told.darker_round.bias, told.lighter_round.bias + 0.5)
        self.assertEqual(sum(d.answers for d in told.steps.values()), 60)
        self.assertEqual(told.right["value-step"][1], 60)

    def test_a_lean_on_warm_spots_shows_there_and_not_on_cool_ones(self):
        rows = [
            Answer(
                "value-step",
                DAY.isoformat(),
                True,
                1.0,
                f"k{n}",
                5.0,
                5.0 + (0.8 if n % 2 else 0.0) + 0.1 * (n % 3 - 1),
                hue="warm" if n % 2 else "cool",
            )
            for n in range(48)
        ]
        hues = profile(rows).hues
        self.assertTrue(hues["warm"].claimed)
        self.assertAlmostEqual(hues["warm"].bias, 0.8, delta=0.1)
        self.assertFalse(hues["cool"].claimed)
        self.assertEqual(hues["neutral"].answers, 0)

    def test_learners_are_read_from_words(self):
        self.assertEqual(Learner.parse("bias=+1.0,noise=0.5"), Learner(1.0, 0.5))
        for bad in ("", "bias", "skill=3", "bias=x", "noise=-1", "bias=nan"):
            with self.assertRaises(ValueError):
                Learner.parse(bad)


class Memory(unittest.TestCase):
    def test_the_staircase_settles_where_three_of_four_are_right(self):
        rng = np.random.default_rng(3)
        level, got = 0.5, []
        for n in range(4000):
            good = rng.uniform() < 1 / (1 + np.exp((level - 2.0) * 3))
            level = next_level(level, good)
            if n > 500:
                got.append(good)
        self.assertAlmostEqual(float(np.mean(got)), 0.75, delta=0.03)

    def answer(self, key: str, day: int, good: bool) -> Answer:
        return Answer("value-step", (DAY + datetime.timedelta(days=day)).isoformat(), good, 1.0, key)

    def test_what_failed_comes_back_tomorrow_and_what_went_well_later_and_later(self):
        rows = [self.answer("a", 0, False), self.answer("b", 0, True), self.answer("b", 3, True)]
        cards = remembered(rows)
        day = DAY.date()
        self.assertEqual((cards["a"].due, cards["b"].due), (day + datetime.timedelta(1), day + datetime.timedelta(9)))
        self.assertEqual(due(cards, day), ())
        self.assertEqual(due(cards, day + datetime.timedelta(1)), ("a",))
        self.assertEqual(due(cards, day + datetime.timedelta(30)), ("a", "b"))

    def test_answers_carry_the_time_that_is_given(self):
        r = Round("value-step", [AskedPicture(fields(), "f")], 1, now=lambda: DAY)
        q = r.ask()
        a = r.answer(float(q.truth) + 20)
        self.assertEqual((a.at, a.right), (DAY.isoformat(), False))
        self.assertAlmostEqual(a.error, 2.0)
        level = r.level
        r.answer(float(q.truth), neutral=True)
        self.assertEqual(r.level, level)
        self.assertEqual(profile(r.answers).on_neutral.answers, 1)
        self.assertIsInstance(q, Question)


class Data(unittest.TestCase):
    def test_every_drill_has_words_and_can_be_asked(self):
        for d in drills().values():
            self.assertIn(d.bench, BENCHES)
            self.assertTrue(d.name and d.how and d.questions > 0 and d.minutes > 0)
            if d.bench == "eye":
                picture = PICTURE if d.id in ("comb-it", "darkest-shape") else AskedPicture(fields(), "f")
                Round(d.id, [picture], 1, KIT, PAPER).ask()
        benches = [d.bench for d in drills().values()]
        self.assertEqual([benches.count(b) for b in BENCHES], [10, 9, 6])


if __name__ == "__main__":
    unittest.main()
