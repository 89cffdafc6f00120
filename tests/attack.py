"""Attacks: damaged files, kills, bad connections, strange documents, odd surroundings.

`make attack` runs them for some minutes and prints figures; a part runs with the tests. A try is
bad when it ends in anything but rows or a sentence: a traceback, a death, a file torn or lost, or
more time or memory than is allowed.
"""

from __future__ import annotations

import contextlib
import json
import multiprocessing
import os
import random
import resource
import shutil
import signal
import socket
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
import warnings
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any
from unittest import mock

import openpyxl
import pyarrow as pa
import pyarrow.parquet as pq
from pyarrow import feather

from keen_trellis.base.errors import DocumentError, SourceError, UserError
from keen_trellis.base.progress import Cancelled
from keen_trellis.document import DelimitedSource, Trellis, load, save
from keen_trellis.document.describe import describe
from keen_trellis.document.edits import AddDelivery, AddLane, RenameTrellis, apply
from keen_trellis.document.storage import loads
from keen_trellis.machine import unsaved_work as kept_work
from keen_trellis.read import (
    database_tables,
    read_columnar,
    read_delimited,
    read_query,
    read_sheet,
    read_table,
    workbook_parts,
)
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Server, SqliteFile
from tests.attack_hands import (
    changing_databases,
    changing_sources,
    far_cells,
    functions_of_postgres,
    odd_names,
    odd_settings,
)
from tests.tally import Tally

DEMO = Path(__file__).parents[1] / "demo"
_MEMORY = 3 << 30
_READ_S = 20.0


# damaged files


def samples(folder: Path) -> list[Path]:
    """Make a sound file of every format."""
    book = openpyxl.Workbook()
    assert book.active is not None
    for row in range(80):
        book.active.append([row, f"x{row}", row / 3])
    book.save(folder / "a.xlsx")
    table = pa.table({"a": list(range(200)), "b": [f"x{i}" for i in range(200)]})
    pq.write_table(table, folder / "a.parquet")
    feather.write_feather(table, str(folder / "a.feather"))
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", DeprecationWarning)  # an old format is what is wanted
        feather.write_feather(table, str(folder / "v1.feather"), version=1)
    written = pa.OSFile(str(folder / "a.arrows"), "wb")
    with written as file, pa.ipc.new_stream(file, table.schema) as stream:
        stream.write_table(table)
    with contextlib.closing(sqlite3.connect(folder / "a.sqlite")) as database:
        database.execute("create table t (a, b)")
        database.executemany("insert into t values (?, ?)", [(i, "x") for i in range(300)])
        database.commit()
    (folder / "a.csv").write_text("a;b\n" + "".join(f"{i};{i / 7}\n" for i in range(300)))
    shutil.copy(DEMO / "operations.ods", folder / "a.ods")
    return sorted(folder.glob("*.*"))


def read_any(path: Path) -> None:
    """Read all of a file, as its ending says."""
    if path.suffix in (".xlsx", ".ods", ".xls", ".xlsb"):
        for part in workbook_parts(path):
            read_sheet(path, part.sheet)
    elif path.suffix == ".sqlite":
        for table in database_tables(SqliteFile(str(path))):
            read_table(SqliteFile(str(path)), table.name)
    elif path.suffix == ".csv":
        read_delimited(path)
    else:
        read_columnar(path)


def _damage(whole: bytes, chance: random.Random) -> bytes:
    content = bytearray(whole)
    if chance.random() < 0.3:
        content = content[: chance.randrange(1, len(content))]
    for _ in range(chance.choice((1, 2, 8, 60))):
        content[chance.randrange(len(content))] = chance.randrange(256)
    if chance.random() < 0.1:
        place = chance.randrange(len(content))
        content[place:place] = content[: chance.randrange(len(content))]
    return bytes(content)


def _try_to_read(path: str, told: Any) -> None:
    """Read a file in a process with a limit of memory, and tell how it ended."""
    resource.setrlimit(resource.RLIMIT_AS, (_MEMORY, _MEMORY))
    try:
        read_any(Path(path))
        told.send("rows")
    except SourceError:
        told.send("sentence")
    except BaseException as error:  # noqa: BLE001  it is what is looked for
        told.send(f"{type(error).__name__}: {error}")


def damaged_files(tries: int, seed: int = 1) -> Tally:
    """Read damaged files of every format, each in a process of its own."""
    tally, chance = Tally("damaged files"), random.Random(seed)
    context = multiprocessing.get_context("fork")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        sound = samples(folder)
        for number in range(tries):
            original = sound[number % len(sound)]
            damaged = folder / f"damaged{original.suffix}"
            damaged.write_bytes(_damage(original.read_bytes(), chance))
            ours, theirs = context.Pipe()
            process = context.Process(target=_try_to_read, args=(str(damaged), theirs))
            began = time.monotonic()
            process.start()
            theirs.close()
            ended = "in time" if ours.poll(_READ_S) else "took too long"
            with contextlib.suppress(EOFError):
                ended = ours.recv() if ended == "in time" else ended
            process.kill()
            process.join()
            tally.count(ended, f"{original.name}, try {number}", time.monotonic() - began)
    return tally


# strange documents

_ODD: tuple[Any, ...] = (
    *(None, True, -1, 0, 2**70, 1e300, "", "\0", "x" * 3000, "../../..", [], {}, [[]]),
    *({"type": "delimited"}, {"a": {"b": []}}, "${HOME}", "\ud800", ["a"] * 50),
)


def _strange(part: Any, chance: random.Random) -> Any:
    """Return a part of a document with something in it exchanged, left out or doubled."""
    if isinstance(part, dict) and part and chance.random() < 0.9:
        name = chance.choice(sorted(part, key=str))
        way = chance.random()
        if way < 0.1:
            return {key: value for key, value in part.items() if key != name}
        if way < 0.2:
            return {**part, chance.choice(("type", "odd", "lane", "version")): chance.choice(_ODD)}
        return {**part, name: _strange(part[name], chance)}
    if isinstance(part, list) and part and chance.random() < 0.9:
        place = chance.randrange(len(part))
        if chance.random() < 0.2:
            return [*part, part[place]]
        return [*part[:place], _strange(part[place], chance), *part[place + 1 :]]
    return chance.choice(_ODD)


def strange_documents(tries: int, seed: int = 1) -> Tally:
    """Open documents that are as somebody could write them who means harm."""
    tally, chance = Tally("strange documents"), random.Random(seed)
    sound = [json.loads(file.read_text()) for file in sorted(DEMO.glob("*.trellis"))]
    old = Path(__file__).parent / "document"
    sound += [json.loads(file.read_text()) for file in sorted(old.glob("version-*.trellis"))]
    for number in range(tries):
        content = chance.choice(sound)
        for _ in range(chance.choice((1, 1, 2, 4))):
            content = _strange(content, chance)

        def work(content: object = content) -> str:
            list(describe(loads(json.dumps(content), Path("/x.trellis"))))
            return ""

        tally.attempt(f"document {number}", work, DocumentError, 2)
    return tally


# kills

_WRITER = """
import sys
from pathlib import Path
from tests.attack import write_forever
write_forever(sys.argv[1], Path(sys.argv[2]))
"""


def _lanes(folder: Path) -> Trellis:
    rows = "".join(f"{n},{n * n}\n" for n in range(3_000))
    (folder / "rows.csv").write_text(f"n,m\n{rows}")
    source = DelimitedSource(path=str(folder / "rows.csv"))
    trellis, _ = apply(AddLane("Rows", source), Trellis())
    return apply(AddDelivery("rows", "Out", str(folder / "out.csv")), trellis)[0]


def write_forever(what: str, folder: Path) -> None:
    """Save, keep or deliver again and again, until the process is killed."""
    from keen_trellis.deliver import deliver
    from keen_trellis.run import Runner

    trellis = load(folder / "start.trellis")
    table = Runner().run(trellis).rows["rows"]
    keeping = kept_work.Keeping()
    number = 0
    while True:
        number += 1
        named, _ = apply(RenameTrellis(f"Name {number}" + "x" * (number % 50)), trellis)
        if what == "save":
            save(named, folder / "kept.trellis")
        elif what == "keep":
            keeping.keep(named, folder / "kept.trellis")
        else:
            deliver(table, folder / "out.csv")  # type: ignore[arg-type]
        if number == 1:  # from now on there is something whole
            print("begun", flush=True)


def kills(tries: int, seed: int = 1) -> Tally:
    """Kill the program while it saves, keeps unsaved work, or delivers: no file is torn."""
    tally, chance = Tally("kills while writing"), random.Random(seed)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        save(_lanes(folder), folder / "start.trellis")
        surroundings = {**os.environ, "XDG_STATE_HOME": str(folder / "state")}
        whole = b"n,m\n" + (folder / "rows.csv").read_bytes().partition(b"\n")[2]
        for number in range(tries):
            what = ("save", "keep", "deliver")[number % 3]
            with subprocess.Popen(
                [sys.executable, "-c", _WRITER, what, str(folder)],
                env=surroundings,
                stdout=subprocess.PIPE,
                cwd=Path(__file__).parents[1],
            ) as process:
                assert process.stdout is not None
                process.stdout.readline()
                time.sleep(chance.random() * 0.25)
                process.kill()
            began = time.monotonic()
            ended = _after_kill(what, folder, whole)
            tally.count(ended, f"{what}, try {number}", time.monotonic() - began)
    return tally


def _after_kill(what: str, folder: Path, whole: bytes) -> str:
    """Return “rows” where what was written is whole, and nothing else is left for long."""
    try:
        if what == "save" and (folder / "kept.trellis").exists():
            load(folder / "kept.trellis")
            save(load(folder / "start.trellis"), folder / "kept.trellis")
        elif what == "keep":
            with mock.patch.dict(os.environ, XDG_STATE_HOME=str(folder / "state")):
                left = kept_work.left_work()  # which puts aside what cannot be read
            if not left or list((folder / "state").rglob("*.unreadable")):
                return "the kept work cannot be read"
            for file in (folder / "state").rglob("[0-9]*.work"):
                loads(json.loads(file.read_text())["trellis"], file)
        elif what == "deliver" and (folder / "out.csv").read_bytes() != whole:
            return "the delivery is torn"
    except (UserError, ValueError, OSError) as error:
        return f"{type(error).__name__}: {error}"
    if what == "save" and list(folder.glob(".writing-*")):
        return "something is left beside the file"
    return "rows"


# bad connections


@contextlib.contextmanager
def proxy(to: int, cut_after: int, goes_silent: bool) -> Iterator[int]:
    """Give the port of a way to a server that is cut, or falls silent, after so many bytes."""
    listening = socket.create_server(("127.0.0.1", 0))
    left = cut_after
    taking = threading.Lock()
    open_ones: list[socket.socket] = []

    def pump(one: socket.socket, other: socket.socket, counts: bool) -> None:
        nonlocal left
        with contextlib.suppress(OSError):
            while piece := one.recv(512):
                if counts:
                    with taking:
                        piece, left = piece[:left], max(left - len(piece), 0)
                other.sendall(piece)
                if counts and not left:
                    if not goes_silent:
                        for end in (one, other):
                            end.shutdown(socket.SHUT_RDWR)
                    return

    def serve() -> None:
        with contextlib.suppress(OSError):
            while True:
                came, _ = listening.accept()
                went = socket.create_connection(("127.0.0.1", to))
                open_ones.extend((came, went))
                for ends, counts in (((came, went), False), ((went, came), True)):
                    threading.Thread(target=pump, args=(*ends, counts), daemon=True).start()

    threading.Thread(target=serve, daemon=True).start()
    try:
        yield listening.getsockname()[1]
    finally:
        listening.close()
        for end in open_ones:
            end.close()


def bad_connections(tries: int, seed: int = 1) -> Tally:
    """Read from servers whose answers end or stop at any point: left within half a second."""
    tally, chance = Tally("cut and silent connections"), random.Random(seed)
    servers = (
        Server("postgresql", "127.0.0.1", "test", "postgres", port=5432),
        Server("mariadb", "127.0.0.1", "test", "root", port=3306),
    )
    asked = "select 1 union all select 2 union all select 3"
    for number in range(tries):
        server = servers[number % 2]
        is_silent = chance.random() < 0.5
        ways = proxy(
            server.usual_port, chance.choice((0, 1, 9, 80, 200, 400, 800, 10**6)), is_silent
        )
        with ways as port:
            began = time.monotonic()
            there = Server(server.type, "127.0.0.1", "test", server.user, port=port)
            secrets = Secrets()
            secrets.give(there, "")
            asked_to_stop: list[float] = []

            def stop(_: float, __: str, asked: list[float] = asked_to_stop) -> None:
                if time.monotonic() - began > 0.6:  # noqa: B023  used within its turn only
                    asked.append(time.monotonic())
                    raise Cancelled

            try:
                read_query(there, asked, secrets=secrets, report=stop)
                ended = "rows"
            except SourceError:
                ended = "sentence"
            except Cancelled:
                late = time.monotonic() - asked_to_stop[0]
                ended = "sentence" if late < 0.5 else f"stopped only after {late:.1f} s"
            except Exception as error:  # noqa: BLE001  it is what is looked for
                ended = f"{type(error).__name__}: {error}"
        tally.count(ended, f"{server.type}, try {number}", time.monotonic() - began)
    return tally


# surroundings

_SURROUNDINGS = (
    "{run} < /dev/null",
    "{run} <&-",
    "{run} >&-",
    "{run} 2>&-",
    "{run} <&- >&- 2>&-",
    "{run} > /dev/full",
    "{describe} > /dev/full",
    "{program} run /gone.trellis 2> /dev/full",
    "{describe} | head -1",
    "LC_ALL=C PYTHONUTF8=0 PYTHONCOERCECLOCALE=0 {describe}",
    "env -u HOME -u XDG_STATE_HOME {run}",
    "HOME=/gone XDG_STATE_HOME=/proc/gone {run}",
    "TMPDIR=/gone {deliver}",
    "PYTHON_KEYRING_BACKEND=nonsense.Backend {run}",
    "(ulimit -f 4; {deliver})",
    "mkdir -p g; cd g; rmdir ../g; {run}",
    "{program} run /dev/zero",
    "{program} run .",
)


def odd_surroundings() -> Tally:
    """Run the command line where what it stands on is missing, full, or of another language."""
    tally = Tally("odd surroundings")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        odd = os.fsencode(folder) + b"/rows\xff.csv"
        Path(os.fsdecode(odd)).write_text("n\n1\n")
        trellis = _lanes(folder)
        trellis, _ = apply(AddLane("Odd", DelimitedSource(path=os.fsdecode(odd))), trellis)
        save(trellis, folder / "x.trellis")
        program = f"{sys.executable} -m keen_trellis"
        given = {
            "program": program,
            "run": f"{program} run {folder}/x.trellis",
            "deliver": f"{program} run {folder}/x.trellis --deliver --replace",
            "describe": f"{program} describe {folder}/x.trellis",
        }
        for command in _SURROUNDINGS:
            began = time.monotonic()
            done = subprocess.run(
                ["bash", "-c", command.format(**given)],
                cwd=folder,
                capture_output=True,
                timeout=60,
                env={**os.environ, "XDG_STATE_HOME": str(folder / "state")},
            )
            is_said = b"Traceback" not in done.stderr and b"Exception ignored" not in done.stderr
            ended = "sentence" if done.returncode else "rows"
            if not is_said or done.returncode not in (0, 1, 2, 3):
                ended = done.stderr.decode(errors="replace")[-200:] or f"code {done.returncode}"
            tally.count(ended, command, time.monotonic() - began)
    return tally


FAMILIES: tuple[tuple[Callable[..., Tally], int, int], ...] = (
    (damaged_files, 1_500, 50),
    (strange_documents, 20_000, 300),
    (kills, 120, 4),
    (bad_connections, 120, 12),
    (changing_sources, 600, 20),
    (changing_databases, 200, 10),
    (far_cells, 100, 8),
    (odd_names, 5_000, 150),
    (odd_settings, 3_000, 100),
    (functions_of_postgres, 1_000, 1_000),
)
"""Every family that takes a number of tries: how many alone, and how many among the tests."""


def main() -> int:
    """Run every attack, and print how it ended."""
    signal.signal(signal.SIGPIPE, signal.SIG_DFL)
    print("| family | tried | refused in a sentence | longest | bad |\n|---|---|---|---|---|")
    tallies = []
    for attack, tries, _ in FAMILIES:
        tallies.append(attack(tries))
        print(tallies[-1].line(), flush=True)
    tallies.append(odd_surroundings())
    print(tallies[-1].line())
    for tally in tallies:
        for bad in tally.bad[:20]:
            print(f"BAD {tally.family}: {bad}")
    return int(any(tally.bad for tally in tallies))


if __name__ == "__main__":
    sys.exit(main())
