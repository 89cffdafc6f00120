"""Figures: what a group of rows is summarised to, with SQL's meaning of blanks."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

from keen_trellis.base.errors import LinkError, known
from keen_trellis.base.language import tr
from keen_trellis.data import Kind
from keen_trellis.plan.schema import Schema

How = Literal[
    "sum",
    "count",
    "distinct count",
    "average",
    "median",
    "lower quartile",
    "upper quartile",
    "standard deviation",
    "variance",
    "min",
    "max",
    "first",
    "last",
    "most frequent",
    "list",
    "true share",
]
FIGURES: tuple[How, ...] = get_args(How)
OF_NUMBERS: tuple[How, ...] = (
    *("sum", "average", "median", "lower quartile", "upper quartile"),
    *("standard deviation", "variance"),
)
"""Figures that only numbers have."""
QUARTERS: dict[str, int] = {"lower quartile": 1, "median": 2, "upper quartile": 3}
"""How many quarters of a group's values lie below (PERCENTILE_CONT of SQL)."""
ADDING_UP: tuple[How, ...] = ("sum", "count")
"""Figures whose total over all groups is that of all rows."""


@dataclass(frozen=True, slots=True)
class Figure:
    """One figure of a summary.

    Attributes
    ----------
    column : str or None
        None counts rows; otherwise blanks do not count, and a group of blanks alone has a blank
        (a count 0).
    how : How
        First and last take the first or last value in row order that is no blank. Quartiles and
        the median lie between two values where none stands at their place. Standard deviation and
        variance are those of a sample: blank of one value alone. The most frequent value is the
        least of those that are equally frequent. A list names every different value once, in
        order. The true share is that of booleans that are true.
    name : str
        What the figure's column is called; made of the two where it is empty.

    Raises
    ------
    WordError
        `how` is none of `FIGURES`.
    """

    column: str | None
    how: How = "sum"
    name: str = ""

    def __post_init__(self) -> None:
        known(tr("A figure"), self.how, FIGURES)

    @property
    def title(self) -> str:
        """The name of the figure's column."""
        return self.name or (f"{self.how} of {self.column}" if self.column else "rows")

    @property
    def adds_up(self) -> bool:
        """Whether the total over all groups is that of all rows."""
        return self.column is None or self.how in ADDING_UP

    def kind(self, schema: Schema, where: str) -> Kind:
        """Return the kind of the figure: fixed by the columns, never by the values.

        Raises
        ------
        UnknownColumnError
            The column is not there.
        LinkError
            The column's kind has no such figure.
        """
        if self.column is None:
            return Kind.INTEGER
        kind = schema.column(self.column, where).kind
        if self.how not in hows_of(kind):
            raise LinkError(
                tr(
                    "There is no {how} of “{column}”, which is {kind}.",
                    how=tr(self.how),
                    column=self.column,
                    kind=kind,
                ),
                tr(
                    "Choose another column, or one of: {hows}.",
                    hows=", ".join(map(tr, hows_of(kind))),
                ),
            )
        match self.how:
            case "count" | "distinct count":
                return Kind.INTEGER
            case "first" | "last" | "min" | "max" | "most frequent":
                return kind
            case "list":
                return Kind.TEXT
            case "sum":
                return Kind.NUMBER if kind is Kind.NUMBER else Kind.EXACT
        return Kind.NUMBER


def hows_of(kind: Kind) -> tuple[How, ...]:
    """Return the figures that a column of a kind has."""
    return tuple(
        how
        for how in FIGURES
        if (kind.is_numeric or how not in OF_NUMBERS)
        and (kind is Kind.BOOLEAN or how != "true share")
    )


def require_names(titles: list[str]) -> None:
    """Refuse two columns of a summary that would have one name; `LinkError`."""
    for title in titles:
        if titles.count(title) > 1:
            raise LinkError(
                tr("Two columns of the summary would be called “{title}”.", title=title),
                tr("Give the figure a name of its own."),
            )
