"""What is printed and written, in millimetres and colours; and figures that a wrong line would bend."""

import datetime
import re
from dataclasses import replace

import numpy as np
import pypdf
from PIL import Image

from hanabira.core.area.shape import rectangle
from hanabira.core.colour.difference import delta_e00
from hanabira.core.optics import batch
from hanabira.core.optics.stack import bare, predict
from hanabira.core.schedule.order import Preferences, order
from hanabira.core.schedule.sessions import BREAK_EVERY, BREAK_MIN, Days, lay_out
from hanabira.core.schedule.work import AreaWork, LayerWork, hours_range
from hanabira.core.solver.area import follow
from hanabira.core.solver.layer import BANDS, WHERE, Layer
from hanabira.core.token import Token
from hanabira.craft.supplies import paper, shipped_kit, surfaces
from hanabira.craft.techniques import spacing_mm, stroke_length_mm
from hanabira.session.edits import ChangeAreas, EditBrief, SetLayers, SetPrep, TurnPhoto
from hanabira.session.tracing import areas_svg, line_picture, picture_layers, true_size_content
from hanabira.sheets.true_size import write_true_size
from hanabira.studio import planning
from tests.session.test_session import Case

MM = 72 / 25.4


def images_and_lines(path) -> tuple[list[tuple[float, float, float, float]], list[tuple[float, float]]]:
    """Every image as left, bottom, width and height, and every point of a line, in millimetres of the page."""
    images, points = [], []
    for page in pypdf.PdfReader(path).pages:
        stack, now = [], np.eye(3)
        for operands, operator in pypdf.generic.ContentStream(page.get_contents(), page.pdf if hasattr(page, "pdf") else None).operations:
            v = (
                [float(q) for q in operands]
                if all(isinstance(q, pypdf.generic.NumberObject | pypdf.generic.FloatObject) for q in operands)
                else []
            )
            if operator == b"q":
                stack.append(now)
            elif operator == b"Q":
                now = stack.pop()
            elif operator == b"cm":
                now = np.array([[v[0], v[1], 0], [v[2], v[3], 0], [v[4], v[5], 1]]) @ now
            elif operator == b"Do":
                images.append((now[2, 0] / MM, now[2, 1] / MM, now[0, 0] / MM, now[1, 1] / MM))
            elif operator in (b"m", b"l"):
                x, y, _ = np.array([v[0], v[1], 1.0]) @ now
                points.append((x / MM, y / MM))
    return images, points


class TrueSize(Case):
    """A sheet of 120 × 136 mm with a border of 10: the picture is 100 × 116 mm, from a crop of 240 × 278.4 pixels."""

    def setUp(self):
        super().setUp()
        s = self.session
        s.do(EditBrief(s, "size", width_mm=120.0, height_mm=136.0, border_mm=10.0))
        self.crop, self.k = s.photo.crop, 100.0 / s.photo.crop[2]

    def written(self, with_photo: bool):
        path = self.root / "true.pdf"
        write_true_size(true_size_content(self.session, None, with_photo, None)(Token()), path)
        return images_and_lines(path)

    def test_the_photo_is_as_wide_and_as_high_as_the_picture(self):
        images, _points = self.written(True)
        self.assertEqual(len(images), 1)
        self.assertAlmostEqual(images[0][2], 100.0, delta=0.15)
        self.assertAlmostEqual(images[0][3], 116.0, delta=0.15)

    def test_all_of_the_picture_is_on_it(self):
        path = self.root / "true.pdf"
        write_true_size(true_size_content(self.session, None, True, None)(Token()), path)
        printed = pypdf.PdfReader(path).pages[0].images[0].image.convert("RGB")
        wanted = Image.fromarray(self.session.view.sheet_crop(self.crop)).resize(printed.size, Image.Resampling.LANCZOS)
        off = np.abs(np.asarray(printed, float) - np.asarray(wanted, float)).mean((1, 2))
        self.assertLess(float(off.max()), 12)  # every row, the last as well

    def test_outlines_to_trace_have_their_size_and_their_distance(self):
        _images, points = self.written(False)
        p = np.array(points)
        for area in self.session.areas:
            ring = np.array(area.ring) * self.k
            wide, high = np.ptp(ring, 0)
            # corners of this outline among all the points: four of them with these distances
            found = [
                q for q in p
                if np.abs(p - (q + [wide, 0])).sum(1).min() < 0.1 and np.abs(p - (q + [0, high])).sum(1).min() < 0.1 and np.abs(p - (q + [wide, high])).sum(1).min() < 0.1
            ]  # fmt: skip
            self.assertTrue(found, area.name)
        a, b = (np.array(q.ring).min(0) * self.k for q in self.session.areas)
        corner = [q for q in p if np.abs(p - (q + [(b - a)[0], -(b - a)[1]])).sum(1).min() < 0.1]
        self.assertTrue(corner)

    def test_svg_is_in_millimetres_of_the_picture(self):
        text = areas_svg(self.session)
        self.assertIn('width="100.00mm" height="116.00mm"', text)
        first = re.search(r'd="M([\d.-]+) ([\d.-]+) L([\d.-]+) ([\d.-]+)', text).groups()
        x, y = self.session.areas[0].ring[0]
        self.assertAlmostEqual(float(first[0]), (x - self.crop[0]) * self.k, places=2)
        self.assertAlmostEqual(float(first[1]), (y - self.crop[1]) * self.k, places=2)
        self.assertAlmostEqual(float(first[2]) - float(first[0]), 120 * self.k, places=2)

    def test_the_layered_picture_has_its_lines_where_the_areas_are(self):
        layers = {q.name: q.pixels for q in picture_layers(self.session)(Token())}
        h, w = layers["photo"].shape[:2]
        self.assertTrue(all(q.shape[:2] == (h, w) for q in layers.values()))
        x, y = self.session.areas[0].ring[0]
        at = ((y - self.crop[1]) * w / self.crop[2], (x - self.crop[0] + 60) * w / self.crop[2])
        edge = layers["areas"][round(at[0]), round(at[1])]
        self.assertGreater(int(edge[3]), 200)
        self.assertEqual(int(layers["areas"][round(at[0]) + 20, round(at[1])][3]), 0)

    def test_lines_are_white_in_a_dark_sheath(self):
        q = line_picture((60, 40), [([(10.0, 20.0), (50.0, 20.0)], 2.0)])
        self.assertEqual(tuple(q[20, 30]), (255, 255, 255, 255))
        self.assertTrue(any(q[y, 30, 0] < 80 and q[y, 30, 3] > 60 for y in range(16, 20)))
        self.assertEqual(int(q[5, 30, 3]), 0)


class Bent(Case):
    """Figures that were once wrong by one line, and no test had noticed."""

    def test_where_areas_overlap_the_paper_is_counted_once(self):
        s = self.session
        s.do(ChangeAreas(s, "edge", [self.area("b")], [replace(self.area("b"), ring=rectangle(120, 80, 60, 60))]))  # wholly on the cheek
        layers = (Layer("general", "401", 3, 1, "everywhere", "flick", 4.0),)
        for key in "ab":
            s.do(SetLayers(s, self.area(key), layers, "layers"))
        work = planning.work_of(s.commission, s.photo, s.areas, tuple(s.recipes.values()))
        k = s.mm_per_px
        self.assertAlmostEqual(sum(w.mm2 for w in work), 120 * 100 * k * k, delta=1)
        alone = planning.work_of(s.commission, s.photo, [self.area("a")], tuple(s.recipes.values()))
        self.assertLess(
            planning.quote(s.commission, work)["hours"][1] * 60, planning.quote(s.commission, alone)["hours"][1] * 60 * 1.35 + 10
        )

    def test_straightening_takes_combing_eye_holes_and_markings_along(self):
        s = self.session
        rich = replace(
            self.area("a"), combing=(((70.0, 80.0), (110.0, 90.0)),), eye=((100.0, 100.0), (110.0, 100.0)), holes=(rectangle(80, 80, 20, 20),),
            marking_edits=(("add", rectangle(120, 90, 20, 20)),),
        )  # fmt: skip
        s.do(ChangeAreas(s, "rich", [self.area("a")], [rich]))
        s.do(TurnPhoto(s, s.photo, 10.0, False))
        now, w, h = self.area("a"), *s.photo.size
        t = np.radians(10.0)

        def turned(p):
            x, y = p[0] - w / 2, p[1] - h / 2
            return x * np.cos(t) + y * np.sin(t) + w / 2, -x * np.sin(t) + y * np.cos(t) + h / 2

        for was, is_ in (
            (rich.ring, now.ring),
            (rich.combing[0], now.combing[0]),
            (rich.eye, now.eye),
            (rich.holes[0], now.holes[0]),
            (rich.marking_edits[0][1], now.marking_edits[0][1]),
        ):
            np.testing.assert_allclose(is_, [turned(p) for p in was], atol=0.02)
        s.undo.undo()
        self.assertEqual(self.area("a"), rich)

    def test_the_expected_difference_is_the_mean_of_the_hands(self):
        kit, on = shipped_kit(), paper("hotpress")
        layers = (Layer("general", "203", 2, 2, "everywhere"), Layer("gap", "401", 4, 1, "gaps"))
        targets = {b: np.array([40.0 + 8 * k, 10.0, 18.0]) for k, b in enumerate(BANDS)}
        told = follow(on, kit, layers, targets)
        for band in BANDS:
            mine = [q for q in layers if band in WHERE[q.where]]
            passes = [(kit.index[q.code], q.pressure) for q in mine for _ in range(q.passes)]
            who, how = np.array([passes]).transpose(2, 0, 1)
            hands = delta_e00(batch.under_hands(on, bare(on), kit, who, how), targets[band]).ravel()
            self.assertGreater(np.ptp(hands), 0.05)
            self.assertAlmostEqual(told.band(band).expected_de00, float(hands.mean()), places=9)
            np.testing.assert_allclose(told.band(band).lab, predict(on, kit, [q.as_pass for q in mine])[-1].lab, atol=1e-9)

    def test_a_stroke_is_as_long_as_the_measured_hair(self):
        self.session.want_measures("a")
        m = self.session.measures("a")
        short, long_ = (replace(m, hair=replace(m.hair, length_px=mm / m.mm_per_px)) for mm in (6.0, 12.0))
        share = surfaces()["short-fur"].length
        self.assertAlmostEqual(stroke_length_mm(short, "short-fur"), 6.0 * share, delta=0.051)
        self.assertAlmostEqual(stroke_length_mm(long_, "short-fur"), 12.0 * share, delta=0.051)
        self.assertEqual(stroke_length_mm(m, "eye"), 0.0)
        self.assertGreater(spacing_mm(m, "short-fur", 1), spacing_mm(m, "short-fur", 5))

    def test_the_finish_falls_from_the_focal_point(self):
        """From 5 at the focal point by six levels over the picture's diagonal, but never under 2."""
        s = self.session
        diagonal = float(np.hypot(*s.photo.crop[2:]))
        ring = rectangle(50, 50, 10, 10)
        for share, level in ((0.0, 5), (0.1, 4), (0.25, 4), (0.35, 3), (0.5, 2), (0.9, 2)):
            focal = (55.0 + share * diagonal, 55.0)
            s.do(SetPrep(s, s.photo, "focal", focal=focal))
            self.assertEqual(s.workshop.finish(replace(self.area("a"), ring=ring)), level, share)
        self.assertEqual(s.workshop.finish(replace(self.area("a"), finish=1)), 1)

    def test_breaks_take_their_time(self):
        layers = tuple(LayerWork("general", str(k), pressure=2, stroke_mm=4.0) for k in range(30))
        work = (AreaWork("a", 1, "Coat", "short-fur", 30_000.0, (50.0, 50.0), (), 3, layers),)
        calendar = lay_out(order(work, Preferences()), Days(datetime.date(2026, 5, 4), 6.0))
        day = [q for q in calendar.placed if q.start.date() == datetime.date(2026, 5, 4)]
        gaps = [(b.start - a.end).total_seconds() / 60 for a, b in zip(day, day[1:], strict=False) if b.start > a.end]
        self.assertGreaterEqual(len(gaps), 3)
        self.assertTrue(all(abs(g - BREAK_MIN) < 0.1 for g in gaps), gaps)
        run, last = 0.0, day[0].start
        for q in day:
            run = run if (q.start - last).total_seconds() < 30 else 0.0
            run += (q.end - q.start).total_seconds() / 60
            last = q.end
            self.assertLessEqual(run, BREAK_EVERY + 0.1)

    def test_one_formula_for_a_range_of_hours(self):
        self.assertEqual(hours_range(0, 0), (0, 0))
        low, high = hours_range(600, 1200)
        self.assertTrue(10 < low < high < 20)
        self.assertGreaterEqual(hours_range(100, 100)[1], hours_range(100, 100)[0])
