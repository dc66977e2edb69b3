"""Two hundred damaged bundles, the same each time, through everything that a bundle reaches: each is refused in words or works."""

import contextlib
import datetime
import json
import random
from pathlib import Path

from hanabira.core.faults import Fault
from hanabira.studio import account, planning
from hanabira.studio.bundle import contents_of, import_bundle, kit_of_bundle, write_bundle
from hanabira.studio.overview import overviews
from hanabira.studio.records import STAGES, Commission, LogRow, Photo, Shot
from hanabira.studio.store import Store
from tests import mutants
from tests.base import DeskCase

COUNT = 200


def through(store: Store, key: str, folder: Path) -> None:
    """Plan, quote, account and export of a commission, as the window and the terminal do it; no figure may be other than finite."""
    got = contents_of(store, key)
    kit = kit_of_bundle(got)
    work = planning.work_of(got.commission, got.photos[0], got.areas, got.recipes, kit) if got.photos else ()
    pace = planning.pace_of(got.log)
    with contextlib.suppress(Fault):
        found, calendar = planning.plan(
            got.commission, work, planning.days_of(got.commission, datetime.date(2026, 5, 1), datetime.date(2026, 5, 1)), pace, log=got.log
        )
        json.dumps(planning.plan_data(got.commission, found, calendar), allow_nan=False)
        account.by_area(found.steps, got.log)
        account.by_day(account.planned_days(calendar), got.log)
    json.dumps(planning.quote(got.commission, work, pace), allow_nan=False)
    account.pencils(work, got.log, kit)
    write_bundle(store, key, folder / "out.zip")


class Mutants(DeskCase):
    def prepare(self, folder: Path) -> None:
        root = folder.parent
        good = mutants.healthy(root)
        self.taken: list[str] = []
        self.refused: list[str] = []
        with Store.open(folder) as store:
            for seed in range(COUNT):
                path = root / "mutant.zip"
                path.write_bytes(mutants.bundle(good, random.Random(seed)))
                before = store.keys(Commission), self.files(folder)
                try:
                    made = import_bundle(store, path).commission
                except Fault as fault:
                    self.refused.append(str(fault))
                    # nothing of it is left behind
                    self.assertEqual((store.keys(Commission), self.files(folder)), before, seed)
                    continue
                self.taken.append(made.id)
                with self.subTest(seed=seed):
                    through(store, made.id, root)
            self.assertEqual(store.unreadable(), ())
            overviews(store, planning.pace_of(store.all(LogRow)))
            with Store.open(root / "again") as other:
                import_bundle(other, root / "out.zip")

    @staticmethod
    def files(folder: Path) -> set[Path]:
        return {p for p in (folder / "photos").rglob("*") if p.is_file()}

    def test_each_is_refused_with_its_cause_or_opens_in_the_window(self):
        self.assertEqual(len(self.taken) + len(self.refused), COUNT)
        self.assertGreater(len(self.refused), COUNT / 2)
        for words in self.refused:
            self.assertIn("Nothing was", words)
            self.assertLess(len(words), 500)
        for key in self.taken:
            self.session.open_commission(key)
            for stage in STAGES:
                self.desk.go(stage)
                self.app.processEvents()
        self.desk.show_room("Shelf")
        self.settle()
        self.assertEqual([m.what for m in self.said if m.kind == "bug"], [])
        held = {p.digest for kind in (Photo, Shot) for p in self.session.store.all(kind)}
        self.assertEqual({p.stem for p in self.files(self.folder)}, held)
