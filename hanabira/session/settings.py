"""Settings, declared once: key, type, default, bounds and wording."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from hanabira.core.faults import Fault

if TYPE_CHECKING:
    from hanabira.studio.store import Store


@dataclass(frozen=True)
class Setting:
    """One setting. ``choices`` are all allowed values; else numbers lie within ``low`` and ``high``."""

    key: str
    default: Any
    words: str
    choices: tuple[Any, ...] = ()
    low: float | None = None
    high: float | None = None

    def clean(self, value: Any) -> Any:
        """The value brought within bounds; the default when it makes no sense."""
        if self.choices:
            return value if value in self.choices else self.default
        if isinstance(self.default, bool):
            return value if isinstance(value, bool) else self.default
        if isinstance(self.default, int | float):
            if not isinstance(value, int | float) or isinstance(value, bool) or value != value:
                return self.default
            value = max(self.low if self.low is not None else value, min(self.high if self.high is not None else value, value))
            return type(self.default)(value)
        return value if isinstance(value, type(self.default)) else self.default


ALL = {
    s.key: s
    for s in (
        Setting("theme", "day", "Theme", ("day", "evening")),
        Setting("text_size", 1.0, "Text size", (1.0, 1.25, 1.5, 1.75, 2.0)),
        Setting("screen_px_per_mm", 96 / 25.4, "Screen pixels a millimetre", low=2.0, high=20.0),
        Setting("card_paper", "A4", "Paper of printed cards", ("A4", "Letter")),
        Setting("commission", "", "The commission that was open"),
        Setting("opening", "", "The commission that is just being opened; still set after a start that broke"),
        Setting("area", "", "The area that was chosen"),
        Setting("views", {}, "Where each commission's view stood"),
        Setting("papers", [], "Papers that are in the drawer; none listed means all"),
        Setting("tools", [], "Tools that are in the drawer; none listed means all, the one word none means none"),
        Setting("grid_mm", 20.0, "Width of the grid's cells in millimetres", low=5.0, high=100.0),
        Setting("grid_on", False, "Whether the grid lies over the picture"),
        Setting("grid_diagonals", False, "Whether the grid has diagonals"),
        Setting("grid_numbers", True, "Whether the grid's cells are numbered"),
        Setting("printer", [], "What was read off the grey wedge: five step numbers"),
        Setting("camera", "file", "Where photos of the work come from", ("file", "folder", "simulated")),
        Setting("camera_folder", "", "Folder in which new photos of the work are looked for"),
        Setting("easel_large", False, "Larger type at the easel"),
        Setting("studio_name", "", "Name of the studio or the artist, at the foot of what clients get"),
        Setting("studio_mark", "", "Mark of the studio, a PNG in base64, beside its name"),
        Setting("currency", "", "Sign or word of the studio's currency"),
        Setting("check_strip", {}, "Colours of the check strips that were read, by kit"),
        Setting("hand_lean", {}, "How far the hand was seen to lie from the forecast, by kit: L*, a*, b*"),
        Setting(
            "hand_unsteady",
            1.0,
            "How many times as far the hand scatters as the usual one, by the same chip laid six times",
            low=0.4,
            high=3.0,
        ),
        Setting("practice_paused", "", "Day until which no drill is proposed"),
        Setting("mornings", True, "Whether a photo is looked at before its numbers after a night"),
        Setting("mornings_skipped", 0, "How often that look was put off in a row", low=0, high=99),
        Setting("window", [], "Size and place of the window"),
        Setting("photo_folder", "", "Folder that the last picture file came from"),
    )
}


class Settings:
    """Reads and keeps the settings of a studio.

    A setting that the disk refuses, or that a read-only studio forgets, holds until the window is closed; ``refused`` is told once.
    """

    def __init__(self, store: Store, refused: Callable[[Fault], None] | None = None) -> None:
        self._store, self._refused = store, refused
        self._unkept: dict[str, Any] = {}
        self._told = False

    def get(self, key: str) -> Any:
        """Value of a setting within its bounds."""
        value = self._unkept[key] if key in self._unkept else self._store.setting(key, ALL[key].default)
        return ALL[key].clean(value)

    def set(self, key: str, value: Any) -> None:
        """Keep a setting."""
        value = ALL[key].clean(value)
        try:
            self._store.keep_setting(key, value)
            self._unkept.pop(key, None)
            if self._store.read_only:
                self._unkept[key] = value
        except Fault as fault:
            self._unkept[key] = value
            if self._refused is not None and not self._told:
                self._told = True
                self._refused(fault)
