"""One list of what a document may do, made from what will be done."""

import datetime as dt
import json
import tempfile
import unittest
from pathlib import Path

from keen_trellis.base.errors import DocumentError, EditError
from keen_trellis.cli.commands import lane_set
from keen_trellis.document import DelimitedSource, Trellis
from keen_trellis.document.edits import (
    AddDelivery,
    AddLane,
    RenameTrellis,
    SetDelivery,
    SetPlace,
    apply,
)
from keen_trellis.document.items import IntoTable
from keen_trellis.document.places import RunPlace
from keen_trellis.document.sources import FolderSource, Source, TableSource
from keen_trellis.document.storage import loads
from keen_trellis.document.trellis_wants import wants
from keen_trellis.places.spark.cluster import SparkCluster
from keen_trellis.run import Runner
from keen_trellis.run.sql_script import script
from keen_trellis.servers.server import Server, SqliteFile

SERVER = Server("postgresql", "db.example", "harbour", "reader", password="${SECRET}")


class WantsTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.outside = Path(folder.name).resolve()
        self.folder = self.outside / "document"
        self.folder.mkdir()
        self.document = self.folder / "a.trellis"

    def of_source(self, source: Source) -> str:
        return self.of(apply(AddLane("Lane", source), Trellis())[0])

    def of(self, trellis: Trellis) -> str:
        return "\n".join(want.words for want in wants(trellis, self.document))

    def keys(self, source: Source) -> set[str]:
        made = apply(AddLane("Lane", source), Trellis())[0]
        return {want.key for want in wants(made, self.document)}

    def test_what_lies_in_its_folder_is_its_own_but_what_is_hidden_there(self) -> None:
        self.assertEqual(self.of_source(DelimitedSource(path=str(self.folder / "a.csv"))), "")
        hidden = DelimitedSource(path=str(self.folder / ".ssh" / "key"))
        self.assertIn(".ssh/key, which is hidden", self.of_source(hidden))

    def test_links_count_as_what_they_lead_to(self) -> None:
        (self.outside / "secret.csv").write_text("a\n1\n")
        files = self.folder / "files"
        files.mkdir()
        (files / "a.csv").write_text("a\n1\n")
        (files / "b.csv").symlink_to(self.outside / "secret.csv")
        said = self.of_source(FolderSource(path=str(files)))
        self.assertEqual(said, f"reads {self.outside / 'secret.csv'}, outside of its folder")
        dated = self.folder / f"out-{dt.date.today().isoformat()}.csv"
        dated.symlink_to(self.outside / "precious.csv")
        trellis = apply(AddLane("Lane", DelimitedSource(path=str(files / "a.csv"))), Trellis())[0]
        delivers = AddDelivery("lane", "Out", str(self.folder / "out-{date}.csv"))
        said = self.of(apply(delivers, trellis)[0])
        self.assertEqual(said, f"writes {self.outside / 'precious.csv'}, outside of its folder")

    def test_another_database_another_way_or_another_secret_is_asked_about_anew(self) -> None:
        def table(**changes: object) -> TableSource:
            return TableSource(database=Server(**{**vars_of(SERVER), **changes}), table="t")

        before = self.keys(table())
        for change in (
            *({"database": "other"}, {"user": "root"}, {"host": "else.example"}, {"port": 5433}),
            *({"tls": "never"}, {"password": "${OTHER}"}, {"authority": "/etc/ca.pem"}),
        ):
            self.assertTrue(self.keys(table(**change)) - before, change)
        said = self.of_source(table(authority="/etc/ca.pem"))
        for words in ("database harbour", "perhaps unencrypted", "SECRET", "reads /etc/ca.pem"):
            self.assertIn(words, said)

    def test_to_make_to_replace_and_to_add_are_three_things(self) -> None:
        own = DelimitedSource(path=str(self.folder / "a.csv"))
        trellis = apply(AddLane("Lane", own), Trellis())[0]
        trellis = apply(AddDelivery("lane", "Out", str(self.folder / "out.csv")), trellis)[0]
        ((_, delivery),) = trellis.deliveries()
        file = SqliteFile(str(self.folder / "base.sqlite"))
        keys = []
        for database in (SERVER, file):
            for how in ("make", "replace", "add"):
                into = IntoTable(database=database, table="t", how=how)
                made = apply(SetDelivery(delivery.but(path="", into=into)), trellis)[0]
                keys.append(frozenset(want.key for want in wants(made, self.document)))
        self.assertEqual(len(set(keys)), 6)
        self.assertEqual(keys[3], frozenset())  # a new table in a file of its own folder

    def test_a_place_that_runs_it_is_contacted_and_sees_files_only_if_that_is_allowed(self) -> None:
        cluster = RunPlace(name="cluster", at=SparkCluster("spark.example", sees=("/data",)))
        said = self.of(apply(SetPlace(cluster), Trellis())[0])
        self.assertIn("contacts the Spark cluster spark.example", said)
        self.assertIn("has the cluster read /data", said)

    def test_a_lane_is_set_by_what_means_it_alone(self) -> None:
        trellis = Trellis()
        for name in ("One", "Two"):
            trellis = apply(AddLane(name, DelimitedSource(path="/x.csv")), trellis)[0]
        lanes = json.loads(trellis.model_dump_json())
        lanes["lanes"][0]["name"] = "two"  # which is the id of the other
        trellis = Trellis.model_validate(lanes)
        self.assertEqual(lane_set(trellis, "one=/y.csv").id, "one")
        with self.assertRaisesRegex(EditError, "may mean the lane two, or Two"):
            lane_set(trellis, "two=/y.csv")


class NamesTest(unittest.TestCase):
    """No name ends a line, moves a cursor or turns the direction of what stands beside it."""

    ODD = ("\x1b[2K", "a\rb", "a\nb", "\u202egpj.exe", "\u2066x", "\x85", "\u2028")

    def test_a_document_with_such_a_name_is_refused_and_an_edit_makes_none(self) -> None:
        for odd in self.ODD:
            text = json.dumps({"format": "keen trellis", "version": 3, "name": f"x{odd}x"})
            with self.assertRaisesRegex(DocumentError, "has a character that is not shown"):
                loads(text, Path("gift.trellis"))
            name = apply(RenameTrellis(f"x{odd}x"), Trellis())[0].name
            self.assertTrue(name.isprintable(), ascii(name))

    def test_what_is_asked_about_and_sql_stay_on_their_lines(self) -> None:
        for odd in self.ODD:
            source = DelimitedSource(path=f"/elsewhere/{odd}.csv")
            trellis = apply(AddLane("Lane", source), Trellis())[0]
            (want,) = wants(trellis, Path("/home/a.trellis"))
            self.assertTrue(want.words.isprintable(), ascii(want.words))

    def test_a_comment_of_the_sql_ends_where_its_line_ends(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.csv"
            path.write_text("a\n1\n")
            trellis = apply(AddLane("x", DelimitedSource(path=str(path))), Trellis())[0]
            lane = trellis.lanes[0].model_copy(update={"name": "x\ndrop table t; /* */ --"})
            trellis = trellis.model_copy(update={"lanes": (lane,)})
            text, errors = script(trellis, "spark", None, Runner())
        self.assertEqual(errors, [])
        self.assertFalse([line for line in text.splitlines() if line.startswith("drop")], text)


def vars_of(server: Server) -> dict[str, object]:
    return {name: getattr(server, name) for name in server.__dataclass_fields__}
