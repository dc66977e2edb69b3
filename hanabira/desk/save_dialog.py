"""The dialog that asks where a file is to be written."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from hanabira.studio.picture_kinds import SUFFIXES

KINDS = {
    ".csv": "Table (*.csv)",
    ".gpl": "Palette (*.gpl)",
    ".ics": "Calendar (*.ics)",
    ".json": "JSON (*.json)",
    ".ora": "Layered picture (*.ora)",
    ".pdf": "PDF (*.pdf)",
    ".svg": "Drawing (*.svg)",
    ".toml": "Technique (*.toml)",
    ".webp": "Film (*.webp *.gif)",
    ".zip": "Bundle (*.zip)",
}
"""Files that are written, by their suffix."""


PHOTO_FILTER = f"Pictures ({' '.join('*' + s for s in SUFFIXES)})"


def save_dialog(parent: QWidget, name: str) -> QFileDialog:
    """A dialog for a file of the kind of the suggested name. The suffix is added before it asks about a file that is there already."""
    suffix = Path(name).suffix
    dialog = QFileDialog(parent, "Write a file", "", KINDS[suffix])
    dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
    dialog.setDefaultSuffix(suffix)
    dialog.selectFile(name)
    return dialog


def with_suffix(path: str, suffix: str) -> Path:
    """A path with the suffix it must have; what was typed is never cut.

    >>> with_suffix("/tmp/Moss 1.2", ".pdf").name, with_suffix("/tmp/MOSS.PDF", ".pdf").name
    ('Moss 1.2.pdf', 'MOSS.PDF')
    """
    return Path(path) if path.lower().endswith(suffix) else Path(f"{path}{suffix}")
