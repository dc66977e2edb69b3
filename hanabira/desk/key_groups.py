"""Every key by group, for the printed card: from the acts, the looks, the easel and the mat."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtGui import QKeySequence

from hanabira.desk.acts import MENUS, Act
from hanabira.desk.stages.check.stage import KEYS as CHECK_KEYS
from hanabira.desk.stages.easel.stage import KEYS as EASEL_KEYS
from hanabira.session.looks import LOOKS


def key_groups(acts: Sequence[Act]) -> list[tuple[str, list[tuple[str, str]]]]:
    """(group, [(key, what it does)]): menus in their order, looks to hold, the easel."""
    native = lambda keys: QKeySequence(keys).toString(QKeySequence.SequenceFormat.NativeText)  # noqa: E731
    out = [(menu, [(native(a.keys), a.words) for a in acts if a.menu == menu and a.keys]) for menu in MENUS]
    out = [(menu, rows) for menu, rows in out if rows]
    out.append(("Hold to look", [(letter, f"{name}: {words[:1].lower()}{words[1:]}") for name, letter, words, _maths in LOOKS.values()]))
    out.append(("At the easel", [(native(key), words) for key, words in EASEL_KEYS]))
    out.append(("In Check", [(native(key), words) for key, words in CHECK_KEYS]))
    return out
