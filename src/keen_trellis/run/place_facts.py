"""The facts of a run elsewhere: what every part gave and whether promises hold, by counts."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

from keen_trellis.base.errors import NotThereError, UserError, WaitingError
from keen_trellis.base.language import tr
from keen_trellis.base.words import counted
from keen_trellis.data import Kind, Table
from keen_trellis.document.items import Item, JoinItem, StepItem
from keen_trellis.document.trellis import Lane
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.blends import Blended
from keen_trellis.plan.counts import Counts, Group
from keen_trellis.plan.nodes import Kept, Node, Outcome, Read, Stacked
from keen_trellis.plan.outcome import Columns, join_name, outcome_columns, semi_side
from keen_trellis.plan.promises import Promise
from keen_trellis.plan.sentences import join_title, link_sentence, outcome_sentences
from keen_trellis.run.facts import Facts, ItemFacts, JoinFacts, LaneFacts, PromiseFacts
from keen_trellis.run.place_run import Asked, There
from keen_trellis.run.results import Results


@dataclass(frozen=True, eq=False)
class ThereResults(Results):
    """What a run elsewhere gave: counts of every part, and rows only where they were fetched.

    Attributes
    ----------
    place : str
        What the place is called.
    known : Facts
    asked : list of Asked
    """

    place: str = ""
    known: Facts = field(default_factory=lambda: Facts({}, {}))
    asked: list[Asked] = field(default_factory=list)

    @property
    def facts(self) -> Facts:
        """The numbers and names of the run."""
        return self.known

    def is_of(self, part_id: str) -> bool:
        """Whether a part was there when it was counted: its rows are there, and not here."""
        lanes = {lane.id for lane in self.trellis.lanes}
        return part_id in lanes.union(item.id for lane in self.trellis.lanes for item in lane.items)


def results_of(there: There) -> ThereResults:
    """Return all that was found, with refusals in the place of rows."""
    known = facts_of(there)
    rows: dict[str, Table | UserError] = {}
    for part in there.plan.nodes:
        found = there.count(part)
        if isinstance(found, UserError):
            rows[part] = _refused(there, part, found)
    readings: Any = {one: r for one, r in there.reads.items() if isinstance(r, UserError)}
    return ThereResults(
        there.trellis,
        readings,
        rows,
        place=there.session.label,
        known=known,
        asked=there.asked,
    )


def facts_of(there: There) -> Facts:
    """Return the facts of all parts, each counted there."""
    lanes = {lane.id: _lane(there, lane) for lane in there.trellis.lanes}
    items = {item.id: _item(there, lane, item) for lane, item in there.trellis.items(Item)}
    return Facts(lanes, items)


def _lane(there: There, lane: Lane) -> LaneFacts:
    found = there.count(lane.id)
    node = there.plan.nodes[lane.id]
    columns = {}
    if isinstance(node, Node):
        columns = {one.name: str(one.kind) for one in node.schema}
    is_read = lane.source.begins_at() is None
    notes: tuple[str, ...] = ()
    if isinstance(node, Read) and node.stamp in there.lying:
        lying = there.lying[node.stamp]
        left = (
            tr(", without {left_out}", left_out=", ".join(lying.left_out)) if lying.left_out else ""
        )
        notes = (tr("stays where it is: {where}{left}", where=lying.where, left=left),)
    elif is_read and isinstance(node, Read):
        notes = (tr("read here and sent to {label}", label=there.session.label),)
    return LaneFacts(
        id=lane.id, name=lane.name, is_read=is_read, columns=columns, notes=notes, **_on(found)
    )


def _item(there: There, lane: Lane, item: Item) -> ItemFacts:
    names = (lane.name, *(there.trellis.lane(taken.lane).name for taken in item.takes()))
    name = f"{lane.name}, {item.brief}" if isinstance(item, StepItem) else " + ".join(names)
    before, after = there.count(there.trellis.before(item.id)), there.count(item.id)
    known: dict[str, Any] = {"id": item.id, "name": name, "type": item.type, "lane": lane.name}
    known["before"] = None if isinstance(before, UserError) else before
    known |= _on(after)
    node = there.plan.nodes[item.id]
    if not item.gives_rows or isinstance(after, UserError) or isinstance(node, UserError):
        return ItemFacts(**known)
    if isinstance(item, JoinItem) and isinstance(node, Outcome):
        return _join_facts(there, item, node, known)
    assert known["before"] is not None
    known |= _step(there, item.id, node, known["before"], after)
    return ItemFacts(**known)


def _join_facts(there: There, item: JoinItem, node: Outcome, known: dict[str, Any]) -> ItemFacts:
    counts = there.counts(item.id, node.join)
    # The rows after the join could be counted, so its pairs could: `count` has asked for them.
    assert isinstance(counts, Counts)
    link, names = node.join.link, node.join.names
    says = (
        link_sentence(link, *names),
        join_title(node.keep, node.columns, link.cross) + ".",
        outcome_sentences(counts, node.keep, *names, node.columns),
    )
    promises = tuple(_promise(there, item, one.as_promise(), counts) for one in item.promises)
    return JoinFacts(
        **known,
        says=" ".join(says),
        groups=_bays(counts, node),
        numbers={"rows": known["rows"], "pairs": counts.pairs},
        counts=counts,
        join="cross" if link.cross else join_name(node.keep, node.columns),
        other=names[1],
        promises=promises,
    )


def _step(there: There, part: str, node: Node, before: int, after: int) -> dict[str, Any]:
    """Return what became of the rows of a step, or of a tie that is no join."""
    numbers = {"rows": after}
    if isinstance(node, Kept):
        found = there.kept(part, node)
        if not isinstance(found, UserError):
            numbers |= {"left_out": before - after, "unknown": found[1]}
        said = tr(
            "{after:,} of {rows} go on, {before:,} are left out",
            after=after,
            rows=counted(before, "row"),
            before=before - after,
        )
        groups = (Group("kept", after), Group("left out", before - after, goes_on=False))
        return {"says": f"{said}.", "groups": groups, "numbers": numbers}
    if isinstance(node, Stacked):
        return _stack(there, part, after)
    if isinstance(node, Blended):
        last = node.outcomes[-1]
        met = there.counts(part, last.join)
        bays = _bays(met, last) if isinstance(met, Counts) else ()
        numbers["parts"] = len(node.parts)
        return {"says": f"{counted(after, 'row')}.", "groups": bays, "numbers": numbers}
    became = before != after
    said = (
        tr("{rows} become {after:,}", rows=counted(before, "row"), after=after)
        if became
        else tr("{after:,} rows go on", after=after)
    )
    return {"says": f"{said}.", "groups": (Group("kept", after),), "numbers": numbers}


def _stack(there: There, part: str, after: int) -> dict[str, Any]:
    """Return the rows of each lane that is stacked, and those that stood there already."""
    trellis = there.trellis
    taken = trellis.item(part).takes()
    lane, _ = trellis.place_of(part)
    names = [lane.name, *(trellis.lane(one.lane).name for one in taken)]
    parts = [trellis.before(part), *map(trellis.taken_after, taken)]
    # one that failed is told of by its own part; this one waits for it
    rows = [found if isinstance(found, int) else 0 for found in map(there.count, parts)]
    groups = tuple(Group(name, n) for name, n in zip(names, rows, strict=True))
    told = ", ".join(
        tr("{n:,} of {name}", n=n, name=name) for name, n in zip(names, rows, strict=True)
    )
    numbers = {"rows": after, "left_out": sum(rows) - after}
    return {"says": f"{counted(after, 'row')}: {told}.", "groups": groups, "numbers": numbers}


def _bays(counts: Counts, node: Outcome) -> tuple[Group, ...]:
    return tuple(Group(bay, counts.bay(bay), bay in node.keep) for bay in Bay)


def _promise(there: There, item: JoinItem, promise: Promise, counts: Counts) -> PromiseFacts:
    """Return whether a promise holds; one that cannot be made sure of is not said to hold."""
    node = there.plan.nodes[item.id]
    assert isinstance(node, Outcome)
    sentence = promise.sentence(node.join.names)
    side = counts.left if promise.side == "left" else counts.right
    without, several = side.not_found, side.multiplied
    match promise.what:
        case "found":
            return PromiseFacts(
                sentence, not without, tr("{without:,} do not", without=without) if without else ""
            )
        case "one partner":
            says = tr(
                "{without:,} find none, {several:,} several", without=without, several=several
            )
            is_kept = not without and not several
            return PromiseFacts(sentence, is_kept, "" if is_kept else says)
        case "not multiplied":
            return PromiseFacts(
                sentence, not several, tr("{several:,} have", several=several) if several else ""
            )
        case "few without":
            is_kept = without <= promise.rows
            return PromiseFacts(
                sentence, is_kept, "" if is_kept else tr("{without:,} do", without=without)
            )
    try:
        before, after = _totals(there, node, promise)
    except UserError as error:
        return PromiseFacts(
            sentence,
            False,
            tr("not made sure of, since {happened}", happened=error.happened.removesuffix(".")),
        )
    is_kept = before == after
    says = (
        ""
        if is_kept
        else tr("{before} before, {after} in what goes on", before=before, after=after)
    )
    return PromiseFacts(sentence, is_kept, says)


def _totals(there: There, node: Outcome, promise: Promise) -> tuple[Any, Any]:
    """Return the total of a column of one side, and that of it in what goes on."""
    side = node.join.left if promise.side == "left" else node.join.right
    held = side.schema.column(promise.column, node.join.names[promise.side == "right"])
    # doubles are added up in the order that rows come in, which a server chooses: two sums of the
    # same rows differ in their last digits
    if held.kind not in (Kind.INTEGER, Kind.EXACT):
        raise NotThereError(
            tr(
                "“{column}” is {kind}, of which {title} has no "
                "total that is the same in every order.",
                column=promise.column,
                kind=held.kind,
                title=there.session.dialect.title,
            )
        )
    # The total that goes on is taken from a column that stands for itself: no renaming, no order,
    # and no link field filled from the other side.
    plain = replace(node, columns=Columns(link="both", left=node.columns.left and None))
    if semi_side(node.keep, node.columns) is not None:
        plain = replace(node, columns=replace(node.columns, renamed=(), order=(), fills=()))
    made = outcome_columns(
        plain.join.left.schema,
        plain.join.right.schema,
        plain.join.link,
        plain.join.names[1],
        plain.columns,
        plain.keep,
    )
    name = next(
        (c.name for c in made if c.side == promise.side and c.source == promise.column), None
    )
    before = there.total(side, promise.column)
    return before, there.total(plain, name) if name is not None else 0


def _refused(there: There, part: str, error: UserError) -> UserError:
    """Return why a part cannot be had, with the name of its lane."""
    # These name their lane already.
    if isinstance(error, WaitingError) or part in there.reads:
        return error
    name = there.trellis.place_of(part)[0].name if part not in there.reads else part
    if isinstance(error, NotThereError):
        return NotThereError(f"{name}: {error.happened}", error.remedy)
    return error


def _on(found: int | UserError) -> dict[str, Any]:
    if isinstance(found, WaitingError):
        return {"waits_for": found.happened}
    if isinstance(found, UserError):
        return {"trouble": found.happened}
    return {"rows": found}
