"""A run gives every lane and tie, does again only what changed, and says what failed."""

import tempfile
import threading
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

from keen_trellis.base.errors import (
    EditError,
    ProgramError,
    UnknownColumnError,
    UserError,
    WaitingError,
)
from keen_trellis.base.progress import Cancelled, Report
from keen_trellis.compute.join_result import Tied
from keen_trellis.data import Kind, Table
from keen_trellis.document import DelimitedSource, QuerySource, TableSource, Trellis
from keen_trellis.document.edits import (
    AddDelivery,
    AddLane,
    AddTie,
    Edit,
    SetBay,
    SetDelivery,
    SetLink,
    SetSource,
    apply,
)
from keen_trellis.document.items import IntoTable, JoinItem, LinkedFields
from keen_trellis.plan.bays import Bay
from keen_trellis.read import Reading
from keen_trellis.run import Runner, make_deliveries
from keen_trellis.run.source_reading import read_source
from keen_trellis.servers.server import Server

READS = "keen_trellis.run.source_cache.read_source"
SAILINGS_WAIT = property(lambda source: "sailings" in source.path)


class RunTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.write("sailings.csv", "sailing,route\n1,KP-MS\n2,ZZ-00\n3,KP-MS\n")
        self.write("routes.csv", "code,zone\nKP-MS,Inner\nGH-TO,Outer\n")
        self.trellis = Trellis()
        for name in ("sailings", "routes"):
            self.do(AddLane(name.capitalize(), self.source(name)))
        self.do(AddTie("sailings", "routes", (LinkedFields(left="route", right="code"),)))
        self.runner = Runner()

    def write(self, name: str, text: str) -> None:
        (self.folder / name).write_text(text)

    def source(self, name: str) -> DelimitedSource:
        return DelimitedSource(path=str(self.folder / f"{name}.csv"))

    def do(self, edit: Edit) -> None:
        self.trellis, _ = apply(edit, self.trellis)

    def tie(self) -> Tied:
        tie = self.runner.run(self.trellis).ties["sailings-routes"]
        assert isinstance(tie, Tied), tie
        return tie

    def test_a_switched_bay_matches_nothing_again_and_an_edit_reads_nothing_again(self) -> None:
        first = self.tie()
        with (
            mock.patch(
                "keen_trellis.compute.execute.paired", side_effect=AssertionError("matched again")
            ),
            mock.patch(READS, side_effect=AssertionError("read again")),
        ):
            self.do(SetBay("sailings-routes", Bay.RIGHT, True))
            second = self.tie()
        self.assertIs(second.match, first.match)
        self.assertEqual((len(first.outcome), len(second.outcome)), (3, 4))

    def test_choosing_kinds_reads_nothing_again_unless_the_texts_had_to_be_let_go(self) -> None:
        self.write("routes.csv", "code,seats,fare\n007,1,1\n008,2,x\n")
        lane, read = "routes", read_source

        def kinds() -> tuple[Kind, Kind]:
            table = self.runner.run(self.trellis).rows[lane]
            return table.field("code").kind, table.field("fare").kind

        self.assertEqual(kinds(), (Kind.TEXT, Kind.TEXT))
        source = self.trellis.lane(lane).source
        with mock.patch(READS, side_effect=read) as reads:
            self.do(SetSource(lane, source.with_kind("code", Kind.INTEGER)))
            first = self.runner.run(self.trellis)
            self.assertEqual(first.rows[lane].column("code").to_list(), [7, 8])
            both = source.with_kinds({"code": Kind.INTEGER, "fare": Kind.INTEGER})
            self.do(SetSource(lane, both))
            second = self.runner.run(self.trellis)
            self.assertEqual(second.readings[lane].unfit[0].texts, ("x",))
            self.do(SetSource(lane, source))
            back = self.runner.run(self.trellis).rows[lane].column("code")
            self.assertEqual(back.to_list(), ["007", "008"])
            self.assertEqual((reads.call_count, second.read_at), (0, first.read_at))
            self.runner = Runner(budget=0)
            kinds()
            self.do(SetSource(lane, both))
            self.assertEqual(kinds(), (Kind.INTEGER, Kind.INTEGER))
            self.assertEqual(reads.call_count, 3)  # both lanes, and the one lane again

    def test_reading_again_takes_in_what_changed_in_the_file(self) -> None:
        self.assertEqual(self.tie().counts.left.found, 2)
        self.write("routes.csv", "code,zone\nKP-MS,Inner\nZZ-00,Outer\n")
        self.assertEqual(self.tie().counts.left.found, 2)
        results = self.runner.run(self.trellis, reread=True)
        tie = results.ties["sailings-routes"]
        assert isinstance(tie, Tied)
        self.assertEqual(tie.counts.left.found, 3)

    def test_one_source_that_fails_leaves_the_others_and_is_said_once(self) -> None:
        (self.folder / "routes.csv").unlink()
        results = self.runner.run(self.trellis)
        self.assertEqual(len(results.errors()), 1)
        self.assertIn("routes.csv is not there", str(results.errors()[0]))
        self.assertIsInstance(results.ties["sailings-routes"], WaitingError)
        self.assertNotIsInstance(results.rows["sailings"], UserError)
        self.write("routes.csv", "code,zone\nKP-MS,Inner\n")
        self.assertEqual(self.tie().counts.left.found, 2)

    def test_a_link_of_different_kinds_is_said_and_can_be_mended(self) -> None:
        self.do(SetLink("sailings-routes", (LinkedFields(left="sailing", right="code"),)))
        error = self.runner.run(self.trellis).ties["sailings-routes"]
        assert isinstance(error, UserError)
        self.assertIn("“sailing” in Sailings is an integer", str(error))
        self.do(SetLink("sailings-routes", (LinkedFields(left="route", right="code"),)))
        self.assertEqual(self.tie().counts.left.found, 2)

    def test_one_source_is_read_while_another_waits_and_each_once(self) -> None:
        self.do(AddLane("Routes again", self.source("routes")))
        both, read = threading.Barrier(2, timeout=30), read_source

        def met(source: DelimitedSource, *how: Any) -> Reading:
            both.wait()  # one that is read alone would wait in vain
            return read(source, *how)

        shares: list[float] = []
        with (
            mock.patch.object(DelimitedSource, "waits", SAILINGS_WAIT),
            mock.patch(READS, met),
        ):
            results = self.runner.run(self.trellis, lambda share, _: shares.append(share))
        self.assertEqual(results.errors(), [])
        self.assertEqual(results.rows["routes-again"].column("code").to_list(), ["KP-MS", "GH-TO"])
        self.assertEqual(shares, sorted(shares))

    def test_what_keeps_this_process_busy_is_read_one_after_the_other(self) -> None:
        reading, read = threading.Lock(), read_source

        def alone(source: DelimitedSource, *how: Any) -> Reading:
            self.assertTrue(reading.acquire(blocking=False))
            try:
                return read(source, *how)
            finally:
                reading.release()

        with mock.patch(READS, alone):
            self.assertEqual(self.runner.run(self.trellis).errors(), [])

    def test_kinds_that_one_lane_cannot_have_are_not_the_fault_of_another(self) -> None:
        gone = self.source("routes").with_kinds({"code": Kind.TEXT})
        self.do(SetSource("routes", gone))
        self.do(AddLane("Routes again", self.source("routes")))
        read = read_source

        def refused(source: DelimitedSource, *how: Any) -> Reading:
            if source.kinds:
                raise UnknownColumnError("code", "routes.csv", [])
            return read(source, *how)

        with mock.patch(READS, refused):
            results = self.runner.run(self.trellis)
        self.assertIsInstance(results.rows["routes"], UserError)
        self.assertEqual(results.rows["routes-again"].column("code").to_list(), ["KP-MS", "GH-TO"])

    def test_a_stop_is_heard_by_all_that_are_read(self) -> None:
        def reads_on_and_on(source: DelimitedSource, _: Any, report: Report, *how: Any) -> Reading:
            while True:
                report(0.5, source.path)

        def stop(fraction: float, doing: str) -> None:
            if "routes" in doing:  # the other one hears of it at its next report
                raise Cancelled

        with (
            mock.patch.object(DelimitedSource, "waits", SAILINGS_WAIT),
            mock.patch(READS, reads_on_and_on),
        ):
            self.assertRaises(Cancelled, self.runner.run, self.trellis, stop)

    def test_a_fault_of_the_program_is_a_sentence_at_its_part_and_others_run_on(self) -> None:
        read = read_source

        def breaks(source: DelimitedSource, *how: Any) -> Reading:
            if "routes" in source.path:
                raise ZeroDivisionError("7" * 17)
            return read(source, *how)

        with (
            mock.patch.object(DelimitedSource, "waits", SAILINGS_WAIT),
            mock.patch(READS, breaks),
            self.assertLogs("keen_trellis", "ERROR") as logged,
        ):
            results = self.runner.run(self.trellis)
        (fault,) = results.errors()
        self.assertIsInstance(fault, ProgramError)
        self.assertIsInstance(results.rows["sailings"], Table)
        self.assertIn("ZeroDivisionError", "".join(logged.output))
        self.assertNotIn("7" * 17, str(fault) + "".join(logged.output))
        with (
            mock.patch.object(JoinItem, "node", side_effect=FloatingPointError),
            self.assertLogs("keen_trellis", "ERROR"),
        ):
            rows = self.runner.run(self.trellis).rows
        self.assertIsInstance(rows["sailings-routes"], ProgramError)
        self.assertIsInstance(rows["routes"], Table)

    def test_a_stopped_run_leaves_the_next_one_whole(self) -> None:
        def stop(fraction: float, doing: str) -> None:
            raise Cancelled

        with self.assertRaises(Cancelled):
            self.runner.run(self.trellis, stop)
        self.assertEqual(self.tie().counts.left.found, 2)

    def test_a_delivery_is_never_written_over_a_source(self) -> None:
        source = str(self.folder / "routes.csv")
        with self.assertRaisesRegex(EditError, "routes.csv, which Routes reads"):
            self.do(AddDelivery("sailings", "Rows", source))
        (self.folder / "same.csv").hardlink_to(self.folder / "routes.csv")
        with self.assertRaisesRegex(EditError, "same.csv, which Routes reads"):
            self.do(AddDelivery("sailings", "Rows", str(self.folder / "same.csv")))
        self.do(AddDelivery("sailings", "Rows", str(self.folder / "rows.csv")))
        self.do(AddLane("Rows", DelimitedSource(path=str(self.folder / "rows.csv"))))
        results = self.runner.run(self.trellis)
        with self.assertRaisesRegex(UserError, "rows.csv, which Rows reads"):
            make_deliveries(results)

    def test_a_table_that_is_read_is_never_written_to_however_its_server_is_called(self) -> None:
        def server(host: str, kind: Any = "postgresql") -> Server:
            return Server(kind, host, "season", "reader")

        def deliver(into: IntoTable) -> None:
            self.do(SetDelivery(delivery.but(path="", into=into)))

        source = TableSource(database=server("localhost"), in_schema="public", table="routes")
        asked = QuerySource(database=server("Pier.", "mariadb"), query="SELECT * FROM a.Fares")
        for name, one in (("Table", source), ("Query", asked)):
            self.do(AddLane(name, one))
        self.do(AddDelivery("sailings", "Rows", str(self.folder / "rows.csv")))
        ((_, delivery),) = self.trellis.deliveries()
        for into, reader in (
            (IntoTable(database=server("127.0.0.1"), table="routes"), "Table"),
            (IntoTable(database=server("[::1]"), in_schema="public", table="routes"), "Table"),
            (IntoTable(database=server("/run/postgresql"), table="routes"), "Table"),
            (IntoTable(database=server("pier", "mariadb"), table="FARES"), "Query"),
        ):
            with self.subTest(into.words), self.assertRaisesRegex(EditError, f"which {reader} re"):
                deliver(into)
        deliver(IntoTable(database=server("127.0.0.1"), in_schema="other", table="routes"))
        deliver(IntoTable(database=server("ferry.example"), table="routes"))
        results = self.runner.run(self.trellis)  # the server's other name is known to the network
        found = [(2, 1, 6, "", ("127.0.0.1", 0))]
        with (
            mock.patch("socket.getaddrinfo", return_value=found),
            self.assertRaisesRegex(UserError, "which Table reads"),
        ):
            make_deliveries(results)
