"""From the text of a formula to an expression whose kind is known, checked against columns."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from functools import lru_cache

from keen_trellis.base.errors import FormulaError
from keen_trellis.base.language import tr
from keen_trellis.data import Kind
from keen_trellis.formulas.checking import known_as, place_of
from keen_trellis.formulas.today import today
from keen_trellis.formulas.tree import Interval, Reading, too_deep
from keen_trellis.plan.formulas import Valued
from keen_trellis.plan.schema import Schema

LETTERS_AT_MOST = 4_000


def formula(text: str, schema: Schema, where: str = tr("these rows")) -> Valued:
    """Return the expression that a formula says.

    Parameters
    ----------
    text : str
        An expression of SQL: names of columns as they are or between double quotes, texts between
        single ones.
    schema : Schema
        The columns that it may name.
    where : str
        What they are called in sentences.

    Raises
    ------
    FormulaError
        It cannot be read, or asks for what the kinds of columns do not allow; it says where.
    UnknownColumnError
        Never: a column that is not there is a `FormulaError` as well, with its place.
    """
    return _formula(text, schema, where, today())


def renamed(text: str, change: Callable[[str], str]) -> str:
    """Return a formula with its columns called otherwise; one that cannot be read as it is."""
    from sqlglot import exp

    from keen_trellis.formulas.grammar import parsed

    try:
        tree = parsed(text)
    except FormulaError:
        return text
    for column in sorted(tree.find_all(exp.Column), key=lambda one: -place_of(one, text)[0]):
        new = change(column.name)
        if new != column.name:
            start, end = place_of(column, text)
            doubled = new.replace('"', '""')
            text = f'{text[:start]}"{doubled}"{text[end:]}'
    return text


def names_in(text: str) -> tuple[str, ...]:
    """Return the columns that a formula names; none where it cannot be read."""
    from sqlglot import exp

    from keen_trellis.formulas.grammar import parsed

    try:
        tree = parsed(text)
    except FormulaError:
        return ()
    return tuple(dict.fromkeys(column.name for column in tree.find_all(exp.Column)))


@lru_cache(512)
def _formula(text: str, schema: Schema, where: str, today: dt.date) -> Valued:
    from keen_trellis.formulas.grammar import parsed

    if len(text) > LETTERS_AT_MOST:
        raise FormulaError(
            tr(
                "The formula has more than {letters_at_most:,} letters.",
                letters_at_most=LETTERS_AT_MOST,
            ),
            tr("Take it apart."),
            (0, len(text)),
        )
    tree = parsed(text)
    try:
        made = Reading(text, schema, where, today).read(tree)
    except RecursionError as error:
        raise too_deep(text) from error
    if isinstance(made, Interval):
        raise FormulaError(
            tr("An INTERVAL alone is no value of a column."),
            tr("Add it to a date."),
            (0, len(text)),
        )
    return known_as(made, Kind.TEXT, text, whole=True)
