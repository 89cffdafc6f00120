"""Sources of different grain, each summarised to the link before they meet: nothing is doubled."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from keen_trellis.compute.expressions import filtered
from keen_trellis.compute.join.pairing import paired
from keen_trellis.compute.summary import Figure, summarise
from keen_trellis.compute.tied import Tied
from keen_trellis.data import Table
from keen_trellis.errors import LinkError
from keen_trellis.plan.bays import keep_of
from keen_trellis.plan.expressions import Tested
from keen_trellis.plan.link import Link, LinkField
from keen_trellis.progress import Report, quiet
from keen_trellis.words import listed


@dataclass(frozen=True, slots=True)
class BlendSource:
    """One source of a blend.

    Attributes
    ----------
    name : str
    table : Table
    fields : tuple of str
        Its fields for the link, in the order of the blend's; the same names where left out.
    figures : tuple of Figure
        What it is summarised to.
    """

    name: str
    table: Table
    figures: tuple[Figure, ...]
    fields: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class FilterReach:
    """Which sources a filter reaches before the blend is made, and which it leaves whole."""

    filter: Tested
    reaches: tuple[str, ...]
    leaves_whole: tuple[str, ...]

    def sentence(self) -> str:
        """Return the reach in words."""
        reached = f"reaches {listed(self.reaches)}" if self.reaches else "reaches no source"
        whole = (
            f"; {listed(self.leaves_whole)} stay whole"
            if len(self.leaves_whole) > 1
            else (f"; {self.leaves_whole[0]} stays whole" if self.leaves_whole else "")
        )
        return f"{self.filter}: {reached}{whole}."


@dataclass(frozen=True, slots=True, eq=False)
class Blend:
    """What a blend gives.

    Attributes
    ----------
    outcome : Table
        One row for each value of the link; where a source has none, its figures are gaps.
    summaries : tuple of Table
        Each source summarised, in order.
    ties : tuple of Tied
        How each source after the first met those before it, with counts and bays.
    reach : tuple of FilterReach
    """

    outcome: Table
    summaries: tuple[Table, ...]
    ties: tuple[Tied, ...]
    reach: tuple[FilterReach, ...]


def blend(
    sources: Sequence[BlendSource],
    on: Sequence[str],
    filters: Iterable[Tested] = (),
    keep: Iterable[str] = ("left", "both", "right"),
    report: Report = quiet,
) -> Blend:
    """Return two or more sources, each filtered, then summarised to the link, then tied.

    A filter reaches every source that has its column: a link field under the source's own name
    for it, or another column of that name. Blanks in a link are a group of their own, and match.

    Parameters
    ----------
    sources : sequence of BlendSource
        At least two.
    on : sequence of str
        The names of the link fields in the outcome.
    filters : iterable of Tested
    keep : iterable of "left", "both", "right"
        The bays kept each time a source meets those before it; all of them by default.

    Raises
    ------
    LinkError
        There are fewer than two sources, a source names another number of fields, or kinds differ.
    UnknownColumnError
        A field is not a column of its source.
    """
    _require_sources(sources, on)
    fields = [dict(zip(on, source.fields or tuple(on), strict=True)) for source in sources]
    tables = [source.table for source in sources]
    reach = []
    for condition in filters:
        columns = [own.get(condition.column, condition.column) for own in fields]
        reached = [column in table.columns for column, table in zip(columns, tables, strict=True)]
        for number, hit in enumerate(reached):
            if hit:
                tables[number] = filtered(tables[number], condition, columns[number])
        hits = list(zip((s.name for s in sources), reached, strict=True))
        reach.append(
            FilterReach(
                condition,
                tuple(name for name, hit in hits if hit),
                tuple(name for name, hit in hits if not hit),
            )
        )
    summaries = []
    for number, (source, table, own) in enumerate(zip(sources, tables, fields, strict=True)):
        report(number / len(sources), f"Summarising {source.name}")
        summaries.append(_summary(source, table, own))
    outcome, ties = summaries[0], []
    for source, summary in zip(sources[1:], summaries[1:], strict=True):
        names = (sources[0].name, source.name)
        link = Link(tuple(LinkField(name, name) for name in on), blanks="match")
        match = paired(outcome, summary, link, names)
        met = Tied(outcome, summary, link, keep=keep_of(keep), match=match, names=names)
        ties.append(met)
        outcome = met.outcome
    return Blend(outcome, tuple(summaries), tuple(ties), tuple(reach))


def _summary(source: BlendSource, table: Table, fields: dict[str, str]) -> Table:
    """Return a source's figures under the link's own names for its fields."""
    made = summarise(table, list(fields.values()), source.figures, source.name)
    names = [*fields, *(figure.title for figure in source.figures)]
    return made.renamed(names)


def _require_sources(sources: Sequence[BlendSource], on: Sequence[str]) -> None:
    if len(sources) < 2 or not on:
        raise LinkError(
            "A blend takes two sources or more, and at least one link field.",
            "Choose another source, or a field that the sources share.",
        )
    for source in sources:
        if source.fields and len(source.fields) != len(on):
            raise LinkError(
                f"{source.name} names {len(source.fields)} link fields; the blend has {len(on)}.",
                "Name one field of the source for each link field.",
            )
