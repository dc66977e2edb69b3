"""What a photo no longer knows: planted burnt and crushed parts behind JPEG, ceilings left by an editor; and only the animal is measured."""

import unittest

import cv2
import numpy as np

from hanabira.core.area.clipping import Clipping, clipped, lost_words, measure_clipping, photo_levels
from hanabira.core.area.measures import as_dict, measure
from hanabira.core.area.outline import Outline, clipped_to
from hanabira.core.area.shape import cut, rectangle, ring_area
from hanabira.core.area.values import measure_values
from hanabira.core.colour.spaces import bytes_to_lab, linear_to_srgb, srgb_to_linear
from hanabira.core.faults import AreaFault
from hanabira.craft.readers import readers
from tests.fur import fur


def jpeg(pixels: np.ndarray, quality: int) -> np.ndarray:
    _, data = cv2.imencode(".jpg", np.ascontiguousarray(pixels[..., ::-1]), [cv2.IMWRITE_JPEG_QUALITY, quality])
    return np.ascontiguousarray(cv2.imdecode(data, 1)[..., ::-1])


def exposed(
    stops: float, ceiling: int = 255, quality: int = 88, seed: int = 3, foot: float = 0.0
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Fur in more light: the photo, and which channels are truly burnt out and crushed."""
    scene = fur(260, 320, 20.0, seed, ground=(62, 5, 14), contrast=17) / 255.0
    ramp = np.linspace(0.35, 1.6, 320)[None, :, None]
    # a lens spreads single hairs over two or three pixels before the sensor clips them
    light = cv2.GaussianBlur(srgb_to_linear(scene), (0, 0), 1.4) * ramp * 2.0**stops - foot
    pixels = linear_to_srgb(np.clip(light, 0, 1)) * ceiling
    return jpeg((pixels + 0.5).astype(np.uint8), quality), light >= 1, light <= 0.0004


def clipping_of(pixels: np.ndarray, origin: tuple[float, float] = (0.0, 0.0), to_photo: float = 1.0) -> Clipping:
    """Clipping of the whole of a picture."""
    lab = bytes_to_lab(pixels)
    channels, limits = clipped(pixels, photo_levels(pixels)), measure_values(lab.reshape(-1, 3)).limits
    return measure_clipping(channels, np.ones(pixels.shape[:2], bool), lab[..., 0], limits, origin, to_photo)


class Clipped(unittest.TestCase):
    def test_shares_are_those_that_were_planted(self):
        errors, naive = [], []
        for quality in (60, 75, 92):
            for stops in (0.0, 0.4, 0.8, 1.2, 1.6):
                pixels, burnt, _ = exposed(stops, 255, quality, seed=int(10 * stops) + quality)
                high, _low = clipped(pixels, photo_levels(pixels))
                errors.append(abs(high.any(2).mean() - burnt.any(2).mean()))
                naive.append(abs((pixels.max(2) >= 254).mean() - burnt.any(2).mean()))
        self.assertLess(np.mean(errors), 0.025)
        self.assertLess(np.percentile(errors, 90), 0.07)
        self.assertLess(np.mean(errors), 0.5 * np.mean(naive))

    def test_a_ceiling_that_an_editor_left_is_a_ceiling(self):
        scene = fur(260, 320, 20.0, 4, ground=(50, 5, 14), contrast=8)
        truth = np.zeros((260, 320), bool)
        truth[40:160, 50:220] = True
        scene[truth] = 255
        for ceiling in (236, 243):
            pixels = jpeg((scene / 255.0 * ceiling + 0.5).astype(np.uint8), 90)
            top, floor = photo_levels(pixels)
            self.assertTrue(all(abs(t - ceiling) <= 2 for t in top), top)
            high, _low = clipped(pixels, (top, floor))
            self.assertAlmostEqual(high.all(2).mean(), truth.mean(), delta=0.02)  # JPEG rings along the edge

    def test_crushed_darks_are_found_and_an_unclipped_photo_has_none(self):
        pixels, _, crushed = exposed(-1.0, foot=0.14)
        _high, low = clipped(pixels, photo_levels(pixels))
        self.assertGreater(crushed.all(2).mean(), 0.1)
        self.assertAlmostEqual(low.all(2).mean(), crushed.all(2).mean(), delta=0.08)
        plain = fur(200, 200, 40.0, 2, ground=(45, 8, 20), contrast=9)
        high, low = clipped(plain, photo_levels(plain))
        self.assertFalse(high.any() or low.any())

    def test_a_burnt_light_is_called_unknown_and_outlined_where_it_lies(self):
        pixels = fur(200, 200, 30.0, 5, ground=(50, 8, 18), contrast=9)
        pixels[20:90, 30:120] = 255
        found = clipping_of(pixels, (1000.0, 500.0), 2.0)
        self.assertAlmostEqual(found.all, 70 * 90 / 40000, delta=0.01)
        self.assertEqual(found.unknown, ("light", "highlight"))
        ring = np.array(found.rings[0])
        np.testing.assert_allclose([ring.min(0), ring.max(0)], [[1060, 540], [1240, 680]], atol=4)
        self.assertIn("burnt out: ask for another photo", lost_words(found)[0])
        self.assertIn("light, highlight", lost_words(found)[-1])

    def test_one_lost_channel_keeps_its_hue_as_a_bound(self):
        pixels = fur(160, 160, 30.0, 5, ground=(70, 20, 60), contrast=6)
        pixels[..., 0] = 255
        found = clipping_of(pixels)
        self.assertGreater(found.each[0], 0.95)
        self.assertLess(found.all, 0.1)
        self.assertIn("burnt out in red", lost_words(found)[0])

    def test_of_a_lost_area_nothing_is_said_in_a_few_words_either(self):
        pixels = fur(160, 160, 30.0, 5, ground=(60, 5, 14), contrast=12)
        whole = measure(pixels, rectangle(20, 20, 140, 140), None, hair=False, readers=readers())
        self.assertEqual(whole.brief, f"L* {whole.values.p02:.0f}–{whole.values.p98:.0f} · warm")
        self.assertTrue(whole.coats)
        self.assertEqual(set(whole.clipping.known(whole.values.band_lab)), {"gap", "general", "light", "highlight"})
        light = bytes_to_lab(pixels)[..., 0]
        pixels[cv2.erode((light > np.percentile(light, 60)).astype(np.uint8), np.ones((2, 2))) > 0] = 255
        half = measure(pixels, rectangle(20, 20, 140, 140), None, hair=False)
        self.assertRegex(half.brief, r"^L\* \d+–\? · ")
        self.assertNotIn("light", half.clipping.known(half.values.band_lab))
        self.assertIn("gap", half.clipping.known(half.values.band_lab))
        pixels[:] = (255, 250, 190)
        gone = measure(pixels, rectangle(20, 20, 140, 140), None, hair=False, readers=readers())
        self.assertEqual((gone.brief, gone.coats), ("values unknown", ()))
        self.assertEqual(gone.clipping.known(gone.values.band_lab), {})
        self.assertIn("the file's, not the coat's", lost_words(gone.clipping)[-1])


class OnlyTheAnimal(unittest.TestCase):
    """Dark fur on a white backdrop, cut out; the loop takes in some of the backdrop."""

    def setUp(self):
        self.pixels = fur(300, 300, 30.0, 6, ground=(30, 4, 10), contrast=7)
        self.animal = np.zeros((300, 300), np.float32)
        self.animal[:, :200] = 1.0
        soft = cv2.GaussianBlur(self.animal, (0, 0), 2.0)
        self.photo = (self.pixels * soft[..., None] + 255 * (1 - soft[..., None])).astype(np.uint8)
        self.coverage = (soft * 255).astype(np.uint8)
        self.loop = rectangle(60, 60, 180, 180)

    def test_a_loop_that_leaves_the_animal_measures_the_animal_and_says_so(self):
        true = measure(self.pixels, rectangle(60, 60, 136, 180), None, hair=False)
        fooled = measure(self.photo, self.loop, None, hair=False)
        found = measure(self.photo, self.loop, None, hair=False, coverage=self.coverage)
        self.assertGreater(fooled.values.light, true.values.light + 30)
        for band in ("gap", "general", "light", "highlight"):
            self.assertAlmostEqual(found.values.band_lab[band][0], true.values.band_lab[band][0], delta=2.5)
        self.assertAlmostEqual(found.outside, 0.25, delta=0.04)
        self.assertEqual(found.pixels, int(cut(self.photo, self.loop, coverage=self.coverage).mask.sum()))
        self.assertAlmostEqual(as_dict(found)["outside_animal"], found.outside, places=3)
        self.assertEqual(fooled.outside, 0.0)

    def test_a_copy_of_the_coverage_at_another_size_gives_the_same(self):
        small = cv2.resize(self.coverage, (150, 150), interpolation=cv2.INTER_AREA)
        a, b = (cut(self.photo, self.loop, coverage=c).mask.mean() for c in (self.coverage, small))
        self.assertAlmostEqual(a, b, delta=0.03)

    def test_clipping_draws_the_outline_in(self):
        part = clipped_to(Outline(self.loop), self.coverage >= 235, 1.0)[0]
        self.assertAlmostEqual(abs(ring_area(part.ring)), 180 * 138, delta=900)
        self.assertLessEqual(max(x for x, _y in part.ring), 201)
        with self.assertRaises(AreaFault):
            clipped_to(Outline(rectangle(230, 20, 50, 50)), self.coverage >= 235, 1.0)

    def test_an_area_beside_the_animal_is_refused_in_words(self):
        with self.assertRaises(AreaFault) as raised:
            cut(self.photo, rectangle(230, 30, 50, 50), coverage=self.coverage)
        self.assertIn("beside the animal", str(raised.exception))


if __name__ == "__main__":
    unittest.main()
