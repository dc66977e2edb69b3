"""What leaves the disk: a removed commission with its photos, and deleted photos once nobody can take them back; what a backup needs stays."""

import os
import unittest
from dataclasses import replace

from PIL import Image

from hanabira.session.edits import Edit
from hanabira.studio import backups
from hanabira.studio.account import first_plan_key
from hanabira.studio.files import referred, sweep
from hanabira.studio.records import Area, Commission, LogRow, Photo, Shot
from tests.fur import fur
from tests.session.test_session import Case


class Files(Case):
    def files(self) -> set[str]:
        return {p.stem for p in (self.root / "studio" / "photos").glob("*/*") if p.is_file()}

    def shot(self, seed: int) -> Shot:
        path = self.root / f"shot{seed}.png"
        Image.fromarray(fur(40, 50, 20.0, seed)).save(path)
        digest, suffix, (w, h) = self.store.take_in(path)
        os.utime(self.store.folder / "photos" / digest[:2] / f"{digest}{suffix}", (1.0, 1.0))
        one = Shot(f"s{seed}", "c", digest, suffix, path.name, w, h, "2026-02-01T10:00:00")
        self.store.edit([one])
        return one

    def test_a_removed_commission_goes_with_everything_but_what_another_one_uses(self):
        shared, own = self.session.photos
        self.store.edit([replace(shared, id="other", commission_id="d")])
        shot = self.shot(7)
        self.store.edit([LogRow("r", "c", "a:1", "a", "Cheek", "short-fur", "ground", "203", 2, 10.0, 9.0, "2026-02-01T10:00:00")])
        self.store.keep_setting(first_plan_key("c"), {"days": {}, "areas": {}})
        self.assertEqual(self.session.belongings("c"), (2, 3, 1))
        self.assertTrue(self.session.remove_commission("c"))
        self.assertEqual([c.id for c in self.session.commissions], ["d"])
        for kind in (Area, LogRow, Shot):
            self.assertEqual(self.store.all(kind, commission_id="c"), ())
        self.assertIsNone(self.store.setting(first_plan_key("c")))
        self.assertEqual(self.files(), {shared.digest})
        self.assertFalse({own.digest, shot.digest} & self.files())
        self.assertEqual(self.session.commission.id, "d")
        self.assertIn("Moss is removed, with 2 photo files.", [m.what for m in self.said])

    def test_the_last_one_leaves_a_new_one(self):
        self.session.remove_commission("c")
        self.session.remove_commission("d")
        (left,) = self.session.commissions
        self.assertEqual(left.name, "New commission")
        self.assertEqual(self.store.all(Photo), ())

    def test_a_deleted_photo_leaves_the_disk_only_when_the_undo_list_is_gone(self):
        shot = self.shot(8)
        self.session.do(Edit(self.session, "photo of the work", [shot], []))
        self.assertIn(shot.digest, self.files())
        self.session.undo.undo()
        self.assertEqual(self.store.get(Shot, shot.id), shot)
        self.session.undo.redo()
        self.session.shut()
        self.assertNotIn(shot.digest, self.files())
        self.assertEqual(len(self.files()), 2)

    def test_what_a_backup_needs_stays(self):
        shot = self.shot(9)
        backups.make(self.store.folder, "day")
        self.store.edit((), [shot])
        self.assertEqual(sweep(self.store), ())
        self.assertIn(shot.digest, referred(self.store))
        for b in backups.backups(self.store.folder):
            b.path.unlink()
        path = self.store.photo_path(shot)
        os.utime(path)
        self.assertEqual(sweep(self.store), ())  # another window may just be taking it in
        os.utime(path, (1.0, 1.0))
        self.assertEqual([p.stem for p in sweep(self.store)], [shot.digest])

    def test_nothing_goes_when_a_backup_cannot_be_read_or_the_studio_is_read_only(self):
        shot = self.shot(10)
        backups.make(self.store.folder, "day")
        b = backups.backups(self.store.folder)[-1]
        self.store.edit((), [shot])
        b.path.write_bytes(b"no database at all" * 100)
        self.assertEqual(sweep(self.store), ())
        self.assertIn(shot.digest, self.files())

    def test_removing_what_is_not_there_changes_nothing(self):
        before = self.store.all(Commission)
        self.session.remove_commission("nobody")
        self.assertEqual(self.store.all(Commission), before)


if __name__ == "__main__":
    unittest.main()
