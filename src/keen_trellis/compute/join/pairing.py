"""Which rows are partners: the match, from which bays, counts and outcomes are read off.

Fields compared by “equals” are folded into one code a row; within equal codes the other fields
are worked out in `conditions`; when there are several partners, `partners` takes one.
"""

from __future__ import annotations

from dataclasses import replace
from functools import reduce

import numpy as np

from keen_trellis.base.errors import KindsDifferError, LinkError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, part, quiet
from keen_trellis.compute.binning import span_of_days
from keen_trellis.compute.join.comparable_columns import met
from keen_trellis.compute.join.keys import LinkCodes, codes_of, combine
from keen_trellis.compute.join.match import CrossMatch, Match, match_codes
from keen_trellis.compute.join.ordered_links import match_conditions
from keen_trellis.compute.join.partners import with_one_partner
from keen_trellis.data import GAP, Column, Kind, Table
from keen_trellis.data.conversions.conversion import converted
from keen_trellis.data.kinds import BY_DAY, comparable
from keen_trellis.plan.link import Link, LinkField
from keen_trellis.plan.operators import NEAREST

Names = tuple[str, str]
THE_TABLES: Names = (tr("the left table"), tr("the right table"))


def paired(
    left: Table, right: Table, link: Link, names: Names = THE_TABLES, report: Report = quiet
) -> Match:
    """Return the partners of every row under `link`.

    Equality is linear in the rows of both sides; ranges and nearest matches sort one side once.

    Raises
    ------
    UnknownColumnError
        A field is not a column of its table.
    LinkError
        There is no link field, or two nearest ones.
    KindsDifferError
        The kinds of two fields cannot be compared.
    TooManyRowsError
        A mix of conditions would have to look at more pairs of rows than is sensible.
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    require_link(link, names)
    partners_from = right if link.partner_for == "left" else left
    for ordered in link.order:
        partners_from.field(ordered.field, names[link.partner_for == "left"])
    report(0.0, tr("Comparing {names_1} with {names_2}", names_1=names[0], names_2=names[1]))
    if link.cross:
        return with_one_partner(CrossMatch.of(len(left), len(right)), left, right, link)
    codes = equal_codes(left, right, link, names=names, report=part(report, 0.0, 0.6))
    others = tuple(field for field in link.fields if field.operator != "=")
    if others:
        columns = [field_columns(left, right, field, names) for field in others]
        found = match_conditions(codes, others, columns, part(report, 0.6, 0.9))
    else:
        found = match_codes(codes)
    report(0.9, tr("Taking partners"))
    return with_one_partner(found, left, right, link)


def require_link(link: Link, names: Names) -> None:
    """Refuse a link that says nothing, or two things at once; `LinkError`."""
    if link.cross and link.fields:
        raise LinkError(
            tr(
                "{names_1} and {names_2} are tied crosswise and by fields at once.",
                names_1=names[0],
                names_2=names[1],
            ),
            tr("Take the fields out, or do not ask for every pair."),
        )
    if not link.cross and not link.fields:
        raise LinkError(
            tr(
                "{names_1} and {names_2} are tied without a link field.",
                names_1=names[0],
                names_2=names[1],
            ),
            tr(
                "Choose a field of each that belong together; every pair of rows is had "
                "by asking for "
                "a cross join."
            ),
        )
    if sum(field.operator in NEAREST for field in link.fields) > 1:
        raise LinkError(
            tr(
                "The tie of {names_1} and {names_2} has more than one nearest field.",
                names_1=names[0],
                names_2=names[1],
            ),
            tr("Keep one of them; the others can be compared by <= or >=."),
        )


def equal_codes(
    left: Table, right: Table, link: Link, names: Names = THE_TABLES, report: Report = quiet
) -> LinkCodes:
    """Return the codes of the fields that are compared by “equals”; one for all without any."""
    equal = [(place, f) for place, f in enumerate(link.fields) if f.operator == "="]
    if not equal:  # one code for all: every row of the one side may meet every row of the other
        zeros = (np.zeros(len(left), np.intp), np.zeros(len(right), np.intp))
        return LinkCodes(*zeros, 1)
    codes = []
    for number, (place, field) in enumerate(equal):
        a, b = field_columns(left, right, field, names)
        pairs = [(pair.left, pair.right) for pair in link.pairs if pair.field == place]
        # Both sides together: a code means one value on either.
        codes.append(codes_of(a, b, link.text, blanks_match=link.blanks == "match", pairs=pairs))
        report(
            (number + 1) / len(equal),
            tr("Comparing {left} with {right}", left=field.left, right=field.right),
        )
    # Two at a time, each made dense again, so that no product of counts leaves 64 bits.
    return reduce(combine, codes)


def field_columns(
    left: Table, right: Table, field: LinkField, names: Names = THE_TABLES
) -> tuple[Column, Column]:
    """Return the columns that a link field compares, as it compares them.

    Raises
    ------
    UnknownColumnError
        A field is not a column of its table.
    KindsDifferError
        The kinds cannot be compared.
    """
    columns = left.column(field.left, names[0]), right.column(field.right, names[1])
    if field.compare_as is not None:
        return _compared_as(columns[0], field.compare_as), _compared_as(
            columns[1], field.compare_as
        )
    # Blanks alone have no kind of their own, and take that of the other side.
    columns = met(*columns)
    kinds = columns[0].kind, columns[1].kind
    if field.span is not None and all(kind in BY_DAY for kind in kinds):
        return span_of_days(columns[0], field.span), span_of_days(columns[1], field.span)
    if not comparable(*kinds):
        raise KindsDifferError((field.left, field.right), names, kinds)
    return columns


def _compared_as(column: Column, kind: Kind) -> Column:
    """Return a column in another kind for a comparison.

    What cannot be converted is a gap, which matches nothing: a blank might match a blank.
    """
    made = converted(column, kind)
    if not len(made.lost):
        return made.column
    assert made.column.state is not None
    # Copied: the column may be shared with what the lane shows.
    state = made.column.state.copy()
    state[made.lost] = GAP
    return replace(made.column, state=state)
