"""What a trellis does, as a script of SQL to be read: nothing is run but what tells the columns."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from keen_trellis.base.errors import UserError, WaitingError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, quiet
from keen_trellis.base.words import counted, plainly
from keen_trellis.data import Column, Kind
from keen_trellis.document.places import RunPlace
from keen_trellis.document.trellis import Lane, Trellis
from keen_trellis.places.known import PLACES
from keen_trellis.places.lane_tables import LaneThere, TableAsked
from keen_trellis.places.place_kind import PlaceKind
from keen_trellis.places.place_session import Session
from keen_trellis.places.spark.spark_session import parquet_lane
from keen_trellis.plan.nodes import Node
from keen_trellis.run.place_run import There, session_at
from keen_trellis.run.runner import Runner
from keen_trellis.servers.server import Database, Server
from keen_trellis.sql.dialects import DIALECTS, Sql
from keen_trellis.sql.relations import Mapped, Relation, called, column, select, table


class _Nobody(Session):
    """A session in which nothing is asked but what columns a lane has."""

    label = "the script"

    def __init__(self, dialect: str, asks: Session | None) -> None:
        super().__init__()
        self.dialect = DIALECTS[dialect]
        self._kind = _kind(dialect)
        self._asks = asks
        self.sent: dict[str, str] = {}

    def table_there(self, database: Database, asked: TableAsked) -> LaneThere | None:
        return self._asks.table_there(database, asked) if self._asks else None

    def query_there(self, database: Database, query: str, zone: str) -> LaneThere | None:
        return self._asks.query_there(database, query, zone) if self._asks else None

    def parquet_there(self, path: str) -> LaneThere | None:
        return parquet_lane(path) if self._kind.reads_files else None

    def fetch(self, query: Sql, columns: Sequence[tuple[str, Kind]]) -> dict[str, Column]:
        raise TypeError("A script asks for no rows.")

    def send(self, name: str, columns: dict[str, Column]) -> None:
        kinds = ", ".join(f"{one} {held.kind}" for one, held in columns.items())
        rows = counted(len(next(iter(columns.values()))), "row")
        self.sent[name] = tr("{rows} with {columns}", rows=rows, columns=kinds)

    def stop(self) -> None:
        pass

    def close(self) -> None:
        if self._asks is not None:
            self._asks.close()


def script(
    trellis: Trellis,
    dialect: str,
    lane: Lane | None,
    runner: Runner,
    report: Report = quiet,
) -> tuple[str, list[UserError]]:
    """Return the SQL of every lane's rows, or of one lane's, and what cannot be said in it.

    Parameters
    ----------
    trellis : Trellis
        With absolute paths.
    dialect : str
        Of one of `PLACES`.
    lane : Lane or None
    runner : Runner
        Reads the lanes that would be sent along: their kinds are found in their rows.
    report : Report

    Raises
    ------
    UserError
        A lane that is asked for cannot be read.
    """
    place = _place(trellis, dialect)
    asks = session_at(place, runner.secrets) if place is not None else None
    session = _Nobody(dialect, asks)
    with session:
        there = There(trellis, session, runner, report=report)
        parts, errors = [], []
        for one in trellis.lanes if lane is None else (lane,):
            node = there.plan.nodes[trellis.end_of(one)]
            try:
                if isinstance(node, UserError):
                    raise node
                rows = there.writer.rows(node, in_order=True)
            except UserError as error:
                if not isinstance(error, WaitingError):
                    errors.append(error)
                continue
            parts.append("\n".join(_told(one, node, rows, there, session)))
    return "\n\n".join(parts), errors


def _place(trellis: Trellis, dialect: str) -> RunPlace | None:
    """Return the server that is asked what columns its tables have; None for no server."""
    kind = _kind(dialect)
    if not kind.has_account:
        return None
    servers = [place for place in trellis.places if place.at.type == kind.type]
    for lane in trellis.lanes:
        database = getattr(lane.source, "database", None)
        if isinstance(database, Server) and database.type == kind.type:
            # A lane's own server tells the columns where no place to run is written down.
            usual = RunPlace(name=database.label, at=database)
            return next((one for one in servers if one.at == database), usual)
    return None


def _kind(dialect: str) -> PlaceKind:
    """Return the sort of place that has a dialect."""
    return next(kind for kind in PLACES.values() if kind.dialect == dialect)


def _told(lane: Lane, node: Node, rows: Relation, there: There, session: _Nobody) -> Iterator[str]:
    program, dialect = there.writer.program, session.dialect
    yield f"-- {plainly(lane.name)}: {counted(len(node.schema.names), 'column')}"
    whole = program.whole(_named(rows), [rows.name], comments=True)
    text = dialect.text(whole)
    for name, what in session.sent.items():
        # A lane that is sent along but not asked here is no part of this statement.
        if dialect.text(table(name), pretty=False) in text:
            yield f"-- {plainly(tr('{name} is sent along: {what}', name=name, what=what))}"
    for step in program.needed([rows.name]):
        if isinstance(step, Mapped):
            asked = dialect.text(program.whole(step.asked, step.uses), pretty=False)
            says = tr(
                "{name}: {says}, worked out by Keen Trellis for the values of",
                name=step.name,
                says=step.says,
            )
            yield f"-- {plainly(says)}"
            yield f"--   {plainly(asked)}"
    yield f"{text};"


def _named(rows: Relation) -> Sql:
    values = [
        column(held.id) if held.id == held.name else called(column(held.id), held.name)
        for held in rows.columns
    ]
    return select(values, table(rows.name))
