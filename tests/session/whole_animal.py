"""A drawn animal that is parted in tests: one round head with two ears and two eyes, and a session that has it open."""

from unittest import mock

import cv2
import numpy as np
from PIL import Image

from hanabira.core.token import SILENT
from hanabira.core.whole.proposal import Animal
from hanabira.studio.records import Commission, Photo
from tests.fur import fur
from tests.session.test_session import Case

DRAWN, SIZE = 480, 320
K = SIZE / DRAWN
EYES = tuple(tuple((K * x, K * 200.0) for x in pair) for pair in ((190.0, 204.0), (290.0, 304.0)))
"""Clicks (middle, rim) on the eyes of `animal`."""


def animal() -> np.ndarray:
    """A round tan head with black ears and two dark eyes on a pale ground."""
    rng = np.random.default_rng(5)
    out = np.clip(rng.normal((226, 228, 232), 2, (DRAWN, DRAWN, 3)), 0, 255).astype(np.uint8)
    tan, black = fur(DRAWN, DRAWN, 80, 1, ground=(56, 12, 28)), fur(DRAWN, DRAWN, 80, 2, ground=(18, 1, 2))
    mask = np.zeros((DRAWN, DRAWN), np.uint8)
    for x in (140, 340):
        cv2.circle(mask, (x, 115), 52, 1, -1)
    out[mask > 0] = black[mask > 0]
    mask[:] = 0
    cv2.circle(mask, (240, 250), 150, 1, -1)
    out[mask > 0] = tan[mask > 0]
    for x in (190, 290):
        cv2.circle(out, (x, 200), 14, (24, 14, 10), -1)
        cv2.circle(out, (x - 4, 195), 3, (240, 240, 245), -1)
    return cv2.resize(out, (SIZE, SIZE), interpolation=cv2.INTER_AREA)


PARTED: dict = {}
"""What was parted once: the same animal, shown the same way, is parted once in all tests of a run."""


def parted(pixels, coverage, mm_per_px, eyes=(), nose=None, by_form=False, token=SILENT):
    """As `core.whole.proposal.Animal`, which depends on nothing else."""
    key = pixels.tobytes(), np.asarray(coverage).tobytes(), mm_per_px, tuple(eyes), nose, by_form
    token.report(0.0)
    if key not in PARTED:
        PARTED[key] = Animal(pixels, coverage, mm_per_px, eyes, nose, by_form, token)
    return PARTED[key]


class AnimalCase(Case):
    """A session with the animal as its photo, not parted yet."""

    def setUp(self):
        super().setUp()
        patch = mock.patch("hanabira.session.whole.Parted", parted)
        patch.start()
        self.addCleanup(patch.stop)
        Image.fromarray(animal()).save(self.root / "animal.png")
        digest, suffix, (w, h) = self.store.take_in(self.root / "animal.png")
        photo = Photo("animal", "e", digest, suffix, "animal.png", w, h, (0.0, 0.0, float(w), float(h)), "main", 0)
        self.store.edit([Commission("e", "Heron", created="2026-01-03T00:00:00"), photo])
        self.session.open_commission("e")
        self.whole = self.session.whole
        turn = 2 * np.pi * np.arange(24) / 24
        self.loop = tuple((K * float(240 + 205 * np.cos(a)), K * float(225 + 205 * np.sin(a))) for a in turn)

    def shown(self):
        """Parted, with its loop and both eyes."""
        self.whole.begin()
        for click in EYES:
            self.whole.show_eye(*click)
        self.whole.draw_loop(self.loop)  # last, so that it is parted once
        return self.whole.patches
