"""A room for what the tests make, and a schema of its own in PostgreSQL where they run."""

import contextlib
import io
import os
import shutil
import tempfile
import unittest
import uuid
from pathlib import Path
from unittest import mock

from keen_trellis.cli.main import main
from keen_trellis.document import Trellis, load, save
from keen_trellis.document.edits import (
    AddDelivery,
    AddLane,
    AddTie,
    SetLink,
    SetPlace,
    apply,
)
from keen_trellis.document.items import (
    LinkedFields,
)
from keen_trellis.document.places import RunPlace
from keen_trellis.document.sources import (
    TableSource,
)
from keen_trellis.servers.server import Server
from tests.postgres_case import PostgresTestCase

DEMO = Path(__file__).parents[2] / "demo"
SECRET = "HARBOUR_OF_TESTS"


def command(*arguments: str) -> tuple[int, str, str]:
    said, trouble = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(said), contextlib.redirect_stderr(trouble):
        code = main(list(arguments))
    return code, said.getvalue(), trouble.getvalue()


class Room(unittest.TestCase):
    """A folder of its own, with a state of its own."""

    def make_room(self) -> None:
        room = tempfile.TemporaryDirectory()
        self.addCleanup(room.cleanup)
        self.room = Path(room.name)
        state = {"XDG_STATE_HOME": str(self.room / "state"), SECRET: "not to be told"}
        surroundings = mock.patch.dict(os.environ, state)
        surroundings.start()
        self.addCleanup(surroundings.stop)

    def demo(self, name: str, place: RunPlace) -> Path:
        """Return a copy of a trellis of the demo that can run at a place, and may."""
        shutil.copytree(DEMO, self.room / "demo", ignore=shutil.ignore_patterns("out"))
        file = self.room / "demo" / f"{name}.trellis"
        return self.saved(apply(SetPlace(place), load(file))[0], file)

    def saved(self, trellis: Trellis, file: Path) -> Path:
        save(trellis, file)
        self.assertEqual(command("allow", str(file), "--yes")[0], 0)
        return file


class PostgresRoom(PostgresTestCase, Room):
    def setUp(self) -> None:
        super().setUp()
        self.make_room()
        self.schema = f"keen_{uuid.uuid4().hex}"
        self.server.execute(f"create schema {self.schema}")
        self.addCleanup(self.server.execute, f"drop schema {self.schema} cascade")
        self.at = Server("postgresql", "127.0.0.1", "test", "postgres", password=f"${{{SECRET}}}")
        self.place = RunPlace(name="pier", at=self.at)

    def table(self, name: str, columns: str, rows: str) -> TableSource:
        self.server.execute(f"create table {self.schema}.{name} ({columns})")
        self.server.execute(f"insert into {self.schema}.{name} values {rows}")
        return TableSource(database=self.at, table=name, in_schema=self.schema)

    def tied(self) -> Trellis:
        """Return Takings tied with Tickets, both tables of the server, and a delivery there."""
        takings = self.table(
            "takings",
            "ticket int, fare numeric(8,2)",
            "(1, 2.50), (1, 3), (2, 4.75), (9, 1), (null, 7)",
        )
        tickets = self.table("tickets", "no bigint, pier text", "(1, 'Tolland'), (2, 'Brae')")
        trellis = apply(AddLane("Takings", takings), Trellis())[0]
        trellis = apply(AddLane("Tickets", tickets), trellis)[0]
        lane, other = trellis.lanes
        trellis = apply(AddTie(lane.id, other.id, ()), trellis)[0]
        join = next(item for _, item in trellis.joins())
        trellis = apply(SetLink(join.id, (LinkedFields(left="ticket", right="no"),)), trellis)[0]
        trellis = apply(AddDelivery(lane.id, "Season", str(self.room / "season.csv")), trellis)[0]
        return apply(SetPlace(self.place), trellis)[0]
