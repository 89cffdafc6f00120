"""A tie in a notebook: two tables, a link, three bays, an outcome."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from keen_trellis.data import BLANK, GAP, Table
from keen_trellis.errors import LinkError
from keen_trellis.match.counts import Counts, JoinType
from keen_trellis.match.link import (
    ALL_COLUMNS,
    Bay,
    Blanks,
    Columns,
    Keep,
    Link,
    LinkField,
    Operator,
    OrderField,
    Pair,
    Partner,
    Side,
    TextRule,
    join_name,
    keep_of,
)
from keen_trellis.match.matches import Match
from keen_trellis.match.matching import match
from keen_trellis.match.outcome import bay_table, outcome
from keen_trellis.match.sentences import join_title, link_sentence, outcome_sentences
from keen_trellis.progress import Report, quiet

if TYPE_CHECKING:
    from keen_trellis.match.findings import Finding

On = Iterable["tuple[str, str] | tuple[str, Operator, str] | str | LinkField"]


@dataclass(frozen=True)
class Bays:
    """The three groups of rows at a tie, as tables whose cells are fetched when looked at."""

    tie: Tie

    @property
    def left(self) -> Table:
        """The rows of the left table without a partner."""
        return self.tie.bay(Bay.LEFT)

    @property
    def both(self) -> Table:
        """Every pair of partners, with the columns of both tables."""
        return self.tie.bay(Bay.BOTH)

    @property
    def right(self) -> Table:
        """The rows of the right table without a partner."""
        return self.tie.bay(Bay.RIGHT)


@dataclass(frozen=True, eq=False)  # no slots: what has been asked for is kept
class Tie:
    """Two tables brought together, and what becomes of every row.

    Attributes
    ----------
    left, right : Table
    link : Link
    keep : Keep
    match : Match
        Which rows are partners; the same for every `keep`.
    names : (str, str)
        What the two tables are called in sentences and column names.
    columns : Columns
    limit : int or None
        The most rows that the outcome may have.
    """

    left: Table
    right: Table
    link: Link
    keep: Keep
    match: Match
    names: tuple[str, str] = ("left", "right")
    columns: Columns = ALL_COLUMNS
    limit: int | None = None

    @property
    def counts(self) -> Counts:
        """How many rows found a partner, and how many did not, on both sides."""
        return self.match.counts

    @property
    def join_name(self) -> str:
        """The name of the join that the kept bays make."""
        return "cross" if self.link.cross else join_name(self.keep, self.columns)

    @property
    def bays(self) -> Bays:
        """The three groups of rows."""
        return Bays(self)

    def bay(self, bay: Bay) -> Table:
        """Return the rows of one bay; `TooManyRowsError` where the pairs are too many to show."""
        if bay not in self._bay_tables:
            self._bay_tables[bay] = bay_table(self.left, self.right, self.match, bay, self.names[1])
        return self._bay_tables[bay]

    @cached_property
    def _bay_tables(self) -> dict[Bay, Table]:
        return {}

    @property
    def ambiguous(self) -> Table:
        """The rows that had several partners, where the link takes only one for each."""
        table = self.left if self.link.partner_for == "left" else self.right
        return table.take(self.match.ambiguous)

    @cached_property
    def outcome(self) -> Table:
        """The rows that go on: in left order, then right order; right-only rows at the end.

        Raises
        ------
        TooManyRowsError
            There would be more rows than the limit.
        """
        return outcome(
            self.left,
            self.right,
            self.link,
            self.match,
            self.keep,
            self.names[1],
            self.columns,
            self.limit,
        )

    @cached_property
    def empty_cells(self) -> tuple[int, int]:
        """How many cells of the outcome are gaps, and how many blanks; every cell is looked at."""
        columns = [self.outcome.fetch(field) for field in self.outcome.fields]
        return sum(c.count(GAP) for c in columns), sum(c.count(BLANK) for c in columns)

    def gaps(self, column: str) -> NDArray[np.bool_]:
        """Return which rows of the outcome have a gap in a column, as opposed to a blank.

        Raises
        ------
        UnknownColumnError
            The outcome has no such column.
        """
        state = self.outcome.column(column, "the outcome").state
        return np.zeros(len(self.outcome), bool) if state is None else state == GAP

    def join_types(self) -> list[JoinType]:
        """Return what every join type would give."""
        return self.counts.join_types()

    def findings(self, report: Report = quiet) -> list[Finding]:
        """Return what an expert would notice at this tie, the most valuable first."""
        from keen_trellis.match.findings import findings

        return findings(self, report)

    def keeping(self, keep: Iterable[str] | str) -> Tie:
        """Return the same tie with other bays kept; nothing is matched again."""
        return replace(self, keep=keep_of(keep))

    def linked(self, link: Link, report: Report = quiet) -> Tie:
        """Return the tie with another link, matched anew."""
        found = match(self.left, self.right, link, self.names, report)
        return replace(self, link=link, match=found)

    def sentence(self) -> str:
        """Return the tie in plain words."""
        return " ".join(
            (
                link_sentence(self.link, *self.names),
                join_title(self.keep, self.columns, self.link.cross) + ".",
                outcome_sentences(self.counts, self.keep, *self.names, self.columns),
            )
        )


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
    found = match(left, right, link, names, report)
    return Tie(left, right, link, keep_of(keep), found, names, columns, limit)


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
            f"{names[0]} and {names[1]} have no column name in common: "
            f"{', '.join(left.columns)} on one side, {', '.join(right.columns)} on the other.",
            "Choose the fields that belong together.",
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
                    f"{condition!r} is no condition of a link.",
                    "Write a name, (left, right) or (left, operator, right).",
                )
    return tuple(fields)
