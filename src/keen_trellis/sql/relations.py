"""Named queries over one another, and the program that they make."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from functools import reduce
from typing import TYPE_CHECKING

from sqlglot import exp

from keen_trellis.base.errors import UnknownColumnError
from keen_trellis.base.words import plainly
from keen_trellis.data.kinds import Kind
from keen_trellis.sql.dialects import Dialect, Sql

if TYPE_CHECKING:
    from keen_trellis.compute.by_value import ByValue
    from keen_trellis.data import Column, Table


@dataclass(frozen=True, slots=True)
class Held:
    """A column of a relation.

    Attributes
    ----------
    name : str
        What the plan calls it.
    kind : Kind
    id : str
        What the relation calls it.
    gap : str
        The relation's column that says whether a null of it is a gap; empty where none can be.
    seen : bool
        False for a text column of blanks alone, which takes the kind of what it meets.
    """

    name: str
    kind: Kind
    id: str
    gap: str = ""
    # Blanks alone say nothing of a kind: typed as text at a place, such a column could meet no
    # date.
    seen: bool = True


@dataclass(frozen=True, slots=True)
class OrderKey:
    """A column of a relation that its rows are in order by; nulls come last unless said."""

    id: str
    descending: bool = False
    kind: Kind = Kind.INTEGER
    nulls_first: bool = False

    def turned(self) -> OrderKey:
        """Return the key of the same rows from the last to the first."""
        # Both are turned: with the direction alone, nulls would stay at the end they were at.
        return replace(self, descending=not self.descending, nulls_first=not self.nulls_first)


@dataclass(frozen=True, slots=True)
class Relation:
    """A named query, and what is known of its rows.

    Attributes
    ----------
    name : str
    columns : tuple of Held
    order : tuple of OrderKey
        By which its rows stand, where anything says so.
    is_total : bool
        Whether no two rows are equal in the order.
    """

    name: str
    columns: tuple[Held, ...]
    order: tuple[OrderKey, ...] = ()
    is_total: bool = False

    def held(self, name: str) -> Held:
        """Return the column called `name` by the plan; `UnknownColumnError` where there is none."""
        # Few columns and a linear look: a dictionary kept beside a frozen value would cost more.
        for column in self.columns:
            if column.name == name:
                return column
        raise UnknownColumnError(name, self.name, [column.name for column in self.columns])

    @property
    def gaps(self) -> tuple[str, ...]:
        """The columns that mark gaps, each once."""
        # Columns of one side of a full outer join share one mark, so it is carried on once.
        return tuple(dict.fromkeys(column.gap for column in self.columns if column.gap))


@dataclass(frozen=True, slots=True)
class Check:
    """Something that must be nowhere so, for what comes out to be ours.

    Attributes
    ----------
    query : Sql
        Gives one row of one number: how often it is so.
    uses : tuple of str
    says : callable
        Takes the number, and returns what is wrong and what to do.
    """

    query: exp.Select
    uses: tuple[str, ...]
    says: Callable[[int], tuple[str, str]]


@dataclass(frozen=True, slots=True)
class Named:
    """A query with a name: one step of a program.

    Attributes
    ----------
    name : str
    query : Sql
    uses : tuple of str
        The names that it reads from.
    comment : str
        Which lane or step of the trellis it is.
    checks : tuple of Check
    """

    name: str
    query: Sql
    uses: tuple[str, ...]
    comment: str = ""
    checks: tuple[Check, ...] = ()


@dataclass(frozen=True, slots=True)
class MappedColumn:
    """A column of a table that is worked out here: what it is called, its kind, what marks gaps."""

    id: str
    kind: Kind
    gap: str = ""


@dataclass(frozen=True, slots=True, eq=False)
class Work:
    """What our own code makes of distinct values, of one table or of several together.

    Attributes
    ----------
    names : tuple of str
        The tables, as the program calls them.
    make : callable
        Takes the values of each table, and returns for each the columns that stand beside them.
    each : ByValue or None
        What does it where every value may be worked out without the others, and anywhere.
    """

    names: tuple[str, ...]
    make: Callable[[Sequence[Table]], Sequence[Sequence[Column]]]
    each: ByValue | None = None


@dataclass(frozen=True, slots=True)
class Mapped:
    """A table of distinct values with what our own code makes of them.

    Attributes
    ----------
    name : str
    asked : Select
        Gives every distinct combination of the values once, and then what marks their gaps.
    uses : tuple of str
    takes : tuple of Held
        The values.
    gives : tuple of MappedColumn
        What is made of them, in columns behind these.
    work : Work
    says : str
        What it is, in words.
    """

    name: str
    asked: exp.Select
    uses: tuple[str, ...]
    takes: tuple[Held, ...]
    gives: tuple[MappedColumn, ...]
    # Not a query: the values travel here, are made, and go back as a table to be joined to.
    work: Work
    says: str

    @property
    def marks(self) -> tuple[str, ...]:
        """What marks gaps of the values, each once."""
        return tuple(dict.fromkeys(held.gap for held in self.takes if held.gap))


_LEVELS_TOGETHER = 8
"""How many queries over one another a planner is given as one where there are many: it weighs the
orders in which all tables of them could be joined, of which a long chain of steps has too many."""


@dataclass(slots=True)
class Program:
    """All that a trellis says in a dialect, each step behind those that it uses.

    Attributes
    ----------
    dialect : Dialect
    steps : dict of name to Named or Mapped
    """

    dialect: Dialect
    steps: dict[str, Named | Mapped] = field(default_factory=dict)
    _taken: set[str] = field(default_factory=set)
    _tried: dict[str, int] = field(default_factory=dict)
    _depth: dict[str, int] = field(default_factory=dict)

    def add(self, step: Named | Mapped) -> None:
        """Put a step behind the others."""
        # steps stand behind what they use, so whoever runs them needs no sort
        assert step.name not in self.steps
        self.steps[step.name] = step
        below = (self._depth[one] for one in step.uses)
        self._depth[step.name] = 1 + max(below, default=0) if isinstance(step, Named) else 0
        # Lower letters: a place that folds its names would take two of them for one.
        self._taken.add(step.name.lower())

    def reserve(self, names: Iterable[str]) -> None:
        """Give these names to no step: a lane's own query may mean a table by them."""
        self._taken |= {name.lower() for name in names}

    def free_name(self, wanted: str, is_own: bool = False) -> str:
        """Return a name that no step has, as near to the wanted one as can be.

        A table of our own begins with a sign that names elsewhere hardly begin with.
        """
        # Eight bytes are kept for the number that may follow, so that cutting makes no two alike.
        base = "~" * is_own + _plain(wanted, self.dialect.name_bytes - 8)
        name, number = base, self._tried.get(base, 1)
        while name.lower() in self._taken:
            number += 1
            name = f"{base} {number}"
        # Where the last look ended: a thousand steps of one wish would else be tried from 1 each
        # time.
        self._tried[base] = number
        return name

    def needed(self, uses: Iterable[str]) -> Iterator[Named | Mapped]:
        """Yield the steps that some names need, each once and behind what it uses itself."""
        # By a stack and not by calls: chains of a thousand steps are deeper than Python goes.
        wanted, waiting = set(uses), list(uses)
        while waiting:
            for name in self.steps[waiting.pop()].uses:
                if name not in wanted:
                    wanted.add(name)
                    waiting.append(name)
        yield from (step for name, step in self.steps.items() if name in wanted)

    def whole(self, query: Sql, uses: Iterable[str], comments: bool = False) -> Sql:
        """Return a query with all that it needs before it (WITH)."""
        made = query.copy()
        parts = []
        deepest = max((self._depth[name] for name in uses), default=0)
        # what is worked out before can use no index, so only where planning would take longer
        is_deep = self.dialect.keeps_levels and deepest > 2 * _LEVELS_TOGETHER
        for step in self._named_behind_tables(uses):
            inner = step.query
            if comments and step.comment:
                inner = inner.copy()
                # A lane may be called “*/”, which would end the comment and begin to be run.
                comment = plainly(step.comment).replace("*/", "* /").replace("/*", "/ *")
                inner.add_comments([f" {comment} "])
            part = exp.CTE(this=inner, alias=exp.TableAlias(this=identifier(step.name)))
            if is_deep and self._depth[step.name] % _LEVELS_TOGETHER == 0:
                part.set("materialized", True)
            parts.append(part)
        if parts:
            made.set("with_", exp.With(expressions=parts))
        return made

    def _named_behind_tables(self, uses: Iterable[str]) -> Iterator[Named]:
        """Yield the queries that some names need; what tables are made of has been asked before."""
        wanted: set[str] = set()
        waiting = list(uses)
        while waiting:
            name = waiting.pop()
            if name not in wanted and isinstance(step := self.steps[name], Named):
                wanted.add(name)
                waiting += step.uses
        for name, step in self.steps.items():
            if name in wanted and isinstance(step, Named):
                yield step


def identifier(name: str) -> exp.Identifier:
    """Return a name as a statement has it, always in quotes."""
    # Unquoted, a place folds the letters, and takes words of its own for what they say to it.
    return exp.Identifier(this=name, quoted=True)


def column(name: str, table: str = "") -> exp.Column:
    """Return a column, of a table where one is named."""
    if not table:
        return exp.Column(this=identifier(name))
    return exp.Column(this=identifier(name), table=identifier(table))


def table(name: str, alias: str = "") -> exp.Table:
    """Return a relation to read from, under another name where one is given."""
    found = exp.Table(this=identifier(name))
    if alias:
        found.set("alias", exp.TableAlias(this=identifier(alias)))
    return found


def own(value: Sql) -> Sql:
    """Return a part of a statement to be put somewhere: a copy where it stands in one already.

    A node of sqlglot knows what it stands in. One that stood in two places would be changed in both
    when one of them is, and told to stand in the wrong one.
    """
    return value if value.parent is None else value.copy()


def called(value: Sql, name: str) -> exp.Alias:
    """Return a value under a name."""
    return exp.Alias(this=own(value), alias=identifier(name))


def select(values: Sequence[Sql], source: Sql | None = None) -> exp.Select:
    """Return a query of some values from one source."""
    made = exp.Select(expressions=[own(value) for value in values])
    if source is not None:
        made.set("from_", exp.From(this=source))
    return made


def where(query: exp.Select, condition: Sql) -> exp.Select:
    """Return a query with the rows alone for which a condition is true."""
    query.set("where", exp.Where(this=own(condition)))
    return query


def join(query: exp.Select, other: Sql, on: Sql | None, side: str = "") -> exp.Select:
    """Return a query with another source beside its own: “LEFT”, “FULL”, or none for both alone.

    Sources are put together without sqlglot's builders: those parse their words each time.
    """
    made = exp.Join(this=other, side=side or None, kind=None if on is not None else "CROSS")
    if on is not None:
        made.set("on", own(on))
    query.append("joins", made)
    return query


def grouped(query: exp.Select, by: Sequence[Sql]) -> exp.Select:
    """Return a query with its rows grouped."""
    if by:
        query.set("group", exp.Group(expressions=[own(value) for value in by]))
    return query


def having(query: exp.Select, condition: Sql) -> exp.Select:
    """Return a query with the groups alone for which a condition is true."""
    query.set("having", exp.Having(this=own(condition)))
    return query


def within(query: Sql, name: str) -> Sql:
    """Return a query as a source of another, called by a name."""
    return exp.Subquery(this=query, alias=exp.TableAlias(this=identifier(name)))


def star(of: str = "") -> Sql:
    """Return all columns, of a table where one is named."""
    return exp.Column(this=exp.Star(), table=identifier(of)) if of else exp.Star()


def all_of(conditions: Sequence[Sql]) -> Sql:
    """Return whether all hold; true for none."""
    return _chained(exp.And, exp.Or, conditions) if conditions else exp.true()


def any_of(conditions: Sequence[Sql]) -> Sql:
    """Return whether any holds; false for none."""
    return _chained(exp.Or, exp.And, conditions) if conditions else exp.false()


def _chained(sort: type[exp.Binary], other: type[exp.Binary], conditions: Sequence[Sql]) -> Sql:
    # AND binds closer than OR; only where the two mix does a bracket say something.
    parts = [exp.Paren(this=own(one)) if isinstance(one, other) else own(one) for one in conditions]
    return reduce(lambda a, b: sort(this=a, expression=b), parts)


def is_null(value: Sql) -> Sql:
    """Return whether a value is null."""
    return exp.Is(this=own(value), expression=exp.Null())


def not_null(value: Sql) -> Sql:
    """Return whether there is a value."""
    return exp.Not(this=is_null(value))


def choose(condition: Sql, value: Sql, other: Sql | None = None) -> Sql:
    """Return a value where a condition holds, else the other, or null."""
    otherwise = None if other is None else own(other)
    return exp.Case(ifs=[exp.If(this=own(condition), true=own(value))], default=otherwise)


def count(value: Sql | None = None) -> Sql:
    """Return how many rows there are, or values."""
    return exp.Count(this=exp.Star() if value is None else own(value))


def total(value: Sql, kind: exp.DataType) -> Sql:
    """Return the sum of counts, 0 where there is nothing to add up."""
    # SUM of no rows is null, and a count of nothing is 0. Cast, as a sum of 64 bits is wider than
    # they.
    added = exp.Coalesce(this=exp.Sum(this=own(value)), expressions=[exp.Literal.number(0)])
    return exp.Cast(this=added, to=kind)


def same(value: Sql, other: Sql) -> Sql:
    """Return whether two values are equal; null where one is."""
    return exp.EQ(this=own(value), expression=own(other))


def more_than(value: Sql, number: int) -> Sql:
    """Return whether a value is greater than a number."""
    return exp.GT(this=own(value), expression=exp.Literal.number(number))


def not_so(condition: Sql) -> Sql:
    """Return whether a condition does not hold; null where it is."""
    # The bracket: NOT binds closer than AND and OR do.
    return exp.Not(this=exp.Paren(this=own(condition)))


def ids_of(names: Sequence[str], dialect: Dialect) -> list[str]:
    """Return what a relation calls columns: their own names, as far as the dialect takes them.

    Names are told apart whatever the case of their letters; what begins as our own marks do, is
    too long or empty gets another one.
    """
    taken: set[str] = set()
    made = []
    for name in names:
        base = _plain(name, dialect.name_bytes - 8)
        found, number = base, 1
        while found.lower() in taken:
            number += 1
            found = f"{base} {number}"
        taken.add(found.lower())
        made.append(found)
    return made


def _plain(name: str, at_most: int) -> str:
    letters = name.strip()
    if not letters.isprintable():
        # Line ends and marks of direction in a name: a statement that is shown would read
        # otherwise than it runs.
        letters = "".join(" " if not one.isprintable() else one for one in letters).strip()
    # Names are cut by the bytes of UTF-8, as places count them, between letters; a letter has
    # four at most, so that most names are never encoded.
    while 4 * len(letters) > at_most and len(letters.encode(errors="replace")) > at_most:
        letters = letters[:-1]
    return f"_{letters}" if letters.startswith("~") or not letters else letters
