"""What a new tie begins with: proposed links and the usual figures; worked out aside."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import TYPE_CHECKING

from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report
from keen_trellis.base.words import listed, percent
from keen_trellis.document import edits
from keen_trellis.document.items import FigureItem, LinkedFields

if TYPE_CHECKING:
    from keen_trellis.data import Table


def proposed_link(
    left: Table, right: Table, names: tuple[str, str], report: Report
) -> tuple[LinkedFields, ...]:
    """Return the fields that most likely belong together; none where none do."""
    from keen_trellis.advice.proposals import propose_links

    best = propose_links(left, right, report, names)[:1]
    return tuple(
        LinkedFields(left=f.left, right=f.right, compare_as=f.compare_as)
        for link in best
        for f in link.fields
    )


def proposed_words(left: Table, right: Table, names: tuple[str, str], report: Report) -> str:
    """Return the fields that most likely belong together, and the share of the left rows found."""
    from keen_trellis.advice.proposals import propose_links

    best = next(iter(propose_links(left, right, report, names)), None)
    if best is None:
        return tr("no field has values in common")
    fields = listed([f"{field.left} = {field.right}" for field in best.fields])
    share = percent(best.left_found)
    if best.is_estimate:
        return tr("{fields}, about {percent} of the values found", fields=fields, percent=share)
    return tr("{fields}, {percent} of the values found", fields=fields, percent=share)


def proposed_blend(
    lane: str,
    other: str,
    sides: Sequence[Table | None],
    names: tuple[str, str],
    report: Report,
) -> edits.AddBlend:
    """Return the edit that blends two lanes, with a link and figures where their rows are known."""
    left, right = sides
    link: tuple[LinkedFields, ...] = ()
    if left is not None and right is not None:
        found = proposed_link(left, right, names, report)
        link = tuple(field for field in found if field.compare_as is None)
    linked = [{getattr(field, side) for field in link} for side in ("left", "right")]
    return edits.AddBlend(lane, (other,), link, usual_figures_of(sides, linked))


def usual_figures_of(
    sides: Sequence[Table | None], linked: Sequence[Collection[str]] = ()
) -> tuple[tuple[FigureItem, ...], ...]:
    """Return the usual figures of each side; none of one that is not known."""
    from keen_trellis.advice.usual_figures import usual_figures

    found = []
    for number, table in enumerate(sides):
        links = linked[number] if number < len(linked) else ()
        figures = usual_figures(table, links) if table is not None else ()
        found.append(tuple(FigureItem(column=one.column, how=one.how) for one in figures))
    return tuple(found)
