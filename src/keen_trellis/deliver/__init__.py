"""Outcomes go to where others read them."""

from keen_trellis.deliver.clipboard_cells import cells_as_text
from keen_trellis.deliver.file_delivery import Sheet, deliver, endings, has_sheets, is_text

__all__ = [
    "Sheet",
    "cells_as_text",
    "deliver",
    "endings",
    "has_sheets",
    "is_text",
]
