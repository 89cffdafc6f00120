"""One run elsewhere: tables sent, questions asked, our own code for what nobody there knows."""

from __future__ import annotations

import logging
import threading
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, wait
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
from sqlglot import exp

from keen_trellis.base.errors import NotThereError
from keen_trellis.base.language import tr
from keen_trellis.base.logs import timed
from keen_trellis.base.progress import Cancelled, Report, quiet
from keen_trellis.data import Column, Kind, Table
from keen_trellis.deliver.database.target import Target
from keen_trellis.places.lane_tables import LaneThere, TableAsked
from keen_trellis.places.transfer_cells import marks, narrowest, with_gaps
from keen_trellis.servers.server import Database
from keen_trellis.sql.dialects import Dialect, Sql
from keen_trellis.sql.relations import Check, Mapped, Program, Relation, column, select, table
from keen_trellis.sql.summaries import count_of
from keen_trellis.sql.writer import ROW, ordering

_log = logging.getLogger(__name__)

_T = TypeVar("_T")

SENT_AT_MOST = 5_000_000
"""How many rows of a lane, or different values of a column, are sent along."""

WORKED_OUT_HERE_AT_MOST = 1_000_000
"""How many different values of a column are worked out here where the place could do it itself."""

_POLL_S, _LEAVES_S = 0.05, (0.1, 0.2, 0.4, 1.3)


class Session(ABC):
    """A run at one place, from its first question to its last.

    Attributes
    ----------
    dialect : Dialect
    label : str
        What the place is called in sentences.
    runs_our_code : bool
        Whether it may be able to.
    holds_others_up : bool
        Whether others wait for it while it is open, who change what it has read.
    """

    dialect: Dialect
    label: str
    runs_our_code = False
    holds_others_up = False

    def __init__(self) -> None:
        self._sent: dict[str, object] = {}
        self._passed: dict[int, Check] = {}  # kept, so that no other gets the number of one

    # what a place has to know

    @abstractmethod
    def fetch(self, query: Sql, columns: Sequence[tuple[str, Kind]]) -> dict[str, Column]:
        """Return the columns of a query, in their kinds; on the thread of whoever asks."""

    @abstractmethod
    def send(self, name: str, columns: dict[str, Column]) -> None:
        """Make a table for this run alone, in place of one of that name; it ends with the run."""

    @abstractmethod
    def stop(self) -> None:
        """Tell the place to give up what it is doing; from any thread."""

    @abstractmethod
    def close(self) -> None:
        """Leave, and leave nothing there."""

    def work_there(self, query: Sql, one: Mapped, report: Report) -> str:
        """Have the place itself make a table of distinct values with our own code.

        Returns
        -------
        str
            Why it cannot; empty where it has.
        """
        return tr("{label} cannot run code of ours.", label=self.label)

    def table_there(self, database: Database, asked: TableAsked) -> LaneThere | None:
        """Return how the rows of a table are had; None where it does not lie there."""
        return None

    def query_there(self, database: Database, query: str, zone: str) -> LaneThere | None:
        """Return how the rows of a query typed by hand are had; None where it is none of there."""
        return None

    def parquet_there(self, path: str) -> LaneThere | None:
        """Return how the rows of a Parquet file are had; None where nobody there sees it."""
        return None

    def made_once(self, lane: LaneThere, report: Report = quiet) -> LaneThere:
        """Return a lane whose rows are the same for every question of the run."""
        return lane

    def knows(self, database: Database | None) -> bool:
        """Whether a database is the place itself."""
        return False

    def writes(self, database: Database | None, path: Path | None) -> bool:
        """Whether rows can be written there, into a table or to a file, without being fetched."""
        return False

    def write_table(
        self, program: Program, rows: Relation, target: Target, report: Report = quiet
    ) -> None:
        """Write the rows of a relation into a table, all of them or none; seen once it is kept.

        Raises
        ------
        DeliveryError
            As `deliver_table` raises it; nothing is changed then.
        """
        raise TypeError(f"{self.label} has no tables to write.")

    def keep_written(self) -> None:
        """Have all that was written into tables stay, and be seen by others."""
        return

    def write_file(
        self,
        program: Program,
        rows: Relation,
        path: Path,
        require_whole: Callable[[], object],
        report: Report = quiet,
    ) -> None:
        """Write the rows of a relation to files that lie there, all of them or none.

        What is written takes its place only if `require_whole` raises nothing then.
        """
        raise TypeError(f"{self.label} has no files to write.")

    def explained(self, error: Exception) -> Exception:
        """Return an error of the place as a sentence; any other as it is."""
        return error

    @contextmanager
    def telling(self) -> Iterator[None]:
        """Have errors of the place told as sentences.

        Raises
        ------
        UserError
            What the place said, in a sentence.
        """
        try:
            yield
        except Exception as error:
            raise self.explained(error) from error

    # what follows from that

    def __enter__(self) -> Session:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def doing(self, work: Callable[[], _T], report: Report, what: str) -> _T:
        """Return what some work gives, done on a thread that can be stopped.

        Raises
        ------
        Cancelled
            Raised by `report` once the user has asked to stop; the place is told to stop, too.
        """
        future: Future[_T] = Future()

        def do() -> None:
            try:
                with timed(_log, f"ask {self.label}"):  # `what` names steps, by their values
                    made = work()
                future.set_result(made)
            except BaseException as error:  # noqa: BLE001  the border of a thread
                future.set_exception(error)

        threading.Thread(target=do, daemon=True, name=f"keen-trellis at {self.label}").start()
        try:
            while not wait([future], timeout=_POLL_S).done:
                report(0.0, what)
        except Cancelled:
            for pause_s in _LEAVES_S:  # a question only on its way when told would not hear it
                self.stop()
                if wait([future], timeout=pause_s).done:
                    break
            raise
        with self.telling():
            return future.result()

    def ready(self, program: Program, uses: Sequence[str], report: Report = quiet) -> None:
        """See to all that a question needs: tables of our own code, and checks.

        Raises
        ------
        NotThereError
            A check finds that what would come out is not what this machine gives.
        """
        for step in program.needed(uses):
            if isinstance(step, Mapped):
                # By identity: the same work of the same program. Another plan may give its table
                # the same name.
                if self._sent.get(step.name) is not step.work:
                    self._work_out(program, step, report)
                continue
            for check in step.checks:
                if id(check) in self._passed:
                    continue
                self.ready(program, check.uses, report)
                query = program.whole(check.query, check.uses)
                (times,) = self._numbers(
                    query, ["n"], report, tr("Making sure of {name}", name=step.name)
                )
                if times:
                    raise NotThereError(*check.says(times))
                # Once for each session: it reads one state of the tables, of which the answer stays
                # the same.
                self._passed[id(check)] = check

    def numbers(
        self,
        program: Program,
        query: Sql,
        uses: Sequence[str],
        report: Report = quiet,
        what: str = "",
    ) -> list[int]:
        """Return the one row of integers that a query gives."""
        self.ready(program, uses, report)
        names = [one.alias_or_name for one in query.args["expressions"]]
        return self._numbers(program.whole(query, uses), names, report, what)

    def _numbers(self, query: Sql, names: Sequence[str], report: Report, what: str) -> list[int]:
        asked = [(name, Kind.EXACT) for name in names]
        came = self.doing(lambda: self.fetch(query, asked), report, what)
        return [int(came[name].to_list()[0]) for name, _ in asked]

    def table(
        self,
        program: Program,
        rows: Relation,
        at_most: int | None = None,
        report: Report = quiet,
        in_order: bool = True,
    ) -> Table:
        """Return the rows of a relation, or the first of them, with blanks and gaps told apart."""
        if not rows.columns:
            (n,) = self.numbers(program, count_of(rows), [rows.name], report)
            return Table((), (), n if at_most is None else min(n, at_most))
        self.ready(program, [rows.name], report)
        wanted = [(held.id, held.kind) for held in rows.columns]
        marks = [(mark, Kind.BOOLEAN) for mark in rows.gaps]
        query = select([column(name) for name, _ in (*wanted, *marks)], table(rows.name))
        if in_order and rows.order:
            query.set("order", exp.Order(expressions=ordering(self.dialect, rows.order)))
        if at_most is not None:
            # Behind the order, so that these are the first rows of that order and of no other.
            query.limit(at_most, copy=False)
        whole = program.whole(query, [rows.name])
        came = self.doing(
            lambda: self.fetch(whole, [*wanted, *marks]),
            report,
            tr("Fetching {name}", name=rows.name),
        )
        made = {held.name: with_gaps(came[held.id], came.get(held.gap)) for held in rows.columns}
        return Table.of(made)

    def send_lane(self, name: str, rows: Table, ids: Sequence[str], report: Report = quiet) -> None:
        """Send the rows of a lane along, with their numbers; once in a run.

        Raises
        ------
        NotThereError
            They are too many.
        """
        if self._sent.get(name) is rows:
            return
        if len(rows) > SENT_AT_MOST:
            raise NotThereError(
                tr(
                    "{rows:,} rows are too many to be sent to {label}; {sent_at_most:,} "
                    "are the most.",
                    rows=len(rows),
                    label=self.label,
                    sent_at_most=SENT_AT_MOST,
                ),
                tr("Put them into a table there, and begin the lane with it."),
            )
        # The order of a lane's rows goes along: a table of a server has none.
        columns = {ROW: Column(Kind.INTEGER, np.arange(len(rows), dtype=np.int64))}
        columns |= dict(zip(ids, rows.fetched(), strict=True))
        self.doing(
            lambda: self.send(name, columns),
            report,
            tr("Sending {rows:,} rows along", rows=len(rows)),
        )
        self._sent[name] = rows

    def _work_out(self, program: Program, one: Mapped, report: Report) -> None:
        """Ask for the different values, have our own code look at them, and send them back."""
        group = [program.steps[name] for name in one.work.names]
        came: list[dict[str, Column]] = []
        for part in group:
            assert isinstance(part, Mapped)
            self.ready(program, part.uses, report)
            why_not = ""
            found = None
            if one.work.each is not None and self.runs_our_code:
                # Few values are quicker worked out here than brought to the workers, whose Python
                # begins anew.
                found = self._values(program, part, WORKED_OUT_HERE_AT_MOST, report)
                if found is None:
                    whole = program.whole(part.asked, part.uses)
                    why_not = self.work_there(whole, part, report)
                    if not why_not:
                        self._sent[part.name] = one.work
                        return
            if found is None:
                found = self._values(program, part, SENT_AT_MOST, report)
            if found is None:
                raise NotThereError(
                    tr(
                        "{says} has more than {sent_at_most:,} different values, which are too "
                        "many to be worked out here and sent to {label}. {why_not}",
                        says=part.says,
                        sent_at_most=SENT_AT_MOST,
                        label=self.label,
                        why_not=why_not,
                    ).strip(),
                    tr("Filter the rows before, or write it so that the place can do it alone."),
                )
            came.append(found)
        given = [_given(part, found) for part, found in zip(group, came, strict=True)]
        made = self.doing(
            lambda: one.work.make(given), report, tr("Working out {says}", says=one.says)
        )
        for part, found, columns in zip(group, came, made, strict=True):
            assert isinstance(part, Mapped)
            sent = dict(found)
            for what, worked in zip(part.gives, columns, strict=True):
                sent[what.id] = worked
                if what.gap:
                    sent[what.gap] = marks(worked)

            def send(name: str = part.name, sent: Any = sent) -> None:
                self.send(name, sent)

            self.doing(send, report, tr("Sending {says} along", says=one.says))
            self._sent[part.name] = one.work

    def _values(
        self, program: Program, part: Mapped, at_most: int, report: Report
    ) -> dict[str, Column] | None:
        """Return the different values that a table is made of; None where there are more."""
        asked: list[tuple[str, Kind]] = [(held.id, held.kind) for held in part.takes]
        asked += [(mark, Kind.BOOLEAN) for mark in part.marks]
        query = part.asked.copy()
        # One more than may be, which tells that there are too many without counting them.
        query.limit(at_most + 1, copy=False)
        whole = program.whole(query, part.uses)
        found = self.doing(
            lambda: self.fetch(whole, asked),
            report,
            tr("Asking for the values of {says}", says=part.says),
        )
        return None if len(next(iter(found.values()))) > at_most else found


def _given(part: object, found: dict[str, Column]) -> Table:
    """Return the values of a table as our own code takes them."""
    assert isinstance(part, Mapped)
    return Table.of(
        {h.name: with_gaps(narrowest(found[h.id]), found.get(h.gap)) for h in part.takes}
    )
