"""What is refused before a table is written, and what a driver refuses, as sentences."""

from __future__ import annotations

import sqlite3
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

import numpy as np

from keen_trellis.base.errors import DeliveryError, UserError
from keen_trellis.base.language import tr
from keen_trellis.base.words import counted, with_capital
from keen_trellis.deliver.database.added import require_held
from keen_trellis.deliver.database.target import Target
from keen_trellis.servers.connections import explained

if TYPE_CHECKING:
    from keen_trellis.data import Table

_NAME_BYTES = {"postgresql": 63, "mariadb": 64, "sqlite": 1_000}
"""How long a name may be; a longer one would be cut without a word, or refused."""


def require_names(table: Table, target: Target) -> None:
    """Refuse names that the database does not take, and a key that tells no rows apart."""
    at_most = _NAME_BYTES[target.sort]
    for name in (target.table, target.in_schema or "x", *table.columns):
        if not name or len(name.encode()) > at_most or "\0" in name:
            raise DeliveryError(
                tr(
                    "“{name}” cannot be a name in {label}: it may have "
                    "{at_most} bytes at most, and not none.",
                    name=name,
                    label=target.database.label,
                    at_most=at_most,
                ),
                tr(
                    "Rename the column before it is delivered, or choose another name "
                    "for the table."
                ),
            )
    # MariaDB and SQLite take two names that differ in the case of letters alone for one
    lower = [name.lower() for name in table.columns]
    twice = next((n for n in table.columns if lower.count(n.lower()) > 1), None)
    if twice is not None and target.sort != "postgresql":
        raise DeliveryError(
            tr(
                "{label} takes “{twice}” and another column for the same name.",
                label=target.database.label,
                twice=twice,
            ),
            tr("Rename one of them before they are delivered."),
        )
    if not table.columns:
        raise DeliveryError(tr("A table needs a column."), tr("Let a column go on."))
    if target.key and target.key not in table.columns:
        raise DeliveryError(
            tr(
                "There is no column “{key}” to be the key of {words}.",
                key=target.key,
                words=target.words,
            ),
            tr("Choose another key, or none."),
        )
    if target.key:
        _require_key(table, target)


def _require_key(table: Table, target: Target) -> None:
    """Refuse a key that does not tell rows apart, before a server does in its own words."""
    from keen_trellis.compute.join.keys import own_codes

    column = table.column(target.key)
    absent = 0 if column.absent is None else int(np.count_nonzero(column.absent))
    # Equal codes are equal values, whatever the kind: the key is looked at as a link field would
    # be.
    codes = own_codes(column).left
    repeated = len(codes) - len(np.unique(codes))
    if absent or repeated:
        what = (
            tr("{rows} without it", rows=counted(absent, "row"))
            if absent
            else counted(repeated, "repeat")
        )
        raise DeliveryError(
            tr(
                "“{key}” cannot be the key of {words}: it has {what}.",
                key=target.key,
                words=target.words,
                what=what,
            ),
            tr("Choose a column whose values are all different, or no key."),
        )


def require_state(there: Mapping[str, Any] | None, table: Table, target: Target) -> None:
    """Refuse to make what is there, or to add to what is not or would not hold the rows so."""
    if target.how == "make" and there is not None:
        raise DeliveryError(
            tr("There is {words} already.", words=target.words),
            tr("Choose to replace it, to add the rows below, or another name."),
        )
    if target.how == "add" and there is None:
        raise DeliveryError(
            tr("{words} is not there.", words=with_capital(target.words)), tr("Choose to make it.")
        )
    if target.how == "add" and there is not None and set(there) != set(table.columns):
        missing = [name for name in table.columns if name not in there]
        more = [name for name in there if name not in table.columns]
        what = (
            tr("it lacks “{missing_1}”", missing_1=missing[0])
            if missing
            else tr("it has “{more_1}” as well", more_1=more[0])
        )
        raise DeliveryError(
            tr(
                "The rows do not fit below those of {words}: {what}.", words=target.words, what=what
            ),
            tr("Let the same columns go on, or replace the table."),
        )
    if target.how == "add" and there is not None:
        require_held(table, there, target.words)


def driver_errors(target: Target) -> tuple[type[Exception], ...]:
    """Return what the driver of a database raises."""
    if target.sort == "sqlite":
        return (sqlite3.Error, OSError)
    import sqlalchemy as sa

    if target.sort == "postgresql":
        import psycopg

        return (sa.exc.DBAPIError, psycopg.Error, ValueError)
    import pymysql

    return (sa.exc.DBAPIError, pymysql.MySQLError, ValueError)


def refused_by_driver(error: Exception, target: Target) -> UserError:
    """Return a driver's error as a sentence; what is wrong with the account stays what it is."""
    from keen_trellis.base.errors import ConnectionLostError, PasswordError

    found = explained(error, target.database)
    if isinstance(found, PasswordError | ConnectionLostError):
        return found
    # SQLAlchemy wraps a driver's error, and its own words repeat the statement with values.
    cause = getattr(error, "orig", None) or error
    words = " ".join(str(cause.args[-1] if cause.args else cause).split())
    # what the driver adds repeats the statement, and with it values of rows
    words = words.split(" CONTEXT:")[0].split(" DETAIL:")[0].split("LINE 1:")[0].strip().rstrip(".")
    return DeliveryError(
        tr(
            "{words} cannot be written: {words_2}.",
            words=with_capital(target.words),
            words_2=words[:240],
        ),
        tr("Nothing has been changed there; see to what it says, and deliver again."),
    )
