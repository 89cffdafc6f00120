"""The tie that blends: every lane summarised to the link first, so that nothing is doubled."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import ClassVar, Literal, Self

from pydantic import Field, model_validator

from keen_trellis.base.errors import LinkError
from keen_trellis.base.language import marked, tr
from keen_trellis.base.words import first_free, listed
from keen_trellis.data import Kind
from keen_trellis.data.kinds import BY_DAY, comparable
from keen_trellis.document.items.filter import ConditionItem
from keen_trellis.document.items.item import Item, Lanes, Named, Part, Taken
from keen_trellis.plan.bays import Bay, keep_of
from keen_trellis.plan.blends import Blended, Reach, Summarised
from keen_trellis.plan.figures import Figure, How
from keen_trellis.plan.formulas import Applied, Cell, Valued
from keen_trellis.plan.link import Link, LinkField, Side
from keen_trellis.plan.nodes import Join, Kept, Node, Outcome
from keen_trellis.plan.outcome import Columns
from keen_trellis.plan.spans import Span
from keen_trellis.plan.steps import Computed


def _summarised(
    part: Node,
    by: Sequence[str],
    figures: tuple[Figure, ...],
    spans: Sequence[Span | None],
    where: str,
) -> Node:
    """Return rows summarised by fields, of which some are taken by the first day of a span."""
    taken = {name: span for name, span in zip(by, spans, strict=True) if span is not None}
    if not taken:
        return Summarised(part, tuple(by), figures, where)
    made: list[tuple[str, Valued]] = []
    others: dict[str, str] = {}
    for name, span in taken.items():
        cell = Cell(name, part.schema.column(name, where).kind)
        begins = Applied("TRUNC", (cell,), cell.kind, (span,))
        made.append((name, Applied("CAST", (begins,), Kind.DATE)))
        # The field itself becomes the first day of its span; who counts or compares its days gets
        # them from a copy beside it, under the title that the figure has anyway.
        if any(figure.column == name for figure in figures):  # which are of the days as they are
            others[name] = first_free(f"{name} as it is", part.schema.names)
            made.append((others[name], cell))
    figures = tuple(
        replace(one, column=others[one.column], name=one.title) if one.column in others else one
        for one in figures
    )
    return Summarised(Computed(part, where, tuple(made)), tuple(by), figures, where)


class FigureItem(Part):
    """A figure that a lane is summarised to; attributes as in `plan.figures.Figure`."""

    column: str | None = None
    how: How = "sum"
    name: str = ""

    def as_figure(self) -> Figure:
        """Return the figure as the plan takes it."""
        return Figure(**dict(self))


class BlendedLane(Taken):
    """Another lane of a blend.

    Attributes
    ----------
    fields : tuple of str
        Its link fields, one for each of the blend's.
    figures : tuple of FigureItem
    """

    fields: tuple[str, ...] = ()
    figures: tuple[FigureItem, ...] = ()


class BlendItem(Item):
    """One row for each value of the link, with figures of every lane.

    Attributes
    ----------
    fields : tuple of str
        The link fields of its own lane, which name those of the outcome.
    figures : tuple of FigureItem
        Of its own lane.
    lanes : tuple of BlendedLane
    filters : tuple of ConditionItem
        Each reaches every lane that has its column, before it is summarised.
    keep : tuple of bays
        Kept each time a lane meets those before it.
    keeps_rows : bool
        Whether its own lane is not summarised: the figures of the others then repeat.
    spans : tuple of Span or None
        For each field, by which span of the calendar its dates are taken; none where it is short.
    """

    type: Literal["blend"] = "blend"
    fields: tuple[str, ...] = ()
    figures: tuple[FigureItem, ...] = ()
    lanes: tuple[BlendedLane, ...] = Field(min_length=1)
    filters: tuple[ConditionItem, ...] = ()
    keep: tuple[Bay, ...] = tuple(Bay)
    keeps_rows: bool = False
    spans: tuple[Span | None, ...] = ()

    word: ClassVar[str] = marked("tie")
    has_bays: ClassVar[bool] = True

    @model_validator(mode="after")
    def _fits_together(self) -> Self:
        taken = [lane.lane for lane in self.lanes]
        if len(set(taken)) < len(taken):
            raise ValueError(tr("A lane is blended twice at “{id}”.", id=self.id))
        if any(len(lane.fields) != len(self.fields) for lane in self.lanes):
            raise ValueError(tr("Every lane of a blend needs as many link fields as its own."))
        if keep_of(self.keep) != self.keep:
            raise ValueError(tr("The bays kept must stand in the order left, both, right."))
        return self

    @property
    def title(self) -> str:
        """What stands above it on the map."""
        by = self._by_words()
        return tr("Blend · by {by}", by=by) if by else tr("Blend")

    @property
    def within(self) -> str:
        """What it is called within a sentence."""
        by = self._by_words()
        return tr("blend · by {by}", by=by) if by else tr("blend")

    def _by_words(self) -> str:
        spans = (*self.spans, *[None] * len(self.fields))
        by = [tr(span) if span else name for name, span in zip(self.fields, spans, strict=False)]
        return ", ".join(by)

    def takes(self) -> tuple[Taken, ...]:
        """Return the lanes that it brings in."""
        return self.lanes

    def taking(self, taken: Sequence[Taken]) -> Self:
        """Return the blend with rows taken elsewhere."""
        lanes = tuple(
            BlendedLane(**{**dict(old), "lane": new.lane, "after": new.after})
            for old, new in zip(self.lanes, taken, strict=True)
        )
        return type(self)(**{**dict(self), "lanes": lanes})

    def node(self, rows: Node, taken: Sequence[Node], names: Sequence[str]) -> Node:
        """Return every lane filtered and summarised, and each joined to those before it.

        Raises
        ------
        LinkError
            It has no link field yet, or a lane names another number of them.
        """
        if not self.fields:
            raise LinkError(
                tr("This blend has no link field yet."),
                tr("Choose what its rows are summarised by."),
            )
        fields = [self.fields, *(lane.fields for lane in self.lanes)]
        figures = [() if self.keeps_rows else self._figures(self.figures)]
        figures += [self._figures(lane.figures) for lane in self.lanes]
        parts, reaches = self._filtered((rows, *taken), fields, names)
        spans = self._spans(parts, fields, names)
        summaries = []
        for part, by, made, name in zip(parts, fields, figures, names, strict=True):
            summaries.append(_summarised(part, by, made, spans, where=name))
        # Each lane meets the outcome of all before it, on the fields of the first: three lanes
        # are two joins.
        before: Node = parts[0] if self.keeps_rows else summaries[0]
        outcomes = []
        for number, summary in enumerate(summaries[1:], start=1):
            links = zip(self.fields, fields[number], spans, strict=True)
            # a lane that keeps its rows has its own days, and is linked by the span that holds them
            link = Link(
                tuple(LinkField(a, b, span=s if self.keeps_rows else None) for a, b, s in links),
                blanks="match",
            )
            join = Join(before, summary, link, (names[0], names[number]))
            before = Outcome(join, self.keep, Columns())
            outcomes.append(before)
        return Blended(
            tuple(parts), tuple(outcomes), tuple(names), figures=tuple(figures), reaches=reaches
        )

    def _spans(
        self, parts: Sequence[Node], fields: Sequence[tuple[str, ...]], names: Sequence[str]
    ) -> list[Span | None]:
        """Return by which span each field is taken: days where dates meet date-times."""
        found: list[Span | None] = []
        for place in range(len(self.fields)):
            kinds = [
                part.schema.column(own[place], name).kind
                for part, own, name in zip(parts, fields, names, strict=True)
            ]
            span = self.spans[place] if place < len(self.spans) else None
            for kind, own, name in zip(kinds, fields, names, strict=True):
                if span is not None and kind not in BY_DAY:
                    raise LinkError(
                        tr(
                            "“{own}” of {name} is {kind}, and has no {span}.",
                            own=own[place],
                            name=name,
                            kind=kind,
                            span=span,
                        ),
                        tr("Take the field as it is, or make it a date by a step before."),
                    )
            self._require_comparable(place, parts, fields, names)
            # A date beside a date-time can only be compared by days.
            is_mixed = set(kinds) == set(BY_DAY)
            found.append("day" if span is None and is_mixed else span)
        return found

    @staticmethod
    def _require_comparable(
        place: int, parts: Sequence[Node], fields: Sequence[tuple[str, ...]], names: Sequence[str]
    ) -> None:
        """Refuse a link field that is of different sorts in any two of the lanes; `LinkError`."""
        told = [
            (part.schema.column(own[place], name), name)
            for part, own, name in zip(parts, fields, names, strict=True)
        ]
        # A column of blanks alone takes the kind of what it meets, and cannot disagree with it.
        seen = [(column, name) for column, name in told if column.seen]
        for column, name in seen[1:]:
            first, first_name = seen[0]
            if not comparable(first.kind, column.kind):
                raise LinkError(
                    tr(
                        "“{name}” of {name_2} is {kind}, and “{first_name}” of "
                        "{first_name_2} {first_kind}: they cannot be one link field.",
                        name=column.name,
                        name_2=name,
                        kind=column.kind,
                        first_name=first.name,
                        first_name_2=first_name,
                        first_kind=first.kind,
                    ),
                    tr("Change the kind of one of them by a step before."),
                )

    def _filtered(
        self, parts: Sequence[Node], fields: Sequence[tuple[str, ...]], names: Sequence[str]
    ) -> tuple[list[Node], tuple[Reach, ...]]:
        """Return the rows that the filters leave of each lane, and which lanes each reaches."""
        made, reaches = list(parts), []
        for condition in self.filters:
            hit, whole = [], []
            for number, (part, own) in enumerate(zip(made, fields, strict=True)):
                # A filter on a link field is meant for all lanes, under the name that each has
                # for it.
                column = dict(zip(self.fields, own, strict=True)).get(
                    condition.column, condition.column
                )
                if column not in {one.name for one in part.schema}:
                    whole.append(names[number])
                    continue
                asked = ConditionItem(**{**dict(condition), "column": column})
                made[number] = Kept(part, asked.expression(part.schema, names[number]))
                hit.append(names[number])
            if not hit:
                raise LinkError(
                    tr(
                        "No lane of this blend has the column “{column}” of its filter.",
                        column=condition.column,
                    ),
                    tr("Choose another column, or take the filter out."),
                )
            reaches.append(Reach(str(condition), tuple(hit), tuple(whole)))
        return made, tuple(reaches)

    @staticmethod
    def _figures(figures: Sequence[FigureItem]) -> tuple[Figure, ...]:
        return tuple(figure.as_figure() for figure in figures)

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the blend with columns of one of its lanes renamed wherever it names them."""

        def figures(old: Sequence[FigureItem]) -> tuple[FigureItem, ...]:
            return tuple(
                FigureItem(**{**dict(one), "column": one.column and change(one.column)})
                for one in old
            )

        if side == "left":
            filters = tuple(
                ConditionItem(**{**dict(one), "column": change(one.column)}) for one in self.filters
            )
            own = tuple(change(name) for name in self.fields)
            changes = {"fields": own, "figures": figures(self.figures), "filters": filters}
            return type(self)(**{**dict(self), **changes})
        place = 0 if side == "right" else side
        lanes = tuple(
            BlendedLane(
                **{
                    **dict(lane),
                    "fields": tuple(change(name) for name in lane.fields),
                    "figures": figures(lane.figures),
                }
            )
            if number == place
            else lane
            for number, lane in enumerate(self.lanes)
        )
        return type(self)(**{**dict(self), "lanes": lanes})

    def sentence(self, lanes: Lanes, lane: Named) -> str:
        """Return what is summarised to what, and brought together by which fields."""
        names = [lane.name, *(lanes.lane(taken.lane).name for taken in self.lanes)]
        every = [self.figures, *(taken.figures for taken in self.lanes)]
        said = [
            tr(
                "{value} of {name}",
                value=listed([one.as_figure().title for one in figures]) or tr("nothing"),
                name=name,
            )
            for name, figures in zip(names, every, strict=True)
        ]
        if self.keeps_rows:
            said[0] = tr("every row of {name}", name=lane.name)
        spans = (*self.spans, *[None] * len(self.fields))
        fields = [
            tr("{f} by {s}", f=f, s=tr(s)) if s else f
            for f, s in zip(self.fields, spans, strict=False)
        ]
        by = listed(fields) or tr("nothing yet")
        filters = (
            tr(" Before: {filters}.", filters=listed([str(one) for one in self.filters]))
            if self.filters
            else ""
        )
        return tr("Blends {said}, by {by}.{filters}", said=listed(said), by=by, filters=filters)
