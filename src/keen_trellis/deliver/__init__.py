"""Outcomes go to where others read them."""

from keen_trellis.deliver.cells import cells_as_text
from keen_trellis.deliver.files import Sheet, deliver, endings, has_sheets, is_text
from keen_trellis.deliver.forms import TextForm
from keen_trellis.whole_files import whole_file

__all__ = [
    "Sheet",
    "TextForm",
    "cells_as_text",
    "deliver",
    "endings",
    "has_sheets",
    "is_text",
    "whole_file",
]
