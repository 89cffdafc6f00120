"""What the window works on: the open trellis, its work, and who builds, looks and writes."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal

from keen_trellis.desktop.session.building import Building
from keen_trellis.desktop.session.delivery_jobs import Delivering
from keen_trellis.desktop.session.keeping import KeepingWork
from keen_trellis.desktop.session.looking import Looking
from keen_trellis.desktop.session.open_document import OpenDocument
from keen_trellis.desktop.session.place_runs import Elsewhere
from keen_trellis.desktop.session.reporting import Reporting
from keen_trellis.desktop.session.telling import Telling
from keen_trellis.desktop.session.watching import Watching
from keen_trellis.desktop.session.work import Work
from keen_trellis.document import Lane, Trellis, edits
from keen_trellis.document.items import Item
from keen_trellis.run.results import Results
from keen_trellis.servers.secrets import Secrets


class Session(QObject):
    """Puts the parts together that a window works with; each knows only those that it is given.

    Signals
    -------
    asked(action)
        A page asks for one of the actions, by its id.
    shows(page)
        A page is to be shown.

    Attributes
    ----------
    telling
        What whoever sits at the window is told and asked.
    document
        The trellis: its file, its edits, what is selected.
    work
        Its runs, and what came of them.
    building
        Puts ties, steps and lanes into the trellis.
    delivering
        Writes deliveries, and asks before it does what nobody has allowed.
    looking, watching
        What stands out where something is selected; which files have changed outside.
    keeping
        Keeps what is not saved.
    reporting
        Which report is looked at, and its numbers.
    elsewhere
        The place where the trellis runs beside this machine, and what was counted there.
    """

    asked = Signal(str)
    shows = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.secrets = Secrets()
        self.telling = telling = Telling()
        self.document = document = OpenDocument(telling)
        self.work = work = Work(document, telling, self.secrets)
        # before anybody else hears of a run: whoever shows it asks these
        self.watching = Watching(document, work, telling)
        self.looking = Looking(document, work, telling)
        self.reporting = Reporting(document, work, telling)
        self.keeping = KeepingWork(document, telling)
        self.elsewhere = Elsewhere(document, work, telling, self.secrets)
        self.delivering = Delivering(document, work, telling, self.secrets, self.elsewhere)
        self.building = Building(document, work, telling)
        self.elsewhere.leaves.connect(self.looking.forget)
        document.taken_up.connect(self._take_up)

    def _take_up(self) -> None:
        """Have nobody know anything of the trellis before, and run the one that is open now."""
        for part in (self.watching, self.looking, self.delivering, self.elsewhere):
            part.forget()
        self.work.take_up()

    # what nearly every page asks for

    @property
    def trellis(self) -> Trellis:
        """The trellis in the window."""
        return self.document.trellis

    @property
    def path(self) -> Path | None:
        """Its file."""
        return self.document.path

    @property
    def selection(self) -> str:
        """The id of what is selected; empty for nothing."""
        return self.document.selection

    @property
    def selected_lane(self) -> Lane | None:
        """The selected lane, or the lane that the selected item stands on."""
        return self.document.selected_lane

    @property
    def selected_item(self) -> Item | None:
        """The selected step, tie or delivery."""
        return self.document.selected_item

    @property
    def results(self) -> Results:
        """What came of the latest run."""
        return self.work.results

    @property
    def told(self) -> Results:
        """What the map tells: the results, or what was counted at another place."""
        return self.results if self.elsewhere.place is None else self.elsewhere.told

    def do(self, edit: edits.Edit) -> bool:
        """Make a change that can be undone, and run; say why when it is not allowed."""
        return self.document.do(edit)

    def select(self, part: str) -> None:
        """Select a lane or an item by its id."""
        self.document.select(part)

    # ends

    def stop(self) -> None:
        """Stop all work that is under way."""
        self.looking.stop()
        self.work.stop()

    def finish(self) -> None:
        """Stop all work; for closing."""
        # What may ask for work goes first, the work itself last: nothing begins anew meanwhile.
        self.watching.finish()
        self.keeping.finish()
        self.looking.stop()
        self.elsewhere.forget()
        self.work.finish()
