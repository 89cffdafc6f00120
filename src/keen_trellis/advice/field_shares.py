"""How much of one side each other field would find: for whoever chooses the fields of a link."""

from __future__ import annotations

import numpy as np

from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, quiet
from keen_trellis.compute.join.keys import codes_of
from keen_trellis.compute.join_result import Tied
from keen_trellis.data import Column, Table
from keen_trellis.data.kinds import comparable
from keen_trellis.plan.text_rules import TextRule

COLUMNS_AT_MOST = 200

Shares = dict[tuple[int, str, str], float]
"""By the place of the link field, the side, and the column that would stand there."""


def field_shares(tie: Tied, report: Report = quiet) -> Shares:
    """Return the share of the left rows with a value that finds it on the other side.

    Each field that is compared by “equals” is looked at alone, with one of its two columns another.

    Parameters
    ----------
    tie : Tied
    report : Report
        Of the work, which can be stopped.
    """
    found: Shares = {}
    for place, field in enumerate(tie.link.fields):
        if field.operator != "=" or field.compare_as is not None:
            continue
        # By spans nearly everything finds something: a share would tell nothing of the field.
        if field.span is not None:
            continue
        left, right = tie.left.column(field.left), tie.right.column(field.right)
        for name in tie.left.columns[:COLUMNS_AT_MOST]:
            report(0.5, tr("Comparing {name} with {right}", name=name, right=field.right))
            _put(found, (place, "left", name), tie.left, name, right, tie.link.text, is_left=True)
        for name in tie.right.columns[:COLUMNS_AT_MOST]:
            report(0.5, tr("Comparing {left} with {name}", left=field.left, name=name))
            _put(found, (place, "right", name), tie.right, name, left, tie.link.text, is_left=False)
    return found


def _put(
    found: Shares,
    key: tuple[int, str, str],
    table: Table,
    name: str,
    other: Column,
    text: tuple[TextRule, ...],
    is_left: bool,
) -> None:
    column = table.column(name)
    if comparable(column.kind, other.kind):
        pair = (column, other) if is_left else (other, column)
        found[key] = _share(*pair, text)


def _share(left: Column, right: Column, text: tuple[TextRule, ...]) -> float:
    codes = codes_of(left, right, text)
    there = np.zeros(codes.size + 1, np.bool_)  # the last one is where a row without a key points
    there[codes.right] = True
    there[-1] = False
    asked = int(np.count_nonzero(codes.left >= 0))
    return int(np.count_nonzero(there[codes.left])) / asked if asked else 0.0
