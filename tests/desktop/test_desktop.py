"""The program beside others on a desktop: it tells of long work, and comes to the front."""

import os
import shutil
import subprocess
import threading
import time
import unittest
from unittest import mock

import shiboken6
from jeepney import DBusAddress, MessageType, new_method_return, new_signal
from jeepney.bus_messages import message_bus
from jeepney.io.blocking import Proxy, open_dbus_connection

from keen_trellis.desktop.notifier import Notifier
from tests.desktop.window_case import WindowTestCase

SERVICE = "org.freedesktop.Notifications"


class Desktop:
    """What shows notifications, on a bus of its own: each is answered by a click on *Show*."""

    def __init__(self, test: unittest.TestCase) -> None:
        found = shutil.which("dbus-daemon")
        if found is None and "CI" not in os.environ:
            test.skipTest("dbus-daemon is not on this machine")
        assert found is not None, "dbus-daemon is missing"
        bus = subprocess.Popen(
            [found, "--session", "--nofork", "--print-address"],
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
        )
        assert bus.stdout is not None
        test.addCleanup(bus.stdout.close)
        test.addCleanup(bus.wait)
        test.addCleanup(bus.kill)
        address = bus.stdout.readline().strip()
        here = mock.patch.dict(os.environ, DBUS_SESSION_BUS_ADDRESS=address)
        here.start()
        test.addCleanup(here.stop)
        self.heard: list[tuple[object, ...]] = []
        self.progress: list[tuple[object, ...]] = []
        self._ready = threading.Event()
        threading.Thread(target=self._serve, daemon=True).start()
        assert self._ready.wait(10)

    def _serve(self) -> None:
        with open_dbus_connection() as bus:
            Proxy(message_bus, bus).RequestName(SERVICE)
            Proxy(message_bus, bus).AddMatch("type='signal',member='Update'")
            self._ready.set()
            while True:
                try:
                    message = bus.receive()
                except (OSError, EOFError):
                    return
                if message.header.message_type is MessageType.method_call:
                    self.heard.append(message.body)
                    bus.send(new_method_return(message, "u", (7,)))
                    at = DBusAddress("/org/freedesktop/Notifications", interface=SERVICE)
                    bus.send(new_signal(at, "ActionInvoked", "us", (8, "show")))  # another's
                    bus.send(new_signal(at, "ActionInvoked", "us", (7, "show")))
                elif len(message.body) == 2:
                    self.progress.append(message.body)


class LongWorkTest(WindowTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.desktop = Desktop(self)
        self.wanted = True
        self.now = 100.0
        self.notifier = Notifier(
            self.window,
            name=lambda: "Winter <b>",
            wanted=lambda: self.wanted,
            clock=lambda: self.now,
        )
        self.fronts: list[bool] = []
        front = mock.patch.object(self.window, "activateWindow", lambda: self.fronts.append(True))
        front.start()
        self.addCleanup(front.stop)

    def work(self, seconds: float, in_front: bool = False) -> None:
        with mock.patch.object(self.window, "isActiveWindow", lambda: in_front):
            for fraction in (0.0, 0.5, 1.0):
                self.notifier.work(fraction, "Reading")
                self.now += seconds / 2

    def test_work_that_took_long_is_told_of_once_it_has_ended_and_shown(self) -> None:
        self.work(34)
        self.wait_until(lambda: bool(self.fronts))
        (told,) = self.desktop.heard
        self.assertEqual(told[3:5], ("“Winter <b>”: the work has ended", "It took 34 seconds."))
        self.wait_until(lambda: len(self.desktop.progress) == 2)
        shown = [one[1]["progress-visible"] for one in self.desktop.progress]
        self.assertEqual(shown, [("b", True), ("b", False)])
        self.assertEqual(len(self.fronts), 1)  # another's notification brings nobody to the front

    def test_a_window_that_is_closed_by_then_is_brought_nowhere(self) -> None:
        faults: list[object] = []
        hook = mock.patch.object(threading, "excepthook", faults.append)
        hook.start()
        self.addCleanup(hook.stop)
        self.work(34)
        shiboken6.delete(self.notifier)
        self.wait_until(lambda: bool(self.desktop.heard))
        time.sleep(0.2)  # for the answer to come to nobody
        self.assertEqual((faults, self.fronts), ([], []))

    def test_nobody_is_told_who_looks_on_or_does_not_want_it_or_waited_a_moment(self) -> None:
        self.work(34, in_front=True)
        self.work(9)
        self.wanted = False
        self.work(34)
        self.wanted = True
        self.work(35)
        self.wait_until(lambda: bool(self.desktop.heard))
        self.assertEqual([one[4] for one in self.desktop.heard], ["It took 35 seconds."])
