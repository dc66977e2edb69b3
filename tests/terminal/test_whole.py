"""`hanabira areas`: JSON for a whole animal, faults in one line."""

import tempfile
import unittest
from pathlib import Path

import cv2
import numpy as np
from PIL import Image

from tests.session.whole_animal import SIZE, K, animal
from tests.terminal.test_cli import ask, run

LOOP = ";".join(f"{K * (240 + 205 * np.cos(a)):.0f},{K * (225 + 205 * np.sin(a)):.0f}" for a in 2 * np.pi * np.arange(16) / 16)
FACE = ("--eye", f"{K * 190},{K * 200},{K * 14}", "--eye", f"{K * 290},{K * 200},{K * 14}")


class Areas(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(cls.folder.cleanup)
        cls.photo = str(Path(cls.folder.name) / "animal.png")
        Image.fromarray(animal()).save(cls.photo)
        cls.found = ask("areas", cls.photo, "--loop", LOOP, *FACE)

    def test_a_loop_and_a_face_give_areas_over_all_of_it(self):
        d = self.found
        self.assertEqual((d["photo"], d["provisional"], d["by"], d["animal"]["from"]), ("animal.png", True, "colour", "loop"))
        self.assertGreater(d["covered"], 0.98)
        self.assertEqual([q["number"] for q in d["areas"]], list(range(1, len(d["areas"]) + 1)))
        self.assertAlmostEqual(sum(q["share"] for q in d["areas"] if not q["kind"]), 1.0, places=2)
        names = {q["name"] for q in d["areas"]}
        self.assertLessEqual({"Left eye", "Right eye", "Left ear", "Right ear", "Forehead"}, names)
        ear = next(q for q in d["areas"] if q["name"] == "Left ear")
        self.assertEqual(d["areas"][ear["twin"] - 1]["name"], "Right ear")
        self.assertEqual(ear["surface"], "ear-inside")
        outline = np.zeros((SIZE, SIZE), np.uint8)
        cv2.fillPoly(outline, [np.round(np.array(d["animal"]["outline"])).astype(np.int32)], 1)
        self.assertAlmostEqual(outline.mean(), d["animal"]["share"], delta=0.01)

    def test_the_size_on_the_paper_is_asked_for(self):
        half = ask("areas", self.photo, "--loop", LOOP, "--animal-mm", "110")
        self.assertAlmostEqual(half["mm_per_px"] * 2, self.found["mm_per_px"], places=3)

    def test_so_many_by_form_on_a_surface(self):
        d = ask("areas", self.photo, "--loop", LOOP, "--count", "5", "--by", "form", "--surface", "long-fur")
        self.assertEqual((len(d["areas"]), d["by"]), (5, "form"))
        self.assertEqual({q["surface"] for q in d["areas"]}, {"long-fur"})
        self.assertIn("No face was shown: patches are told by number and colour.", d["notes"])

    def test_a_cut_out_picture_needs_no_loop(self):
        pixels = animal()
        there = (np.abs(pixels.astype(int) - (226, 228, 232)).sum(2) > 40).astype(np.uint8) * 255
        path = str(Path(self.folder.name) / "cut.png")
        Image.fromarray(np.dstack([pixels, there])).save(path)
        d = ask("areas", path)
        self.assertEqual(d["animal"]["from"], "transparency")
        self.assertGreater(d["covered"], 0.95)

    def test_faults_are_one_line(self):
        for args, words in (
            ((), "Nobody showed where the animal is."),
            (("--loop", "1,1;2,2"), "at least three corners"),
            (("--loop", "a,b;1,2;3,4"), "is not a corner of the loop"),
            (("--loop", LOOP, "--surface", "marble"), "no surface “marble”"),
            (("--loop", LOOP, "--eye", "5,5"), "is not an eye"),
            (("--loop", LOOP, "--eye", "5,5,0"), "its radius must be above 0"),
            (("--loop", LOOP, "--eye", "5,5000,9"), "lies outside the photo"),
            (("--loop", LOOP, "--nose=-3,9"), "lies outside the photo"),
            (("--loop", LOOP, "--animal-mm", "-2"), "must be above 0"),
        ):
            code, out, err = run("areas", self.photo, *args)
            self.assertEqual((code, out, err.count("\n")), (2, "", 1), args)
            self.assertIn(words, err)

    def test_readable_lines(self):
        code, out, _err = run("areas", self.photo, "--loop", LOOP, *FACE)
        self.assertEqual(code, 0)
        self.assertIn("a first proposal", out.splitlines()[0])
        self.assertEqual(sum("twin of" in line for line in out.splitlines()), sum(q["twin"] is not None for q in self.found["areas"]))
        self.assertGreaterEqual(sum(q["twin"] is not None for q in self.found["areas"]), 4, "eyes and ears")


if __name__ == "__main__":
    unittest.main()
