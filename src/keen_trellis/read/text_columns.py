"""How the texts of a source are written: settled once for all of its columns, guesses said."""

from __future__ import annotations

import os
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import pyarrow as pa
import pyarrow.compute as pc

from keen_trellis.data import Column
from keen_trellis.data.written import Evidence, Written, evidence, settle
from keen_trellis.read.layouts import TextLayout
from keen_trellis.read.noticed import Noticed, Reread
from keen_trellis.read.settling import Unsettled


def unsettled_texts(
    names: Sequence[str], texts: Sequence[pa.ChunkedArray], layout: TextLayout, where: str
) -> tuple[Unsettled, TextLayout]:
    """Return texts as columns whose kinds are still to be found, and how they are written.

    How numbers and dates are written is settled once, by what all rows of all columns show.
    """
    with ThreadPoolExecutor(os.cpu_count()) as threads:  # Arrow lets go of the interpreter lock
        shown = list(threads.map(evidence, texts))
    written = _chosen(settle(shown, layout.delimiter or ","), layout)
    guesses = tuple(_guesses(names, texts, shown, written))
    came: dict[str, pa.ChunkedArray | Column] = dict(zip(names, texts, strict=True))
    return Unsettled(came, where, written, guesses), replace(layout, **written.marks())


def _chosen(found: Written, layout: TextLayout) -> Written:
    """Return how the text is written, with what was chosen in place of what was found."""
    guessed = list(found.guessed)
    if layout.decimal is not None and layout.decimal != found.decimal:
        opposite = {",": ".", ".": ","}[layout.decimal]
        swapped = opposite if found.thousands in (",", ".", "") else found.thousands
        found = replace(found, decimal=layout.decimal, thousands=swapped)
    if layout.thousands is not None:
        found = replace(found, thousands=layout.thousands)
    if layout.decimal is not None or layout.thousands is not None:
        guessed = [g for g in guessed if g != "numbers"]
    if layout.dates is not None:
        found = replace(found, dates=layout.dates)
        guessed = [g for g in guessed if g != "dates"]
    return replace(found, guessed=tuple(guessed))


def _guesses(
    names: Sequence[str],
    texts: Sequence[pa.ChunkedArray],
    shown: Sequence[Evidence],
    written: Written,
) -> list[Noticed]:
    """Say what nothing in the text decides, with an example and the other way to take it."""
    said = []
    if "numbers" in written.guessed:
        place = next(i for i, e in enumerate(shown) if e.commas)
        example = _first(texts[place], ",")
        other, usual = example.replace(",", "."), example.replace(",", "")
        taken, instead = (other, usual) if written.decimal == "," else (usual, other)
        said.append(
            Noticed(
                f"“{example}” in “{names[place]}” is taken as “{taken}”: nothing in the file says "
                "whether its comma is a decimal mark.",
                len(texts[place]) - texts[place].null_count,
                Reread(
                    f"Take it as {instead}",
                    layout={"decimal": "." if written.decimal == "," else ","},
                ),
            )
        )
    if "dates" in written.guessed:
        place = next(i for i, e in enumerate(shown) if len(e.dates) > 1)
        example = texts[place].drop_null()[0].as_py()
        other_order = "month first" if written.dates == "day first" else "day first"
        said.append(
            Noticed(
                f"“{example}” in “{names[place]}” is taken as {written.dates}: no day in the file "
                "is above 12, so nothing says which it is.",
                len(texts[place]) - texts[place].null_count,
                Reread(f"Take the {other_order}", layout={"dates": other_order}),
            )
        )
    return said


def _first(texts: pa.ChunkedArray, sign: str) -> str:
    place = pc.index(pc.match_substring(texts, sign), True).as_py()
    return str(texts[place].as_py())
