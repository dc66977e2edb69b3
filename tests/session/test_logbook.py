"""The log and the photos of the work, without a window: taken in, taken out, watched, photographed; a promise that stays."""

import os
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
from PIL import Image

from hanabira.core.clock import Clock
from hanabira.core.faults import Fault, PhotoFault
from hanabira.core.solver.layer import Layer
from hanabira.session.edits import Edit, SetLayers
from hanabira.studio import account
from hanabira.studio.records import LogRow, PhotoCheck, Shot
from tests.session.test_session import Case


class LogCase(Case):
    def setUp(self):
        super().setUp()
        self.book = self.session.logbook
        self.picture = self.root / "work.jpg"
        Image.fromarray(np.full((240, 180, 3), 120, np.uint8)).save(self.picture)

    def row(self, key: str, minutes: float, guess: float = 10.0, **more: object) -> LogRow:
        plain = LogRow(key, "c", f"a:{key}", "a", "Cheek", "short-fur", "general", "209", 2, minutes, guess, "2026-01-05T10:00:00")
        return replace(plain, **more)

    def lose(self, shot: Shot) -> None:
        """Somebody deletes the file of a photo."""
        for path in Path(self.store.folder).rglob(f"{shot.digest}*"):
            path.unlink()

    def log(self, *rows: LogRow) -> None:
        self.session.do(Edit(self.session, "log", [], list(rows)))


class Photos(LogCase):
    def test_a_photo_of_the_work_comes_in_as_one_edit_and_goes_out_as_one(self):
        self.book.add_shot(self.picture, "a:l1", "first darks")
        (shot,) = self.book.shots()
        self.assertEqual(
            (shot.original_name, shot.step, shot.note, shot.width_px, shot.height_px), ("work.jpg", "a:l1", "first darks", 180, 240)
        )
        self.assertIn("Photo work.jpg is in the log", self.said[-1].what)
        self.store.edit([PhotoCheck(shot.id, "c", "2026-01-06T10:00:00", "{}")])
        self.book.drop_shot(shot)
        self.assertEqual((self.book.shots(), self.store.get(PhotoCheck, shot.id)), ((), None))
        self.session.undo.undo()
        self.assertEqual(self.book.shots(), (shot,))
        self.assertIsNotNone(self.store.get(PhotoCheck, shot.id), "what was judged from it comes back with it")
        self.session.undo.undo()
        self.assertEqual(self.book.shots(), ())

    def taken(self, said: str | None, age_h: float, tag: int = 0x9003) -> tuple[str, list]:
        """What is kept as the time of a photo, and what was asked; the camera says ``said``, the file is so old."""
        exif = Image.Exif()
        if said is not None:
            (exif.get_ifd(0x8769) if tag != 0x0132 else exif)[tag] = said
        path = self.root / f"{len(self.book.shots())}.jpg"
        Image.fromarray(np.full((240, 180 + len(self.book.shots()), 3), 120, np.uint8)).save(path, exif=exif)
        os.utime(path, (path.stat().st_mtime - 3600 * age_h,) * 2)
        asked = []
        self.session.clock = Clock.at("2026-09-15T10:20:30")
        self.session.ask_time = lambda name, when, now: asked.append((name, when.at.isoformat(timespec="minutes"), when.word)) or when.at
        before = {s.id for s in self.book.shots()}
        self.book.add_shot(path)
        (shot,) = [s for s in self.book.shots() if s.id not in before]
        return shot.at, asked

    def test_the_time_of_a_photo_is_its_cameras_own(self):
        for tag in (0x9003, 0x0132):
            self.assertEqual(self.taken("2026:09:12 18:05:30", 100, tag), ("2026-09-12T18:05:30", []))
        self.assertIn("taken on 12 September 2026, 18:05", self.said[-1].what)
        self.assertEqual(self.taken("2026:09:15 10:19:00", 0)[0], "2026-09-15T10:19:00")
        self.assertNotIn("taken on", self.said[-1].what)
        self.assertEqual([s.at for s in self.book.shots()], sorted(s.at for s in self.book.shots()), "photos stand in the order they were taken in")

    def test_without_one_the_file_counts_and_is_asked_about_when_it_is_old(self):
        self.assertEqual(self.taken(None, 0.5), ("2026-09-15T10:20:30", []))
        at, asked = self.taken(None, 30)
        self.assertEqual(asked, [("1.jpg", "2026-09-14T04:20", "file")])
        self.assertEqual(at[:16], "2026-09-14T04:20")
        for nonsense in ("0000:00:00 00:00:00", "yesterday"):
            self.assertEqual(self.taken(nonsense, 0)[1], [], "a camera without a clock has said nothing")

    def test_a_camera_that_is_ahead_is_asked_about(self):
        self.assertEqual(self.taken("2027:01:01 09:00:00", 0)[1], [("0.jpg", "2027-01-01T09:00", "camera")])

    def test_what_is_no_picture_is_said_and_nothing_is_logged(self):
        for name, content in (("notes.jpg", b"no picture"), ("empty.png", b"")):
            (self.root / name).write_bytes(content)
            with self.assertRaises(PhotoFault):  # without a window a fault goes to whoever called
                self.book.add_shot(self.root / name)
        with self.assertRaises(Fault):
            self.book.add_shot(self.root / "nowhere.jpg")
        self.assertEqual(self.book.shots(), ())

    def test_a_copy_to_look_at_is_opened_once_and_told_when_it_is_there(self):
        self.book.add_shot(self.picture)
        (shot,) = self.book.shots()
        told = []
        self.session.shot_ready.connect(told.append)
        self.book.view(shot)
        self.assertEqual(told, [shot.id])
        view = self.book.view(shot)
        self.assertEqual(view.size, (180, 240))
        self.assertIs(self.book.view(shot), view)
        self.assertLessEqual(max(self.book.thumb(shot).shape[:2]), 640)
        self.assertEqual(told, [shot.id])

    def test_a_photo_whose_file_is_gone_is_shown_as_grey_and_named(self):
        self.book.add_shot(self.picture)
        (shot,) = self.book.shots()
        self.lose(shot)
        self.book.view(shot)
        self.assertEqual(self.said[-1].kind, "fault")
        self.assertEqual(len(np.unique(self.book.view(shot).pixels)), 1)

    def test_a_lost_photo_that_comes_again_is_healed_and_not_logged_twice(self):
        self.book.add_shot(self.picture)
        (shot,) = self.book.shots()
        self.lose(shot)
        self.book.view(shot)
        self.book.add_shot(self.picture)
        self.assertEqual(self.book.shots(), (shot,))
        self.assertEqual(self.said[-1].what, "work.jpg is back in its place.")
        self.assertEqual(self.book.view(shot) or self.book.view(shot), self.book.views[shot.digest])
        self.assertGreater(self.book.view(shot).size[0], 100)

    def test_a_camera_photographs_and_one_that_fails_says_so(self):
        class Camera:
            def take(self) -> np.ndarray:
                return np.full((60, 80, 3), 90, np.uint8)

        class Unplugged:
            def take(self) -> np.ndarray:
                raise Fault("The camera does not answer.", "Nothing was taken.", "Look at its cable.")

        self.book.photograph(Camera, "a:l2")
        (shot,) = self.book.shots()
        self.assertEqual((shot.original_name, shot.step, shot.width_px), ("easel 1.jpg", "a:l2", 80))
        with self.assertRaisesRegex(Fault, "does not answer"):
            self.book.photograph(Unplugged)
        self.assertEqual(len(self.book.shots()), 1)


class Watched(LogCase):
    def setUp(self):
        super().setUp()
        self.card = self.root / "card"
        self.card.mkdir()
        (self.card / "old.jpg").write_bytes(self.picture.read_bytes())
        self.session.settings.set("camera", "folder")
        self.session.settings.set("camera_folder", str(self.card))
        self.book.poll()

    def test_only_what_comes_after_is_taken_and_only_once(self):
        self.book.poll()
        self.assertEqual(self.book.shots(), ())
        (self.card / "new.jpg").write_bytes(self.picture.read_bytes() + b" ")
        for _ in range(4):
            self.book.poll("a:l1")
        self.assertEqual([(q.original_name, q.step) for q in self.book.shots()], [("new.jpg", "a:l1")])

    def test_half_a_file_waits_for_its_rest_and_is_named_when_that_takes_long(self):
        whole = self.picture.read_bytes()
        (self.card / "slow.jpg").write_bytes(whole[: len(whole) // 2])
        for _ in range(3):
            self.book.poll()
        self.assertEqual((self.book.shots(), [m.kind for m in self.said]), ((), []))
        for _ in range(40):
            self.book.poll()
        named = [m.what for m in self.said if "not whole" in m.what]
        self.assertEqual(len(named), 1)
        (self.card / "slow.jpg").write_bytes(whole)
        for _ in range(3):
            self.book.poll()
        self.assertEqual([q.original_name for q in self.book.shots()], ["slow.jpg"])

    def test_a_card_that_is_pulled_out_may_come_back(self):
        away = self.card.rename(self.root / "away")
        self.book.poll()
        away.rename(self.card)
        (self.card / "late.jpg").write_bytes(self.picture.read_bytes() + b"  ")
        for _ in range(4):
            self.book.poll()
        self.assertIn("late.jpg", [q.original_name for q in self.book.shots()])

    def test_nothing_is_looked_at_when_photos_come_by_another_way(self):
        self.session.settings.set("camera", "file")
        (self.card / "new.jpg").write_bytes(self.picture.read_bytes() + b" ")
        for _ in range(4):
            self.book.poll()
        self.assertEqual(self.book.shots(), ())


class Minutes(LogCase):
    def test_a_burst_is_asked_about_and_its_answer_is_shared_by_our_guesses(self):
        self.log(*(self.row(f"l{k}", 0.2, 5.0 * (k + 1), at=f"2026-01-05T10:00:{10 * k:02d}") for k in range(4)))
        (doubt,) = self.book.doubts()
        self.assertEqual((doubt.kind, doubt.guess), ("burst", 50.0))
        self.assertTrue(self.book.set_minutes(doubt, 30.0))
        self.assertEqual([round(r.minutes, 2) for r in self.book.rows()], [3.0, 6.0, 9.0, 12.0])
        self.session.undo.undo()
        self.assertEqual([r.minutes for r in self.book.rows()], [0.2] * 4)

    def test_hours_that_no_hand_needs_are_asked_about(self):
        self.log(self.row("l1", 600.0), self.row("l2", 11.0, at="2026-01-05T22:00:00"))
        self.assertEqual([(d.kind, d.rows) for d in self.book.doubts()], [("long", ("l1",))])


class Promise(LogCase):
    def test_the_first_plan_is_kept_before_the_first_step_and_never_after(self):
        s = self.session
        self.book.keep_first_plan()
        self.assertIsNone(self.store.setting(account.first_plan_key("c")), "nothing is promised yet")
        s.do(SetLayers(s, self.area("a"), (Layer("general", "209", 2, 1, "everywhere"),), "layers"))
        self.book.keep_first_plan()
        kept = self.store.setting(account.first_plan_key("c"))
        self.assertIsNotNone(kept)
        self.log(self.row("l1", 12.0))
        s.do(SetLayers(s, self.area("b"), (Layer("general", "209", 2, 3, "everywhere"),), "layers"))
        self.book.keep_first_plan()
        self.assertEqual(self.store.setting(account.first_plan_key("c")), kept)
        self.assertEqual(set(self.book.first_plan().areas), {"a"})

    def test_wear_counts_what_was_laid_and_what_will_be(self):
        s = self.session
        s.do(SetLayers(s, self.area("a"), (Layer("general", "209", 2, 1, "everywhere"), Layer("gap", "401", 4, 2, "gaps")), "layers"))
        wear = {q.code: q for q in self.book.wear()}
        self.assertEqual(set(wear), {"209", "401"})
        self.assertTrue(all(q.worn_mm == 0 and q.coming_mm > 0 for q in wear.values()))
        key = f"a:{s.recipe_layers('a')[0].id}"
        self.log(self.row("r1", 12.0, step=key))
        self.assertGreater({q.code: q for q in self.book.wear()}["209"].worn_mm, 0)
        self.assertEqual({q.code: q for q in self.book.wear()}["401"].worn_mm, 0)


class NoCommission(LogCase):
    def test_a_studio_without_one_has_no_log_and_takes_no_photo(self):
        for key in ("c", "d"):
            self.store.edit([replace(c, archived=True) for c in self.store.all(type(self.session.commission)) if c.id == key])
        self.session.commission = None
        self.assertEqual((self.book.shots(), self.book.rows(), self.book.doubts(), self.book.first_plan()), ((), (), (), None))
        self.book.add_shot(self.picture)
        self.assertEqual(self.store.all(Shot), ())


if __name__ == "__main__":
    unittest.main()
