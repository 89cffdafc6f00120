"""Colours by their role, in a light and a dark set; fonts; and the one stylesheet made of them."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from functools import cache
from importlib import resources
from pathlib import Path
from string import Template

from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication

TEXT_FONT = "Atkinson Hyperlegible Next"
VALUE_FONT = "Atkinson Hyperlegible Mono"
READABLE, WELL_READABLE = 4.5, 7.0
"""The least contrast of text on its ground (WCAG 2.2, success criteria 1.4.3 and 1.4.6)."""


@dataclass(frozen=True, slots=True)
class LaneColours:
    """The colours of one lane: of its ribbon, of words, and of the ground beneath words."""

    fill: str
    ink: str
    tint: str


@dataclass(frozen=True, slots=True)
class Theme:
    """Every colour of the program, by its role."""

    name: str
    ground: str
    head_ground: str
    surface: str
    surface_soft: str
    ink: str
    ink_soft: str
    line: str
    accent: str
    on_accent: str
    accent_soft: str
    accent_ink: str
    both_fill: str
    left_out: str
    link_cell: str
    selected: str
    stray: str
    blank: str
    warn_soft: str
    warn_line: str
    warn_ink: str
    lane_fills: tuple[str, ...]
    least_contrast: float = READABLE

    def lane(self, number: int) -> LaneColours:
        """Return the colours of the lane with a colour number; they come round after ten."""
        # The number stands in the document, and colours of a theme may be fewer or more one day.
        fill = self.lane_fills[number % len(self.lane_fills)]
        # Light enough to read on, and dark enough to be told from the ground.
        tint = mixed(fill, self.surface, 0.16)
        return LaneColours(fill, readable(fill, tint, self.ink, self.least_contrast), tint)


_LANE_FILLS = (
    "#2C7A5B",
    "#8A4F9E",
    "#B7791F",
    "#3568A8",
    "#B4502E",
    "#5B6B1E",
    "#0F7F8C",
    "#A33B6B",
    "#6A5ACD",
    "#7A5C43",
)

LIGHT = Theme(
    name="light",
    ground="#F7F5EF",
    head_ground="#FCFAF5",
    surface="#FFFFFF",
    surface_soft="#F3F0E7",
    ink="#20302B",
    ink_soft="#5C6863",
    line="#DDD9CE",
    accent="#1F6B52",
    on_accent="#FFFFFF",
    accent_soft="#E4EEE9",
    accent_ink="#1F6B52",
    both_fill="#3E6F66",
    left_out="#B9B3A4",
    link_cell="#E6EFEA",
    selected="#D8E8E0",
    stray="#F0B98A",
    blank="#656D68",
    warn_soft="#FDF1D8",
    warn_line="#EAD3A2",
    warn_ink="#85560C",
    lane_fills=_LANE_FILLS,
)

DARK = Theme(
    name="dark",
    ground="#17201D",
    head_ground="#1B2522",
    surface="#1F2A27",
    surface_soft="#26322E",
    ink="#E8ECE6",
    ink_soft="#A9B5AF",
    line="#384640",
    accent="#2F8A6B",
    on_accent="#FFFFFF",
    accent_soft="#243D34",
    accent_ink="#7CCBAE",
    both_fill="#5E9C90",
    left_out="#6E766F",
    link_cell="#27403A",
    selected="#2C4A41",
    stray="#A8683A",
    blank="#9AA59F",
    warn_soft="#3C3118",
    warn_line="#5E4C22",
    warn_ink="#E9C372",
    lane_fills=(
        "#4FA985",
        "#B583C8",
        "#D39A45",
        "#6C9BD8",
        "#D77F5E",
        "#97A94E",
        "#45B0BC",
        "#D0709C",
        "#9B8FE8",
        "#B08E70",
    ),
)

CONTRAST = Theme(
    name="contrast",
    ground="#FFFFFF",
    head_ground="#FFFFFF",
    surface="#FFFFFF",
    surface_soft="#F2F2F2",
    ink="#000000",
    ink_soft="#333333",
    line="#4D4D4D",
    accent="#00432F",
    on_accent="#FFFFFF",
    accent_soft="#D6EFE4",
    accent_ink="#00432F",
    both_fill="#173F37",
    left_out="#6B6B6B",
    link_cell="#D6EFE4",
    selected="#BFE6D5",
    stray="#FF8A1F",
    blank="#3D3D3D",
    warn_soft="#FFF3CC",
    warn_line="#7A5200",
    warn_ink="#5A3C00",
    lane_fills=(
        "#00573A",
        "#5E1F73",
        "#6B4300",
        "#0B3D82",
        "#7A2300",
        "#3A4700",
        "#00505A",
        "#7A0F45",
        "#3B2AA0",
        "#4A3220",
    ),
    least_contrast=WELL_READABLE,
)
BY_NAME = {theme.name: theme for theme in (LIGHT, DARK, CONTRAST)}


@cache
def mixed(colour: str, other: str, share: float) -> str:
    """Return a colour of which `share` is `colour` and the rest `other`."""
    a, b = QColor(colour), QColor(other)
    channels = [
        round(x * share + y * (1 - share))
        for x, y in ((a.red(), b.red()), (a.green(), b.green()), (a.blue(), b.blue()))
    ]
    return QColor(*channels).name()


def contrast(colour: str, other: str) -> float:
    """Return the contrast of two colours, 1 to 21 (WCAG 2.2, relative luminance)."""
    bright, dim = sorted((_luminance(QColor(colour)), _luminance(QColor(other))), reverse=True)
    return (bright + 0.05) / (dim + 0.05)


@cache
def readable(colour: str, on: str, ink: str, least: float = READABLE) -> str:
    """Return `colour` with as little `ink` mixed in as makes it readable on `on`."""
    # In steps of five: a finer search would give colours that nobody tells apart.
    for share in range(0, 101, 5):
        candidate = mixed(ink, colour, share / 100)
        if contrast(candidate, on) >= least:
            return candidate
    return ink


def text_font(size_px: int = 13, bold: bool = False) -> QFont:
    """Return the font of words."""
    return _font(TEXT_FONT, size_px, bold)


def value_font(size_px: int = 13, bold: bool = False) -> QFont:
    """Return the font of values, which tells 0 from O and 1 from l."""
    return _font(VALUE_FONT, size_px, bold)


def load_fonts() -> None:
    """Make the bundled fonts known to Qt."""
    folder = resources.files("keen_trellis.desktop") / "fonts"
    for file in folder.iterdir():
        if file.name.endswith(".ttf"):
            QFontDatabase.addApplicationFontFromData(file.read_bytes())


def dress(application: QApplication, theme: Theme) -> None:
    """Give the whole application the colours of a theme."""
    application.setFont(text_font())
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: theme.ground,
        QPalette.ColorRole.WindowText: theme.ink,
        QPalette.ColorRole.Base: theme.surface,
        QPalette.ColorRole.AlternateBase: theme.surface_soft,
        QPalette.ColorRole.Text: theme.ink,
        QPalette.ColorRole.PlaceholderText: theme.ink_soft,
        QPalette.ColorRole.Button: theme.surface,
        QPalette.ColorRole.ButtonText: theme.ink,
        QPalette.ColorRole.Highlight: theme.selected,
        QPalette.ColorRole.HighlightedText: theme.ink,
        QPalette.ColorRole.ToolTipBase: theme.surface,
        QPalette.ColorRole.ToolTipText: theme.ink,
        QPalette.ColorRole.Link: theme.accent_ink,
        QPalette.ColorRole.Mid: theme.line,
        QPalette.ColorRole.BrightText: theme.warn_ink,  # what is wrong
    }
    for role, colour in roles.items():
        palette.setColor(role, QColor(colour))
    palette.setColor(
        QPalette.ColorGroup.Disabled, QPalette.ColorRole.ButtonText, QColor(theme.ink_soft)
    )
    # The palette is what painting code asks; the stylesheet is what widgets are drawn by. Both
    # are made from one theme, so that neither is ever of another.
    application.setPalette(palette)
    application.setStyleSheet(stylesheet(theme))


def stylesheet(theme: Theme) -> str:
    """Return the stylesheet of the whole window in a theme's colours."""
    names = {key: value for key, value in asdict(theme).items() if isinstance(value, str)}
    return Template(_SHEET).substitute(names, mono=VALUE_FONT, tick=_TICK)


def _font(family: str, size_px: int, bold: bool) -> QFont:
    font = QFont(family)
    font.setPixelSize(size_px)
    font.setWeight(QFont.Weight.DemiBold if bold else QFont.Weight.Normal)
    return font


def _luminance(colour: QColor) -> float:
    def linear(channel: float) -> float:
        # The curve of sRGB, as WCAG 2.2 defines relative luminance.
        return channel / 12.92 if channel <= 0.04045 else ((channel + 0.055) / 1.055) ** 2.4

    red, green, blue = (linear(c) for c in (colour.redF(), colour.greenF(), colour.blueF()))
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


_TICK = (Path(__file__).parent / "icons" / "tick.svg").as_posix()
"""White: it stands on the accent, which is dark in every theme."""

_SHEET = """
QWidget { color: $ink; font-size: 13px; }
QMainWindow, QDialog { background: $ground; }
QDialog { border: 1px solid $line; }
QToolTip { background: $surface; color: $ink; border: 1px solid $line; padding: 4px 6px; }

#topbar { background: $head_ground; border-bottom: 1px solid $line; }
#statusline { background: $head_ground; border-top: 1px solid $line; }
#statusline QLabel { color: $ink_soft; font-size: 12px; }
QLabel#topbar_name { font-size: 16px; font-weight: 600; }
QLabel[soft="true"] { color: $ink_soft; }
QLabel[small="true"] { font-size: 12px; }
QLabel[heading="true"] { font-size: 16px; font-weight: 600; }
QLabel[strong="true"] { font-weight: 600; }

QPushButton, QToolButton {
  background: $surface_soft; border: 1px solid $line; border-radius: 6px; padding: 4px 10px;
}
QPushButton:hover, QToolButton:hover { border-color: $accent; }
QPushButton:focus, QToolButton:focus { border: 1px solid $accent_ink; background: $accent_soft; }
QPushButton:disabled, QToolButton:disabled { color: $ink_soft; border-color: $line; }
QPushButton[soft="true"] {
  background: $accent_soft; color: $accent_ink; border-color: transparent; font-weight: 600;
}
QPushButton[soft="true"]:focus { border-color: $accent_ink; }
QPushButton[main="true"] {
  background: $accent; color: $on_accent; border-color: $accent; font-weight: 600;
}
QPushButton[main="true"]:focus { border: 2px solid $ink; padding: 3px 9px; }
QPushButton[main="true"]:disabled { background: $left_out; border-color: $left_out; }
QPushButton[plain="true"] {
  background: transparent; border: 1px solid transparent; color: $accent_ink; font-weight: 600;
}
QPushButton[slim="true"] { padding: 4px 5px; }
QPushButton[plain="true"]:checked { background: $accent_soft; }
QPushButton[plain="true"]:hover { background: $accent_soft; }
QPushButton[plain="true"]:focus { border-color: $accent_ink; }
QPushButton[plain="true"]:disabled { color: $ink_soft; font-weight: 400; }

QMenu { background: $surface; border: 1px solid $line; padding: 4px; }
QMenu::item { padding: 5px 24px 5px 12px; border-radius: 4px; }
QMenu::item:selected { background: $accent_soft; color: $ink; }
QMenu::item:disabled { color: $ink_soft; }
QMenu::separator { height: 1px; background: $line; margin: 4px 6px; }

QLineEdit, QComboBox, QSpinBox, QPlainTextEdit {
  background: $surface; border: 1px solid $line; border-radius: 6px; padding: 4px 8px;
  selection-background-color: $selected; selection-color: $ink;
}
QLineEdit:focus, QComboBox:focus, QSpinBox:focus { border-color: $accent_ink; }
QComboBox::drop-down { border: 0; width: 20px; }
QComboBox QAbstractItemView { background: $surface; border: 1px solid $line; }

#bench { background: $surface; }
QTableView[kept="true"] { border: 0; border-right: 2px solid $line; }
QPushButton[page="true"] {
  background: transparent; border: 0; border-bottom: 3px solid transparent; border-radius: 0;
  padding: 6px 2px; color: $ink_soft; font-weight: 600;
}
QPushButton[page="true"]:hover { color: $ink; }
QPushButton[page="true"]:checked { color: $accent_ink; border-bottom-color: $accent; }
QPushButton[page="true"]:focus { color: $ink; border-bottom-color: $ink; }

QLabel[welcome="true"] { font-size: 26px; font-weight: 600; }
QLabel[invites="true"] { font-size: 18px; font-weight: 600; color: $accent_ink; }
QFrame[drop="true"] {
  background: $accent_soft; border: 2px dashed $accent; border-radius: 12px;
}
QFrame[drop="true"] QPushButton[soft="true"] { background: $surface; }
QFrame[floating="true"] {
  background: $surface; border: 1px solid $line; border-radius: 12px;
}
QFrame[ring="true"] { background: transparent; border: 2px solid $accent; border-radius: 8px; }
QLabel[hint="true"] {
  background: $accent_soft; color: $accent_ink; border-radius: 8px; padding: 6px 12px;
  font-weight: 600;
}
QFrame[card="true"] { background: $surface; border: 1px solid $line; border-radius: 8px; }
QFrame[said="true"] { background: $accent_soft; border: 0; border-radius: 8px; }
QFrame[said="true"] QLabel { color: $ink; }
QFrame[trouble="true"] { background: $warn_soft; border: 1px solid $warn_line; border-radius: 8px; }
QWidget[trouble_line="true"] { background: $warn_soft; border-radius: 6px; }
QWidget[trouble_line="true"] QLabel { color: $warn_ink; }
QFrame[trouble="true"] QLabel { color: $warn_ink; font-weight: 600; }

QTableView {
  background: $surface; border: 1px solid transparent; gridline-color: $line; font-family: "$mono";
  selection-background-color: $selected; selection-color: $ink;
}
QTableView:focus { border: 1px solid $accent_ink; }
QHeaderView { background: $surface; }
QHeaderView::section {
  background: $surface; color: $ink_soft; border: 0; border-bottom: 1px solid $line;
  padding: 4px 6px; font-weight: 600;
}
QTableWidget::item { padding: 0 6px; }
QTableWidget::item:selected { background: $selected; color: $ink; }
QTableWidget::item:focus { border: 1px solid $accent_ink; }
QTableWidget { gridline-color: $line; border: 1px solid $line; border-radius: 6px; }
QCheckBox { spacing: 6px; }
QScrollArea { background: transparent; border: 0; }
QScrollArea > QWidget > QWidget { background: transparent; }
QTableCornerButton::section { background: $surface; border: 0; }
QListView { background: $surface; border: 1px solid $line; border-radius: 6px; outline: 0; }
QListView::item { padding: 5px 8px; }
QListView::item:selected { background: $selected; color: $ink; }
QListView::indicator, QCheckBox::indicator {
  width: 13px; height: 13px; border: 1px solid $ink_soft; border-radius: 3px; background: $surface;
}
QListView::indicator:checked, QCheckBox::indicator:checked {
  background: $accent; border-color: $accent_ink; image: url("$tick");
}
QListView:focus { border-color: $accent_ink; }

QAbstractScrollArea::corner { background: transparent; border: 0; }
QScrollBar:vertical { background: transparent; width: 11px; margin: 0; }
QScrollBar:horizontal { background: transparent; height: 11px; margin: 0; }
QScrollBar::handle { background: $line; border-radius: 4px; margin: 2px; }
QScrollBar::handle:vertical { min-height: 28px; }
QScrollBar::handle:horizontal { min-width: 28px; }
QScrollBar::handle:hover { background: $left_out; }
QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }

QProgressBar { background: $surface_soft; border: 0; border-radius: 3px; max-height: 6px; }
QProgressBar::chunk { background: $accent; border-radius: 3px; }
QSplitter::handle:vertical { background: $ground; border-bottom: 1px solid $line; }

QFrame[picker="true"] { background: $surface; border: 1px solid $line; border-radius: 10px; }
#popover { background: $surface; border: 1px solid $line; border-radius: 8px; }
"""
