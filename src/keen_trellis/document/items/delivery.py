"""The delivery: an outcome written to a file whenever deliveries are made."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, ClassVar, Literal

from keen_trellis.document.items.base import Item

if TYPE_CHECKING:
    from keen_trellis.document.trellis import Lane, Trellis


class DeliveryItem(Item):
    """The rows before it, written to a file.

    Attributes
    ----------
    name, path : str
    guarded : bool
        Whether texts that a spreadsheet would take for formulas are written so that it does not:
        in delimited text, behind an apostrophe.
    """

    type: Literal["delivery"] = "delivery"
    name: str
    path: str
    guarded: bool = False

    word: ClassVar[str] = "delivery"
    changes_rows: ClassVar[bool] = False

    def sentence(self, trellis: Trellis, lane: Lane) -> str:
        """Return what is delivered, and where to."""
        return f"Delivers {self.name} to {Path(self.path).name}."
