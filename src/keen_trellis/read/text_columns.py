"""How the texts of a source are written: settled once for all of its columns, guesses said."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import pyarrow as pa
import pyarrow.compute as pc

from keen_trellis.base.language import marked, tr, tr_n
from keen_trellis.base.words import counted, listed
from keen_trellis.data import Column, Kind
from keen_trellis.data.conversions.noticed import Noticed, Reread
from keen_trellis.data.conversions.written_forms import (
    BLANK_WORDS,
    Evidence,
    Written,
    evidence,
    settle,
    shape_in_doubt,
    shape_of_groups,
)
from keen_trellis.layouts.source_layouts import TextLayout
from keen_trellis.read.settling import Settled, Unsettled

_THIN = 100
"""How many values in doubt one that shows how they are meant may decide for without a word."""


def unsettled_texts(
    names: Sequence[str], texts: Sequence[pa.ChunkedArray], layout: TextLayout, where: str
) -> tuple[Unsettled, TextLayout]:
    """Return texts as columns whose kinds are still to be found, and how they are written.

    How numbers and dates are written is settled once, by what all rows of all columns show. Words
    that were chosen to stand for blanks are blanks in all of them.
    """
    said: list[Noticed] = []
    # None: nobody has chosen, so words that only look like blanks may become some; () is a choice
    # of none.
    words = BLANK_WORDS if layout.blanks is None else ()
    if layout.blanks:
        texts, said = _without(texts, layout.blanks)
    with ThreadPoolExecutor(os.cpu_count()) as threads:  # Arrow lets go of the interpreter lock
        shown = list(threads.map(evidence, texts))
    written = _chosen(settle(shown, layout.delimiter or ","), layout)
    guesses = (
        *said,
        *_guesses(names, texts, shown, written),
        *_thin_evidence(names, texts, shown, written, layout),
        *_short_years(names, texts, shown),
    )
    came: dict[str, pa.ChunkedArray | Column] = dict(zip(names, texts, strict=True))
    unsettled = Unsettled(came, where, written, guesses, blank_words=words)
    return unsettled, replace(layout, **written.marks())


def with_blanks(layout: TextLayout, columns: Settled) -> TextLayout:
    """Return a settled layout with the words that were found to stand for blanks."""
    return layout if layout.blanks is not None else replace(layout, blanks=columns.blanks)


def _without(
    texts: Sequence[pa.ChunkedArray], words: Sequence[str]
) -> tuple[list[pa.ChunkedArray], list[Noticed]]:
    """Return texts with some words made blanks, and how many there were."""
    wanted = pa.array(words, pa.string())
    found = [pc.is_in(one, wanted) for one in texts]
    cells = sum(int(pc.sum(one).as_py() or 0) for one in found)
    nothing = pa.scalar(None, pa.string())
    rest = [pc.if_else(is_in, nothing, one) for is_in, one in zip(found, texts, strict=True)]
    quoted = listed([f"“{word}”" for word in words], marked("or"))
    said = Noticed(
        tr_n(
            cells,
            "{n:,} cell is blank since {quoted} stands for no value.",
            "{n:,} cells are blank since {quoted} stands for no value.",
            quoted=quoted,
        ),
        cells,
        Reread(tr("Keep as text"), layout={"blanks": ()}),
    )
    return rest, [said] if cells else []


def _thin_evidence(
    names: Sequence[str],
    texts: Sequence[pa.ChunkedArray],
    shown: Sequence[Evidence],
    written: Written,
    layout: TextLayout,
) -> Iterator[Noticed]:
    """Say where very few values decide how very many are read: 1.204 as 1204, since of 1.204,50."""
    mark = written.thousands
    if mark not in (",", ".") or layout.decimal is not None or layout.thousands is not None:
        return
    # A value that could be meant in one way alone, as 1.204,50 or 1.204.300.
    certain = [pc.match_substring_regex(one, shape_of_groups(mark)) for one in texts]
    proofs = sum(int(pc.sum(one).as_py() or 0) for one in certain)
    for name, column, seen in zip(names, texts, shown, strict=True):
        # `marks` was gathered by the pass over all values: columns without the mark are not
        # looked at again.
        if mark not in seen.marks:
            continue
        doubtful = pc.match_substring_regex(column, shape_in_doubt(mark))
        rows = int(pc.sum(doubtful).as_py() or 0)
        # without a proof nothing decides, and the guess is told elsewhere
        if not proofs or rows < _THIN * proofs:
            continue
        example = column[pc.index(doubtful, True).as_py()].as_py()
        # `proofs` is above 0: one of the columns has one
        place = next(i for i, one in enumerate(certain) if pc.any(one).as_py())
        row = pc.index(certain[place], True).as_py()
        proof = texts[place][row].as_py()
        values = tr_n(proofs, "{n:,} value shows", "{n:,} values show")
        yield Noticed(
            tr(
                "{values} of “{name}” such as “{example}” are taken as "
                "“{example_2}”: only {values_2} that its mark stands between groups of "
                "digits, “{proof}” in row {row:,} of “{names}”.",
                values=counted(rows, "value"),
                name=name,
                example=example,
                example_2=example.replace(mark, ""),
                values_2=values,
                proof=proof,
                row=row + 1,
                names=names[place],
            ),
            rows,
            Reread(
                tr("Take it as {example}", example=example.replace(",", ".")),
                layout={"decimal": mark},
            ),
        )


def _short_years(
    names: Sequence[str], texts: Sequence[pa.ChunkedArray], shown: Sequence[Evidence]
) -> Iterator[Noticed]:
    """Say where years of dates have two digits, so that their century is a guess."""
    for name, column, seen in zip(names, texts, shown, strict=True):
        if not seen.dates:
            continue
        # Three parts of two digits at most; a year in front has four, and is no guess.
        short = pc.match_substring_regex(column, r"^\d{1,2}[./-]\d{1,2}[./-]\d\d($|[T ])")
        rows = int(pc.sum(short).as_py() or 0)
        if rows:
            row = pc.index(short, True).as_py()
            yield Noticed(
                tr(
                    "{dates} of “{name}” such as “{as_py}” in row "
                    "{row:,} have years of two digits: 69 to 99 are taken as 1969 to 1999, the "
                    "rest as 2000 to 2068.",
                    dates=counted(rows, "date"),
                    name=name,
                    as_py=column[row].as_py(),
                    row=row + 1,
                ),
                rows,
                Reread(tr("Keep “{name}” as text", name=name), kinds={name: Kind.TEXT}),
            )


def _chosen(found: Written, layout: TextLayout) -> Written:
    """Return how the text is written, with what was chosen in place of what was found."""
    guessed = list(found.guessed)
    if layout.decimal is not None and layout.decimal != found.decimal:
        # One mark cannot be both: who chooses the comma for decimals says that points group.
        opposite = {",": ".", ".": ","}[layout.decimal]
        swapped = opposite if found.thousands in (",", ".", "") else found.thousands
        found = replace(found, decimal=layout.decimal, thousands=swapped)
    if layout.thousands is not None:
        found = replace(found, thousands=layout.thousands)
    if layout.decimal is not None or layout.thousands is not None:
        # What was chosen is no guess, and not told as one.
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
        place = next(i for i, e in enumerate(shown) if "," in e.marks)
        example = _first(texts[place], ",")
        other, usual = example.replace(",", "."), example.replace(",", "")
        taken, instead = (other, usual) if written.decimal == "," else (usual, other)
        said.append(
            Noticed(
                tr(
                    "“{example}” in “{names}” is taken as “{taken}”: nothing in the file says "
                    "whether its comma is a decimal mark.",
                    example=example,
                    names=names[place],
                    taken=taken,
                ),
                len(texts[place]) - texts[place].null_count,
                Reread(
                    tr("Take it as {instead}", instead=instead),
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
                tr(
                    "“{example}” in “{names}” is taken as {dates}: no day in the file "
                    "is above 12, so nothing says which it is.",
                    example=example,
                    names=names[place],
                    dates=written.dates,
                ),
                len(texts[place]) - texts[place].null_count,
                Reread(
                    tr("Take the {other_order}", other_order=other_order),
                    layout={"dates": other_order},
                ),
            )
        )
    return said


def _first(texts: pa.ChunkedArray, sign: str) -> str:
    place = pc.index(pc.match_substring(texts, sign), True).as_py()
    return str(texts[place].as_py())
