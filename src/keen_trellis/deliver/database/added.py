"""Rows added to a table that is there: refused where one of its columns would change a value.

A database rounds an amount to the digits of its column, cuts a moment or takes off spaces without
a word. So what a column holds is compared with the values before any of them is written; what a
server refuses by itself is left to it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from decimal import Decimal, InvalidOperation
from typing import TYPE_CHECKING, Any

import numpy as np

from keen_trellis.base.errors import DeliveryError
from keen_trellis.base.language import tr
from keen_trellis.base.words import counted
from keen_trellis.data.column import MICROSECONDS_A_DAY
from keen_trellis.data.kinds import Kind

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from keen_trellis.data import Column, Table

_DOUBLE, _SINGLE = 15, 6
"""How many digits a double of SQLite, and MariaDB's of half its size, holds of any decimal."""

Lost = tuple[int, str]
"""How many values would be changed, and how."""

_NONE: Lost = 0, ""


def require_held(table: Table, stored: Mapping[str, Any], where: str) -> None:
    """Refuse to add rows of which a column would hold a value otherwise.

    Parameters
    ----------
    table : Table
    stored : mapping of column to type
        The types of SQLAlchemy of the columns that are there; for SQLite the words they are
        declared by.
    where : str
        The table and where it is, in words.

    Raises
    ------
    DeliveryError
    """
    for field in table.fields:
        column, held_as = table.fetch(field), stored[field.name]
        look = _in_sqlite if isinstance(held_as, str) else _of
        lost, how = look(column, held_as)
        if lost:
            raise would_change(field.name, lost, where, held_as=f"{held_as}: {how}")


def changed_values(column: Column, held_as: Any) -> int:
    """Return how many values a column of a server, or of SQLite, would change."""
    return (_in_sqlite if isinstance(held_as, str) else _of)(column, held_as)[0]


def digits_before(column: Column) -> int:
    """Return the most digits that an amount of a column has before its mark."""
    shown = column.texts().dictionary_encode().dictionary.to_pylist()
    amounts = [Decimal(text) for text in shown if text is not None]
    return max((one.adjusted() + 1 for one in amounts if one), default=0)


def would_change(name: str, values: int, where: str, held_as: str) -> DeliveryError:
    """Return the refusal to add rows to a table that would hold values of a column otherwise."""
    return DeliveryError(
        tr(
            "{values} of “{name}” would be changed in {where}, whose column is {held_as}.",
            values=counted(values, "value"),
            name=name,
            where=where,
            held_as=held_as,
        ),
        tr("Change the kind or the digits of the column, or replace the table."),
    )


def _of(column: Column, held_as: Any) -> Lost:
    """Return what a column of a server would change."""
    import sqlalchemy as sa

    if isinstance(held_as, sa.Enum):
        return _NONE
    if isinstance(held_as, sa.String):
        return _in_letters(column, held_as)
    sorts = {
        sa.Boolean: _in_booleans,
        sa.Integer: _in_integers,
        sa.Float: _in_digits,
        sa.Numeric: _in_digits,
        sa.DateTime: _in_moments,
        sa.Date: _in_days,
        sa.Time: _in_times,
    }
    work = next((work for sort, work in sorts.items() if isinstance(held_as, sort)), None)
    if work is None:
        return _NONE
    return _all(column) if column.kind is Kind.TEXT else work(column, held_as)


def _all(column: Column) -> Lost:
    present = len(column) if column.absent is None else int(np.count_nonzero(~column.absent))
    return present, tr("they are {kind}", kind=column.kind)


def _in_letters(column: Column, held_as: Any) -> Lost:
    if column.kind is not Kind.TEXT or held_as.length is None:
        return _NONE
    if type(held_as).__name__ == "CHAR":
        return _counted(column, lambda text: text.endswith(" ")), tr(
            "spaces at the end are taken off"
        )
    long = _counted(column, lambda text: len(text) > held_as.length)
    return long, tr("it holds {length:,} letters", length=held_as.length)


def _in_booleans(column: Column, _: Any) -> Lost:
    return _NONE if column.kind is Kind.BOOLEAN else _all(column)


def _in_integers(column: Column, _: Any) -> Lost:
    if column.kind in (Kind.INTEGER, Kind.BOOLEAN):
        return _NONE
    if not column.kind.is_numeric:
        return _all(column)
    return _counted(column, _amount(lambda digits, behind: behind > 0)), tr("it holds integers")


def _in_digits(column: Column, held_as: Any) -> Lost:
    import sqlalchemy as sa

    if not column.kind.is_numeric:
        return _NONE if column.kind is Kind.BOOLEAN else _all(column)
    if isinstance(held_as, sa.Float):
        sort = type(held_as).__name__
        if sort == "FLOAT":  # of MariaDB, which shows so many digits of it
            many = _counted(column, _amount(lambda digits, behind: digits > _SINGLE))
            return many, tr("it holds {single} digits of any amount", single=_SINGLE)
        of_size = np.float32 if sort == "REAL" else np.float64
        return _counted(column, _unlike(of_size)), tr("it shows another number in the place of it")
    scale = held_as.scale
    if scale is None:  # of any number of digits
        return _NONE
    # Digits behind the mark alone: a number that is too large is refused by the server itself,
    # whole.
    many = _counted(column, _amount(lambda digits, behind: behind > scale))
    return many, tr("it holds {digits} behind the mark", digits=counted(scale, "digit"))


def _in_moments(column: Column, held_as: Any) -> Lost:
    if column.kind is Kind.DATE:
        return _NONE
    return _finer(column, held_as) if column.kind is Kind.DATE_TIME else _all(column)


def _in_days(column: Column, _: Any) -> Lost:
    if column.kind is Kind.DATE_TIME:
        return _rows(column, column.values % MICROSECONDS_A_DAY != 0), tr("it holds no time of day")
    return _NONE if column.kind is Kind.DATE else _all(column)


def _in_times(column: Column, held_as: Any) -> Lost:
    return _finer(column, held_as) if column.kind is Kind.TIME else _all(column)


def _finer(column: Column, held_as: Any) -> Lost:
    """Return how many moments have parts of a second that are too small to be held."""
    is_mariadb = hasattr(held_as, "fsp")
    digits = held_as.fsp if is_mariadb else getattr(held_as, "precision", None)
    digits = (0 if is_mariadb else 6) if digits is None else int(digits)
    finer = _rows(column, column.values % 10 ** (6 - digits) != 0)
    return finer, tr("it holds {digits} of a second's parts", digits=counted(digits, "digit"))


def _in_sqlite(column: Column, declared: str) -> Lost:
    """Return what SQLite would change: by its affinity a column makes numbers of texts."""
    word = declared.upper()
    if not word or any(sort in word for sort in ("CHAR", "CLOB", "TEXT", "BLOB")):
        return _NONE
    if column.kind is Kind.TEXT and ("INT" in word or not word.startswith(("DATE", "TIME"))):
        return _counted(column, _is_amount), tr("texts of digits become numbers there")
    if column.kind is Kind.EXACT:
        many = _counted(column, _amount(lambda digits, behind: digits > _DOUBLE))
        return many, tr("it holds {double} digits of any amount", double=_DOUBLE)
    return _NONE


def _is_amount(text: str) -> bool:
    try:
        return Decimal(text.strip()).is_finite()
    except InvalidOperation:
        return False


def _amount(test: Callable[[int, int], bool]) -> Callable[[str], bool]:
    """Return a test of an amount as it is shown, by how many digits it has, and behind the mark."""

    def tested(text: str) -> bool:
        amount = Decimal(text)
        if not amount.is_finite() or not amount:
            return False  # whether there is infinity, the server says
        _, digits, exponent = amount.as_tuple()
        # 1.50 is as long as 1.5: zeros at the end are no digits that could be lost.
        zeros = len(digits) - len("".join(map(str, digits)).rstrip("0"))
        return test(len(digits) - zeros, -int(exponent) - zeros)

    return tested


def _unlike(of_size: type[np.floating[Any]]) -> Callable[[str], bool]:
    """Return a test of an amount: whether a double, or one of half its size, is shown otherwise."""

    def tested(text: str) -> bool:
        amount = Decimal(text)
        with np.errstate(over="ignore"):  # what is infinite then is another number, too
            return amount.is_finite() and Decimal(str(of_size(text))) != amount

    return tested


def _counted(column: Column, test: Callable[[str], bool]) -> int:
    """Return how many rows have a value whose text passes a test: each is looked at once."""
    coded = column.texts().dictionary_encode()
    passed = np.array([test(text) for text in coded.dictionary.to_pylist()] + [False], np.bool_)
    # A blank reads the False that stands behind the dictionary.
    codes = coded.indices.fill_null(len(coded.dictionary)).to_numpy(zero_copy_only=False)
    return int(np.count_nonzero(passed[codes]))


def _rows(column: Column, flags: NDArray[np.bool_]) -> int:
    return int(np.count_nonzero(flags if column.absent is None else flags & ~column.absent))
