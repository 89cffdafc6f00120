"""Edits of ties whatever their kind: blended, made another kind, their sides changed over."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, TypeVar

from keen_trellis.base.errors import EditError
from keen_trellis.base.language import tr
from keen_trellis.document.edits.edit import (
    with_changes,
    with_item,
    with_item_behind,
    with_lane,
    with_places_kept,
)
from keen_trellis.document.edits.items import InsertItem
from keen_trellis.document.items import (
    BlendedLane,
    BlendItem,
    FigureItem,
    FormulaItem,
    Item,
    JoinItem,
    LinkedFields,
    NamedFormula,
    SameValues,
    StackedLane,
    StackItem,
    Taken,
    WantedColumns,
)
from keen_trellis.document.sources import BaySource, LaneSource, Source
from keen_trellis.document.trellis import Trellis
from keen_trellis.plan.bays import Bay, keep_of
from keen_trellis.plan.link import Side
from keen_trellis.plan.operators import NEAREST, TURNED
from keen_trellis.plan.outcome import outcome_columns
from keen_trellis.plan.schema import Schema

Figures = tuple[FigureItem, ...]
P = TypeVar("P", SameValues, WantedColumns)
_OVER: dict[str, str] = {"left": "right", "right": "left"}


@dataclass(frozen=True, slots=True)
class AddBlend:
    """Blend a lane with others, each summarised to the fields that they share.

    Attributes
    ----------
    lane : str
    others : tuple of str
    link : tuple of LinkedFields
        Of the lane and the first of the others.
    figures : tuple of tuple of FigureItem
        Of the lane and each of the others.
    """

    lane: str
    others: tuple[str, ...]
    link: tuple[LinkedFields, ...] = ()
    figures: tuple[Figures, ...] = ()
    label: str = tr("Blend lanes")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the blend; `EditError` where a lane would feed itself."""
        own, *figures = _padded(self.figures, len(self.others) + 1)
        lanes = tuple(
            BlendedLane(
                lane=other,
                after=trellis.end_of(trellis.lane(other)),
                fields=tuple(field.right for field in self.link),
                figures=made,
            )
            for other, made in zip(self.others, figures, strict=True)
        )
        fields = tuple(field.left for field in self.link)
        name = trellis.fresh_id(tr("{name} blend", name=trellis.lane(self.lane).name))
        blend = BlendItem(id=name, fields=fields, figures=own, lanes=lanes)
        return with_item_behind(trellis, self.lane, blend)


@dataclass(frozen=True, slots=True)
class ChangeTie:
    """Make a tie a join, a blend or a stack, keeping what still makes sense.

    Attributes
    ----------
    tie : str
    kind : "join", "blend" or "stack"
    figures : tuple of tuple of FigureItem
        Of its lane and of those it brings in, for a blend.
    """

    tie: str
    kind: str
    figures: tuple[Figures, ...] = ()

    @property
    def label(self) -> str:
        """What the change does."""
        return tr("Make it a {kind}", kind=tr(self.kind))

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the tie of the other kind.

        `EditError` where a join would bring in several lanes.
        """
        lane, place = trellis.place_of(self.tie)
        old = lane.items[place]
        new = self._made(old, old.takes())
        items = (*lane.items[:place], new, *lane.items[place + 1 :])
        return with_lane(trellis, lane.id, lambda one: with_changes(one, items=items))

    def _made(self, old: Item, taken: Sequence[Taken]) -> Item:
        known: dict[str, Any] = {"id": old.id, "note": old.note}
        link = _link_of(old)
        keep = getattr(old, "keep", None)
        if keep is not None:
            known["keep"] = keep
        if self.kind == "join":
            if len(taken) > 1:
                raise EditError(
                    tr(
                        "A join brings in one lane; this {type} brings in {taken}.",
                        type=tr(old.type),
                        taken=len(taken),
                    ),
                    tr("Take the others out first, and tie each of them by a join of its own."),
                )
            return JoinItem(**known, lane=taken[0].lane, after=taken[0].after, link=link)
        if self.kind == "stack":
            known.pop("keep", None)
            lanes = tuple(StackedLane(lane=one.lane, after=one.after) for one in taken)
            return StackItem(**known, lanes=lanes)
        own, *others = _padded(self.figures, len(taken) + 1)
        # A blend groups by its fields, and only equality makes groups; other comparisons are let
        # go, which the page shows at once.
        equal = [field for field in link if field.operator == "="]
        blended = tuple(
            BlendedLane(
                lane=one.lane,
                after=one.after,
                fields=tuple(field.right for field in equal),
                figures=figures,
            )
            for one, figures in zip(taken, others, strict=True)
        )
        fields = tuple(field.left for field in equal)
        return BlendItem(**known, fields=fields, figures=own, lanes=blended)


def _link_of(tie: Item) -> tuple[LinkedFields, ...]:
    if isinstance(tie, JoinItem):
        return tie.link
    if isinstance(tie, BlendItem):
        pairs = zip(tie.fields, tie.lanes[0].fields, strict=True)
        return tuple(LinkedFields(left=left, right=right) for left, right in pairs)
    return ()


@dataclass(frozen=True, slots=True)
class LinkByFormula:
    """Link a join by a column that a formula works out, as a step right before the tie.

    Attributes
    ----------
    tie : str
    side : "left" or "right"
        The side that the formula is worked out on.
    name, formula : str
        Of the new column.
    other : str
        The column of the other side that it is compared with.
    """

    tie: str
    side: Side
    name: str
    formula: str
    other: str
    label: str = tr("Link by a formula")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the step and the link field.

        On the right side the tie takes the rows after the step; whoever else takes rows there keeps
        those before it.
        """
        tie = trellis.join(self.tie)
        lane, _ = trellis.place_of(self.tie)
        after = trellis.before(self.tie)
        if self.side == "right":
            lane, after = trellis.lane(tie.lane), trellis.taken_after(tie.takes()[0])
        # The id of the step is made by the edit that inserts it: it is the one that was not there
        # before.
        known = {item.id for item in lane.items}
        step = FormulaItem(id="", columns=(NamedFormula(name=self.name, formula=self.formula),))
        made = InsertItem(lane.id, after, step).changed(trellis)
        (added,) = (item.id for item in made.lane(lane.id).items if item.id not in known)
        left, right = (self.name, self.other) if self.side == "left" else (self.other, self.name)
        link = (*tie.link, LinkedFields(left=left, right=right))
        changes: dict[str, object] = {"link": link, "cross": False}
        if self.side == "right":
            changes["after"] = added
        return with_item(made, self.tie, lambda item: with_changes(item, **changes))


@dataclass(frozen=True, slots=True)
class SwapSides:
    """Let the other lane of a join go on, and what stands behind the join with it.

    Every setting is turned round with its side: link fields, bays, pairs, columns, promises. A
    link field then stands under the name that the other side has for it, of columns of one name
    the other one has it alone, and what stands behind follows.

    Attributes
    ----------
    tie : str
    names : mapping of str to str, or None
        What every column that goes on is called, before and after, as `swapped_names` tells; where
        the columns are not known, only link fields can be followed.
    """

    tie: str
    names: Mapping[str, str] | None = None
    label: str = tr("Swap the sides")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the sides swapped.

        `EditError` where the other lane has more items behind the place where its rows are taken,
        or a nearest match is said from the one side.
        """
        first, place = trellis.place_of(self.tie)
        tie = trellis.join(self.tie)
        second = trellis.lane(tie.lane)
        # Its own items behind that place would stand on a lane that goes on with other rows.
        if trellis.taken_place(tie.takes()[0]) < len(second.items):
            raise EditError(
                tr(
                    "{name} goes on behind the place where this tie takes its rows.",
                    name=second.name,
                ),
                tr("Take the rows at its end, or swap the sides of what stands there first."),
            )
        called = _link_names(tie) if self.names is None else self.names
        turned = _turned(tie, Taken(lane=first.id, after=trellis.before(tie.id)), called)
        # The items behind the tie move to the other lane with it; those before stay where they
        # are.
        behind = first.items[place + 1 :]
        gone = {tie.id, *(item.id for item in behind)}

        def follow(taken: Taken) -> Taken:
            """Take rows on the other lane, where they stood behind the tie."""
            goes = taken.lane == first.id and (taken.after is None or taken.after in gone)
            return with_changes(taken, lane=second.id) if goes else taken

        # a column that was given a name of its own keeps it
        names = {old: new for old, new in called.items() if old not in tie.columns.renamed}

        def renamed(column: str) -> str:
            return names.get(column, column)

        lanes = []
        for lane in with_places_kept(trellis, second.id).lanes:
            items = lane.items
            if lane.id == first.id:
                items = items[:place]
            elif lane.id == second.id:
                items = (*items, turned, *behind)
            following = tuple(
                self._carried(trellis, item, renamed).taking([follow(x) for x in item.takes()])
                for item in items
            )
            source = _begun(lane.source, tie.id, follow)
            lanes.append(with_changes(lane, items=following, source=source))
        return with_changes(trellis, lanes=tuple(lanes))

    def _carried(self, trellis: Trellis, item: Item, renamed: Callable[[str], str]) -> Item:
        """Return an item behind the tie with the link fields renamed, on whichever side."""
        if item.id == self.tie:
            return item  # it is the tie itself, turned round already
        sides: list[tuple[str, Side | int]] = [(trellis.before(item.id), "left")]
        sides += [(trellis.taken_after(taken), n) for n, taken in enumerate(item.takes())]
        for part, side in sides:
            # Only what comes from the tie has its columns under other names.
            if self.tie in trellis.upstream(part):
                item = item.renamed(renamed, side)
        return item


def swapped_names(
    tie: JoinItem, sides: tuple[Schema, Schema], names: tuple[str, str]
) -> dict[str, str]:
    """Return what the columns that go on from a join are called once its sides are swapped.

    Parameters
    ----------
    tie : JoinItem
    sides : tuple of Schema
        The columns of its left and right side.
    names : tuple of str
        The names of its lanes.

    Raises
    ------
    EditError
        A column that goes on would be lost.
    UserError
        The join cannot be made of these columns.
    """
    usual = with_changes(tie.columns, renamed={}, order=(), fills={})
    plain = with_changes(tie, columns=usual)
    turned = _turned(plain, tie.takes()[0], {})
    (left, right), (name, other) = sides, names
    link, columns, keep = plain.match_link(), plain.wanted_columns(), plain.keep
    before = outcome_columns(left, right, link, other, columns, keep)
    link, columns, keep = turned.match_link(), turned.wanted_columns(), turned.keep
    after = {
        (_OVER[c.side], c.source): c.name
        for c in outcome_columns(right, left, link, name, columns, keep)
    }
    met = {field.left: field.right for field in tie.link if field.operator == "="}
    called = {}
    for column in before:
        # A left column that stands for one of the right as well stands under that one's name then.
        here = after.get((column.side, column.source))
        if here is None and column.side == "left":
            is_filled = tie.columns.same_named == "filled"
            meets = met.get(column.source, column.source if is_filled else "")
            here = after.get(("right", meets))
        if here is None:
            raise EditError(
                tr(
                    "“{name}” would no longer go on from the other side: a column of one name "
                    "takes its place.",
                    name=column.name,
                ),
                tr("Let columns of one name go on from both sides first."),
            )
        if here != column.name:
            called[column.name] = here
    return called


def _link_names(tie: JoinItem) -> dict[str, str]:
    """Return what the link fields that stand once are called, seen from the other side."""
    if tie.columns.link == "both":
        return {}
    return {field.left: field.right for field in tie.link if field.operator == "="}


def _begun(source: Source, tie: str, follow: Callable[[Taken], Taken]) -> Source:
    """Return where a lane begins once the sides of a tie are swapped."""
    if isinstance(source, LaneSource):
        return source.taken_at(follow(Taken(lane=source.lane, after=source.after)))
    if isinstance(source, BaySource) and source.tie == tie:
        return with_changes(source, bay=Bay(_OVER.get(source.bay, source.bay)))
    return source


def _turned(tie: JoinItem, taken: Taken, names: Mapping[str, str]) -> JoinItem:
    """Return a join seen from its other side, where its columns are called otherwise."""
    if any(field.operator in NEAREST for field in tie.link):
        raise EditError(
            tr("A nearest match is said from the side whose rows take it."),
            tr("Choose another comparison first, or tie the lanes the other way round."),
        )
    link = tuple(
        with_changes(f, left=f.right, right=f.left, operator=TURNED[f.operator]) for f in tie.link
    )
    columns = _swapped(tie.columns)
    # “both” and “filled” are the same from either side, and no key of `_OVER`.
    same = _OVER.get(columns.same_named, columns.same_named)
    own = set(columns.renamed.values())  # those stay as they are called

    def goes_on_as(name: str) -> str:
        return name if name in own else names.get(name, name)

    called = {
        "renamed": {names.get(a, a): b for a, b in columns.renamed.items()},
        "order": tuple(goes_on_as(name) for name in columns.order),
        "fills": {goes_on_as(a): b for a, b in columns.fills.items()},
    }
    return with_changes(
        tie,
        lane=taken.lane,
        after=taken.after,
        link=link,
        keep=keep_of(_OVER.get(bay, bay) for bay in tie.keep),
        pairs=tuple(map(_swapped, tie.pairs)),
        not_same=tuple(map(_swapped, tie.not_same)),
        partner_for=_OVER[tie.partner_for],
        columns=with_changes(columns, same_named=same, **called),
        promises=tuple(with_changes(one, side=_OVER[one.side]) for one in tie.promises),
    )


def _swapped(part: P) -> P:
    """Return a part with what it has of the two sides changed over."""
    return with_changes(part, left=part.right, right=part.left)


def _padded(figures: Sequence[Figures], count: int) -> list[Figures]:
    """Return the figures of each lane, and none for the lanes that have none yet."""
    return [*figures, *[()] * count][:count]
