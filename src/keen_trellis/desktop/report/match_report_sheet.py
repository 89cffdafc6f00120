"""What is wished of a match report, asked before where to save it: for whom, and how much."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QIntValidator
from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QFormLayout,
    QLineEdit,
    QWidget,
)

from keen_trellis.base.language import tr
from keen_trellis.desktop.controls import button, label
from keen_trellis.desktop.frames import answers, dialog_column, dialog_form
from keen_trellis.report.page_options import USUAL, PageOptions

_ROWS_AT_MOST, _WIDTH = 9_999, 560
_SHORTEST = 240


class MatchReportSheet(QDialog):
    """Asks whom a match report is for, and how much of the sources stands in it.

    Parameters
    ----------
    agreed : callable
        Takes the `PageOptions` that were chosen; not called where nothing was.
    parent : QWidget
    """

    def __init__(self, agreed: Callable[[PageOptions], object], parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("match_report")
        self.setWindowTitle("Keen Trellis")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setMinimumWidth(_WIDTH)
        self._agreed = agreed
        self._made_for = QLineEdit()
        self._made_for.setPlaceholderText(tr("nobody in particular"))
        self._values = QCheckBox(tr("Show values of the sources: rows, pairs, groups of reports"))
        self._values.setChecked(USUAL.with_values)
        self._values.toggled.connect(self._tell)
        self._rows = QLineEdit(str(USUAL.rows))
        self._rows.setValidator(QIntValidator(0, _ROWS_AT_MOST, self))
        self._columns = QLineEdit()
        self._columns.setPlaceholderText(tr("link fields and some others; or names, with commas"))
        column = dialog_column(self)
        column.addWidget(label(tr("A match report for whoever has to check it"), heading=True))
        says = label(tr("What was read, tied and found, as a page, a print or a sheet."), soft=True)
        column.addWidget(says)
        column.addLayout(self._form())
        cancel = button(tr("Cancel"), "match_report.refuse", self.reject)
        agree = button(tr("Choose where …"), "match_report.agree", self._agree, "main")
        column.addLayout(answers((cancel, agree)))

    def _form(self) -> QFormLayout:
        form = dialog_form()
        form.addRow(tr("Made for"), self._made_for)
        form.addRow("", self._values)
        form.addRow(tr("Rows without a partner"), self._rows)
        form.addRow(tr("Columns of these"), self._columns)
        for name, field in (
            ("for", self._made_for),
            ("values", self._values),
            ("rows", self._rows),
            ("columns", self._columns),
        ):
            field.setObjectName(f"match_report.{name}")
        self._columns.setMinimumWidth(_SHORTEST)
        return form

    def _tell(self, with_values: bool) -> None:
        self._rows.setEnabled(with_values)
        self._columns.setEnabled(with_values)

    def _agree(self) -> None:
        columns = tuple(one.strip() for one in self._columns.text().split(",") if one.strip())
        self.accept()
        self._agreed(
            PageOptions(
                self._made_for.text().strip(),
                self._values.isChecked(),
                int(self._rows.text() or 0),
                columns,
            )
        )
