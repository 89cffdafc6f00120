"""Delimited text, written from whole columns: each distinct text is made ready once."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from typing import IO, TYPE_CHECKING

import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pacsv

from keen_trellis.base.errors import DeliveryError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, quiet
from keen_trellis.data.column import TEXT_BYTES_AT_MOST
from keen_trellis.data.kinds import Kind
from keen_trellis.deliver.blocks import ROWS_AT_A_TIME, Bytes, has_any, in_turn, joined, letters_of
from keen_trellis.layouts.delivered_text import USUAL, TextForm

if TYPE_CHECKING:
    from keen_trellis.data import Column, Table

RUN_BY_SHEETS = "^([\t\r]|[ \n]*[=+\\-@\uff1d\uff0b\uff0d\uff20])"
"""How texts begin that a spreadsheet takes for formulas: also behind room, and in wide letters."""


def write_text(
    table: Table,
    file: IO[bytes],
    form: TextForm = USUAL,
    report: Report = quiet,
    guarded: bool = False,
) -> None:
    """Write every row of a table as delimited text, the names of its columns first.

    Blocks of rows are made on all cores and written in order: memory does not grow with the rows.

    Parameters
    ----------
    table, form, report
    file : binary file
    guarded : bool
        Whether texts that begin with = + - @ stand behind an apostrophe (OWASP, “CSV Injection”).

    Raises
    ------
    DeliveryError
        A letter cannot be written in the encoding, or a row is longer than 2 GB.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    ready = _Ready(form, guarded, alone=len(table.columns) == 1)
    names = ready.quoted(ready.guarded(pa.array(table.columns, pa.string())), is_text=True)
    head = form.delimiter.join(names.to_pylist()) + form.ends_with
    file.write(form.mark + form.encoded(head, tr("it stands in the name of a column")))
    for start, block in _blocks(table, ready):
        report(
            start / max(len(table), 1),
            tr("Writing row {start:,} of {table:,}", start=start, table=len(table)),
        )
        file.write(block)


def text_blocks(table: Table, form: TextForm) -> Iterator[tuple[int, Bytes]]:
    """Yield the rows of a table as delimited text without names, and where each block starts."""
    return _blocks(table, _Ready(form, guarded=False, alone=False))


def _blocks(table: Table, ready: _Ready) -> Iterator[tuple[int, Bytes]]:
    settled = table.settled()
    return in_turn(len(table), lambda start: ready.block(settled, start))


class _Ready:
    """Makes cells ready to be written; what was done to a dictionary is kept."""

    def __init__(self, form: TextForm, guarded: bool, alone: bool) -> None:
        self._form, self._guarded, self._alone = form, guarded, alone
        self._dictionaries: dict[int, pa.StringArray] = {}
        self._one_at_a_time = threading.Lock()
        # Arrow writes UTF-8, line feeds and points, and refuses a cell that needs a quote: only
        # then is its writer ours.
        utf8 = form.encoding in ("utf-8", "utf-8-sig")
        is_usual = utf8 and form.ends_with == "\n" and form.decimal == "."
        self._may_be_plain = is_usual and form.quoting == "where needed" and not alone

    def block(self, table: Table, start: int) -> Bytes:
        """Return some rows as they stand in the file."""
        rows = table.window(start, start + ROWS_AT_A_TIME)
        if not rows.fields:
            return (self._form.ends_with * len(rows)).encode()
        columns = [rows.fetch(field) for field in rows.fields]
        if self._may_be_plain and not any(map(self._has_quotes, columns)):
            return self._plain(columns)
        cells = [self._cells(column) for column in columns]
        if sum(array.nbytes for array in cells) > TEXT_BYTES_AT_MOST:
            raise DeliveryError(
                tr(
                    "The rows from {start:,} on are longer than {text_bytes_at_most} GB.",
                    start=start + 1,
                    text_bytes_at_most=TEXT_BYTES_AT_MOST >> 30,
                ),
                tr("Let fewer columns go on."),
            )
        if self._alone:  # an empty line would be no row at all
            cells = [cells[0].fill_null('""')]
        # the last cell bears the end of its row, so that the letters of all rows lie in one buffer
        # as they stand in the file
        cells[-1] = joined([cells[-1], pa.scalar(self._form.ends_with)])
        letters = letters_of(joined(cells, self._form.delimiter))
        if self._form.encoding in ("utf-8", "utf-8-sig"):
            return letters
        where = tr(
            "it stands in one of the rows {start:,} to {start_2:,}",
            start=start + 1,
            start_2=start + len(rows),
        )
        return self._form.encoded(str(letters, "utf-8"), where)

    def _plain(self, columns: list[Column]) -> memoryview:
        """Return rows of which no cell needs a quote; Arrow's writer, which would refuse one."""
        cells = [
            self._cells(one)
            if one.kind in _SHOWN_OTHERWISE or one.has_short_texts
            else one.to_arrow()
            for one in columns
        ]
        written = pa.BufferOutputStream()
        options = pacsv.WriteOptions(
            include_header=False, quoting_style="none", delimiter=self._form.delimiter
        )
        named = [str(place) for place in range(len(cells))]
        pacsv.write_csv(pa.Table.from_arrays(cells, named), written, options)
        return memoryview(written.getvalue())

    def _cells(self, column: Column) -> pa.StringArray:
        if column.kind is not Kind.TEXT:
            texts = column.texts()
            if self._form.decimal == "," and column.kind in (Kind.NUMBER, Kind.EXACT):
                texts = pc.replace_substring(texts, ".", ",")
            return self.quoted(texts, is_text=False)
        return self._dictionary(column).take(column.codes())

    def _has_quotes(self, column: Column) -> bool:
        is_text = column.kind is Kind.TEXT
        return is_text and self._dictionary(column) is not column.dictionary

    def _dictionary(self, column: Column) -> pa.StringArray:
        """Return the texts of a column as they are written; the same object if they stay so."""
        assert column.dictionary is not None
        key = id(column.dictionary)  # the table lives for as long as this does
        with self._one_at_a_time:
            if key not in self._dictionaries:
                # Within the lock, so that two threads do not make the same dictionary ready
                # twice.
                guarded = self.guarded(column.dictionary)
                self._dictionaries[key] = self.quoted(guarded, is_text=True)
            return self._dictionaries[key]

    def quoted(self, texts: pa.StringArray, is_text: bool) -> pa.StringArray:
        """Return cells with quotes around them, where the form wants them or they need them."""
        if self._form.quoting == "all" or (self._form.quoting == "texts" and is_text):
            return _quoted(texts)
        if not is_text and self._form.delimiter != self._form.decimal:
            return texts  # digits, letters and their marks: nothing that parts cells
        if not has_any(texts, f'{self._form.delimiter}"\r\n'):
            return texts
        needed = pc.match_substring_regex(texts, f'[{self._form.delimiter}"\r\n]')
        return pc.if_else(needed, _quoted(texts), texts)

    def guarded(self, texts: pa.StringArray) -> pa.StringArray:
        """Return texts with an apostrophe before what a spreadsheet would run, where that is on."""
        if not self._guarded:
            return texts
        runs = pc.match_substring_regex(texts, RUN_BY_SHEETS)
        return pc.if_else(runs, joined(["'", texts]), texts) if pc.any(runs).as_py() else texts


_SHOWN_OTHERWISE = (Kind.TEXT, Kind.DATE_TIME, Kind.TIME)
"""The kinds whose cells are texts before Arrow writes them; it would write others than we do."""


def _quoted(texts: pa.StringArray) -> pa.StringArray:
    doubled = pc.replace_substring(texts, '"', '""')
    return joined(['"', doubled, '"'], nulls="emit_null")
