"""Photos of the work against the plan behind the desk: kept, meant so, into the plan, the morning look, taken back, and files that come of it."""

import datetime
import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pypdf
from PIL import Image

from hanabira.core.progress.expected import signature
from hanabira.core.progress.meant import is_meant
from hanabira.core.solver.layer import CORRECT
from hanabira.core.token import Token
from hanabira.session.check_subject import subject_of
from hanabira.session.checkroom import MORNING_WORDS
from hanabira.session.commission_sheets import record_data, record_of
from hanabira.session.edits import EditBrief
from hanabira.session.progress_files import film_writer, pair_writer
from hanabira.session.runner import InlineRunner
from hanabira.session.session import Session
from hanabira.studio.bundle import import_bundle, read_bundle, write_bundle
from hanabira.studio.records import PhotoCheck, Recipe, Shot
from hanabira.studio.store import Store
from tests.demo_studio import OnDemo


class OnBracken(OnDemo):
    """The half-done pony: two checked photos, a green glaze planted in the mane of the last one."""

    def setUp(self):
        import shutil

        self.folder = self.root / f"of {self.id().rpartition('.')[2]}"
        shutil.copytree(self.root / "demo", self.folder)
        self.store = Store.open(self.folder)
        self.session = Session(self.store, InlineRunner())
        self.addCleanup(self.session.shut)
        self.said: list = []
        self.session.messages.said.connect(self.said.append)
        self.session.open_commission("demo-bracken")
        self.room = self.session.checkroom
        self.shots = self.session.logbook.shots()
        self.last = self.shots[-1]

    def green(self) -> dict:
        return next(f for f in self.room.faults(self.last) if f["kind"] == "green")


class Verdicts(OnBracken):
    def test_the_demo_has_two_checked_photos_with_the_planted_fault_found(self):
        self.assertEqual([self.room.verdict(q) is not None for q in self.shots], [False, True, True])
        f = self.green()
        self.assertEqual(f["name"], "Mane")
        self.assertGreater(f["size"] * -1, 3)
        self.assertNotIn("green", [q["kind"] for q in self.room.faults(self.shots[1])])
        by = self.room.verdict(self.last)["colour"]["forecast_by"]
        self.assertGreater(by["scrap"], 5 * by.get("shipped", 0), "what lies there was tried on scrap")
        curves = self.room.curves()
        mane = next(a.id for a in self.session.areas if a.name == "Mane")
        self.assertGreaterEqual(len(curves[mane]), 1)
        self.assertGreater(curves[mane][-1][1], 5)

    def test_the_final_check_of_the_delivered_portrait_says_how_near_each_area_is(self):
        self.session.open_commission("demo-vesper")
        near = self.room.nearness()
        self.assertEqual(len(near), 9)
        self.assertTrue(all(0 < v < 8 for v in near.values()), near)
        # all that does not stand as planned was laid with another pencil than the recipe's
        shot = self.session.logbook.shots()[-1]
        faults = self.room.faults(shot)
        self.assertLessEqual({f["cause"] for f in faults}, {"swapped"})
        self.assertAlmostEqual(self.session.share_done("Check"), 1 - len({f["area_id"] for f in faults}) / 9)
        record = record_data(self.session)
        self.assertEqual({a["name"]: a["de00"] for a in record["nearness"]}, {a.name: near[a.id] for a in self.session.areas})
        self.assertIn("How near", [k for k, _v in record_of(self.session)(Token()).facts])

    def test_a_check_is_one_edit_and_its_pictures_lie_in_one_frame(self):
        before = self.room.kept()
        told = self.room.verdict(self.last)
        self.room.check(self.last)
        self.assertEqual(len(self.session.undo), 1)
        again = self.room.verdict(self.last)
        self.assertEqual([(f["kind"], f["area"]) for f in again["faults"]], [(f["kind"], f["area"]) for f in told["faults"]])
        judged = self.room.judged[self.last.id]
        self.assertEqual(judged.sheet.shape, judged.wanted.shape)
        c = self.session.commission
        self.assertEqual(judged.sheet.shape[:2], (int(c.height_mm * 4), int(c.width_mm * 4)))
        paper = [int(c.ground_hex[k : k + 2], 16) for k in (1, 3, 5)]
        for picture in (judged.sheet, judged.wanted):
            np.testing.assert_allclose(np.median(picture[20:30, 300:900].reshape(-1, 3), 0), paper, atol=6)
        self.session.undo.undo()
        self.assertEqual(self.room.kept(), before)

    def test_pictures_alone_are_made_without_an_edit(self):
        before = self.room.kept()
        self.room.check(self.last, keep=False)
        self.assertEqual((len(self.session.undo), self.room.kept()), (0, before))
        self.assertIn(self.last.id, self.room.judged)

    def test_a_refused_photo_keeps_its_reason_and_cure_and_nothing_else(self):
        path = self.root / "dark.jpg"
        Image.fromarray(np.full((900, 1200, 3), 6, np.uint8)).save(path)
        self.session.logbook.add_shot(path)
        shot = self.session.logbook.shots()[-1]
        self.room.check(shot)
        data = self.room.verdict(shot)
        self.assertIn("black", data["refused"]["reason"])
        self.assertTrue(data["refused"]["cure"])
        self.assertEqual((data["areas"], data["faults"], self.room.faults(shot)), ([], [], []))
        self.assertNotIn(shot.id, self.room.judged)
        self.assertEqual(len(next(iter(self.room.curves().values()))), 2)

    def test_nothing_begun_is_said_and_not_judged(self):
        self.session.open_commission("demo-tansy")
        path = self.root / "any.jpg"
        Image.fromarray(np.full((900, 1200, 3), 120, np.uint8)).save(path)
        self.session.logbook.add_shot(path)
        self.room.check(self.session.logbook.shots()[-1])
        self.assertEqual(self.room.kept(), {})
        self.assertIn("Nothing is laid", self.said[-1].what)


class Deciding(OnBracken):
    def test_what_is_meant_so_is_kept_and_can_be_said_again(self):
        key = self.green()["key"]
        n = len(self.room.faults(self.last))
        self.assertTrue(self.room.mean(self.last, key))
        self.assertEqual(len(self.room.faults(self.last)), n - 1)
        self.room.check(self.last)  # a later reading does not say it again
        self.assertNotIn(key, [f["key"] for f in self.room.faults(self.last)])
        self.session.undo.undo()
        self.session.undo.undo()
        self.assertEqual(len(self.room.faults(self.last)), n)
        self.room.mean(self.last, key)
        self.assertTrue(self.room.mean(self.last, key, False))
        self.assertIn(key, [f["key"] for f in self.room.faults(self.last)])

    def grown(self, key: str, times: float) -> None:
        """The last photo, read so that a fault is so many times as large."""
        found = self.room.kept()[self.last.id]
        data = json.loads(found.told)
        data["faults"] = [{**f, "size": f["size"] * times} if f["key"] == key else f for f in data["faults"]]
        self.session.apply(put=[replace(found, told=json.dumps(data))])

    def said_again(self) -> list[str]:
        return [f["key"] for f in self.room.faults(self.last)]

    def test_what_is_meant_so_is_said_again_when_it_is_much_farther_off(self):
        f = self.green()
        self.room.mean(self.last, f["key"])
        for times, again in ((1.5, False), (1.4, True), (0.2, False)):  # half as far again, then twice as far, then less than half
            self.grown(f["key"], times)
            self.assertEqual(f["key"] in self.said_again(), again, times)
        self.grown(f["key"], 8)
        self.room.mean(self.last, f["key"])  # and so it is meant, too
        self.assertNotIn(f["key"], self.said_again())
        (kept,) = [k for k in self.room.kept()[self.last.id].meant if k.startswith(f["key"])]
        self.assertAlmostEqual(float(kept.rpartition("@")[2]), f["size"] * 1.5 * 1.4 * 0.2 * 8, delta=0.05)

    def test_what_an_earlier_version_kept_has_the_size_of_its_photo(self):
        f = self.green()
        found = self.room.kept()[self.last.id]
        self.session.apply(put=[replace(found, meant=(f["key"],))])
        self.assertNotIn(f["key"], self.said_again())
        self.assertAlmostEqual(self.room.meant()[f["key"]], abs(f["size"]))

    def test_a_reading_that_wavers_is_not_said_again(self):
        self.assertTrue(is_meant("k", 4.0, 1.6, {"k": 1.0}), "within two deviations of what was meant")
        self.assertFalse(is_meant("k", 4.0, 1.4, {"k": 1.0}))
        self.assertFalse(is_meant("k", -4.0, 0.1, {"k": 1.0}))
        self.assertFalse(is_meant("other", 0.1, 9.0, {"k": 1.0}))
        self.assertTrue(is_meant("k", 0.0, 0.0, {"k": 0.0}), "what has no size is meant or not")

    def test_a_correction_becomes_a_step_and_does_not_move_the_forecast(self):
        f = self.green()
        before = self.session.recipes[f["area_id"]]
        wanted = {p: s.lab.copy() for p, s in self.told(f["area_id"]).items()}
        self.assertTrue(self.room.into_plan(self.last, f["key"]))
        after = self.session.recipes[f["area_id"]]
        added = after.layers[len(before.layers) :]
        self.assertEqual([q.role for q in added], [CORRECT] * len(f["proposal"]["steps"]))
        self.assertEqual(
            [(q.code, q.tool, q.pressure) for q in added], [(s["pencil"], s["tool"], s["pressure"]) for s in f["proposal"]["steps"]]
        )
        self.assertTrue(all(q.why == f["sentence"] and q.on == (f["place"],) for q in added))
        steps = self.session.planner.planned().ordered.steps
        mine = [s.key for s in steps if s.area is not None and s.area.id == f["area_id"]]
        self.assertEqual(mine[-len(added) :], [f"{f['area_id']}:{q.id}" for q in added])
        for place, state in self.told(f["area_id"]).items():
            np.testing.assert_array_equal(state.lab, wanted[place])
        self.session.undo.undo()
        self.assertEqual(self.session.recipes[f["area_id"]], before)

    def told(self, key: str):
        self.session.want_measures(key)
        return self.session.prediction(key)[0].bands

    def test_skipped_layers_are_opened_again(self):
        row = next(r for r in self.session.planner.log() if r.area_id.endswith("area-7") and r.state == "done")
        self.session.apply(put=[replace(row, state="skipped")])
        found = self.room.kept()[self.last.id]
        data = json.loads(found.told)
        data["faults"] = [{**self.green(), "key": "k", "proposal": {**self.green()["proposal"], "tool": "lay", "steps": [{"id": row.step.partition(":")[2], "pencil": "401", "pressure": 2, "passes": 1, "tool": ""}]}}]  # fmt: skip
        self.session.apply(put=[replace(found, told=json.dumps(data))])
        self.assertTrue(self.room.into_plan(self.last, "k"))
        self.assertNotIn(row.step, self.session.planner.done_keys())

    def test_a_photo_is_old_when_the_log_has_moved_on(self):
        self.assertEqual(self.room.stale(self.last), 0)
        row = self.session.planner.log()[-1]
        self.session.apply(put=[replace(row, id="later", at="2099-01-01T10:00:00")])
        self.assertEqual(self.room.stale(self.last), 1)


class Mornings(OnBracken):
    def test_only_after_a_night_and_only_once(self):
        taken = datetime.datetime.fromisoformat(self.last.at)
        next_day = taken.replace(hour=8) + datetime.timedelta(days=1)
        self.assertTrue(self.room.morning(self.last, next_day))
        self.assertFalse(self.room.morning(self.last, taken + datetime.timedelta(hours=1)))
        self.session.settings.set("mornings", False)
        self.assertFalse(self.room.morning(self.last, next_day))
        self.session.settings.set("mornings", True)
        area = self.green()["area_id"]
        self.assertTrue(self.room.say_first(self.last, 4, area, True, (300.0, 90.0)))
        self.assertFalse(self.room.morning(self.last, next_day))

    def test_what_was_said_is_held_against_the_measure(self):
        area = self.green()["area_id"]
        for word, where, agrees in ((4, area, True), (1, area, False), (0, "", False), (5, "", True), (4, "somewhere else", False)):
            self.room.say_first(self.last, word, where, False, None)
            self.assertEqual(self.room.agreed(self.last), agrees, MORNING_WORDS[word])
        self.assertIsNone(self.room.agreed(self.shots[0]))
        self.assertEqual(len(self.room.mornings()), 1)

    def test_what_comes_back_becomes_an_offer(self):
        self.assertEqual(self.room.lessons(), ())
        found = self.room.kept()[self.last.id]
        data = json.loads(found.told)
        data["faults"] = [{**f, "kind": "darker"} for f in data["faults"] for _ in range(3)]
        data["colour"]["leaning_lab"] = [-4.0, 0, 0]
        other = json.loads(self.room.kept()[self.shots[1].id].told)
        other["colour"]["leaning_lab"] = [-5.0, 0, 0]
        self.session.apply(put=[replace(found, told=json.dumps(data)), replace(self.room.kept()[self.shots[1].id], told=json.dumps(other))])
        self.assertEqual({q["kind"] for q in self.room.lessons()}, {"hand", "again"})
        self.assertIn("darker", next(q["words"] for q in self.room.lessons() if q["kind"] == "hand"))


class Likeness(OnBracken):
    def test_the_briefs_marks_are_ticked_for_one_photo_and_count_as_no_fault_that_was_meant(self):
        notes = "One ear a little back, always; the star is not quite round.\nLower lip hangs"
        self.session.do(EditBrief(self.session, "notes", notes=notes))
        marks = [q for q, _found in self.room.likeness(self.last)]
        self.assertEqual(marks, ["One ear a little back, always", "the star is not quite round", "Lower lip hangs"])
        faults = self.room.faults(self.last)
        self.assertTrue(self.room.tick(self.last, marks[1], True))
        self.assertEqual([found for _q, found in self.room.likeness(self.last)], [False, True, False])
        self.assertEqual([found for _q, found in self.room.likeness(self.shots[1])], [False, False, False])
        self.assertEqual(self.room.faults(self.last), faults)
        self.assertFalse(self.room.tick(self.last, marks[1], True), "said already")
        self.session.undo.undo()
        self.assertEqual([found for _q, found in self.room.likeness(self.last)], [False, False, False])


class Learning(OnBracken):
    def test_the_hand_counts_only_when_the_artist_agrees_and_can_be_forgotten(self):
        subject = subject_of(self.session, self.last)
        bare_ = replace(subject, recipes={k: replace(r, tried=()) for k, r in subject.recipes.items()}, earlier=None)
        plain = {e.area_id: e.now for e in bare_.measured(Token()).expected()}
        self.room.take_lesson([-4.0, 0.0, 1.0])
        self.assertEqual(self.room.lean, [-4.0, 0.0, 1.0])
        self.assertEqual(subject_of(self.session, self.last).lean, (-4.0, 0.0, 1.0))
        leant = {e.area_id: e.now for e in replace(bare_, lean=(-4.0, 0.0, 1.0)).measured(Token()).expected()}
        shifts = [leant[a][p][0] - plain[a][p][0] for a in plain for p in plain[a]]
        self.assertAlmostEqual(min(shifts), -4.0, delta=0.01)
        self.assertTrue(all(-4.01 <= v <= 0 for v in shifts))
        # a stack that was tried needs no lean: it shows the hand already
        tried = {e.area_id: e for e in replace(subject, lean=(-4.0, 0.0, 1.0), earlier=None).measured(Token()).expected()}
        before = {e.area_id: e for e in replace(subject, earlier=None).measured(Token()).expected()}
        for key, e in tried.items():
            for p, source in e.source.items():
                if source == "scrap":
                    np.testing.assert_array_equal(e.now[p], before[key].now[p])
        self.room.forget_lesson()
        self.assertEqual((self.room.lean, subject_of(self.session, self.last).lean), ([], (0.0, 0.0, 0.0)))

    def test_what_came_back_three_times_is_a_caution_for_what_comes(self):
        dull = lambda: [w for w in self.room.cautions() if "dull" in w]  # noqa: E731
        self.assertEqual(dull(), [])
        found = self.room.kept()[self.last.id]
        data = json.loads(found.told)
        f = self.green()
        data["faults"] = [{**f, "kind": "dull", "key": f"k{n}"} for n in range(3)]
        self.session.apply(put=[replace(found, told=json.dumps(data))])
        self.assertIn("3 times too dull", dull()[0])
        self.session.apply(put=[replace(found, told=json.dumps(data), meant=("k0",))])
        self.assertEqual(dull(), [])


class Scrap(OnBracken):
    def test_chips_that_were_read_back_are_known_for_their_places(self):
        self.session.open_commission("demo-vesper")  # it is finished: its whole stacks lie there
        self.session.apply(put=[replace(r, tried=()) for r in self.session.recipes.values()])
        plain = subject_of(self.session, None).measured(Token()).expected()
        self.assertEqual({s for e in plain for s in e.source.values()}, {"shipped"})
        stacks = dict(self.session.workshop.stacks())
        chips = [(stack, np.array([40.0 + n, 1.0, 2.0])) for n, stack in enumerate(stacks.values())]
        places = self.room.keep_tried(chips)
        self.assertGreaterEqual(places, len(chips))
        known = subject_of(self.session, None).measured(Token()).expected()
        self.assertTrue({"scrap", "near"} & {s for e in known for s in e.source.values()})
        read = [(e.now[place]) for e in known for place, source in e.source.items() if source == "scrap"]
        self.assertTrue(read)
        for lab_now in read:
            self.assertTrue(any(np.allclose(lab_now, lab) for _s, lab in chips))
        self.session.undo.undo()
        self.assertEqual({s for e in subject_of(self.session, None).measured(Token()).expected() for s in e.source.values()}, {"shipped"})
        self.assertEqual(self.room.keep_tried([]), 0)


class Kept(OnBracken):
    def test_verdicts_and_tried_stacks_travel_in_a_bundle(self):
        self.room.mean(self.last, self.green()["key"])
        path = write_bundle(self.store, "demo-bracken", self.root / "b.zip").path
        got = read_bundle(path)
        self.assertEqual({q.id for q in got.checks}, set(self.room.kept()))
        with Store.open(self.root / "other") as other:
            made = import_bundle(other, path).commission
            self.assertEqual(other.all(PhotoCheck, commission_id=made.id), self.store.all(PhotoCheck, commission_id="demo-bracken"))
            again = import_bundle(other, path).commission  # a copy has ids of its own all through
            copy = other.all(PhotoCheck, commission_id=again.id)
            shots = {q.id for q in other.all(Shot, commission_id=again.id)}
            self.assertEqual({q.id for q in copy} - shots, set())
            areas = {r.area_id for r in other.all(Recipe, commission_id=again.id)}
            for q in copy:
                self.assertTrue({a["id"] for a in json.loads(q.told)["areas"]} <= areas)
                self.assertTrue(all(k.partition(":")[0] in areas for k in q.meant))

    def test_a_photo_takes_its_verdict_with_it_and_brings_it_back(self):
        self.session.logbook.drop_shot(self.last)
        self.assertNotIn(self.last.id, self.room.kept())
        self.session.undo.undo()
        self.assertIn(self.last.id, self.room.kept())

    def test_every_stack_of_the_demo_was_tried(self):
        for r in self.session.recipes.values():
            names = {(p, s) for p, s, *_ in r.tried}
            for p in r.places:
                if signature(r.layers, p.id) and any(q.code and not q.tool and p.id in q.on for q in r.layers):
                    self.assertIn((p.id, signature(r.layers, p.id)), names)


class Files(OnBracken):
    def test_the_pair_shows_photo_and_work_side_by_side_without_the_cast(self):
        png = self.root / "pair.png"
        pair_writer(self.session, self.last, png)(Token())
        picture = np.asarray(Image.open(png))
        c = self.session.commission
        w = int(c.width_mm * 4)
        self.assertEqual(picture.shape[1], 2 * w + 32)
        ground = [int(c.ground_hex[k : k + 2], 16) for k in (1, 3, 5)]
        np.testing.assert_allclose(np.median(picture[10:30, w + 60 : 2 * w - 60].reshape(-1, 3), 0), ground, atol=6)
        pdf = self.root / "pair.pdf"
        pair_writer(self.session, self.last, pdf)(Token())
        page = pypdf.PdfReader(pdf).pages[0]
        self.assertAlmostEqual(float(page.mediabox.width) / 72 * 25.4, 297, delta=0.5)
        self.assertIn("Bracken", page.extract_text())

    def test_the_film_has_a_frame_for_each_photo_in_one_frame(self):
        path = self.root / "film.gif"
        written = film_writer(self.session, path)(Token())
        film = Image.open(written.path)
        straight = len(self.shots) - len(written.remarks)
        self.assertEqual(film.n_frames, straight)
        self.assertGreaterEqual(straight, 2)
        first = np.asarray(film.convert("RGB"), float)
        film.seek(film.n_frames - 1)
        last = np.asarray(film.convert("RGB"), float)
        self.assertEqual(first.shape, last.shape)
        corner = np.s_[6:14, 6:40]
        np.testing.assert_allclose(first[corner].reshape(-1, 3).mean(0), last[corner].reshape(-1, 3).mean(0), atol=8)
        self.assertIsInstance(path, Path)
