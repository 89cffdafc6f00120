"""Everything that can be set on this machine, from the declarations, with a field to search it."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QLocale, Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.base.errors import UserError
from keen_trellis.base.language import SOURCE, grouped_digits, languages, tr
from keen_trellis.desktop.adding.passwords import Pick
from keen_trellis.desktop.controls import Notice, button, label
from keen_trellis.desktop.frames import answers, dialog_column
from keen_trellis.desktop.preferences import Preferences
from keen_trellis.machine.settings import GROUPS, SETTINGS, Setting, Value, settings_file

_WIDTH, _HEIGHT, _NUMBER_WIDTH = 680, 560, 110


class SettingsDialog(QDialog):
    """The settings by their groups; each takes effect, and is kept, as soon as it is changed."""

    def __init__(self, preferences: Preferences, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("settings")
        self.setWindowTitle(tr("Settings"))
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._preferences = preferences
        self._search = QLineEdit()
        self._search.setObjectName("settings.search")
        self._search.setPlaceholderText(tr("Search the settings …"))
        self._search.setAccessibleName(tr("Search the settings"))
        self._search.textChanged.connect(self._show_found)
        self._notice = Notice("settings.trouble")
        self._headings = {group: label(tr(words), strong=True) for group, words in GROUPS.items()}
        self._rows = {one.id: self._row(one) for one in SETTINGS}
        self._none = label(tr("No setting has these words."), soft=True)
        self._none.setObjectName("settings.none")
        self._lay_out()
        self._show_found("")
        self.resize(_WIDTH, min(_HEIGHT, parent.height() - 40))

    def _lay_out(self) -> None:
        inside = QWidget()
        listed = QVBoxLayout(inside)
        listed.setContentsMargins(0, 0, 12, 0)
        listed.setSpacing(6)
        for group, heading in self._headings.items():
            heading.setContentsMargins(0, 10, 0, 0)
            listed.addWidget(heading)
            for one in SETTINGS:
                if one.group == group:
                    listed.addWidget(self._rows[one.id])
        listed.addWidget(self._none)
        listed.addStretch()
        area = QScrollArea()
        area.setObjectName("settings.list")
        area.setAccessibleName(tr("Settings"))
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(inside)
        where = label(
            tr("Kept in {settings_file}", settings_file=settings_file()), soft=True, small=True
        )
        where.setWordWrap(True)
        column = dialog_column(self)
        column.addWidget(label(tr("Settings"), heading=True))
        column.addWidget(self._search)
        column.addWidget(self._notice)
        column.addWidget(area, 1)
        column.addWidget(where)
        close = button(tr("Close"), "settings.close", self.accept, "main")
        column.addLayout(answers((close,)))
        close.setAutoDefault(False)  # Return takes what is typed, and stays
        close.setDefault(False)

    def _row(self, setting: Setting) -> QWidget:
        row = QFrame()
        row.setProperty("card", True)
        words = QVBoxLayout()
        words.setSpacing(2)
        words.addWidget(label(tr(setting.name), strong=True))
        says = label(tr(setting.says), soft=True, small=True)
        says.setWordWrap(True)
        words.addWidget(says)
        across = QHBoxLayout(row)
        across.setContentsMargins(12, 8, 12, 8)
        across.setSpacing(16)
        across.addLayout(words, 1)
        across.addWidget(self._control(setting))
        return row

    def _control(self, setting: Setting) -> QWidget:
        value = self._preferences.settings[setting.id]
        takes = partial(self._set, setting.id)
        name = f"settings.{setting.id}"
        if setting.choices:
            choice = Pick(name, tr(setting.name), _choices(setting))
            choice.pick(str(value))
            choice.chosen.connect(takes)
            return choice
        if isinstance(setting.default, bool):
            box = QCheckBox()
            box.setObjectName(name)
            box.setAccessibleName(tr(setting.name))
            box.setChecked(bool(value))
            box.toggled.connect(takes)
            return box
        number = QLineEdit(grouped_digits(int(value)))
        number.setObjectName(name)
        number.setAccessibleName(
            tr("{name}, in {unit}", name=tr(setting.name), unit=tr(setting.unit))
        )
        number.setFixedWidth(_NUMBER_WIDTH)
        number.setAlignment(Qt.AlignmentFlag.AlignRight)
        number.editingFinished.connect(lambda: self._set_number(setting, number.text()))
        beside = QWidget()
        across = QHBoxLayout(beside)
        across.setContentsMargins(0, 0, 0, 0)
        across.addWidget(number)
        across.addWidget(label(tr(setting.unit), soft=True))
        return beside

    def _set_number(self, setting: Setting, typed: str) -> None:
        """Take a number as it is typed, with digits grouped or not."""
        # Whatever groups digits in some language; what is left must be digits alone, or the
        # setting says why not.
        digits = "".join(one for one in typed if one not in ",.’' \u202f")
        self._set(setting.id, int(digits) if digits.isascii() and digits.isdigit() else typed)

    def _set(self, setting: str, value: Value) -> None:
        try:
            self._preferences.set(setting, value)
        except UserError as error:
            self._notice.tell(str(error))
        else:
            self._notice.tell("")

    def _show_found(self, typed: str) -> None:
        words = typed.casefold().split()
        shown = set()
        for one in SETTINGS:
            words_of = (GROUPS[one.group], one.name, one.says)
            said = " ".join([*map(tr, words_of), *(shown for _, shown in _choices(one))])
            fits = all(word in said.casefold() for word in words)
            self._rows[one.id].setVisible(fits)
            shown |= {one.group} if fits else set()
        for group, heading in self._headings.items():
            heading.setVisible(group in shown)
        self._none.setVisible(not shown)


def _choices(setting: Setting) -> list[tuple[str, str]]:
    """Return what a setting may be, with its words; a language is called as it calls itself."""
    if setting.id == "look.language":
        own = {one: QLocale(one).nativeLanguageName() for one in languages()}
        own[SOURCE] = "English"  # of no country
        return [(one, own.get(one) or tr(words)) for one, words in setting.choices]
    return [(one, tr(words)) for one, words in setting.choices]
