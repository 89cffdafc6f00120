"""A formula worked out on the rows of a table: one way for each function of the registry."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np

from keen_trellis.base.errors import LinkError
from keen_trellis.base.language import tr
from keen_trellis.compute.formula import casts, date_texts, logic, moments, numbers
from keen_trellis.compute.formula import text_functions as texts
from keen_trellis.compute.formula.formula_values import Cells, Flags, Working, by_distinct
from keen_trellis.compute.join.keys import codes_of
from keen_trellis.compute.likeness import likeness
from keen_trellis.data import Column, Kind, Table
from keen_trellis.data.conversions.conversion import converted
from keen_trellis.plan.formulas import Applied, Cell, Constant, Valued

Settings = tuple[str | int, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Evaluated:
    """What a formula gives for the rows of a table.

    Attributes
    ----------
    column : Column
    faults : dict of sentence to ndarray of bool
        The rows whose value could not be worked out, which are blanks, by the reason.
    cuts : dict of sentence to ndarray of bool
        The rows whose value has lost a part, by what that is.
    """

    column: Column
    faults: dict[str, Flags]
    cuts: dict[str, Flags]

    @property
    def lost(self) -> int:
        """The rows with any fault."""
        found = np.zeros(len(self.column), np.bool_)
        for rows in self.faults.values():
            found |= rows
        return int(np.count_nonzero(found))


def evaluated(formula: Valued, table: Table) -> Evaluated:
    """Return the values of a formula for every row.

    Parameters
    ----------
    formula : Valued
        Checked against the columns of the table.
    table : Table

    Raises
    ------
    UnknownColumnError
        The table does not have a column that the formula names.
    """
    working = Working(len(table))
    cells = _worked_out(formula, table, working)
    return Evaluated(cells.spread(len(table)), working.faults, working.cuts)


def _worked_out(formula: Valued, table: Table, working: Working) -> Cells:
    match formula:
        case Cell():
            return Cells(_as_planned(table.column(formula.column), formula))
        case Constant():
            return casts.constant(formula)
        case Applied(function="CASE"):
            # CASE works its arguments out itself: what an arm gives is asked only of the rows that
            # come to it.
            return _looked_up(formula, table, working) or _case(formula, table, working)
        case Applied():
            values = [_worked_out(one, table, working) for one in formula.arguments]
            return _WAYS[formula.function](values, formula.kind, working, formula.settings)
    raise TypeError(f"{type(formula).__name__} has no value for rows.")


def _as_planned(column: Column, cell: Cell) -> Column:
    """Return a column in the kind that the formula was checked for.

    Values can have turned out to need another one: numbers of two lanes that no number holds
    with all their digits are text.
    """
    if column.kind is cell.kind:
        return column
    made = converted(column, cell.kind)
    if len(made.lost):
        raise LinkError(
            tr(
                "“{column}” has become {kind}, since no {cell_kind} holds the values "
                "that came together in it; the formula takes it as {cell_kind}.",
                column=cell.column,
                kind=column.kind,
                cell_kind=cell.kind,
            ),
            tr("Change its kind by a step before they come together."),
        )
    return made.column


_ARMS_WORTH_IT = 8


def _looked_up(formula: Applied, table: Table, working: Working) -> Cells | None:
    """Return what a CASE that is a list of values gives, at the cost of one look-up a row.

    Every arm compares the same column with a constant, or asks whether it is blank, and gives a
    constant, as a pasted list of replacements does. None for any other CASE, for one of few arms,
    and for exact decimals that no single scale holds.
    """
    arguments = formula.arguments
    arms = list(zip(arguments[0::2], arguments[1::2], strict=False))
    cell = _only_cell(condition for condition, _ in arms)
    if len(arms) < _ARMS_WORTH_IT or cell is None:
        return None
    if not all(isinstance(new, Constant) and new.kind is formula.kind for _, new in arms):
        return None
    # A None among them is the arm of blanks; a column of None has a blank there, whose code is -1.
    olds = [_old(condition) for condition, _ in arms]
    try:
        old = Column.of(olds, cell.kind)
        new = Column.of([new.value for _, new in arms if isinstance(new, Constant)], formula.kind)
    except TypeError:
        return None
    column = table.column(cell.column)
    codes = codes_of(column, old)
    # `arm_of` holds for each code its first arm: written from the last to the first, the first
    # stays. Its last place is that of the code -1, which blanks and gaps have.
    arm_of = np.full(codes.size + 1, -1, np.intp)
    given = np.flatnonzero(codes.right >= 0)[::-1]
    arm_of[codes.right[given]] = given
    arm_of[-1] = olds.index(None) if None in olds else -1
    arm = arm_of[codes.left]
    rest = _rest(formula, table, working, arm < 0)
    # Row numbers into two columns at once: into the list of new values where an arm was met, else
    # into what stands behind ELSE, which may be one value for all rows.
    rows = np.where(arm >= 0, arm, 0 if rest.is_one else np.arange(working.n))
    which = (arm < 0).astype(np.intp)
    return Cells(logic.taken([new, rest.column], which, rows, formula.kind, working))


def _only_cell(conditions: Iterable[Valued]) -> Cell | None:
    """Return the one column whose values all the conditions name, if they do nothing else."""
    cells = set()
    for condition in conditions:
        match condition:
            case Applied(
                function="=", arguments=(Cell() as cell, Constant(kind=kind, value=value))
            ):
                if kind is not cell.kind or value is None:
                    return None
                cells.add(cell)
            case Applied(function="IS NULL", arguments=(Cell() as cell,)):
                cells.add(cell)
            case _:
                return None
    return cells.pop() if len(cells) == 1 else None


def _old(condition: Valued) -> Any:
    """Return the value that a condition of a list compares with; None where it asks for blanks."""
    assert isinstance(condition, Applied)
    *_, last = condition.arguments
    return last.value if isinstance(last, Constant) else None


def _rest(formula: Applied, table: Table, working: Working, rows: Flags) -> Cells:
    """Return what a CASE gives behind ELSE, with the faults of the rows that come to it."""
    if len(formula.arguments) % 2 == 0:
        return casts.constant(Constant(None, formula.kind))
    since = working.so_far()
    made = _worked_out(formula.arguments[-1], table, working)
    working.within(rows, since)
    return made


def _case(formula: Applied, table: Table, working: Working) -> Cells:
    """Return the value behind the first condition that holds; faults of other values are none."""
    n = working.n
    # Holds at each turn: `still` are the rows that no condition so far has met, `which` the arm
    # of the others. A list of replacements becomes one CASE, so arms can be many thousands.
    number: type[np.signedinteger[Any]] = np.int16 if len(formula.arguments) < 2**15 else np.int64
    which = np.full(n, -1, number)
    still = np.ones(n, np.bool_)
    values: list[Cells] = []
    arguments = list(formula.arguments)
    while arguments:
        since = working.so_far()
        if len(arguments) == 1:
            holds = still
        else:
            condition = _worked_out(arguments.pop(0), table, working)
            working.within(still, since)
            since = working.so_far()
            holds = still & logic.where_true(condition, n)
        # Every arm is worked out on all rows, as that is what NumPy is quick at; `within` forgets
        # the faults of the rows that nobody asked it for.
        values.append(_worked_out(arguments.pop(0), table, working))
        working.within(holds, since)
        np.putmask(which, holds, len(values) - 1)
        still = still & ~holds
    return logic.chosen(values, which, formula.kind, working)


_Way = Callable[[list[Cells], Kind, Working, Settings], Cells]


def _plain(work: Callable[..., Cells]) -> _Way:
    """Return the way of a function that has no settings."""
    return lambda values, kind, working, _: work(values, kind, working)


def _truth(work: Callable[..., Cells], **known: Any) -> _Way:
    """Return the way of a function whose kind is always boolean."""
    return lambda values, kind, working, _: work(values, working, **known)


def _each(work: Callable[..., Any]) -> _Way:
    """Return the way of a function of Python values: once for each combination of them."""
    return lambda values, kind, working, _: by_distinct(values, kind, working, work)


def _trim(values: list[Cells], kind: Kind, working: Working, settings: Settings) -> Cells:
    side = str(settings[0]) if settings else "BOTH"

    def trimmed(text: str, letters: str = " ") -> str:
        return texts.trimmed(text, letters, side)

    return by_distinct(values, kind, working, trimmed)


def _split_part(values: list[Cells], kind: Kind, working: Working, settings: Settings) -> Cells:
    work = texts.split_rest if settings else texts.split_part
    return by_distinct(values, kind, working, work)


def _trunc(values: list[Cells], kind: Kind, working: Working, settings: Settings) -> Cells:
    if settings:
        return moments.beginnings(values, kind, working, str(settings[0]))
    return numbers.cut_off(values, kind, working)


def _later_by_days(values: list[Cells], kind: Kind, working: Working, _: Settings) -> Cells:
    return moments.days_later(values[0], values[1], working)


def _compares(sign: str) -> _Way:
    return _plain(partial(logic.compared, sign=sign))


_WAYS: dict[str, _Way] = {
    "+": _plain(numbers.add),
    "-": _plain(numbers.subtract),
    "*": _plain(numbers.multiply),
    "/": _plain(numbers.divide),
    "DIV": _plain(numbers.whole_quotient),
    "MOD": _plain(numbers.modulo),
    "ABS": _plain(numbers.absolute),
    "SIGN": _plain(numbers.sign),
    "ROUND": _plain(numbers.rounded),
    "CEILING": _plain(numbers.ceiling),
    "FLOOR": _plain(numbers.floor),
    "POWER": _plain(numbers.power),
    "SQRT": _plain(numbers.root),
    "LN": _plain(numbers.natural_logarithm),
    "LOG": _plain(numbers.logarithm),
    "EXP": _plain(numbers.exponential),
    "||": _plain(texts.joined),
    "UPPER": _each(str.upper),
    "LOWER": _each(str.lower),
    "TRIM": _trim,
    "SUBSTRING": _each(texts.substring),
    "LEFT": _each(texts.left),
    "RIGHT": _each(texts.right),
    "POSITION": _each(lambda part, text: text.find(part) + 1),
    "CHAR_LENGTH": _each(len),
    "OVERLAY": _each(texts.overlay),
    "REPLACE": _each(texts.replaced),
    "LPAD": _each(texts.left_filled),
    "RPAD": _each(texts.right_filled),
    "SPLIT_PART": _split_part,
    "INITCAP": _each(texts.with_capitals),
    "CONCAT_WS": _plain(texts.put_together),
    "REGEXP_REPLACE": _each(texts.pattern_replaced),
    "REGEXP_LIKE": _plain(texts.matches),
    "REGEXP_COUNT": _each(texts.pattern_count),
    "REGEXP_SUBSTR": _each(texts.pattern_part),
    "REVERSE": _each(lambda text: text[::-1]),
    "REPEAT": _each(texts.repeated),
    "TRANSLATE": _each(texts.translated),
    "LIKENESS": _each(likeness),
    "TIDY": lambda values, kind, working, rules: texts.tidy_texts(
        values, kind, working, [str(rule) for rule in rules]
    ),
    "LIKE": _plain(texts.likes),
    "EXTRACT": lambda values, kind, working, part: moments.extracted(
        values, kind, working, [str(part[0])]
    ),
    "TRUNC": _trunc,
    "MAKE_DATE": _each(date_texts.date_of),
    "MONTHS_BETWEEN": _each(date_texts.months_between),
    "WORKDAYS_BETWEEN": _each(date_texts.workdays_between),
    "DAY_NAME": _each(date_texts.day_name),
    "MONTH_NAME": _each(date_texts.month_name),
    "TO_CHAR": _each(date_texts.written),
    "TO_DATE": _each(date_texts.read_date),
    "TO_TIMESTAMP": _each(date_texts.read_moment),
    "later by months": _plain(moments.months_later),
    "later by days": _later_by_days,
    "later by seconds": _plain(moments.seconds_later),
    **{sign: _compares(sign) for sign in ("=", "<>", "<", "<=", ">", ">=")},
    "IS DISTINCT FROM": _truth(logic.distinct),
    "AND": _truth(logic.all_hold),
    "OR": _truth(logic.any_holds),
    "NOT": _truth(logic.opposite),
    "IS NULL": _truth(logic.is_absent, gaps_alone=False),
    "IS GAP": _truth(logic.is_absent, gaps_alone=True),
    "IS TRUE": _truth(logic.is_true),
    "COALESCE": _plain(logic.first_present),
    "NULLIF": _plain(logic.blank_where_equal),
    "GREATEST": _plain(partial(logic.furthest, largest=True)),
    "LEAST": _plain(partial(logic.furthest, largest=False)),
    "CAST": casts.cast,
}
"""How each function of the registry is worked out; CASE looks at its conditions first."""
