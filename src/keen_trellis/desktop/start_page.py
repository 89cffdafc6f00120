"""What an empty trellis shows: every way to begin, and what was worked on lately."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import (
    QBoxLayout,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.base.language import tr
from keen_trellis.desktop.adding.recent import RecentTrellis, recent_trellises
from keen_trellis.desktop.controls import OneLine, button, discard, label

_WIDEST = 1040
_LISTED = 6


class StartPage(QScrollArea):
    """Ways to bring in a first table, and the trellises worked on lately.

    Signals
    -------
    trellis_asked(path)
        A trellis is to be opened.
    demo_asked()
        The one that ships with the program is.
    tour_asked()
        It is, with the tour.
    """

    trellis_asked = Signal(object)
    demo_asked = Signal()
    tour_asked = Signal()

    def __init__(self, action: Callable[[str], QAction], parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("start")
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._action = action
        whole = QWidget(self.viewport())
        middle = QWidget(whole)
        self._lately = QWidget(middle)
        self._rows = QGridLayout(self._lately)
        self._rows.setContentsMargins(0, 0, 0, 0)
        self._rows.setHorizontalSpacing(24)
        self._rows.setVerticalSpacing(2)
        self._rows.setColumnMinimumWidth(0, 190)
        self._rows.setColumnStretch(1, 1)
        middle.setMaximumWidth(_WIDEST)
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 44, 0, 24)
        column.setSpacing(14)
        title = label(tr("Bring two tables together, and see what happens to every row."))
        title.setProperty("welcome", True)
        title.setWordWrap(True)
        under = label(
            tr(
                "Which rows found a partner, which did not and why, what goes on. "
                "Sources are only ever read."
            ),
            soft=True,
        )
        under.setWordWrap(True)
        column.addWidget(title)
        column.addWidget(under)
        column.addSpacing(4)
        column.addWidget(self._drop_zone())
        column.addLayout(self._cards())
        column.addWidget(self._lately)
        column.addStretch()
        row = QHBoxLayout(whole)
        row.setContentsMargins(40, 0, 40, 0)
        row.addStretch(1)
        row.addWidget(middle, 30)
        row.addStretch(1)
        self.setWidget(whole)

    def renew(self) -> None:
        """Show what was worked on lately, as it is now."""
        while taken := self._rows.takeAt(0):
            if widget := taken.widget():
                discard(widget)
        found = recent_trellises()[:_LISTED]
        self._lately.setVisible(bool(found))
        self._rows.addWidget(label(tr("Worked on lately"), strong=True), 0, 0, 1, 3)
        for number, recent in enumerate(found, start=1):
            self._add_recent(number, recent)

    def _add_recent(self, number: int, recent: RecentTrellis) -> None:
        name = recent.path.stem.replace("-", " ")
        ask = button(
            name[:1].upper() + name[1:],
            f"start.recent.{number - 1}",
            lambda: self.trellis_asked.emit(recent.path),
            "plain",
        )
        ask.setEnabled(recent.path.exists())
        ask.setStyleSheet("text-align: left; padding: 3px 8px;")
        where = OneLine(fills=True)
        where.setProperty("soft", True)
        where.setText(_from_home(recent.path))
        when = recent.at if recent.path.exists() else None
        told = label(_when(when) if when else tr("no longer there"), soft=True)
        self._rows.addWidget(ask, number, 0, Qt.AlignmentFlag.AlignLeft)
        self._rows.addWidget(where, number, 1)
        self._rows.addWidget(told, number, 2, Qt.AlignmentFlag.AlignLeft)

    def _drop_zone(self) -> QFrame:
        zone = QFrame()
        zone.setProperty("drop", True)
        zone.setMinimumHeight(136)
        column = QVBoxLayout(zone)
        column.setSpacing(7)
        column.addStretch()
        head = label(tr("Drop files here"))
        head.setProperty("invites", True)
        told = label(
            tr("workbooks · delimited text · Parquet, Arrow · SQLite · a whole folder"), soft=True
        )
        for line in (head, told):
            line.setAlignment(Qt.AlignmentFlag.AlignHCenter)
            column.addWidget(line)
        row = QHBoxLayout()
        row.addStretch()
        row.addWidget(self._button(tr("Choose a file …"), "lane.add_file", "main"))
        row.addWidget(self._button(tr("Choose a folder …"), "lane.add_folder", "soft"))
        row.addStretch()
        column.addLayout(row)
        column.addStretch()
        return zone

    def _cards(self) -> QBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(14)
        row.addWidget(
            _card(
                tr("Connect a database"),
                tr("PostgreSQL, MariaDB or MySQL. Tables, views, or a query of your own."),
                self._button(tr("Connect …"), "lane.add_database", "plain"),
            )
        )
        row.addWidget(
            _card(
                tr("Type or paste a small table"),
                tr(
                    "Cells copied from a sheet, or a list to look names up with. Kept "
                    "in the trellis."
                ),
                self._button(tr("Type …"), "lane.type_in", "plain"),
                self._button(tr("Paste   Ctrl+Shift+V"), "lane.paste", "plain"),
            )
        )
        row.addWidget(
            _card(
                tr("Look around first"),
                tr("A made-up ferry company with all the usual flaws in its data."),
                button(tr("Take the tour"), "start.tour", self.tour_asked.emit, "plain"),
                button(tr("Open the demo"), "start.demo", self.demo_asked.emit, "plain"),
            )
        )
        return row

    def _button(self, text: str, action: str, look: str) -> QWidget:
        made = button(text, f"start.{action}", lambda: self._action(action).trigger(), look)
        made.setToolTip(self._action(action).toolTip())
        return made


def _card(title: str, text: str, *ways: QWidget) -> QFrame:
    card = QFrame()
    card.setProperty("card", True)
    card.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
    column = QVBoxLayout(card)
    column.setContentsMargins(20, 16, 20, 12)
    column.setSpacing(6)
    told: QLabel = label(text, soft=True)
    told.setWordWrap(True)
    told.setMinimumHeight(38)
    told.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
    column.addWidget(label(title, heading=True))
    column.addWidget(told, 1)
    row = QHBoxLayout()
    row.setSpacing(2)
    for way in ways:
        way.setStyleSheet("padding: 4px 8px; margin-left: -8px;")
        row.addWidget(way)
    row.addStretch()
    column.addLayout(row)
    return card


def _from_home(path: Path) -> str:
    home = Path.home()
    return f"~/{path.relative_to(home)}" if path.is_relative_to(home) else str(path)


def _when(at: dt.datetime) -> str:
    """Return a moment as one says it: a time today, else a date."""
    # Days of the calendar: what was last touched at 23:50 is from yesterday ten minutes later.
    days = (dt.date.today() - at.date()).days
    if days < 2:
        return (tr("yesterday") if days else tr("today")) + f" {at:%H:%M}"
    return f"{at.day} {at:%b}" + ("" if at.year == dt.date.today().year else f" {at.year}")
