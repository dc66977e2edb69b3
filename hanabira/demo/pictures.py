"""The client photos of the demo."""

from __future__ import annotations

from pathlib import Path

DATA = Path(__file__).parent / "data"
PHOTO = DATA / "tansy.jpg"
PHOTOS = {"rabbit": PHOTO, "pony": DATA / "bracken.jpg", "owl": DATA / "vesper.jpg", "jackdaw": DATA / "sloe.jpg"}
"""Kinds of animal and their pictures; ``python -m demo_making.render`` makes them."""
