"""The brief's marks of likeness as a list to tick: what no measure sees, and the client will look for first."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QWidget

from hanabira.desk.controls import Caption, Words

if TYPE_CHECKING:
    from hanabira.desk.stages.check.stage import CheckStage
    from hanabira.studio.records import Shot


def likeness(s: CheckStage, shot: Shot) -> list[QWidget | Any]:
    """One box for each mark; nothing where the brief names none."""
    marks = s.session.checkroom.likeness(shot)
    if not marks:
        return []
    open_ = sum(not found for _q, found in marks)
    out: list[QWidget | Any] = [Caption("Likeness, by the brief")]
    out.append(Words("Look for these yourself: no measure sees them." if open_ else "All that the brief names is there.", "small", "ink"))
    for words, found in marks:
        mark = words[:1].upper() + words[1:]
        box = QCheckBox()  # its own words would not wrap
        box.setAccessibleName(mark)
        box.setToolTip(mark)
        box.setChecked(found)
        box.toggled.connect(lambda on, q=words: s.session.checkroom.tick(shot, q, on))
        line = QHBoxLayout()
        line.addWidget(box, 0, Qt.AlignmentFlag.AlignTop)
        line.addWidget(Words(mark, "small", "ink"), 1)
        out.append(line)
    return out
