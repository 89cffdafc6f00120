"""A report: what an outcome is summarised to for its readers, drawn how, and filtered by what."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal, InvalidOperation
from typing import Literal, Self, get_args

from pydantic import Field, model_validator

from keen_trellis.base.language import tr
from keen_trellis.base.words import listed
from keen_trellis.document.items.blend import FigureItem
from keen_trellis.document.items.filter import ConditionItem
from keen_trellis.document.items.item import Lanes, Part, Taken

By = Literal["value", "day", "week", "month", "quarter", "year", "width"]
"""What makes a group of a column: equal values, a span of the calendar, or a span of numbers."""

Shown = Literal[
    "as it is", "share of all", "running total", "against the one before", "against the first"
]
"""What a figure is shown as."""

Picture = Literal["none", "bars", "stacked bars", "lines", "points", "heat"]

PICTURES_OF: tuple[Picture, ...] = get_args(Picture)

GROUPS_AT_MOST, FIGURES_AT_MOST = 4, 12


class ReportGroup(Part):
    """What rows are grouped by.

    Attributes
    ----------
    column : str
    by : By
    width : str
        How wide a span of numbers is, as a number is written; only by width.
    """

    column: str
    by: By = "value"
    width: str = ""

    @model_validator(mode="after")
    def _has_width(self) -> Self:
        if self.by != "width":
            return self
        try:
            width = Decimal(self.width)
        except InvalidOperation:
            width = Decimal(0)
        if not width.is_finite() or width <= 0:
            raise ValueError(
                tr("“{width}” is no width: type a number above zero.", width=self.width)
            )
        return self

    @property
    def title(self) -> str:
        """What stands above its values."""
        if self.by == "value":
            return self.column
        of_span = tr("{by} of {column}", by=tr(self.by), column=self.column)
        return (
            tr("{column}, by {width}", column=self.column, width=self.width)
            if self.by == "width"
            else of_span
        )


class ReportFigure(FigureItem):
    """A figure of each group; attributes as in `FigureItem`, and what it is shown as."""

    shown: Shown = "as it is"

    @property
    def title(self) -> str:
        """What stands above its values."""
        if self.name or not self.column:
            title = self.name or tr("rows")
        else:
            title = tr("{how} of {column}", how=tr(self.how), column=self.column)
        return title if self.shown == "as it is" else f"{title}, {tr(self.shown)}"

    @property
    def bare(self) -> FigureItem:
        """The figure itself, however it is shown."""
        return FigureItem(column=self.column, how=self.how, name=self.name)


class ReportFilter(ConditionItem):
    """A condition that the reader of a report may choose; attributes as in `ConditionItem`.

    Attributes
    ----------
    no_match : bool
        Whether rows with a gap in the column stay as well.
    """

    no_match: bool = False


class Report(Part):
    """A summary of an outcome for its readers.

    Attributes
    ----------
    id, name, note : str
    at : Taken
        The outcome that it is made of: the end of a lane, or what goes on from an item.
    groups : tuple of ReportGroup
    figures : tuple of ReportFigure
    picture : Picture
    filters : tuple of ReportFilter
    sorted_by : int or None
        The place of the figure by which groups are ordered; None orders them by their values.
    descending : bool
    top : int or None
        How many of the first groups are shown; all others are one, the rest.
    """

    id: str
    name: str = Field(min_length=1)
    note: str = ""
    at: Taken
    groups: tuple[ReportGroup, ...] = Field(default=(), max_length=GROUPS_AT_MOST)
    figures: tuple[ReportFigure, ...] = Field(
        default_factory=lambda: (ReportFigure(how="count"),),
        min_length=1,
        max_length=FIGURES_AT_MOST,
    )
    picture: Picture = "bars"
    filters: tuple[ReportFilter, ...] = ()
    sorted_by: int | None = Field(default=None, ge=0)
    descending: bool = False
    top: int | None = Field(default=None, ge=1)

    @model_validator(mode="after")
    def _says_each_thing_once(self) -> Self:
        for what, titles in (
            (tr("group"), [group.title for group in self.groups]),
            (tr("figure"), [figure.title for figure in self.figures]),
        ):
            twice = next((title for title in titles if titles.count(title) > 1), None)
            if twice is not None:
                raise ValueError(
                    tr("The {what} “{twice}” stands in the report twice.", what=what, twice=twice)
                )
        if self.sorted_by is not None and self.sorted_by >= len(self.figures):
            raise ValueError(tr("The report is ordered by a figure that it does not have."))
        return self

    def renamed(self, change: Callable[[str], str]) -> Report:
        """Return the report with columns called otherwise."""
        return self.but(
            groups=tuple(one.but(column=change(one.column)) for one in self.groups),
            figures=tuple(
                one.but(column=change(one.column) if one.column else None) for one in self.figures
            ),
            filters=tuple(one.but(column=change(one.column)) for one in self.filters),
        )

    def sentence(self, lanes: Lanes, with_values: bool = True) -> str:
        """Return what is summarised to what, in words; without values filters by their columns."""
        each = listed([group.title for group in self.groups])
        figures = listed([figure.title for figure in self.figures])
        groups = tr("For each {each}", each=each) if each else tr("For all rows together")
        filters = (
            tr(", where {filters}", filters=listed([str(one) for one in self.filters]))
            if self.filters
            else ""
        )
        if filters and not with_values:
            filters = tr(
                ", filtered by {filters}", filters=listed([one.column for one in self.filters])
            )
        return tr(
            "{groups} {figures} of {name}{filters}.",
            groups=groups,
            figures=figures,
            name=lanes.lane(self.at.lane).name,
            filters=filters,
        )
