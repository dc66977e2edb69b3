"""The demo studio for tests: built once in a whole run, whichever process comes first, and copied."""

from __future__ import annotations

import fcntl
import os
import shutil
import tempfile
import unittest
from pathlib import Path

from hanabira.demo.studio import build_demo

SHARED = "HANABIRA_TEST_SHARED"
"""Names the folder that the processes of one run have in common."""


def demo_copy(folder: Path) -> Path:
    """A demo studio of one's own in ``folder``."""
    shared = Path(os.environ[SHARED])
    with (shared / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not (shared / "built").exists():
            build_demo(shared / "demo")
            (shared / "built").touch()
    shutil.copytree(shared / "demo", folder)
    return folder


class OnDemo(unittest.TestCase):
    """Tests of one class share a demo studio in ``root / "demo"``; nothing of it stays."""

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        temp = tempfile.TemporaryDirectory()
        cls.addClassCleanup(temp.cleanup)
        cls.root = Path(temp.name)
        demo_copy(cls.root / "demo")
