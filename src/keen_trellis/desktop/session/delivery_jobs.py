"""Writing deliveries from the window, and asking before it does what nobody has allowed."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from keen_trellis.base.errors import PasswordError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, part
from keen_trellis.base.words import counted
from keen_trellis.desktop.help.topics import A_PROMISE_BROKEN
from keen_trellis.desktop.jobs import Jobs
from keen_trellis.desktop.session.open_document import OpenDocument
from keen_trellis.desktop.session.place_runs import Elsewhere
from keen_trellis.desktop.session.telling import Telling
from keen_trellis.desktop.session.work import Work
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Server

if TYPE_CHECKING:
    from keen_trellis.machine.approvals import Made
    from keen_trellis.run import Delivered


class Delivering(QObject):
    """Writes the deliveries of the open trellis, in a lane of work of its own.

    Signals
    -------
    delivered
        Deliveries have been written.

    Attributes
    ----------
    jobs : Jobs
    """

    delivered = Signal()

    def __init__(
        self,
        document: OpenDocument,
        work: Work,
        telling: Telling,
        secrets: Secrets,
        elsewhere: Elsewhere,
    ) -> None:
        super().__init__()
        self._document, self._work, self._telling = document, work, telling
        self._secrets, self._elsewhere = secrets, elsewhere
        self.jobs = Jobs()
        work.counts(self.jobs)
        document.moved.connect(self._moved)
        self.made: Made = {}
        """What was written since the trellis was opened, as it was left."""

    def forget(self) -> None:
        """Forget what was written; another trellis is taken up."""
        self.made = {}

    def _moved(self, before: Path | None) -> None:
        """Have what was written stay the document's own where it lies now."""
        from keen_trellis.machine.approvals import approvals, keep_written

        assert self._document.path is not None
        keep_written(self._document.path, approvals(before).written | self.made)

    def deliver(
        self,
        only: list[str] | None = None,
        despite: bool = False,
        replacing: Collection[Path] = (),
        is_agreed: bool = False,
    ) -> None:
        """Write the deliveries of the trellis as it is now, or some of them.

        Where its results are not there yet, they are worked out first; what is done to the trellis
        meanwhile changes nothing of it. What a broken promise stops is said, and not written unless
        `despite` is given. What an update would change in a table is counted, and asked about
        unless it `is_agreed`. Files that were not written by it as they are now are asked about
        first, but for those given as `replacing`.
        """
        self._telling.typing_ends.emit()
        # One question at a time: each answer calls `deliver` again with what was agreed to, and
        # the questions before it then have nothing left to ask.
        if self._asks_to_write(only) or self._asks_to_replace(only, despite, replacing):
            return
        if self._asks_for_password(only, despite, replacing):
            return
        # All taken here, on the window's thread: what is written is the trellis as it stood when
        # the button was pressed.
        trellis, results = self._document.trellis, self._work.results
        is_known = self._work.is_of_now
        is_counted = is_agreed or not any(
            item.into is not None and item.into.how == "update"
            for _, item in trellis.deliveries()
            if only is None or item.id in only
        )
        path = self._document.path

        def write(report: Report) -> list[Delivered]:
            from keen_trellis.machine.approvals import noting
            from keen_trellis.run import make_deliveries

            if self._elsewhere.place is not None:
                return self._elsewhere.deliver(
                    report,
                    only,
                    despite,
                    write=is_counted,
                    noting=partial(noting, path, made=self.made),
                    secrets=self._secrets,
                )
            of_now = results
            if not is_known:
                of_now = self._work.runner.run(trellis, part(report, 0.0, 0.5))
            return make_deliveries(
                of_now,
                only,
                part(report, 0.0 if is_known else 0.5, 1.0),
                write=is_counted,
                despite=despite,
                noting=partial(noting, path, made=self.made),
                secrets=self._secrets,
            )

        def asked(made: list[Delivered]) -> None:
            self._work.rest()
            self._telling.may_update.emit(
                [
                    f"{one.name}, {one.place}: {one.changes.sentence()}"
                    for one in made
                    if one.changes is not None
                ],
                partial(self.deliver, only, despite, replacing, True),
            )

        self.jobs.start(
            write,
            self._done if is_counted else asked,
            lambda error: self._work.tell_failure(
                error, tr("Stopped: nothing more has been written.")
            ),
            self._work.working.emit,
        )

    def _done(self, made: list[Delivered]) -> None:
        self._work.rest()
        words = [
            (
                tr("{name}: {rows} in place of the earlier {place}", **_told(d))
                if d.replaced
                else tr("{name}, {place}: {changes}", changes=d.changes.sentence(), **_told(d))
                if d.changes is not None
                else tr("{name}: {rows} written to {place}", **_told(d))
            )
            for d in made
            if d.written
        ]
        stopped = [
            tr(
                "{name} was not written. A promise is broken: {stopped}",
                name=d.name,
                stopped=d.stopped,
            )
            for d in made
            if d.stopped
        ]
        said = ". ".join([*stopped, *words]) + "."
        if stopped:
            self._telling.trouble(said, A_PROMISE_BROKEN)
        else:
            self._telling.say(said)
        self.delivered.emit()

    def _asks_for_password(
        self, only: list[str] | None, despite: bool, replacing: Collection[Path]
    ) -> bool:
        """Ask for the password of a server to write to; tell whether anybody has to answer."""
        for _, item in self._document.trellis.deliveries():
            server = item.into.database if item.into is not None else None
            if isinstance(server, Server) and (only is None or item.id in only):
                try:
                    self._secrets.password(server)
                except PasswordError:
                    again = partial(self.deliver, only, despite, replacing)
                    self._telling.password_wanted.emit(server, again)
                    return True
        return False

    def _asks_to_write(self, only: list[str] | None) -> bool:
        """Ask about places that nobody has allowed it to write to; tell whether there are any."""
        return self._document.asks_leave(
            want
            for _, item in self._document.trellis.deliveries()
            if only is None or item.id in only
            for want in item.wants(self._document.folder)
        )

    def _asks_to_replace(
        self, only: list[str] | None, despite: bool, replacing: Collection[Path]
    ) -> bool:
        """Ask about files that are there and not its own; tell whether anybody has to answer."""
        from keen_trellis.machine.approvals import is_its_own

        today = dt.date.today()
        there = [
            item.target(today)
            for _, item in self._document.trellis.deliveries()
            if (only is None or item.id in only) and item.into is None
        ]
        foreign = [
            one
            for one in there
            # A file that this trellis wrote, and that nobody has touched since, is its own to
            # replace.
            if one not in replacing and not is_its_own(self._document.path, one, True, self.made)
        ]
        if foreign:
            self._telling.may_replace.emit(foreign, partial(self.deliver, only, despite, there))
        return bool(foreign)


def _told(made: Delivered) -> dict[str, str]:
    """Return what a sentence on a delivery names."""
    return {"name": made.name, "rows": counted(made.rows, "row"), "place": str(made.place)}
