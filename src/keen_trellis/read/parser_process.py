"""Runs as a process of its own: parses one file within limits, and hands over what is in it.

It is started by `apart` with the file opened, and imports nothing of this package, so that it is
there in a moment. What it finds goes to its standard output in frames: eight bytes with the length,
then “P” and a pickle of plain values, or “A” and a stream of Arrow. The last frame is ("done",) or
("error", kind, words); without it, the process has died.
"""

from __future__ import annotations

import io
import os
import pickle
import re
import resource
import signal
import struct
import sys
import zipfile
import zlib
from collections.abc import Callable, Iterator
from typing import Any, BinaryIO

_CHUNK_CELLS = 200_000


def main(arguments: list[str]) -> None:
    """Parse as the arguments say.

    These are who starts it, memory in bytes, seconds, what to do, the file, and the rest.
    """
    parent, memory, seconds, command, file, *rest = arguments
    _end_with_parent(int(parent))
    for limit, most in (
        (resource.RLIMIT_AS, int(memory)),
        (resource.RLIMIT_CPU, int(seconds)),
        (resource.RLIMIT_CORE, 0),
    ):
        _, hard = resource.getrlimit(limit)
        most = most if hard == resource.RLIM_INFINITY else min(most, hard)
        resource.setrlimit(limit, (most, hard))
    out = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)  # whatever a library prints must not get between the frames
    with os.fdopen(int(file), "rb") as opened:
        try:
            for frame in _COMMANDS[command](opened, *rest):
                _send(out, frame)
            last: tuple[str, ...] = ("done",)
        except MemoryError:
            last = ("error", "memory", "")
        except BaseException as error:  # noqa: BLE001  a panic of a library is no `Exception`
            last = ("error", type(error).__name__, str(error))
    _send(out, last)


_PR_SET_PDEATHSIG = 1


def _end_with_parent(parent: int) -> None:
    """Have the system end this process when the thread that started it is no more."""
    import ctypes

    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)
    if os.getppid() != parent:  # it was gone before; in a container it may be number 1 itself
        raise SystemExit


def _send(out: BinaryIO, frame: Any) -> None:
    data = b"A" + frame if isinstance(frame, bytes) else b"P" + pickle.dumps(frame, 5)
    out.write(struct.pack("<Q", len(data)))
    out.write(data)
    out.flush()


def _workbook(file: BinaryIO, path: str, with_tables: bool) -> Any:
    """Return a workbook: by its path where its name tells the format, else by what is in it.

    The library says best what is wrong where it need not guess the format.
    """
    import python_calamine as calamine

    try:
        if path and path.isprintable():
            return calamine.CalamineWorkbook.from_path(path, load_tables=with_tables)
        return calamine.CalamineWorkbook.from_filelike(file, load_tables=with_tables)
    except calamine.CalamineError:
        file.seek(0)
        closer = _without_room(file)
        if closer is None:
            raise
        return calamine.CalamineWorkbook.from_filelike(closer, load_tables=with_tables)


_ROOM = re.compile(
    rb"(</?(?:table|office|style|number|text:p|text:sequence-decls?)[^<>]*>)\s+(?=<)"
)


def _without_room(file: BinaryIO) -> BinaryIO | None:
    """Return an .ods without white space between its elements, at which the library stumbles.

    Within a paragraph white space is text, and stays. None where the file is none.
    """
    try:
        with zipfile.ZipFile(file) as old:
            if "content.xml" not in old.namelist():
                return None
            made = io.BytesIO()
            with zipfile.ZipFile(made, "w", zipfile.ZIP_STORED) as new:
                for name in old.namelist():
                    content = old.read(name)
                    new.writestr(
                        name, _ROOM.sub(rb"\1", content) if name == "content.xml" else content
                    )
    except (zipfile.BadZipFile, OSError, zlib.error):
        return None
    made.seek(0)
    return made


def _parts(file: BinaryIO, path: str, with_tables: str) -> Iterator[Any]:
    """Give the sheets as (name, whether it is seen, whether it has cells), and the tables."""
    with _workbook(file, path, with_tables == "tables") as workbook:
        yield _sheets(workbook)
        yield _tables(workbook) if with_tables == "tables" else []


def _sheets(workbook: Any) -> list[tuple[str, bool, bool]]:
    import python_calamine as calamine

    return [
        (
            sheet.name,
            sheet.visible == calamine.SheetVisibleEnum.Visible,
            sheet.typ == calamine.SheetTypeEnum.WorkSheet,
        )
        for sheet in workbook.sheets_metadata
    ]


def _tables(workbook: Any) -> list[tuple[str, str, tuple[int, int], tuple[int, int]]]:
    found = []
    for name in workbook.table_names or ():
        table = workbook.get_table_by_name(name)
        if table.start is not None and table.end is not None:
            found.append((name, table.sheet, table.start, table.end))
    return found


def _sheet(file: BinaryIO, path: str, sheet: str) -> Iterator[Any]:
    """Give all sheets, the merged ranges of one, then (width, rows), some at a time.

    Between the rows stand the numbers of empty ones, of which a sheet may have a million.
    """
    with _workbook(file, path, with_tables=False) as workbook:
        sheets = _sheets(workbook)
        yield sheets
        if sheet not in [name for name, *_ in sheets]:
            return
        read = workbook.get_sheet_by_name(sheet)
        yield list(read.merged_cell_ranges or ())
        # the rows above the first filled one come shorter than the others, and all of them empty
        width = read.end[1] + 1 if read.end is not None else 0
        most = max(_CHUNK_CELLS // max(width, 1), 1)
        some: list[list[Any] | int] = []
        empty = 0
        for row in read.iter_rows():
            if row.count("") == len(row):
                empty += 1
                continue
            if empty:
                some.append(empty)
            empty = 0
            some.append(row if len(row) == width else row + [""] * (width - len(row)))
            if len(some) >= most:
                yield width, some
                some = []
        yield width, [*some, empty] if empty else some


def _arrow(file: BinaryIO, rows_at_most: str) -> Iterator[Any]:
    """Give the batches of an Arrow or Feather file, checked, each as a stream of its own."""
    import pyarrow as pa
    from pyarrow import feather

    magic = file.read(6)
    file.seek(0)
    most = int(rows_at_most)
    if magic[:4] == b"FEA1":
        whole = feather.read_table(pa.PythonFile(file))
        yield from _streamed(whole if most < 0 else whole.slice(0, most))
        return
    if magic == b"ARROW1":
        reader = pa.ipc.open_file(pa.PythonFile(file))
        batches = (reader.get_batch(n) for n in range(reader.num_record_batches))
    else:
        reader = pa.ipc.open_stream(pa.PythonFile(file))
        batches = iter(reader)
    yield from _streamed(reader.schema.empty_table())
    rows = 0
    for batch in batches:
        yield from _streamed(pa.Table.from_batches([batch]))
        rows += batch.num_rows
        if 0 <= most <= rows:
            break


def _streamed(table: Any) -> Iterator[bytes]:
    import pyarrow as pa

    table.validate(full=True)  # a damaged file could make Arrow read beyond its memory
    sink = pa.BufferOutputStream()
    with pa.ipc.new_stream(sink, table.schema) as stream:
        stream.write_table(table)
    yield sink.getvalue().to_pybytes()


_COMMANDS: dict[str, Callable[..., Iterator[Any]]] = {
    "parts": _parts,
    "sheet": _sheet,
    "arrow": _arrow,
}

if __name__ == "__main__":
    main(sys.argv[1:])
