"""Lanes that lie where a trellis runs: how their rows are had as this machine reads them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from sqlglot import exp, tokenize

from keen_trellis.base.errors import NotThereError
from keen_trellis.base.language import tr, tr_n
from keen_trellis.data.kinds import Kind
from keen_trellis.plan.schema import Schema, SchemaColumn
from keen_trellis.servers.server import RowCondition
from keen_trellis.sql.dialects import Dialect, Sql
from keen_trellis.sql.relations import any_of, called, identifier, select, where


@dataclass(frozen=True, slots=True)
class Stored:
    """A column as it is stored there.

    Attributes
    ----------
    name : str
        What this machine calls it.
    kind : Kind
    value : Sql
        What has its value as this machine reads it.
    odd : Sql or None
        Whether a value is none that this machine has in that kind, where there can be any.
    """

    name: str
    kind: Kind
    value: Sql
    odd: Sql | None = None


@dataclass(frozen=True, slots=True)
class TableAsked:
    """A table of a server, and which of its columns and rows; as for `read_table`."""

    table: str
    in_schema: str | None = None
    columns: Sequence[str] | None = None
    conditions: Sequence[RowCondition] = ()
    zone: str = "UTC"


@dataclass(frozen=True, slots=True)
class LaneThere:
    """The rows of a lane where they lie.

    Attributes
    ----------
    where : str
        The table or files, in words.
    dialect : str
        That the statement is written in.
    statement : str
        A query of them, as they are stored, which is left as it is written.
    columns : tuple of Stored
    left_out : tuple of str
        Columns that hold bytes.
    is_steady : bool
        Whether the statement gives the same rows within whatever it is asked; else its rows are
        made once (`Session.made_once`).
    """

    where: str
    dialect: str
    statement: str
    columns: tuple[Stored, ...]
    left_out: tuple[str, ...] = ()
    is_steady: bool = True

    @property
    def schema(self) -> Schema:
        """The columns as a plan knows them."""
        return Schema(tuple(SchemaColumn(one.name, one.kind) for one in self.columns))

    def names(self) -> set[str]:
        """Return every name in the statement: some of them are tables."""
        # By tokens and not by a parsed tree: a statement that sqlglot cannot parse must still
        # take no step’s name.
        return {token.text for token in tokenize(self.statement, read=self.dialect)}

    def _stored(self) -> Sql:
        alias = exp.TableAlias(this=identifier("t"))
        # A Var is printed as it stands: the statement is the user’s, and never written anew.
        return exp.Subquery(this=exp.Var(this=self.statement), alias=alias)

    def query(self, ids: Sequence[str], more: Sql | None = None) -> Sql:
        """Return the query of the rows, with the columns, and what more there is, by their ids."""
        # Copies: the same lane is read by several questions, and a node stands in one tree alone.
        wanted = [one.value.copy() for one in self.columns] + ([] if more is None else [more])
        values = [called(value, one) for value, one in zip(wanted, ids, strict=True)]
        return select(values, self._stored())

    def odd_rows(self, dialect: Dialect) -> exp.Select | None:
        """Return the query that counts values which this machine would read as another kind."""
        # One count for all columns, since each of its own would be a pass over the rows.
        odd = [one.odd.copy() for one in self.columns if one.odd is not None]
        if not odd:
            return None
        counted = exp.Alias(this=exp.Count(this=exp.Star()), alias=exp.to_identifier("n"))
        return where(select([counted], self._stored()), any_of(odd))

    def require_kinds(self, chosen: dict[str, Kind], title: str) -> None:
        """Refuse a kind that was chosen for a column and is another one there."""
        for one in self.columns:
            kind = chosen.get(one.name, one.kind)
            if kind is not one.kind:
                raise NotThereError(
                    tr(
                        "“{name}” of {where} is to be read as {kind}, and is {one_kind} in "
                        "{title}.",
                        name=one.name,
                        where=self.where,
                        kind=kind,
                        one_kind=one.kind,
                        title=title,
                    ),
                    tr("Leave its kind as it is, and change it by a step."),
                )


def says_odd(lane: LaneThere, title: str) -> Callable[[int], tuple[str, str]]:
    """Return what says that a lane has values which are none of their kinds here."""

    def says(times: int) -> tuple[str, str]:
        return (
            tr_n(
                times,
                "In {where} {n:,} row has a value in {title} that is none here: {such}.",
                "In {where} {n:,} rows have a value in {title} that is none here: {such}.",
                where=lane.where,
                title=title,
                such=tr(
                    "a decimal of more than 20 digits before the mark or 18 behind it, one that is "
                    "no number, a date beyond the years 1 to 9999 or of no month, a time beyond a "
                    "day, or a boolean that is neither 0 nor 1"
                ),
            ),
            tr("Leave these out by a condition of the source, or run the trellis on this machine."),
        )

    return says
