"""Work side by side in processes: order, cancel, faults, and what happens when a process dies."""

import os
import unittest

from hanabira.core.faults import Cancelled, Fault
from hanabira.core.token import SILENT, Token
from hanabira.session.workers import Workers


class Asked:
    at_once = 2


def square(n: int) -> tuple[int, int]:
    return n * n, os.getpid()


def refuse(n: int) -> int:
    if n == 2:
        raise Fault("Two is no good.", "All else stands.", "Take three.")
    return n


def die_elsewhere(told: tuple[int, int]) -> int:
    n, home = told
    if os.getpid() != home and n == 1:
        os._exit(3)
    return n


class SideBySide(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.workers = Workers(Asked())

    @classmethod
    def tearDownClass(cls):
        cls.workers.shut()

    def test_results_come_in_order_and_from_other_processes(self):
        told = []
        found = self.workers.run(square, range(7), SILENT, lambda n, q: told.append((n, q[0])))
        self.assertEqual([q for q, _p in found], [n * n for n in range(7)])
        self.assertEqual(sorted(told), [(n, n * n) for n in range(7)])
        self.assertNotIn(os.getpid(), {p for _q, p in found})

    def test_one_thing_or_one_processor_is_worked_here(self):
        self.assertEqual(self.workers.run(square, [3], SILENT), [(9, os.getpid())])
        alone = type("Alone", (), {"at_once": 1})()
        self.assertEqual({p for _q, p in Workers(alone).run(square, range(3), SILENT)}, {os.getpid()})

    def test_a_fault_arrives_with_all_it_says(self):
        with self.assertRaises(Fault) as caught:
            self.workers.run(refuse, range(5), SILENT)
        self.assertEqual(str(caught.exception), "Two is no good. All else stands. Take three.")
        self.assertEqual([q for q, _p in self.workers.run(square, range(3), SILENT)], [0, 1, 4], "the processes serve on")

    def test_cancelled_work_stops(self):
        token = Token()
        told = []

        def first(n: int, _found: object) -> None:
            told.append(n)
            token.cancel()

        with self.assertRaises(Cancelled):
            self.workers.run(square, range(50), token, first)
        self.assertLess(len(told), 5)

    def test_where_a_process_dies_the_rest_is_worked_here(self):
        home = os.getpid()
        self.assertEqual(self.workers.run(die_elsewhere, [(n, home) for n in range(4)], SILENT), [0, 1, 2, 3])
        self.assertNotIn(home, {p for _q, p in self.workers.run(square, range(3), SILENT)}, "a new set of processes serves the next")


if __name__ == "__main__":
    unittest.main()
