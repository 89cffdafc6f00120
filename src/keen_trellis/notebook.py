"""The face for notebooks: two tables tied by one call, and what an expert would notice."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import TYPE_CHECKING

from keen_trellis.compute.join.pairing import paired
from keen_trellis.compute.tied import Tied
from keen_trellis.data import Table
from keen_trellis.errors import LinkError
from keen_trellis.plan.bays import keep_of
from keen_trellis.plan.expressions import Tested
from keen_trellis.plan.link import Blanks, Link, LinkField, OrderField, Pair, Partner, Side
from keen_trellis.plan.operators import Operator
from keen_trellis.plan.outcome import ALL_COLUMNS, Columns
from keen_trellis.plan.text_rules import TextRule
from keen_trellis.progress import Report, quiet

if TYPE_CHECKING:
    from keen_trellis.advice.findings import Finding

Filter = Tested
"""A condition on one column, as notebooks call it."""

On = Iterable["tuple[str, str] | tuple[str, Operator, str] | str | LinkField"]


class Tie(Tied):
    """Two tables brought together, what becomes of every row, and what stands out."""

    def findings(self, report: Report = quiet) -> list[Finding]:
        """Return what an expert would notice at this tie, the most valuable first."""
        from keen_trellis.advice.findings import findings  # loads what others need not wait for

        return findings(self, report)


def tie(
    left: Table,
    right: Table,
    on: On | str,
    keep: Iterable[str] | str = ("left", "both"),
    *,
    text: Iterable[TextRule] | TextRule = (),
    blanks: Blanks = "never",
    partner: Partner = "every",
    partner_for: Side = "left",
    order: Sequence[str | OrderField] | str = (),
    pairs: Mapping[str, str] | Sequence[Pair] = {},
    columns: Columns = ALL_COLUMNS,
    names: tuple[str, str] = ("left", "right"),
    limit: int | None = None,
    report: Report = quiet,
) -> Tie:
    """Return two tables tied on the fields of `on`.

    Parameters
    ----------
    left, right : Table
        May be the same (a self join).
    on : iterable, a name, "natural" or "cross"
        Conditions that must hold together: a name that both have, (left, right) for equality,
        (left, operator, right), or a `LinkField`. Natural takes all common names; cross pairs
        every row with every row.
    keep : iterable of "left", "both", "right", or the name of a join
        The bays whose rows go on.
    text : iterable of TextRule, or one of them
        What is ignored when texts are compared for equality.
    blanks : "never" or "match"
    partner : "every", "first", "last" or "only"
        Which partner a row takes when there are several.
    partner_for : "left" or "right"
        The side whose rows take one.
    order : sequence of str or OrderField
        By which first and last are meant: fields of the side that partners are taken from.
    pairs : mapping of left to right value, or sequence of Pair
        Values that mean the same in this tie. A mapping is of the first field.
    columns : Columns
        Which columns go on; with `Columns(right=())` and only both kept, a semi join.
    names : (str, str)
        What the tables are called in sentences and column names.
    limit : int, optional
        The most rows the outcome may have: 200 million, of a cross join 10 million.

    Examples
    --------
    >>> sailings = Table.from_columns({"sailing": [1, 2], "route": ["KP-MS", "ZZ-00"]})
    >>> routes = Table.from_columns({"code": ["KP-MS"], "zone": ["Inner"]})
    >>> list(tie(sailings, routes, on=[("route", "code")]).outcome.rows())
    [(1, 'KP-MS', 'Inner'), (2, 'ZZ-00', None)]

    Raises
    ------
    UnknownColumnError
        A field is not a column of its table.
    LinkError
        No field is given, or two are of kinds that cannot be compared, or a natural join finds no
        common name.
    WordError
        An operator, a rule, a partner, a bay or another word is none that is known.
    """
    if isinstance(pairs, Mapping):
        pairs = [Pair(a, b) for a, b in pairs.items()]
    if isinstance(order, str | OrderField):
        order = (order,)
    link = Link(
        fields=natural_fields(left, right, names) if on == "natural" else _fields(on),
        blanks=blanks,
        partner=partner,
        partner_for=partner_for,
        order=tuple(OrderField(f) if isinstance(f, str) else f for f in order),
        pairs=tuple(pairs),
        cross=on == "cross",
    ).with_text(text)
    found = paired(left, right, link, names=names, report=report)
    return Tie(
        left, right, link, keep_of(keep), match=found, names=names, columns=columns, limit=limit
    )


def natural_fields(
    left: Table, right: Table, names: tuple[str, str] = ("left", "right")
) -> tuple[LinkField, ...]:
    """Return a link field for every name that both tables have.

    Raises
    ------
    LinkError
        They have none in common.
    """
    common = [name for name in left.columns if name in right.columns]
    if not common:
        raise LinkError(
            f"{names[0]} and {names[1]} have no column name in common: "
            f"{', '.join(left.columns)} on one side, {', '.join(right.columns)} on the other.",
            "Choose the fields that belong together.",
        )
    return tuple(LinkField(name, name) for name in common)


def _fields(on: On | str) -> tuple[LinkField, ...]:
    """Return link fields as they may be written; one name alone is that field on both sides."""
    if on == "cross":
        return ()
    if isinstance(on, str | LinkField):
        on = (on,)
    fields = []
    for condition in on:
        match condition:
            case LinkField():
                fields.append(condition)
            case str():
                fields.append(LinkField(condition, condition))
            case (str(a), str(b)):
                fields.append(LinkField(a, b))
            case (str(a), str(operator), str(b)):
                fields.append(LinkField(a, b, operator))
            case _:
                raise LinkError(
                    f"{condition!r} is no condition of a link.",
                    "Write a name, (left, right) or (left, operator, right).",
                )
    return tuple(fields)
