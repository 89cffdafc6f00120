"""What another read brought, in a small window that stays out of the way until it is closed."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.base.language import grouped_digits, tr
from keen_trellis.base.words import counted
from keen_trellis.desktop.controls import Notice, button, label
from keen_trellis.desktop.theme import Theme, value_font
from keen_trellis.document import edits
from keen_trellis.run.changes import Broken, Changes, LaneChange, TieChange


class RereadSummary(QDialog):
    """Rows before and now for every lane, columns and files come and gone, what broke.

    Signals
    -------
    repaired(edit)
        A repair was picked.
    """

    repaired = Signal(object)

    def __init__(self, changes: Changes, theme: Theme, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.setObjectName("reread")
        self.setWindowTitle(tr("What the read brought"))
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._theme = theme
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(12)
        for broken in changes.broken:
            # What broke comes first: numbers that changed may be as they should be.
            column.addWidget(self._broken(broken))
        column.addLayout(self._lanes(changes.lanes))
        if changes.ties:
            column.addLayout(self._ties(changes.ties))
        column.addStretch()
        scroll = QScrollArea()
        scroll.setAccessibleName(tr("What reading again brought"))
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setWidgetResizable(True)
        scroll.setWidget(inner)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(20, 16, 20, 14)
        whole.setSpacing(10)
        whole.addWidget(label(tr("What the read brought"), heading=True))
        since = (
            tr("Compared with {since}", since=changes.since)
            if changes.since
            else tr("Compared with before")
        )
        whole.addWidget(label(since, soft=True))
        whole.addWidget(scroll, 1)
        row = QHBoxLayout()
        row.addStretch()
        close = button(tr("Close"), "reread.close", self.accept, "main")
        close.setDefault(True)
        row.addWidget(close)
        whole.addLayout(row)
        self.resize(760, 440)

    def _broken(self, broken: Broken) -> QWidget:
        notice = Notice(f"reread.broken.{broken.tie}")
        notice.tell(broken.text)
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(notice)
        row = QHBoxLayout()
        for number, repair in enumerate(broken.repairs):
            name = f"reread.repair.{broken.tie}.{number}"
            look = "soft" if number == 0 else ""
            mend = button(repair.label, name, partial(self._repair, repair, whole), look)
            # Return closes the window, and repairs nothing by accident.
            mend.setAutoDefault(False)
            row.addWidget(mend)
        if not broken.repairs:
            row.addWidget(
                label(tr("No column now looks like it: choose one on the tie."), soft=True)
            )
        row.addStretch()
        column.addLayout(row)
        return whole

    def _repair(self, repair: edits.RenameLinkField, where: QWidget) -> None:
        # The widget may still be in the middle of its own click, so that it is hidden, not taken
        # away.
        where.hide()
        self.repaired.emit(repair)

    def _lanes(self, lanes: tuple[LaneChange, ...]) -> QGridLayout:
        rows = [
            (lane.name, _number(lane.before), _number(lane.now), _lane_words(lane))
            # Those with news first; the sort is stable, so that the rest stay as on the map.
            for lane in sorted(lanes, key=lambda lane: not lane.is_any)
        ]
        return self._table((tr("Lane"), tr("Rows before"), tr("Now"), ""), rows, "reread.lane")

    def _ties(self, ties: tuple[TieChange, ...]) -> QGridLayout:
        rows = [
            (
                tie.name,
                tr("{found:,} of {rows:,}", found=tie.before.found, rows=tie.before.rows),
                tr("{found:,} of {rows:,}", found=tie.now.found, rows=tie.now.rows),
                tr(
                    "{rows} went on, {going_on:,} do now",
                    rows=counted(tie.before.going_on, "row"),
                    going_on=tie.now.going_on,
                ),
            )
            for tie in ties
        ]
        return self._table((tr("Tie"), tr("Found before"), tr("Now"), ""), rows, "reread.tie")

    def _table(
        self, head: tuple[str, ...], rows: list[tuple[str, str, str, str]], name: str
    ) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(22)
        grid.setVerticalSpacing(6)
        grid.setColumnStretch(3, 1)
        right = Qt.AlignmentFlag.AlignRight
        for column, words in enumerate(head):
            side = right if column in (1, 2) else Qt.AlignmentFlag.AlignLeft
            grid.addWidget(label(words, soft=True, small=True), 0, column, side)
        for number, cells in enumerate(rows, start=1):
            for column, text in enumerate(cells):
                cell = self._cell(text, column)
                cell.setObjectName(f"{name}.{number - 1}.{column}")
                side = right if column in (1, 2) else Qt.AlignmentFlag(0)
                grid.addWidget(cell, number, column, side | Qt.AlignmentFlag.AlignTop)
        return grid

    def _cell(self, text: str, column: int) -> QLabel:
        made = label(text, strong=column == 0, soft=column == 3)
        if column in (1, 2):
            made.setFont(value_font(13))
        if column == 3:
            made.setWordWrap(True)
        return made


def _number(rows: int | None) -> str:
    return tr("not read") if rows is None else grouped_digits(rows)


def _lane_words(lane: LaneChange) -> str:
    """Return what is different about a lane beside its number of rows."""
    if not lane.is_any:
        return tr("as before")
    said = []
    if lane.before is not None and lane.now is not None and lane.before != lane.now:
        more = lane.now - lane.before
        said.append(tr("{n:,} more", n=more) if more > 0 else tr("{n:,} fewer", n=-more))
    for what, names in (
        (tr("columns gone"), lane.gone),
        (tr("new columns"), lane.come),
        (tr("other kinds"), lane.other_kind),
        (tr("files gone"), lane.files_gone),
        (tr("new files"), lane.files_come),
    ):
        if names:
            some = ", ".join(names[:6])
            said.append(
                f"{what}: {some}"
                + (tr(" and {names} more", names=len(names) - 6) if names[6:] else "")
            )
    return "; ".join(said)
