"""The program itself: ``hanabira`` on the path, or ``python -m hanabira``."""

import gc
import sys


def run() -> int:
    """Load the commands and run the one that was asked for; its exit code.

    What is loaded at a start stays: looking through it for garbage again and again would take a sixth of the time until the
    window stands, and a pause in every later search. So nothing is searched while the program is loaded, and what is there then
    is left out of later searches. A window does the same once more when it stands (`hanabira.desk.start.start`).
    """
    gc.disable()
    from hanabira.cli import main

    if sys.argv[1:2] not in ([], ["open"]):
        gc.freeze()
        gc.enable()
    return main()


if __name__ == "__main__":
    sys.exit(run())
