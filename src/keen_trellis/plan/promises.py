"""Promises: what must hold of a join at every run, said as data."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

from keen_trellis.base.errors import known
from keen_trellis.base.language import grouped_digits, marked, tr
from keen_trellis.plan.link import SIDES, Side

Promised = Literal["found", "one partner", "not multiplied", "few without", "same total"]
PROMISES: tuple[Promised, ...] = get_args(Promised)

PROMISE_WORDS: dict[Promised, str] = {
    "found": marked("every {own} row finds a {other} row"),
    "one partner": marked("every {own} row finds exactly one {other} row"),
    "not multiplied": marked("no {own} row has more than one {other} row"),
    "few without": marked("at most {rows} {own} rows find no {other} row"),
    "same total": marked("the total of {column} in {own} is the same in what goes on"),
}


@dataclass(frozen=True, slots=True)
class Promise:
    """Something that must hold of the rows of one side of a join.

    Attributes
    ----------
    what : Promised
    side : "left" or "right"
    rows : int
        With “few without”: how many rows may be without a partner.
    column : str
        With “same total”: the column of the side that is added up.

    Raises
    ------
    WordError
        `what` or `side` is a word that is not known.
    """

    what: Promised
    side: Side = "left"
    rows: int = 0
    column: str = ""

    def __post_init__(self) -> None:
        known(tr("A promise"), self.what, PROMISES)
        known(tr("The side of a promise"), self.side, SIDES)

    def sentence(self, names: tuple[str, str]) -> str:
        """Return what is promised, with what the left and the right side are called.

        >>> Promise("few without", rows=5).sentence(("Sailings", "Routes"))
        'at most 5 Sailings rows find no Routes row'
        """
        own, other = names if self.side == "left" else names[::-1]
        rows, column = grouped_digits(self.rows), self.column or tr("no column yet")
        return tr(PROMISE_WORDS[self.what], own=own, other=other, rows=rows, column=column)
