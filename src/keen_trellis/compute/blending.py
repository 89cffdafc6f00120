"""Sources of different grain, each summarised to the link before they meet: nothing is doubled."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal
from functools import cached_property

from keen_trellis.base.errors import LinkError
from keen_trellis.base.language import grouped_digits, tr, with_marks
from keen_trellis.base.progress import Report, quiet
from keen_trellis.base.words import counted, listed, with_capital
from keen_trellis.compute.expression_values import filtered
from keen_trellis.compute.join.pairing import paired
from keen_trellis.compute.join_result import Tied
from keen_trellis.compute.summary import summarise
from keen_trellis.data import Table
from keen_trellis.data.column import in_all_digits
from keen_trellis.data.conversions.conversion import by_day
from keen_trellis.data.kinds import BY_DAY
from keen_trellis.plan.bays import Bay, keep_of
from keen_trellis.plan.blends import Reach
from keen_trellis.plan.counts import Group
from keen_trellis.plan.expressions import Tested
from keen_trellis.plan.figures import Figure
from keen_trellis.plan.link import Link, LinkField
from keen_trellis.plan.outcome import join_name

_CLOSE = 1e-9
"""Sums of doubles in another order differ by rounding; beyond this share, by values."""


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
class Total:
    """The total of a figure over all rows of its source, and over the rows that go on.

    Attributes
    ----------
    source, figure : str
    before, after : number
    """

    source: str
    figure: str
    before: Decimal | int | float
    after: Decimal | int | float

    @property
    def agrees(self) -> bool:
        """Whether nothing stays behind and nothing stands twice."""
        if self.before == self.after:
            return True
        if isinstance(self.before, float) or isinstance(self.after, float):
            apart = abs(float(self.before) - float(self.after))
            return apart <= _CLOSE * max(abs(float(self.before)), abs(float(self.after)))
        return False

    def sentence(self) -> str:
        """Return in words whether the totals agree."""
        what = tr("{figure} of {source}", figure=self.figure, source=self.source)
        if self.agrees:
            return tr("{shown} {what} before and after", shown=_shown(self.before), what=what)
        said = tr(
            "{shown} {what} before, {shown_2} after",
            shown=_shown(self.before),
            what=what,
            shown_2=_shown(self.after),
        )
        if not all(map(math.isfinite, (self.before, self.after))):
            return said
        # Decimal's usual context would round the difference to 28 digits.
        with in_all_digits():
            behind = _exact(self.before) - _exact(self.after)
        return (
            tr("{said}: {shown} stays behind", said=said, shown=_shown(behind))
            if behind > 0
            else said
        )


@dataclass(frozen=True, eq=False)  # no slots: what has been asked for is kept
class Blend:
    """What a blend gives.

    Attributes
    ----------
    ties : tuple of Tied
        How each source after the first met those before it, with counts and bays.
    names : tuple of str
    parts : tuple of Table
        The rows of every source, filtered, before they are summarised.
    figures : tuple of tuple of Figure
        Of each source; none for a first one that keeps its rows.
    reach : tuple of Reach
    keeps_rows : bool
        Whether the first source is not summarised.
    """

    ties: tuple[Tied, ...]
    names: tuple[str, ...]
    parts: tuple[Table, ...]
    figures: tuple[tuple[Figure, ...], ...]
    reach: tuple[Reach, ...] = ()
    keeps_rows: bool = False

    @property
    def outcome(self) -> Table:
        """One row for each value of the link; where a source has none, its figures are gaps."""
        return self.ties[-1].outcome

    @property
    def summaries(self) -> tuple[Table, ...]:
        """Each source summarised, in order."""
        return (self.ties[0].left, *(tie.right for tie in self.ties))

    @cached_property
    def totals(self) -> tuple[Total, ...]:
        """The totals of all figures that add up, before the blend and after it."""
        found = []
        for number, (name, part) in enumerate(zip(self.names, self.parts, strict=True)):
            columns = self._columns_of(number)
            for figure, column in zip(self.figures[number], columns, strict=False):
                if figure.adds_up:
                    before = _total(part, figure)
                    after = _total(self.outcome, Figure(column)) if column else 0
                    words = figure.column if figure.how == "sum" else figure.title
                    found.append(Total(name, words or figure.title, before, after))
        return tuple(found)

    def _columns_of(self, number: int) -> list[str]:
        """Return what the figures of a source are called in the outcome; empty for those gone.

        Where the rows of one side alone go on, the columns of the others are not there, though a
        column of the same name may be.
        """
        figures, keep = len(self.figures[number]), self.ties[-1].keep
        if len(keep) == 1 and keep[0] is not Bay.BOTH:
            # One side alone goes on as it is, so that its figures are its last columns.
            alone = 0 if keep[0] is Bay.LEFT else len(self.ties)
            names = list(self.outcome.columns)
            return names[len(names) - figures :] if number == alone else [""] * figures
        if number == 0:
            names = list(self.ties[0].left.columns)
            wanted = names[len(names) - figures :]
        else:
            tie = self.ties[number - 1]
            # What a tie adds stands behind the columns of its left side, link fields once; figures
            # come last.
            came = tie.outcome.columns[len(tie.left.columns) :]
            wanted = list(came[len(came) - figures :]) if len(came) >= figures else [""] * figures
        there = self.outcome.columns
        return [name if name in there else "" for name in wanted]

    @property
    def groups(self) -> tuple[Group, ...]:
        """The three bays of the last meeting."""
        return self.ties[-1].groups

    @property
    def numbers(self) -> dict[str, int]:
        """What became of the rows."""
        return {"rows": len(self.outcome), "parts": len(self.parts)}

    @property
    def repeating(self) -> tuple[str, ...]:
        """The sources whose figures stand on several rows, since the first keeps its own."""
        met = zip(self.names[1:], self.ties, strict=True)
        return tuple(name for name, tie in met if tie.counts.right.multiplied)

    @property
    def size(self) -> int:
        """The bytes that it holds for itself."""
        return sum(tie.size for tie in self.ties)

    def look_ahead(self) -> None:
        """Work out what somebody will look at, so that nobody has to wait then."""
        _ = self.totals

    def sentence(self) -> str:
        """Return what became of the rows and of the totals, in plain words."""
        rows = " + ".join(grouped_digits(len(part)) for part in self.parts)
        many = len(self.outcome)
        made = counted(many, "row") if self.keeps_rows else counted(many, "group")
        join = tr(join_name(self.ties[-1].keep, self.ties[-1].columns))
        said = [tr("Blend, {join}. {rows} rows become {made}.", join=join, rows=rows, made=made)]
        if self.repeating:
            said.append(
                tr(
                    "The figures of {repeating} stand on several rows each.",
                    repeating=listed(self.repeating),
                )
            )
        said += [f"{with_capital(total.sentence())}." for total in self.totals]
        return " ".join([*said, *(reach.sentence() for reach in self.reach)])


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
        # A link field goes by another name in each source; other columns only by their own.
        columns = [own.get(condition.column, condition.column) for own in fields]
        reached = [column in table.columns for column, table in zip(columns, tables, strict=True)]
        for number, hit in enumerate(reached):
            if hit:
                tables[number] = filtered(tables[number], condition, columns[number])
        hits = list(zip((s.name for s in sources), reached, strict=True))
        hit_names = tuple(name for name, was_hit in hits if was_hit)
        whole = tuple(name for name, was_hit in hits if not was_hit)
        reach.append(Reach(str(condition), hit_names, whole))
    for name in on:  # a date beside a date-time is its whole day
        kinds = {table.field(own[name]).kind for table, own in zip(tables, fields, strict=True)}
        if kinds == set(BY_DAY):
            tables = [
                table.with_column(own[name], by_day(table.column(own[name])))
                for table, own in zip(tables, fields, strict=True)
            ]
    summaries = []
    for number, (source, table, own) in enumerate(zip(sources, tables, fields, strict=True)):
        report(number / len(sources), tr("Summarising {name}", name=source.name))
        summaries.append(_summary(source, table, own))
    # A summary has each value of the link once, blanks among them, so that its figures stand on one
    # row of the outcome and no total grows by meeting the others. Only a first source that keeps
    # its rows has several; `repeating` names whose figures then stand on more than one.
    outcome, ties = summaries[0], []
    for source, summary in zip(sources[1:], summaries[1:], strict=True):
        names = (sources[0].name, source.name)
        link = Link(tuple(LinkField(name, name) for name in on), blanks="match")
        match = paired(outcome, summary, link, names)
        met = Tied(outcome, summary, link, keep=keep_of(keep), match=match, names=names)
        ties.append(met)
        outcome = met.outcome
    return Blend(
        tuple(ties),
        tuple(source.name for source in sources),
        tuple(tables),
        tuple(source.figures for source in sources),
        tuple(reach),
    )


def _exact(number: Decimal | int | float) -> Decimal:
    return Decimal(str(number))


def _shown(number: Decimal | int | float) -> str:
    """Return a total as it is read: exactly, but a double without the digits that rounding made."""
    if isinstance(number, float):
        is_small = 0 < abs(number) < 0.001
        return with_marks(f"{number:.6g}" if is_small else f"{number:,.6f}".rstrip("0").rstrip("."))
    return with_marks(f"{number:,f}" if isinstance(number, Decimal) else f"{number:,}")


def _total(table: Table, figure: Figure) -> Decimal | int | float:
    """Return a figure over all rows; nothing where every value is blank."""
    (total,) = next(summarise(table, (), (figure,)).rows())
    found: Decimal | int | float = 0 if total is None else total
    whole = isinstance(found, Decimal) and found == found.to_integral_value()
    return int(found) if whole else found


def _summary(source: BlendSource, table: Table, fields: dict[str, str]) -> Table:
    """Return a source's figures under the link's own names for its fields."""
    made = summarise(table, list(fields.values()), source.figures, source.name)
    names = [*fields, *(figure.title for figure in source.figures)]
    return made.renamed(names)


def _require_sources(sources: Sequence[BlendSource], on: Sequence[str]) -> None:
    if len(sources) < 2 or not on:
        raise LinkError(
            tr("A blend takes two sources or more, and at least one link field."),
            tr("Choose another source, or a field that the sources share."),
        )
    for source in sources:
        if source.fields and len(source.fields) != len(on):
            raise LinkError(
                tr(
                    "{name} names {fields} link fields; the blend has {on}.",
                    name=source.name,
                    fields=len(source.fields),
                    on=len(on),
                ),
                tr("Name one field of the source for each link field."),
            )
