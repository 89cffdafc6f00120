"""A trellis run where its data is: counts of every part, as a run on this machine takes them.

Lanes that lie there stay there; those that do not are read here and sent along. What cannot be had
there as it is here stands as a refusal in the place of the part, and what needs it waits for it.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlglot import exp

from keen_trellis.base.errors import (
    ConnectionLostError,
    NotThereError,
    SourceError,
    UnknownColumnError,
    UserError,
    WaitingError,
)
from keen_trellis.base.file_stamps import FileStamp, WrittenMeanwhileError, stamps_below, written_to
from keen_trellis.base.language import grouped_digits, tr
from keen_trellis.base.progress import Report, quiet
from keen_trellis.data import Kind, Table
from keen_trellis.document.places import RunPlace
from keen_trellis.document.sources import (
    ColumnarSource,
    InTrellis,
    QuerySource,
    Source,
    TableSource,
)
from keen_trellis.document.trellis import Lane, Trellis
from keen_trellis.places.known import PLACES
from keen_trellis.places.lane_tables import LaneThere, TableAsked, says_odd
from keen_trellis.places.place_session import Session
from keen_trellis.plan.counts import Counts, SideCounts
from keen_trellis.plan.nodes import Join, Kept, Node, Outcome, Read
from keen_trellis.plan.outcome import semi_side
from keen_trellis.run.planning import Plan, planned
from keen_trellis.run.runner import Runner
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Server
from keen_trellis.sql import summaries
from keen_trellis.sql.dialects import Sql
from keen_trellis.sql.node_writers import NODE_WRITERS, asked_of
from keen_trellis.sql.relations import (
    Check,
    called,
    choose,
    column,
    count,
    ids_of,
    select,
    star,
    table,
)
from keen_trellis.sql.writer import Writer

PREVIEWED = 1_000
"""How many rows are fetched to be looked at."""


@dataclass(frozen=True, slots=True)
class Asked:
    """A question that was asked there: of which part, how long it took, and what it found."""

    part: str
    what: str
    seconds: float
    found: str


def session_at(place: RunPlace, secrets: Secrets) -> Session:
    """Return a session at a place; errors as the sessions raise them."""
    return PLACES[place.at.type].open(place.at, secrets)


class There:
    """One run of one trellis at one place.

    Parameters
    ----------
    trellis : Trellis
        With absolute paths.
    session : Session
        Open as long as rows may be asked for.
    runner : Runner
        Reads the lanes that are sent along.
    all_sent : bool
        Whether every lane is read here and sent along, for a comparison of samples.
    report : Report
    """

    def __init__(
        self,
        trellis: Trellis,
        session: Session,
        runner: Runner,
        all_sent: bool = False,
        report: Report = quiet,
    ) -> None:
        self.trellis, self.session, self._runner = trellis, session, runner
        self._all_sent, self.report = all_sent, report
        self.lying: dict[str, LaneThere] = {}
        self._sent: dict[str, Table] = {}
        self._files: dict[Path, tuple[FileStamp, ...]] = {}
        self.asked: list[Asked] = []
        self._lost: ConnectionLostError | None = None
        reads = {
            lane.id: self._read(lane)
            for lane in trellis.lanes
            if not isinstance(lane.source, InTrellis)
        }
        self.reads: Mapping[str, Node | UserError] = reads
        self.plan: Plan = planned(trellis, reads)
        self.writer = Writer(
            session.dialect, self._begins, NODE_WRITERS, labels_of(self.plan), self._checks
        )
        # Names of tables are taken before those of queries are made: a query of that name would
        # hide one.
        self.writer.program.reserve(map(self._sent_as, reads))
        for lying in self.lying.values():
            self.writer.program.reserve(lying.names())
        self._counts: dict[str, Counts | UserError] = {}
        self._rows: dict[str, int | UserError] = {}

    # lanes

    def _read(self, lane: Lane) -> Node | UserError:
        try:
            if not self._all_sent:
                lying = lies_there(lane.source, self.session)
                if lying is not None:
                    if lane.source.place:
                        place = Path(lane.source.place)
                        # Before anything is asked of it: what is written from here on is found out
                        # by `require_unwritten`.
                        self._files.setdefault(place, stamps_below(place))
                    lying.require_kinds(lane.source.kinds, self.session.dialect.title)
                    lying = self.session.made_once(lying, self.report)
                    stamp = f"there {lane.id}"
                    self.lying[stamp] = lying
                    return Read(stamp, lane.id, lying.schema)
                _refuse_unseen(lane, self.session)
            return self._sent_along(lane)
        except (SourceError, UnknownColumnError, NotThereError) as error:
            return error

    def _sent_along(self, lane: Lane) -> Node:
        from keen_trellis.compute.table_schema import schema_of

        read = self._runner.sources.read(lane.source, self.report)
        rows, stamp = read.reading.table, read.stamp
        node = Read(stamp, lane.id, schema_of(rows))
        self._sent[stamp] = rows
        return node

    def _begins(self, read: Read, ids: Sequence[str]) -> tuple[Sql, bool]:
        if read.stamp in self.lying:
            return self.lying[read.stamp].query(ids), False
        name = self._sent_as(read.origin)
        self.session.send_lane(name, self._sent[read.stamp], ids, self.report)
        return select([star()], table(name)), True

    def _sent_as(self, lane_id: str) -> str:
        """Return the name of the table that a lane is sent as."""
        # By its place among all lanes: names may be alike once they are cut to what the database
        # takes.
        place = [one.id for one in self.trellis.lanes].index(lane_id)
        # the number first: a name that is too long is cut behind it
        wanted = f"{place} {self.trellis.lane(lane_id).name}"
        return f"~{ids_of([wanted], self.session.dialect)[0]}"

    def _checks(self, read: Read) -> Sequence[Check]:
        lying = self.lying.get(read.stamp)
        odd = lying.odd_rows(self.session.dialect) if lying is not None else None
        if lying is None or odd is None:
            return ()
        return (Check(odd, (), says_odd(lying, self.session.dialect.title)),)

    # what is counted

    def count(self, part: str) -> int | UserError:
        """Return how many rows go on from a part, asked for once."""
        node = self.plan.nodes[part]
        if isinstance(node, UserError):
            return node
        # By digest: a delivery, a step that is off and a lane that begins with these rows ask the
        # same question.
        if node.digest not in self._rows:
            self._rows[node.digest] = self._waiting(part) or self._counted(part, node)
        return self._rows[node.digest]

    def _waiting(self, part: str) -> WaitingError | None:
        """Return what a part waits for, where one that it needs cannot be had."""
        if part in self.reads:
            return None
        # Sorted, so that of two that failed always the same one is named.
        for needed in sorted(self.trellis.needed_by(*self.trellis.place_after(part))):
            found = self.count(needed)
            if isinstance(found, UserError):
                return WaitingError(self.trellis.place_after(needed)[0].name, found)
        return None

    def _counted(self, part: str, node: Node) -> int | UserError:
        if isinstance(node, Outcome):
            found = self.counts(part, node.join)
            if isinstance(found, UserError):
                return found
            # No column of one side goes on: each row of the other stands once, however many
            # partners it has.
            side = semi_side(node.keep, node.columns)
            if side is not None:
                return (found.left if side == "left" else found.right).found
            return found.rows(node.keep)
        counted_there: int | UserError = self._tried(part, tr("rows"), lambda: self._count(node))
        return counted_there

    def _count(self, node: Node) -> int:
        rows = self.writer.rows(node)
        query = summaries.count_of(rows)
        (n,) = self.session.numbers(self.writer.program, query, [rows.name], self.report)
        return n

    def counts(self, part: str, join: Join) -> Counts | UserError:
        """Return the counts of a join, asked for once."""
        if join.digest not in self._counts:
            self._counts[join.digest] = self._tried(part, tr("partners"), lambda: self._join(join))
        return self._counts[join.digest]

    def _join(self, join: Join) -> Counts:
        query, uses = summaries.counts(self.writer, join)
        numbers = self.session.numbers(self.writer.program, query, uses, self.report)
        # In the order of `summaries.COUNTED`: eight numbers of each side, then the pairs.
        left, right = (SideCounts(*numbers[start : start + 8]) for start in (0, 8))
        return Counts(left, right, numbers[16])

    def kept(self, part: str, node: Kept) -> tuple[int, int] | UserError:
        """Return how many rows a filter was given, and of how many it does not know."""

        def ask() -> tuple[int, int]:
            before = self.writer.rows(node.rows)
            rows, asked = asked_of(self.writer, before, node.condition, "filter")

            unknown = count(
                choose(exp.Is(this=exp.paren(asked), expression=exp.Null()), exp.true())
            )
            query = select([called(count(), "all"), called(unknown, "unknown")], table(rows.name))
            numbers = self.session.numbers(self.writer.program, query, [rows.name], self.report)
            return numbers[0], numbers[1]

        found: tuple[int, int] | UserError = self._tried(part, tr("rows left out"), ask)
        return found

    def _tried(self, part: str, what: str, ask: Callable[[], Any]) -> Any:
        """Return what a question finds, or why it cannot be had; noted either way."""
        if self._lost is not None:
            return self._lost
        # The clock that never goes back: the machine's own may be set while a server works.
        began = time.monotonic()
        try:
            found = ask()
            # every question goes to the files anew: only while none was written to since the run
            # began are its numbers of one state, and add up
            self.require_unwritten()
        except UserError as error:
            found = error
            if isinstance(error, ConnectionLostError):  # nobody is there to be asked any more
                self._lost = error
        self.asked.append(Asked(part, what, time.monotonic() - began, _words(found)))
        return found

    def require_unwritten(self) -> None:
        """Refuse what was found where a file that is read there is another by now.

        Raises
        ------
        WrittenMeanwhileError
            It was written to since the run began, so that no two numbers need go together.
        """
        for place, stamps in self._files.items():
            written = written_to(stamps, stamps_below(place))
            if written:
                raise WrittenMeanwhileError(written)

    def table(self, part: str, at_most: int | None = PREVIEWED) -> Table:
        """Return the first rows after a part.

        Raises
        ------
        UserError
            They cannot be had there.
        """
        node = self.plan.nodes[part]
        if isinstance(node, UserError):
            raise node
        return self.fetched(node, at_most)

    def fetched(self, node: Node, at_most: int | None = PREVIEWED) -> Table:
        """Return the first rows of a node, in their order where they have one."""
        rows = self.writer.rows(node, in_order=True)
        found = self.session.table(self.writer.program, rows, at_most, self.report)
        return found.with_origins({one.name: one.origin for one in node.schema})

    def total(self, node: Node, name: str) -> Any:
        """Return the exact sum of a column of integers or exact decimals."""
        rows = self.writer.rows(node)
        value = self.session.dialect.cast(column(rows.held(name).id), Kind.EXACT)
        added = exp.Coalesce(this=exp.Sum(this=value), expressions=[exp.Literal.number(0)])
        query = select([called(added, "total")], table(rows.name))
        self.session.ready(self.writer.program, [rows.name], self.report)
        whole = self.writer.program.whole(query, [rows.name])
        found = self.session.doing(
            lambda: self.session.fetch(whole, [("total", Kind.EXACT)]), self.report, tr("Adding up")
        )
        return found["total"].to_list()[0]


def labels_of(plan: Plan) -> dict[str, tuple[str, str]]:
    """Return what the queries of a plan's nodes are called, with the lane and step they are."""
    made: dict[str, tuple[str, str]] = {}
    trellis = plan.trellis
    lanes = {lane.id: lane for lane in trellis.lanes}
    for part, node in plan.nodes.items():
        if isinstance(node, UserError):
            continue
        if part in lanes:
            label = (lanes[part].name, tr("the lane {name}", name=lanes[part].name))
        else:
            lane, place = trellis.place_of(part)
            item = trellis.item(part)
            label = (
                f"{lane.name} {place + 1} {item.type}"[:40],
                tr(
                    "{name}, step {place}: {sentence}",
                    name=lane.name,
                    place=place + 1,
                    sentence=item.sentence(trellis, lane),
                ),
            )
        made.setdefault(node.digest, label)
    return made


def lies_there(source: Source, session: Session) -> LaneThere | None:
    """Return how the rows of a source are had where they are; None where they lie elsewhere."""
    match source:
        case TableSource():
            asked = TableAsked(
                source.table, source.in_schema, source.columns, source.conditions, source.zone
            )
            return session.table_there(source.database, asked)
        case QuerySource():
            return session.query_there(source.database, source.query, source.zone)
        case ColumnarSource() if Path(source.path).suffix.lower() == ".parquet":
            return session.parquet_there(source.path)
    return None


def _refuse_unseen(lane: Lane, session: Session) -> None:
    """Refuse a table of another server: it is not to be emptied over the wire."""
    database = getattr(lane.source, "database", None)
    if isinstance(database, Server) and not session.knows(database):
        raise NotThereError(
            tr(
                "{name} lies in {label}, which {session_label} does not see.",
                name=lane.name,
                label=database.label,
                session_label=session.label,
            ),
            tr("Bring the table there, or run the trellis on this machine."),
        )


def _words(found: object) -> str:
    """Return what a question found, as short as it can be said."""
    match found:
        case int():
            return grouped_digits(found)
        case Counts():
            return grouped_digits(found.pairs)
        case UserError():
            return "refused"
    return ""
