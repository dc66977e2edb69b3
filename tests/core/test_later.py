"""Late loading: plain imports hand out what stands for a module, and the first look loads it, once, whoever looks."""

import importlib
import sys
import tempfile
import threading
import unittest
from pathlib import Path

from hanabira.core import later
from hanabira.core.faults import Cancelled
from hanabira.core.later import Waiting, catch_up, install, loaded, waiting
from hanabira.core.token import Token

LOOK = "import threading\nWHO = threading.get_ident()\nNUMBER = 7\n"


class LateLoading(unittest.TestCase):
    def setUp(self):
        temp = tempfile.TemporaryDirectory()
        self.addCleanup(temp.cleanup)
        self.package = Path(temp.name) / "late_pack"
        self.package.mkdir()
        self.write("__init__", "")
        self.addCleanup(self._forget, list(sys.meta_path), list(sys.path), list(later._found))
        sys.path.insert(0, temp.name)
        importlib.invalidate_caches()

    def _forget(self, finders, path, found):
        sys.meta_path[:], sys.path[:], later._found[:] = finders, path, found
        for name in [m for m in sys.modules if m.startswith("late_pack")]:
            del sys.modules[name]

    def write(self, name: str, text: str) -> None:
        (self.package / f"{name}.py").write_text(text)

    def run_in(self, text: str) -> dict:
        """What a module that says ``text`` holds."""
        space: dict = {"__name__": "somebody"}
        exec(compile(text, "somebody.py", "exec"), space)
        return space

    def test_a_module_waits_until_somebody_looks_into_it(self):
        self.write("one", LOOK)
        install(["late_pack."])
        space = self.run_in("from late_pack import one\n")
        self.assertIsInstance(space["one"], Waiting)
        self.assertEqual(waiting(), ["late_pack.one"])
        self.assertEqual(space["one"].NUMBER, 7)
        self.assertNotIsInstance(sys.modules["late_pack.one"], Waiting)
        self.assertEqual(waiting(), [])
        with self.assertRaises(AttributeError):
            space["one"].no_such_thing  # noqa: B018

    def test_a_name_of_it_is_there_at_once(self):
        self.write("one", LOOK)
        install(["late_pack."])
        self.assertEqual(self.run_in("from late_pack.one import NUMBER as n\n")["n"], 7)
        self.assertNotIsInstance(sys.modules["late_pack.one"], Waiting)
        self.assertEqual(waiting(), [])

    def test_what_is_set_is_set_in_the_module_itself(self):
        self.write("one", LOOK)
        install(["late_pack."])
        space = self.run_in("from late_pack import one\none.NUMBER = 8\n")
        self.assertEqual((sys.modules["late_pack.one"].NUMBER, space["one"].NUMBER), (8, 8))

    def test_a_library_waits_with_its_parts(self):
        self.write("__init__", "DEEP = 3\n")
        self.write("part", "NUMBER = 9\n")
        install([], ["late_pack"])
        space = self.run_in("import late_pack\n")
        self.assertIsInstance(sys.modules["late_pack"], Waiting)
        self.assertEqual(waiting(), [], "a library is not loaded ahead")
        self.assertEqual(self.run_in("import late_pack.part as p\n")["p"].NUMBER, 9)
        self.assertEqual((space["late_pack"].DEEP, space["late_pack"].part.NUMBER), (3, 9))

    def test_what_is_not_there_is_missed_where_it_is_imported(self):
        install(["late_pack."], ["late_pack_that_is_nowhere"])
        with self.assertRaises(ImportError):
            self.run_in("from late_pack import two\n")
        with self.assertRaises(ImportError):
            self.run_in("import late_pack_that_is_nowhere\n")

    def test_a_fault_in_a_module_is_met_at_the_look_and_again_at_the_next(self):
        self.write("one", "raise ZeroDivisionError\n")
        install(["late_pack."])
        space = self.run_in("from late_pack import one\n")
        for _ in range(2):
            with self.assertRaises(ZeroDivisionError):
                space["one"].NUMBER  # noqa: B018

    def test_two_that_need_each_other_load(self):
        self.write("one", "from late_pack import two\nNUMBER = 1\ndef other():\n    return two.NUMBER\n")
        self.write("two", "from late_pack import one\nNUMBER = 2\ndef other():\n    return one.NUMBER\n")
        install(["late_pack."])
        space = self.run_in("from late_pack import one\n")
        self.assertEqual((space["one"].other(), sys.modules["late_pack.two"].other()), (2, 1))

    def test_many_threads_load_it_once_and_all_get_it_whole(self):
        self.write("one", "import time\nFIRST = object()\ntime.sleep(0.05)\nLAST = object()\n")
        install(["late_pack."])
        one = self.run_in("from late_pack import one\n")["one"]
        seen, begin = [], threading.Barrier(8)

        def look():
            begin.wait()
            seen.append((id(one.FIRST), id(one.LAST)))

        threads = [threading.Thread(target=look) for _ in range(8)]
        for t in threads:
            t.start()
        for t in threads:
            t.join()
        self.assertEqual(len(seen), 8)
        self.assertEqual(len(set(seen)), 1)

    def test_what_waits_is_loaded_ahead_but_for_what_is_seldom_needed(self):
        self.write("first", "from late_pack import second\n")
        self.write("second", LOOK)
        self.write("seldom", LOOK)
        install(["late_pack."], seldom=["late_pack.seldom"])
        self.run_in("from late_pack import first, seldom\n")
        token = Token()
        token.cancel()
        with self.assertRaises(Cancelled):
            catch_up(token)
        self.assertIsInstance(sys.modules["late_pack.first"], Waiting)
        catch_up()
        self.assertNotIsInstance(sys.modules["late_pack.second"], Waiting, "what the first one waits for is loaded as well")
        self.assertIsInstance(sys.modules["late_pack.seldom"], Waiting)

    def test_it_may_be_asked_for_by_its_name(self):
        self.write("one", LOOK)
        install(["late_pack."])
        self.run_in("from late_pack import one\n")
        self.assertIs(loaded("late_pack.one"), sys.modules["late_pack.one"])
        self.assertNotIsInstance(loaded("late_pack.one"), Waiting)
        with self.assertRaises(ImportError):
            loaded("late_pack.none_such")
