"""Running a trellis: planning it into nodes, keeping what they give, facts, changes, deliveries.

What works on rows is loaded when the first trellis is run, so that the window opens sooner.
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

from keen_trellis.run.results import Results

if TYPE_CHECKING:
    from keen_trellis.run.delivering import Delivered, make_deliveries
    from keen_trellis.run.runner import Runner

_PLACES = {"Delivered": "delivering", "Runner": "runner", "make_deliveries": "delivering"}

__all__ = ["Delivered", "Results", "Runner", "make_deliveries"]


def __getattr__(name: str) -> Any:
    if name in _PLACES:
        return getattr(import_module(f"keen_trellis.run.{_PLACES[name]}"), name)
    raise AttributeError(f"keen_trellis.run has no {name}")
