"""Runs every test with warnings as errors and ends with the line ``N passed, N failed``."""

import sys
import tempfile
import unittest
import warnings

warnings.simplefilter("error")


def main() -> int:
    import os

    with tempfile.TemporaryDirectory(prefix="hanabira-tests-") as home:
        # nothing of the user's own is read or written
        for key in ("XDG_DATA_HOME", "XDG_CACHE_HOME", "XDG_CONFIG_HOME"):
            os.environ[key] = home
        os.environ["HANABIRA_CACHE"] = os.path.join(home, "cache")
        loader = unittest.TestLoader()
        names = sys.argv[1:]
        suite = loader.loadTestsFromNames(names) if names else loader.discover("tests", top_level_dir=".")
        result = unittest.TextTestRunner(verbosity=1, warnings="error", buffer=True).run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = len(result.skipped)
    passed = result.testsRun - failed - skipped
    print(f"{passed} passed, {failed} failed" + (f", {skipped} skipped" if skipped else ""))
    return 1 if failed or not result.testsRun else 0


if __name__ == "__main__":
    sys.exit(main())
