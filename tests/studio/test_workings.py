"""What was worked out is kept: as it was, never longer than it is true, never to anybody's harm."""

import dataclasses
import json
import os
import shutil
import tempfile
import unittest
import zlib
from pathlib import Path
from unittest import mock

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as arrays

import hanabira
from hanabira.core.area.outline import Outline
from hanabira.core.study.framing import Box
from hanabira.session import measuring
from hanabira.session.session import Session
from hanabira.studio import workings as module
from hanabira.studio.packing import FORM, pack, unpack
from hanabira.studio.store import Store
from hanabira.studio.workings import Workings, edition
from tests.demo_studio import OnDemo

PLAIN = st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False) | st.text(max_size=8)
ARRAYS = arrays.arrays(st.sampled_from([np.uint8, np.float32, np.float64, np.bool_, np.int64]), arrays.array_shapes(min_dims=0, max_dims=3, max_side=3))
VALUES = st.recursive(
    PLAIN | ARRAYS,
    lambda inner: st.lists(inner, max_size=3) | st.tuples(inner, inner) | st.dictionaries(st.text(max_size=4) | st.integers(), inner, max_size=3)
    | st.frozensets(st.text(max_size=3), max_size=3),
    max_leaves=12,
)  # fmt: skip


def same(one: object, other: object) -> bool:
    """Whether two values are equal down to kinds and to the types of arrays."""
    if type(one) is not type(other):
        return False
    if isinstance(one, np.ndarray):
        return one.dtype == other.dtype and one.shape == other.shape and one.tobytes() == other.tobytes()
    if dataclasses.is_dataclass(one):
        return all(same(getattr(one, f.name), getattr(other, f.name)) for f in dataclasses.fields(one))
    if isinstance(one, list | tuple):
        return len(one) == len(other) and all(map(same, one, other))
    if isinstance(one, dict):
        return list(one) == list(other) and all(same(one[k], other[k]) for k in one)
    return one == other or one != one


def forged(tree: object) -> bytes:
    """A whole file with a tree of somebody else's."""
    told = json.dumps(tree).encode()
    data = len(told).to_bytes(8, "little") + told
    return FORM + zlib.crc32(data).to_bytes(4, "little") + data


class Packing(unittest.TestCase):
    @given(VALUES)
    def test_everything_comes_back_as_it_was(self, value):
        self.assertTrue(same(unpack(pack(value)), value))

    def test_records_named_rows_and_single_numbers_come_back(self):
        value = (Outline(((1.0, 2.0), (3.5, 4.0), (0.0, 9.0)), True), Box(0.1, 0.2, 0.3, 0.4), np.float32(0.1), float("inf"))
        again = unpack(pack(value))
        self.assertTrue(same(again, value))
        self.assertIsInstance(again[1], Box)

    def test_what_is_read_may_be_written_into(self):
        again = unpack(pack(np.zeros(3)))
        again[1] = 2
        self.assertEqual(again[1], 2)

    def test_what_is_no_value_is_refused(self):
        for value in (object(), lambda: 1, np.array([object()]), Path("x"), {"a": [unittest]}):
            with self.assertRaises(TypeError):
                pack(value)

    @given(st.data())
    def test_a_damaged_file_is_told_from_a_whole_one(self, data):
        whole = pack({"coat": np.arange(20), "name": "Tansy"})
        cut = whole[: data.draw(st.integers(0, len(whole) - 1))]
        at, bit = data.draw(st.integers(0, len(whole) - 1)), data.draw(st.integers(1, 255))
        turned = whole[:at] + bytes([whole[at] ^ bit]) + whole[at + 1 :]
        for bad in (cut, turned):
            with self.assertRaises(ValueError):
                unpack(bad)

    def test_nothing_is_made_but_records_of_the_core(self):
        for tree in (
            ["record", "os", "system", "true"],
            ["named", "subprocess", "Popen", ["list", "true"]],
            ["named", "hanabira.core.study.framing", "cut_off", 1],
            ["record", "hanabira.core.area.outline", "np"],
            ["record", "hanabira.core.area.outline", "Outline", 1, 2, 3, 4, 5, 6, 7],
            ["record", "hanabira.core.no_such_module", "Outline"],
            ["lambda"],
            ["array", "O", [1], False],
        ):
            with self.assertRaises(ValueError, msg=str(tree)):
                unpack(forged(tree))


class Keeping(unittest.TestCase):
    def setUp(self):
        temp = tempfile.TemporaryDirectory()
        self.addCleanup(temp.cleanup)
        self.folder = Path(temp.name) / "cache"
        self.kept = Workings(self.folder)
        self.made = 0

    def make(self):
        self.made += 1
        return {"n": self.made, "a": np.arange(1000.0)}

    @staticmethod
    def holds(kept, kind, sign):
        return kept._path(kind, sign).exists()

    def files(self):
        return sorted(self.folder.iterdir())

    def test_it_is_worked_out_once_for_equal_things(self):
        first = self.kept.once("seam", (1.0, "a", np.zeros(2)), self.make)
        self.assertTrue(same(Workings(self.folder).once("seam", (1.0, "a", np.zeros(2)), self.make), first))
        self.assertEqual(self.made, 1)
        for kind, sign in (("seam", (1.0, "b", np.zeros(2))), ("gamut", (1.0, "a", np.zeros(2))), ("seam", (1.0, "a", np.zeros(2, np.float32)))):
            self.assertFalse(self.holds(self.kept, kind, sign))
            self.kept.once(kind, sign, self.make)
        self.assertEqual(self.made, 4)

    def test_what_fails_is_not_kept(self):
        with self.assertRaises(ZeroDivisionError):
            self.kept.once("a", 1, lambda: 1 / 0)
        self.assertEqual(self.kept.once("a", 1, lambda: "well"), "well")

    def test_a_damaged_file_is_made_again(self):
        self.kept.once("a", 1, self.make)
        (path,) = self.files()
        path.write_bytes(path.read_bytes()[:-9])
        self.assertEqual(self.kept.once("a", 1, self.make)["n"], 2)
        self.assertEqual(self.kept.once("a", 1, self.make)["n"], 2, "the new one is whole")

    def test_a_disk_that_takes_nothing_costs_only_the_time(self):
        self.folder.write_text("a file where the folder should be")
        self.assertEqual(self.kept.once("a", 1, self.make)["n"], 1)
        self.assertEqual(self.kept.once("a", 1, self.make)["n"], 2)
        self.folder.unlink()
        with mock.patch("hanabira.studio.workings.os.replace", side_effect=OSError(28, "full")):
            self.assertEqual(self.kept.once("a", 1, self.make)["n"], 3)
        self.assertEqual(self.files(), [], "nothing half written stays")

    def test_it_holds_no_more_than_it_may_and_the_last_asked_for_stay(self):
        size = len(pack(self.make()))
        kept = Workings(self.folder, int(3.5 * size))
        for n in range(3):
            kept.once("a", n, self.make)
            os.utime(kept._path("a", n), (1000 + n, 1000 + n))
        kept.once("a", 0, self.make)  # it is asked for again
        kept.once("a", 3, self.make)
        self.assertEqual([self.holds(kept, "a", n) for n in range(4)], [True, False, True, True])

    def test_what_is_too_large_is_not_kept(self):
        with mock.patch.object(module, "LARGEST", 100):
            self.kept.once("a", 1, self.make)
        self.assertFalse(self.holds(self.kept, "a", 1))

    def test_it_may_be_deleted(self):
        self.kept.once("a", 1, self.make)
        shutil.rmtree(self.folder)
        self.assertEqual(self.kept.once("a", 1, self.make)["n"], 2)
        self.assertEqual(self.kept.once("a", 1, self.make)["n"], 2)


class Edition(unittest.TestCase):
    """The code itself is part of the name."""

    def test_a_change_of_what_computes_gives_another_and_one_of_the_desk_does_not(self):
        with tempfile.TemporaryDirectory() as folder:
            home = Path(folder)
            for name in ("__init__.py", "core/area/hair.py", "craft/data/model.npz", "desk/window.py", *(q for q in module.CODE if q.endswith(".py"))):
                (home / name).parent.mkdir(parents=True, exist_ok=True)
                (home / name).write_text("first")
            with mock.patch.object(hanabira, "__file__", str(home / "__init__.py")):
                told = [edition.__wrapped__()]
                for name in ("core/area/hair.py", "craft/data/model.npz", "studio/pictures.py", "session/measuring.py"):
                    (home / name).write_text("second")
                    told.append(edition.__wrapped__())
                self.assertEqual(len(set(told)), 5)
                (home / "desk/window.py").write_text("second")
                (home / "core/__pycache__").mkdir()
                (home / "core/__pycache__/hair.pyc").write_text("compiled")
                self.assertEqual(edition.__wrapped__(), told[-1])

    def test_every_part_of_the_code_that_is_named_is_there(self):
        for name in module.CODE:
            self.assertTrue((Path(hanabira.__file__).parent / name).exists(), name)


class SecondOpening(OnDemo):
    """A commission that was open before is read, not measured; and it says the same."""

    ASKED = ("measure", "classed", "find_places", "find_pattern", "find_dapples", "seam")

    def opened(self) -> Session:
        session = Session(Store.open(self.root / "demo"))
        self.addCleanup(session.store.close)
        session.workings = Workings(self.root / "kept")
        session.open_commission("demo-bracken")
        return session

    def told(self, session: Session) -> dict:
        out = {}
        for a in session.areas:
            session.choose_area(a.id)
            session.want_measures(a.id)
            out[a.id] = session.measures(a.id)
        for a in session.areas:  # a seam is looked at with the hair on both sides
            session.measuring.seams(a, 4.0)
        return out

    def test_nothing_is_measured_a_second_time(self):
        first = self.opened()
        told = self.told(first)
        gamut = first.gamut
        self.assertTrue(all(m is not None for m in told.values()))
        first.store.close()
        with self.watched() as asked:
            again = self.opened()
            self.assertTrue(same(self.told(again), told))
            self.assertTrue(same(again.gamut, gamut))
            self.assertEqual(asked, [])
            # what measures depend on is measured anew, what they don't is not
            area = next(a for a in again.areas if a.name == "Cheek")
            again.choose_area(area.id)
            for change in ({"name": "Jowl"}, {"finish": 5}, {"coat": "grey"}):
                again.store.edit([dataclasses.replace(again.store.get(type(area), area.id), **change)])
            again.open_commission("demo-bracken")
            self.told(again)
            self.assertEqual(asked, [])
            moved = again.store.get(type(area), area.id)
            again.store.edit([dataclasses.replace(moved, ring=tuple((x + 9, y) for x, y in moved.ring))])
            again.open_commission("demo-bracken")
            self.told(again)
            self.assertIn("measure", asked)

    def watched(self):
        """Which readings are asked for while it lasts."""
        asked: list[str] = []
        stack = mock.patch.multiple(measuring, **{name: self._told_of(asked, name, getattr(measuring, name)) for name in self.ASKED})

        class Watched:
            def __enter__(self):
                stack.start()
                return asked

            def __exit__(self, *_):
                stack.stop()

        return Watched()

    @staticmethod
    def _told_of(asked, name, real):
        def told(*args, **more):
            asked.append(name)
            return real(*args, **more)

        return told
