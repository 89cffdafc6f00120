"""What is said to the desktop over its bus; loaded, and run on a thread, once there is something.

By the Desktop Notifications Specification, and the signal that task bars of several desktops draw
progress by.
"""

from __future__ import annotations

import contextlib
import queue
import time
from collections.abc import Callable

from jeepney import DBusAddress, MatchRule, Message, MessageType, new_method_call, new_signal
from jeepney.bus_messages import message_bus
from jeepney.io.blocking import DBusConnection, Proxy, open_dbus_connection

from keen_trellis.base.language import tr
from keen_trellis.base.words import counted

_NOTIFICATIONS = DBusAddress(
    "/org/freedesktop/Notifications",
    bus_name="org.freedesktop.Notifications",
    interface="org.freedesktop.Notifications",
)
_LAUNCHER = DBusAddress("/", interface="com.canonical.Unity.LauncherEntry")
_ENTRY = "application://keen-trellis.desktop"
_SHOW, _WAITS_S, _LOOKS_S, _HEARD_WITHIN_S = "show", 600.0, 0.5, 5.0
"""How long somebody may take to answer, how often there may be more to say, how long a bus may."""
_AS_THE_DESKTOP_DOES, _NEW = -1, 0


def notification(name: str, took: float) -> Message:
    """Return the message that the work on a trellis has ended, after some seconds.

    The name stands in the summary, which is shown letter by letter: a body may be read as markup.
    """
    summary = tr("“{name}”: the work has ended", name=name)
    body = tr("It took {seconds}.", seconds=counted(round(took), "second"))
    hints = {"desktop-entry": ("s", "keen-trellis")}
    return new_method_call(
        _NOTIFICATIONS,
        "Notify",
        "susssasa{sv}i",
        (
            *("Keen Trellis", _NEW, "keen-trellis", summary, body),
            *([_SHOW, tr("Show")], hints, _AS_THE_DESKTOP_DOES),
        ),
    )


def progress(fraction: float | None) -> Message:
    """Return the signal that a task bar draws progress by; None takes it away."""
    shown = {"progress": ("d", fraction or 0.0), "progress-visible": ("b", fraction is not None)}
    return new_signal(_LAUNCHER, "Update", "sa{sv}", (_ENTRY, shown))


def speak(to_send: queue.SimpleQueue[Message], answered: Callable[[], object]) -> None:
    """Send what is to be sent, and wait for answers; a desktop without a bus hears nothing.

    It comes back once nobody has answered for ten minutes.
    """
    with contextlib.suppress(OSError, KeyError, ValueError), open_dbus_connection() as bus:
        rule = MatchRule(type="signal", interface=_NOTIFICATIONS.interface, member="ActionInvoked")
        Proxy(message_bus, bus).AddMatch(rule)
        # The filter is there before anything is sent: an answer that comes at once is not missed.
        with bus.filter(rule) as answers:
            ours: set[int] = set()
            until = time.monotonic() + _WAITS_S
            while time.monotonic() < until:
                if sent := _send_all(bus, to_send):
                    ours |= sent
                    until = time.monotonic() + _WAITS_S
                # waits for an answer, but no longer than something to say may wait
                with contextlib.suppress(TimeoutError):
                    number, word = bus.recv_until_filtered(answers, timeout=_LOOKS_S).body
                    # the signal goes to all programs: another's notification may have been answered
                    if number in ours and word == _SHOW:
                        answered()


def _send_all(bus: DBusConnection, to_send: queue.SimpleQueue[Message]) -> set[int]:
    """Send all that waits; return the numbers that notifications were given."""
    given = set()
    with contextlib.suppress(queue.Empty):
        while True:
            message = to_send.get_nowait()
            # A signal has no reply; waiting for one would end in the time limit.
            if message.header.message_type is MessageType.signal:
                bus.send(message)
                continue
            reply = bus.send_and_get_reply(message, timeout=_HEARD_WITHIN_S)
            if reply.header.message_type is MessageType.method_return:
                given.add(int(reply.body[0]))
    return given
