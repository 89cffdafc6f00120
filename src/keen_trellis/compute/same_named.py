"""Columns of one name on both sides of a tie: how often their values agree in matched rows."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, quiet
from keen_trellis.compute.join.keys import codes_of
from keen_trellis.compute.join_result import Tied
from keen_trellis.data import Column
from keen_trellis.data.kinds import comparable


@dataclass(frozen=True, slots=True)
class SameNamed:
    """A name that both sides have.

    Attributes
    ----------
    name : str
    rows : int
        Matched pairs of rows.
    equal : int
        Those in which both values are equal, or both are absent.
    only_left, only_right : int
        Those in which only one side has a value.
    example : (str, str) or None
        The first two values that differ, as they are shown.
    """

    name: str
    rows: int
    equal: int
    only_left: int
    only_right: int
    example: tuple[str, str] | None = None

    def sentence(self, names: tuple[str, str]) -> str:
        """Return in words how the two columns agree.

        Parameters
        ----------
        names : (str, str)
            What the sides are called.
        """
        if self.equal == self.rows:
            return tr(
                "{name}: the same on both sides in all {rows:,} matched rows",
                name=self.name,
                rows=self.rows,
            )
        parts = [
            tr(
                "{name}: the same in {equal:,} of {rows:,} matched rows",
                name=self.name,
                equal=self.equal,
                rows=self.rows,
            )
        ]
        for count, name in ((self.only_left, names[0]), (self.only_right, names[1])):
            if count:
                parts.append(tr("only in {name} in {count:,}", name=name, count=count))
        if self.example:
            parts.append(
                tr(
                    "“{example_1}” against “{example_2}” for one",
                    example_1=self.example[0],
                    example_2=self.example[1],
                )
            )
        return ", ".join(parts)


def same_named(tie: Tied, report: Report = quiet) -> list[SameNamed]:
    """Return the columns of one name that are no link field with itself, as the tables have them.

    Raises
    ------
    TooManyRowsError
        There are more matched pairs than can be looked at.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    linked = {field.left for field in tie.link.equal_fields if field.left == field.right}
    shared = [n for n in tie.left.columns if n in set(tie.right.columns) and n not in linked]
    found: list[SameNamed] = []
    if not shared:
        return found
    left_rows, right_rows = tie.match.pairs
    for number, name in enumerate(shared):
        report(number / len(shared), tr("Comparing {name} on both sides", name=name))
        left = tie.left.column(name).take(left_rows)
        right = tie.right.column(name).take(right_rows)
        found.append(_compared(name, left, right))
    return found


def _compared(name: str, left: Column, right: Column) -> SameNamed:
    none = np.zeros(len(left), bool)
    gone = [none if column.absent is None else column.absent for column in (left, right)]
    if comparable(left.kind, right.kind):
        # codes of both sides are of one numbering; where a value is absent they say nothing
        codes = codes_of(left, right)
        same = (codes.left == codes.right) & ~gone[0] & ~gone[1]
    else:
        texts = [column.texts().to_pylist() for column in (left, right)]
        same = np.array([a == b for a, b in zip(*texts, strict=True)], bool) & ~gone[0] & ~gone[1]
    differ = np.flatnonzero(~same & ~gone[0] & ~gone[1])
    example = None
    if len(differ):
        first = int(differ[0])
        example = left.text(first), right.text(first)
    return SameNamed(
        name,
        len(left),
        int(np.count_nonzero(same | (gone[0] & gone[1]))),
        only_left=int(np.count_nonzero(~gone[0] & gone[1])),
        only_right=int(np.count_nonzero(gone[0] & ~gone[1])),
        example=example,
    )
