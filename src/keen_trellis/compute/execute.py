"""One node run on NumPy: from what its inputs gave to what it gives."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from keen_trellis.compute.blend import Blend
from keen_trellis.compute.filtered import Filtered
from keen_trellis.compute.join.pairing import paired
from keen_trellis.compute.outcome import bay_table
from keen_trellis.compute.stack import Stack, stack
from keen_trellis.compute.stepped import Stepped
from keen_trellis.compute.steps import stepped
from keen_trellis.compute.summary import summarise
from keen_trellis.compute.tied import Tied
from keen_trellis.plan.blends import Blended, Summarised
from keen_trellis.plan.nodes import BayRows, Begun, Join, Kept, Node, Outcome, Stacked
from keen_trellis.plan.steps import OnRows
from keen_trellis.progress import Report, quiet

Given = Filtered | Stepped | Tied | Blend | Stack
"""What a step or a tie gave: its `outcome` goes on, the rest says what became of the rows."""


def execute(node: Node, inputs: Sequence[Any], report: Report = quiet) -> Any:
    """Return what a node gives: a `Table`, a `Match`, or what has a table as its outcome.

    Parameters
    ----------
    node : Node
        Any but `Read`, whose rows a source gives.
    inputs : sequence
        What `node.inputs()` gave, in their order.

    Raises
    ------
    UserError
        The rows do not allow it: kinds that differ, or too many rows.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    match node:
        case Begun():
            return inputs[0].with_origin(node.origin)
        case Kept():
            filtered = Filtered.of(inputs[0], node.condition)
            _ = filtered.outcome
            return filtered
        case Join():
            left, right = inputs
            return paired(left, right, node.link, names=node.names, report=report)
        case Outcome():
            return _tied(node, inputs)
        case Summarised():
            summary = summarise(inputs[0], node.by, node.figures)
            return summary.with_origins({column.name: column.origin for column in node.schema})
        case OnRows():
            made = stepped(node, inputs[0])
            _ = made.sentence()  # counted here, and not on the thread of whoever shows it
            return made
        case Blended():
            count = len(node.parts)
            met = [inputs[at : at + 3] for at in range(count, len(inputs), 3)]
            ties = [_tied(one, sides) for one, sides in zip(node.outcomes, met, strict=True)]
            keeps_rows = not isinstance(node.outcomes[0].join.left, Summarised)
            blended = Blend(
                tuple(ties),
                node.names,
                tuple(inputs[:count]),
                node.figures,
                reach=node.reaches,
                keeps_rows=keeps_rows,
            )
            _ = blended.totals
            return blended
        case BayRows():
            match_, left, right = inputs
            return bay_table(left, right, match_, bay=node.bay, right_name=node.join.names[1])
        case Stacked():
            renamed = [
                table.renamed([dict(pairs).get(name, name) for name in table.columns])
                for table, pairs in zip(inputs, node.renamed, strict=True)
            ]
            named = dict(zip(node.names, renamed, strict=True))
            kinds = {column.name: column.kind for column in node.schema}
            put = stack(named, node.source_column, node.repeats, kinds)
            origins = {column.name: column.origin for column in node.schema}
            return replace(put, outcome=put.outcome.with_origins(origins))
    raise TypeError(f"{type(node).__name__} cannot be run.")


def _tied(node: Outcome, inputs: Sequence[Any]) -> Tied:
    match, left, right = inputs
    join = node.join
    tied = Tied(
        left,
        right,
        join.link,
        keep=node.keep,
        match=match,
        names=join.names,
        columns=node.columns,
    )
    _ = tied.outcome  # too many rows are refused here
    return tied
