"""The judge of recipes (`benchmarks.practice`) in one process: the same questions to the same terminal, without starting it anew each time.

``python -m benchmarks.practice_here [JOBS.json] [the judge's own options]``; without a list the shipped demo jobs are judged.
"""

from __future__ import annotations

import contextlib
import io
import json
import sys
from pathlib import Path

from benchmarks import practice

JOBS = Path(__file__).parent / "practice_jobs.json"


class Here(practice.Program):
    """Asks the terminal's own code."""

    def ask(self, *args: str) -> dict:
        from hanabira.terminal.commands import main

        key = " ".join(args)
        self.asked |= {key} if args[0] == "area" else set()
        if key not in self.known:
            out, wrong = io.StringIO(), io.StringIO()
            with contextlib.redirect_stdout(out), contextlib.redirect_stderr(wrong):
                try:
                    code = main([*args, "--json"])
                except SystemExit as end:
                    code = end.code
            if code:
                raise RuntimeError(f"{key}: {wrong.getvalue().strip()[-300:]}")
            self.known[key] = json.loads(out.getvalue())
        return self.known[key]


if __name__ == "__main__":
    practice.Program = Here
    if not any(a.endswith(".json") for a in sys.argv[1:]):
        sys.argv.insert(1, str(JOBS))
    practice.main()
