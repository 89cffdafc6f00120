"""Edits of the places where a trellis can run."""

from __future__ import annotations

from dataclasses import dataclass

from keen_trellis.base.language import tr
from keen_trellis.document.edits.edit import required, with_changes
from keen_trellis.document.places import RunPlace
from keen_trellis.document.trellis import Trellis


@dataclass(frozen=True, slots=True)
class SetPlace:
    """Add a place to run at, or change the one of its name."""

    place: RunPlace
    label: str = tr("Set a place to run")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the place in place of one of that name, or behind the others."""
        name = required(self.place.name, tr("A place"))
        made = self.place.model_copy(update={"name": name})
        if any(one.name == name for one in trellis.places):
            places = tuple(made if one.name == name else one for one in trellis.places)
        else:
            places = (*trellis.places, made)
        return with_changes(trellis, places=places)


@dataclass(frozen=True, slots=True)
class RemovePlace:
    """Take a place to run at out."""

    name: str
    label: str = tr("Remove a place to run")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis without the place; `EditError` where there is no such one."""
        gone = trellis.place(self.name)
        return with_changes(trellis, places=tuple(one for one in trellis.places if one is not gone))
