"""Outcomes go to where others read them."""

from keen_trellis.deliver.cells import cells_as_text
from keen_trellis.deliver.files import deliver, endings
from keen_trellis.whole_files import whole_file

__all__ = ["cells_as_text", "deliver", "endings", "whole_file"]
