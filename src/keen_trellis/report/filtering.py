"""The filters of a report: each reaches the sources first, and then ties and blends are made.

A filter at the end alone would be too late: what a blend or a summary has added up holds rows of
everything, and the figures of one source would stay whole beside those of another. So a filter goes
up its column, from the report to the sources, as far as the column is there and means the same;
through a tie on a link field it goes up both sides. Its conditions are put there as steps, in a
trellis of the report's own, which is then run like any other.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import partial

from keen_trellis.base.errors import UnknownColumnError, UserError
from keen_trellis.base.language import tr
from keen_trellis.base.words import first_free, listed
from keen_trellis.compute.table_schema import schema_of
from keen_trellis.document.edits.edit import with_changes, with_lane, with_takers
from keen_trellis.document.items import (
    BlendItem,
    ConditionItem,
    FilterItem,
    Item,
    JoinItem,
    StackItem,
    Taken,
)
from keen_trellis.document.reports import Report, ReportFilter
from keen_trellis.document.trellis import Lane, Trellis
from keen_trellis.plan.blends import Blended
from keen_trellis.plan.nodes import Node, Outcome, Read
from keen_trellis.plan.outcome import outcome_columns
from keen_trellis.plan.steps import (
    Carried,
    Computed,
    Grouped,
    Parted,
    Picked,
    Pivoted,
    Unpivoted,
)
from keen_trellis.run.planning import planned
from keen_trellis.run.results import Results

Place = tuple[str, int]
"""A lane's id, and after how many of its items."""


@dataclass(frozen=True, slots=True)
class Reaching:
    """What a filter of a report reaches.

    Attributes
    ----------
    filter : ReportFilter
    reached : tuple of str
        The names of the lanes that it filters as they are read, or behind steps of their own.
    through : tuple of str
        The names of the lanes whose rows it filters behind a tie, by the partner that they have.
    whole : tuple of str
        The names of the lanes that it leaves whole.
    """

    filter: ReportFilter
    reached: tuple[str, ...]
    through: tuple[str, ...]
    whole: tuple[str, ...]

    def sentence(self) -> str:
        """Say what is reached and what is not."""
        reached = listed(self.reached)
        through = (
            tr("{through} through a tie", through=listed(self.through)) if self.through else ""
        )
        both = tr(", and ").join(part for part in (reached, through) if part)
        parts = [tr("reaches {both}", both=both)] if both else []
        if self.whole:
            parts.append(tr("not {whole}", whole=listed(self.whole)))
        return " · ".join(parts) or tr("reaches nothing")


def filtered(results: Results, report: Report) -> tuple[Trellis, tuple[Reaching, ...]]:
    """Return the trellis of a run with a report's filters put where they belong, and their reach.

    Raises
    ------
    UserError
        A column of a filter is not there, or what the report is made of cannot be.
    """
    trellis = results.trellis
    nodes = _nodes(results)
    lane = trellis.lane(report.at.lane)
    place = trellis.taken_place(report.at)
    end = nodes.get(trellis.part_at(lane, place))
    if isinstance(end, UserError):
        raise end
    assert end is not None
    # what the rows of the report come through; other parts of the trellis are not touched
    upstream = trellis.upstream(trellis.part_at(lane, place))
    climbing = _Climbing(trellis, nodes, upstream, lane.id)
    wanted: list[tuple[Place, ReportFilter]] = []
    reaches = []
    for one in report.filters:
        is_at_end = one.column in end.schema.names
        found = [
            ((at.id, number), one.but(column=column))
            for at, number, column in climbing.up(lane, place, one.column, one.no_match)
        ]
        if not found and not is_at_end:
            raise UnknownColumnError(
                one.column,
                tr("the report “{name}” or a lane that it is made of", name=report.name),
                end.schema.names,
            )
        origin = end.schema.column(one.column, "").origin if is_at_end else ""
        reaches.append(_reaching(trellis, one, (lane, place), [at for at, _ in found], origin))
        wanted += found
        if is_at_end:
            wanted.append(((lane.id, place), one))
    return _with_filters(trellis, wanted, lane.id), tuple(reaches)


def _nodes(results: Results) -> Mapping[str, Node | UserError]:
    reads: dict[str, Node | UserError] = {}
    for lane in results.trellis.lanes:
        found = results.readings.get(lane.id)
        if found is None:
            reads[lane.id] = UserError(tr("{name} is not read.", name=lane.name))
        elif isinstance(found, UserError):
            reads[lane.id] = found
        else:
            reads[lane.id] = Read("", lane.id, schema_of(found.table))
    return planned(results.trellis, reads).nodes


@dataclass(frozen=True, slots=True)
class _Climbing:
    """Goes up a column from a place of the lane `own` to the sources."""

    trellis: Trellis
    nodes: Mapping[str, Node | UserError]
    upstream: set[str]
    own: str

    def up(
        self, lane: Lane, place: int, column: str, no_match: bool
    ) -> Iterator[tuple[Lane, int, str]]:
        """Yield where a filter on a column belongs, and what the column is called there.

        A column that is not there any more, since rows were summarised or it did not go on, is
        looked for further up: it is filtered wherever it was last.

        Parameters
        ----------
        lane, place
            Where the column is looked at.
        column : str
        no_match : bool
            Whether gaps stay: then a tie must be made before they are, and not of fewer rows.
        """
        # above a place where another role of the same rows begins, both roles would be filtered
        last = self._last_taken() if lane.id == self.own else 0
        while place:
            if place <= last:
                yield lane, place, column
                return
            item = lane.items[place - 1]
            before = self.nodes[self.trellis.part_at(lane, place - 1)]
            after = self.nodes[self.trellis.part_at(lane, place)]
            if isinstance(before, UserError) or isinstance(after, UserError):
                return
            # a summary or a join dropped it: further up it is still there, also on the other side
            if item.gives_rows and column not in after.schema.names:
                if item.takes():
                    yield from self._up_the_others(lane, item, column, no_match=False)
            elif item.gives_rows:
                if item.takes():
                    yield from self._up_the_others(lane, item, column, no_match)
                    if no_match and isinstance(item, JoinItem):
                        yield lane, place, column
                        return
                if not _passes(item, after, before, column):
                    yield lane, place, column
                    return
            place -= 1
        beginning = self.nodes[lane.id]
        if isinstance(beginning, Node) and column in beginning.schema.names:
            yield lane, 0, column

    def _up_the_others(
        self, lane: Lane, item: Item, column: str, no_match: bool
    ) -> Iterator[tuple[Lane, int, str]]:
        """Go up the lanes that a tie brings in, as far as they have the column or its partner."""
        for taken, name in _names_there(item, column, self._is_gone(item, column)):
            other = self.trellis.lane(taken.lane)
            place = self.trellis.taken_place(taken)
            node = self.nodes[self.trellis.part_at(other, place)]
            is_there = isinstance(node, Node) and name in node.schema.names
            links = isinstance(item, JoinItem)
            # Rows that found no partner are to stay where “no match” is asked for: on the other
            # side they are nowhere, and filtering it would only make more of them.
            if is_there and not (links and no_match) and self._is_taken_once(other):
                yield from self.up(other, place, name, no_match)

    def _is_gone(self, item: Item, column: str) -> bool:
        """Whether a column is none of those that a tie gives."""
        node = self.nodes[item.id]
        return isinstance(node, Node) and column not in node.schema.names

    def _last_taken(self) -> int:
        """Return the last place of the own lane where others take rows that come to the report."""
        taken = [self.trellis.begins_after(x) for x in self.trellis.lanes if x.id in self.upstream]
        for item_id in self.upstream & {item.id for _, item in self.trellis.ties()}:
            taken += map(self.trellis.taken_after, self.trellis.item(item_id).takes())
        places = (self.trellis.place_after(part) for part in taken if part)
        return max((place for lane, place in places if lane.id == self.own), default=0)

    def _is_taken_once(self, lane: Lane) -> bool:
        """Whether a lane's rows come to the report by one way alone, and not in two roles."""
        parts = {lane.id, *(item.id for item in lane.items)}
        takers = 0
        for one in self.trellis.lanes:
            takers += one.id in self.upstream and self.trellis.begins_after(one) in parts
            takers += sum(
                taken.lane == lane.id
                for item in one.items
                if item.id in self.upstream
                for taken in item.takes()
            )
        return takers == 1


def _names_there(item: Item, column: str, is_gone: bool = False) -> Iterator[tuple[Taken, str]]:
    """Yield each lane that a tie takes, and what a column that means the same is called there.

    One that the tie does not give is the same wherever it is called so.
    """
    if isinstance(item, JoinItem) and is_gone:
        yield item.takes()[0], column
    elif isinstance(item, JoinItem):
        link = item.match_link()
        paired = {pair.field for pair in link.pairs}  # there, other values are the same as well
        for place, field in enumerate(link.fields):
            # Equal by a rule or by a declared pair is not the same value: the other side may
            # write it otherwise.
            exactly = field.operator == "=" and not link.text and place not in paired
            if field.left == column and exactly:
                yield item.takes()[0], field.right
                return
    if isinstance(item, BlendItem):
        for lane in item.lanes:
            yield lane, dict(zip(item.fields, lane.fields, strict=True)).get(column, column)
    if isinstance(item, StackItem):
        for stacked in item.lanes:
            back = {new: old for old, new in stacked.renamed.items()}
            yield stacked, back.get(column, column)


def _passes(item: Item, after: Node, before: Node, column: str) -> bool:
    """Whether a column is the same one before an item: called so, of its kind, not worked out."""
    names = before.schema.names
    if column not in names or column not in after.schema.names:
        return False
    was, now = before.schema.column(column, ""), after.schema.column(column, "")
    if was.kind is not now.kind:
        return False
    match after:
        case Outcome():
            return was.origin == now.origin and _is_of_left_alone(item, after, column)
        case Computed():
            return column not in dict(after.columns)
        case Picked():
            return (column, column) in after.columns
        case Carried():
            return column not in after.columns
        case Parted():
            return column != after.column
        case Grouped() | Pivoted():  # a figure can be called as what it is made of
            return column in after.by
        case Unpivoted():  # values of other columns can stand below those of one
            return column in after.kept
        case Blended():
            return all(column != one.title for own in after.figures for one in own)
        case _:
            return True


def _is_of_left_alone(item: Item, made: Outcome, column: str) -> bool:
    """Whether a column of a join is that of the left, or the same value on both sides.

    One that is filled from the right for rows without a left one could otherwise be filtered on
    the left, and its partner would then come out alone, with its own value.
    """
    join = made.join
    columns = outcome_columns(
        join.left.schema, join.right.schema, join.link, join.names[1], made.columns, made.keep
    )
    filled = next((one.filled_from for one in columns if one.name == column), None)
    return filled is None or any(name == filled for _, name in _names_there(item, column))


def _reaching(
    trellis: Trellis, one: ReportFilter, end: tuple[Lane, int], at: list[Place], origin: str
) -> Reaching:
    """Return what a filter reaches that was put at some places; `origin` is its column's lane."""

    def is_behind_a_tie(lane_id: str, number: int) -> bool:
        return any(item.takes() for item in trellis.lane(lane_id).items[:number])

    reached = {lane_id for lane_id, number in at if not is_behind_a_tie(lane_id, number)}
    through = {lane_id for lane_id, _ in at} - reached
    if (
        through and origin
    ):  # rows of the lane that the column comes from stay away with their partners
        reached.add(origin)
    of_report = {end[0].id, *trellis.tied_in(*end)}
    lanes = [lane for lane in trellis.lanes if lane.id in of_report]
    whole = of_report - reached - through
    names = [
        tuple(lane.name for lane in lanes if lane.id in some) for some in (reached, through, whole)
    ]
    return Reaching(one, *names)


def _with_filters(trellis: Trellis, wanted: list[tuple[Place, ReportFilter]], own: str) -> Trellis:
    """Return the trellis with filters as steps.

    Who takes rows at such a place takes them behind the filter, but for those of the report's own
    lane: another role that its rows play is not what was filtered.
    """
    of_lane: dict[str, dict[int, list[ReportFilter]]] = {}
    # two ways up may come to the same place: one step there is enough
    for (lane_id, place), one in dict.fromkeys(wanted):
        of_lane.setdefault(lane_id, {}).setdefault(place, []).append(one)
    taken = {part.id for lane in trellis.lanes for part in (lane, *lane.items)}
    made = trellis
    behind: dict[tuple[str, str], str] = {}
    for lane_id, places in of_lane.items():
        lane = trellis.lane(lane_id)
        items: list[Item] = []
        for place in range(len(lane.items) + 1):
            if place:
                items.append(lane.items[place - 1])
            for one in places.get(place, ()):
                step = first_free("filter", taken, "-")
                taken.add(step)
                items.append(_step(one, step))
                # Of several filters at one place the last one: rows are taken behind all of them.
                behind[lane_id, trellis.part_at(lane, place)] = step
        made = with_lane(made, lane_id, partial(with_changes, items=tuple(items)))

    def moved(taken: Taken) -> Taken:
        step = behind.get((taken.lane, taken.after or ""))
        return taken.but(after=step) if step and taken.lane != own else taken

    return with_takers(made, moved)


def _step(one: ReportFilter, step: str) -> FilterItem:
    condition = ConditionItem(column=one.column, is_=one.is_, values=one.values)
    if not one.no_match:
        return FilterItem(id=step, conditions=(condition,))
    quoted = one.column.replace('"', '""')
    # a gap is a row that found no partner: with “no match” it stays beside what is asked for
    return FilterItem(id=step, conditions=(condition,), of="any", formula=f'"{quoted}" IS GAP')


def place_in(trellis: Trellis, made: Trellis, report: Report) -> str:
    """Return the part of a filtered trellis whose rows a report is made of.

    It is the last of the filters that were put behind the place, or the place itself.
    """
    lane = trellis.lane(report.at.lane)
    behind = trellis.part_at(lane, trellis.taken_place(report.at))
    known = {part.id for one in trellis.lanes for part in (one, *one.items)}
    other = made.lane(lane.id)
    place = made.place_after(behind)[1]
    # steps that were put there have ids that the trellis of before does not know
    while place < len(other.items) and other.items[place].id not in known:
        place += 1
    return made.part_at(other, place)
