"""Running a trellis: planning it into nodes, keeping what they give, facts, changes, deliveries."""

from keen_trellis.run.delivering import Delivered, make_deliveries
from keen_trellis.run.results import Results
from keen_trellis.run.runner import Runner

__all__ = ["Delivered", "Results", "Runner", "make_deliveries"]
