"""The lines of a report: groups with their figures, subtotals and totals, each worked out of rows.

A total is never added up from the lines above it: an average of averages or a sum of distinct
counts would be wrong. Every level is summarised from the rows themselves.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import ROUND_HALF_UP, Context, Decimal
from typing import Any

import numpy as np
from numpy.typing import NDArray

from keen_trellis.base.errors import LinkError
from keen_trellis.base.language import tr, tr_n, with_marks
from keen_trellis.base.progress import Report as Progress
from keen_trellis.base.progress import part, quiet
from keen_trellis.compute.binning import span_of_days, span_of_numbers, span_words
from keen_trellis.compute.join.comparable_columns import sortable
from keen_trellis.compute.join.keys import own_codes
from keen_trellis.compute.summary import summarise
from keen_trellis.data import BLANK, GAP, PRESENT, Column, Kind, Table
from keen_trellis.data.column import in_all_digits
from keen_trellis.document.reports import Report, ReportFigure, ReportGroup
from keen_trellis.plan.figures import Figure

LINES_AT_MOST = 5_000
"""Of more groups, so many are shown; totals are always of all rows."""

GROUPS_AT_MOST = 200_000

REST, ALL = tr("the rest"), tr("all")


@dataclass(frozen=True, slots=True)
class GroupCell:
    """One group as it is shown.

    Attributes
    ----------
    text : str
    state : int
        `PRESENT`, `BLANK` or `GAP`.
    """

    text: str
    state: int = PRESENT


@dataclass(frozen=True, slots=True, eq=False)
class Line:
    """One line of a report.

    Attributes
    ----------
    groups : tuple of GroupCell
        As many as its level: none for the line of all rows, all of them for a line of a group.
    figures : tuple
        The figures as Python values, None where there is none.
    rows : int
        How many rows it stands for.
    codes : tuple of int
        What its groups are known by.
    """

    groups: tuple[GroupCell, ...]
    figures: tuple[Any, ...]
    rows: int
    codes: tuple[int, ...]

    @property
    def level(self) -> int:
        """How many groups it is of."""
        return len(self.groups)


@dataclass(frozen=True, slots=True, eq=False)
class Summed:
    """A report worked out.

    Attributes
    ----------
    report : Report
    rows : Table
        What it is made of.
    lines : tuple of Line
        In order: groups, each after all of its own a subtotal where there are several levels, and
        the line of all rows at the end.
    notes : tuple of str
        What a reader has to know.
    figure_kinds : tuple of Kind
    group_kinds : tuple of Kind
    """

    report: Report
    rows: Table
    lines: tuple[Line, ...]
    notes: tuple[str, ...]
    figure_kinds: tuple[Kind, ...]
    group_kinds: tuple[Kind, ...]
    _dimensions: tuple[_Dimension, ...] = field(default=(), repr=False)

    @property
    def n_groups(self) -> int:
        """How many groups each full line has."""
        return len(self.report.groups)

    @property
    def full_lines(self) -> tuple[Line, ...]:
        """The lines of groups, without subtotals and totals."""
        return tuple(line for line in self.lines if line.level == self.n_groups)

    @property
    def total(self) -> Line:
        """The line of all rows."""
        return self.lines[-1]

    def rows_of(self, line: Line) -> Table:
        """Return the rows that a line stands for."""
        # A line of a higher level has fewer codes: groups that it says nothing of keep every row.
        held = np.ones(len(self.rows), np.bool_)
        for dimension, code in zip(self._dimensions, line.codes, strict=False):
            held &= dimension.codes == code
        return self.rows.take(np.flatnonzero(held))

    def figure_text(self, place: int, value: Any) -> str:
        """Return a figure as it is shown."""
        if value is None or value != value:  # infinity less infinity is no number
            return "–"
        shown = self.report.figures[place].shown
        return number_text(value, is_share=shown == "share of all")


@dataclass(frozen=True, slots=True, eq=False)
class _Dimension:
    """What rows are grouped by: a code per row, and what each code is shown as.

    `rest` is the code of all groups that are not among the first; None where there is none.
    """

    codes: NDArray[np.int64]
    cells: dict[int, GroupCell]
    ranks: dict[int, int]
    kind: Kind
    rest: int | None = None


def summed(
    table: Table, report: Report, progress: Progress = quiet, lanes: Mapping[str, str] = {}
) -> Summed:
    """Return a report worked out of the rows of an outcome.

    Parameters
    ----------
    table : Table
    report : Report
    progress : Report of progress
    lanes : mapping of lane id to name
        What the lanes are called that columns come from.

    Raises
    ------
    UnknownColumnError
        A column is not there.
    LinkError
        A group or figure does not go with its column's kind.
    Cancelled
        Raised by `progress` once the user has asked to stop.
    """
    progress(0.0, tr("Summarising {name}", name=report.name))
    dimensions = [_dimension(table, group) for group in report.groups]
    figures = [one.bare.as_figure() for one in report.figures]
    if report.top is not None and dimensions:
        # The rest is a group by code, so that its figures are summarised from rows, as those of all
        # others are.
        dimensions[0] = _with_rest(table, dimensions[0], report, figures)
    levels = []
    # Each level anew from the rows: averages, distinct counts and extremes cannot be added up from
    # below.
    for level in range(len(dimensions) + 1):
        share = part(progress, level / (len(dimensions) + 1), 1.0)
        share(0.0, tr("Summarising {name}", name=report.name))
        levels.append(_level(table, dimensions[:level], figures))
    lines, more = _in_order(levels, dimensions, report)
    return Summed(
        report,
        table,
        tuple(_shown_as_wanted(lines, report.figures)),
        tuple(_notes(table, report, more, lanes)),
        tuple(levels[0].kinds),
        tuple(dimension.kind for dimension in dimensions),
        tuple(dimensions),
    )


def _dimension(table: Table, group: ReportGroup) -> _Dimension:
    column = table.column(group.column, tr("the report"))
    words: Callable[[Any], str]
    match group.by:
        case "value":
            made, words = column, column.value_text
        case "width":
            width = Decimal(group.width)
            made = span_of_numbers(column, width)

            def words(value: Any) -> str:
                lower = Decimal(made.value_text(value))
                if not lower.is_finite():
                    return f"{lower}"
                with in_all_digits():
                    return tr("{lower:f} to under {lower_2:f}", lower=lower, lower_2=lower + width)

        case span:
            made = span_of_days(column, span)

            def words(value: Any) -> str:
                return span_words(np.datetime64(int(value), "D"), span)

    return _coded(made, words, group.title)


def _require_few(number: int, what: str, name: str) -> None:
    """Refuse more groups than anybody could look through, before each of them is worked out."""
    if number > GROUPS_AT_MOST:
        raise LinkError(
            tr(
                "“{name}” has {number:,} different {what}; a report has "
                "{groups_at_most:,} groups at "
                "most.",
                name=name,
                number=number,
                what=what,
                groups_at_most=GROUPS_AT_MOST,
            ),
            tr("Group by a field with fewer of them, or by spans of it."),
        )


def _coded(column: Column, words: Callable[[Any], str], name: str) -> _Dimension:
    codes = own_codes(column)
    # One code for each value, and a row that has it: words are made for these alone, not for
    # every row.
    held, heads = np.unique(codes.left, return_index=True)
    _require_few(len(held), tr("values"), name)
    own = column.take(heads)
    if own.kind is Kind.TEXT:
        # By code points, as everywhere; a report has few enough groups for Python's own sort.
        texts = [own.text(row) for row in range(len(own))]
        order = np.array(sorted(range(len(texts)), key=texts.__getitem__), np.intp)
    else:
        order = np.argsort(sortable(own), kind="stable")
    if own.state is not None:  # values first, then blanks, then gaps
        # Stable: within each state the order by value stays.
        order = order[np.argsort(own.state[order], kind="stable")]
    rank = np.empty(len(held), np.int64)
    # `order` has the place among `held` of the first, second ... group; `rank` is its inverse:
    # the place in the order of each.
    rank[order] = np.arange(len(held))
    cells = {}
    for place, code in enumerate(held.tolist()):
        state = PRESENT if own.state is None else int(own.state[place])
        text = {BLANK: tr("blank"), GAP: tr("no match")}.get(state) or words(own.values[place])
        cells[code] = GroupCell(text, state)
    ranks = dict(zip(held.tolist(), rank.tolist(), strict=True))
    return _Dimension(codes.left.astype(np.int64), cells, ranks, column.kind)


def _with_rest(
    table: Table, dimension: _Dimension, report: Report, figures: Sequence[Figure]
) -> _Dimension:
    """Return the first groups, with all those that are not among the first as one behind them."""
    assert report.top is not None
    level = _level(table, [dimension], [figures[report.sorted_by or 0]])

    first = sorted(
        level.lines, key=lambda line: _order_key(line, dimension, report, line.figures[0])
    )
    kept = [line.codes[0] for line in first[: report.top]]
    if len(kept) == len(level.lines):
        return dimension
    # A code that no group has.
    rest = max(dimension.cells) + 1
    codes = np.where(np.isin(dimension.codes, kept), dimension.codes, rest)
    cells = {code: dimension.cells[code] for code in kept} | {rest: GroupCell(REST)}
    ranks = {code: dimension.ranks[code] for code in kept} | {rest: len(dimension.ranks)}
    return _Dimension(codes, cells, ranks, dimension.kind, rest)


@dataclass(frozen=True, slots=True, eq=False)
class _Level:
    lines: list[Line]
    kinds: list[Kind]


_ROWS = "\0rows"


def _level(table: Table, dimensions: Sequence[_Dimension], figures: Sequence[Figure]) -> _Level:
    """Return the lines of one level, in no order that means anything."""
    columns = {f"\0{place}": Column(Kind.INTEGER, d.codes) for place, d in enumerate(dimensions)}
    by = tuple(columns)
    for figure in figures:
        if figure.column is not None:
            columns[figure.column] = table.column(figure.column, tr("the report"))
    if not columns:  # only rows are counted, and all of them
        # A table without columns has no rows to be counted.
        columns["\0"] = Column(Kind.INTEGER, np.zeros(len(table), np.int64))
    # Names of our own: two figures may be called the same, or as a column is.
    named = [Figure(f.column, f.how, f"\0f{n}") for n, f in enumerate(figures)]
    made = summarise(Table.of(columns), by, [*named, Figure(None, "count", _ROWS)])
    _require_few(len(made), tr("combinations"), tr("The report"))
    codes = zip(*(made.column(name).to_list() for name in by), strict=True) if by else [()]
    values = zip(*(made.column(one.name).to_list() for one in named), strict=True)
    counts = made.column(_ROWS).to_list()
    lines = []
    for key, row, n_rows in zip(codes, values, counts, strict=True):
        cells = tuple(d.cells[code] for d, code in zip(dimensions, key, strict=True))
        lines.append(Line(cells, row, n_rows, tuple(key)))
    return _Level(lines, [made.field(one.name).kind for one in named])


def _in_order(
    levels: Sequence[_Level], dimensions: Sequence[_Dimension], report: Report
) -> tuple[list[Line], int]:
    """Return the lines with those of a group below each other, and how many groups are not shown.

    A group of several gets a line of its own behind them; the line of all rows comes last.
    """
    # The codes of a line are those of its group, outermost first: without the last they are its
    # parent's.
    children: dict[tuple[int, ...], list[Line]] = {}
    for level in levels[1:]:
        for line in level.lines:
            children.setdefault(line.codes[:-1], []).append(line)

    def key(line: Line) -> Any:
        place = line.level - 1
        is_rest = line.codes[-1] == dimensions[place].rest
        figure = line.figures[report.sorted_by or 0]
        return is_rest, _order_key(line, dimensions[place], report, figure)

    made: list[Line] = []
    shown = 0

    def put(line: Line) -> None:
        nonlocal shown
        below = sorted(children.get(line.codes, ()), key=key)
        if line.level == len(dimensions):
            shown += 1
            if shown <= LINES_AT_MOST:
                made.append(line)
            return
        for one in below:
            put(one)
        if line.level == 0 or (len(below) > 1 and shown <= LINES_AT_MOST):
            made.append(line)

    if dimensions:
        put(levels[0].lines[0])
    else:
        made.append(levels[0].lines[0])
    return made, max(shown - LINES_AT_MOST, 0)


def _order_key(line: Line, dimension: _Dimension, report: Report, figure: Any) -> Any:
    """Return what the lines of a group are ordered by: blanks and gaps last, whichever way."""
    rank = dimension.ranks[line.codes[-1]]
    if report.sorted_by is None:
        # ranks count up from 0, those of blanks and gaps behind all others: they stay above
        return -rank if report.descending and not line.groups[-1].state else rank
    # Equal figures stand in the order of their groups, so that a report is the same each time.
    return _figure_key(figure, report.descending), rank


def _figure_key(value: Any, descending: bool) -> tuple[bool, Any]:
    """Return what figures are ordered by; one without a value comes last."""
    if value is None:
        # The flag decides first: what stands behind it is never compared with a value of another
        # sort.
        return True, 0
    if isinstance(value, Decimal):
        return False, value.copy_negate() if descending else value  # a minus would round
    if isinstance(value, bool | int | float):
        return False, -value if descending else value
    return False, _Turned(value) if descending else value


@dataclass(frozen=True, slots=True)
class _Turned:
    """A value that comes before those it is above."""

    value: Any

    def __lt__(self, other: _Turned) -> bool:
        return bool(other.value < self.value)


def _shown_as_wanted(lines: Sequence[Line], figures: Sequence[ReportFigure]) -> list[Line]:
    """Return lines with shares, running totals and differences in the place of their figures."""
    made = [list(line.figures) for line in lines]
    for place, figure in enumerate(figures):
        if figure.shown == "share of all":
            whole = lines[-1].figures[place]
            for row, line in zip(made, lines, strict=True):
                row[place] = _share(line.figures[place], whole)
        elif figure.shown != "as it is":
            with in_all_digits():
                if figure.shown == "against the first":
                    _against_first(lines, made, place)
                else:
                    _follow(lines, made, place, adds=figure.shown == "running total")
    return [
        Line(line.groups, tuple(row), line.rows, line.codes)
        for line, row in zip(lines, made, strict=True)
    ]


def _share(value: Any, whole: Any) -> float | None:
    # Shares of texts, of nothing and of zero are none. A bool is an int, but no figure gives one.
    if not isinstance(value, int | float | Decimal) or not whole:
        return None
    share = float(value) / float(whole)
    return share if math.isfinite(share) else None  # of infinity, or infinite itself


def _against_first(lines: Sequence[Line], made: list[list[Any]], place: int) -> None:
    """Let each figure be what it is more than the first of its group, which has none itself."""
    first: dict[tuple[int, ...], Any] = {}
    for line, row in zip(lines, made, strict=True):
        value, parent = line.figures[place], line.codes[:-1]
        is_number = isinstance(value, int | float | Decimal) and line.level > 0
        if not is_number or parent not in first:
            row[place] = None
            if is_number:
                first[parent] = value
        else:
            row[place] = value - first[parent]


def _follow(lines: Sequence[Line], made: list[list[Any]], place: int, adds: bool) -> None:
    """Let each figure go on from the one before it in the same group; subtotals begin anew."""
    before: dict[tuple[int, ...], Any] = {}
    for line, row in zip(lines, made, strict=True):
        value = line.figures[place]
        parent = line.codes[:-1]
        if line.level == 0:
            row[place] = value if adds else None
            continue
        if not isinstance(value, int | float | Decimal):
            # A blank adds nothing: the total so far stays.
            row[place] = before.get(parent) if adds else None
            continue
        if adds:
            before[parent] = row[place] = before.get(parent, 0) + value
        else:
            row[place] = value - before[parent] if parent in before else None
            before[parent] = value


def _notes(table: Table, report: Report, more: int, lanes: Mapping[str, str]) -> list[str]:
    said = []
    if more:
        said.append(
            tr_n(
                more,
                "{n:,} more group is not shown; totals are of all rows.",
                "{n:,} more groups are not shown; totals are of all rows.",
            )
        )
    for column in dict.fromkeys(group.column for group in report.groups):
        found = table.column(column)
        have = table.field(column)
        for state, words in ((GAP, tr("no match")), (BLANK, tr("blank"))):
            count = found.count(state)
            if not count:
                continue
            missing = (
                tr("no {lanes} match", lanes=lanes[have.origin])
                if have.origin in lanes
                else tr("no match")
            )
            why = missing if state == GAP else tr("nothing in “{name}”", name=have.name)
            said.append(
                tr_n(
                    count,
                    "{n:,} row has {why}: it counts under “{words}”, not under a value "
                    "of “{name}”.",
                    "{n:,} rows have {why}: they count under “{words}”, not under a value of "
                    "“{name}”.",
                    why=why,
                    words=words,
                    name=have.name,
                )
            )
    return said


def number_text(value: Any, is_share: bool = False) -> str:
    """Return a figure as it is read: grouped digits, two of them behind the mark of a number.

    A number is rounded as the decimal that it is shown as, halves away from zero; a share is all
    or nothing only where it is.

    >>> number_text(1204), number_text(0.25, is_share=True), number_text(Decimal("12.50"))
    ('1,204', '25.0 %', '12.50')
    >>> number_text(2.675), number_text(0.9999, is_share=True), number_text(0.0001, is_share=True)
    ('2.68', 'over 99.9 %', 'under 0.1 %')
    """
    if is_share:
        if 0 < abs(value) < 0.0005:
            return tr("under 0.1 %")
        return tr("over 99.9 %") if 0.9995 <= value < 1 else f"{_rounded(value, 1, times=100)} %"
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, int | Decimal):
        return with_marks(f"{value:,}" if isinstance(value, int) else f"{value:,f}")
    if isinstance(value, float):
        if value.is_integer() and abs(value) < 1e15:
            return with_marks(f"{value + 0.0:,.0f}")  # and never “-0”
        return _rounded(value, 2) if 0.1 <= abs(value) < 1e15 else with_marks(f"{value:.4g}")
    return value.isoformat(" ") if hasattr(value, "hour") and hasattr(value, "year") else str(value)


def _rounded(value: float, digits: int, times: int = 1) -> str:
    # The digits that `repr` gives are the shortest that mean this double: 2.675 is rounded as it
    # is read, not as the binary fraction a little below it.
    exactly = Decimal(repr(value)) * times
    unit = Decimal(1).scaleb(-digits)
    return with_marks(f"{exactly.quantize(unit, ROUND_HALF_UP, Context(prec=400)):,f}")
