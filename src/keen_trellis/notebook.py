"""The face for notebooks: two tables tied by one call, and what an expert would notice."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from html import escape
from pathlib import Path
from typing import TYPE_CHECKING, Any

from pydantic import ValidationError

from keen_trellis.base.errors import DocumentError, LinkError, known
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, quiet
from keen_trellis.base.whole_files import whole_file
from keen_trellis.compute.execute import execute
from keen_trellis.compute.filter_result import Filtered
from keen_trellis.compute.formula.evaluate import Evaluated, evaluated
from keen_trellis.compute.join.pairing import paired
from keen_trellis.compute.join_result import Tied
from keen_trellis.compute.step_result import Stepped
from keen_trellis.compute.table_schema import schema_of
from keen_trellis.data import Column, Table
from keen_trellis.deliver import deliver
from keen_trellis.document.edits.edit import first_fault
from keen_trellis.document.items import STEPS, Taken
from keen_trellis.formulas.formula_parser import formula as read_formula
from keen_trellis.plan.bays import keep_of
from keen_trellis.plan.expressions import Tested
from keen_trellis.plan.link import Blanks, Link, LinkField, OrderField, Pair, Partner, Side
from keen_trellis.plan.nodes import Node
from keen_trellis.plan.operators import Operator
from keen_trellis.plan.outcome import ALL_COLUMNS, Columns
from keen_trellis.plan.schema import Schema
from keen_trellis.plan.text_rules import TextRule

if TYPE_CHECKING:
    from keen_trellis.advice.findings import Finding
    from keen_trellis.report.summing import Summed

Filter = Tested
"""A condition on one column, as notebooks call it."""

On = Iterable["tuple[str, str] | tuple[str, Operator, str] | str | LinkField"]


Groups = str | Sequence["str | tuple[str, str | float]"]
Figures = Mapping[str, str] | Sequence[tuple["str | None", str]]


class Tie(Tied):
    """Two tables brought together, what becomes of every row, and what stands out."""

    def findings(self, report: Report = quiet) -> list[Finding]:
        """Return what an expert would notice at this tie, the most valuable first."""
        from keen_trellis.advice.findings import findings  # loads what others need not wait for

        return findings(self, report)

    def report(self, by: Groups = (), figures: Figures = (), **settings: Any) -> Summary:
        """Return a report of what goes on; see `keen_trellis.report_of`."""
        return report_of(self.outcome, by, figures, **settings)

    def deliver(self, path: str | Path, **settings: Any) -> None:
        """Write what goes on to a file; see `keen_trellis.deliver`."""
        deliver(self.outcome, path, **settings)

    def _repr_html_(self) -> str:
        """Return the sentence and the three bays for a notebook, each with its first rows."""
        return f"<p>{escape(self.sentence())}</p>{self.bays._repr_html_()}"


class Summary:
    """A report of a table: its lines, and how a notebook shows them.

    Attributes
    ----------
    summed : Summed
        With the lines, their figures, and `rows_of` for the rows behind a line.
    """

    def __init__(self, summed: Summed) -> None:
        self.summed = summed

    def rows(self) -> list[tuple[Any, ...]]:
        """Return the lines: the groups as they are shown, and the figures as values."""
        n = self.summed.n_groups
        return [
            (*(cell.text for cell in line.groups), *[None] * (n - line.level), *line.figures)
            for line in self.summed.lines
        ]

    def save(self, path: str | Path) -> None:
        """Save the picture as .png or .svg."""
        from keen_trellis.report.pictures import PAPER, written

        with whole_file(Path(path).expanduser()) as beside:
            beside.write_bytes(written(self.summed, PAPER, Path(path).suffix[1:].lower()))

    def _repr_html_(self) -> str:
        """Return the lines as a table, and the picture below it."""
        from keen_trellis.report.pictures import PAPER, can_be_drawn, written

        summed = self.summed
        heads = [group.title for group in summed.report.groups] or [""]
        heads += [figure.title for figure in summed.report.figures]
        head = "".join(f"<th>{escape(title)}</th>" for title in heads)
        lines = []
        for line in summed.lines:
            cells = [cell.text for cell in line.groups]
            cells += ["all" if n == line.level else "" for n in range(line.level, len(heads))]
            cells = cells[: max(summed.n_groups, 1)]
            cells += [summed.figure_text(n, value) for n, value in enumerate(line.figures)]
            told = "".join(f"<td>{escape(text)}</td>" for text in cells)
            lines.append(f"<tr>{told}</tr>")
        notes = "".join(f"<small>{escape(note)}</small><br>" for note in summed.notes)
        picture = ""
        if summed.report.picture != "none" and can_be_drawn(summed):
            svg = written(summed, PAPER, "svg", 720, 380).decode()
            picture = svg[svg.index("<svg") :]
        return f"<table><tr>{head}</tr>{''.join(lines)}</table>{notes}{picture}"


def report_of(table: Table, by: Groups = (), figures: Figures = (), **settings: Any) -> Summary:
    """Return a report of a table: groups, figures, subtotals and totals, each worked out of rows.

    Parameters
    ----------
    table : Table
    by : a name, or sequence of names and of (name, span)
        A span is “day”, “week”, “month”, “quarter”, “year”, or the width of a span of numbers.
    figures : mapping of column to figure, or sequence of (column, figure)
        The number of rows where none is given.
    **settings
        As a report has them in a document: `picture`, `top`, `sorted_by`, `descending`.

    Examples
    --------
    >>> takings = Table.from_columns({"zone": ["Inner", "Outer", None], "amount": [4, 6, 1]})
    >>> for line in report_of(takings, "zone", {"amount": "sum"}).rows():
    ...     print(*line)
    Inner 4
    Outer 6
    blank 1
    None 11

    Raises
    ------
    DocumentError
        A setting is none that a report has, or has another form.
    UserError
        The columns do not allow it.
    """
    from keen_trellis.document.reports import Report
    from keen_trellis.report.summing import summed

    groups = []
    for one in (by,) if isinstance(by, str) else by:
        name, span = (one, "value") if isinstance(one, str) else one
        spans = ("value", "day", "week", "month", "quarter", "year")
        # Whatever is no span of the calendar is the width of a span of numbers, as text: so 0.1
        # stays what it is.
        is_width = str(span) not in spans
        how = {"by": "width", "width": str(span)} if is_width else {"by": span}
        groups.append({"column": name, **how})
    pairs = list(figures.items()) if isinstance(figures, Mapping) else list(figures)
    made: dict[str, Any] = {"groups": tuple(groups)} | settings
    if pairs:
        made["figures"] = tuple({"column": column, "how": how} for column, how in pairs)
    try:
        asked = Report(id="report", name="report", at=Taken(lane="table"), **made)
    except ValidationError as error:
        raise DocumentError(
            tr("The report cannot be so: {first_fault}", first_fault=first_fault(error)),
            tr("Mend the setting."),
        ) from error
    return Summary(summed(table, asked))


def tie(
    left: Table,
    right: Table,
    on: On | str,
    keep: Iterable[str] | str = ("left", "both"),
    *,
    text: Iterable[TextRule] | TextRule = (),
    blanks: Blanks = "never",
    partner: Partner = "every",
    partner_for: Side = "left",
    order: Sequence[str | OrderField] | str = (),
    pairs: Mapping[str, str] | Sequence[Pair] = {},
    columns: Columns = ALL_COLUMNS,
    names: tuple[str, str] = ("left", "right"),
    limit: int | None = None,
    report: Report = quiet,
) -> Tie:
    """Return two tables tied on the fields of `on`.

    Parameters
    ----------
    left, right : Table
        May be the same (a self join).
    on : iterable, a name, "natural" or "cross"
        Conditions that must hold together: a name that both have, (left, right) for equality,
        (left, operator, right), or a `LinkField`. Natural takes all common names; cross pairs
        every row with every row.
    keep : iterable of "left", "both", "right", or the name of a join
        The bays whose rows go on.
    text : iterable of TextRule, or one of them
        What is ignored when texts are compared for equality.
    blanks : "never" or "match"
    partner : "every", "first", "last" or "only"
        Which partner a row takes when there are several.
    partner_for : "left" or "right"
        The side whose rows take one.
    order : sequence of str or OrderField
        By which first and last are meant: fields of the side that partners are taken from.
    pairs : mapping of left to right value, or sequence of Pair
        Values that mean the same in this tie. A mapping is of the first field.
    columns : Columns
        Which columns go on; with `Columns(right=())` and only both kept, a semi join.
    names : (str, str)
        What the tables are called in sentences and column names.
    limit : int, optional
        The most rows the outcome may have: 200 million, of a cross join 10 million.

    Examples
    --------
    >>> sailings = Table.from_columns({"sailing": [1, 2], "route": ["KP-MS", "ZZ-00"]})
    >>> routes = Table.from_columns({"code": ["KP-MS"], "zone": ["Inner"]})
    >>> list(tie(sailings, routes, on=[("route", "code")]).outcome.rows())
    [(1, 'KP-MS', 'Inner'), (2, 'ZZ-00', None)]

    Raises
    ------
    UnknownColumnError
        A field is not a column of its table.
    LinkError
        No field is given, or two are of kinds that cannot be compared, or a natural join finds no
        common name.
    WordError
        An operator, a rule, a partner, a bay or another word is none that is known.
    """
    if isinstance(pairs, Mapping):
        pairs = [Pair(a, b) for a, b in pairs.items()]
    if isinstance(order, str | OrderField):
        order = (order,)
    link = Link(
        fields=natural_fields(left, right, names) if on == "natural" else _fields(on),
        blanks=blanks,
        partner=partner,
        partner_for=partner_for,
        order=tuple(OrderField(f) if isinstance(f, str) else f for f in order),
        pairs=tuple(pairs),
        cross=on == "cross",
    ).with_text(text)
    found = paired(left, right, link, names=names, report=report)
    return Tie(
        left, right, link, keep_of(keep), match=found, names=names, columns=columns, limit=limit
    )


@dataclass(frozen=True, slots=True)
class Formula:
    """A formula, to be worked out on the rows of tables.

    Attributes
    ----------
    text : str
        An expression of SQL over the columns of a table.

    Examples
    --------
    >>> crew = Table.from_columns({"given": ["Ailsa", "Bram"], "family": ["Udal", None]})
    >>> formula("family || ', ' || UPPER(given)").values(crew).to_list()
    ['Udal, AILSA', None]
    """

    text: str

    def values(self, table: Table) -> Column:
        """Return the value for each row; `FormulaError` where it cannot be worked out."""
        return self.evaluated(table).column

    def evaluated(self, table: Table) -> Evaluated:
        """Return the values, and the rows without one by what went wrong."""
        return evaluated(read_formula(self.text, schema_of(table), tr("the table")), table)


def formula(text: str) -> Formula:
    """Return a formula."""
    return Formula(text)


def step(table: Table, kind: str, **settings: Any) -> Stepped | Filtered:
    """Return what a step gives for the rows of a table, as it would on a lane.

    Parameters
    ----------
    table : Table
    kind : str
        “tidy”, “replace”, “formula”, “fill”, “columns”, “kinds”, “split”, “together”, “repeats”,
        “summarise”, “order”, “first” or “filter”.
    **settings
        As the step has them in a document. Formulas, replacements and figures may be given as a
        mapping: of names to formulas, old values to new ones, columns to what is made of them;
        an order as names.

    Examples
    --------
    >>> takings = Table.from_columns({"route": ["kp-ms ", "KP-MS"], "amount": [41, 48]})
    >>> tidy = step(takings, "tidy", columns=["route"], letters="capitals")
    >>> print(tidy.sentence())
    1 of 2 rows changes. 1 distinct value of route become 1 other.
    >>> summary = step(tidy.outcome, "summarise", by=["route"], figures={"amount": "sum"})
    >>> list(summary.outcome.rows())
    [('KP-MS', Decimal('89'))]

    Raises
    ------
    WordError
        There is no such kind of step.
    DocumentError
        A setting is none that the step has, or has another form.
    UserError
        The columns do not allow it.
    """
    kinds = {str(one.model_fields["type"].default): one for one in STEPS}
    known(tr("The kind of a step"), kind, list(kinds))
    for name, form in _AS_MAPPING.items():
        if isinstance(settings.get(name), Mapping) and (kind, name) != ("kinds", "kinds"):
            settings[name] = [form(key, value) for key, value in settings[name].items()]
    if "order" in settings or (kind == "order" and "by" in settings):
        name = "by" if kind == "order" else "order"
        given = [settings[name]] if isinstance(settings[name], str) else settings[name]
        settings[name] = [{"field": one} if isinstance(one, str) else one for one in given]
    try:
        item = kinds[kind](id=kind, type=kind, **settings)
    except ValidationError as error:
        raise DocumentError(
            tr(
                "The step “{kind}” cannot be so: {first_fault}",
                kind=kind,
                first_fault=first_fault(error),
            ),
            tr("Mend the setting."),
        ) from error
    # The very node that a lane would have, over rows that are there: a step in a notebook cannot
    # mean anything else.
    node = item.node(_Given(table), (), (tr("the table"),))
    node.check()
    found: Stepped | Filtered = execute(node, [table])
    return found


@dataclass(frozen=True, eq=False)
class _Given(Node):
    """The rows of a table that is there."""

    table: Table

    @cached_property
    def schema(self) -> Schema:
        """The columns of the table."""
        return schema_of(self.table)


_AS_MAPPING: dict[str, Callable[[Any, Any], dict[str, Any]]] = {
    "columns": lambda name, text: {"name": name, "formula": getattr(text, "text", text)},
    "replacements": lambda old, new: {"old": old or "", "new": new or ""},
    "figures": lambda column, how: {"column": column, "how": how},
}
"""What may be given as a mapping, and how each pair of it stands in a document."""


def natural_fields(
    left: Table, right: Table, names: tuple[str, str] = ("left", "right")
) -> tuple[LinkField, ...]:
    """Return a link field for every name that both tables have.

    Raises
    ------
    LinkError
        They have none in common.
    """
    common = [name for name in left.columns if name in right.columns]
    if not common:
        raise LinkError(
            tr(
                "{names_1} and {names_2} have no column name in common: "
                "{columns} on one side, {columns_2} on the other.",
                names_1=names[0],
                names_2=names[1],
                columns=", ".join(left.columns),
                columns_2=", ".join(right.columns),
            ),
            tr("Choose the fields that belong together."),
        )
    return tuple(LinkField(name, name) for name in common)


def _fields(on: On | str) -> tuple[LinkField, ...]:
    """Return link fields as they may be written; one name alone is that field on both sides."""
    if on == "cross":
        return ()
    if isinstance(on, str | LinkField):
        on = (on,)
    fields = []
    for condition in on:
        match condition:
            case LinkField():
                fields.append(condition)
            case str():
                fields.append(LinkField(condition, condition))
            case (str(a), str(b)):
                fields.append(LinkField(a, b))
            case (str(a), str(operator), str(b)):
                fields.append(LinkField(a, b, operator))
            case _:
                raise LinkError(
                    tr("{condition!r} is no condition of a link.", condition=condition),
                    tr("Write a name, (left, right) or (left, operator, right)."),
                )
    return tuple(fields)
