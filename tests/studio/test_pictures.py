"""Picture files of every kind, good and bad."""

import io
import os
import struct
import tempfile
import unittest
import zlib
from pathlib import Path
from unittest import mock

import numpy as np
import pillow_heif
import tifffile
from PIL import Image, ImageCms

from hanabira.core.area.clipping import photo_levels
from hanabira.core.area.measures import measure
from hanabira.core.area.shape import rectangle
from hanabira.core.faults import PhotoFault
from hanabira.core.study import looks
from hanabira.studio import pictures
from hanabira.studio.pictures import probe, read_picture
from hanabira.studio.store import Store


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


class Clear(Case):
    """What is not there is no part of the animal."""

    def ball(self, mode: str = "RGBA") -> tuple[Path, np.ndarray]:
        y, x = np.mgrid[0:90, 0:120]
        there = np.hypot(x - 60, y - 45) < 36
        pixels = np.dstack([np.full((90, 120, 3), (120, 84, 60), np.uint8), np.where(there, 255, 0).astype(np.uint8)])
        return self.save("ball.png", Image.fromarray(pixels, "RGBA").convert(mode)), there

    def test_the_clear_ground_is_kept_beside_the_pixels(self):
        for mode in ("RGBA", "LA"):
            path, there = self.ball(mode)
            got = read_picture(path)
            self.assertEqual(got.alpha.dtype, np.uint8)
            np.testing.assert_array_equal(got.alpha > 127, there)
            self.assertEqual(got.pixels[0, 0].tolist(), [255, 255, 255])
        self.assertEqual(read_picture(path, 40).alpha.shape, read_picture(path, 40).pixels.shape[:2])
        self.assertIsNone(read_picture(self.save("whole.png", Image.fromarray(scene()).convert("RGBA"))).alpha)
        self.assertIsNone(read_picture(self.save("plain.png", Image.fromarray(scene()))).alpha)

    def test_only_the_animal_is_measured_and_the_ground_is_not_burnt(self):
        path, there = self.ball()
        got = read_picture(path)
        m = measure(got.pixels, rectangle(0, 0, 120, 90), None, coverage=got.alpha)
        self.assertAlmostEqual(m.outside, 1 - there.mean(), delta=0.08)
        self.assertEqual(m.clipping.any, 0.0)
        self.assertLess(m.values.p98, 45)
        self.assertEqual(photo_levels(got.pixels)[0], (255, 255, 255))
        half = np.zeros((90, 120), np.uint8)
        half[:, :60] = 255
        lit = np.full((90, 120, 3), 240, np.uint8)
        lit[:, 60:] = 255
        lit[:40, :60] = np.arange(60)[None, :, None] * 3
        self.assertEqual(photo_levels(lit, half)[0], (241, 241, 241))  # an editor's ceiling, whatever lies behind

    def test_a_photo_turned_on_its_side_turns_its_clear_ground(self):
        y, x = np.mgrid[0:40, 0:80]
        pixels = np.dstack([np.full((40, 80, 3), 90, np.uint8), np.where(x < 20, 255, 0).astype(np.uint8)])
        exif = Image.Exif()
        exif[0x0112] = 6
        got = read_picture(self.save("turned.png", Image.fromarray(pixels, "RGBA"), exif=exif.tobytes()))
        self.assertEqual(got.alpha.shape, (80, 40))
        self.assertTrue((got.alpha[:20] > 127).all())
        self.assertFalse((got.alpha[20:] > 127).any())


class Good(Case):
    def test_every_format(self):
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


class ByTheirBytes(Case):
    """The bytes decide what a file is; every kind is turned upright exactly once."""

    W, H = 64, 40

    def truth(self) -> np.ndarray:
        """Four quarters of different colour: any wrong turn shows."""
        out = np.zeros((self.H, self.W, 3), np.uint8)
        out[:20, :32], out[:20, 32:], out[20:, :32], out[20:, 32:] = (220, 30, 30), (30, 200, 30), (30, 30, 220), (230, 220, 40)
        return out

    def as_stored(self, turn: int) -> np.ndarray:
        """The pixels that a file with this EXIF orientation has to hold (EXIF 2.3, tag 274)."""
        a = self.truth()
        return np.ascontiguousarray(
            {
                1: a, 2: a[:, ::-1], 3: a[::-1, ::-1], 4: a[::-1], 5: a.transpose(1, 0, 2), 6: np.rot90(a, 1),
                7: a[::-1, ::-1].transpose(1, 0, 2), 8: np.rot90(a, -1),
            }[turn]
        )  # fmt: skip

    def upright(self, path, off: float = 6.0) -> None:
        got = read_picture(path)
        self.assertEqual((got.size, pictures.probe(path)), ((self.W, self.H),) * 2, path.name)
        self.assertEqual(got.pixels.shape, (self.H, self.W, 3), path.name)
        self.assertLess(np.abs(got.pixels.astype(int) - self.truth()).mean(), off, path.name)

    def test_eight_turns_of_every_kind(self):
        pillow_heif.register_heif_opener()
        for turn in range(1, 9):
            image, exif = Image.fromarray(self.as_stored(turn)), Image.Exif()
            exif[0x0112] = turn
            for suffix, more in ((".jpg", {"quality": 95}), (".png", {}), (".webp", {"lossless": True}), (".heic", {"quality": 95})):
                self.upright(self.save(f"{turn}{suffix}", image, exif=exif.tobytes(), **more))
            for packing in ({}, {"compression": "tiff_lzw"}, {"compression": "tiff_deflate"}):
                self.upright(self.save(f"{turn}.tif", image, exif=exif, **packing))

    def test_sixteen_bits_packed_tiled_in_planes_and_turned(self):
        for turn in range(1, 9):
            deep = self.as_stored(turn).astype(np.uint16) * 257
            tag = [(274, "H", 1, turn, True)]
            for name, values, more in (
                ("plain", deep, {}), ("lzw", deep, {"compression": "lzw"}), ("zstd", deep, {"compression": "zstd", "predictor": True}),
                ("tiles", deep, {"tile": (16, 16), "compression": "deflate"}), ("planes", deep.transpose(2, 0, 1), {"planarconfig": "separate"}),
            ):  # fmt: skip
                path = self.folder / f"{name}{turn}.tif"
                tifffile.imwrite(path, values, photometric="rgb", extratags=tag, **more)
                self.upright(path, 1.0)

    def test_inks_are_converted_and_what_is_no_photo_is_refused_with_the_cure(self):
        inks = np.asarray(Image.fromarray(self.truth()).convert("CMYK"))
        for name, values, more in (
            ("c8", inks, {}), ("c16", inks.astype(np.uint16) * 257, {}), ("c8l", inks, {"compression": "lzw"}),
            ("c16p", (inks.astype(np.uint16) * 257).transpose(2, 0, 1), {"planarconfig": "separate"}),
        ):  # fmt: skip
            path = self.folder / f"{name}.tif"
            tifffile.imwrite(path, values, photometric="separated", **more)
            self.upright(path)
            self.assertTrue(any("CMYK" in r for r in read_picture(path).remarks), name)
        for name, values, kind in (
            ("lab", self.truth().astype(np.uint16) * 257, "cielab"),
            ("float", self.truth().astype(np.float32), "rgb"),
        ):
            path = self.folder / f"{name}.tif"
            tifffile.imwrite(path, values, photometric=kind)
            self.refused(path, "Write it again as an RGB TIFF")

    def test_a_wrong_ending_does_not_matter(self):
        pillow_heif.register_heif_opener()
        heic = self.save("a.heic", Image.fromarray(self.truth()), quality=95)
        jpeg = self.save("b.jpg", Image.fromarray(self.truth()), quality=95)
        for source, name, suffix in (
            (heic, "sent.jpg", ".heic"),
            (jpeg, "sent.heic", ".jpg"),
            (jpeg, "noending", ".jpg"),
            (heic, "x.PNG", ".heic"),
        ):
            path = self.folder / name
            path.write_bytes(source.read_bytes())
            self.upright(path)
            with Store.open(self.folder / "studio") as store:
                self.assertEqual(store.take_in(path)[1], suffix)

    def test_pipes_devices_and_threads_of_pixels_are_refused_at_once(self):
        pipe = self.folder / "pipe.jpg"
        os.mkfifo(pipe)
        self.refused(pipe, "pipe or a device")
        self.refused(Path("/dev/zero"), "pipe or a device")
        line = self.save("line.png", Image.new("L", (1, 1)))
        data = bytearray(line.read_bytes())
        data[16:24] = struct.pack(">II", 199_000_000, 1)
        data[29:33] = struct.pack(">I", zlib.crc32(bytes(data[12:29])))
        line.write_bytes(data)
        self.refused(line, "199000000 × 1 pixels")

    def test_a_damaged_photo_never_enters(self):
        good = io.BytesIO()
        Image.fromarray(scene(400, 300)).save(good, "JPEG")
        half = self.folder / "half.jpg"
        half.write_bytes(good.getvalue()[:-2000])
        with Store.open(self.folder / "studio") as store:
            with self.assertRaises(PhotoFault):
                store.take_in(half)
            self.assertEqual([p for p in (self.folder / "studio" / "photos").rglob("*") if p.is_file()], [])

    def test_a_file_that_is_still_written_is_not_whole(self):
        for suffix, more in ((".jpg", {}), (".jpg", {"progressive": True}), (".png", {}), (".webp", {"lossless": True}), (".tif", {})):
            path = self.save(f"whole{suffix}", Image.fromarray(scene(200, 150)), **more)
            data = path.read_bytes()
            self.assertTrue(pictures.is_whole(path), suffix)
            for part in (len(data) // 3, len(data) - 40, len(data) - 1):
                path.write_bytes(data[:part])
                self.assertFalse(pictures.is_whole(path) and part < len(data) - 1, (suffix, part))
        # a small picture in the head has an end of its own
        inner = io.BytesIO()
        Image.fromarray(scene(20, 15)).save(inner, "JPEG")
        path = self.save("thumb.jpg", Image.fromarray(scene(200, 150)), exif=b"Exif\0\0" + inner.getvalue())
        path.write_bytes(path.read_bytes()[:-2])
        self.assertFalse(pictures.is_whole(path))


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
