"""Outcomes go to where others read them."""

from keen_trellis.deliver.files import deliver, endings
from keen_trellis.deliver.whole_files import whole_file

__all__ = ["deliver", "endings", "whole_file"]
