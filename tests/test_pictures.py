"""Picture files of every kind, good and bad."""

import io
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import tifffile
from PIL import Image, ImageCms

from hanabira.core.faults import PhotoFault
from hanabira.core.study import looks
from hanabira.studio import pictures
from hanabira.studio.pictures import probe, read_picture


def scene(w: int = 120, h: int = 80) -> np.ndarray:
    y, x = np.mgrid[0:h, 0:w]
    return np.stack([x * 2, y * 3, 255 - x], 2).clip(0, 255).astype(np.uint8)


class Case(unittest.TestCase):
    def setUp(self):
        temp = tempfile.TemporaryDirectory()
        self.addCleanup(temp.cleanup)
        self.folder = Path(temp.name)

    def save(self, name: str, image: Image.Image, **how) -> Path:
        path = self.folder / name
        image.save(path, **how)
        return path

    def refused(self, path: Path, *words: str) -> None:
        with self.assertRaises(PhotoFault) as caught:
            read_picture(path)
        for w in (path.name, *words):
            self.assertIn(w, str(caught.exception))


class Good(Case):
    def test_every_format(self):
        import pillow_heif

        pillow_heif.register_heif_opener()
        image = Image.fromarray(scene())
        for name, how in (
            ("a.jpg", {"quality": 95}),
            ("a.png", {}),
            ("a.tif", {}),
            ("a.webp", {"lossless": True}),
            ("a.heic", {"quality": 95}),
        ):
            got = read_picture(self.save(name, image, **how))
            self.assertEqual(got.pixels.shape, (80, 120, 3), name)
            self.assertEqual(got.size, (120, 80))
            self.assertLess(np.abs(got.pixels.astype(int) - scene()).mean(), 6, name)

    def test_exif_is_turned_upright(self):
        exif = Image.Exif()
        exif[0x0112] = 6
        path = self.save("turned.jpg", Image.fromarray(scene()), quality=95, exif=exif.tobytes())
        got = read_picture(path)
        self.assertEqual((got.pixels.shape, got.size, probe(path)), ((120, 80, 3), (80, 120), (80, 120)))
        self.assertLess(np.abs(got.pixels.astype(int) - np.rot90(scene(), -1)).mean(), 5)

    def test_sixteen_bits_palette_grey_alpha_cmyk(self):
        wide = scene().astype(np.uint16) * 257
        tifffile.imwrite(self.folder / "rgb16.tif", wide, photometric="rgb")
        got = read_picture(self.folder / "rgb16.tif")
        np.testing.assert_array_equal(got.pixels, scene())
        self.assertIn("16 bits", got.remarks[0])
        Image.fromarray(wide[..., 0]).save(self.folder / "grey16.png")
        np.testing.assert_array_equal(read_picture(self.folder / "grey16.png").pixels[..., 1], scene()[..., 0])
        self.assertEqual(read_picture(self.save("p.png", Image.fromarray(scene()).quantize(64))).pixels.shape, (80, 120, 3))
        clear = (
            Image.fromarray(np.dstack([scene(), np.zeros((80, 120), np.uint8)]), "RGBA")
            if False
            else Image.merge("RGBA", (*Image.fromarray(scene()).split(), Image.new("L", (120, 80), 0)))
        )
        self.assertTrue((read_picture(self.save("clear.png", clear)).pixels == 255).all())
        cmyk = read_picture(self.save("press.jpg", Image.fromarray(scene()).convert("CMYK"), quality=95))
        self.assertIn("CMYK", cmyk.remarks[0])
        self.assertLess(np.abs(cmyk.pixels.astype(int) - scene()).mean(), 8)

    def test_animation_gives_its_first_frame(self):
        frames = [Image.fromarray(np.full((40, 40, 3), v, np.uint8)) for v in (10, 200)]
        path = self.save("move.webp", frames[0], save_all=True, append_images=frames[1:], lossless=True)
        got = read_picture(path)
        self.assertEqual(int(got.pixels.mean()), 10)
        self.assertIn("first of several", got.remarks[0])

    def test_an_embedded_profile_is_converted_and_a_broken_one_left_out(self):
        lab_like = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB"))
        plain = read_picture(self.save("s.png", Image.fromarray(scene()), icc_profile=lab_like.tobytes()))
        np.testing.assert_array_equal(plain.pixels, scene())
        broken = read_picture(self.save("b.png", Image.fromarray(scene()), icc_profile=b"not a profile at all"))
        np.testing.assert_array_equal(broken.pixels, scene())
        self.assertIn("profile", broken.remarks[0])

    def test_a_quick_copy_is_small(self):
        got = read_picture(self.save("big.jpg", Image.fromarray(scene(2400, 1200))), most_side=300)
        self.assertEqual((max(got.pixels.shape[:2]), got.size), (300, (2400, 1200)))


class Bad(Case):
    def test_each_fault_names_the_file(self):
        whole = io.BytesIO()
        Image.fromarray(scene(400, 300)).save(whole, "JPEG")
        (self.folder / "half.jpg").write_bytes(whole.getvalue()[: len(whole.getvalue()) // 2])
        self.refused(self.folder / "half.jpg", "damaged")
        png = io.BytesIO()
        Image.fromarray(scene(400, 300)).save(png, "PNG")
        (self.folder / "half.png").write_bytes(png.getvalue()[:600])
        self.refused(self.folder / "half.png", "damaged")
        (self.folder / "empty.jpg").touch()
        self.refused(self.folder / "empty.jpg", "empty")
        (self.folder / "words.jpg").write_text("no picture")
        self.refused(self.folder / "words.jpg", "not a picture")
        self.refused(self.folder / "none.jpg", "no file")
        self.refused(self.folder, "folder")
        self.refused(self.save("x.gif", Image.fromarray(scene()).quantize()), "GIF")
        self.refused(self.save("f.tif", Image.fromarray(scene()[..., 0].astype(np.float32))), "measurements")

    def test_huge_pictures_are_refused_before_they_are_decoded(self):
        path = self.save("huge.png", Image.fromarray(scene()))
        with mock.patch.object(pictures, "MOST_PIXELS", 5000):
            self.refused(path, "megapixels")


class Looks(unittest.TestCase):
    def test_lift_keeps_the_hue_and_lights_the_dark(self):
        from hanabira.core.colour.spaces import hue_deg, srgb_to_lab

        rng = np.random.default_rng(3)
        dark = np.clip(np.array([52, 36, 28]) * (1 + 0.25 * rng.normal(size=(160, 160, 1))), 0, 255).astype(np.uint8)
        lifted = looks.lift_shadows(dark)
        a, b = srgb_to_lab(dark.mean((0, 1)) / 255), srgb_to_lab(lifted.mean((0, 1)) / 255)
        self.assertGreater(b[0], a[0] + 8)
        self.assertLess(abs(float(hue_deg(a) - hue_deg(b))), 4)
        light = np.full((100, 100, 3), 200, np.uint8)
        np.testing.assert_array_equal(looks.lift_shadows(light), light)

    def test_grey_keeps_the_value_and_mirror_twice_is_the_same(self):
        from hanabira.core.colour.spaces import srgb_to_lab

        grey = looks.grey(scene())
        self.assertTrue((grey[..., 0] == grey[..., 2]).all())
        np.testing.assert_allclose(srgb_to_lab(grey / 255)[..., 0], srgb_to_lab(scene() / 255)[..., 0], atol=0.6)
        np.testing.assert_array_equal(looks.mirror(looks.mirror(scene())), scene())

    def test_squint_drops_detail_and_keeps_the_edge(self):
        rng = np.random.default_rng(1)
        image = np.full((300, 300, 3), 60, np.uint8)
        image[:, 150:] = 180
        noisy = np.clip(image + rng.normal(0, 25, image.shape), 0, 255).astype(np.uint8)
        soft = looks.squint(noisy).astype(float)
        self.assertLess(soft[40:-40, 20:130].std(), 6)
        self.assertGreater(soft[150, 160].mean() - soft[150, 140].mean(), 100)
