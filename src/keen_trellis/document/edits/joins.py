"""Edits of joins: tied, linked otherwise, bays kept or left, columns and promises."""

from __future__ import annotations

from dataclasses import asdict, dataclass

from keen_trellis.base.errors import EditError
from keen_trellis.base.language import tr
from keen_trellis.document.edits.edit import with_changes, with_item, with_item_behind
from keen_trellis.document.items import (
    BlendItem,
    Item,
    JoinItem,
    LinkedFields,
    OrderedBy,
    Promised,
    SameValues,
    WantedColumns,
)
from keen_trellis.document.trellis import Trellis, kept_with
from keen_trellis.plan.bays import Bay, Keep
from keen_trellis.plan.link import Link
from keen_trellis.plan.outcome import semi_side

_OTHER = {"left": "right", "right": "left"}


@dataclass(frozen=True, slots=True)
class AddTie:
    """Tie another lane to the end of a lane.

    The rows are taken where the other lane ends now, and stay to be taken there. Ties that take
    their rows at this lane's end keep taking what they took: the new tie stands behind.
    """

    lane: str
    other: str
    link: tuple[LinkedFields, ...]
    label: str = tr("Tie two lanes")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the tie; `EditError` where a lane would feed itself."""
        if self.lane == self.other:
            raise EditError(
                tr("A lane cannot be tied to itself."),
                tr("To link a table with itself, add it a second time as a lane of its own."),
            )
        tie = JoinItem(
            id=_tie_id(trellis, self.lane, self.other),
            lane=self.other,
            # By the id of what is last there now: steps that are put behind it later change
            # nothing of this tie.
            after=trellis.end_of(trellis.lane(self.other)),
            link=self.link,
        )
        return with_item_behind(trellis, self.lane, tie)


def _tie_id(trellis: Trellis, lane: str, other: str) -> str:
    return trellis.fresh_id(f"{trellis.lane(lane).name} {trellis.lane(other).name}")


@dataclass(frozen=True, slots=True)
class RenameLinkField:
    """Take another column of one side of a tie in the place of one that is gone."""

    tie: str
    side: str
    gone: str
    instead: str

    @property
    def label(self) -> str:
        """What the change does."""
        return tr("Take “{instead}” for “{gone}”", instead=self.instead, gone=self.gone)

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the tie naming the other column."""
        tie = trellis.join(self.tie)
        link = tuple(
            with_changes(f, **{self.side: self.instead})
            if getattr(f, self.side) == self.gone
            else f
            for f in tie.link
        )
        wanted = getattr(tie.columns, self.side)
        names = wanted and tuple(self.instead if n == self.gone else n for n in wanted)
        columns = with_changes(tie.columns, **{self.side: names})
        return with_item(
            trellis, self.tie, lambda item: with_changes(item, link=link, columns=columns)
        )


@dataclass(frozen=True, slots=True)
class SetLink:
    """Choose the fields of a tie."""

    tie: str
    link: tuple[LinkedFields, ...]
    label: str = tr("Change the link")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the tie's new fields."""
        return with_item(trellis, self.tie, lambda tie: with_changes(tie, link=self.link))


@dataclass(frozen=True, slots=True)
class RemoveLinkField:
    """Take one field out of a link, with the pairs declared for it."""

    tie: str
    place: int
    label: str = tr("Take a link field out")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis without the field; pairs of the fields behind it move up with them."""
        tie = trellis.join(self.tie)
        link = tie.link[: self.place] + tie.link[self.place + 1 :]
        left = {
            name: tuple(
                # Pairs name their link field by its place: those behind the one that goes move up
                # by one.
                with_changes(pair, field=pair.field - (pair.field > self.place))
                for pair in getattr(tie, name)
                if pair.field != self.place
            )
            for name in ("pairs", "not_same")
        }
        return with_item(trellis, self.tie, lambda item: with_changes(item, link=link, **left))


@dataclass(frozen=True, slots=True)
class SetPairs:
    """Choose which values are the same at a tie, and which were proposed and are not."""

    tie: str
    pairs: tuple[SameValues, ...]
    not_same: tuple[SameValues, ...]
    label: str = tr("Change the pairs")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the tie's pairs."""
        changes = {"pairs": self.pairs, "not_same": self.not_same}
        return with_item(trellis, self.tie, lambda tie: with_changes(tie, **changes))


@dataclass(frozen=True, slots=True)
class TakeLink:
    """Take a whole link: fields, text rules, blanks, partner, order and pairs."""

    tie: str
    link: Link
    label: str = tr("Change the link")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the tie's link as given."""
        link = self.link
        changes = {
            "link": tuple(LinkedFields(**asdict(field)) for field in link.fields),
            "text": link.text,
            "blanks": link.blanks,
            "partner": link.partner,
            "partner_for": link.partner_for,
            "order": tuple(OrderedBy(**asdict(field)) for field in link.order),
            "pairs": tuple(SameValues(**asdict(pair)) for pair in link.pairs),
            "cross": link.cross,
        }
        return with_item(trellis, self.tie, lambda tie: with_changes(tie, **changes))


@dataclass(frozen=True, slots=True)
class SetIgnored:
    """Choose which sorts of findings are no problem at a tie, and are not told again."""

    tie: str
    topics: tuple[str, ...]
    label: str = tr("Not a problem here")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the tie's findings ignored."""
        return with_item(trellis, self.tie, lambda tie: with_changes(tie, ignored=self.topics))


@dataclass(frozen=True, slots=True)
class SetColumns:
    """Choose which columns go on from a tie."""

    tie: str
    columns: WantedColumns
    label: str = tr("Choose the columns")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the tie's new columns."""
        return with_item(trellis, self.tie, lambda tie: with_changes(tie, columns=self.columns))


@dataclass(frozen=True, slots=True)
class SetPromises:
    """Choose what is promised of a tie."""

    tie: str
    promises: tuple[Promised, ...]
    label: str = tr("Change what is promised")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the tie's promises."""
        return with_item(trellis, self.tie, lambda tie: with_changes(tie, promises=self.promises))


@dataclass(frozen=True, slots=True)
class SetBay:
    """Keep or leave a bay."""

    tie: str
    bay: Bay
    kept: bool

    @property
    def label(self) -> str:
        """What the change does."""
        return tr("Keep a bay") if self.kept else tr("Leave a bay")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the bay switched; `EditError` where none would be kept."""
        keep = kept_with(bays_of(trellis.item(self.tie)), self.bay, self.kept)
        return with_item(trellis, self.tie, lambda tie: with_changes(tie, keep=keep))


def bays_of(tie: Item) -> Keep:
    """Return the bays that a tie keeps; `KeyError` where it has none."""
    if not isinstance(tie, JoinItem | BlendItem):
        raise KeyError(tie.id)
    return tie.keep


@dataclass(frozen=True, slots=True)
class SetKeep:
    """Choose a join type, which sets all three bays.

    Attributes
    ----------
    tie : str
    keep : tuple of bays
    semi : "left", "right" or ""
        The side whose columns alone go on.
    cross : bool
        Whether every row meets every row; the link fields are kept for when it no longer does.
    """

    tie: str
    keep: tuple[Bay, ...]
    semi: str = ""
    cross: bool = False
    label: str = tr("Choose a join type")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the tie's new bays."""
        tie = trellis.item(self.tie)
        if not isinstance(tie, JoinItem):
            return with_item(trellis, self.tie, lambda tie: with_changes(tie, keep=self.keep))
        was = semi_side(tie.keep, tie.wanted_columns())
        columns = tie.columns
        # A semi join is two bays left and a side without columns: what goes back to another type
        # brings those columns back.
        if was and was != self.semi:
            columns = with_changes(columns, **{_OTHER[was]: None})
        if self.semi:
            columns = with_changes(columns, **{_OTHER[self.semi]: ()})
        changes = {"keep": self.keep, "columns": columns, "cross": self.cross}
        return with_item(trellis, self.tie, lambda tie: with_changes(tie, **changes))
