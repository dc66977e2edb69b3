"""The one way to write a file for the person: beside its place first, then renamed over it."""

from __future__ import annotations

import contextlib
import os
import shutil
from pathlib import Path
from typing import IO

from hanabira.core.faults import Fault
from hanabira.studio.database import refusal


def write_file(target: Path, data: bytes | str | IO[bytes]) -> Path:
    """Write bytes, text as UTF-8, or all of an open file. A full disk or a closed folder leaves an older file as it was.

    Raises `Fault` that names the file and the reason; no part of a file is left behind.
    """
    part = target.with_name(f".{target.name}.part")
    try:
        with open(part, "wb") as out:
            if isinstance(data, str | bytes):
                out.write(data.encode() if isinstance(data, str) else data)
            else:
                shutil.copyfileobj(data, out, 1 << 20)
            out.flush()
            os.fsync(out.fileno())
        os.replace(part, target)
    except (OSError, ValueError) as error:  # a name with a zero byte is a ValueError
        with contextlib.suppress(OSError, ValueError):  # the folder itself may be out of reach
            part.unlink(missing_ok=True)
        raise refused(target, error) from error
    return target


def refused(target: Path, error: OSError | ValueError) -> Fault:
    """The fault of a file that could not be written; room on the disk is asked for only where that is what lacks."""
    reason, do = refusal(error, "Choose another folder.")
    return Fault(f"{target} could not be written: {reason}.", "What stood there before is unchanged.", do)
