"""The rows behind a line of a report, beneath the lanes that they come from."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QHBoxLayout, QVBoxLayout, QWidget

from keen_trellis.base.language import tr
from keen_trellis.data import Table
from keen_trellis.desktop.bench.rows_card import RowsCard
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.controls import button, label
from keen_trellis.desktop.theme import Theme
from keen_trellis.document.reports import Report
from keen_trellis.document.trellis import Trellis

if TYPE_CHECKING:
    from keen_trellis.desktop.bench.grid import Grid


def rows_sheet(
    trellis: Trellis,
    report: Report,
    title: str,
    table: Table,
    theme: Theme,
    serve: Callable[[Grid], object],
    parent: QWidget,
) -> QDialog:
    """Return a sheet with rows; `serve` lets them be sorted, copied and followed to their lanes."""
    sheet = QDialog(parent)
    sheet.setObjectName("report.rows")
    sheet.setWindowTitle(title)
    sheet.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    sheet.resize(min(parent.width() - 60, 1_100), min(parent.height() - 60, 520))
    colours = {lane.id: theme.lane(lane.colour) for lane in trellis.lanes}
    origins = Origins({lane.id: lane.name for lane in trellis.lanes}, colours)
    card = RowsCard("report.rows.card", theme, sheet)
    serve(card.grid)
    card.show_head(title, len(table), True, colours[report.at.lane])
    grouped = {group.column for group in report.groups} & set(table.columns)
    card.show_rows(table, origins, grouped)
    card.grid.source_asked.connect(sheet.accept)
    column = QVBoxLayout(sheet)
    column.setContentsMargins(14, 14, 14, 10)
    column.addWidget(card, 1)
    line = QHBoxLayout()
    line.addWidget(label(tr("Right-click a row to see it where it comes from."), soft=True))
    line.addStretch(1)
    line.addWidget(button(tr("Close"), "report.rows.close", sheet.accept))
    column.addLayout(line)
    return sheet
