"""Everything about a source that can be chosen, and what was noticed when it was read."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.base.language import tr
from keen_trellis.data import Kind
from keen_trellis.data.conversions.noticed import Noticed
from keen_trellis.desktop.adding.reading_line import ReadingLine
from keen_trellis.desktop.adding.typed_grid import TypedGrid
from keen_trellis.desktop.controls import (
    Choice,
    FlowRow,
    OneLine,
    StayingMenu,
    button,
    discard,
    label,
)
from keen_trellis.desktop.theme import Theme, value_font
from keen_trellis.document import FolderSource, QuerySource, Source, TableSource, TypedSource
from keen_trellis.read import Reading
from keen_trellis.servers.server import RowCondition

_COMPARISONS = ("=", "<>", "<", "<=", ">", ">=", "contains", "is blank", "is not blank")


class SourceForm(QWidget):
    """What is asked of a source: names of files, a query, columns and rows, how it is read.

    Signals
    -------
    changed(source)
        Something else was chosen.
    """

    changed = Signal(object)

    def __init__(self, name: str, theme: Theme) -> None:
        super().__init__()
        self.setObjectName(name)
        self._source: Source | None = None
        self._pattern = QLineEdit()
        self._pattern.setObjectName(f"{name}.pattern")
        self._pattern.setAccessibleName(tr("Names of the files"))
        self._pattern.setMaximumWidth(200)
        self._pattern.editingFinished.connect(self._pattern_typed)
        self._files = self._row(tr("Files named"), self._pattern)
        self._query = _QueryField(f"{name}.query")
        self._query.asked.connect(self._ask)
        ask = button(tr("Ask"), f"{name}.ask", self._ask, "soft")
        ask.setAutoDefault(False)
        ask.setToolTip(tr("Ask the database (Ctrl+Return)"))
        self._asking = self._row("", self._query, ask)
        self.wishes = TableWishes(f"{name}.wishes")
        self.wishes.changed.connect(self.changed.emit)
        self.line = ReadingLine(f"{name}.line")
        self.line.changed.connect(self.changed.emit)
        self.cells = TypedGrid(theme, f"{name}.cells")
        self.cells.edited.connect(self._typed)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        for widget in (self._files, self._asking, self.wishes, self.line):
            column.addWidget(widget)
        column.addWidget(self.cells, 1)

    def show_source(self, source: Source, reading: Reading | None) -> None:
        """Show a source, and how the last reading took what was left open."""
        self._source = source
        self._files.setVisible(isinstance(source, FolderSource))
        self._asking.setVisible(isinstance(source, QuerySource))
        self.wishes.setVisible(isinstance(source, TableSource))
        self.cells.setVisible(isinstance(source, TypedSource))
        if isinstance(source, FolderSource):
            self._pattern.setText(source.pattern)
        # A reading that comes in while somebody types takes nothing back from under their hands.
        if isinstance(source, QuerySource) and not self._query.hasFocus():
            self._query.setPlainText(source.query)
        if isinstance(source, TableSource):
            self.wishes.show_source(source, reading)
        if isinstance(source, TypedSource):
            self.cells.show_source(source)
        self.line.show_source(source, reading)

    def _row(self, words: str, *widgets: QWidget) -> QWidget:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        if words:
            line.addWidget(label(words, soft=True))
        for widget in widgets:
            line.addWidget(widget, alignment=Qt.AlignmentFlag.AlignTop)
        line.addStretch()
        if not words:
            line.setStretch(0, 100)
        return row

    def _pattern_typed(self) -> None:
        pattern = self._pattern.text().strip()
        if isinstance(self._source, FolderSource) and pattern not in ("", self._source.pattern):
            self.changed.emit(self._source.model_copy(update={"pattern": pattern}))

    def _ask(self) -> None:
        query = self._query.toPlainText().strip()
        if isinstance(self._source, QuerySource):
            self.changed.emit(self._source.model_copy(update={"query": query}))

    def _typed(self) -> None:
        if isinstance(self._source, TypedSource):
            self._source = self.cells.source(self._source)
            self.changed.emit(self._source)


class TableWishes(FlowRow):
    """“Bring [all 6 columns] where [zone] [=] [north] (+ condition)”.

    Signals
    -------
    changed(source)
        Other columns or rows are wanted.
    """

    changed = Signal(object)

    def __init__(self, name: str) -> None:
        super().__init__(name)
        self._name = name
        self._source: TableSource | None = None
        self._columns: dict[str, Kind] = {}

    def show_source(self, source: TableSource, reading: Reading | None) -> None:
        """Show which columns and rows are wanted; all columns are known once all were read."""
        # Columns are gathered from what was read, and a read with a choice tells of those alone:
        # they are kept for one table.
        if self._source is None or self._source.table != source.table:
            self._columns = {}
        if reading is not None:
            self._columns |= {f.name: f.kind for f in reading.table.fields}
        self._source = source
        self.flow.clear()
        self.flow.addWidget(label(tr("Bring"), soft=True))
        self.flow.addWidget(self._columns_button(source))
        for place, condition in enumerate(source.conditions):
            self.flow.addWidget(label(tr("where") if place == 0 else tr("and"), soft=True))
            self._add_condition(place, condition)
        if not self._columns and (source.columns or source.conditions):
            every = button(tr("everything instead"), f"{self._name}.every", self._every, "plain")
            every.setAutoDefault(False)
            self.flow.addWidget(every)
        if self._columns:
            more = tr("+ condition") if source.conditions else tr("where …")
            add = button(more, f"{self._name}.add", self._add, "plain")
            add.setAutoDefault(False)
            self.flow.addWidget(add)
        self.updateGeometry()

    def _columns_button(self, source: TableSource) -> QPushButton:
        number = len(source.columns) if source.columns is not None else len(self._columns)
        every = source.columns is None
        words = (
            tr("all {number} columns", number=number)
            if every and number
            else tr("{number} columns", number=number)
        )
        made = Choice(f"{self._name}.columns", tr("Columns"))
        made.setText(words if number else tr("all columns"))
        menu = StayingMenu(made)
        menu.setObjectName(f"{self._name}.columns.menu")
        for name, kind in self._columns.items():
            # A & would underline the letter behind it. The tab puts the kind at the right.
            action = menu.addAction(f"{name}\t{tr(kind)}".replace("&", "&&"))
            action.setCheckable(True)
            action.setChecked(every or name in (source.columns or ()))
        menu.ticked.connect(lambda: self._want([a.isChecked() for a in menu.actions()]))
        made.setMenu(menu)
        made.setEnabled(bool(self._columns))
        return made

    def _want(self, wanted: list[bool]) -> None:
        now = tuple(name for name, is_in in zip(self._columns, wanted, strict=True) if is_in)
        every = len(now) == len(self._columns)
        if now:
            self._emit(columns=None if every else now)

    def _add_condition(self, place: int, condition: RowCondition) -> None:
        column = Choice(f"{self._name}.{place}.column", tr("Column"), value_font())
        column.offer([(n, n, tr(k)) for n, k in self._columns.items()], condition.column)
        # Another column is another condition: its value was of the kind of the one before.
        column.chosen.connect(lambda name: self._set(place, RowCondition(name, "=", "")))
        compared = Choice(f"{self._name}.{place}.comparison", tr("Comparison"))
        compared.offer([(c, c, "") for c in _COMPARISONS], condition.is_)
        compared.chosen.connect(
            lambda c: self._set(place, RowCondition(condition.column, c, condition.value))
        )
        self.flow.addWidget(column)
        self.flow.addWidget(compared)
        # “is blank” and “is not blank” have no value to be compared with.
        if "blank" not in condition.is_:
            value = QLineEdit(condition.value)
            value.setObjectName(f"{self._name}.{place}.value")
            value.setAccessibleName(tr("Value of condition {place}", place=place + 1))
            value.setFixedWidth(120)
            value.editingFinished.connect(lambda: self._value_typed(place, condition, value))
            self.flow.addWidget(value)
        gone = button("×", f"{self._name}.{place}.remove", lambda: self._remove(place), "plain")
        gone.setAccessibleName(tr("Take condition {place} out", place=place + 1))
        gone.setAutoDefault(False)
        self.flow.addWidget(gone)

    def _value_typed(self, place: int, condition: RowCondition, field: QLineEdit) -> None:
        # `editingFinished` comes also when the keyboard only leaves; a read costs.
        if field.text() != condition.value:
            self._set(place, RowCondition(condition.column, condition.is_, field.text()))

    def _every(self) -> None:
        """Wish for nothing in particular: what was wished for may be gone."""
        self._emit(columns=None, conditions=())

    def _add(self) -> None:
        assert self._source is not None
        first = RowCondition(next(iter(self._columns)), "is not blank")
        self._emit(conditions=(*self._source.conditions, first))

    def _set(self, place: int, condition: RowCondition) -> None:
        assert self._source is not None
        conditions = list(self._source.conditions)
        conditions[place] = condition
        self._emit(conditions=tuple(conditions))

    def _remove(self, place: int) -> None:
        assert self._source is not None
        kept = self._source.conditions
        self._emit(conditions=kept[:place] + kept[place + 1 :])

    def _emit(self, **changes: object) -> None:
        assert self._source is not None
        self.changed.emit(self._source.model_copy(update=changes))


class NoticedLines(QWidget):
    """What was noticed, a line each, with the button that mends it.

    Signals
    -------
    mended(source)
        The source read in the way that a remedy proposes.
    """

    mended = Signal(object)

    def __init__(self, name: str, at_most: int) -> None:
        super().__init__()
        self.setObjectName(name)
        self._name, self._at_most = name, at_most
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(4)
        self._shown: tuple[Noticed, ...] | None = None

    def show_noticed(self, noticed: tuple[Noticed, ...], source: Source) -> None:
        """Show what was noticed; what there is no room for is counted."""
        self._shown = noticed
        while item := self._column.takeAt(0):
            if widget := item.widget():
                discard(widget)
        for number, one in enumerate(noticed[: self._at_most]):
            self._column.addWidget(self._line(number, one, source))
        if len(noticed) > self._at_most:
            more = label(
                tr("and {noticed:,} more of the kind", noticed=len(noticed) - self._at_most),
                soft=True,
            )
            self._column.addWidget(more)
        self.setVisible(bool(noticed))

    def _line(self, number: int, noticed: Noticed, source: Source) -> QWidget:
        line = QWidget()
        line.setProperty("trouble_line", True)
        line.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        line.setMinimumHeight(30)
        row = QHBoxLayout(line)
        row.setContentsMargins(10, 1, 2, 1)
        text = OneLine(fills=True)
        text.setText(noticed.text)
        text.setObjectName(f"{self._name}.{number}.text")
        row.addWidget(text)
        if noticed.remedy is not None:
            remedy = noticed.remedy
            mend = button(
                remedy.label,
                f"{self._name}.{number}.mend",
                lambda: self.mended.emit(source.mended(remedy)),
                "plain",
            )
            mend.setAutoDefault(False)
            row.addWidget(mend)
        return line


class _QueryField(QPlainTextEdit):
    """A few lines for a query; Ctrl+Return asks."""

    asked = Signal()

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setObjectName(name)
        self.setAccessibleName(tr("Query"))
        self.setPlaceholderText("SELECT … FROM …")
        self.setFont(value_font(13))
        self.setFixedHeight(84)
        self.setTabChangesFocus(True)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        returns = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
        if returns and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.asked.emit()
        else:
            super().keyPressEvent(event)
