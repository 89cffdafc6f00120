"""One run elsewhere: tables sent, questions asked, our own code for what nobody there knows."""

from __future__ import annotations

import threading
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, wait
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from sqlglot import exp

from keen_trellis.data import GAP, Column, Kind, Table, from_arrow
from keen_trellis.deliver.tables import Target
from keen_trellis.errors import NotThereError
from keen_trellis.places.lanes import LaneThere, TableAsked
from keen_trellis.progress import Cancelled, Report, quiet
from keen_trellis.read.server import Database
from keen_trellis.sql.dialects import Dialect, Sql
from keen_trellis.sql.relations import Check, Mapped, Program, Relation, column, select, table
from keen_trellis.sql.summaries import count_of
from keen_trellis.sql.writer import ROW, ordering

_T = TypeVar("_T")

SENT_AT_MOST = 5_000_000
"""How many rows of a lane, or different values of a column, are sent along."""

_POLL_S, _LEAVES_S = 0.05, 2.0


class Session(ABC):
    """A run at one place, from its first question to its last.

    Attributes
    ----------
    dialect : Dialect
    label : str
        What the place is called in sentences.
    """

    dialect: Dialect
    label: str

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

    def table_there(self, database: Database, asked: TableAsked) -> LaneThere | None:
        """Return how the rows of a table are had; None where it does not lie there."""
        return None

    def query_there(self, database: Database, query: str, zone: str) -> LaneThere | None:
        """Return how the rows of a query typed by hand are had; None where it is none of there."""
        return None

    def parquet_there(self, path: str) -> LaneThere | None:
        """Return how the rows of a Parquet file are had; None where nobody there sees it."""
        return None

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
        self, program: Program, rows: Relation, path: Path, report: Report = quiet
    ) -> None:
        """Write the rows of a relation to files that lie there, all of them or none."""
        raise TypeError(f"{self.label} has no files to write.")

    def explained(self, error: Exception) -> Exception:
        """Return an error of the place as a sentence; any other as it is."""
        return error

    @contextmanager
    def telling(self) -> Iterator[None]:
        """Have errors of the place told as sentences."""
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
                future.set_result(work())
            except BaseException as error:  # noqa: BLE001  the border of a thread
                future.set_exception(error)

        threading.Thread(target=do, daemon=True, name=f"keen-trellis at {self.label}").start()
        try:
            while not wait([future], timeout=_POLL_S).done:
                report(0.0, what)
        except Cancelled:
            self.stop()
            wait([future], timeout=_LEAVES_S)
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
                if self._sent.get(step.name) is not step.work:
                    self._work_out(program, step, report)
                continue
            for check in step.checks:
                if id(check) in self._passed:
                    continue
                self.ready(program, check.uses, report)
                query = program.whole(check.query, check.uses)
                (times,) = self._numbers(query, ["n"], report, f"Making sure of {step.name}")
                if times:
                    raise NotThereError(*check.says(times))
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
            query.limit(at_most, copy=False)
        whole = program.whole(query, [rows.name])
        came = self.doing(
            lambda: self.fetch(whole, [*wanted, *marks]), report, f"Fetching {rows.name}"
        )
        made = {held.name: _with_gaps(came[held.id], came.get(held.gap)) for held in rows.columns}
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
                f"{len(rows):,} rows are too many to be sent to {self.label}; {SENT_AT_MOST:,} "
                "are the most.",
                "Put them into a table there, and begin the lane with it.",
            )
        columns = {ROW: Column(Kind.INTEGER, np.arange(len(rows), dtype=np.int64))}
        columns |= dict(zip(ids, rows.fetched(), strict=True))
        self.doing(lambda: self.send(name, columns), report, f"Sending {len(rows):,} rows along")
        self._sent[name] = rows

    def _work_out(self, program: Program, one: Mapped, report: Report) -> None:
        """Ask for the different values, have our own code look at them, and send them back."""
        group = [program.steps[name] for name in one.work.names]
        given: list[Table] = []
        came: list[dict[str, Column]] = []
        for part in group:
            assert isinstance(part, Mapped)
            self.ready(program, part.uses, report)
            asked: list[tuple[str, Kind]] = [(held.id, held.kind) for held in part.takes]
            asked += [(mark, Kind.BOOLEAN) for mark in part.marks]
            query = part.asked.copy()
            query.limit(SENT_AT_MOST + 1, copy=False)
            whole = program.whole(query, part.uses)

            def fetched(whole: Sql = whole, asked: Any = asked) -> dict[str, Column]:
                return self.fetch(whole, asked)

            found = self.doing(fetched, report, f"Asking for the values of {part.says}")
            if len(next(iter(found.values()))) > SENT_AT_MOST:
                raise NotThereError(
                    f"{part.says} has more than {SENT_AT_MOST:,} different values, which are too "
                    f"many to be worked out here and sent to {self.label}.",
                    "Filter the rows before, or write it so that the place can do it alone.",
                )
            came.append(found)
            values = {
                h.name: _with_gaps(narrowest(found[h.id]), found.get(h.gap)) for h in part.takes
            }
            given.append(Table.of(values))
        made = self.doing(lambda: one.work.make(given), report, f"Working out {one.says}")
        for part, found, columns in zip(group, came, made, strict=True):
            assert isinstance(part, Mapped)
            sent = dict(found)
            for what, worked in zip(part.gives, columns, strict=True):
                sent[what.id] = worked
                if what.gap:
                    sent[what.gap] = _marks(worked)

            def send(name: str = part.name, sent: Any = sent) -> None:
                self.send(name, sent)

            self.doing(send, report, f"Sending {one.says} along")
            self._sent[part.name] = one.work


def narrowest(values: Column) -> Column:
    """Return exact decimals with no more digits behind the mark than any of them needs.

    A place may add zeros there, which leave less room before the mark in what is worked out.
    """
    if values.kind is not Kind.EXACT or not values.scale:
        return values
    # by its digits: Arrow's own way from one scale to a smaller one refuses some that would fit
    texts = pc.utf8_rtrim(values.texts(), "0")
    behind = pc.subtract(pc.binary_length(texts), pc.add(pc.find_substring(texts, "."), 1))
    scale = pc.max(behind).as_py() or 0
    made = from_arrow(pc.utf8_rtrim(texts, ".").cast(pa.decimal128(38, scale)))
    return made if values.state is None else replace(made, state=values.state)


def _with_gaps(values: Column, gaps: Column | None) -> Column:
    """Return values whose nulls are gaps where a mark says so."""
    if gaps is None or values.state is None:
        return values
    state = np.where((values.state != 0) & gaps.values, GAP, values.state).astype(np.uint8)
    return Column(
        values.kind, values.values, state, dictionary=values.dictionary, scale=values.scale
    )


def _marks(values: Column) -> Column:
    is_gap = np.zeros(len(values), np.bool_) if values.state is None else values.state == GAP
    return Column(Kind.BOOLEAN, is_gap)
