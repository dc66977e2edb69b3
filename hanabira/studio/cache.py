"""Where the application keeps what it could work out again."""

from __future__ import annotations

import os
from pathlib import Path

import platformdirs


def cache_folder() -> Path:
    """In the desktop's cache, or where ``HANABIRA_CACHE`` says; it may be deleted at any time."""
    return Path(os.environ.get("HANABIRA_CACHE") or platformdirs.user_cache_dir("hanabira")) / "worked-out"
