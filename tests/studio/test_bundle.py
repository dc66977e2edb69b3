"""Open bundles out and in, complete and safe; plan and quote from them at the terminal."""

import csv
import datetime
import io
import json
import zipfile
from dataclasses import replace
from pathlib import Path

from hanabira.core.faults import StudioFault
from hanabira.studio.account import FirstPlan, first_plan_key
from hanabira.studio.bundle import contents_of, import_bundle, log_csv, read_bundle, write_bundle
from hanabira.studio.records import Area, Commission, LogRow, Photo, Recipe, Terms
from hanabira.studio.store import Store
from tests.demo_studio import OnDemo
from tests.terminal.test_cli import ask, run


class Bundles(OnDemo):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        with Store.open(cls.root / "demo") as store:
            c = store.get(Commission, "demo-tansy")
            store.edit([replace(c, terms=Terms("left", 2.5, rate=40.0, materials=25.0, moved=(("demo-area-5:1", "demo-area-4:0"),)))])
            row = LogRow(
                "r1",
                c.id,
                "demo-area-5:0",
                "demo-area-5",
                "Eye",
                "eye",
                "ground",
                "203",
                1,
                12.5,
                8.0,
                "2026-01-05T10:00:00",
                "soft",
                "pressure 2",
            )
            store.edit([row])
            cls.bundle = write_bundle(store, "Tansy", cls.root / "tansy.zip").path
            cls.before = contents_of(store, "demo-tansy")

    def test_a_bundle_comes_back_whole_in_another_studio(self):
        with Store.open(self.root / "other") as store:
            made = import_bundle(store, self.bundle).commission
            after = contents_of(store, made.id)
            # the pace is the artist's who takes it in
            self.assertEqual(after, replace(self.before, kit=after.kit, pace=after.pace))
            self.assertTrue(store.photo_path(after.photos[0]).exists())
            again = import_bundle(store, self.bundle).commission
            self.assertNotEqual(again.id, made.id)
            copy = contents_of(store, again.id)
            self.assertEqual([a.ring for a in copy.areas], [a.ring for a in after.areas])
            self.assertEqual([r.layers for r in copy.recipes], [r.layers for r in after.recipes])
            self.assertEqual(copy.log[0].minutes, 12.5)
            self.assertEqual(copy.commission.terms.moved[0][0].split(":")[0], copy.areas[4].id)
            self.assertEqual(len(store.all(Commission)), 2)

    def test_what_was_promised_travels_along(self):
        promised = FirstPlan({datetime.date(2026, 3, 2): 120.0}, {"demo-area-5": (60.0, 90.5), "gone": (1.0, 2.0)})
        with Store.open(self.root / "promising") as store:
            store.edit([replace(import_bundle(store, self.bundle).commission, name="Tansy")], settings={first_plan_key("demo-tansy"): promised.as_data()})
            path = write_bundle(store, "demo-tansy", self.root / "promised.zip").path
        self.assertEqual(read_bundle(path).first_plan, promised)
        with Store.open(self.root / "taking") as store:
            kept = lambda key: FirstPlan.of_data(store.setting(first_plan_key(key)))  # noqa: E731
            self.assertEqual(kept(import_bundle(store, path).commission.id), promised)
            copy = import_bundle(store, path).commission.id  # a copy has areas of its own
            eye = next(a.id for a in store.all(Area, commission_id=copy) if a.name == "Eye")
            self.assertEqual((kept(copy).days, kept(copy).areas[eye]), (promised.days, (60.0, 90.5)))
            self.assertNotIn("demo-area-5", kept(copy).areas)

    def test_a_promise_that_makes_no_sense_is_refused(self):
        for nonsense in ({"days": {}, "areas": {"a": [1]}}, {"days": {"soon": 1.0}, "areas": {}}, {"days": {}, "areas": {"a": [1.0, 1e9]}}, 7, {"areas": {"a": [-1.0, 2.0]}, "days": {}}):
            path = self.root / "nonsense.zip"
            with zipfile.ZipFile(self.bundle) as old, zipfile.ZipFile(path, "w") as new:
                for e in old.infolist():
                    data = old.read(e)
                    new.writestr(e.filename, json.dumps({**json.loads(data), "first_plan": nonsense}) if e.filename == "commission.json" else data)
            with self.assertRaises(StudioFault) as caught:
                read_bundle(path)
            self.assertIn("first plan", str(caught.exception))

    def test_it_can_be_read_without_us(self):
        with zipfile.ZipFile(self.bundle) as z:
            names = z.namelist()
            self.assertIn("README.txt", names)
            self.assertEqual(sum(n.startswith("masks/") for n in names), 12)
            self.assertIn("2026-01-05T10:00:00,Eye,eye,ground,203,1,12.5,8.0,done,pressure 2,soft", z.read("log.csv").decode())
            self.assertEqual(json.loads(z.read("commission.json"))["commission"]["name"], "Tansy")

    def test_bad_bundles_are_named_and_nothing_is_half_imported(self):
        def altered(name: str, change, extra: dict | None = None) -> Path:
            path = self.root / name
            with zipfile.ZipFile(self.bundle) as old, zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as new:
                for e in old.infolist():
                    data = old.read(e)
                    if e.filename == "commission.json":
                        d = json.loads(data)
                        change(d)
                        data = json.dumps(d).encode()
                    new.writestr(e.filename, data)
                for key, value in (extra or {}).items():
                    new.writestr(key, value)
            return path

        def lose_photo(d):
            d["photos"][0]["digest"] = "0" * 64

        cases = {
            "newer.zip": altered("newer.zip", lambda d: d.update(version=99)),
            "other.zip": altered("other.zip", lambda d: d.update(format="cake")),
            "lacks.zip": altered("lacks.zip", lambda d: d["areas"][0].pop("ring")),
            "lost.zip": altered("lost.zip", lose_photo),
            "strays.zip": altered("strays.zip", lambda d: d["areas"][0].update(photo_id="nobody")),
            "dots.zip": altered("dots.zip", lambda d: None, {"../../evil.txt": "x"}),
            "bomb.zip": altered("bomb.zip", lambda d: None, {"zeros.bin": b"\0" * 30_000_000}),
        }
        cut = self.root / "cut.zip"
        cut.write_bytes(self.bundle.read_bytes()[:5000])
        cases["cut.zip"] = cut
        with Store.open(self.root / "third") as store:
            for name, path in cases.items():
                with self.assertRaises(StudioFault) as caught:
                    import_bundle(store, path)
                self.assertIn(name, str(caught.exception))
            for kind in (Commission, Photo, Area, Recipe, LogRow):
                self.assertEqual(store.all(kind), ())
        self.assertFalse((self.root.parent / "evil.txt").exists())

    def test_plan_and_quote_at_the_terminal(self):
        d = ask("plan", str(self.bundle), "--start", "2026-03-02", "--hours-per-day", "2")
        self.assertEqual(set(d), {"steps", "sessions", "waiting", "finish", "slack_days", "warnings", "covers", "estimated"})
        self.assertEqual(d["estimated"], [], "every area has its recipe")
        self.assertEqual(set(d["steps"][0]), {"n", "area", "role", "gesture", "pencil", "minutes", "start", "after", "reason"})
        self.assertEqual([s["n"] for s in d["steps"]], list(range(1, len(d["steps"]) + 1)))
        begun = {s["n"]: s["start"] for s in d["steps"]}
        self.assertTrue(all(begun[a] <= s["start"] for s in d["steps"] for a in s["after"]))
        self.assertTrue(all(q["minutes"] <= 120.01 for q in d["sessions"]))
        self.assertEqual(sorted({n for q in d["sessions"] for n in q["steps"]}), [s["n"] for s in d["steps"]])
        self.assertGreaterEqual(d["sessions"][0]["date"], "2026-03-02")
        q = ask("quote", str(self.bundle))
        self.assertLess(q["hours"][0], q["hours"][1])
        self.assertAlmostEqual(q["price"][0], 25 + 40 * q["hours"][0], delta=2.5)
        # the one logged area took longer than our guess
        pace = read_bundle(self.bundle)
        self.assertEqual(len(pace.log), 1)
        for bad in (
            ("plan", str(self.root / "none.zip")),
            ("plan", str(self.bundle), "--start", "soon"),
            ("export", "--studio", str(self.root / "nowhere"), "X", "--bundle", "y"),
        ):
            code, _out, err = run(*bad)
            self.assertEqual((code, len(err.strip().splitlines())), (2, 1), bad)

    def test_export_all_and_import_at_the_terminal(self):
        out = ask("export", "--studio", str(self.root / "demo"), "--all", "--to", str(self.root / "all"))
        self.assertEqual(
            sorted(Path(p).name for p in out["bundles"]), ["Bracken.hanabira.zip", "Tansy.hanabira.zip", "Vesper.hanabira.zip"]
        )
        made = ask("import", "--studio", str(self.root / "fourth"), out["bundles"][0])
        with Store.open(self.root / "fourth") as store:
            self.assertEqual([c.id for c in store.all(Commission)], [made["commission"]])

    def test_exotic_entries_are_named(self):
        """What a ZIP can hold that no bundle does; each once ended in a traceback."""
        good = self.bundle.read_bytes()

        def rebuilt(change) -> bytes:
            out = io.BytesIO()
            with zipfile.ZipFile(io.BytesIO(good)) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
                for e in old.infolist():
                    change(new, e, old.read(e))
            return out.getvalue()

        def records(text: bytes):
            return lambda z, e, data: z.writestr(e.filename, text if e.filename == "commission.json" else data)

        def spoiled(data: bytes, at: int, value: bytes) -> bytes:
            """Bytes put at a place of the local and the central head of commission.json."""
            out = bytearray(data)
            for mark, shift in ((b"PK\x03\x04", 0), (b"PK\x01\x02", 2)):
                start = -1
                while (start := bytes(out).find(mark, start + 1)) >= 0:
                    if b"commission.json" in out[start : start + 80]:
                        out[start + at + shift : start + at + shift + len(value)] = value
            return bytes(out)

        body = good.find(b"commission.json") + len(b"commission.json") + 40
        cases = {
            "deep": (rebuilt(records(b"[" * 200_000)), "damaged"),
            "huge": (rebuilt(records(b'{"format": "hanabira bundle", "version": ' + b"9" * 5000 + b"}")), "damaged"),
            "words": (rebuilt(records(b"\xff\xfe")), "damaged"),
            "list": (rebuilt(records(b"[]")), "something else"),
            "true": (rebuilt(records(b'{"format": "hanabira bundle", "version": true}')), "version"),
            "locked": (spoiled(good, 6, b"\x01\x00"), "encrypted"),
            "exotic": (spoiled(good, 8, b"\x63\x00"), "commission.json is damaged"),
            "zlib": (good[:body] + bytes(30) + good[body + 30 :], "commission.json is damaged"),
            "names": (
                rebuilt(lambda z, e, data: z.writestr("x" * 2000 if e.filename == "log.csv" else e.filename, data)),
                "2000 characters",
            ),
            "entries": (rebuilt(lambda z, e, data: [z.writestr(f"{e.filename}{k}", b"") for k in range(200)]), "entries"),
        }
        with Store.open(self.root / "exotic") as store:
            for name, (data, words) in cases.items():
                path = self.root / f"{name}.zip"
                path.write_bytes(data)
                with self.subTest(name=name), self.assertRaises(StudioFault) as caught:
                    import_bundle(store, path)
                self.assertIn(words, str(caught.exception))
            for odd in (self.root, self.root / "none.zip"):
                with self.assertRaises(StudioFault):
                    read_bundle(odd)
            self.assertEqual(store.all(Commission), ())
            self.assertFalse(any(p.is_file() for p in (self.root / "exotic" / "photos").rglob("*")))

    def test_ids_of_another_commission_are_never_written_over(self):
        """A bundle under a new id whose photo, areas and log bear ids that the studio has: its own stay as they are."""
        with Store.open(self.root / "clash") as store:
            mine = import_bundle(store, self.bundle).commission
            before = contents_of(store, mine.id)
            path = self.root / "clash.zip"
            with zipfile.ZipFile(self.bundle) as old, zipfile.ZipFile(path, "w") as new:
                for e in old.infolist():
                    data = old.read(e)
                    if e.filename == "commission.json":
                        data = data.replace(b'"demo-tansy"', b'"other"')
                    new.writestr(e.filename, data)
            other = import_bundle(store, path).commission
            self.assertNotEqual(other.id, mine.id)
            now = contents_of(store, mine.id)
            self.assertEqual(now, replace(before, pace=now.pace))
            self.assertEqual(len(contents_of(store, other.id).areas), len(before.areas))

    def test_a_table_for_a_spreadsheet_holds_no_formulas(self):
        rows = [
            LogRow(f"r{k}", "c", "a:0", "a", note, "eye", "gap", "401", 3, 4.0, 3.0, "2026-01-05T10:00:00", note)
            for k, note in enumerate(("=1+1", "+2", "-3", "@x", "soft"))
        ]
        lines = list(csv.reader(io.StringIO(log_csv(tuple(rows)))))
        self.assertEqual([r[-1] for r in lines[1:]], ["'=1+1", "'+2", "'-3", "'@x", "soft"])
        self.assertEqual([r[1] for r in lines[1:]], ["'=1+1", "'+2", "'-3", "'@x", "soft"])
        self.assertEqual(lines[1][6], "4.0")
