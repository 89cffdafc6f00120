"""A tie in a notebook: two tables, a link, three bays, an outcome."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

from keen_trellis.data import Table
from keen_trellis.match.counts import Counts, JoinType
from keen_trellis.match.link import JOIN_NAMES, Bay, Keep, Link, LinkField, keep_of
from keen_trellis.match.matching import Match, match
from keen_trellis.match.outcome import bay_table, outcome
from keen_trellis.match.sentences import join_title, link_sentence, outcome_sentences
from keen_trellis.progress import Report, quiet


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
    """

    left: Table
    right: Table
    link: Link
    keep: Keep
    match: Match
    names: tuple[str, str] = ("left", "right")

    @property
    def counts(self) -> Counts:
        """How many rows found a partner, and how many did not, on both sides."""
        return self.match.counts

    @property
    def join_name(self) -> str:
        """The name of the join that the kept bays make."""
        return JOIN_NAMES[self.keep]

    @property
    def bays(self) -> Bays:
        """The three groups of rows."""
        return Bays(self)

    def bay(self, bay: Bay) -> Table:
        """Return the rows of one bay."""
        return bay_table(self.left, self.right, self.match, bay, self.names[1])

    @cached_property
    def outcome(self) -> Table:
        """The rows that go on: in left order, then right order; right-only rows at the end."""
        return outcome(self.left, self.right, self.link, self.match, self.keep, self.names[1])

    def join_types(self) -> list[JoinType]:
        """Return what every join type would give."""
        return self.counts.join_types()

    def keeping(self, keep: Iterable[str]) -> Tie:
        """Return the same tie with other bays kept; nothing is matched again."""
        return Tie(self.left, self.right, self.link, keep_of(keep), self.match, self.names)

    def sentence(self) -> str:
        """Return the tie in plain words."""
        return " ".join(
            (
                link_sentence(self.link, *self.names),
                join_title(self.keep) + ".",
                outcome_sentences(self.counts, self.keep, *self.names),
            )
        )


def tie(
    left: Table,
    right: Table,
    on: Iterable[tuple[str, str] | str],
    keep: Iterable[str] = ("left", "both"),
    names: tuple[str, str] = ("left", "right"),
    report: Report = quiet,
) -> Tie:
    """Return two tables tied on the fields of `on`.

    Parameters
    ----------
    left, right : Table
    on : iterable of (left field, right field), or of a name that both have
        All must be equal together.
    keep : iterable of "left", "both", "right"
        The bays whose rows go on.
    names : (str, str)
        What the tables are called in sentences and column names.

    Examples
    --------
    >>> sailings = Table.from_columns({"sailing": [1, 2], "route": ["KP-MS", "ZZ-00"]})
    >>> routes = Table.from_columns({"code": ["KP-MS"], "zone": ["Inner"]})
    >>> list(tie(sailings, routes, on=[("route", "code")]).outcome.rows())
    [(1, 'KP-MS', 'Inner'), (2, 'ZZ-00', None)]

    Raises
    ------
    UnknownColumnError
        A link field is not a column of its table.
    LinkError
        No link field is given, or two are of kinds that cannot be compared.
    """
    pairs = [(field, field) if isinstance(field, str) else field for field in on]
    link = Link(tuple(LinkField(a, b) for a, b in pairs))
    found = match(left, right, link, names, report)
    return Tie(left, right, link, keep_of(keep), found, names)
