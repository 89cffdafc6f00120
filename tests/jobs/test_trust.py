"""A stranger's trellis does nothing unasked, and nothing that was made is lost."""

import contextlib
import dataclasses
import io
import os
import signal
import socket
import subprocess
import sys
import threading
from pathlib import Path
from unittest import mock

from PySide6.QtWidgets import QMessageBox

from keen_trellis.base.errors import NotAllowedError
from keen_trellis.base.whole_files import give_up, whole_file
from keen_trellis.cli.main import main
from keen_trellis.data import Table
from keen_trellis.desktop import theme as themes
from keen_trellis.desktop.application import make_window
from keen_trellis.document import DelimitedSource, Trellis, load, save
from keen_trellis.document.edits import (
    AddDelivery,
    AddLane,
    InsertItem,
    RenameLane,
    RenameTrellis,
    SetPlace,
    apply,
)
from keen_trellis.document.items import ConditionItem, FilterItem, FormulaItem, NamedFormula
from keen_trellis.document.places import RunPlace
from keen_trellis.document.sources import QuerySource, TableSource, TypedSource
from keen_trellis.machine import unsaved_work as kept_work
from keen_trellis.machine.approvals import is_its_own, noting
from keen_trellis.machine.unsaved_work import Keeping
from keen_trellis.servers.server import Server
from tests.desktop.window_case import WindowTestCase


def command(*arguments: str) -> tuple[int, str]:
    said = io.StringIO()
    with contextlib.redirect_stdout(said), contextlib.redirect_stderr(said):
        code = main(list(arguments))
    return code, said.getvalue()


class StrangersTrellisTest(WindowTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.outside = self.folder.parent / "elsewhere.csv"
        self.outside.write_text("route,riders\nKP-MS,98\n")
        (self.folder / "own.csv").write_text("route\nKP-MS\n")
        self.listening = socket.create_server(("127.0.0.1", 0))
        self.addCleanup(self.listening.close)
        self.contacts: list[bytes] = []
        threading.Thread(target=self.listen, daemon=True).start()
        port = self.listening.getsockname()[1]
        server = Server(
            "postgresql", "127.0.0.1", "d", "reader", port=port, password="${HOME_OF_SECRETS}"
        )
        trellis = Trellis(name="<b>Gift</b>")
        for name, source in (
            ("Own", DelimitedSource(path=str(self.folder / "own.csv"))),
            ("Elsewhere", DelimitedSource(path=str(self.outside))),
            ("Server", TableSource(database=server, table="t")),
        ):
            trellis, _ = apply(AddLane(name, source), trellis)
        self.file = self.folder / "gift.trellis"
        save(trellis, self.file)
        secret = mock.patch.dict(os.environ, HOME_OF_SECRETS="VerySecret")
        secret.start()
        self.addCleanup(secret.stop)

    def listen(self) -> None:
        with contextlib.suppress(OSError):
            while True:
                came, _ = self.listening.accept()
                with came:
                    came.settimeout(0.2)
                    with contextlib.suppress(OSError):
                        self.contacts.append(came.recv(400))

    def test_the_window_asks_once_before_anything_is_reached(self) -> None:
        self.session.document.open(self.file)
        self.dialog("leave")
        port = self.listening.getsockname()[1]
        said = [self.text(f"leave.{number}") for number in range(3)]
        self.assertEqual(said[0], f"It reads {self.outside}, outside of its folder.")
        self.assertEqual(
            said[1],
            "It contacts the database d of the PostgreSQL server 127.0.0.1, "
            f"port {port}, as reader.",
        )
        self.assertEqual(said[2], "It sends the variable HOME_OF_SECRETS there as password.")
        self.click("leave.refuse")
        self.settle()
        readings = self.session.results.readings
        self.assertEqual(self.contacts, [])
        self.assertEqual(len(self.session.results.table("own") or ()), 1)
        for lane in ("elsewhere", "server"):
            self.assertIsInstance(readings[lane], NotAllowedError)
        self.session.do(RenameLane("elsewhere", "Else"))  # an edit allows nothing that was there
        self.settle()
        self.assertIsInstance(self.session.results.readings["elsewhere"], NotAllowedError)
        self.session.document.undo.undo()
        self.trigger("file.allow")
        self.dialog("leave")
        self.click("leave.agree")
        self.settle()
        self.assertEqual(len(self.session.results.table("elsewhere") or ()), 1)
        self.assertNotEqual(self.contacts, [])
        self.session.document.new()
        self.session.document.open(self.file)
        self.assertEqual(self.session.document.not_allowed, [])  # it is asked once

    def test_the_command_line_refuses_until_it_is_allowed(self) -> None:
        code, said = command("run", str(self.file))
        self.assertEqual(code, 3)
        self.assertIn(f"reads {self.outside}, outside of its folder", said)
        self.assertIn("keen-trellis allow", said)
        self.assertEqual(command("describe", str(self.file))[0], 0)
        self.assertEqual(self.contacts, [])
        self.assertNotIn("VerySecret", said)
        code, said = command("allow", str(self.file))  # nobody is there to be asked
        self.assertEqual(code, 3)
        self.assertEqual(command("allow", str(self.file), "--yes")[0], 0)
        self.assertNotEqual(command("run", str(self.file))[0], 3)
        self.assertNotEqual(self.contacts, [])

    def test_what_is_added_in_the_window_is_allowed_by_that(self) -> None:
        self.session.document.new()
        self.session.do(AddLane("Mine", DelimitedSource(path=str(self.outside))))
        self.session.document.save(self.folder / "mine.trellis")
        self.session.document.open(self.folder / "mine.trellis")
        self.settle()
        self.assertEqual(self.session.document.not_allowed, [])
        self.assertEqual(command("run", str(self.folder / "mine.trellis"))[0], 0)


class ReplacingTest(WindowTestCase):
    """A delivery replaces what it wrote itself, and asks about all else."""

    def setUp(self) -> None:
        super().setUp()
        (self.folder / "own.csv").write_text("route\nKP-MS\n")
        self.file, self.out = self.folder / "own.trellis", self.folder / "out.csv"
        trellis, _ = apply(
            AddLane("Own", DelimitedSource(path=str(self.folder / "own.csv"))), Trellis()
        )
        trellis, _ = apply(AddDelivery("own", "Out", str(self.out)), trellis)
        save(trellis, self.file)

    def test_on_the_command_line(self) -> None:
        self.out.write_text("somebody's")
        code, said = command("run", str(self.file), "--deliver")
        self.assertEqual((code, self.out.read_text()), (3, "somebody's"))
        self.assertIn(f"replaces {self.out}, which it did not write", said)
        self.assertEqual(command("run", str(self.file), "--deliver", "--replace")[0], 0)
        self.assertEqual(self.out.read_text(), "route\nKP-MS\n")
        os.utime(self.out)  # touched, and still what it wrote
        self.assertEqual(command("run", str(self.file), "--deliver")[0], 0)
        self.out.write_text("route\nKP-XX\n")
        self.assertEqual(command("run", str(self.file), "--deliver")[0], 3)

    def test_what_was_written_before_another_one_failed_is_known_for_its_own(self) -> None:
        nowhere = AddDelivery("own", "Nowhere", str(self.folder / "own.csv" / "x.csv"))
        save(apply(nowhere, load(self.file))[0], self.file)
        for _ in range(2):  # the second time the first file is there, and nobody is asked
            self.assertEqual(command("run", str(self.file), "--deliver")[0], 2)
            self.assertTrue(self.out.exists())

    def test_one_that_was_killed_beside_its_note_and_several_at_once_know_their_own(self) -> None:
        for moment in ("before", "after"):  # the file took its place
            kill = (
                "import os, pathlib, signal, sys\n"
                "from keen_trellis.cli.main import main\n"
                "put = pathlib.Path.replace\n"
                "def replace(self, path):\n"
                f"    if str(path) != {str(self.out)!r}: return put(self, path)\n"
                f"    if {moment == 'after'}: put(self, path)\n"
                "    os.kill(os.getpid(), signal.SIGKILL)\n"
                "pathlib.Path.replace = replace\n"
                "main(sys.argv[1:])\n"
            )
            (self.folder / "own.csv").write_text(f"route\n{moment}\n")
            arguments = [sys.executable, "-c", kill, "run", str(self.file), "--deliver"]
            self.assertEqual(subprocess.run(arguments).returncode, -signal.SIGKILL)
            self.assertEqual(command("run", str(self.file), "--deliver")[0], 0, moment)
            self.assertEqual(self.out.read_text(), f"route\n{moment}\n")
        run = [sys.executable, "-m", "keen_trellis", "run", str(self.file), "--deliver"]
        for number in range(2):
            runs = []
            for one in range(3):  # each with other rows
                other = self.folder / f"{number}{one}.csv"
                other.write_text(f"route\nKP-{one}\n")
                more = ["--set", f"own={other}"]
                runs.append(subprocess.Popen([*run, *more], stdout=subprocess.DEVNULL))
            self.assertEqual([one.wait() for one in runs], [0, 0, 0])
        self.assertEqual(command("run", str(self.file), "--deliver")[0], 0)

    def test_the_note_of_one_that_was_killed_is_kept_while_the_next_one_notes(self) -> None:
        killed, other = self.folder / "killed.csv", self.folder / "other.csv"
        for path, ends in ((killed, KeyboardInterrupt), (other, None)):
            beside = self.folder / f"beside-{path.name}"
            beside.write_text(path.name)
            with contextlib.suppress(KeyboardInterrupt), noting(self.file, path, beside):
                beside.replace(path)
                if ends is not None:
                    raise ends
        self.assertTrue(is_its_own(self.file, killed))
        self.assertTrue(is_its_own(self.file, other))

    def test_what_was_delivered_before_the_trellis_was_saved_is_known_for_its_own(self) -> None:
        self.session.document.open(self.file)
        self.settle()
        self.trigger("trellis.deliver")
        self.wait_until(self.out.exists)
        self.settle()
        self.session.do(RenameLane("own", "Ours"))
        self.trigger("file.save")
        self.assertEqual(command("run", str(self.file), "--deliver")[0], 0)

    def test_in_the_window(self) -> None:
        self.out.write_text("somebody's")
        self.session.document.open(self.file)
        self.settle()
        self.trigger("trellis.deliver")
        self.dialog("replace_files")
        self.assertEqual(self.text("replace_files.0"), str(self.out))
        self.click("replace_files.refuse")
        self.settle()
        self.assertEqual(self.out.read_text(), "somebody's")
        self.trigger("trellis.deliver")
        self.dialog("replace_files")
        self.click("replace_files.agree")
        self.wait_until(lambda: self.out.read_text() == "route\nKP-MS\n")
        self.settle()
        self.out.unlink()
        self.trigger("trellis.deliver")  # nothing is there: nobody is asked
        self.wait_until(self.out.exists)

    def test_two_to_one_file_are_refused_and_a_link_is_followed(self) -> None:
        trellis, _ = apply(
            AddDelivery("own", "Twice", str(self.folder / "./out.csv")), load(self.file)
        )
        save(trellis, self.folder / "two.trellis")
        code, said = command("run", str(self.folder / "two.trellis"), "--deliver")
        self.assertEqual(code, 2)
        self.assertIn("Out and Twice would both be written", said)
        real = self.folder / "real.csv"
        real.write_text("old")
        real.chmod(0o640)
        self.out.symlink_to(real)
        self.assertEqual(command("run", str(self.file), "--deliver", "--replace")[0], 0)
        self.assertTrue(self.out.is_symlink())
        self.assertEqual((real.read_text(), real.stat().st_mode & 0o777), ("route\nKP-MS\n", 0o640))
        real.chmod(0o440)
        code, said = command("run", str(self.file), "--deliver", "--replace")
        self.assertIn("marked as not to be written", said)
        self.out.unlink()
        os.mkfifo(self.out)
        code, said = command("run", str(self.file), "--deliver", "--replace")
        self.assertIn("no ordinary file", said)


class LogTest(WindowTestCase):
    def test_it_tells_no_value_no_query_and_no_password(self) -> None:
        self.open_demo()
        values: set[str] = set()
        for rows in self.session.results.rows.values():
            assert isinstance(rows, Table), rows
            for column in rows.fetched():
                values |= {one for one in column.texts().to_pylist() if one and not one.isdigit()}
        assert self.session.path is not None
        names = self.session.path.read_text()  # what the document itself says is no secret
        telling = {one for one in values if len(one) > 3 and one not in names}
        self.assertGreater(len(telling), 500)
        log = self.folder / "run.log"
        document = str(self.session.path)
        self.assertEqual(command("run", document, "--deliver", "--log", str(log))[0], 0)
        self.assertEqual(log.stat().st_mode & 0o777, 0o600)
        told = log.read_text()
        for room in ("read", "run", "deliver", "servers"):
            self.assertIn(f" keen_trellis.{room}.", told)
        self.assertEqual([one for one in telling if one in told], [])

    def test_a_log_goes_on_and_takes_the_place_of_nothing(self) -> None:
        source = self.folder / "fares.csv"
        before = source.read_bytes()
        document = str(self.folder / "winter-season.trellis")
        for wrong in (str(source), str(self.folder), str(self.folder / "no" / "a.log")):
            code, said = command("run", document, "--log", wrong)
            self.assertEqual(code, 2, said)
            self.assertIn("log", said)
        self.assertEqual(source.read_bytes(), before)
        log = self.folder / "a.log"
        for times in (1, 2):
            command("check", document, "--log", str(log))
            self.assertEqual(log.read_text().count(": read folder takings: 1,577 rows"), times)
        self.assertIn(command("check", document, "--log", "/dev/full")[0], (0, 1, 2))

    def test_a_run_elsewhere_tells_no_value_either(self) -> None:
        rows = TypedSource(columns=("port", "n"), rows=(("Marrow Sound", "1"), ("Voe", "2")))
        trellis, _ = apply(AddLane("Ports", rows), Trellis())
        asked = ConditionItem(column="port", is_="=", values=("Marrow Sound",))
        made = NamedFormula(name="said", formula="REPLACE(port, 'Marrow Sound', 'Gannet Head')")
        for step in (FilterItem(id="", conditions=(asked,)), FormulaItem(id="", columns=(made,))):
            end = trellis.end_of(trellis.lane("ports"))
            trellis, _ = apply(InsertItem("ports", end, step), trellis)
        server = Server("postgresql", "127.0.0.1", "test", "postgres", password="${NO_SECRET}")
        trellis, _ = apply(SetPlace(RunPlace(name="Server", at=server)), trellis)
        save(trellis, self.folder / "there.trellis")
        document, log = str(self.folder / "there.trellis"), self.folder / "there.log"
        command("allow", document, "--yes")
        with mock.patch.dict(os.environ, NO_SECRET="none is asked for"):
            code, said = command("run", document, "--on", "Server", "--log", str(log))
        if "does not answer" in said and not os.environ.get("CI"):
            self.skipTest("no PostgreSQL on this machine")
        self.assertEqual(code, 0, said)
        told = log.read_text()
        self.assertIn("keen_trellis.places.place_session: ask ", told)
        for word in ("Marrow", "Gannet", "none is asked for"):
            self.assertNotIn(word, told)

    def test_what_fails_is_told_by_its_class_alone(self) -> None:
        server = Server("postgresql", "127.0.0.1", "d", "reader", port=9, password="${SECRET}")
        asked = QuerySource(database=server, query="select 'Marrow Sound'")
        trellis, _ = apply(AddLane("Server", asked), Trellis())
        save(trellis, self.folder / "server.trellis")
        command("allow", str(self.folder / "server.trellis"), "--yes")
        log = self.folder / "server.log"
        with mock.patch.dict(os.environ, SECRET="VerySecret"):
            code, _ = command("run", str(self.folder / "server.trellis"), "--log", str(log))
        told = log.read_text()
        self.assertEqual(code, 2)
        self.assertRegex(told, "read query query: SourceError after")
        for word in ("VerySecret", "Marrow"):
            self.assertNotIn(word, told)


class NothingLostTest(WindowTestCase):
    def test_work_that_was_not_saved_is_offered_back_after_a_crash(self) -> None:
        self.open_demo()
        self.session.do(RenameTrellis("Summer season"))
        folder = Path(os.environ["XDG_STATE_HOME"]) / "keen-trellis" / "work"
        self.wait_until(lambda: any(folder.glob("[0-9]*.work")), 2)
        self.assertEqual(kept_work.left_work(), [])  # the program still runs
        (kept,) = folder.glob("[0-9]*.work")
        kept.rename(folder / "999999999-crashed.work")  # as of a program that is no more
        self.session.document.undo.setClean()
        other = make_window(self.application, themes.LIGHT)
        self.addCleanup(other.close)
        other.show()
        other.offer_left_work()
        sheet = self.dialog("left_work")
        told = [w.text() for w in sheet.findChildren(type(sheet.findChild(object, "left_work.0")))]
        self.assertTrue(any("now: Summer season" in line for line in told), told)
        sheet.findChild(object, "left_work.bring").click()
        self.wait_until(lambda: not other.session.work.busy)
        self.assertEqual(other.session.trellis.name, "Summer season")
        self.assertEqual(other.session.path, self.folder / "winter-season.trellis")
        self.assertFalse(other.session.document.undo.isClean())
        self.assertEqual(kept_work.left_work(), [])
        other.session.document.undo.setClean()

    def test_saving_drops_what_was_kept_and_windows_know_of_each_other(self) -> None:
        self.open_demo()
        self.session.do(RenameTrellis("Summer season"))
        folder = Path(os.environ["XDG_STATE_HOME"]) / "keen-trellis" / "work"
        self.wait_until(lambda: any(folder.glob("[0-9]*.work")), 2)
        self.trigger("file.save")
        self.wait_until(lambda: not any(folder.glob("[0-9]*.work")), 2)
        other = dataclasses.replace(Keeping(), name=f"{os.getpid()}-another")
        self.assertTrue(other.opened(self.folder / "winter-season.trellis"))
        self.open_demo()
        self.assertIn("is open in another window, too", self.text("bench.notice.text"))

    def test_a_fault_is_told_without_a_value(self) -> None:
        try:
            int("Marrow Sound")
        except ValueError as error:
            self.window.show_crash(error)
        box = self.window.findChild(QMessageBox, "crash")
        self.assertIn("ValueError", box.detailedText())
        self.assertIn("test_trust.py, line", box.detailedText())
        self.assertNotIn("Marrow", box.detailedText())
        box.close()

    def test_what_does_not_end_in_time_leaves_nothing_behind(self) -> None:
        kept = self.folder / "kept.csv"
        kept.write_text("old")
        with self.assertRaises(OSError), whole_file(kept) as beside:
            (beside.parent / "passing").write_text("as a library's own passing file")
            give_up()
            self.assertEqual(list(self.folder.glob(".writing-*")), [])
        self.assertEqual(kept.read_text(), "old")

    def test_a_signal_ends_the_command_line_in_time(self) -> None:
        rows = "\n".join(f"{number},{number % 1000}" for number in range(800_000))
        (self.folder / "many.csv").write_text(f"k,b\n{rows}\n")
        source = DelimitedSource(path=str(self.folder / "many.csv"))
        trellis, _ = apply(AddLane("Many", source), Trellis())
        trellis, _ = apply(AddDelivery("many", "Out", str(self.folder / "o.xlsx")), trellis)
        save(trellis, self.folder / "many.trellis")
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            process = subprocess.Popen(
                [sys.executable, "-m", "keen_trellis", "run", "many.trellis", "--deliver"],
                cwd=self.folder,
                stderr=subprocess.PIPE,
                stdout=subprocess.DEVNULL,
            )
            self.wait_until(lambda: any(self.folder.glob(".writing-*")), 60)
            process.send_signal(number)
            _, said = process.communicate(timeout=10)
            self.assertEqual(process.returncode, 128 + number)
            self.assertIn(b"Stopped. What was not whole has not been written.", said)
            self.assertEqual(list(self.folder.glob(".writing-*")), [])
            self.assertFalse((self.folder / "o.xlsx").exists())
