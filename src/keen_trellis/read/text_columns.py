"""Texts become columns: ways of writing settled together, kinds on every row, slips said."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import pyarrow as pa
import pyarrow.compute as pc

from keen_trellis.data import Column, Kind, from_arrow
from keen_trellis.data.kind_changes import Unfit, changed_kind, likely_kind
from keen_trellis.data.reading_texts import column_of_texts
from keen_trellis.data.written import Evidence, Written, evidence, settle
from keen_trellis.progress import Report
from keen_trellis.read.reading import Noticed, Remedy
from keen_trellis.read.text_layout import TextLayout


@dataclass(frozen=True, slots=True, eq=False)
class Columns:
    """Columns with their kinds, and what was noticed on the way to them.

    Attributes
    ----------
    columns : dict of name to Column
    layout : TextLayout
        With how numbers and dates are written.
    noticed : tuple of Noticed
    unfit : tuple of Unfit
    """

    columns: dict[str, Column]
    layout: TextLayout
    noticed: tuple[Noticed, ...]
    unfit: tuple[Unfit, ...]


def columns_of_texts(
    names: Sequence[str],
    texts: Sequence[pa.ChunkedArray],
    layout: TextLayout,
    kinds: Mapping[str, Kind],
    where: str,
    report: Report,
) -> Columns:
    """Return texts as columns, in the kinds chosen or else in those that all their rows allow.

    Raises
    ------
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    report(0.0, f"Settling kinds of {where}")
    with ThreadPoolExecutor(os.cpu_count()) as threads:  # Arrow lets go of the interpreter lock
        shown = list(threads.map(evidence, texts))
        written = _chosen(settle(shown, layout.delimiter or ","), layout)
        made: dict[str, Column] = {}
        likely: list[Noticed] = []
        unfit: list[Unfit] = []

        def convert(
            name: str, column: pa.ChunkedArray
        ) -> tuple[Column, Unfit | None, Noticed | None]:
            if name not in kinds:
                found = column_of_texts(column, written)
                return found, None, slip(found, name, written)
            changed, lost = changed_kind(from_arrow(column), kinds[name], name, written)
            return changed, lost, None

        waiting = [threads.submit(convert, n, t) for n, t in zip(names, texts, strict=True)]
        try:
            for done, (name, future) in enumerate(zip(names, waiting, strict=True)):
                made[name], lost, seen = future.result()
                unfit += [lost] if lost else []
                likely += [seen] if seen else []
                report((done + 1) / len(names), f"Settling kinds of {where}")
        finally:
            for future in waiting:
                future.cancel()
    guesses = _guesses(names, texts, shown, written)
    settled = replace(layout, **written.marks())
    return Columns(made, settled, (*unfit_noticed(unfit), *guesses, *likely), tuple(unfit))


def slip(column: Column, name: str, written: Written = Written()) -> Noticed | None:
    """Say where nearly all texts of a column could be of another kind; None where not."""
    likely = likely_kind(column, written)
    if likely is None:
        return None
    kind = likely.kind
    remedy = Remedy(f"Read “{name}” as {kind}", kinds={name: kind})
    if not likely.unfit:
        text = f"All {likely.fit:,} values of “{name}” look like {_plural(kind)} kept as text."
        return Noticed(text, likely.fit, remedy)
    are = "1 value is not" if likely.unfit == 1 else f"{likely.unfit:,} values are not"
    return Noticed(
        f"“{name}” is text, though {likely.fit:,} of its values look like {_plural(kind)}: {are}, "
        f"such as “{likely.odd}” in row {likely.odd_row + 1:,}.",
        likely.unfit,
        remedy,
    )


def unfit_noticed(unfit: Sequence[Unfit]) -> tuple[Noticed, ...]:
    """Say which values are none of the kind chosen for their column."""
    return tuple(
        Noticed(
            f"{len(u.rows):,} {'value of' if len(u.rows) == 1 else 'values of'} “{u.column}” "
            f"cannot be read as {u.kind} and {'is' if len(u.rows) == 1 else 'are'} blank now, such "
            f"as “{u.texts[0]}” in row {int(u.rows[0]) + 1:,}.",
            len(u.rows),
            Remedy(f"Keep “{u.column}” as text", kinds={u.column: Kind.TEXT}),
        )
        for u in unfit
    )


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
                f"“{example}” in “{names[place]}” is taken as {taken}: nothing in the file says "
                "whether its comma is a decimal mark.",
                len(texts[place]) - texts[place].null_count,
                Remedy(
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
                Remedy(f"Take the {other_order}", layout={"dates": other_order}),
            )
        )
    return said


def _first(texts: pa.ChunkedArray, sign: str) -> str:
    place = pc.index(pc.match_substring(texts, sign), True).as_py()
    return str(texts[place].as_py())


_PLURALS = {Kind.TEXT: "texts"}


def _plural(kind: Kind) -> str:
    return _PLURALS.get(kind, f"{kind}s")
