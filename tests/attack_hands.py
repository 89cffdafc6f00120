"""Attacks by hands: sources that are written while they are read, far cells, odd names, queries."""

from __future__ import annotations

import contextlib
import json
import random
import sqlite3
import tempfile
import threading
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

import openpyxl
import psycopg
import pyarrow as pa
import pyarrow.parquet as pq
import sqlalchemy as sa

from keen_trellis.base.errors import SourceError
from keen_trellis.document.storage import loads
from keen_trellis.document.trellis_wants import wants
from keen_trellis.layouts.source_layouts import TextLayout
from keen_trellis.read import read_columnar, read_delimited, read_folder, read_sheet, read_table
from keen_trellis.servers.functions_called import require_reading
from keen_trellis.servers.server import SqliteFile
from tests.tally import Tally

_ROWS = 3_000
_WAYS = ("overwritten", "in two halves", "exchanged", "cut")


def _text(version: int, rows: int) -> bytes:
    return b"v,n\n" + b"".join(b"%d,%d\n" % (version, n) for n in range(rows))


def _parquet(version: int, rows: int) -> bytes:
    sink = pa.BufferOutputStream()
    pq.write_table(pa.table({"v": [version] * rows, "n": list(range(rows))}), sink)
    return bytes(sink.getvalue())


def _read_text(path: Path) -> list[int]:
    return read_delimited(path).table.column("v").to_list()


def _read_parquet(path: Path) -> list[int]:
    return read_columnar(path).table.column("v").to_list()


def _read_folder(path: Path) -> list[int]:
    return read_folder(path.parent, path.name).table.column("v").to_list()


_SORTS: tuple[tuple[str, Callable[[int, int], bytes], Callable[[Path], list[int]]], ...] = (
    ("a.csv", _text, _read_text),
    ("a.parquet", _parquet, _read_parquet),
    ("b.csv", _text, _read_folder),
)


def _write(path: Path, content: bytes, way: str) -> None:
    if way == "exchanged":
        beside = path.with_name(f"beside-{path.name}")
        beside.write_bytes(content)
        beside.replace(path)
    elif way == "cut":
        with path.open("r+b") as file:
            file.truncate(len(content) // 2)
    else:
        half = len(content) // 2 if way == "in two halves" else 0
        with path.open("wb", buffering=0) as file:
            file.write(content[:half])
            file.write(content[half:])


def _write_all(path: Path, contents: list[bytes], way: str, pause_s: float) -> None:
    for content in contents:
        time.sleep(pause_s)
        _write(path, content, way)


def _commit_all(path: Path, keeps: bool, stops: threading.Event) -> None:
    """Change all rows again and again; kept open, a database in WAL mode keeps its log."""
    with contextlib.suppress(sqlite3.OperationalError):  # a reader holds it locked
        held = sqlite3.connect(path) if keeps else None
        for version in range(1, 200):
            if stops.is_set():
                break
            with contextlib.closing(sqlite3.connect(path, timeout=1)) as base:
                base.execute("update t set v = ?", (version,))
                base.commit()
        if held is not None:
            held.close()


def changing_sources(tries: int, seed: int = 1) -> Tally:
    """Write to files while they are read: what comes is of one state, or a sentence comes."""
    tally, chance = Tally("sources written while they are read"), random.Random(seed)
    with tempfile.TemporaryDirectory() as name:
        for number in range(tries):
            file, make, read = _SORTS[number % len(_SORTS)]
            path = Path(name) / file
            sizes = {version: _ROWS + chance.randrange(_ROWS) for version in range(4)}
            path.write_bytes(make(0, sizes[0]))
            way, pause = chance.choice(_WAYS), chance.random() * 0.02

            contents = [make(version, sizes[version]) for version in range(1, 4)]
            writer = threading.Thread(target=_write_all, args=(path, contents, way, pause))
            writer.start()

            def work(read: Callable[[Path], list[int]] = read, path: Path = path) -> str:
                states = sorted(set(read(path)))
                return f"rows of the states {states}" if len(states) > 1 else ""

            tally.attempt(f"{file} {way}, try {number}", work, SourceError)
            writer.join()
    return tally


def changing_databases(tries: int, seed: int = 1) -> Tally:
    """Commit to SQLite files in both modes while a table is read: it comes in one state."""
    tally, chance = Tally("databases written while they are read"), random.Random(seed)
    with tempfile.TemporaryDirectory() as name:
        for number in range(tries):
            path = Path(name) / f"{number}.sqlite"
            mode, keeps = chance.choice(("wal", "delete")), chance.random() < 0.5
            with contextlib.closing(sqlite3.connect(path)) as base:
                base.execute(f"pragma journal_mode = {mode}")
                base.execute("create table t (v, n)")
                base.executemany("insert into t values (0, ?)", [(n,) for n in range(_ROWS)])
                base.commit()
            stops = threading.Event()

            writer = threading.Thread(target=_commit_all, args=(path, keeps, stops))
            writer.start()

            def work(path: Path = path) -> str:
                values = read_table(SqliteFile(str(path)), "t").table.column("v").to_list()
                is_one = len(set(values)) == 1 and len(values) == _ROWS
                return "" if is_one else "rows of several states"

            tally.attempt(f"{mode}, try {number}", work, SourceError)
            stops.set()
            writer.join()
    return tally


def far_cells(tries: int, seed: int = 1) -> Tally:
    """Read workbooks of a few kilobytes whose cells lie far apart."""
    tally, chance = Tally("sheets with cells far apart"), random.Random(seed)
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "far.xlsx"
        for number in range(tries):
            book = openpyxl.Workbook()
            page = book.active
            assert page is not None
            page.append(["a", "b"])
            for _ in range(chance.randrange(1, 4)):
                row, column = (int(most ** chance.random()) for most in (1_048_576, 16_384))
                page.cell(row + 1 if row < 1_048_576 else row, column).value = 1
            book.save(path)
            work = partial(read_sheet, path, page.title)
            tally.attempt(f"try {number}", work, SourceError, 60)
    return tally


_SIGNS = "a/.\x1b[2K\r\n\u202e\u2066\u2028\x00\x7f\x85é“”'\"\\`${}%-*;"


def odd_names(tries: int, seed: int = 1) -> Tally:
    """Read documents with any signs in names and paths: what is asked stays on its line."""
    tally, chance = Tally("odd names in documents"), random.Random(seed)
    for number in range(tries):
        odd = ["".join(chance.choices(_SIGNS, k=chance.randrange(1, 12))) for _ in range(4)]
        server = {"type": "postgresql", "host": odd[1], "database": odd[2], "user": odd[3]}
        lanes = [
            {"id": "a", "name": "A", "source": {"type": "delimited", "path": f"/{odd[0]}"}},
            {
                "id": "b",
                "name": chance.choice(["B", odd[1]]),
                "source": {"type": "table", "database": server, "table": odd[2]},
            },
        ]
        text = json.dumps({"format": "keen trellis", "version": 3, "name": "N", "lanes": lanes})

        def work(text: str = text) -> str:
            asked = wants(loads(text, Path("gift.trellis")), Path("/home/gift.trellis"))
            steered = [want.words for want in asked if not want.words.isprintable()]
            return f"it steers: {steered[0]!a}" if steered else ""

        tally.attempt(f"try {number} {odd!a}", work)
    return tally


_LAYOUTS: dict[str, tuple[object, ...]] = {
    "encoding": ("punycode", "idna", "undefined", "utf-7", "cp037", "rot13", "\x00", "x", "utf-16"),
    "quote": ("''", "é", "\n", "", "'", ","),
    "delimiter": (",,", "é", "\n", "", "\t", '"', " "),
    "decimal": ("..", ",", "x"),
    "thousands": ("", ".", "..", "'"),
    "header_row": (-1, 0, 1, 7, 10**20),
    "dates": ("sideways", "day first"),
    "blanks": ((), ("",), ("NA", "\x00")),
}


def odd_settings(tries: int, seed: int = 1) -> Tally:
    """Read a text with settings by chance, some of which no text has."""
    tally, chance = Tally("odd settings of a text"), random.Random(seed)
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "a.csv"
        for number in range(tries):
            signs = chance.choices("ab1,;.'\"\n é\t0-", k=chance.randrange(1, 60))
            path.write_text("".join(signs))
            chosen = chance.sample(sorted(_LAYOUTS), chance.randrange(1, 4))
            settings = {one: chance.choice(_LAYOUTS[one]) for one in chosen}
            work = partial(read_delimited, path, TextLayout(**settings))  # type: ignore[arg-type]
            what = f"try {number} {settings!a} {''.join(signs)!a}"
            tally.attempt(what, work)
    return tally


_VOLATILE = """
select distinct proname from pg_proc
where provolatile = 'v' and pronamespace = 'pg_catalog'::regnamespace order by 1
"""
_HARMLESS = {
    *("pg_sleep", "random", "clock_timestamp", "timeofday", "gen_random_uuid", "current_query"),
    *("bernoulli", "system"),
    *("pg_relation_size", "pg_total_relation_size", "pg_table_size", "pg_indexes_size"),
    *("pg_database_size", "pg_is_in_recovery", "pg_partition_tree", "pg_partition_ancestors"),
    "pg_xact_commit_timestamp",
}


def functions_of_postgres(tries: int, seed: int = 1) -> Tally:
    """Ask for functions of PostgreSQL that may change something, each in its turn."""
    tally = Tally("functions that may change something")
    with psycopg.connect("host=127.0.0.1 dbname=test user=postgres") as plain:
        names = [name for (name,) in plain.execute(_VOLATILE) if name not in _HARMLESS]
    random.Random(seed).shuffle(names)
    made = sa.create_engine("postgresql+psycopg://postgres@127.0.0.1/test")
    with made.connect() as connection:
        for name in names[:tries]:

            def work(name: str = name) -> str:
                require_reading(connection, [name])
                return "it passes"

            tally.attempt(name, work, SourceError)
    made.dispose()
    return tally
