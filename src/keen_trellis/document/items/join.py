"""The tie that joins: another lane's rows beside those of its own, by a link."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import ClassVar, Literal, Self

from pydantic import Field, model_validator

from keen_trellis.base.errors import UserError
from keen_trellis.base.language import marked, tr
from keen_trellis.data import Kind
from keen_trellis.document.items.item import Item, Lanes, Named, Part, Taken
from keen_trellis.plan.bays import Bay, keep_of
from keen_trellis.plan.link import (
    Blanks,
    Link,
    LinkField,
    OrderField,
    Pair,
    Partner,
    Side,
)
from keen_trellis.plan.nodes import Join, Node, Outcome
from keen_trellis.plan.operators import Operator
from keen_trellis.plan.outcome import Columns, LinkShown, SameNamed, join_name
from keen_trellis.plan.promises import Promise
from keen_trellis.plan.promises import Promised as PromisedWord
from keen_trellis.plan.sentences import join_title, link_sentence
from keen_trellis.plan.spans import Span
from keen_trellis.plan.text_rules import TextRule


class LinkedFields(Part):
    """A field of the lane that goes on and the field of the other lane it is compared with.

    The attributes mean what they mean in `plan.link.LinkField`.
    """

    left: str
    right: str
    operator: Operator = "="
    strict: bool = False
    within: float | None = Field(default=None, ge=0)
    compare_as: Kind | None = None
    span: Span | None = None

    @model_validator(mode="after")
    def _says_one_thing(self) -> Self:
        try:
            self.as_link_field()
        except UserError as error:
            raise ValueError(str(error)) from error
        return self

    def as_link_field(self) -> LinkField:
        """Return the field as the plan takes it."""
        return LinkField(**dict(self))


class OrderedBy(Part):
    """A field that several partners are put in order by."""

    field: str
    descending: bool = False

    def as_order(self) -> OrderField:
        """Return the field as the plan takes it."""
        return OrderField(self.field, self.descending)


class SameValues(Part):
    """Two values of a link field that mean the same in this tie; the field is its place."""

    left: str
    right: str
    field: int = Field(default=0, ge=0)


class WantedColumns(Part):
    """Which columns go on; the attributes mean what they mean in `plan.outcome.Columns`."""

    same_named: SameNamed = "both"
    link: LinkShown = "once"
    left: tuple[str, ...] | None = None
    right: tuple[str, ...] | None = None
    renamed: dict[str, str] = Field(default={})
    order: tuple[str, ...] = ()
    fills: dict[str, str] = Field(default={})


class Promised(Part):
    """Something that must hold at every run; attributes as in `plan.promises.Promise`."""

    what: PromisedWord
    side: Side = "left"
    rows: int = Field(default=0, ge=0)
    column: str = ""

    def as_promise(self) -> Promise:
        """Return the promise as the plan takes it."""
        return Promise(**dict(self))


class JoinItem(Item):
    """The place where another lane meets the lane that this item stands on.

    Attributes
    ----------
    lane, after
        Where the other lane's rows are taken, as in `Taken`.
    link : tuple of LinkedFields
        All must hold together.
    keep : tuple of bays
        The bays whose rows go on.
    text, blanks, partner, partner_for, order, pairs, cross
        As in `plan.link.Link`.
    columns : WantedColumns
    not_same : tuple of SameValues
        Pairs that were proposed and are not the same: they are not proposed again.
    ignored : tuple of str
        The topics of findings that are no problem here.
    promises : tuple of Promised
        Checked at every run; a broken one stops the deliveries behind it.
    """

    type: Literal["join"] = "join"
    lane: str
    after: str | None = None
    link: tuple[LinkedFields, ...] = ()
    keep: tuple[Bay, ...] = (Bay.LEFT, Bay.BOTH)
    text: tuple[TextRule, ...] = ()
    blanks: Blanks = "never"
    partner: Partner = "every"
    partner_for: Side = "left"
    order: tuple[OrderedBy, ...] = ()
    pairs: tuple[SameValues, ...] = ()
    not_same: tuple[SameValues, ...] = ()
    cross: bool = False
    columns: WantedColumns = Field(default_factory=WantedColumns)
    promises: tuple[Promised, ...] = ()
    ignored: tuple[str, ...] = ()

    word: ClassVar[str] = marked("tie")
    has_bays: ClassVar[bool] = True

    @property
    def title(self) -> str:
        """What stands above it on the map."""
        name = marked("cross") if self.cross else join_name(self.keep, self.wanted_columns())
        return tr("Join · {name}", name=tr(name))

    @property
    def within(self) -> str:
        """What it is called within a sentence."""
        return tr(
            "join · {name}",
            name=tr("cross" if self.cross else join_name(self.keep, self.wanted_columns())),
        )

    @model_validator(mode="after")
    def _keeps_something(self) -> Self:
        if keep_of(self.keep) != self.keep:
            raise ValueError(tr("The bays kept must stand in the order left, both, right."))
        return self

    def match_link(self) -> Link:
        """Return the link as the plan takes it."""
        return Link(
            fields=() if self.cross else tuple(field.as_link_field() for field in self.link),
            blanks=self.blanks,
            partner=self.partner,
            partner_for=self.partner_for,
            order=tuple(OrderField(**dict(field)) for field in self.order),
            pairs=() if self.cross else tuple(Pair(**dict(pair)) for pair in self.pairs),
            cross=self.cross,
        ).with_text(self.text)

    def wanted_columns(self) -> Columns:
        """Return the columns as the plan takes them."""
        wanted = dict(self.columns)
        for name in ("renamed", "fills"):
            wanted[name] = tuple(wanted[name].items())
        return Columns(**wanted)

    def takes(self) -> tuple[Taken, ...]:
        """Return the one lane that it brings in."""
        return (Taken(lane=self.lane, after=self.after),)

    def taking(self, taken: Sequence[Taken]) -> Self:
        """Return the tie with the other lane's rows taken elsewhere."""
        return self.model_copy(update={"lane": taken[0].lane, "after": taken[0].after})

    def node(self, rows: Node, taken: Sequence[Node], names: Sequence[str]) -> Node:
        """Return the outcome of the join of both sides."""
        join = Join(rows, taken[0], self.match_link(), (names[0], names[1]))
        return Outcome(join, self.keep, self.wanted_columns())

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the tie with the columns of one side renamed wherever it names them."""
        name: Side = "left" if side == "left" else "right"
        link = tuple(LinkedFields(**{**dict(f), name: change(getattr(f, name))}) for f in self.link)
        wanted = getattr(self.columns, name)
        names = wanted and tuple(change(column) for column in wanted)
        wanted_now = {
            name: names,
            # By the names that columns would have without us, which are those of the side.
            "renamed": {change(a): b for a, b in self.columns.renamed.items()},
            "order": tuple(change(column) for column in self.columns.order),
            "fills": {change(a): b for a, b in self.columns.fills.items()},
        }
        columns = WantedColumns(**{**dict(self.columns), **wanted_now})
        order = self.order
        if name != self.partner_for:  # partners are put in order by fields of the other side
            order = tuple(OrderedBy(**{**dict(o), "field": change(o.field)}) for o in order)
        promises = tuple(
            Promised(**{**dict(one), "column": change(one.column)}) if one.side == name else one
            for one in self.promises
        )
        changes = {"link": link, "columns": columns, "order": order, "promises": promises}
        return type(self)(**{**dict(self), **changes})

    def sentence(self, lanes: Lanes, lane: Named) -> str:
        """Return what belongs together, what the join is, and which bays are kept."""
        other = lanes.lane(self.lane)
        if not self.link and not self.cross:
            return tr("Is tied to {name}, with no link field chosen yet.", name=other.name)
        said = link_sentence(self.match_link(), lane.name, other.name)
        title = join_title(self.keep, self.wanted_columns(), self.cross)
        names = (lane.name, other.name)
        promised = [one.as_promise().sentence(names) for one in self.promises]
        more = tr(" Promised: {promised}.", promised="; ".join(promised)) if promised else ""
        return f"{said} {title}: {self._kept_words(*names)}.{more}"

    def _kept_words(self, left: str, right: str) -> str:
        names = {
            "left": tr("only in {left}", left=left),
            "both": tr("in both"),
            "right": tr("only in {right}", right=right),
        }
        kept = [name for bay, name in names.items() if bay in self.keep]
        left_out = [name for bay, name in names.items() if bay not in self.keep]
        spilled = tr("; leaves {left_out}", left_out=", ".join(left_out)) if left_out else ""
        return tr("keeps {kept}{spilled}", kept=", ".join(kept), spilled=spilled)
