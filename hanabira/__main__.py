"""The program itself: ``hanabira`` on the path, or ``python -m hanabira``."""

import gc
import sys

from hanabira.core import later

LATER = (
    "hanabira.core.", "hanabira.craft.", "hanabira.studio.", "hanabira.session.", "hanabira.sheets.", "hanabira.devices.", "hanabira.demo.",
    "hanabira.desk.stages.", "hanabira.terminal.colour",
)  # fmt: skip
"""Packages whose modules wait until they are used."""
LIBRARIES = (
    "PIL.Image", "PIL.ImageOps", "cv2", "hashlib", "importlib.metadata", "numpy", "platform", "scipy", "shapely", "skimage", "socket", "uuid",
)  # fmt: skip
"""Libraries that a window does not wait for."""
SELDOM = (
    "hanabira.terminal.colour", "hanabira.demo.studio", "hanabira.desk.stages.study.printing", "hanabira.devices.easel_camera", "hanabira.session.simulated", "hanabira.sheets.sender",
)  # fmt: skip
"""What few starts use: it is not loaded ahead."""


def load_late() -> None:
    """From here on load late what a window can stand without."""
    later.install(LATER, LIBRARIES, SELDOM)


def run() -> int:
    """Load the commands and run the one that was asked for; its exit code.

    What is loaded at a start stays: looking through it for garbage again and again would take a sixth of the time until the
    window stands, and a pause in every later search. So nothing is searched while the program is loaded, and what is there then
    is left out of later searches. A window does the same once more when it stands (`hanabira.desk.start.start`).
    """
    gc.disable()
    load_late()
    from hanabira.terminal.commands import main

    if sys.argv[1:2] not in ([], ["open"]):
        gc.freeze()
        gc.enable()
    return main()


if __name__ == "__main__":
    sys.exit(run())
