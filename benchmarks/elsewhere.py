"""Runs where the data is: plans written as SQL, and counts of a join against queries by hand."""

from __future__ import annotations

import uuid
from collections.abc import Iterator
from itertools import pairwise

import psycopg

from benchmarks.measure import Result, timed
from keen_trellis.data import Kind
from keen_trellis.places.lane_tables import TableAsked
from keen_trellis.places.postgres.postgres_session import PostgresSession
from keen_trellis.plan.bays import keep_of
from keen_trellis.plan.expressions import Tested
from keen_trellis.plan.formulas import Applied, Cell, Constant
from keen_trellis.plan.link import Link, LinkField
from keen_trellis.plan.nodes import Join, Kept, Node, Outcome, Read
from keen_trellis.plan.outcome import Columns
from keen_trellis.plan.schema import Schema, SchemaColumn
from keen_trellis.plan.steps import Computed
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Server
from keen_trellis.sql import summaries
from keen_trellis.sql.dialects import DIALECTS, Dialect
from keen_trellis.sql.node_writers import NODE_WRITERS
from keen_trellis.sql.relations import select, star, table
from keen_trellis.sql.writer import Writer

LANES = 100
TAKINGS, TICKETS = 10_000_000, 1_000_000
SERVER = Server("postgresql", "127.0.0.1", "test", "postgres")

BY_HAND = """
WITH l AS (SELECT ticket, COUNT(*) AS n FROM {s}.takings GROUP BY ticket),
     r AS (SELECT ticket, COUNT(*) AS n FROM {s}.tickets GROUP BY ticket)
SELECT SUM(l.n), SUM(l.n) FILTER (WHERE r.n IS NOT NULL), SUM(l.n) FILTER (WHERE l.n > 1),
       SUM(l.n) FILTER (WHERE r.n > 1), COUNT(l.n), COUNT(*) FILTER (WHERE l.n + r.n > 0),
       SUM(r.n), SUM(r.n) FILTER (WHERE l.n IS NOT NULL), SUM(r.n) FILTER (WHERE r.n > 1),
       SUM(r.n) FILTER (WHERE l.n > 1), COUNT(r.n), SUM(l.n * r.n)
FROM l FULL JOIN r ON l.ticket = r.ticket
"""
"""What a careful person writes: each table is read once, no pair is built."""


def run() -> Iterator[Result]:
    for dialect in DIALECTS.values():
        seconds, _ = timed(lambda nodes, d=dialect: written(nodes, d), 5, lambda: (season(),))
        yield Result(f"{LANES} lanes, 299 nodes to {dialect.title}", seconds, None, 200, "ms")
    yield counted()


def season() -> list[Node]:
    """Return a chain of joins of lanes that are filtered and worked on."""
    ends: list[Node] = []
    for number in range(LANES):
        kinds = {"id": Kind.INTEGER, f"name {number}": Kind.TEXT, f"day {number}": Kind.DATE}
        schema = Schema(tuple(SchemaColumn(name, kind) for name, kind in kinds.items()))
        rows: Node = Read(f"s{number}", f"l{number}", schema)
        rows = Kept(rows, Tested(f"name {number}", "=", ("x",)))
        more = Applied("+", (Cell("id", Kind.INTEGER), Constant(1, Kind.INTEGER)), Kind.INTEGER)
        ends.append(Computed(rows, "x", ((f"more {number}", more),)))
    joins: list[Node] = []
    for one, other in pairwise(ends):
        join = Join(one, other, Link((LinkField("id", "id"),)), ("one", "other"))
        joins.append(Outcome(join, keep_of("left outer"), Columns()))
    for node in joins:
        node.check()
        _ = node.digest
    return joins


def written(nodes: list[Node], dialect: Dialect) -> int:
    """Write plans as SQL, and tell how many letters it has."""
    writer = Writer(
        dialect, lambda read, ids: (select([star()], table(read.stamp)), False), NODE_WRITERS
    )
    for node in nodes:
        writer.rows(node)
    steps = writer.program.steps.values()
    return sum(len(dialect.text(step.query, pretty=False)) for step in steps)  # type: ignore[union-attr]


def counted() -> Result:
    schema = f"keen_{uuid.uuid4().hex}"
    secrets = Secrets()
    secrets.give(SERVER, "")
    address = "host=127.0.0.1 dbname=test user=postgres"
    with psycopg.connect(address, autocommit=True) as server:
        server.execute(f"CREATE SCHEMA {schema}")
        try:
            for name, rows, values in (("takings", TAKINGS, TAKINGS // 6), ("tickets", TICKETS, 0)):
                ticket = f"(random() * {values})::bigint" if values else "g"
                server.execute(
                    f"CREATE TABLE {schema}.{name} AS SELECT {ticket} AS ticket, g % 7 AS pier "
                    f"FROM generate_series(1, {rows}) AS g"
                )
                server.execute(f"VACUUM ANALYZE {schema}.{name}")
            with PostgresSession(SERVER, secrets) as session:
                lanes = [
                    session.table_there(SERVER, TableAsked(name, schema))
                    for name in ("takings", "tickets")
                ]
                by_stamp = {f"s{place}": lane for place, lane in enumerate(lanes) if lane}
                reads = [Read(stamp, stamp, lane.schema) for stamp, lane in by_stamp.items()]
                writer = Writer(
                    session.dialect,
                    lambda read, ids: (by_stamp[read.stamp].query(ids), False),
                    NODE_WRITERS,
                )
                link = Link((LinkField("ticket", "ticket"),))
                query, uses = summaries.counts(
                    writer, Join(reads[0], reads[1], link, ("Takings", "Tickets"))
                )
                ours, _ = timed(lambda: session.numbers(writer.program, query, uses), 4)
                hand = BY_HAND.format(s=schema)
                other, _ = timed(lambda: server.execute(hand).fetchall(), 4)
        finally:
            server.execute(f"DROP SCHEMA {schema} CASCADE")
    return Result(
        "PostgreSQL, 10M x 1M: every count of a join, against a query by hand", ours, other, 1 / 1.3
    )
