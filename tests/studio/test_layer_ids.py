"""Layers keep their names: inserted, moved, solved anew; old studios and bundles are carried over by what the log says."""

import contextlib
import datetime
import json
import random
import tempfile
import unittest
import zipfile
from dataclasses import replace
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from hanabira.core.solver.layer import Layer
from hanabira.craft.supplies import shipped_kit
from hanabira.studio import database, planning
from hanabira.studio.account import laid, pencils
from hanabira.studio.bundle import contents_of, import_bundle, kit_of_bundle, write_bundle
from hanabira.studio.database import DATABASE, HEAD
from hanabira.studio.layer_ids import carried, carry_over, numbered, place_of, with_ids
from hanabira.studio.records import Area, Commission, LogRow, Photo, Recipe, Shot
from hanabira.studio.store import Store
from tests import mutants

CODES = ("203", "401", "118", "205", "310", "512")


def some_layers(seed: int, n: int) -> tuple[Layer, ...]:
    r = random.Random(seed)
    return with_ids(
        Layer(r.choice(("ground", "general", "gap", "deepen")), r.choice(CODES), r.randint(1, 5), r.randint(1, 3), "everywhere")
        for _ in range(n)
    )


class Ids(unittest.TestCase):
    @settings(max_examples=120)
    @given(st.integers(0, 10**6), st.integers(1, 9), st.integers(0, 4))
    def test_moving_inserting_and_removing_keeps_every_name(self, seed: int, n: int, more: int):
        r = random.Random(seed)
        old = some_layers(seed, n)
        kept = [q for q in old if r.random() < 0.8]
        r.shuffle(kept)
        new = list(kept)
        for _ in range(more):
            new.insert(r.randint(0, len(new)), Layer("accent", r.choice(CODES), 2, 1, "lights"))
        out = carried(old, new)
        self.assertEqual([q for q in out if q.id in {k.id for k in kept}], kept)
        fresh = [q for q in out if q.id not in {k.id for k in old}]
        self.assertEqual(len(fresh), more)
        self.assertEqual(len({q.id for q in out}), len(out))

    def test_solved_anew_the_same_layers_keep_their_names(self):
        old = some_layers(3, 5)
        again = carried(old, [replace(q, id="", why="another reason") for q in old])
        self.assertEqual([q.id for q in again], [q.id for q in old])
        # pressed harder by the solver it is still the same layer; another pencil is another one
        changed = [replace(old[0], id="", pressure=6 - old[0].pressure, passes=4), replace(old[1], id="", code="999")]
        out = carried(old, changed)
        self.assertEqual(out[0].id, old[0].id)
        self.assertNotIn(out[1].id, {q.id for q in old})

    def test_a_layer_that_is_parted_becomes_two(self):
        (q,) = some_layers(1, 1)
        out = Recipe("a", (replace(q, where="gaps"), replace(q, where="lights"))).layers
        self.assertEqual(out[0].id, q.id)
        self.assertNotEqual(out[1].id, q.id)

    def test_a_name_never_comes_back(self):
        seen = {q.id for _ in range(50) for q in Recipe("a", (Layer("gap", "401", 3, 1, "gaps"),)).layers}
        self.assertEqual(len(seen), 50)


class FromPlaces(unittest.TestCase):
    LAYERS = [("ground", "203"), ("general", "401"), ("general", "118"), ("gap", "401")]

    def layers(self):
        return {"a": numbered("a", [{"role": r, "code": c, "tool": ""} for r, c in self.LAYERS])}

    def row(self, place: int, role: str, pencil: str) -> dict:
        return {"step": f"a:{place}", "role": role, "pencil": pencil}

    def test_rows_go_where_their_content_is(self):
        layers = self.layers()
        ids = [q["id"] for q in layers["a"]]
        # a layer had been put under the others when two were done: the rows still say what was laid
        keys = carry_over(layers, [self.row(0, "general", "401"), self.row(1, "general", "118")])
        self.assertEqual(keys["a:0"], f"a:{ids[1]}")
        self.assertEqual(keys["a:1"], f"a:{ids[2]}")
        self.assertNotIn(f"a:{ids[0]}", keys.values())

    def test_then_by_place_and_each_layer_once(self):
        layers = self.layers()
        ids = [q["id"] for q in layers["a"]]
        keys = carry_over(layers, [self.row(1, "general", "999"), self.row(3, "polish", "7")])
        self.assertEqual((keys["a:1"], keys["a:3"]), (f"a:{ids[1]}", f"a:{ids[3]}"))
        self.assertEqual((keys["a:0"], keys["a:2"]), (f"a:{ids[0]}", f"a:{ids[2]}"))  # what the log does not tell keeps its place
        self.assertEqual(len(set(keys.values())), len(keys))
        self.assertNotIn("a:9", carry_over(layers, [self.row(9, "glaze", "1")]))

    def test_keys_that_name_no_place_stay(self):
        self.assertIsNone(place_of("last look"))
        self.assertIsNone(place_of("a:x7"))
        self.assertEqual(place_of("a:b:12"), ("a:b", 12))
        first, second = numbered("a", [{"role": "gap"}, {"role": "gap"}])
        self.assertEqual((first, second), tuple(numbered("a", [{"role": "gap"}, {"role": "gap"}])))
        self.assertNotEqual(first["id"], second["id"])


class OldStudios(unittest.TestCase):
    def setUp(self):
        temp = tempfile.TemporaryDirectory()
        self.addCleanup(temp.cleanup)
        self.root = Path(temp.name)

    def as_before(self, folder: Path) -> None:
        """A studio of today written back to how the version before would have left it: no ids, steps by place."""
        with contextlib.closing(database.connect(folder / DATABASE, "rw")) as c:
            ids = {}
            for area, text in c.execute("SELECT area_id, layers FROM recipe").fetchall():
                layers = json.loads(text)
                ids |= {f"{area}:{q['id']}": f"{area}:{k}" for k, q in enumerate(layers)}
                c.execute(
                    "UPDATE recipe SET layers = ? WHERE area_id = ?",
                    (json.dumps([{k: v for k, v in q.items() if k != "id"} for q in layers]), area),
                )
            for table in ("log", "shot"):
                for key, step in c.execute(f"SELECT id, step FROM {table}").fetchall():
                    c.execute(f"UPDATE {table} SET step = ? WHERE id = ?", (ids.get(step, step), key))
            for key, text in c.execute("SELECT id, terms FROM commission").fetchall():
                terms = json.loads(text)
                terms["moved"] = [[ids.get(k, k) for k in pair] for pair in terms.get("moved", [])]
                c.execute("UPDATE commission SET terms = ? WHERE id = ?", (json.dumps(terms), key))
            for table, column in (
                ("commission", "tray_only"),
                ("recipe", "places"),
                ("recipe", "aims"),
                ("recipe", "tried"),
                ("area", "place_edits"),
            ):
                c.execute(f"ALTER TABLE {table} DROP COLUMN {column}")
            c.execute("DROP TABLE photo_check")
            c.execute("DROP TABLE practice_round")
            c.execute("ALTER TABLE commission DROP COLUMN palette")
            c.execute("ALTER TABLE area DROP COLUMN twin_id")
            for table in ("commission", "photo", "area", "recipe", "kit", "log", "shot"):
                c.execute(f"ALTER TABLE {table} DROP COLUMN version")
            c.execute("UPDATE alembic_version SET version_num = '0006'")

    def told(self, store: Store, key: str) -> tuple:
        """What log, order and wear say of a commission, by content."""
        got = contents_of(store, key)
        kit = kit_of_bundle(got)
        work = planning.work_of(got.commission, got.photos[0], got.areas, got.recipes, kit)
        layer = {f"{r.area_id}:{q.id}": (q.role, q.code, q.tool) for r in got.recipes for q in r.layers}
        moved = [tuple(layer.get(k) for k in pair) for pair in got.commission.terms.moved]
        rows = [(layer.get(r.step), r.pencil) for r in got.log]
        return moved, rows, [layer.get(s.step) for s in got.shots], [(w.code, w.times) for w in pencils(work, got.log, kit)]

    def filled(self, folder: Path) -> None:
        good = mutants.healthy(self.root)
        (self.root / "b.zip").write_bytes(good)
        with Store.open(folder) as store:
            import_bundle(store, self.root / "b.zip")

    def test_an_old_studio_says_the_same_after_the_update(self):
        folder = self.root / "studio"
        self.filled(folder)
        with Store.open(folder) as store:
            before = self.told(store, "c")
        self.as_before(folder)
        with Store.open(folder) as store:
            self.assertEqual(self.told(store, "c"), before)
            self.assertEqual(store.unreadable(), ())
            self.assertTrue(all(q.id and not q.id.isdigit() for r in store.all(Recipe) for q in r.layers))
        self.assertEqual(database.version(folder / DATABASE), HEAD)

    def test_an_old_bundle_says_the_same(self):
        folder = self.root / "studio"
        self.filled(folder)
        with Store.open(folder) as store:
            before = self.told(store, "c")
            path = write_bundle(store, "c", self.root / "new.zip").path
        old = self.root / "old.zip"
        with zipfile.ZipFile(path) as z, zipfile.ZipFile(old, "w") as out:
            for e in z.infolist():
                raw = z.read(e)
                if e.filename == "commission.json":
                    data = json.loads(raw)
                    data["version"] = 1
                    ids = {}
                    for r in data["recipes"]:
                        layers = json.loads(r["layers"])
                        ids |= {f"{r['area_id']}:{q['id']}": f"{r['area_id']}:{k}" for k, q in enumerate(layers)}
                        r["layers"] = json.dumps([{k: v for k, v in q.items() if k != "id"} for q in layers])
                    for q in (*data["log"], *data["shots"]):
                        q["step"] = ids.get(q["step"], q["step"])
                    terms = json.loads(data["commission"]["terms"])
                    terms["moved"] = [[ids.get(k, k) for k in pair] for pair in terms["moved"]]
                    data["commission"]["terms"] = json.dumps(terms)
                    raw = json.dumps(data).encode()
                out.writestr(e.filename, raw)
        with Store.open(self.root / "other") as store:
            made = import_bundle(store, old).commission
            self.assertEqual(self.told(store, made.id), before)

    def test_an_undone_layer_put_under_a_half_done_area_is_not_done(self):
        """The fault that ids end: with places, the new layer would count as done and the old first one as open."""
        ring = ((10.0, 10.0), (90.0, 10.0), (90.0, 90.0), (10.0, 90.0))
        c = Commission("c", "Moss")
        photo = Photo("p", "c", "d" * 64, ".jpg", "x.jpg", 200, 250, (0.0, 0.0, 200.0, 250.0))
        areas = [Area("a", "c", "p", 1, "Cheek", "short-fur", ring)]
        recipe = Recipe(
            "a", (Layer("ground", "203", 1, 1, "everywhere", "side"), Layer("general", "401", 3, 1, "everywhere", "flick", 4.0))
        )
        first = recipe.layers[0]
        row = LogRow("r", "c", f"a:{first.id}", "a", "Cheek", "short-fur", "ground", "203", 1, 9.0, 8.0, "2026-05-02T10:00:00")
        under = Recipe("a", carried(recipe.layers, (Layer("undertone", "118", 1, 1, "everywhere", "side"), *recipe.layers)))
        work = planning.work_of(c, photo, areas, [under])
        found, _calendar = planning.plan(c, work, planning.days_of(c, datetime.date(2026, 5, 1)), log=[row])
        done = {s.layer.role for s in found.steps if s.key == row.step}
        self.assertEqual(done, {"ground"})
        self.assertEqual(Shot("s", "c", "d" * 64, ".jpg", "x", 1, 1, row.at, row.step).step, work[0].key(1))


class OnThePaper(unittest.TestCase):
    """Forecast, camera and wear follow the log, not the plan."""

    def test_what_was_skipped_is_not_there_and_what_was_used_is(self):
        kit = shipped_kit()
        recipe = Recipe(
            "a",
            tuple(Layer(role, code, 2, 2, "everywhere", "side") for role, code in (("ground", "203"), ("general", "401"), ("gap", "118"))),
        )
        ids = [q.id for q in recipe.layers]

        def row(k: int, at: str, pencil: str, pressure: int, state: str = "done") -> LogRow:
            return LogRow(
                f"r{k}", "c", f"a:{ids[k]}", "a", "Cheek", "short-fur", "x", pencil, pressure, 9.0, 8.0, f"2026-05-02T{at}:00", state=state
            )

        log = (row(2, "10:00", "205", 5), row(1, "11:00", "401", 2, "skipped"), row(0, "12:00", "203", 2))
        self.assertEqual(
            [(q.role, q.code, q.pressure, q.passes) for q in laid("a", recipe.layers, log, kit)],
            [("gap", "205", 5, 2), ("ground", "203", 2, 2)],
        )
        self.assertEqual(laid("a", recipe.layers, (row(0, "09:00", "no such", 3),), kit)[0].code, "203")
        self.assertEqual(laid("b", recipe.layers, log, kit), ())
        work = planning.work_of(
            Commission("c", "Moss"), Photo("p", "c", "d" * 64, ".jpg", "x.jpg", 200, 250, (0.0, 0.0, 200.0, 250.0)),
            [Area("a", "c", "p", 1, "Cheek", "short-fur", ((10.0, 10.0), (90.0, 10.0), (90.0, 90.0)))], [recipe],
        )  # fmt: skip
        wear = {w.code: w for w in pencils(work, log, kit)}
        self.assertEqual(set(wear), {"205", "203"})
        self.assertTrue(all(w.coming_mm == 0 and w.worn_mm > 0 for w in wear.values()))
