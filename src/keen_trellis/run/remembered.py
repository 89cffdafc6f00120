"""What this machine remembers of a trellis between sessions: the numbers of its last run.

They lie apart from the document, which holds no data of its sources.
"""

from __future__ import annotations

import hashlib
import json
import os
from dataclasses import replace
from pathlib import Path

import platformdirs
from pydantic import TypeAdapter

from keen_trellis.document.storage import KIND_NAMES
from keen_trellis.run.changes import Snapshot
from keen_trellis.whole_files import whole_file

_SNAPSHOTS = TypeAdapter(Snapshot)


def remember(document: Path, numbers: Snapshot) -> None:
    """Keep the numbers of a run of a document; where that cannot be, nothing is kept."""
    place = _place(document)
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        with whole_file(place) as beside:
            beside.write_text(
                json.dumps(_SNAPSHOTS.dump_python(numbers, mode="json")), encoding="ascii"
            )
    except OSError:
        return


def remembered(document: Path) -> Snapshot | None:
    """Return the numbers of the last run of a document; None where there are none."""
    try:
        found = _SNAPSHOTS.validate_python(json.loads(_place(document).read_text("ascii")))
    except (OSError, ValueError):
        return None
    lanes = {
        key: replace(lane, columns={n: KIND_NAMES.get(k, k) for n, k in lane.columns.items()})
        for key, lane in found.lanes.items()
    }
    return replace(found, lanes=lanes)  # an earlier version called two kinds otherwise


def _place(document: Path) -> Path:
    name = hashlib.sha256(os.fsencode(document.resolve())).hexdigest()[:32]
    return platformdirs.user_state_path("keen-trellis") / "runs" / f"{name}.json"
