"""Curve, light and places: colours of a photo made true, each with what it may be off by."""

import unittest

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import linear_to_srgb, srgb_to_linear
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.stack import predict
from hanabira.core.progress.check import check_photo
from hanabira.core.progress.find import Refused
from hanabira.core.progress.light import bare_blocks, fit_light, surface
from hanabira.core.progress.on_sheet import on_sheet
from hanabira.core.progress.reading import core_of
from hanabira.core.progress.strip import GREYS, Patch, rects
from hanabira.core.progress.tone import PatchSeen, fit_curve, linear_of, unknown_curve
from tests import portrait


def seen_by(curve, light: float = 0.8, noise: float = 0.0) -> list[PatchSeen]:
    """Seven greys and four colours as a camera of this curve shows them under a light."""
    rng = np.random.default_rng(1)
    known = [np.array([v, 0.0, 0.0]) for v in GREYS] + [np.array(v) for v in ((30.0, 40, 30), (50, -30, 30), (35, 10, -40), (80, 5, 70))]
    out = []
    for k, lab in enumerate(known):
        e = curve(linear_to_srgb(linear_of(lab) * light))
        white = curve(linear_to_srgb(linear_of(np.array([95.0, 0, -1])) * light))
        out.append(PatchSeen(Patch(rects()[k], lab, 0.3, k < 7), e + rng.normal(0, noise, 3), white, 0.0))
    return out


CURVES = {
    "straight": lambda e: e,
    "lifted": lambda e: e + 0.06 * (1 - e) ** 3,
    "contrast": lambda e: 0.5 * e + 0.5 * e * e * (3 - 2 * e),
    "power": lambda e: e**0.85,
}


class Tone(unittest.TestCase):
    def test_known_curves_are_undone(self):
        # none of these formulas is the prior's own family
        for name, curve in CURVES.items():
            found = fit_curve(seen_by(curve))
            for s in seen_by(curve):
                got, true = found.of_patch(s), linear_of(s.patch.lab)
                self.assertLess(float(np.abs(got - true).max()), 0.02 + 0.04 * float(true.max()), (name, s.patch.lab))

    def test_without_a_strip_any_curve_is_possible(self):
        known = np.diag(fit_curve(seen_by(CURVES["straight"])).covariance)[2:7]
        self.assertTrue((np.diag(unknown_curve().covariance)[2:7] > 2 * known).all())
        self.assertFalse(unknown_curve().known)

    def test_a_stained_patch_moves_little(self):
        plain, stained = seen_by(CURVES["lifted"]), seen_by(CURVES["lifted"])
        stained[3] = PatchSeen(stained[3].patch, stained[3].value * 0.6, stained[3].white, 0.0)
        a, b = fit_curve(plain), fit_curve(stained)
        dark = np.full((1, 3), 0.2)
        self.assertLess(float(np.abs(a.log_linear(dark) - b.log_linear(dark)).max()), 0.12)

    @settings(max_examples=15)
    @given(st.floats(0.45, 1.0))
    def test_the_strips_own_light_does_not_matter(self, light):
        found = fit_curve(seen_by(CURVES["contrast"], light))
        middle = [s for s in seen_by(CURVES["contrast"], light) if 30 < s.patch.lab[0] < 70 and s.patch.printed]
        for s in middle:
            self.assertLess(float(np.abs(np.log(found.of_patch(s) / linear_of(s.patch.lab))).max()), 0.12)


class Light(unittest.TestCase):
    def test_a_lamp_from_one_side_is_taken_out_of_bare_paper(self):
        h, w = 540, 450
        yy, xx = np.mgrid[0:h, 0:w]
        lamp = np.exp(-0.5 * xx / w - 0.2 * (yy / h) ** 2)
        flat = linear_to_srgb(linear_of(portrait.GROUND) * (0.8 * lamp)[..., None] * np.array([1.1, 1.0, 0.8])).astype(np.float32)
        bare = np.ones((h, w), bool)
        values, places = bare_blocks(flat, bare)
        colouring = fit_light(unknown_curve(), values, places, portrait.SIZE, portrait.GROUND)
        got = colouring.linear(flat)
        self.assertLess(float(np.abs(np.log(got / linear_of(portrait.GROUND))).max()), 0.03)

    def test_a_shadow_on_the_paper_is_trusted_less_than_the_rest(self):
        h, w = 540, 450
        flat = np.broadcast_to(linear_to_srgb(linear_of(portrait.GROUND) * 0.8), (h, w, 3)).astype(np.float32).copy()
        flat[:180, :150] = linear_to_srgb(srgb_to_linear(flat[:180, :150].astype(float)) * 0.7)
        values, places = bare_blocks(flat, np.ones((h, w), bool))
        got = fit_light(unknown_curve(), values, places, portrait.SIZE, portrait.GROUND).linear(flat)
        far = np.log(got[300:, 250:] / linear_of(portrait.GROUND))
        self.assertLess(float(np.abs(far).max()), 0.04)

    def test_too_little_or_burnt_paper_is_refused(self):
        flat = np.full((540, 450, 3), 0.8, np.float32)
        with self.assertRaises(Refused) as none:
            bare_blocks(flat, np.zeros((540, 450), bool))
        with self.assertRaises(Refused) as burnt:
            bare_blocks(np.ones_like(flat), np.ones((540, 450), bool))
        self.assertEqual((none.exception.key, burnt.exception.key), ("no_paper", "burnt"))

    def test_the_surface_has_every_power_up_to_three(self):
        u, v = np.array([0.5]), np.array([-0.25])
        self.assertEqual(sorted(surface(u, v)[0].tolist()), sorted(0.5**i * (-0.25) ** j for i in range(4) for j in range(4 - i)))


class Places(unittest.TestCase):
    """Photos of a known sheet by cameras that the fit never saw."""

    @classmethod
    def setUpClass(cls):
        cls.sheet, cls.plan = portrait.drawn(), portrait.plan()
        size = (cls.plan.sheet.lab.shape[1], cls.plan.sheet.lab.shape[0])
        cls.true = cv2.GaussianBlur(cv2.resize(cls.sheet.lab, size, interpolation=cv2.INTER_AREA), (0, 0), 1.5)

    def misses(self, checked):
        out = []
        for q in checked.places:
            a = next(a for a in self.plan.sheet.areas if a.id == q.area_id)
            mask = core_of(a) & (a.drawn.labels == 1 + a.drawn.ids.index(q.place))
            true = np.median(self.true[mask], 0)
            out.append((float(delta_e00(q.found, true)), q.found - true, q.sigma, true))
        return out

    def test_places_are_read_within_the_uncertainty_they_state(self):
        de, z, darks = [], [], []
        for seed, curve in ((21, "phone"), (22, "lift"), (23, "contrast"), (24, "gamma")):
            _lies, shot = portrait.taken(self.sheet, seed=seed, curve=curve)
            for d, off, sigma, true in self.misses(check_photo(shot.photo, self.plan)):
                de.append(d)
                z.append(off / sigma)
                darks += [off[0]] if true[0] < 25 else []
        self.assertLess(float(np.median(de)), 2.0)
        self.assertLess(float(np.percentile(de, 95)), 4.5)
        self.assertLess(abs(float(np.mean(darks))), 1.5)
        self.assertGreater(float((np.abs(np.array(z)[:, 0]) < 2).mean()), 0.85)

    def test_without_the_strip_no_dark_is_judged(self):
        _lies, shot = portrait.taken(self.sheet, strip=False, seed=21, curve="phone")
        checked = check_photo(shot.photo, self.plan)
        self.assertFalse(checked.strip)
        dark = [p for p in checked.places if p.wanted[0] < 30]
        self.assertTrue(dark)
        self.assertEqual({p.hidden for p in dark}, {"no strip"})
        self.assertTrue(any(not p.hidden for p in checked.places))
        self.assertFalse(
            [
                f
                for f in checked.verdict.faults
                if f.kind in ("lighter", "darker") and any(p.place == f.place and p.area_id == f.area_id for p in dark)
            ]
        )

    def test_the_strip_is_left_alone_when_it_is_not_wanted(self):
        _lies, shot = portrait.taken(self.sheet, seed=21)
        self.assertFalse(check_photo(shot.photo, self.plan, use_strip=False).strip)

    def test_a_hand_on_the_sheet_is_not_judged(self):
        _lies, shot = portrait.taken(self.sheet, seed=22, curve="none")
        plain = check_photo(shot.photo, self.plan)
        at = plain.map.to_photo(np.array([[96.0, 60.0], [110, 60], [150, 110], [96, 110]])).astype(np.int32)
        hand = cv2.fillPoly(shot.photo.copy(), [at], (120, 80, 60))
        checked = check_photo(hand, self.plan)
        self.assertGreater(checked.shares["covered"], 0.02)
        nose = [p for p in checked.places if p.area_id == "nose"]
        self.assertTrue(all(p.hidden == "covered" for p in nose), [(p.place, p.hidden) for p in nose])

    def test_two_photos_take_the_gloss_out(self):
        how = dict(curve="none", hand=0.0)
        _a, glossy = portrait.taken(self.sheet, seed=40, sheen=0.1, **how)
        _b, other = portrait.taken(self.sheet, seed=36, **how)
        one = check_photo(glossy.photo, self.plan)
        two = check_photo(glossy.photo, self.plan, second=other.photo)
        lift = lambda c: max(float(off[0]) for _d, off, _s, true in self.misses(c) if true[0] < 40)  # noqa: E731
        self.assertGreater(lift(one), 3.0)
        self.assertLess(lift(two), lift(one) - 1.5)


class OnTheSheet(unittest.TestCase):
    def test_narrow_paper_between_areas_belongs_to_the_coat_and_not_to_the_eye(self):
        s = portrait.sheet()
        coat, eye = (next(a for a in s.areas if a.id == k) for k in ("coat", "eye"))
        self.assertEqual(int((eye.inside & ~eye.core).sum()), 0)
        back = next(a for a in s.areas if a.id == "back")
        gap = np.s_[int(106 * 3), int(50 * 3)]  # 12 mm of paper lie between coat and back
        self.assertTrue(coat.inside[gap] or back.inside[gap])
        self.assertFalse(coat.core[gap] or back.core[gap])

    def test_the_border_stays_bare_and_millimetres_are_kept(self):
        s = portrait.sheet()
        edge = int(portrait.BORDER * 3) - 1
        self.assertFalse(any(a.inside[:edge].any() or a.inside[:, :edge].any() for a in s.areas))
        eye = next(a for a in s.areas if a.id == "eye")
        ys, xs = np.nonzero(eye.core)
        np.testing.assert_allclose([(xs.min()) / 3, (xs.max() + 1) / 3], [106, 136], atol=0.7)
        np.testing.assert_allclose([(ys.min()) / 3, (ys.max() + 1) / 3], [34, 68], atol=0.7)
        empty = on_sheet(np.full((180, 150, 3), 200, np.uint8), (10, 10, 130, 160), portrait.SIZE, 10.0, (), 2.0)
        self.assertEqual((empty.lab.shape, empty.areas), ((360, 300, 3), ()))

    def test_a_picture_shows_each_places_colour(self):
        s = portrait.sheet()
        colours = {"eye": {"pupil": np.array([12.0, 0, 0]), "iris": np.array([40.0, 10, 20])}}
        picture = s.picture(colours, portrait.GROUND)
        eye = next(a for a in s.areas if a.id == "eye")
        for n, place in enumerate(eye.drawn.ids, 1):
            seen = picture[eye.inside & (eye.drawn.labels == n)].mean(0)
            np.testing.assert_allclose(seen, colours["eye"][place], atol=0.2)  # on the whole it is what lies there; the photo's forms go about that
        coat = next(a for a in s.areas if a.id == "coat")
        np.testing.assert_allclose(picture[coat.core], np.broadcast_to(portrait.GROUND, (int(coat.core.sum()), 3)), atol=1e-3)

    def test_predicting_and_drawing_agree_on_what_lies_where(self):
        kit, on = portrait.KIT, portrait.PAPER
        e = portrait.plan(scrap=False).by_area["coat"]
        for place in e.now:
            stack = [Pass(q.code, q.pressure, q.passes) for q in portrait.RECIPES["coat"] if place in q.on]
            np.testing.assert_allclose(e.now[place], predict(on, kit, stack)[-1].lab)


if __name__ == "__main__":
    unittest.main()
