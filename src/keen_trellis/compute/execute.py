"""One node run on NumPy: from what its inputs gave to what it gives.

What works on one sort of node alone is loaded once a trellis has such a node.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from keen_trellis.base.progress import Report, quiet
from keen_trellis.compute.join.pairing import paired
from keen_trellis.compute.join_result import Tied
from keen_trellis.compute.outcome_rows import bay_table
from keen_trellis.plan.blends import Blended, Summarised
from keen_trellis.plan.nodes import BayRows, Begun, Join, Kept, Node, Outcome, Stacked
from keen_trellis.plan.steps import OnRows

if TYPE_CHECKING:
    from keen_trellis.compute.blending import Blend
    from keen_trellis.compute.stack_rows import Stack
    from keen_trellis.data import Table


def execute(node: Node, inputs: Sequence[Any], report: Report = quiet) -> Any:
    """Return what a node gives: a `Table`, a `Match`, or, of a step or a tie, a `Given`.

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
            from keen_trellis.compute.filter_result import Filtered

            return Filtered.of(inputs[0], node.condition)
        case Join():
            left, right = inputs
            return paired(left, right, node.link, names=node.names, report=report)
        case Outcome():
            return _tied(node, inputs)
        case Summarised():
            from keen_trellis.compute.summary import summarise

            summary = summarise(inputs[0], node.by, node.figures)
            return summary.with_origins({column.name: column.origin for column in node.schema})
        case OnRows():
            from keen_trellis.compute.step_execution import stepped

            return stepped(node, inputs[0])
        case Blended():
            return _blended(node, inputs)
        case BayRows():
            match_, left, right = inputs
            return bay_table(left, right, match_, bay=node.bay, right_name=node.join.names[1])
        case Stacked():
            return _stacked(node, inputs)
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


def _blended(node: Blended, inputs: Sequence[Any]) -> Blend:
    from keen_trellis.compute.blending import Blend

    count = len(node.parts)
    met = [inputs[at : at + 3] for at in range(count, len(inputs), 3)]
    ties = [_tied(one, sides) for one, sides in zip(node.outcomes, met, strict=True)]
    return Blend(
        tuple(ties),
        node.names,
        tuple(inputs[:count]),
        node.figures,
        reach=node.reaches,
        keeps_rows=not isinstance(node.outcomes[0].join.left, Summarised),
    )


def _stacked(node: Stacked, inputs: Sequence[Table]) -> Stack:
    from keen_trellis.compute.stack_rows import stack

    renamed = [
        table.renamed([dict(pairs).get(name, name) for name in table.columns])
        for table, pairs in zip(inputs, node.renamed, strict=True)
    ]
    named = dict(zip(node.names, renamed, strict=True))
    kinds = {column.name: column.kind for column in node.schema}
    put = stack(named, node.source_column, node.repeats, kinds)
    origins = {column.name: column.origin for column in node.schema}
    return replace(put, outcome=put.outcome.with_origins(origins))
