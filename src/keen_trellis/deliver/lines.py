"""Lines of delimited text that keep every cell whole."""

from __future__ import annotations

from typing import TextIO


class Lines:
    r"""Takes what the csv module writes, and ends each row with a line feed.

    That module quotes only the line ends that it writes itself. So it is told to write both signs:
    a lone carriage return in a cell is quoted then, and does not tear its row for whoever reads it.

    >>> import csv, io
    >>> text = io.StringIO()
    >>> csv.writer(Lines(text), lineterminator=Lines.END).writerow(["a\rb", "c"])
    8
    >>> text.getvalue()
    '"a\rb",c\n'
    """

    END = "\r\n"

    def __init__(self, file: TextIO) -> None:
        self._file = file

    def write(self, row: str) -> int:
        """Write one row."""
        return self._file.write(row.removesuffix(self.END) + "\n")
