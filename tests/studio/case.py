"""A fresh studio for tests that need no session."""

import tempfile
import unittest
from pathlib import Path

from hanabira.studio.store import Store


class StoreCase(unittest.TestCase):
    """``store`` is open while a test runs; nothing of it stays."""

    def setUp(self) -> None:
        temp = tempfile.TemporaryDirectory()
        self.addCleanup(temp.cleanup)
        self.store = Store.open(Path(temp.name) / "studio")
        self.addCleanup(self.store.close)
