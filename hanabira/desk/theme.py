"""Colour roles, type roles and text size of the interface, day and evening.

Every grey is exactly neutral (R = G = B). Plum lives only in controls and headings that
stand away from swatches. Widgets never name a hex value: they ask ``role("ink")``.
"""

from __future__ import annotations

import gc
from dataclasses import dataclass, fields
from functools import cache
from typing import TYPE_CHECKING

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette

from hanabira import fonts

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QApplication

THIN = "\u2009"  # thin space between a figure and its unit
MINUS = "\u2212"
TEXT_SIZES = (1.0, 1.25, 1.5, 1.75, 2.0)


@dataclass(frozen=True)
class Roles:
    """Named colours of one theme."""

    window: str  # behind everything
    mat: str  # mid-grey round the picture
    mat_ink: str  # text and hairlines on the mat
    rule: str  # ruler strips
    card: str  # bench card and sheets of text
    well: str  # chosen row, panel inside a card
    bed: str  # under swatches to be judged; the same in both themes
    bed_ink: str  # text on the bed
    raised: str  # buttons at rest, chips
    line: str  # quiet divider (no meaning)
    edge: str  # line that carries meaning, control border (3:1)
    ink: str  # main text
    ink2: str  # second text (still 4.5:1)
    plum: str  # accent text, focus ring, thread
    plum_fill: str  # filled control
    on_plum: str  # text on plum_fill
    plum_wash: str  # hover and chosen ground of a control


DAY = Roles(
    window="#d6d6d6",
    mat="#8f8f8f",
    mat_ink="#0c0c0c",
    rule="#c6c6c6",
    card="#f1f1f1",
    well="#e2e2e2",
    bed="#8f8f8f",
    bed_ink="#0c0c0c",
    raised="#fafafa",
    line="#c2c2c2",
    edge="#757575",
    ink="#1b1b1b",
    ink2="#4d4d4d",
    plum="#6d2c58",
    plum_fill="#6d2c58",
    on_plum="#ffffff",
    plum_wash="#eadbe5",
)
EVENING = Roles(
    window="#202020",
    mat="#5e5e5e",
    mat_ink="#f2f2f2",
    rule="#363636",
    card="#2b2b2b",
    well="#363636",
    bed="#8f8f8f",
    bed_ink="#0c0c0c",
    raised="#3d3d3d",
    line="#4a4a4a",
    edge="#909090",
    ink="#ececec",
    ink2="#bcbcbc",
    plum="#dda2cb",
    plum_fill="#8a4475",
    on_plum="#ffffff",
    plum_wash="#4a3644",
)

THEMES = {"day": DAY, "evening": EVENING}
_now = DAY
_scale = 1.0


def use(name: str, text_size: float = 1.0) -> None:
    """Switch the theme and the text size; widgets read them at their next layout and paint."""
    global _now, _scale
    _now, _scale = THEMES[name], float(text_size)


def current() -> str:
    """Name of the theme in use."""
    return next(name for name, roles in THEMES.items() if roles is _now)


def scale() -> float:
    """Text size as a factor, 1 to 2. Drawn widgets draw in design units and are scaled by it."""
    return _scale


def u(px: float) -> int:
    """Screen pixels of a design measure at the text size in use."""
    return round(px * _scale)


def load_fonts() -> None:
    """Load the typefaces that ship; the system's own are not relied on."""
    for path in sorted(fonts.FOLDER.glob("*.ttf")):
        if QFontDatabase.addApplicationFont(str(path)) < 0:
            raise RuntimeError(f"the typeface {path.name} could not be loaded")


def role(name: str, alpha: int = 255) -> QColor:
    """The colour of a role in the current theme."""
    c = QColor(getattr(_now, name))
    c.setAlpha(alpha)
    return c


# role: (family, px, weight, italic)
_TYPE = {
    "note": ("Lato", 12, 400, False),  # ruler figures, codes under swatches
    "small": ("Lato", 13, 400, False),  # second lines, reasons
    "body": ("Lato", 14, 400, False),  # running text, rows
    "strong": ("Lato", 14, 700, False),  # labels that carry the row
    "caption": ("Lato", 12, 700, False),  # section caption
    "figure": ("Lato", 18, 600, False),  # measured figures
    "name": ("Vollkorn", 16, 600, False),  # names of areas, layers, pencils
    "aside": ("Vollkorn", 14, 400, True),  # the reason, the voice of the bench
    "title": ("Vollkorn", 24, 600, False),  # head of the bench card
    "easel_note": ("Lato", 24, 500, False),
    "easel_body": ("Lato", 28, 500, False),
    "easel_name": ("Vollkorn", 40, 600, False),
    "easel_step": ("Vollkorn", 48, 600, False),
    "easel_figure": ("Lato", 56, 600, False),
}


def font(name: str, scaled: bool = False) -> QFont:
    """Font of a type role, with tabular lining figures; in design units, or at the text size for Qt's own controls."""
    if scaled:
        f = QFont(_font(name))
        f.setPixelSize(u(_TYPE[name][1]))
        return f
    return _font(name)


@cache
def _font(name: str) -> QFont:
    """Made once: a stage asks for its fonts a thousand times while it draws. Not to be changed by who gets it."""
    family, px, weight, italic = _TYPE[name]
    f = QFont(family)
    f.setPixelSize(px)
    f.setWeight(QFont.Weight(weight) if weight in (400, 500, 600, 700) else QFont.Weight.Normal)
    f.setItalic(italic)
    f.setHintingPreference(QFont.HintingPreference.PreferNoHinting)
    for tag in ("tnum", "lnum", "kern"):
        f.setFeature(QFont.Tag(tag), 1)
    return f


def palette() -> QPalette:
    """Qt palette of the theme, for Qt's own controls."""
    p = QPalette()
    r = QPalette.ColorRole
    for which, name in (
        (r.Window, "card"), (r.WindowText, "ink"), (r.Base, "raised"), (r.AlternateBase, "well"), (r.Text, "ink"), (r.Button, "raised"),
        (r.ButtonText, "ink"), (r.ToolTipBase, "raised"), (r.ToolTipText, "ink"), (r.PlaceholderText, "ink2"), (r.Highlight, "plum_fill"),
        (r.HighlightedText, "on_plum"), (r.Link, "plum"), (r.Mid, "edge"), (r.Dark, "edge"), (r.Light, "raised"), (r.Midlight, "line"),
    ):  # fmt: skip
        p.setColor(which, role(name))
    for which in (r.Text, r.WindowText, r.ButtonText):
        p.setColor(QPalette.ColorGroup.Disabled, which, role("ink2"))
    return p


def sheet() -> str:
    """Style of Qt's own controls: flat fields with a border that can be seen and a plum focus line."""
    h = {f.name: getattr(_now, f.name) for f in fields(_now)}
    return f"""
    QWidget {{ font-family: Lato; font-size: {u(14)}px; color: {h["ink"]}; }}
    QLineEdit, QPlainTextEdit, QComboBox, QSpinBox, QDoubleSpinBox {{
        background: {h["raised"]}; border: 1px solid {h["edge"]}; border-radius: 5px; padding: {u(4)}px {u(7)}px; min-height: {u(20)}px;
        selection-background-color: {h["plum_fill"]}; selection-color: {h["on_plum"]}; }}
    QLineEdit:focus, QPlainTextEdit:focus, QComboBox:focus, QSpinBox:focus, QDoubleSpinBox:focus {{ border: 2px solid {h["plum"]}; }}
    QComboBox::drop-down {{ border: 0; width: {u(24)}px; subcontrol-origin: border; }}
    QComboBox::down-arrow {{ image: none; }}
    QSpinBox::up-button, QDoubleSpinBox::up-button, QSpinBox::down-button, QDoubleSpinBox::down-button {{ border: 0; background: transparent; width: {u(24)}px; }}
    QSpinBox::up-arrow, QDoubleSpinBox::up-arrow, QSpinBox::down-arrow, QDoubleSpinBox::down-arrow {{ image: none; }}
    QLineEdit:disabled, QComboBox:disabled, QSpinBox:disabled {{ border-style: dashed; color: {h["ink2"]}; }}
    QCheckBox, QRadioButton {{ min-height: {u(22)}px; padding: 0 {u(3)}px; border: 2px solid transparent; border-radius: 5px; }}
    QCheckBox:focus, QRadioButton:focus {{ border-color: {h["plum"]}; }}
    QAbstractItemView {{ background: {h["raised"]}; border: 1px solid {h["edge"]}; outline: 0; selection-background-color: {h["plum_fill"]};
        selection-color: {h["on_plum"]}; }}
    QListWidget {{ border-width: 2px; }} QListWidget:focus, QTextBrowser:focus {{ border-color: {h["plum"]}; }}
    QTextBrowser {{ border: 2px solid transparent; }}
    QListView::item {{ padding: {u(4)}px {u(6)}px; }}
    QMenu {{ background: {h["raised"]}; border: 1px solid {h["edge"]}; }}
    QMenu::item {{ padding: {u(5)}px {u(22)}px; }} QMenu::item:selected {{ background: {h["plum_wash"]}; color: {h["ink"]}; }}
    QMenu::item:disabled {{ color: {h["ink2"]}; }}
    QMenuBar {{ background: {h["card"]}; font-size: {u(13)}px; }} QMenuBar::item {{ padding: {u(3)}px {u(9)}px; }}
    QMenuBar::item:selected {{ background: {h["plum_wash"]}; }}
    QToolTip {{ background: {h["raised"]}; color: {h["ink"]}; border: 1px solid {h["edge"]}; padding: {u(4)}px; font-size: {u(13)}px; }}
    QScrollArea {{ border: 0; background: transparent; }}
    QScrollBar:vertical {{ background: transparent; width: {u(10)}px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {h["edge"]}; border-radius: {u(4)}px; min-height: {u(30)}px; margin: 2px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; }} QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    """


def apply(app: QApplication) -> None:
    """Give Qt's own controls the theme.

    Qt walks through a list of all widgets meanwhile and calls their handlers. A search for garbage that begins in one of them would delete
    closed windows which are still on that list, and Qt would step on them: what is garbage goes before, nothing during the walk.
    """
    searching = gc.isenabled()
    if searching:
        gc.collect()
        gc.disable()
    try:
        app.setPalette(palette())
        app.setFont(font("body", scaled=True))
        app.setStyleSheet(sheet())
    finally:
        if searching:
            gc.enable()


def luminance(hex_: str) -> float:
    """Relative luminance of an sRGB hex colour."""
    v = [int(hex_[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    v = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in v]
    return 0.2126 * v[0] + 0.7152 * v[1] + 0.0722 * v[2]


def contrast(a: str, b: str) -> float:
    """Contrast ratio of two hex colours."""
    x, y = sorted((luminance(a), luminance(b)), reverse=True)
    return (x + 0.05) / (y + 0.05)


def audit() -> list[str]:
    """Text pairs of both themes below 4.5:1 (must be empty)."""
    pairs = [("ink", g) for g in ("window", "rule", "card", "well", "raised", "plum_wash")]
    pairs += [("ink2", g) for g in ("window", "rule", "card", "well", "raised", "plum_wash")]
    pairs += [
        ("mat_ink", "mat"),
        ("bed_ink", "bed"),
        ("plum", "card"),
        ("plum", "window"),
        ("plum", "plum_wash"),
        ("plum", "raised"),
        ("on_plum", "plum_fill"),
    ]
    bad = []
    for n, r in (("day", DAY), ("evening", EVENING)):
        for f, g in pairs:
            c = contrast(getattr(r, f), getattr(r, g))
            if c < 4.5:
                bad.append(f"{n}: {f} on {g} {c:.2f}")
        for k in fields(r):
            h = getattr(r, k.name)
            if "plum" not in k.name and not h[1:3] == h[3:5] == h[5:7]:
                bad.append(f"{n}: {k.name} is not neutral")
    return bad
