"""What a trellis does, as a script of SQL to be read: nothing is run but what tells the columns."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from keen_trellis.data import Column, Kind
from keen_trellis.document.places import RunPlace
from keen_trellis.document.trellis import Lane, Trellis
from keen_trellis.errors import UserError, WaitingError
from keen_trellis.places.lanes import LaneThere, TableAsked
from keen_trellis.places.session import Session
from keen_trellis.places.spark import parquet_lane
from keen_trellis.plan.nodes import Node
from keen_trellis.progress import Report, quiet
from keen_trellis.read.server import Database, Server
from keen_trellis.run.runner import Runner
from keen_trellis.run.there import There, session_at
from keen_trellis.sql.dialects import DIALECTS, Sql
from keen_trellis.sql.relations import Mapped, Relation, called, column, select, table
from keen_trellis.words import counted


class _Nobody(Session):
    """A session in which nothing is asked but what columns a lane has."""

    label = "the script"

    def __init__(self, dialect: str, asks: Session | None) -> None:
        super().__init__()
        self.dialect = DIALECTS[dialect]
        self._asks = asks
        self.sent: dict[str, str] = {}

    def table_there(self, database: Database, asked: TableAsked) -> LaneThere | None:
        return self._asks.table_there(database, asked) if self._asks else None

    def query_there(self, database: Database, query: str, zone: str) -> LaneThere | None:
        return self._asks.query_there(database, query, zone) if self._asks else None

    def parquet_there(self, path: str) -> LaneThere | None:
        return parquet_lane(path) if self.dialect.name == "spark" else None

    def fetch(self, query: Sql, columns: Sequence[tuple[str, Kind]]) -> dict[str, Column]:
        raise TypeError("A script asks for no rows.")

    def send(self, name: str, columns: dict[str, Column]) -> None:
        kinds = ", ".join(f"{one} {held.kind}" for one, held in columns.items())
        self.sent[name] = f"{counted(len(next(iter(columns.values()))), 'row')} with {kinds}"

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
    dialect : “postgres” or “spark”
    lane : Lane or None
    runner : Runner
        Reads the lanes that would be sent along: their kinds are found in their rows.
    report : Report
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
    if dialect != "postgres":
        return None
    servers = [place for place in trellis.places if isinstance(place.at, Server)]
    for lane in trellis.lanes:
        database = getattr(lane.source, "database", None)
        if isinstance(database, Server) and database.type == "postgresql":
            usual = RunPlace(name=database.label, at=database)
            return next((one for one in servers if one.at == database), usual)
    return None


def _told(lane: Lane, node: Node, rows: Relation, there: There, session: _Nobody) -> Iterator[str]:
    program, dialect = there.writer.program, session.dialect
    yield f"-- {lane.name}: {counted(len(node.schema.names), 'column')}"
    whole = program.whole(_named(rows), [rows.name], comments=True)
    text = dialect.text(whole)
    for name, what in session.sent.items():
        if dialect.text(table(name), pretty=False) in text:
            yield f"-- {name} is sent along: {what}"
    for step in program.needed([rows.name]):
        if isinstance(step, Mapped):
            asked = dialect.text(program.whole(step.asked, step.uses), pretty=False)
            yield f"-- {step.name}: {step.says}, worked out by Keen Trellis for the values of"
            yield f"--   {asked}"
    yield f"{text};"


def _named(rows: Relation) -> Sql:
    values = [
        column(held.id) if held.id == held.name else called(column(held.id), held.name)
        for held in rows.columns
    ]
    return select(values, table(rows.name))
