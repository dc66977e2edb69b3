"""A photo comes in: the sheet turns where the animal would be cut, what is cut is said, and all of it is one edit."""

import unittest
from dataclasses import replace

import numpy as np
from PIL import Image

from hanabira.core.colour.spaces import lab_to_srgb
from hanabira.core.faults import Fault
from hanabira.session.edits import AddArea, FramePhoto, SetPrep
from hanabira.studio.records import Commission
from tests.session.test_session import Case


def picture(w: int, h: int, box: tuple[float, float, float, float]) -> np.ndarray:
    """A rough brown animal on a smooth green ground."""
    y, x = np.mgrid[0:h, 0:w]
    lab = np.zeros((h, w, 3))
    lab[..., 0], lab[..., 1], lab[..., 2] = 62, -16, 18
    inside = (x > box[0] * w) & (x < box[2] * w) & (y > box[1] * h) & (y < box[3] * h)
    lab[inside] = np.array([42, 12, 24]) + np.random.default_rng(2).normal(0, 9, (int(inside.sum()), 1))
    return (np.clip(lab_to_srgb(lab), 0, 1) * 255).astype(np.uint8)


class Incoming(Case):
    def setUp(self):
        super().setUp()
        self.said.clear()
        self.session.take_up(Commission("new", "Rook", created="2027-01-01T00:00:00"))
        self.framing = self.session.framing

    def bring(self, w: int, h: int, box: tuple[float, float, float, float], name: str = "rook.png") -> None:
        Image.fromarray(picture(w, h, box)).save(self.root / name)
        self.session.add_photo(self.root / name)

    def faults(self) -> list[str]:
        return [f"{m.what} {m.kept} {m.do}" for m in self.said if m.kind == "fault"]

    def sheet(self) -> tuple[float, float]:
        return self.session.commission.width_mm, self.session.commission.height_mm

    def test_a_wide_animal_turns_the_sheet_and_says_so_in_one_edit(self):
        before = self.session.undo.at
        self.bring(900, 600, (0.06, 0.2, 0.94, 0.9))
        self.assertEqual(self.sheet(), (300, 240))
        (words,) = self.faults()
        self.assertIn("turned to 300 × 240 mm", words)
        self.assertIn("as it seems", words)
        self.assertIn("Brief offers other shapes", words)
        self.assertEqual(self.session.undo.at, before + 1)
        self.session.undo.undo()
        self.assertEqual((self.sheet(), self.session.photos), ((240, 300), ()))
        self.session.undo.redo()
        self.assertEqual(self.sheet(), (300, 240))

    def test_a_narrow_animal_at_the_side_is_framed_there(self):
        self.bring(900, 600, (0.7, 0.2, 0.9, 0.85))
        self.assertEqual(self.sheet(), (240, 300))
        x, _y, w, _h = self.session.photo.crop
        self.assertGreater(x + w, 0.9 * 900)
        self.assertLess(x, 0.7 * 900)
        self.assertEqual(self.faults(), [])
        self.assertIn("of the photo lies off the sheet", self.said[-1].what)

    def test_what_no_sheet_holds_is_said_with_its_sides(self):
        self.bring(1200, 400, (0.02, 0.1, 0.98, 0.95))
        (words,) = self.faults()
        self.assertRegex(words, "As it seems, the animal is cut at the (left and right|left|right)")
        self.assertEqual(self.framing.words()[0].split(",")[0].endswith("of the photo lies on the sheet"), True)
        photo = next(s for s in self.framing.shapes() if s.key == "photo")
        self.assertTrue(photo.whole)
        self.assertTrue(self.framing.take(photo))
        self.assertEqual(self.sheet(), (photo.width_mm, photo.height_mm))
        self.assertEqual(len(self.framing.words()), 1, "nothing is cut any more")
        self.session.undo.undo()
        self.assertEqual(len(self.framing.words()), 2)

    def test_a_second_photo_leaves_the_sheet_as_it_is(self):
        self.bring(600, 900, (0.2, 0.1, 0.8, 0.9))
        sheet = self.sheet()
        self.bring(900, 600, (0.02, 0.2, 0.98, 0.9), "other.png")
        self.assertEqual(self.sheet(), sheet)
        self.assertIn("the animal is cut", self.faults()[-1])

    def test_a_cut_out_is_no_guess(self):
        self.bring(900, 600, (0.3, 0.2, 0.6, 0.9))
        self.assertFalse(self.framing.place()[1])
        ring = tuple((float(x), float(y)) for x, y in ((270, 120), (540, 120), (540, 540), (270, 540)))
        self.session.do(SetPrep(self.session, self.session.photo, "cut", outline=ring, cut_out=True))
        box, sure = self.framing.place()
        self.assertTrue(sure)
        np.testing.assert_allclose(box, (0.3, 0.2, 0.6, 0.9), atol=0.04)
        self.session.apply(put=[replace(self.session.photo, crop=(400.0, 0.0, 480.0, 600.0))])
        self.assertEqual(self.framing.words()[1], "The animal is cut at the left.")

    def test_a_frame_that_shows_next_to_nothing_is_refused(self):
        self.bring(900, 600, (0.3, 0.2, 0.6, 0.9))
        photo = self.session.photo
        k = photo.crop[3] / photo.crop[2]
        self.assertFalse(self.session.do(FramePhoto(self.session, photo, (10.0, 10.0, 20.0, 20.0 * k))))
        self.assertIn("shows nothing of the animal’s coat", self.faults()[-1])
        self.assertEqual(self.session.photo.crop, photo.crop)
        with self.assertRaises(Fault):
            FramePhoto(self.session, photo, (10.0, 10.0, 20.0, 20.0 * k)).carry_out()
        self.assertTrue(self.session.do(FramePhoto(self.session, photo, (10.0, 10.0, 300.0, 300.0 * k))))

    # -- hours of each sheet ---------------------------------------------------------
    def low_high(self, words: str) -> tuple[int, int]:
        low, high = words.removesuffix(" h").split("–")
        return int(low), int(high)

    def test_each_sheet_tells_its_first_hours_and_a_larger_one_more(self):
        self.assertEqual(self.framing.shapes(), ())
        self.bring(900, 600, (0.3, 0.2, 0.8, 0.9))
        shapes = self.framing.shapes()
        now = shapes[0]
        words, day = self.framing.hours(now)
        low, high = self.low_high(words)
        self.assertGreater(high, 2.5 * low, "a guess from where the animal seems to be is wide")
        self.assertTrue(day.startswith("by "))
        large = self.low_high(self.framing.hours(replace(now, width_mm=2 * now.width_mm, height_mm=2 * now.height_mm))[0])
        self.assertGreater(large[0], 2 * low)
        self.assertGreater(large[1], 2 * high)

    def test_a_cut_out_makes_them_narrower_and_areas_are_what_counts(self):
        self.bring(900, 600, (0.3, 0.2, 0.8, 0.9))
        guess = self.low_high(self.framing.hours(self.framing.shapes()[0])[0])
        ring = tuple((900 * x, 600 * y) for x, y in ((0.27, 0.15), (0.83, 0.15), (0.83, 0.93), (0.27, 0.93)))
        self.session.do(SetPrep(self.session, self.session.photo, "cut-out", outline=ring, cut_out=True))
        cut = self.low_high(self.framing.hours(self.framing.shapes()[0])[0])
        self.assertLess(cut[1] / cut[0], guess[1] / guess[0])
        self.session.do(AddArea(self.session, ((300.0, 200.0), (500.0, 200.0), (500.0, 400.0), (300.0, 400.0)), False, "Flank", "short-fur"))
        words = self.framing.hours(self.framing.shapes()[0])[0]
        first = self.session.planner.first_plan().hours
        self.assertEqual(words, f"{first[0]:.0f}–{first[1]:.0f} h", "what is drawn is counted, in Brief as in Areas")


if __name__ == "__main__":
    unittest.main()
