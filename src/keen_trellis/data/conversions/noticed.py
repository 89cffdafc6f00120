"""What whoever reads a source should know about its rows, and how it could be read instead."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from keen_trellis.data.kinds import Kind


@dataclass(frozen=True, slots=True)
class Reread:
    """Another way to read the source that would mend what was noticed.

    Attributes
    ----------
    label : str
        What it does, as a button says it.
    layout : mapping of setting to value
        The settings of the layout to change.
    kinds : mapping of column to kind
        The kinds to choose.
    """

    label: str
    layout: Mapping[str, Any] = field(default_factory=dict)
    kinds: Mapping[str, Kind] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Noticed:
    """Something that whoever reads the rows should know.

    Attributes
    ----------
    text : str
        One sentence.
    rows : int
        How many rows, cells or lines it concerns.
    remedy : Reread or None
    """

    text: str
    rows: int = 0
    remedy: Reread | None = None
