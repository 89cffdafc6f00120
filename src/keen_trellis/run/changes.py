"""What another read brought: rows before and now, columns and files come and gone, what breaks.

A snapshot holds no values of the sources, only names and numbers, so that it can be kept from one
month to the next.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from keen_trellis.base.errors import UnknownColumnError
from keen_trellis.base.language import tr
from keen_trellis.data import Column, Table
from keen_trellis.document import edits
from keen_trellis.document.items import JoinItem
from keen_trellis.document.trellis import Lane
from keen_trellis.plan.link import SIDES
from keen_trellis.run.results import Results

_LIKELY = 0.5
_COMPARED = 100_000


@dataclass(frozen=True)  # without slots, for pydantic to store it
class LaneSnapshot:
    """A lane as it was read.

    Attributes
    ----------
    name : str
    rows : int or None
        None where it could not be read.
    columns : dict of name to kind
    files : tuple of str
        The names of its files; for a folder they come and go.
    """

    name: str
    rows: int | None = None
    columns: dict[str, str] = field(default_factory=dict)
    files: tuple[str, ...] = ()


@dataclass(frozen=True)
class TieSnapshot:
    """A tie as it was: how many rows of its left lane there were, and how many found a partner."""

    name: str
    rows: int
    found: int
    going_on: int


@dataclass(frozen=True)
class Snapshot:
    """The numbers of one run.

    Attributes
    ----------
    lanes, ties : dict of id to snapshot
    read_at : str
        When, to the minute.
    """

    lanes: dict[str, LaneSnapshot] = field(default_factory=dict)
    ties: dict[str, TieSnapshot] = field(default_factory=dict)
    read_at: str = ""


@dataclass(frozen=True, slots=True)
class LaneChange:
    """What is different about a lane since it was last read.

    Attributes
    ----------
    lane, name : str
    before, now : int or None
        Rows; None where the lane could not be read.
    gone, come, other_kind : tuple of str
        Columns; those of another kind as “zone: text, was integer”.
    files_gone, files_come : tuple of str
    """

    lane: str
    name: str
    before: int | None
    now: int | None
    gone: tuple[str, ...] = ()
    come: tuple[str, ...] = ()
    other_kind: tuple[str, ...] = ()
    files_gone: tuple[str, ...] = ()
    files_come: tuple[str, ...] = ()

    @property
    def is_any(self) -> bool:
        """Whether anything is different."""
        lists = (self.gone, self.come, self.other_kind, self.files_gone, self.files_come)
        return self.before != self.now or any(lists)


@dataclass(frozen=True, slots=True)
class TieChange:
    """What is different about a tie: rows going in, rows found and rows going on."""

    tie: str
    name: str
    before: TieSnapshot
    now: TieSnapshot


@dataclass(frozen=True, slots=True)
class Broken:
    """A tie that names a column which is no longer there.

    Attributes
    ----------
    tie : str
    text : str
        What is broken, in a sentence.
    repairs : tuple of edits.RenameLinkField
        The columns that may be meant now, the likeliest first.
    """

    tie: str
    text: str
    repairs: tuple[edits.RenameLinkField, ...] = ()


@dataclass(frozen=True, slots=True)
class Changes:
    """Everything that is different since a run before.

    Attributes
    ----------
    lanes : tuple of LaneChange
        Every lane that was there before, changed or not.
    ties : tuple of TieChange
        Those whose numbers are different.
    broken : tuple of Broken
    since : str
        When the run before was.
    """

    lanes: tuple[LaneChange, ...] = ()
    ties: tuple[TieChange, ...] = ()
    broken: tuple[Broken, ...] = ()
    since: str = ""

    @property
    def is_any(self) -> bool:
        """Whether anything is different."""
        return bool(self.ties or self.broken or any(lane.is_any for lane in self.lanes))


def snapshot(results: Results) -> Snapshot:
    """Return the numbers of a run."""
    facts = results.facts
    lanes = {
        lane.id: LaneSnapshot(lane.name, lane.rows, dict(lane.columns), lane.files)
        for lane in facts.lanes.values()
        if lane.is_read and (lane.rows is not None or lane.trouble)
    }
    ties = {
        tie.id: TieSnapshot(tie.name, tie.counts.left.rows, tie.counts.left.found, tie.rows)
        for tie in facts.joins()
        if tie.rows is not None
    }
    at = results.read_at
    return Snapshot(lanes, ties, f"{at:%Y-%m-%d %H:%M}" if at else "")


def changes(before: Snapshot, results: Results, old: Results | None = None) -> Changes:
    """Return what is different between a run before and the results of now.

    Parameters
    ----------
    before, results
    old : Results, optional
        What the run before gave, where it is still there: then renamed columns are known by
        their values, too.
    """
    now, trellis = snapshot(results), results.trellis
    lanes = tuple(
        _lane_change(lane, before.lanes[lane.id], now.lanes[lane.id])
        for lane in trellis.lanes
        if lane.id in before.lanes and lane.id in now.lanes
    )
    ties = tuple(
        TieChange(key, tie.name, before.ties[key], tie)
        for key, tie in now.ties.items()
        if key in before.ties and _numbers(before.ties[key]) != _numbers(tie)
    )
    return Changes(lanes, ties, tuple(_broken(results, before, old)), before.read_at)


def _numbers(tie: TieSnapshot) -> tuple[int, int, int]:
    return tie.rows, tie.found, tie.going_on


def _lane_change(lane: Lane, before: LaneSnapshot, now: LaneSnapshot) -> LaneChange:
    if before.rows is None or now.rows is None:
        return LaneChange(lane.id, lane.name, before.rows, now.rows)
    return LaneChange(
        lane.id,
        lane.name,
        before.rows,
        now=now.rows,
        gone=_not_in(before.columns, now.columns),
        come=_not_in(now.columns, before.columns),
        other_kind=tuple(
            tr("{name}: {kind}, was {columns}", name=name, kind=kind, columns=before.columns[name])
            for name, kind in now.columns.items()
            if before.columns.get(name, kind) != kind
        ),
        files_gone=_not_in(before.files, now.files),
        files_come=_not_in(now.files, before.files),
    )


def _not_in(names: Sequence[str] | dict[str, str], others: object) -> tuple[str, ...]:
    return tuple(name for name in names if name not in others)  # type: ignore[operator]


@dataclass(frozen=True, slots=True)
class _Gone:
    """A column that a tie names on one of its sides, and that is no longer there."""

    tie: JoinItem
    title: str
    side: str
    lane: Lane
    name: str
    table: Table

    def broken(self, before: Snapshot, old: Results | None) -> Broken:
        """Return what is broken, with the columns that may be meant now."""
        known = before.lanes.get(self.lane.id)
        # what stood beside it before is another column; only what is new can be its new name
        come = [n for n in self.table.columns if known is None or n not in known.columns]
        old_values = self._values_before(old)
        first_rows = self.table.window(0, _COMPARED)
        scored = sorted(
            (
                (_likeness(self.name, old_values, name, first_rows), name)
                for name in come or self.table.columns
            ),
            reverse=True,
        )
        repairs = tuple(
            edits.RenameLinkField(self.tie.id, self.side, self.name, name)
            for score, name in scored[:3]
            if score >= _LIKELY
        )
        text = tr(
            "{title}: the link names “{name}”, which {lane_name} no longer has.",
            title=self.title,
            name=self.name,
            lane_name=self.lane.name,
        )
        return Broken(self.tie.id, text, repairs)

    def _values_before(self, old: Results | None) -> set[str]:
        was = old.rows.get(self.lane.id) if old else None
        if not isinstance(was, Table) or self.name not in was.columns:
            return set()
        return _distinct(was.window(0, _COMPARED).column(self.name))


def _broken(results: Results, before: Snapshot, old: Results | None) -> Iterator[Broken]:
    trellis = results.trellis
    for lane, item in trellis.joins():
        error = results.ties.get(item.id)
        if not isinstance(error, UnknownColumnError):
            continue
        lanes = (lane, trellis.lane(item.lane))
        for side, whose, table in zip(SIDES, lanes, results.sides(item.id), strict=True):
            # The error names one column; it is this side's where this side's settings name it and
            # its rows lack it.
            names = {getattr(f, side) for f in item.link} | set(getattr(item.columns, side) or ())
            if isinstance(table, Table) and error.name in names - set(table.columns):
                title = f"{lane.name} + {trellis.lane(item.lane).name}"
                yield _Gone(item, title, side, lane=whose, name=error.name, table=table).broken(
                    before, old
                )


def _likeness(gone: str, old: set[str], name: str, first_rows: Table) -> float:
    """Return from 0 to 1 how likely a column is the one that is gone, by name and by values."""
    from rapidfuzz import fuzz, utils  # only when something broke

    by_name = fuzz.WRatio(gone, name, processor=utils.default_process) / 100
    if not old:
        return float(by_name)
    # a name says a little less than values: two columns that are called alike may hold other things
    shared = len(old & _distinct(first_rows.column(name))) / len(old)
    return float(max(by_name * 0.9, shared))


def likely_successors(gone: str, names: Sequence[str]) -> tuple[str, ...]:
    """Return the names that may stand for a column that is gone, the likeliest first."""
    from rapidfuzz import fuzz, utils

    alike = sorted(
        ((fuzz.WRatio(gone, one, processor=utils.default_process) / 100, one) for one in names),
        reverse=True,
    )
    return tuple(name for score, name in alike[:2] if score >= _LIKELY)


def _distinct(column: Column) -> set[str]:
    return {text for text in column.texts().unique().to_pylist() if text}
