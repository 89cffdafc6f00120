"""The steps that a column of rows offers, and those that a value in it does."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from keen_trellis.base.language import tr
from keen_trellis.base.words import counted
from keen_trellis.data import BLANK, Kind
from keen_trellis.document.items import (
    ColumnsItem,
    ConditionItem,
    FigureItem,
    FillItem,
    FilterItem,
    KindsItem,
    OrderedBy,
    OrderItem,
    RepeatsItem,
    ReplaceItem,
    Replacement,
    SplitItem,
    StepItem,
    SummariseItem,
    TidyItem,
    UnpivotItem,
)


@dataclass(frozen=True, slots=True)
class Offer:
    """A step that can be put behind the rows one looks at, and how it is offered.

    Attributes
    ----------
    id, words : str
    step : StepItem
    tried : StepItem or None
        What is tried to count what the step would do; None where there is nothing to count yet.
    """

    id: str
    words: str
    step: StepItem
    tried: StepItem | None = None


def told(numbers: Mapping[str, int]) -> str:
    """Return what a step would do in two or three words, from the numbers of what it gave."""
    if "faults" in numbers:
        return tr("{faults:,} would not fit", faults=numbers["faults"])
    if "left_out" in numbers and "unknown" in numbers:
        return counted(numbers["left_out"], "row")
    if numbers["rows"] != numbers["before"]:
        return f"→ {counted(numbers['rows'], 'row')}"
    return counted(numbers["changed"], "row") if "changed" in numbers else tr("no row")


def steps_of_columns(columns: tuple[str, ...], kinds: tuple[Kind, ...]) -> Iterator[Offer]:
    """Yield the steps that fit the kinds of one or several columns.

    Parameters
    ----------
    columns : tuple of str
    kinds : tuple of Kind
        Of each column.
    """
    first = columns[0]
    are_texts = all(kind is Kind.TEXT for kind in kinds)
    no_blanks = FilterItem(
        id="",
        conditions=tuple(ConditionItem(column=name, is_="is not blank") for name in columns),
    )
    if are_texts:
        tidy = TidyItem(id="", columns=columns)
        yield Offer("tidy", tr("Tidy text"), tidy, tried=tidy)
    yield Offer("replace", tr("Replace values"), ReplaceItem(id="", columns=columns))
    fill = FillItem(id="", columns=columns)
    yield Offer("fill", tr("Fill blanks and gaps"), fill, tried=no_blanks)
    if len(columns) == 1:
        to = Kind.INTEGER if are_texts else Kind.TEXT
        yield Offer("kinds", tr("Change its kind"), KindsItem(id="", kinds={first: to}))
    if len(columns) == 1 and are_texts:
        into = (f"{first} 1", f"{first} 2")
        yield Offer("split", tr("Split it"), SplitItem(id="", column=first, into=into))
    by = tuple(OrderedBy(field=name) for name in columns)
    yield Offer("order", tr("Order the rows by it"), OrderItem(id="", by=by))
    repeats = RepeatsItem(id="", by=columns)
    yield Offer("repeats", tr("Keep one row of equal ones"), repeats, tried=repeats)
    if len(columns) > 1:
        unpivot = UnpivotItem(id="", columns=columns)
        yield Offer("unpivot", tr("Make rows of them"), unpivot)
    groups = SummariseItem(id="", by=columns)
    yield Offer("summarise", tr("One row for each value"), groups, tried=groups)
    if all(kind.is_numeric for kind in kinds):
        figures = tuple(FigureItem(column=name) for name in columns)
        yield Offer("sum", tr("Its sum"), SummariseItem(id="", figures=figures))
    words = tr("Leave out rows where it is blank")
    yield Offer("no_blanks", words, no_blanks, tried=no_blanks)
    yield Offer("columns", tr("Leave the column out"), ColumnsItem(id="", without=columns))
    if len(columns) == 1:
        yield Offer("rename", tr("Call it otherwise"), ColumnsItem(id="", names={first: first}))


def steps_of_value(column: str, text: str, state: int) -> Iterator[Offer]:
    """Yield the steps that a value offers; leaving it out leaves blanks where they are."""
    if state == BLANK:
        is_blank = (ConditionItem(column=column, is_="is blank"),)
        words = tr("Keep only rows where {column} is blank", column=column)
        yield Offer("value.keep", words, FilterItem(id="", conditions=is_blank))
        return
    # A gap is no value of the column, and no step of its own fits it: the tie that made it is
    # what would be changed.
    if state:
        return
    shown = text if len(text) <= 40 else f"{text[:39]}…"
    is_it = ConditionItem(column=column, is_="=", values=(text,))
    words = tr("Keep only rows where {column} is “{shown}”", column=column, shown=shown)
    yield Offer("value.keep", words, FilterItem(id="", conditions=(is_it,)))
    others = (
        ConditionItem(column=column, is_="<>", values=(text,)),
        ConditionItem(column=column, is_="is blank"),
    )
    words = tr("Leave out rows where {column} is “{shown}”", column=column, shown=shown)
    yield Offer("value.leave", words, FilterItem(id="", conditions=others, of="any"))
    replaced = ReplaceItem(
        id="", columns=(column,), replacements=(Replacement(old=text, new=text),)
    )
    yield Offer(
        "value.replace", tr("Replace “{shown}” in {column}", shown=shown, column=column), replaced
    )
