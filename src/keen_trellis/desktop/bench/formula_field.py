"""A field for a formula: completed as one types, its kind and first values told, errors marked."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QSize, QStringListModel, Qt, Signal
from PySide6.QtGui import QColor, QFocusEvent, QKeyEvent, QTextCharFormat, QTextCursor
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCompleter,
    QHBoxLayout,
    QPlainTextEdit,
    QTextEdit,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.base.errors import FormulaError, UserError
from keen_trellis.base.language import tr
from keen_trellis.base.words import counted
from keen_trellis.data import Kind
from keen_trellis.desktop.controls import Choice, OneLine
from keen_trellis.desktop.theme import Theme, value_font
from keen_trellis.desktop.tips import as_it_is
from keen_trellis.plan.functions import FUNCTIONS

if TYPE_CHECKING:
    from keen_trellis.data import Table

_LOOKED_AT = 40
_BEGINNINGS = {
    Kind.TEXT: "UPPER({})",
    **dict.fromkeys((Kind.INTEGER, Kind.NUMBER, Kind.EXACT), "ROUND({} * 1.5, 1)"),
    **dict.fromkeys((Kind.DATE, Kind.DATE_TIME), "EXTRACT(MONTH FROM {})"),
}
"""What can be written with a column of a kind, told where nothing is written yet."""
_SHOWN = 5
_LINES_AT_MOST = 5


class FormulaField(QWidget):
    """One formula being typed, over the rows that it is worked out on.

    Signals
    -------
    taken(text)
        The formula is left, or Return is pressed.
    """

    taken = Signal(str)

    def __init__(self, name: str, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self._table: Table | None = None
        self._wanted: Kind | None = None
        self._where = tr("these rows")
        self.text = _Line(name, self._take, self._words)
        self._says = OneLine()
        self._says.setObjectName(f"{name}.says")
        self._columns = Choice(f"{name}.columns", tr("A column to put into the formula"))
        self._columns.chosen.connect(lambda value: self.text.put(value))
        self._functions = Choice(f"{name}.functions", tr("A function to put into the formula"))
        self._functions.chosen.connect(lambda value: self.text.put(_begun(value)))
        self._functions.offer([(one.name, one.form, one.means) for one in FUNCTIONS.values()], "")
        self._functions.setText(tr("functions"))
        self.text.textChanged.connect(self._look)
        line = QHBoxLayout()
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(6)
        line.addWidget(self.text, 1)
        line.addWidget(self._columns)
        line.addWidget(self._functions)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(3)
        column.addLayout(line)
        column.addWidget(self._says)

    def show_formula(
        self, text: str, table: Table | None, where: str, wanted: Kind | None = None
    ) -> None:
        """Show a formula over the rows before it; what is being typed stays.

        Parameters
        ----------
        wanted : Kind, optional
            The kind that the formula must give.
        """
        self._table, self._where, self._wanted = table, where, wanted
        fields = table.fields if table is not None else ()
        self._columns.offer([(quoted(f.name), f.name, tr(f.kind)) for f in fields], "")
        self._columns.setText(tr("columns"))
        self._columns.setEnabled(bool(fields))
        # A run may end while somebody types here: what is shown is then older than what is typed.
        if not self.text.hasFocus() and self.text.toPlainText() != text:
            self.text.setPlainText(text)
        self.text.kept = text
        self._look()

    def _words(self) -> list[str]:
        """Return what a formula can be completed with."""
        fields = self._table.fields if self._table is not None else ()
        return [*(quoted(f.name) for f in fields), *map(_begun, FUNCTIONS)]

    def _take(self) -> None:
        self.taken.emit(self.text.toPlainText().strip())

    def _look(self) -> None:
        """Tell the kind and the first values, or what is wrong and where."""
        text = self.text.toPlainText()
        self.text.mark(None, self.theme.warn_ink)
        if self._table is None and text.strip():
            self._tell("", False)
            return
        if self._table is None or not text.strip():
            self._tell(
                tr(
                    "Columns by their names, texts between ' and '{beginning}",
                    beginning=self._beginning(),
                ),
                False,
            )
            return
        from keen_trellis.compute.formula.evaluate import evaluated
        from keen_trellis.compute.table_schema import schema_of
        from keen_trellis.formulas.formula_parser import formula

        # Some rows are enough for the kind and the first values, and take no time while one
        # types. The whole column is worked out when the formula is taken.
        sample = self._table.window(0, _LOOKED_AT)
        try:
            made = formula(text, schema_of(sample), self._where)
            if self._wanted is not None and made.kind is not self._wanted:
                raise FormulaError(
                    tr(
                        "This gives {kind}; {wanted} is wanted here.",
                        kind=made.kind,
                        wanted=self._wanted,
                    ),
                    tr("Compare it with something."),
                    (0, len(text)),
                )
            found = evaluated(made, sample)
            column = found.column
        except FormulaError as error:
            self.text.mark(error.place, self.theme.warn_ink)
            self._tell(str(error), True)
            return
        except UserError as error:
            self._tell(str(error), True)
            return
        shown = [column.text(row) or tr("· blank") for row in range(min(len(column), _SHOWN))]
        more = " …" if len(column) > _SHOWN else ""
        lost = ""
        if losses := [*found.faults.items(), *found.cuts.items()]:
            reason, rows = losses[0]
            first = counted(len(column), "row")
            lost = tr(
                "   ({reason}: in {count_nonzero:,} of the first {first})",
                reason=reason,
                count_nonzero=np.count_nonzero(rows),
                first=first,
            )
        self._tell(f"{tr(made.kind)}:  {'   '.join(shown)}{more}{lost}", bool(lost))

    def _beginning(self) -> str:
        """Return a first formula over the user's own columns."""
        fields = self._table.fields if self._table is not None else ()
        for kind, form in _BEGINNINGS.items():
            for field in fields:
                if field.kind is kind:
                    return f": {form.format(quoted(field.name))}"
        return ""

    def _tell(self, words: str, is_trouble: bool) -> None:
        self._says.setText(words)
        self._says.setToolTip(as_it_is(words))
        ink = self.theme.warn_ink if is_trouble else self.theme.ink_soft
        self._says.setStyleSheet(f"color: {ink};")


class _Line(QPlainTextEdit):
    """A line that grows with what is typed; Return takes it, Esc takes the last change back."""

    def __init__(self, name: str, take: Callable[[], None], words: Callable[[], list[str]]) -> None:
        super().__init__()
        self.setObjectName(name)
        self.setAccessibleName(tr("The formula"))
        self.setFont(value_font(13))
        self.document().setDocumentMargin(3)
        self.setTabChangesFocus(True)
        self.kept = ""
        self._take, self._words = take, words
        self._model = QStringListModel(self)
        self._completer = QCompleter(self._model, self)
        self._completer.setWidget(self)
        self._completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self._completer.setFilterMode(Qt.MatchFlag.MatchContains)
        self._completer.activated.connect(self._complete)
        self.textChanged.connect(self._grow)
        self._grow()

    def sizeHint(self) -> QSize:
        return QSize(400, self.minimumHeight())

    def _grow(self) -> None:
        lines = min(max(int(self.document().size().height()), 1), _LINES_AT_MOST)
        self.setFixedHeight(lines * self.fontMetrics().lineSpacing() + 14)
        is_long = int(self.document().size().height()) > _LINES_AT_MOST
        policy = Qt.ScrollBarPolicy
        self.setVerticalScrollBarPolicy(
            policy.ScrollBarAsNeeded if is_long else policy.ScrollBarAlwaysOff
        )

    def mark(self, place: tuple[int, int] | None, colour: str) -> None:
        """Underline what is wrong; nothing for None."""
        marks = []
        if place is not None:
            wave = QTextEdit.ExtraSelection()
            look = QTextCharFormat()
            look.setUnderlineStyle(QTextCharFormat.UnderlineStyle.WaveUnderline)
            look.setUnderlineColor(QColor(colour))
            cursor = self.textCursor()
            # Qt counts one character more, for the end of the last block; a place beyond the text
            # (at its end something is missing) is drawn below the last character.
            last = max(self.document().characterCount() - 1, 0)
            cursor.setPosition(min(place[0], last))
            cursor.setPosition(min(max(place[1], place[0] + 1), last), _KEEP)
            wave.cursor, wave.format = cursor, look
            marks.append(wave)
        self.setExtraSelections(marks)

    def put(self, words: str) -> None:
        """Put words where the cursor is; into the brackets of a function goes what comes next."""
        cursor = self.textCursor()
        cursor.insertText(words)
        if words.endswith("()"):
            cursor.movePosition(QTextCursor.MoveOperation.Left)
        self.setTextCursor(cursor)
        self.setFocus()

    @property
    def _popup(self) -> QAbstractItemView:
        popup = self._completer.popup()
        assert popup is not None
        return popup

    def _begun_word(self) -> str:
        before = self.toPlainText()[: self.textCursor().position()]
        start = len(before)
        # Backwards over letters, digits, `_` and the quote that a name begins with.
        while start and (before[start - 1].isalnum() or before[start - 1] in '_"'):
            start -= 1
        return before[start:]

    def _complete(self, words: str) -> None:
        cursor = self.textCursor()
        for _ in self._begun_word():
            cursor.deletePreviousChar()
        self.setTextCursor(cursor)
        self.put(words)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        popup = self._popup
        if popup.isVisible() and event.key() in (*_TAKES, Qt.Key.Key_Escape, Qt.Key.Key_Tab):
            event.ignore()  # the list of completions takes it
            return
        if event.key() in _TAKES and not event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._take()
            return
        if event.key() == Qt.Key.Key_Escape and self.document().isUndoAvailable():
            self.undo()
            return
        super().keyPressEvent(event)
        self._offer(event.text())

    def _offer(self, typed: str) -> None:
        word = self._begun_word()
        popup = self._popup
        if not typed.strip() or len(word.strip('"')) < 1:
            popup.hide()
            return
        # Asked for at each word and not kept: the columns before may be others by now.
        self._model.setStringList(self._words())
        self._completer.setCompletionPrefix(word.strip('"'))
        if self._completer.completionCount() == 0 or self._completer.currentCompletion() == word:
            popup.hide()
            return
        popup.setCurrentIndex(self._completer.completionModel().index(0, 0))
        place = self.cursorRect()
        place.setWidth(300)
        self._completer.complete(place)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        # The list of completions takes the focus for a moment, and nothing has been left by that.
        if event.reason() != Qt.FocusReason.PopupFocusReason and self.toPlainText() != self.kept:
            self._take()


_TAKES = (Qt.Key.Key_Return, Qt.Key.Key_Enter)
_KEEP = QTextCursor.MoveMode.KeepAnchor


def quoted(name: str) -> str:
    """Return a column as a formula names it."""
    doubled = name.replace('"', '""')
    return f'"{doubled}"'


def _begun(function: str) -> str:
    """Return what is written for a function, ready for its first value."""
    form = FUNCTIONS[function].form
    return f"{function}()" if form.startswith(f"{function}(") else form
