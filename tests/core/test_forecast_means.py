"""The forecast picture: over each place it is on the whole what the layers give there, and colours still run on between values."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from hanabira.core.forecast.portrait import PhotoLab, lay_places

IDS = ("gap", "general", "light")
PHOTO = {"gap": np.array([25.0, 6, 10]), "general": np.array([48.0, 8, 16]), "light": np.array([72.0, 5, 14])}


def coat(seed: int, skew: float = 0.0) -> tuple[np.ndarray, np.ndarray]:
    """Pixels of three values, each with a spread of its own that leans to one side, and their labels."""
    rng = np.random.default_rng(seed)
    labels = np.repeat([1, 2, 3], 900)
    lab = np.concatenate([PHOTO[k] + np.stack([rng.normal(0, 5, 900) + skew * rng.exponential(6, 900), rng.normal(0, 2, 900), rng.normal(0, 2, 900)], 1) for k in IDS])
    return lab, labels


class Means(unittest.TestCase):
    def drawn(self, groups=("coat",) * 3):
        return PhotoLab(PHOTO, None, IDS, groups, frozenset({"coat"}))

    @settings(max_examples=25, deadline=None)
    @given(st.integers(0, 99), st.floats(-1, 1), st.tuples(*(st.floats(-9, 9) for _ in range(3))))
    def test_each_place_is_its_forecast_in_the_mean(self, seed, skew, moves):
        lab, labels = coat(seed, skew)
        paper = {k: PHOTO[k] * 0.9 + np.array([4 + m, m / 3, -m / 2]) for k, m in zip(IDS, moves, strict=True)}
        out = lay_places(lab, labels, self.drawn(), paper)
        for n, k in enumerate(IDS, 1):
            np.testing.assert_allclose(out[labels == n].mean(0), paper[k], atol=0.05)

    def test_the_photo_s_drawing_still_shows(self):
        lab, labels = coat(3)
        out = lay_places(lab, labels, self.drawn(), {k: v * 0.9 + 5 for k, v in PHOTO.items()})
        for n in (1, 2, 3):
            here = labels == n
            self.assertGreater(np.corrcoef(out[here, 0], lab[here, 0])[0, 1], 0.9)

    def test_places_that_stand_for_themselves_are_their_forecast_too(self):
        lab, labels = coat(5, skew=0.8)
        paper = {k: v * 0.8 + 9 for k, v in PHOTO.items()}
        out = lay_places(lab, labels, self.drawn(("pupil", "iris", "lid")), paper)
        for n, k in enumerate(IDS, 1):
            np.testing.assert_allclose(out[labels == n].mean(0), paper[k], atol=0.01)


if __name__ == "__main__":
    unittest.main()
