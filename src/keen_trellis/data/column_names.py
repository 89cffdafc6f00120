"""Unique names for columns, made of whatever heads them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence

from keen_trellis.base.language import tr
from keen_trellis.data.conversions.noticed import Noticed


def column_names(
    header: Sequence[str | None], source: str, declared: bool = False
) -> tuple[tuple[str, ...], tuple[Noticed, ...]]:
    """Return unique names for the cells of a header, and what was changed to make them so.

    Names that a schema declares are kept with their spaces: they are what others call them, too.

    >>> column_names(["code", "", "code"], "routes.csv")[0]
    ('code', 'column 2', 'code 2')
    """
    names: list[str] = []
    unnamed: list[str] = []
    repeated: list[str] = []
    cleaned = [
        cell if declared and cell and cell.isprintable() else " ".join((cell or "").split())
        for cell in header
    ]
    counts = Counter(cleaned)
    taken: set[str] = set()
    last: dict[str, int] = {}
    for place, name in enumerate(cleaned, start=1):
        unique = _unique(name or f"column {place}", taken, counts, last)
        if not name:
            unnamed.append(f"column {place}")
        elif unique != name:
            repeated.append(tr("“{unique}” (column {place})", unique=unique, place=place))
        names.append(unique)
        taken.add(unique)
    noticed = []
    if unnamed:
        noticed.append(
            Noticed(
                tr(
                    "{source} has columns without a name: {some}.",
                    source=source,
                    some=_some(unnamed),
                ),
                len(unnamed),
            )
        )
    if repeated:
        noticed.append(
            Noticed(
                tr(
                    "{source} uses a column name more than once; the later ones are called "
                    "{some} here.",
                    source=source,
                    some=_some(repeated),
                ),
                len(repeated),
            )
        )
    return tuple(names), tuple(noticed)


def _some(words: Sequence[str]) -> str:
    shown = ", ".join(words[:5])
    return (
        tr("{shown} and {words:,} more", shown=shown, words=len(words) - 5)
        if len(words) > 5
        else shown
    )


def _unique(name: str, taken: set[str], wanted: Mapping[str, int], last: dict[str, int]) -> str:
    """Return a name that no column has; `last` has the number that each name was given last."""
    candidate, number = name, last.get(name, 1)
    while candidate in taken or (number > 1 and candidate in wanted):
        number += 1
        candidate = f"{name} {number}"
    last[name] = number
    return candidate
