"""The one runner of long work: everything arrives on the interface thread, stale and cancelled work never does."""

import threading
import time
import unittest

from PyQt6.QtCore import QCoreApplication

from hanabira.core.faults import Cancelled, Fault
from hanabira.core.token import Token
from hanabira.desk.jobs import JobRunner
from hanabira.desk.start import make_app


class Runner(unittest.TestCase):
    def setUp(self):
        self.app = make_app()
        self.jobs = JobRunner()
        self.addCleanup(self.jobs.shut)
        self.here = threading.get_ident()
        self.got: list = []
        self.begun: list = []
        self.ended: list = []
        self.gate = threading.Event()
        self.addCleanup(self.gate.set)

    def wait(self, until=None, seconds: float = 20.0) -> None:
        end = time.monotonic() + seconds
        while (until is None and self.jobs.busy) or (until is not None and not until()):
            self.assertLess(time.monotonic(), end, "the work never ended")
            QCoreApplication.processEvents()
            time.sleep(0.002)
        QCoreApplication.processEvents()

    def slow(self, answer: object):
        """Work that waits at the gate and minds its token."""

        def work(token: Token) -> object:
            self.begun.append(answer)
            try:
                while not self.gate.wait(0.005):
                    token.check()
                token.check()
                return answer
            finally:
                self.ended.append(answer)

        return work

    def test_work_runs_elsewhere_and_its_result_arrives_here(self):
        where = []
        self.jobs.run(
            "k", "Counting", lambda _t: where.append(threading.get_ident()) or 42, lambda q: self.got.append((q, threading.get_ident()))
        )
        self.assertTrue(self.jobs.busy)
        self.wait()
        self.assertEqual(self.got, [(42, self.here)])
        self.assertNotEqual(where, [self.here])

    def test_progress_arrives_here_with_its_words(self):
        seen = []
        self.jobs.changed.connect(lambda: seen.extend((j.share, j.words, threading.get_ident()) for j in self.jobs.running))

        def work(token: Token) -> None:
            token.report(0.25, "a quarter")
            token.report(0.75, "")
            self.gate.wait(20)

        self.jobs.run("k", "Counting", work, self.got.append)
        self.wait(lambda: any(share == 0.75 for share, _w, _t in seen))
        self.assertIn((0.25, "a quarter", self.here), seen)
        self.assertIn((0.75, "a quarter", self.here), seen, "without words the last ones stay")
        self.gate.set()
        self.wait()

    def test_what_is_looked_at_goes_before_all_that_waits(self):
        for n in range(2):  # both workers are busy
            self.jobs.run(f"busy {n}", "Busy", self.slow("busy"), lambda _r: None)
        self.wait(lambda: len(self.begun) == 2)
        for n in range(3):
            self.jobs.run(f"later {n}", "Later", lambda _t, n=n: self.begun.append(f"later {n}"), lambda _r: None)
        self.jobs.run("now", "Now", lambda _t: self.begun.append("now"), lambda _r: None, first=True)
        self.assertTrue(self.jobs.under_way("now"))
        self.assertFalse(self.jobs.under_way("nobody asked"))
        self.jobs.cancel("later 2")
        self.assertFalse(self.jobs.under_way("later 2"), "its result will not arrive")
        self.gate.set()
        self.wait()
        self.assertEqual(self.begun[2:3], ["now"])
        self.assertFalse(self.jobs.under_way("now"))

    def test_a_newer_job_of_the_same_key_makes_the_older_one_stale(self):
        self.jobs.run("k", "First", self.slow("first"), self.got.append)
        self.jobs.run("k", "Second", lambda _t: "second", self.got.append)
        self.assertEqual([j.title for j in self.jobs.running], ["Second"])
        self.wait()
        self.assertEqual(self.got, ["second"])

    def test_what_is_cancelled_never_arrives_not_even_as_a_fault(self):
        faults = []
        self.jobs.failed.connect(faults.append)
        self.jobs.run("k", "Counting", self.slow(1), self.got.append)
        self.jobs.cancel("k")
        self.assertEqual(self.jobs.running, [])
        self.wait()
        self.assertEqual((self.got, faults), ([], []))
        self.jobs.cancel("nobody")

    def test_work_that_ends_although_it_was_cancelled_is_dropped(self):
        def stubborn(_token: Token) -> int:
            self.gate.wait(20)
            return 1

        self.jobs.run("k", "Counting", stubborn, self.got.append)
        self.jobs.cancel("k")
        self.gate.set()
        self.wait()
        self.assertEqual(self.got, [])

    def test_work_that_gives_up_by_itself_says_nothing(self):
        def tired(_token: Token) -> None:
            raise Cancelled

        said = []
        self.jobs.failed.connect(said.append)
        self.jobs.broke.connect(lambda *q: said.append(q))
        self.jobs.run("k", "Counting", tired, self.got.append)
        self.wait()
        self.assertEqual((self.got, said), ([], []))

    def test_a_job_is_plain_unless_it_says_otherwise(self):
        job = self.jobs.run("k", "Counting", self.slow(1), self.got.append)
        self.assertEqual((job.share, job.words, job.quiet, job.lasting, job.asked), (0.0, "Counting", False, False, False))
        self.assertEqual(self.jobs.cancel_all(), [], "nobody asked for it, so nobody is told")

    def test_faults_go_to_who_asked_or_to_the_door_and_bugs_with_their_trace(self):
        def fault(_token: Token) -> None:
            raise Fault("The card is full.")

        door, bugs = [], []
        self.jobs.failed.connect(lambda f: door.append((f.what, threading.get_ident())))
        self.jobs.broke.connect(lambda error, trace: bugs.append((type(error), trace)))
        self.jobs.run("a", "A", fault, self.got.append, lambda f: self.got.append(f.what))
        self.wait()
        self.assertEqual((self.got, door), (["The card is full."], []))
        self.jobs.run("b", "B", fault, self.got.append)
        self.wait()
        self.assertEqual(door, [("The card is full.", self.here)])
        self.jobs.run("c", "C", lambda _t: 1 // 0, self.got.append)
        self.wait()
        self.assertEqual(bugs[0][0], ZeroDivisionError)
        self.assertIn("1 // 0", bugs[0][1])
        self.assertEqual(len(self.got), 1)

    def test_lasting_work_outlives_a_change_of_commission_and_is_told_apart(self):
        self.jobs.run("w", "Writing the card", self.slow("card"), self.got.append, lasting=True)
        self.jobs.run("w", "Writing the book", self.slow("book"), self.got.append, lasting=True)
        self.jobs.run("m", "Measuring", self.slow("measures"), self.got.append, asked=True)
        self.assertEqual(self.jobs.cancel_all(), ["Measuring"])
        self.assertEqual(sorted(j.title for j in self.jobs.writing), ["Writing the book", "Writing the card"])
        self.gate.set()
        self.wait()
        self.assertEqual(sorted(self.got), ["book", "card"])

    def test_shutting_waits_and_nothing_arrives_after(self):
        self.jobs.run("w", "Writing", self.slow("card"), self.got.append, lasting=True)
        self.wait(lambda: self.begun)
        self.jobs.shut()
        self.assertFalse(self.jobs.busy)
        self.assertEqual(self.ended, ["card"], "it was told to stop, and waited for")
        for _ in range(20):
            QCoreApplication.processEvents()
        self.assertEqual(self.got, [])


if __name__ == "__main__":
    unittest.main()
