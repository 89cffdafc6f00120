"""What is set on this machine, for all windows: read once, told when it changes."""

from __future__ import annotations

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtGui import QGuiApplication

from keen_trellis.desktop import theme as themes
from keen_trellis.desktop.theme import Theme
from keen_trellis.machine.settings import Settings, Value, changed, read_settings


class Preferences(QObject):
    """The settings of whoever sits here.

    Signals
    -------
    changed(id)
        One of them is another now, or the desktop's colours are.
    """

    changed = Signal(str)

    def __init__(self, settings: Settings | None = None) -> None:
        super().__init__()
        self.settings = read_settings() if settings is None else settings
        self.settings.take_effect()
        # Qt tells it whenever the desktop turns dark or light, also while the program runs
        QGuiApplication.styleHints().colorSchemeChanged.connect(self._colours_changed)

    def set(self, setting: str, value: Value) -> None:
        """Set one, keep it, and tell whoever shows it; `UserError` where it cannot be kept."""
        self.settings = changed(setting, value)
        self.settings.take_effect()
        self.changed.emit(setting)

    @property
    def theme(self) -> Theme:
        """The colours that are asked for; those of the desktop where nothing else is said."""
        asked = str(self.settings["look.theme"])
        if asked == "desktop":
            is_dark = QGuiApplication.styleHints().colorScheme() == Qt.ColorScheme.Dark
            return themes.DARK if is_dark else themes.LIGHT
        return themes.BY_NAME[asked]

    def _colours_changed(self) -> None:
        if self.settings["look.theme"] == "desktop":
            self.changed.emit("look.theme")
