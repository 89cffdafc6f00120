"""What a run did, for machines: the JSON that `keen-trellis run --json` prints, and its schema."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, cast

from pydantic import TypeAdapter
from typing_extensions import TypedDict

from keen_trellis.base.errors import UserError
from keen_trellis.base.language import grouped_digits, marked, tr
from keen_trellis.plan.counts import SideCounts
from keen_trellis.run.delivering import Delivered
from keen_trellis.run.facts import JoinFacts
from keen_trellis.run.results import Results


class ToldSource(TypedDict):
    """A lane as it begins."""

    lane: str
    rows: int
    read: bool
    notes: list[str]


class ToldSide(TypedDict):
    """One side of a join; counts are of rows, the last two of different values."""

    lane: str
    rows: int
    found: int
    not_found: int
    blank: int
    repeated: int
    multiplied: int
    distinct: int
    distinct_found: int


class ToldPromise(TypedDict):
    """A promise of a join."""

    sentence: str
    is_kept: bool
    says: str


class ToldJoin(TypedDict):
    """A join that was made."""

    id: str
    left: ToldSide
    right: ToldSide
    pairs: int
    join: str
    rows: int | None
    promises: list[ToldPromise]


class ToldDelivery(TypedDict):
    """What became of a delivery; `path` is null for a table of a server.

    `changes` counts the rows that are new, changed, the same and only there, where a table is
    updated by its key.
    """

    delivery: str
    name: str
    place: str
    path: str | None
    rows: int
    written: bool
    replaced: bool
    stopped: str
    changes: dict[str, int] | None


class ToldRun(TypedDict):
    """A run: its sources, joins, other steps and ties, deliveries, and what went wrong."""

    trellis: str
    sources: list[ToldSource]
    ties: list[ToldJoin]
    steps: list[dict[str, int | str]]
    deliveries: list[ToldDelivery]
    errors: list[str]


def told(results: Results, made: Sequence[Delivered], errors: Sequence[UserError]) -> ToldRun:
    """Return what a scheduler needs to know; the names of its parts stay what they are."""
    facts = results.facts
    return {
        "trellis": results.trellis.name,
        "sources": [
            {"lane": lane.name, "rows": lane.rows, "read": lane.is_read, "notes": list(lane.notes)}
            for lane in facts.lanes.values()
            if lane.rows is not None
        ],
        "ties": [
            {
                "id": tie.id,
                "left": _side(tie.lane, tie.counts.left),
                "right": _side(tie.other, tie.counts.right),
                "pairs": tie.counts.pairs,
                "join": tie.join,
                "rows": tie.rows,
                "promises": [
                    {"sentence": one.sentence, "is_kept": one.is_kept, "says": one.says}
                    for one in tie.promises
                ],
            }
            for tie in facts.joins()
        ],
        "steps": [
            {
                "id": item.id,
                "lane": item.lane,
                "type": item.type,
                **item.numbers,
                "says": item.says,
            }
            for item in facts.items.values()
            if item.says and not isinstance(item, JoinFacts)
        ],
        "deliveries": [
            {
                "delivery": one.delivery,
                "name": one.name,
                "place": one.place,
                "path": str(one.path) if one.path is not None else None,
                "rows": one.rows,
                "written": one.written,
                "replaced": one.replaced,
                "stopped": one.stopped,
                "changes": one.changes.numbers if one.changes is not None else None,
            }
            for one in made
        ],
        "errors": [str(error) for error in errors],
    }


def _side(lane: str, counts: SideCounts) -> ToldSide:
    # `not_found` is worked out of the others, and so no field of them.
    numbers: Any = {**dataclasses.asdict(counts), "not_found": counts.not_found}
    return cast("ToldSide", {"lane": lane, **numbers})


def schema() -> dict[str, Any]:
    """Return the JSON Schema of what is told."""
    return TypeAdapter(ToldRun).json_schema()


def differences(before: Mapping[str, Any], now: Mapping[str, Any]) -> Iterator[str]:
    """Yield what is different between two runs as they were told, in sentences.

    Raises
    ------
    KeyError, TypeError
        One of them is none.
    """
    yield from _of(
        {one["lane"]: one["rows"] for one in before["sources"]},
        {one["lane"]: one["rows"] for one in now["sources"]},
        marked("{name}: {now} rows read, {before} before"),
        "lane",
    )
    for side, other in (("left", "right"), ("right", "left")):
        yield from _of(
            {_name(tie, side, other): tie[side]["found"] for tie in before["ties"]},
            {_name(tie, side, other): tie[side]["found"] for tie in now["ties"]},
            marked("{name}: {now} rows found, {before} before"),
            "",
        )
    yield from _of(
        {_pair(tie): tie["rows"] for tie in before["ties"]},
        {_pair(tie): tie["rows"] for tie in now["ties"]},
        marked("{name}: {now} rows go on, {before} before"),
        "tie",
    )
    yield from _of(
        {one["name"]: one["rows"] for one in before["deliveries"]},
        {one["name"]: one["rows"] for one in now["deliveries"]},
        marked("{name}: {now} rows delivered, {before} before"),
        "delivery",
    )
    # Promises have no ids: one that is worded anew is a new promise, and its past says nothing of
    # it.
    kept = {(t["id"], p["sentence"]): p["is_kept"] for t in before["ties"] for p in t["promises"]}
    for tie in now["ties"]:
        for promise in tie["promises"]:
            was = kept.get((tie["id"], promise["sentence"]))
            if was is not None and was != promise["is_kept"]:
                state = tr("kept again") if promise["is_kept"] else tr("broken now")
                yield tr(
                    "{pair}: {sentence} is {state}.",
                    pair=_pair(tie),
                    sentence=promise["sentence"],
                    state=state,
                )
    for error in now["errors"]:
        if error not in before["errors"]:
            yield tr("New: {error}", error=error)


def _name(tie: Mapping[str, Any], side: str, other: str) -> str:
    return tr("{lane} in {lane_2}", lane=tie[side]["lane"], lane_2=tie[other]["lane"])


def _pair(tie: Mapping[str, Any]) -> str:
    return f"{tie['left']['lane']} + {tie['right']['lane']}"


def _of(
    before: Mapping[str, int | None], now: Mapping[str, int | None], words: str, sort: str
) -> Iterator[str]:
    """Yield which numbers are others, and which parts have come and gone."""
    for name, number in now.items():
        if name not in before:
            if sort:
                yield tr("New: {sort} {name}.", sort=tr(sort), name=name)
        elif number != before[name]:
            yield f"{tr(words, name=name, now=_shown(number), before=_shown(before[name]))}."
    for name in before:
        if name not in now and sort:
            yield tr("Gone: {sort} {name}.", sort=tr(sort), name=name)


def _shown(number: int | None) -> str:
    return tr("no") if number is None else grouped_digits(number)
