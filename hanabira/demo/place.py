"""Where the demo studio is kept."""

from __future__ import annotations

from pathlib import Path

import platformdirs


def demo_folder() -> Path:
    """Where `make demo` keeps its studio, beside the user's own and never in it."""
    return Path(platformdirs.user_data_dir("hanabira")) / "demo-studio"
