"""An independent answer to what a join gives: the same rows joined by SQLite."""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence
from typing import Any

Row = tuple[Any, ...]


def bays(
    left: Sequence[Row], right: Sequence[Row], condition: str
) -> tuple[list[Row], list[Row], list[Row]]:
    """Return the row numbers of the three bays, as SQLite finds them.

    The columns are called a0, a1 ... on the left and b0, b1 ... on the right.
    """
    with sqlite3.connect(":memory:") as database:
        for name, rows in (("l", left), ("r", right)):
            letter = "a" if name == "l" else "b"
            columns = ", ".join(f"{letter}{n}" for n in range(len(rows[0]) if rows else 4))
            database.execute(f"create table {name} (i integer, {columns})")
            for number, row in enumerate(rows):
                marks = ", ".join("?" for _ in range(len(row) + 1))
                database.execute(f"insert into {name} values ({marks})", (number, *row))

        def ask(query: str) -> list[Row]:
            return database.execute(query.format(on=condition)).fetchall()

        both = ask("select l.i, r.i from l join r on {on} order by l.i, r.i")
        only_left = ask("select i from l where not exists (select 1 from r where {on}) order by i")
        only_right = ask("select i from r where not exists (select 1 from l where {on}) order by i")
    database.close()
    return only_left, both, only_right
