"""Which areas lie over which, against the plain definition; and numbers of areas on the picture."""

import random
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from hanabira.core.area.shape import ring_area, smooth_ring
from hanabira.studio.overlaps import Overlaps, box_of, curve_of
from hanabira.studio.records import Area


def some_areas(seed: int, n: int) -> tuple[Area, ...]:
    r = random.Random(seed)
    out = []
    for k in range(n):
        x, y, w, h = r.uniform(0, 300), r.uniform(0, 300), r.uniform(5, 150), r.uniform(5, 150)
        ring = ((x, y), (x + w, y + r.uniform(0, 9)), (x + w, y + h), (x, y + h))
        out.append(Area(f"a{k}", "c", "p", k, f"Area {k}", "eye", ring, r.random() < 0.5, level=r.choice((0, 0, 0, 1, -1))))
    return tuple(out)


def meet(a: Area, b: Area) -> bool:
    p, q = (smooth_ring(x.ring) if x.smooth else x.ring for x in (a, b))
    xs, ys, us, vs = ([v[0] for v in p], [v[1] for v in p], [v[0] for v in q], [v[1] for v in q])
    return min(xs) <= max(us) and max(xs) >= min(us) and min(ys) <= max(vs) and max(ys) >= min(vs)


class Order(unittest.TestCase):
    @settings(max_examples=60)
    @given(st.integers(0, 10_000), st.integers(1, 14))
    def test_higher_levels_then_smaller_areas_lie_over(self, seed: int, n: int):
        areas = some_areas(seed, n)
        overlaps = Overlaps(areas)
        rank = lambda a: (a.level, -abs(ring_area(a.ring)))  # noqa: E731
        for a in areas:
            expected = {b.id for b in areas if b is not a and rank(b) > rank(a) and meet(a, b)}
            self.assertEqual({b.id for b in overlaps.over(a)}, expected)
            self.assertEqual({b.id for b in overlaps.over(a)}, expected)  # and the same when asked again
            # an area as it would be, that is not among them yet
            twin = Area("new", "c", "p", 99, "New", "eye", a.ring, a.smooth, level=a.level)
            self.assertEqual(
                {b.id for b in overlaps.over(twin)} - {a.id}, {b.id for b in areas if rank(b) > rank(twin) and meet(twin, b)} - {a.id}
            )
        self.assertEqual([rank(a) for a in overlaps.upward()], sorted(rank(a) for a in areas))

    def test_alike_areas_lie_beside_one_another(self):
        a, b = some_areas(3, 1)[0], some_areas(3, 1)[0]
        overlaps = Overlaps(
            (
                a,
                Area(
                    "b",
                    *[getattr(b, f) for f in ("commission_id", "photo_id", "number", "name", "surface_id", "ring", "smooth")],
                    level=b.level,
                ),
            )
        )
        self.assertEqual(overlaps.over(a), ())
        self.assertEqual(Overlaps(()).over(a), ())

    def test_boxes_follow_the_curve_as_it_is_drawn(self):
        ring = ((0.0, 0.0), (100.0, 0.0), (100.0, 60.0), (0.0, 60.0))
        self.assertEqual(box_of(ring, False), (0.0, 0.0, 100.0, 60.0))
        left, top, right, bottom = box_of(ring, True)
        self.assertTrue(left < -5 and right > 105 and top < -3 and bottom > 63)
        self.assertAlmostEqual(curve_of(ring, False, (((10.0, 10.0), (20.0, 10.0), (20.0, 20.0), (10.0, 20.0)),)).area, 5900)
