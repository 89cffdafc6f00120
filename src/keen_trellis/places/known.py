"""The sorts of places where a trellis can run beside this machine: a folder and a line for each."""

from __future__ import annotations

from keen_trellis.places.place_kind import PlaceKind
from keen_trellis.places.postgres import POSTGRES_PLACE
from keen_trellis.places.spark import SPARK_PLACE

PLACES: dict[str, PlaceKind] = {one.type: one for one in (POSTGRES_PLACE, SPARK_PLACE)}
"""By what their addresses are called in a document."""
