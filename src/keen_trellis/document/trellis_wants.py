"""What a whole trellis wants of this machine and of others, and what an edit adds to that."""

from __future__ import annotations

from pathlib import Path

from keen_trellis.document.trellis import Trellis
from keen_trellis.document.wants import Want


def wants(trellis: Trellis, document: Path | None) -> list[Want]:
    """Return everything that a trellis wants, each once, as its lanes stand.

    Parameters
    ----------
    trellis : Trellis
        With absolute paths.
    document : Path or None
        Where it is saved; None for one that is not yet.
    """
    folder = document.absolute().parent if document is not None else None
    found: dict[str, Want] = {}
    for lane in trellis.lanes:
        for want in lane.source.wants(folder):
            found.setdefault(want.key, want)
    for _, item in trellis.deliveries():
        for want in item.wants(folder):
            found.setdefault(want.key, want)
    for place in trellis.places:
        for want in place.wants(folder):
            found.setdefault(want.key, want)
    return list(found.values())


def added_wants(before: Trellis, after: Trellis, document: Path | None) -> list[Want]:
    """Return what a changed trellis wants that it did not want before.

    Only what changed is looked at: links are followed on the disk, which a hundred lanes would
    make anybody wait for.
    """
    folder = document.absolute().parent if document is not None else None
    sources = {lane.id: lane.source for lane in before.lanes}
    places = {item.id: (item.path, item.into) for _, item in before.deliveries()}
    found: list[Want] = []
    for lane in after.lanes:
        was = sources.get(lane.id)
        if was is not lane.source and was != lane.source:
            found += lane.source.wants(folder)
    for _, item in after.deliveries():
        if places.get(item.id) != (item.path, item.into):
            found += item.wants(folder)
    for one in after.places:
        if one not in before.places:
            found += one.wants(folder)
    # Asked for only where something changed: it follows every link on the disk.
    known = {want.key for want in wants(before, document)} if found else set()
    return [want for want in found if want.key not in known]
