"""What this machine remembers of a trellis between sessions: the numbers of its last run.

They lie apart from the document, which holds no data of its sources.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from keen_trellis.document.storage import KIND_NAMES
from keen_trellis.machine.machine_files import store, stored
from keen_trellis.run.changes import Snapshot

_ROOM = "runs"


def remember(document: Path, numbers: Snapshot) -> None:
    """Keep the numbers of a run of a document; where that cannot be, nothing is kept."""
    store(document, _ROOM, Snapshot, numbers)


def remembered(document: Path) -> Snapshot | None:
    """Return the numbers of the last run of a document; None where there are none."""
    found = stored(document, _ROOM, Snapshot)
    if found is None:
        return None
    lanes = {
        key: replace(lane, columns={n: KIND_NAMES.get(k, k) for n, k in lane.columns.items()})
        for key, lane in found.lanes.items()
    }
    return replace(found, lanes=lanes)  # an earlier version called two kinds otherwise
