"""A second start opens a second window of the process that runs already, at once."""

import json
import os
import socket
import stat
import subprocess
import sys
import tempfile
import threading
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TypeVar
from unittest import mock

from hypothesis import given, settings
from hypothesis import strategies as st
from PySide6.QtCore import QEvent, Qt
from PySide6.QtTest import QTest

from keen_trellis.base.version import VERSION
from keen_trellis.desktop.preferences import Preferences
from keen_trellis.desktop.windows import Windows
from keen_trellis.machine.running import Asked, handed_over, socket_path
from tests.desktop.window_case import WindowTestCase

A = TypeVar("A")


class WindowsTest(WindowTestCase):
    def setUp(self) -> None:
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.runtime = Path(folder.name)
        self.runtime.chmod(0o700)
        here = mock.patch.dict(os.environ, XDG_RUNTIME_DIR=folder.name)
        here.start()
        self.addCleanup(here.stop)
        hook = sys.excepthook
        self.windows = Windows(Preferences())
        sys.excepthook = hook
        self.addCleanup(self.close_all)
        self.windows.listen()

    def close_all(self) -> None:
        for window in list(self.windows.all):
            window.session.document.undo.setClean()
            window.close()
        self.application.sendPostedEvents(None, QEvent.Type.DeferredDelete)

    def ask(self, file: Path | None) -> bool:
        """Start a second time: who asks waits on another thread, as another process would."""
        return self.answered(partial(handed_over, file))

    def answered(self, ask: Callable[[], A]) -> A:
        answers: list[A] = []
        asks = threading.Thread(target=lambda: answers.append(ask()))
        asks.start()
        self.wait_until(lambda: not asks.is_alive())
        return answers[0]

    def names(self) -> list[str]:
        self.wait_until(lambda: all(not w.session.work.busy for w in self.windows.all))
        return [window.session.trellis.name for window in self.windows.all]

    def test_a_second_start_opens_a_window_beside_the_first(self) -> None:
        self.assertTrue(self.ask(self.folder / "winter-season.trellis"))
        self.assertTrue(self.ask(self.folder / "whole-season.trellis"))
        self.assertEqual(self.names(), ["Winter season", "Whole season"])
        self.assertTrue(self.ask(self.folder / "winter-season.trellis"))  # is there already
        self.assertTrue(self.ask(None))
        self.assertEqual(len(self.names()), 3)
        self.windows.all[0].close()
        self.assertEqual(self.names(), ["Whole season", "Untitled"])

    def test_a_window_in_which_nothing_was_begun_is_taken(self) -> None:
        self.ask(None)
        self.ask(self.folder / "winter-season.trellis")
        self.assertEqual(self.names(), ["Winter season"])

    def test_a_whole_process_hands_over_and_ends(self) -> None:
        command = [sys.executable, "-m", "keen_trellis", "open", "winter-season.trellis"]
        started = subprocess.Popen(command, cwd=self.folder, stderr=subprocess.PIPE)
        self.addCleanup(started.stderr.close)
        self.wait_until(lambda: started.poll() is not None)
        self.assertEqual(started.wait(), 0)
        self.assertEqual(self.names(), ["Winter season"])

    def test_what_goes_wrong_in_one_window_leaves_the_others_work(self) -> None:
        self.ask(self.folder / "winter-season.trellis")
        self.ask(self.folder / "whole-season.trellis")
        self.names()
        first, second = self.windows.all
        second.show_crash(KeyError("x"))
        QTest.keyClick(self.dialog("crash"), Qt.Key.Key_Escape)
        second.close()
        self.assertEqual(self.names(), ["Winter season"])
        self.assertTrue(first.isVisible())

    def test_only_this_user_can_ask_and_only_for_a_file(self) -> None:
        path = socket_path()
        assert path is not None
        self.assertEqual(stat.S_IMODE(path.stat().st_mode) & 0o077, 0)
        self.assertEqual(stat.S_IMODE(path.parent.stat().st_mode), 0o700)
        for line in (b"rm -rf\n", b"[]\n", b"\xff\xfe\n", b'{"version": 1}\n', b"null\n"):
            self.assertEqual(self.answered(partial(said, path, line)), b"", line)
        self.assertEqual(self.windows.all, [])

    def test_a_folder_that_others_can_enter_is_not_used(self) -> None:
        self.runtime.chmod(0o755)
        self.assertIsNone(socket_path())
        self.assertFalse(handed_over(None))
        with mock.patch.dict(os.environ, XDG_RUNTIME_DIR="relative"):
            self.assertIsNone(socket_path())

    def test_a_second_process_takes_nothing_from_the_first(self) -> None:
        other = Windows(Preferences())
        sys.excepthook = sys.__excepthook__
        self.answered(other.listen)  # as another process: it hears nothing, and is in nobody's way
        self.assertTrue(self.ask(None))
        self.assertEqual((len(self.windows.all), len(other.all)), (1, 0))

    def test_one_that_was_killed_is_in_nobodys_way(self) -> None:
        path = socket_path()
        assert path is not None
        self.windows._server.close()
        with socket.socket(socket.AF_UNIX) as left:  # its socket stays, and nobody listens
            left.bind(os.fspath(path))
        self.assertFalse(handed_over(None))
        self.windows.listen()
        self.assertTrue(self.ask(None))


def said(path: Path, line: bytes) -> bytes:
    with socket.socket(socket.AF_UNIX) as there:
        there.settimeout(10)
        there.connect(os.fspath(path))
        there.sendall(line)
        try:
            return there.recv(100)
        except ConnectionResetError:
            return b""


class AskedTest(WindowTestCase):
    @settings(max_examples=200, deadline=None)
    @given(st.one_of(st.binary(), st.recursive(st.none() | st.text() | st.integers(), st.lists)))
    def test_only_what_we_write_is_understood(self, any_: object) -> None:
        line = any_ if isinstance(any_, bytes) else json.dumps({"file": any_, "token": ""}).encode()
        self.assertIsNone(Asked.read(line))

    @given(st.text(alphabet=st.characters(exclude_characters="\0"), min_size=1), st.text())
    def test_every_file_comes_over_whole(self, name: str, token: str) -> None:
        asked = Asked(Path("/") / name, token)
        self.assertEqual(Asked.read(asked.written()), asked)
        self.assertIn(VERSION.encode(), asked.written())
