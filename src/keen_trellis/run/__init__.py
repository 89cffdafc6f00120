"""Running a trellis: planning it into nodes, keeping what they give, facts, changes, deliveries.

What works on rows is loaded when the first trellis is run, so that the window opens sooner.
"""

from typing import TYPE_CHECKING

from keen_trellis.base.lazily import looked_up
from keen_trellis.run.results import Results

if TYPE_CHECKING:
    from keen_trellis.run.delivering import Delivered, make_deliveries
    from keen_trellis.run.runner import Runner

_PLACES = {"Delivered": "delivering", "Runner": "runner", "make_deliveries": "delivering"}

__all__ = ["Delivered", "Results", "Runner", "make_deliveries"]

__getattr__ = looked_up(__name__, _PLACES)
