"""The page of the step that works out columns: a name and a formula for each."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from keen_trellis.base.language import tr
from keen_trellis.base.words import first_free
from keen_trellis.data import Table
from keen_trellis.desktop.bench.formula_field import FormulaField
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.step_page import StepPage
from keen_trellis.desktop.controls import button, label
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme
from keen_trellis.document.items import NamedFormula


class FormulaPage(StepPage):
    """Columns that are worked out, each by a formula."""

    kind = "formula"

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        self._rows: list[_FormulaRow] = []
        super().__init__(session, theme, parent)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        super().set_theme(theme)
        for row in self._rows:
            row.field.theme = theme

    def tell(self, say: Sentence, item: Any, before: Table | None, lane: str) -> None:
        """Say what is worked out; the formulas stand below."""
        say.word(
            tr("For each row of {lane}", lane=lane) + (tr(" work out") if item.columns else "")
        )
        words = tr("+ column") if item.columns else tr("work out a column")
        says = tr("Work out one more column")
        say.button(words, "formula.add", says, partial(self._add, item, before), "accent")

    def _add(self, item: Any, before: Table | None) -> None:
        names = before.columns if before is not None else ()
        name = first_free("new", {*names, *(one.name for one in item.columns)})
        self.change(columns=(*item.columns, NamedFormula(name=name, formula="")))

    def show_below(self, item: Any, before: Table | None) -> None:
        """Show a row for each formula."""
        # Rows are kept while there are as many formulas: one of them may be typed into.
        while len(self._rows) > len(item.columns):
            row = self._rows.pop()
            self.below_sentence.removeWidget(row)
            row.hide()
            row.deleteLater()
        while len(self._rows) < len(item.columns):
            row = _FormulaRow(len(self._rows), self)
            self._rows.append(row)
            self.below_sentence.addWidget(row)
        lane = self.session.selected_lane
        where = lane.name if lane is not None else tr("these rows")
        for row, one in zip(self._rows, item.columns, strict=True):
            row.show_one(one, before, where)
        if self.session.document.fresh == item.id and self._rows and not item.columns[0].formula:
            self._rows[0].field.text.setFocus()

    def put(self, place: int, **changes: str) -> None:
        """Change the name or the formula of one of the columns."""
        columns = self._item.columns
        if place < len(columns):
            made = (*columns[:place], columns[place].but(**changes), *columns[place + 1 :])
            self.change(columns=made)

    def take_out(self, place: int) -> None:
        """Work out one of the columns no more."""
        columns = self._item.columns
        self.change(columns=(*columns[:place], *columns[place + 1 :]))


_TOP = Qt.AlignmentFlag.AlignTop


class _FormulaRow(QWidget):
    """The name of a column, and its formula."""

    def __init__(self, place: int, page: FormulaPage) -> None:
        super().__init__()
        self._place, self._page = place, page
        self._name = QLineEdit()
        self._name.setObjectName(f"formula.{place}.name")
        self._name.setAccessibleName(tr("The name of the column"))
        self._name.setFixedWidth(150)
        self._name.editingFinished.connect(self._take_name)
        self.field = FormulaField(f"formula.{place}.text", page.theme)
        self.field.taken.connect(lambda text: page.put(place, formula=text))
        self._kept = ""
        out = button("×", f"formula.{place}.remove", lambda: page.take_out(place), "plain")
        out.setAccessibleName(tr("Do not work this column out"))
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(8)
        sign = label("=")
        sign.setFixedHeight(self._name.sizeHint().height())
        for widget in (self._name, sign):
            line.addWidget(widget, 0, _TOP)
        line.addWidget(self.field, 1)
        line.addWidget(out, 0, _TOP)

    def show_one(self, one: NamedFormula, before: Table | None, where: str) -> None:
        """Show a column with its formula."""
        self._kept = one.name
        if not self._name.hasFocus():
            self._name.setText(one.name)
        self.field.show_formula(one.formula, before, where)

    def _take_name(self) -> None:
        name = self._name.text().strip()
        if name and name != self._kept:
            self._page.put(self._place, name=name)
