"""The filters of a report: each on a card, with the lanes that it reaches and leaves whole."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFrame, QVBoxLayout, QWidget

from keen_trellis.base.language import tr
from keen_trellis.data import Kind
from keen_trellis.desktop.bench.condition_fields import Conditions
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.controls import FlowRow, label
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.tips import as_it_is
from keen_trellis.document.items import ConditionItem
from keen_trellis.document.reports import Report, ReportFilter

if TYPE_CHECKING:
    from keen_trellis.data import Table
    from keen_trellis.report.filtering import Reaching

_NARROWEST, _WIDEST = 260, 640


class Filters(FlowRow):
    """A card for each filter of the report that is looked at, and the way to one more."""

    def __init__(self, session: Session) -> None:
        super().__init__("report.filters")
        self.flow.setSpacing(12)
        self.flow.hangs = True
        self._session = session
        self._said: object = None

    def forget(self) -> None:
        """Say them anew next time: the colours are others."""
        self._said = None

    def tell(self, report: Report, reaches: tuple[Reaching, ...]) -> None:
        """Show the filters of a report, and what each reaches as far as that is known."""
        tables = self._session.reporting.tables
        said = {reach.filter: reach.sentence() for reach in reaches}
        shown = tuple(said.get(one, "") for one in report.filters)
        key = (report.filters, shown, [table.fields for table in tables])
        if key == self._said:
            return
        self._said = key
        flow = self.flow
        focused = self.focusWidget()
        name = focused.objectName() if focused is not None else ""
        # They are deleted when this event has ended; until then a search by name would find the
        # old ones first.
        for gone in self.findChildren(QWidget):
            gone.setObjectName("")  # nobody finds what is about to go
        flow.clear()
        for place, one in enumerate(report.filters):
            flow.addWidget(self._card(place, one, shown[place], tables))
        say = Sentence("report.filter.more")
        flow.addWidget(say)
        told = Conditions(say, "report.filter", tables, (), self._add_filter)
        told.offer(tr("+ Add a filter for the reader"))
        for number in range(flow.count()):
            item = flow.itemAt(number)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.show()
                _fit(widget)
        self.flow.invalidate()
        self.updateGeometry()
        if name and (again := self.findChild(QWidget, name)):
            again.setFocus()

    def _card(self, place: int, one: ReportFilter, reach: str, tables: Sequence[Table]) -> QWidget:
        card = QFrame()
        card.setProperty("card", True)
        column = QVBoxLayout(card)
        column.setContentsMargins(10, 6, 10, 6)
        column.setSpacing(2)
        say = Sentence(f"report.filter.{place}")
        bare = ConditionItem(column=one.column, is_=one.is_, values=one.values)
        changed = partial(self._put_filter, place)
        told = Conditions(
            say,
            f"report.filter.{place}",
            tables,
            (bare,),
            changed,
            find_out=self._session.work.find_out,
        )
        told.tell(0)
        is_there = bool(tables) and one.column in tables[0].columns
        origin = tables[0].field(one.column).origin if is_there else ""
        if origin and origin != self._report().at.lane:
            says = {"": tr("and no others"), "gaps": tr("and rows with no match")}
            say.choice(
                f"report.filter.{place}.gaps",
                tr("Whether rows without a partner stay"),
                says,
                "gaps" if one.no_match else "",
                lambda value: self._set_no_match(place, bool(value)),
            )
        column.addWidget(say)
        line = label(reach or "…", soft=True, small=True)
        line.setObjectName(f"report.filter.{place}.reach")
        line.setToolTip(as_it_is(reach))
        column.addWidget(line)
        card.setFixedWidth(min(max(_room(say), _NARROWEST), _WIDEST))
        return card

    def _add_filter(self, conditions: tuple[ConditionItem, ...]) -> None:
        column = conditions[0].column
        tables = self._session.reporting.tables
        table = next((one for one in tables if column in one.columns), None)
        values: tuple[str, ...] = ()
        is_: str = "is not blank"
        if table is not None:
            # A first value to begin with, from the first rows: nothing is counted for it.
            shown = [t for t in table.window(0, 1_000).column(column).texts().to_pylist() if t]
            kind = table.field(column).kind
            if shown and kind in (Kind.DATE, Kind.DATE_TIME):
                is_, values = "between", (min(shown), max(shown))
            elif shown and kind is Kind.TEXT:
                is_, values = "in", tuple(dict.fromkeys(shown))[:1]
        one = ReportFilter(column=column, is_=is_, values=values)  # type: ignore[arg-type]
        self._session.reporting.change(filters=(*self._report().filters, one))

    def _put_filter(self, place: int, conditions: tuple[ConditionItem, ...]) -> None:
        filters = list(self._report().filters)
        no_match = filters[place].no_match
        # No condition takes the filter out, one puts another in its place.
        filters[place : place + 1] = [
            ReportFilter(**dict(one), no_match=no_match) for one in conditions
        ]
        self._session.reporting.change(filters=tuple(filters))

    def _set_no_match(self, place: int, no_match: bool) -> None:
        filters = list(self._report().filters)
        filters[place] = filters[place].but(no_match=no_match)
        self._session.reporting.change(filters=tuple(filters))

    def _report(self) -> Report:
        report = self._session.reporting.report
        assert report is not None
        return report


def _fit(card: QWidget) -> None:
    """Make a card as high as its words need at its width, which it knows once it is shown."""
    layout = card.layout()
    if isinstance(card, QFrame) and layout is not None:
        card.setFixedHeight(layout.totalHeightForWidth(card.maximumWidth()))


def _room(say: Sentence) -> int:
    """Return the width that the words of a filter take in one line."""
    flow = say.flow
    widths = 40  # the card's own edges
    for place in range(flow.count()):
        item = flow.itemAt(place)
        widget = item.widget() if item is not None else None
        if widget is not None:
            size = widget.sizeHint().expandedTo(widget.minimumSize())
            widths += size.boundedTo(widget.maximumSize()).width() + flow.spacing()
    return widths
