"""Servers that fall silent, or ask for what they must not get: everything can be left."""

import contextlib
import socket
import struct
import threading
import time
import unittest
from collections.abc import Callable, Iterator
from typing import Literal
from unittest import mock

from keen_trellis.errors import SourceError
from keen_trellis.progress import Cancelled
from keen_trellis.read import Secrets, Server, SqliteFile, connections, read_query
from keen_trellis.read.queries import refuse_writing

Answer = Callable[[socket.socket], None]


@contextlib.contextmanager
def answering(answer: Answer) -> Iterator[tuple[int, list[bytes]]]:
    """Give the port of a server that does as it is told, and all that it was sent."""
    heard: list[bytes] = []
    listening = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        with contextlib.suppress(OSError):
            while True:
                came, _ = listening.accept()
                threading.Thread(target=speak, args=(came,), daemon=True).start()

    def speak(came: socket.socket) -> None:
        with contextlib.suppress(OSError), came:
            answer(came)
            while piece := came.recv(4096):
                heard.append(piece)

    threading.Thread(target=serve, daemon=True).start()
    with listening:
        yield listening.getsockname()[1], heard


def silent(came: socket.socket) -> None:
    """Say nothing."""


def postgres_in_clear(came: socket.socket) -> None:
    """Refuse encryption, then ask for the password as it is."""
    while (asked := came.recv(4096)) and asked[4:8] in (_TLS, _GSS):
        came.sendall(b"N")
    came.sendall(b"R" + struct.pack("!ii", 8, 3))


_TLS, _GSS = (struct.pack("!i", code) for code in (80877103, 80877104))


def mariadb_in_clear(came: socket.socket) -> None:
    """Greet as a server does, then want the password by the plug-in that sends it as it is."""
    greeting = b"\x0a" + b"5.5.5-10.11.0-MariaDB\0" + struct.pack("<I", 7) + b"12345678\0"
    greeting += struct.pack("<HBHHB", 0xF7DF, 33, 2, 0x000F | 0x0008, 21) + b"\0" * 10
    greeting += b"123456789012\0" + b"mysql_native_password\0"
    came.sendall(len(greeting).to_bytes(3, "little") + b"\0" + greeting)
    came.recv(4096)
    switch = b"\xfemysql_clear_password\0"
    came.sendall(len(switch).to_bytes(3, "little") + b"\x02" + switch)


class LeavingTest(unittest.TestCase):
    def server(self, sort: Literal["postgresql", "mariadb"], port: int) -> Server:
        return Server(type=sort, host="127.0.0.1", port=port, database="d", user="reader")

    def ask(self, server: Server, report: Callable[[float, str], None]) -> None:
        secrets = Secrets()
        secrets.give(server, "SecretSecret")
        read_query(server, "select 1", secrets=secrets, report=report)

    def test_a_silent_server_is_left_at_once_and_given_up_in_time(self) -> None:
        for sort in ("postgresql", "mariadb"):
            with answering(silent) as (port, _):
                began = time.monotonic()

                def stop(_: float, __: str, began: float = began) -> None:
                    if time.monotonic() - began > 0.3:
                        raise Cancelled

                with self.assertRaises(Cancelled):
                    self.ask(self.server(sort, port), stop)  # type: ignore[arg-type]
                self.assertLess(time.monotonic() - began, 8)
                with (
                    mock.patch.multiple(connections, _CONNECT_S=0, _GRACE_S=0.5),
                    self.assertRaisesRegex(SourceError, "does not answer"),
                ):
                    self.ask(self.server(sort, port), lambda *_: None)  # type: ignore[arg-type]
                self.assertLess(time.monotonic() - began, 60)

    def test_a_password_never_goes_in_clear_where_it_can_be_overheard(self) -> None:
        for sort, answer in (("postgresql", postgres_in_clear), ("mariadb", mariadb_in_clear)):
            for is_far in (True, False):
                here = ("elsewhere",) if is_far else ("127.0.0.1",)
                with (
                    answering(answer) as (port, heard),
                    mock.patch.object(connections, "_HERE", here),
                ):
                    wanted = "in clear, over a connection that may not" if is_far else "."
                    began = time.monotonic()

                    def stop(_: float, __: str, began: float = began) -> None:
                        if time.monotonic() - began > 3:
                            raise Cancelled

                    with (
                        contextlib.suppress(Cancelled),
                        self.assertRaisesRegex(SourceError, wanted),
                    ):
                        self.ask(self.server(sort, port), stop)  # type: ignore[arg-type]
                    self.assertEqual(b"SecretSecret" not in b"".join(heard), is_far, (sort, heard))


class QueriesTest(unittest.TestCase):
    """Code in one dialect is a string in another; what does more than read never passes."""

    POSTGRES = Server("postgresql", "127.0.0.1", "d", "reader")
    MARIADB = Server("mariadb", "127.0.0.1", "d", "reader")
    FILE = SqliteFile("/x.sqlite")

    def test_what_does_more_than_read_is_refused(self) -> None:
        for database, query, said in (
            (self.MARIADB, "select 1 into outfile '/tmp/x'", "“INTO” would write"),
            (self.MARIADB, "select 1 INTO\nDUMPFILE '/tmp/x'", "“INTO” would write"),
            (self.MARIADB, "select n into @x from t", "“INTO” would write"),
            (self.MARIADB, "select @x := 1", "would set a variable"),
            (self.MARIADB, "select 1 /*! into outfile '/tmp/x' */", "is run by the server"),
            (self.MARIADB, "select get_lock('a', 1)", "“get_lock” does more than read"),
            (self.POSTGRES, "select '\\'; drop table t; --'", "more than one statement"),
            (self.POSTGRES, "select $$a$$; commit; delete from t", "more than one statement"),
            (self.POSTGRES, "select * into u from t", "“INTO” would write"),
            (
                self.POSTGRES,
                "with a as (insert into t values (1) returning n) select 1",
                "“INSERT”",
            ),
            (self.POSTGRES, "with a as (update t set n = 1 returning n) select 1", "“UPDATE”"),
            (self.POSTGRES, "select pg_terminate_backend(1)", "does more than read"),
            (self.POSTGRES, "select setval('s', 1), nextval ('s')", "does more than read"),
            (self.POSTGRES, "select * from t for no key update", "would lock rows"),
            (self.FILE, "select load_extension('x')", "does more than read"),
            (self.FILE, "attach 'x' as y", "begins with ATTACH"),
            (self.FILE, "pragma journal_mode = wal", "begins with PRAGMA"),
            (self.FILE, "select 'never ends", "does not end"),
            (self.FILE, " -- nothing", "no query yet"),
        ):
            with self.subTest(query=query), self.assertRaisesRegex(SourceError, said):
                refuse_writing(query, database)

    def test_what_only_reads_passes_whatever_its_strings_and_names_say(self) -> None:
        for database, query in (
            (self.MARIADB, "select 'a; drop table t', \"into outfile\", `update` from t;"),
            (self.MARIADB, "(select replace(a, 'b', 'c') from t) union select 1"),
            (self.POSTGRES, "select 'it''s; into', $x$ ; insert into $x$, \"delete\" from t"),
            (self.POSTGRES, "with a as (select 1 as update) select * from a -- ; drop"),
            (self.POSTGRES, "select insert(1), substring(a for 2), truncate(3) from t"),
            (self.MARIADB, "select 'a\\'; drop table t; -- '"),
            (self.FILE, "values (1), (2)"),
        ):
            with self.subTest(query=query):
                self.assertEqual(refuse_writing(query, database), ())
        told = refuse_writing("select pg_read_file('/etc/passwd')", self.POSTGRES)
        self.assertEqual(told, ("pg_read_file",))


if __name__ == "__main__":
    unittest.main()
