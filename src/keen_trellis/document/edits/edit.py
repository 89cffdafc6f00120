"""What every edit is, and the ways to change a trellis that they share."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any, Protocol, TypeVar

from pydantic import BaseModel, ValidationError

from keen_trellis.base.errors import EditError
from keen_trellis.base.language import tr
from keen_trellis.base.words import NOT_SHOWN
from keen_trellis.document.items import (
    Item,
    Taken,
)
from keen_trellis.document.sources import LaneSource
from keen_trellis.document.trellis import Lane, Trellis

_P = TypeVar("_P", bound=BaseModel)


class Edit(Protocol):
    """A change that can be named and applied."""

    @property
    def label(self) -> str:
        """What the change does, as the undo menu says it."""

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the change made; `EditError` where it cannot be."""


def apply(edit: Edit, trellis: Trellis) -> tuple[Trellis, Edit]:
    """Return the changed trellis, and the edit that takes the change back.

    Raises
    ------
    EditError
        The trellis does not allow the change; it is as it was.
    """
    try:
        # What takes a change back is the trellis of before itself: it is never changed, and
        # shares all its parts with the new one.
        return edit.changed(trellis), Restore(edit.label, trellis)
    except ValidationError as error:
        raise EditError(first_fault(error)) from error
    except KeyError as error:  # what it would change was taken out since it was offered
        raise EditError(
            tr("“{label}” cannot be done: what it changes is no longer there.", label=edit.label),
            tr("Undo until it is back, or leave it."),
        ) from error


def first_fault(error: ValidationError) -> str:
    """Return the first fault of a document as a sentence."""
    fault = error.errors()[0]
    # Our own validators raise sentences; pydantic keeps the exception beside its own words.
    cause = fault.get("ctx", {}).get("error")
    if cause is not None:
        return str(cause)
    where = ".".join(str(place) for place in fault["loc"])
    return f"{where}: {fault['msg']}."


@dataclass(frozen=True, slots=True)
class Restore:
    """Back to a trellis that was."""

    label: str
    trellis: Trellis

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis that was."""
        return self.trellis


@dataclass(frozen=True, slots=True)
class RenameTrellis:
    """Give the trellis another name."""

    name: str
    label: str = tr("Rename the trellis")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with its new name."""
        return with_changes(trellis, name=required(self.name, tr("A trellis")))


def required(name: str, what: str) -> str:
    """Return a name on one line without outer spaces; `EditError` where nothing is left of it."""
    stripped = NOT_SHOWN.sub(" ", name).strip()
    if not stripped:
        raise EditError(tr("{what} needs a name.", what=what), tr("Type one."))
    return stripped


def with_changes(part: _P, **changes: object) -> _P:
    """Return a checked copy: pydantic's own `model_copy` checks nothing."""
    return type(part)(**{**dict(part), **changes})


def with_lane(trellis: Trellis, lane_id: str, change: Callable[[Lane], Lane]) -> Trellis:
    """Return the trellis with one lane changed."""
    lanes = tuple(change(lane) if lane.id == lane_id else lane for lane in trellis.lanes)
    return with_changes(trellis, lanes=lanes)


def with_item(trellis: Trellis, item_id: str, change: Callable[[Any], BaseModel]) -> Trellis:
    """Return the trellis with one item changed."""
    lane, place = trellis.place_of(item_id)
    items = (*lane.items[:place], change(lane.items[place]), *lane.items[place + 1 :])
    return with_lane(trellis, lane.id, lambda lane: with_changes(lane, items=items))


def with_item_behind(trellis: Trellis, lane: str, item: Item) -> Trellis:
    """Return the trellis with an item at a lane's end; who takes rows there keeps the place."""
    kept = with_places_kept(trellis, lane)
    return with_lane(kept, lane, lambda one: with_changes(one, items=(*one.items, item)))


def with_places_kept(trellis: Trellis, lane: str) -> Trellis:
    """Return the trellis with every rows taken at a lane's end taken behind its last item."""
    end = trellis.end_of(trellis.lane(lane))

    def kept(taken: Taken) -> Taken:
        is_open = taken.lane == lane and taken.after is None
        return with_changes(taken, after=end) if is_open else taken

    return with_takers(trellis, kept)


def _taking(item: Item, places: Sequence[Taken]) -> Item:
    return item.taking(places)


def with_takers(trellis: Trellis, change: Callable[[Taken], Taken]) -> Trellis:
    """Return the trellis with the places changed where ties, lanes and reports take their rows."""
    reports = tuple(with_changes(one, at=change(one.at)) for one in trellis.reports)
    if reports != trellis.reports:
        # Unchecked for a moment: a report may name an item that is only put there by what
        # follows.
        trellis = trellis.model_copy(update={"reports": reports})
    for lane in trellis.lanes:
        source = lane.source
        if isinstance(source, LaneSource):
            # A lane that begins with rows of another takes them by the same two words as a tie
            # does.
            begun = source.taken_at(change(Taken(lane=source.lane, after=source.after)))
            if begun != source:
                trellis = with_lane(trellis, lane.id, partial(with_changes, source=begun))
    for _, item in trellis.ties():
        places = [change(taken) for taken in item.takes()]
        if tuple(places) != item.takes():
            trellis = with_item(trellis, item.id, partial(_taking, places=places))
    return trellis
