"""The Report view: a report as a sentence of choices, its filters, its table and its picture."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.base.errors import DeliveryError, UserError, reason
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report as Progress
from keen_trellis.base.words import counted, listed
from keen_trellis.data import Kind
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.controls import NONE_YET, Choice, Notice, button, label
from keen_trellis.desktop.frames import empty_page
from keen_trellis.desktop.help.topics import WHY, topic_of
from keen_trellis.desktop.report.filters import Filters
from keen_trellis.desktop.report.lines import LinesTable
from keen_trellis.desktop.report.picture import PictureCard, look_of
from keen_trellis.desktop.report.rows_sheet import rows_sheet
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme, value_font
from keen_trellis.document.reports import (
    FIGURES_AT_MOST,
    GROUPS_AT_MOST,
    Report,
    ReportFigure,
    ReportGroup,
)
from keen_trellis.plan.figures import FIGURES, hows_of
from keen_trellis.report.pictures import PICTURES, can_be_drawn

if TYPE_CHECKING:
    from keen_trellis.data import Table
    from keen_trellis.desktop.bench.grid import Grid
    from keen_trellis.report.report_rows import WorkedOut
    from keen_trellis.report.summing import Line

_BY = {
    "value": tr("each value"),
    "day": tr("by day"),
    "week": tr("by week"),
    "month": tr("by month"),
    "quarter": tr("by quarter"),
    "year": tr("by year"),
}
_SHOWN = {
    "as it is": tr("as it is"),
    "share of all": tr("as share of all"),
    "running total": tr("as running total"),
    "against the one before": tr("against the one before"),
    "against the first": tr("against the first"),
}
_TOPS = {
    "": tr("all groups"),
    **{str(n): tr("the first {n}, and the rest", n=n) for n in (3, 5, 10, 20, 50)},
}
_HELP = tr(
    "A report summarises what comes out of a lane or a tie: for each month and zone the sum of an "
    "amount, say, as a table and a picture."
)


class ReportView(QWidget):
    """One report at a time; which one is chosen at its head."""

    def __init__(self, session: Session, theme: Theme, serve: Callable[[Grid], object]) -> None:
        super().__init__()
        self.setObjectName("report")
        self.session, self.theme, self._serve = session, theme, serve
        self._rows: QDialog | None = None
        self._named = ""
        self._sized: tuple[str, int] | None = None
        self._lay_out()
        session.reporting.renewed.connect(self.renew)
        self.renew()

    def _lay_out(self) -> None:
        self._filters = Filters(self.session)
        self._sentence = Sentence("report.sentence")
        self._notice = Notice("report.trouble")
        self._empty = self._empty_page()
        self._body = QWidget()
        body = QVBoxLayout(self._body)
        body.setContentsMargins(0, 0, 0, 0)
        body.setSpacing(10)
        body.addLayout(self._head())
        for widget in (self._filters, self._sentence, self._notice):
            body.addWidget(widget)
        body.addWidget(self._both_cards(), 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 14, 20, 12)
        column.addWidget(self._body, 1)
        column.addWidget(self._empty, 1)

    def _head(self) -> QHBoxLayout:
        """Return the line with the report's name, what it is made of, and what is done with it."""
        reporting = self.session.reporting
        self._which = Choice("report.which", tr("The report"))
        self._which.chosen.connect(reporting.choose)
        self._name = QLineEdit()
        self._name.setObjectName("report.name")
        self._name.setAccessibleName(tr("Name of the report"))
        # Fixed: a name that grows while it is typed would push its neighbours along.
        self._name.setFixedWidth(220)
        self._name.editingFinished.connect(self._rename)
        self._from = label(soft=True)
        self._from.setObjectName("report.from")
        head = QHBoxLayout()
        head.setSpacing(10)
        for widget in (self._name, self._which, self._from):
            head.addWidget(widget)
        head.addStretch(1)
        self._export = button(tr("Save as a picture …"), "report.export", self.export, "plain")
        self._remove = button(tr("Remove"), "report.remove", reporting.remove, "plain")
        add = button(tr("New report"), "report.new", reporting.add, "soft")
        for one in (self._export, self._remove, add):
            head.addWidget(one)
        return head

    def _both_cards(self) -> QSplitter:
        """Return the table with its notes, and the picture beside it."""
        self._lines = LinesTable(self.theme)
        self._lines.rows_asked.connect(self.show_rows)
        self._notes = label(soft=True)
        self._notes.setObjectName("report.notes")
        self._notes.setWordWrap(True)
        self._notes.setContentsMargins(12, 6, 12, 8)
        card = QFrame()
        card.setProperty("card", True)
        inner = QVBoxLayout(card)
        inner.setContentsMargins(1, 1, 1, 1)
        inner.setSpacing(0)
        inner.addWidget(self._lines, 1)
        inner.addWidget(self._notes)
        self._picture = PictureCard(self.session)
        self._picture.rows_asked.connect(self.show_rows)
        self._cards = QSplitter(Qt.Orientation.Horizontal)
        self._cards.setChildrenCollapsible(False)
        self._cards.setHandleWidth(16)
        self._cards.addWidget(card)
        self._cards.addWidget(self._picture)
        self._cards.setStretchFactor(1, 1)
        return self._cards

    def _empty_page(self) -> QWidget:
        self._make = button(tr("Make a report"), "report.make", self.session.reporting.add, "main")
        return empty_page(tr("No report yet"), _HELP, self._make)

    def take_keyboard(self) -> None:
        """Put the keyboard where one begins to read, or to make the first report."""
        has_report = self.session.reporting.report is not None
        (self._lines if has_report else self._make).setFocus()

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        self.theme = self._lines.theme = theme
        # Its widgets have the colours that they were made with.
        self._sentence.forget()
        self._filters.forget()
        self.renew()

    def renew(self) -> None:
        """Show the report as it is now, with the latest numbers."""
        report = self.session.reporting.report
        self._body.setVisible(report is not None)
        self._empty.setVisible(report is None)
        if report is None:
            return
        reports = self.session.trellis.reports
        self._which.setVisible(len(reports) > 1)
        self._which.offer([(one.id, one.name, "") for one in reports], report.id)
        self._which.setText(tr("another report"))
        # What is being typed stays, unless another report is looked at.
        if not self._name.hasFocus() or self._named != report.id:
            self._name.setText(report.name)
            self._name.setCursorPosition(0)  # of a long name the beginning is seen
        self._named = report.id
        table = self.session.reporting.table
        self._from.setText(self._from_words(report, table))
        # The sentence is made again only where it would read otherwise: fields that are being
        # typed in stay.
        key = (report, table.fields if table is not None else ())
        self._sentence.say(key, lambda: self._tell(report, table))
        self._show_found(report)

    def _from_words(self, report: Report, table: Table | None) -> str:
        trellis = self.session.trellis
        lane = trellis.lane(report.at.lane)
        place = trellis.taken_after(report.at)
        known = self.session.results.facts.items.get(place)
        where = tr("the end of the {name} lane", name=lane.name)
        if place == lane.id:
            where = tr("{name} as it is read", name=lane.name)
        elif place != trellis.end_of(lane) and known is not None:
            where = known.name
        rows = f" · {counted(len(table), 'row')}" if table is not None else ""
        return tr("from {where}{rows}", where=where, rows=rows)

    def _show_found(self, report: Report) -> None:
        found = self.session.reporting.found
        place = self.session.results.rows.get(self.session.trellis.taken_after(report.at))
        trouble = found if isinstance(found, UserError) else place
        if isinstance(trouble, UserError):
            why = partial(self.session.telling.help_wanted.emit, topic_of(trouble))
            self._notice.tell(str(trouble), (WHY, why))
        else:
            self._notice.tell("")
        is_there = found is not None and not isinstance(found, UserError)
        self._cards.setVisible(is_there and not isinstance(place, UserError))
        reaches = () if found is None or isinstance(found, UserError) else found.reaches
        self._filters.tell(report, reaches)
        self._export.setEnabled(False)
        if found is None or isinstance(found, UserError):
            return
        self._show_numbers(found)

    def _show_numbers(self, found: WorkedOut) -> None:
        summed = found.summed
        theme = self.theme
        colours = {x.id: theme.lane(x.colour) for x in self.session.trellis.lanes}
        origins = [summed.rows.field(group.column).origin for group in summed.report.groups]
        # A column of several lanes, or of none, is of no lane’s colour.
        fills = [colours[one].fill if one in colours else theme.left_out for one in origins]
        self._lines.show_summed(summed, fills)
        columns = summed.report.id, self._lines.lines_model.columnCount()
        if self._sized != columns:  # else somebody may have moved the border
            self._sized = columns
            whole = max(self._cards.width(), 900)
            # The table has the room that it needs, up to a share, and the picture what is left.
            table = min(max(self._lines.needed_width + 8, 320), int(0.62 * whole))
            self._cards.setSizes([table, whole - table])
        self._notes.setText(" ".join(summed.notes))
        self._notes.setVisible(bool(summed.notes))
        is_drawn = summed.report.picture != "none" and can_be_drawn(summed)
        self._picture.setVisible(is_drawn)
        self._export.setEnabled(is_drawn)
        if is_drawn:
            figures = summed.report.figures
            title = next(
                f.title
                for f, kind in zip(figures, summed.figure_kinds, strict=True)
                if kind.is_numeric
            )
            by = listed([group.title for group in summed.report.groups])
            # Bars of one series have the accent; a second group colours them as its lane.
            series = (fills[-1] if summed.n_groups > 1 else theme.accent, fills[-1])
            self._picture.show_summed(
                summed, look_of(theme, series), tr("{title} by {by}", title=title, by=by)
            )

    # the sentence

    def _tell(self, report: Report, table: Table | None) -> None:
        say = self._sentence
        kinds = {f.name: f.kind for f in table.fields} if table is not None else {}
        say.word(tr("For each") if report.groups else tr("For all rows together, or for each"))
        for place, group in enumerate(report.groups):
            if place:
                say.word(tr("and"))
            self._tell_group(place, group, kinds)
        left = [(n, n, tr(k)) for n, k in kinds.items()]
        add = say.choice("report.group.add", tr("One more field"), left, "", self._add_group)
        add.setText(tr("+ field"))
        add.setEnabled(bool(left) and len(report.groups) < GROUPS_AT_MOST)
        say.word(tr("show"))
        for place, figure in enumerate(report.figures):
            self._tell_figure(report, place, figure, kinds)
        options = [("", tr("rows"), tr("how many")), *left]
        more = say.choice(
            "report.figure.add", tr("One more figure"), options, NONE_YET, self._add_figure
        )
        more.setText(tr("+ figure"))
        more.setEnabled(bool(kinds) and len(report.figures) < FIGURES_AT_MOST)
        say.word(tr("as"))
        say.choice(
            "report.as",
            tr("How it is shown"),
            PICTURES,
            report.picture,
            lambda v: self._change(picture=v),
        )
        if report.groups:
            self._tell_order(report)

    def _tell_group(self, place: int, group: ReportGroup, kinds: dict[str, Kind]) -> None:
        say, name = self._sentence, f"report.group.{place}"
        options = [(n, n, tr(k)) for n, k in kinds.items()]
        say.choice(
            f"{name}.column",
            tr("The field"),
            options,
            group.column,
            lambda column: self._put_group(place, self._group(column)),
            font=value_font(),
        )
        kind = kinds.get(group.column)
        if kind in (Kind.DATE, Kind.DATE_TIME):
            put = partial(self._by, place, group)
            say.choice(f"{name}.by", tr("What makes a group"), _BY, group.by, put)
        elif kind is not None and kind.is_numeric:
            ways = {"value": tr("each value"), "width": tr("in spans of")}
            put = partial(self._by, place, group)
            say.choice(f"{name}.by", tr("What makes a group"), ways, group.by, put)
            if group.by == "width":
                say.field(
                    f"{name}.width",
                    tr("How wide a span is"),
                    group.width,
                    70,
                    lambda text: self._put_group(place, {**dict(group), "width": text}),
                )
        says = tr("Take {title} out", title=group.title)
        say.button("×", f"{name}.remove", says, partial(self._put_group, place, None))

    def _tell_figure(
        self, report: Report, place: int, figure: ReportFigure, kinds: dict[str, Kind]
    ) -> None:
        say, name = self._sentence, f"report.figure.{place}"
        if figure.column is None:
            say.word(tr("the number of rows"))
        else:
            kind = kinds.get(figure.column)
            ways = {str(how): tr(how) for how in (hows_of(kind) if kind else FIGURES)}
            put = partial(self._put_figure, place)
            label_of = tr("What is made of {column}", column=figure.column)
            say.choice(f"{name}.how", label_of, ways, figure.how, lambda how: put(how=how))
            say.word(tr("of {column}", column=figure.column))
        shown = say.choice(
            f"{name}.shown",
            tr("What it is shown as"),
            _SHOWN,
            figure.shown,
            lambda chosen: self._put_figure(place, shown=chosen),
        )
        if figure.shown == "as it is":
            shown.setText("…")  # said only where it is another
        if len(report.figures) > 1:
            says = tr("Take {title} out", title=figure.title)
            say.button("×", f"{name}.remove", says, partial(self._remove_figure, place))

    def _tell_order(self, report: Report) -> None:
        say = self._sentence
        first = say.flow.count()
        say.word(tr("in the order of"))
        # By the place of a figure, as the document has it: two may have one title.
        orders = {"": tr("their values")} | {str(n): f.title for n, f in enumerate(report.figures)}
        current = "" if report.sorted_by is None else str(report.sorted_by)
        say.choice("report.order", tr("The order of groups"), orders, current, self._order_by)
        ways = {"up": tr("least first"), "down": tr("most first")}
        if report.sorted_by is None:
            # Values are dates and texts as well, of which none is least.
            ways = {"up": tr("first to last"), "down": tr("last to first")}
        way = "down" if report.descending else "up"
        say.choice(
            "report.way",
            tr("Which way"),
            ways,
            way,
            lambda one: self._change(descending=one == "down"),
        )
        say.word(tr("showing"))
        tops = (
            _TOPS
            if str(report.top or "") in _TOPS
            else {**_TOPS, str(report.top): tr("the first {top}", top=report.top)}
        )
        say.choice(
            "report.top",
            tr("How many groups"),
            tops,
            str(report.top or ""),
            self._show_first,
        )
        # The order begins a line of its own, whatever room is left on the one before.
        item = say.flow.itemAt(first)
        widget = item.widget() if item is not None else None
        if widget is not None:
            say.begin_line(widget)

    def _show_first(self, top: str) -> None:
        """Show only the first groups: those with most of a figure, unless it is told otherwise."""
        report = self._report()
        order: dict[str, object] = {}
        if top and report.top is None and report.sorted_by is None:
            order = {"sorted_by": 0, "descending": True}
        self._change(top=int(top) if top else None, **order)

    def _change(self, **changes: object) -> None:
        self.session.reporting.change(**changes)

    def _report(self) -> Report:
        report = self.session.reporting.report
        assert report is not None
        return report

    def _group(self, column: str) -> dict[str, Any]:
        table = self.session.reporting.table
        kind = table.field(column).kind if table is not None else None
        return {"column": column, "by": "month" if kind in (Kind.DATE, Kind.DATE_TIME) else "value"}

    def _add_group(self, column: str) -> None:
        self._change(groups=(*self._report().groups, ReportGroup(**self._group(column))))

    def _put_group(self, place: int, group: dict[str, Any] | None) -> None:
        groups = [dict(one) for one in self._report().groups]
        groups[place : place + 1] = [group] if group is not None else []
        self._change(groups=tuple(groups))

    def _by(self, place: int, group: ReportGroup, by: str) -> None:
        width = self._likely_width(group.column) if by == "width" else ""
        self._put_group(place, {"column": group.column, "by": by, "width": width})

    def _likely_width(self, column: str) -> str:
        """Return a width that makes some ten spans of the first values, a round number."""
        table = self.session.reporting.table
        if table is None:
            return "10"
        # A proposal that is seen at once and may be changed needs no pass over all rows.
        first = table.window(0, 1_000).column(column).to_list()
        held = [float(value) for value in first if value is not None]
        whole = (max(held) - min(held)) / 10 if held else 1.0
        if not 0 < whole < 1e30:
            return "10"
        # From the digits, not from a logarithm, which is a hair below a whole number for some
        # powers.
        power = 10 ** int(f"{whole:e}".split("e")[1])
        step = next(step for step in (1, 2, 5, 10) if step * power >= whole)
        return f"{step * power:.10f}".rstrip("0").rstrip(".")

    def _add_figure(self, column: str) -> None:
        table = self.session.reporting.table
        is_number = bool(column) and table is not None and table.field(column).kind.is_numeric
        report = self._report()
        figure = ReportFigure(column=column or None, how="sum" if is_number else "count")
        figures = report.figures
        if [one.title for one in figures] == ["rows"] and column:
            figures = ()  # the count that a new report begins with has done its work
        self._change(figures=(*figures, figure))

    def _put_figure(self, place: int, **changes: object) -> None:
        figures = [dict(one) for one in self._report().figures]
        figures[place] = {**figures[place], **changes}
        self._change(figures=tuple(figures))

    def _remove_figure(self, place: int) -> None:
        report = self._report()
        figures = (*report.figures[:place], *report.figures[place + 1 :])
        by = report.sorted_by
        # Figures behind the one that is gone move up by one.
        sorted_by = None if by is None or by == place else by - (by > place)
        self._change(figures=figures, sorted_by=sorted_by)

    def _order_by(self, place: str) -> None:
        if place:
            self._change(sorted_by=int(place), descending=True)
        else:
            self._change(sorted_by=None, descending=False)

    def _rename(self) -> None:
        report = self.session.reporting.report
        text = self._name.text().strip()
        is_shown = report is not None and report.id == self._named and self._name.isVisible()
        if is_shown and report is not None and text not in ("", report.name):
            self._change(name=text)

    # what is behind a line, and the picture as a file

    def show_rows(self, line: Line) -> None:
        """Show the rows that a line stands for, each with the lanes that it comes from."""
        found = self.session.reporting.found
        if found is None or isinstance(found, UserError):
            return
        summed = found.summed

        def work(progress: Progress) -> Table:
            # By the numbers that are shown: those of a later run may have other lines.
            return summed.rows_of(line)

        def show(table: Table) -> None:
            groups = " · ".join(cell.text for cell in line.groups) or tr("all")
            trellis, title = self.session.trellis, tr("The rows behind “{groups}”", groups=groups)
            self._rows = rows_sheet(
                trellis,
                self._report(),
                title,
                table=table,
                theme=self.theme,
                serve=self._serve,
                parent=self,
            )
            self._rows.open()

        self.session.work.find_out(work, show, "")

    def export(self) -> None:
        """Save the picture as .svg or .png."""
        report = self.session.reporting.report
        found = self.session.reporting.found
        if report is None or found is None or isinstance(found, UserError):
            return
        start = str(Path.home() / f"{report.name}.svg")
        path, _ = QFileDialog.getSaveFileName(self, tr("Save the picture"), start, "*.svg;;*.png")
        if path:
            self._save_picture(found, Path(path))

    def _save_picture(self, found: WorkedOut, path: Path) -> None:
        from keen_trellis.base.whole_files import whole_file
        from keen_trellis.desktop.theme import LIGHT
        from keen_trellis.report.pictures import written

        # A name without an ending is taken as .svg, which is what the field proposed.
        path = path if path.suffix.lower() in (".svg", ".png") else path.with_suffix(".svg")
        lane = self.session.trellis.lane(self._report().at.lane)
        fill = LIGHT.lane(lane.colour).fill
        look = look_of(LIGHT, (fill, fill))  # paper is light, whatever the window is

        trellis = self.session.trellis

        def work(progress: Progress) -> str:
            trellis.refuse_to_write(path, tr("The picture"))
            try:
                with whole_file(path) as beside:
                    beside.write_bytes(written(found.summed, look, path.suffix[1:].lower()))
            except OSError as error:
                raise DeliveryError(
                    tr("{path} cannot be written: {reason}.", path=path, reason=reason(error)),
                    tr("Choose another folder."),
                ) from error
            return path.name

        self.session.work.find_out(
            work,
            lambda name: self.session.telling.say(tr("Saved as {name}.", name=name)),
            tr("Stopped."),
        )
