"""The one way to write a file for the person: beside its place first, then renamed over it."""

from __future__ import annotations

import os
from pathlib import Path

from hanabira.core.faults import Fault


def write_file(target: Path, data: bytes | str) -> Path:
    """Write bytes, or text as UTF-8. A full disk or a closed folder leaves an older file as it was.

    Raises `Fault` that names the file and the reason; no part of a file is left behind.
    """
    part = target.with_name(f".{target.name}.part")
    try:
        part.write_bytes(data.encode() if isinstance(data, str) else data)
        os.replace(part, target)
    except OSError as error:
        try:
            part.unlink(missing_ok=True)
        except OSError:  # the folder itself is out of reach
            pass
        raise Fault(
            f"{target} could not be written: {error.strerror or error}.", "What stood there before is unchanged.", "Choose another folder."
        ) from error
    return target
