"""Two tables tied: which rows are partners, the three bays, and the rows that go on."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress
from copy import copy
from dataclasses import dataclass, replace
from functools import cached_property
from html import escape
from typing import Self

import numpy as np
from numpy.typing import NDArray

from keen_trellis.base.errors import TooManyRowsError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, quiet
from keen_trellis.compute.join.match import Match
from keen_trellis.compute.join.pairing import paired
from keen_trellis.compute.outcome_rows import bay_table, outcome
from keen_trellis.compute.sizes import table_size
from keen_trellis.data import BLANK, GAP, Table
from keen_trellis.plan.bays import Bay, Keep, keep_of
from keen_trellis.plan.counts import Counts, Group, JoinType
from keen_trellis.plan.link import Link
from keen_trellis.plan.outcome import ALL_COLUMNS, Columns, join_name
from keen_trellis.plan.sentences import join_title, link_sentence, outcome_sentences

CELLS_COUNTED_AT_MOST = 20_000
"""Of outcomes with more rows, gaps and blanks are not counted at every run."""

_ROWS_TOLD = 5


@dataclass(frozen=True)
class Bays:
    """The three groups of rows at a tie, as tables whose cells are fetched when looked at."""

    tie: Tied

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

    def _repr_html_(self) -> str:
        """Return the bays for a notebook, each with its first rows and whether it goes on."""
        (left, right), told = self.tie.names, []
        titles = (
            (Bay.LEFT, tr("only in {left}", left=left)),
            (Bay.BOTH, tr("in both")),
            (Bay.RIGHT, tr("only in {right}", right=right)),
        )
        for bay, title in titles:
            state = "kept" if bay in self.tie.keep else "left"
            rows = self.tie.bay(bay).as_html(_ROWS_TOLD)
            told.append(f"<h4>{escape(title)} <small>({state})</small></h4>{rows}")
        return "".join(told)


@dataclass(frozen=True, eq=False)  # no slots: what has been asked for is kept
class Tied:
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

    def called(self, names: tuple[str, str]) -> Self:
        """Return the same tie with its tables called otherwise in sentences; nothing is redone."""
        if names == self.names:
            return self
        # a copy shares what has been worked out: no row number depends on what tables are called
        made = copy(self)
        made.__dict__["names"] = names
        return made

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
            self._bay_tables[bay] = bay_table(
                self.left, self.right, self.match, bay=bay, right_name=self.names[1]
            )
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
            match=self.match,
            keep=self.keep,
            right_name=self.names[1],
            columns=self.columns,
            limit=self.limit,
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
        state = self.outcome.column(column, tr("the outcome")).state
        # A column without a state has a value in every row.
        return np.zeros(len(self.outcome), bool) if state is None else state == GAP

    def join_types(self) -> list[JoinType]:
        """Return what every join type would give."""
        return self.counts.join_types()

    def keeping(self, keep: Iterable[str] | str) -> Self:
        """Return the same tie with other bays kept; nothing is matched again."""
        return replace(self, keep=keep_of(keep))

    def linked(self, link: Link, report: Report = quiet) -> Self:
        """Return the tie with another link, matched anew."""
        found = paired(self.left, self.right, link, names=self.names, report=report)
        return replace(self, link=link, match=found)

    @property
    def groups(self) -> tuple[Group, ...]:
        """The three bays."""
        return tuple(Group(bay, self.counts.bay(bay), bay in self.keep) for bay in Bay)

    @property
    def numbers(self) -> dict[str, int]:
        """What became of the rows."""
        return {"rows": len(self.outcome), "pairs": self.counts.pairs}

    @property
    def size(self) -> int:
        """The bytes that it holds for itself."""
        return table_size(self.outcome) + sum(map(table_size, self._bay_tables.values()))

    def look_ahead(self) -> None:
        """Work out what somebody will look at, so that nobody has to wait then."""
        for bay in Bay:
            with suppress(TooManyRowsError):
                self.bay(bay)
        # Beyond that every cell would be fetched for two numbers; they are counted once somebody
        # asks.
        if len(self.outcome) <= CELLS_COUNTED_AT_MOST:
            _ = self.empty_cells

    def sentence(self) -> str:
        """Return the tie in plain words."""
        return " ".join(
            (
                link_sentence(self.link, *self.names),
                join_title(self.keep, self.columns, self.link.cross) + ".",
                outcome_sentences(self.counts, self.keep, *self.names, self.columns),
            )
        )
