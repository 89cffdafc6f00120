"""A run told as rows: each lane, step and tie with its counts, for a sheet beside the rows.

Told without values, it has names, sorts and numbers alone. Sentences of other parts are not looked
through for values, which may have any letters: they are left out, and that is said.
"""

from __future__ import annotations

from collections.abc import Sequence

from keen_trellis.base.language import tr, tr_n
from keen_trellis.base.words import counted
from keen_trellis.data import Column, Kind, Table
from keen_trellis.document.items import Item, StepItem
from keen_trellis.plan.counts import Group
from keen_trellis.run.facts import ItemFacts, JoinFacts, LaneFacts, PromiseFacts
from keen_trellis.run.results import Results

WITHHELD = tr("Something is wrong with it; what it is may quote values, and is left out.")

Row = tuple[str, str, str, int | None]


def withheld_notes(number: int) -> tuple[str, ...]:
    """Return what is said in the place of notes that may quote values."""
    if not number:
        return ()
    return (
        tr_n(
            number,
            "{n:,} remark that may quote values is left out.",
            "{n:,} remarks that may quote values are left out.",
        ),
    )


def name_alone(facts: ItemFacts, item: Item) -> str:
    """Return what an item is called without the settings that steps are called by."""
    return f"{facts.lane}, {item.within}" if isinstance(item, StepItem) else facts.name


def numbers_alone(facts: ItemFacts, item: Item) -> str:
    """Return what an item did, by numbers and by names of lanes."""
    if facts.trouble:
        return WITHHELD
    if facts.waits_for:
        return tr("It waits for a part before it.")
    if item.is_off:
        return tr("It is switched off.")
    if isinstance(facts, JoinFacts):
        left, right = facts.counts.left, facts.counts.right
        return tr(
            "{join}: {found:,} of {rows} of {lane} found, "
            "{right_found:,} of {right_rows:,} of {other}.",
            join=tr(facts.join),
            found=left.found,
            rows=counted(left.rows, "row"),
            lane=facts.lane,
            right_found=right.found,
            right_rows=right.rows,
            other=facts.other,
        )
    if facts.before is None or facts.rows is None:
        return ""
    return tr(
        "{rows} before, {facts_rows:,} after.",
        rows=counted(facts.before, "row"),
        facts_rows=facts.rows,
    )


def promise_words(promise: PromiseFacts, with_values: bool) -> str:
    """Return what is promised, and whether it holds."""
    if promise.is_kept:
        return tr("{sentence}: kept", sentence=promise.sentence)
    return tr("{promise}: BROKEN", promise=promise.sentence) + (
        f": {promise.says}" if with_values else ""
    )


def account(results: Results, with_values: bool = True, made_for: str = "") -> Table:
    """Return a table of what a run did: part, sort, what is said of it, and its rows.

    Whom it is made for stands first, if it is said.
    """
    rows: list[Row] = [(tr("match report"), tr("made for"), made_for, None)] if made_for else []
    for lane in results.facts.lanes.values():
        rows += _of_lane(lane, with_values)
    for item in results.facts.items.values():
        rows += _of_item(item, results.trellis.item(item.id), with_values)
    if results.read_at is not None:
        rows.append(
            (
                tr("all sources"),
                tr("read"),
                tr("from {read_at:%Y-%m-%d %H:%M} on", read_at=results.read_at),
                None,
            )
        )
    parts, sorts, says_of, counts = ([row[place] for row in rows] for place in range(4))
    return Table.of(
        {
            "part": Column.of(parts, Kind.TEXT),
            "what": Column.of(sorts, Kind.TEXT),
            "says": Column.of(says_of, Kind.TEXT),
            "rows": Column.of(counts, Kind.INTEGER),
        }
    )


def _of_lane(lane: LaneFacts, with_values: bool) -> Sequence[Row]:
    files = tr("from {files}", files=", ".join(lane.files)) if lane.files else ""
    trouble, notes = lane.trouble, lane.notes
    if not with_values:
        trouble, notes = WITHHELD if trouble else "", withheld_notes(len(notes))
    return [
        (lane.name, tr("lane"), trouble or files, lane.rows),
        *((lane.name, tr("noticed"), note, None) for note in notes),
    ]


def _of_item(facts: ItemFacts, item: Item, with_values: bool) -> Sequence[Row]:
    name, says = facts.name, facts.trouble or facts.says
    if not with_values:
        name, says = name_alone(facts, item), says and numbers_alone(facts, item)
    # A delivery says nothing of itself here: what it wrote stands elsewhere.
    if not says:
        return []
    rows: list[Row] = [(name, tr(facts.type), says, facts.rows)]
    rows += [(name, tr("rows"), _group_words(group), group.rows) for group in facts.groups]
    if isinstance(facts, JoinFacts):
        promised = (promise_words(one, with_values) for one in facts.promises)
        rows += [(name, tr("promise"), words, None) for words in promised]
    return rows


def _group_words(group: Group) -> str:
    return f"{group.name}: {tr('go on') if group.goes_on else tr('stay behind')}"
