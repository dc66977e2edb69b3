"""One real window on a real (virtual) screen, outside the offscreen platform of the other tests."""

import contextlib
import io
import shutil
import tempfile
import unittest
from pathlib import Path

import numpy as np
from PIL import Image

from hanabira.desk.virtual import show_on_virtual_screen
from tests.demo_studio import demo_copy


@unittest.skipUnless(shutil.which("Xvfb"), "needs Xvfb, which make venv installs when it may")
class RealWindow(unittest.TestCase):
    def test_the_demo_without_a_display_leaves_a_picture_of_each_stage(self):
        with tempfile.TemporaryDirectory() as temp:
            folder = Path(temp) / "demo"
            demo_copy(folder)
            out = io.StringIO()
            with contextlib.redirect_stdout(out):
                self.assertEqual(show_on_virtual_screen(folder), 0)
            self.assertIn("no display", out.getvalue())
            for name in ("brief", "study", "areas", "recipe", "plan", "easel"):
                with Image.open(Path(temp) / "pictures" / f"{name}.png") as image:
                    self.assertEqual(image.size, (1280, 800))
                    self.assertGreater(len(np.unique(np.asarray(image.convert("L")))), 100)
