"""Linking by a formula: a column worked out right before the tie, and what it is compared with."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.base.language import tr
from keen_trellis.base.words import first_free
from keen_trellis.data import Table
from keen_trellis.desktop.bench.formula_field import FormulaField
from keen_trellis.desktop.controls import Choice, label
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme, value_font
from keen_trellis.document import edits
from keen_trellis.document.items import JoinItem


class FormulaDialog(QDialog):
    """Asks for a formula on one side of a join, and for the column of the other that it equals."""

    def __init__(self, session: Session, item: JoinItem, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("link_formula")
        self.setWindowTitle(tr("Link by a formula"))
        self.resize(760, 220)
        self._session, self._item = session, item
        trellis = session.trellis
        taken = item.takes()[0]
        self._lanes = (trellis.place_of(item.id)[0], trellis.lane(taken.lane))
        parts = (trellis.before(item.id), trellis.taken_after(taken))
        self._tables: tuple[Table | None, ...] = tuple(map(session.results.table, parts))
        self._side, self._other = 0, ""
        self._sides = Choice("link_formula.side", tr("The lane that the formula is worked out on"))
        self._sides.chosen.connect(lambda value: self._take_side(int(value)))
        self._name = QLineEdit()
        self._name.setObjectName("link_formula.name")
        self._name.setAccessibleName(tr("The name of the column"))
        self._name.setFixedWidth(140)
        self.field = FormulaField("link_formula.text", theme)
        self._others = Choice("link_formula.other", tr("What it is compared with"), value_font())
        self._others.chosen.connect(self._take_other)
        buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel
        )
        self._ok = buttons.button(QDialogButtonBox.StandardButton.Ok)
        self._ok.setText(tr("Link"))
        self._ok.setObjectName("link_formula.link")
        self._ok.setAutoDefault(False)  # Return belongs to the formula
        buttons.accepted.connect(self._link)
        buttons.rejected.connect(self.reject)
        first, last = QHBoxLayout(), QHBoxLayout()
        for line, widgets in (
            (
                first,
                (
                    label(tr("In")),
                    self._sides,
                    label(tr("the column")),
                    self._name,
                    label(tr("is")),
                ),
            ),
            (last, (label(tr("and equals")), self._others)),
        ):
            for widget in widgets:
                line.addWidget(widget)
            line.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 16, 18, 14)
        column.setSpacing(10)
        column.addLayout(first)
        column.addWidget(self.field)
        column.addLayout(last)
        column.addStretch(1)
        column.addWidget(buttons)
        self.field.text.textChanged.connect(self._renew)
        self._take_side(0)
        self.field.text.setFocus()

    def _take_side(self, side: int) -> None:
        self._side = side
        own, other = self._tables[side], self._tables[1 - side]
        names = [(str(n), lane.name, "") for n, lane in enumerate(self._lanes)]
        self._sides.offer(names, str(side))
        columns = own.columns if own is not None else ()
        # A name that was typed stays, unless the side has a column of that name.
        if not self._name.text() or self._name.text() in columns:
            self._name.setText(first_free("key", columns))
        self.field.show_formula(self.field.text.toPlainText(), own, self._lanes[side].name)
        fields = other.fields if other is not None else ()
        if self._other not in {f.name for f in fields}:
            self._other = ""
        self._others.offer([(f.name, f.name, tr(f.kind)) for f in fields], self._other)
        self._renew()

    def _take_other(self, column: str) -> None:
        self._other = column
        other = self._tables[1 - self._side]
        fields = other.fields if other is not None else ()
        self._others.offer([(f.name, f.name, tr(f.kind)) for f in fields], column)
        self._renew()

    def _renew(self) -> None:
        written = self.field.text.toPlainText().strip()
        self._ok.setEnabled(bool(written and self._other and self._name.text().strip()))

    def _link(self) -> None:
        edit = edits.LinkByFormula(
            self._item.id,
            side="left" if self._side == 0 else "right",
            name=self._name.text().strip(),
            formula=self.field.text.toPlainText().strip(),
            other=self._other,
        )
        if self._session.do(edit):
            self.accept()
