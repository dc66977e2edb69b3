"""The studio's name and mark: kept with the studio, small, over white; what cannot be read is no mark."""

import base64
import io
import unittest

import numpy as np
from PIL import Image

from hanabira.core.faults import PhotoFault
from hanabira.session.runner import InlineRunner
from hanabira.session.sender import MARK_PX, mark_data, mark_pixels, sender
from hanabira.session.session import Session
from hanabira.studio.store import Store
from tests.session.test_session import Case


class Mark(Case):
    def drawn(self, size: tuple[int, int] = (900, 300)) -> str:
        image = Image.new("RGBA", size, (0, 0, 0, 0))
        image.paste((120, 30, 90, 255), (0, 0, size[0] // 2, size[1]))
        path = self.root / "mark.png"
        image.save(path)
        return str(path)

    def test_a_mark_keeps_its_proportions_and_stands_on_white(self):
        got = mark_pixels(mark_data(self.drawn()))
        self.assertEqual(got.shape, (160, MARK_PX, 3))
        np.testing.assert_allclose(got[80, 40], (120, 30, 90), atol=2)
        np.testing.assert_array_equal(got[80, -10], (255, 255, 255))
        small = mark_pixels(mark_data(self.drawn((60, 40))))
        self.assertEqual(small.shape, (40, 60, 3), "nothing is made larger than it is")

    def test_it_is_kept_with_the_studio_and_taken_away_again(self):
        s = self.session
        self.assertEqual((sender(s.settings).name, sender(s.settings).mark), ("", None))
        s.settings.set("studio_name", "Studio Quill")
        s.settings.set("studio_mark", mark_data(self.drawn()))
        folder = s.store.folder
        s.shut()
        again = Session(Store.open(folder), InlineRunner())
        self.addCleanup(again.shut)
        whose = sender(again.settings)
        self.assertEqual((whose.name, whose.mark.shape), ("Studio Quill", (160, MARK_PX, 3)))
        again.settings.set("studio_mark", "")
        self.assertIsNone(sender(again.settings).mark)

    def test_what_is_no_picture_is_refused_and_damaged_data_is_no_mark(self):
        (self.root / "letter.png").write_text("Dear Ada")
        with self.assertRaises(PhotoFault):
            mark_data(self.root / "letter.png")
        good = base64.b64decode(mark_data(self.drawn()))
        big = io.BytesIO()
        Image.new("L", (4000, 4000)).save(big, "PNG")
        jpeg = io.BytesIO()
        Image.new("L", (40, 40)).save(jpeg, "JPEG")
        for data in (
            "",
            "ä",
            "====",
            "A" * 2_000_000,
            *(base64.b64encode(q).decode() for q in (b"", b"PNG", good[: len(good) // 2], big.getvalue(), jpeg.getvalue())),
        ):
            self.assertIsNone(mark_pixels(data), data[:20])


if __name__ == "__main__":
    unittest.main()
