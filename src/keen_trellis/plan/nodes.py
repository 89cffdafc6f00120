"""The few nodes that every step and tie lowers to: what they take, what comes out, and their name.

A node is data. Its schema is known without a row, and its digest is made of what it does and of the
digests of what it takes: two nodes of one digest give the same rows, wherever they stand.
"""

from __future__ import annotations

import hashlib
from collections import Counter
from dataclasses import dataclass, fields, replace
from functools import cached_property

from keen_trellis.base.errors import LinkError
from keen_trellis.base.language import tr
from keen_trellis.base.words import listed
from keen_trellis.data import Kind
from keen_trellis.data.kinds import holding
from keen_trellis.plan.bays import Bay, Keep
from keen_trellis.plan.expressions import Expression
from keen_trellis.plan.link import Link
from keen_trellis.plan.outcome import Columns, free_name, outcome_columns
from keen_trellis.plan.schema import Schema, SchemaColumn


class Node:
    """Something that gives rows, or pairs of rows. Subclasses are frozen dataclasses."""

    def inputs(self) -> tuple[Node, ...]:
        """Return the nodes whose rows it takes."""
        return ()

    @cached_property
    def schema(self) -> Schema:
        """The columns that come out.

        Raises
        ------
        UnknownColumnError
            It names a column that its input does not have.
        LinkError
            It asks something of a column that its kind does not allow.
        """
        raise NotImplementedError

    def check(self) -> None:
        """Refuse what the columns do not allow, before any row is looked at; as `schema` does."""
        _ = self.schema

    @cached_property
    def digest(self) -> str:
        """The name of what it gives: of its settings and of the digests of its inputs."""
        # The class and all of its settings by repr: a setting that is added to a node later is in
        # the digest without anybody thinking of it.
        parts = [type(self).__name__, *self.settings()]
        parts += [node.digest for node in self.inputs()]
        return hashlib.sha256("\x00".join(parts).encode()).hexdigest()

    def settings(self) -> tuple[str, ...]:
        """Return all that decides what comes out, beside the inputs."""
        values = ((f.name, getattr(self, f.name)) for f in fields(self))  # type: ignore[arg-type]
        return tuple(
            f"{name}={value!r}"
            for name, value in values
            if not isinstance(value, Node) and not _holds_nodes(value)
        )


@dataclass(frozen=True, eq=False)  # no slots: schema and digest are kept once worked out
class Read(Node):
    """The rows of a source as they were read.

    Attributes
    ----------
    stamp : str
        Another one for every read.
    origin : str
        The lane that the columns come from.
    columns : Schema
    """

    stamp: str
    origin: str
    columns: Schema

    @cached_property
    def schema(self) -> Schema:
        """The columns, each of the one lane."""
        made = tuple(replace(column, origin=self.origin) for column in self.columns)
        return Schema(made)

    def settings(self) -> tuple[str, ...]:
        """Return the stamp and the lane: the columns are those of what was read."""
        return self.stamp, self.origin


@dataclass(frozen=True, eq=False)
class Begun(Node):
    """The rows of another lane once more, as those of a lane of their own."""

    rows: Node
    origin: str

    def inputs(self) -> tuple[Node, ...]:
        """Return the one input."""
        return (self.rows,)

    @cached_property
    def schema(self) -> Schema:
        """The columns of its input, each of the one lane."""
        return Schema(tuple(replace(c, origin=self.origin) for c in self.rows.schema))


@dataclass(frozen=True, eq=False)
class Kept(Node):
    """The rows for which a condition is true: not false, and not unknown (WHERE in SQL)."""

    rows: Node
    condition: Expression

    def inputs(self) -> tuple[Node, ...]:
        """Return the one input."""
        return (self.rows,)

    @cached_property
    def schema(self) -> Schema:
        """The columns of its input, which must allow the condition."""
        self.condition.check(self.rows.schema, tr("the lane"))
        return self.rows.schema


@dataclass(frozen=True, eq=False)
class Join(Node):
    """Which rows of two inputs are partners; nothing of what is kept of them."""

    left: Node
    right: Node
    link: Link
    names: tuple[str, str]

    def inputs(self) -> tuple[Node, ...]:
        """Return both sides."""
        return self.left, self.right

    @cached_property
    def schema(self) -> Schema:
        """No columns: what comes out are pairs of row numbers. The link must name columns."""
        for field in self.link.fields:
            # Asked for the error alone: a link field that is not there is refused before any row
            # is read.
            self.left.schema.column(field.left, self.names[0])
            self.right.schema.column(field.right, self.names[1])
        return Schema()

    def settings(self) -> tuple[str, ...]:
        """Return the link; what the sides are called changes no pair."""
        return (repr(self.link),)


@dataclass(frozen=True, eq=False)
class Outcome(Node):
    """The rows that go on from a join: the bays kept, the columns wanted."""

    join: Join
    keep: Keep
    columns: Columns

    def inputs(self) -> tuple[Node, ...]:
        """Return the pairs, and the two sides that they are pairs of."""
        return self.join, self.join.left, self.join.right

    @cached_property
    def schema(self) -> Schema:
        """The columns of both sides, as `plan.outcome.outcome_columns` says."""
        join = self.join
        join.check()
        made = outcome_columns(
            join.left.schema,
            join.right.schema,
            join.link,
            right_name=join.names[1],
            columns=self.columns,
            keep=self.keep,
        )
        return Schema(tuple(SchemaColumn(c.name, c.kind, c.origin, c.gaps, c.seen) for c in made))

    def settings(self) -> tuple[str, ...]:
        """Return what is kept, and the names of columns: sides called otherwise may change some."""
        # Names of lanes are no setting of a join, but they may stand behind columns of one name:
        # then the outcome is another.
        shown = (*self.schema, *BayRows(self.join, Bay.BOTH).schema)
        return repr(self.keep), repr(self.columns), *(column.name for column in shown)


@dataclass(frozen=True, eq=False)
class BayRows(Node):
    """The rows of one bay: of its side, or the pairs of both."""

    join: Join
    bay: Bay

    def inputs(self) -> tuple[Node, ...]:
        """Return the pairs, and the two sides."""
        return self.join, self.join.left, self.join.right

    @cached_property
    def schema(self) -> Schema:
        """The columns of the side, or of both."""
        if self.bay is Bay.LEFT:
            return self.join.left.schema
        if self.bay is Bay.RIGHT:
            return self.join.right.schema
        return Outcome(self.join, (Bay.BOTH,), Columns(link="both")).schema

    def settings(self) -> tuple[str, ...]:
        """Return the bay, and the names of columns: sides called otherwise may change some."""
        return self.bay, *(column.name for column in self.schema)


@dataclass(frozen=True, eq=False)
class Stacked(Node):
    """Rows of several inputs one below the other, columns of one name together (UNION ALL).

    Attributes
    ----------
    parts : tuple of Node
    names : tuple of str
        What the parts are called, for the column that says where a row came from.
    renamed : tuple of mappings as ((old, new), ...), one for each part
        Columns that meet under another name.
    source_column : str
        Empty for none.
    repeats : bool
        Whether a row that stands there already is kept again.
    """

    parts: tuple[Node, ...]
    names: tuple[str, ...]
    renamed: tuple[tuple[tuple[str, str], ...], ...]
    source_column: str = ""
    repeats: bool = True

    def inputs(self) -> tuple[Node, ...]:
        """Return the parts in their order."""
        return self.parts

    def part_schemas(self) -> list[Schema]:
        """Return the columns of each part under the names that they meet under.

        Raises
        ------
        LinkError
            Two columns of a part would be called the same.
        """
        made = []
        for part, pairs, name in zip(self.parts, self.renamed, self.names, strict=True):
            new_names = dict(pairs)
            for old in new_names:
                part.schema.column(old, name)
            met = [replace(c, name=new_names.get(c.name, c.name)) for c in part.schema]
            twice = [one for one, times in Counter(c.name for c in met).items() if times > 1]
            if twice:
                both = listed(
                    [
                        f"“{old.name}”"
                        for old, c in zip(part.schema, met, strict=True)
                        if c.name == twice[0]
                    ]
                )
                raise LinkError(
                    tr(
                        "In {name} the columns {both} would both stand below “{twice_1}” of the "
                        "stack, where only one has a place.",
                        name=name,
                        both=both,
                        twice_1=twice[0],
                    ),
                    tr("Let one of them meet under another name."),
                )
            made.append(Schema(tuple(met)))
        return made

    @cached_property
    def schema(self) -> Schema:
        """Every name once, in the kind that holds it in all parts, a gap where one lacks it."""
        schemas = self.part_schemas()
        found: dict[str, list[SchemaColumn]] = {}
        for schema in schemas:
            for column in schema:
                found.setdefault(column.name, []).append(column)
        columns = [
            SchemaColumn(
                name,
                holding({c.kind for c in same if c.seen} or {same[0].kind}),
                same[0].origin,
                gaps=len(same) < len(schemas) or any(c.gaps for c in same),
                seen=any(c.seen for c in same),
            )
            for name, same in found.items()
        ]
        if self.source_column:
            # A column of that name may come with the rows.
            name = free_name(self.source_column, "stack", found)
            columns.insert(0, SchemaColumn(name, Kind.TEXT))
        return Schema(tuple(columns))


def _holds_nodes(value: object) -> bool:
    return isinstance(value, tuple) and any(isinstance(part, Node) for part in value)
