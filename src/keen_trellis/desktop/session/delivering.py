"""Writing deliveries from the window, and asking before it does what nobody has allowed."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from keen_trellis.errors import PasswordError
from keen_trellis.progress import Report, part
from keen_trellis.read.server import Server
from keen_trellis.words import counted

if TYPE_CHECKING:
    from keen_trellis.desktop.session.session import Session
    from keen_trellis.run import Delivered
    from keen_trellis.run.approvals import Made


class Delivering:
    """Writes the deliveries of the session's trellis, in its lane of writing."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self.made: Made = {}
        """What was written since the trellis was opened, as it was left."""

    def forget(self) -> None:
        """Forget what was written; another trellis is taken up."""
        self.made = {}

    def deliver(
        self,
        only: list[str] | None = None,
        despite: bool = False,
        replacing: Collection[Path] = (),
    ) -> None:
        """Write the deliveries of the trellis as it is now, or some of them.

        Where its results are not there yet, they are worked out first; what is done to the trellis
        meanwhile changes nothing of it. What a broken promise stops is said, and not written unless
        `despite` is given. Files that were not written by it as they are now are asked about first,
        but for those given as `replacing`.
        """
        session = self._session
        session.typing_ends.emit()
        if self._asks_to_write(only) or self._asks_to_replace(only, despite, replacing):
            return
        if self._asks_for_password(only, despite, replacing):
            return
        trellis, results = session.trellis, session.results
        is_known = session.up_to_date and results.trellis is trellis
        path = session.path

        def write(report: Report) -> list[Delivered]:
            from keen_trellis.run import make_deliveries

            if session.elsewhere.place is not None:
                return session.elsewhere.deliver(
                    report,
                    only,
                    despite,
                    written=partial(self._note, path),
                    secrets=session.secrets,
                )
            of_now = results
            if not is_known:
                of_now = session.runner.run(trellis, part(report, 0.0, 0.5))
            return make_deliveries(
                of_now,
                only,
                part(report, 0.0 if is_known else 0.5, 1.0),
                despite=despite,
                written=partial(self._note, path),
                secrets=session.secrets,
            )

        session.writes.start(
            write,
            self._done,
            lambda error: session.tell_failure(error, "Stopped: nothing more has been written."),
            session.working.emit,
        )

    def _note(self, document: Path | None, path: Path) -> None:
        """Keep what was written: with the document, and until it has a file of its own here."""
        from keen_trellis.run.approvals import note_written

        self.made |= note_written(document, path)

    def _done(self, made: list[Delivered]) -> None:
        self._session.rest()
        words = [
            f"{d.name}: {counted(d.rows, 'row')} {'in place of' if d.replaced else 'written to'} "
            f"{'the earlier ' if d.replaced else ''}{d.place}"
            for d in made
            if d.written
        ]
        stopped = [
            f"{d.name} was not written. A promise is broken: {d.stopped}" for d in made if d.stopped
        ]
        self._session.said.emit(". ".join([*stopped, *words]) + ".", bool(stopped))
        self._session.delivered.emit()

    def _asks_for_password(
        self, only: list[str] | None, despite: bool, replacing: Collection[Path]
    ) -> bool:
        """Ask for the password of a server to write to; tell whether anybody has to answer."""
        for _, item in self._session.trellis.deliveries():
            server = item.into.database if item.into is not None else None
            if isinstance(server, Server) and (only is None or item.id in only):
                try:
                    self._session.secrets.password(server)
                except PasswordError:
                    again = partial(self.deliver, only, despite, replacing)
                    self._session.password_wanted.emit(server, again)
                    return True
        return False

    def _asks_to_write(self, only: list[str] | None) -> bool:
        """Ask about places that nobody has allowed it to write to; tell whether there are any."""
        session = self._session
        folder = session.path.parent if session.path is not None else None
        wanted = [
            want
            for _, item in session.trellis.deliveries()
            if only is None or item.id in only
            for want in item.wants(folder)
            if want.key not in session.allowed
        ]
        if wanted:
            session.leave_wanted.emit(wanted)
        return bool(wanted)

    def _asks_to_replace(
        self, only: list[str] | None, despite: bool, replacing: Collection[Path]
    ) -> bool:
        """Ask about files that are there and not its own; tell whether anybody has to answer."""
        from keen_trellis.run.approvals import is_its_own

        session, today = self._session, dt.date.today()
        there = [
            item.target(today)
            for _, item in session.trellis.deliveries()
            if (only is None or item.id in only) and item.into is None
        ]
        foreign = [
            one
            for one in there
            if one not in replacing and not is_its_own(session.path, one, True, self.made)
        ]
        if foreign:
            session.may_replace.emit(foreign, partial(self.deliver, only, despite, there))
        return bool(foreign)
