"""Why one row found no partner: the reason in words, and the nearest candidates."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np
from rapidfuzz import process

from keen_trellis.advice.likeness import explained
from keen_trellis.base.errors import known
from keen_trellis.base.language import tr, tr_n
from keen_trellis.base.words import listed, percent
from keen_trellis.compute.join.distances import roughly_apart
from keen_trellis.compute.join.keys import codes_of
from keen_trellis.compute.join.pairing import field_columns, paired
from keen_trellis.compute.join_result import Tied
from keen_trellis.data import BLANK, GAP, PRESENT, Column, Kind, Rows
from keen_trellis.data.conversions.conversion import converted
from keen_trellis.plan.link import SIDES, LinkField, Side
from keen_trellis.plan.sentences import condition_words

_CANDIDATES = 3


@dataclass(frozen=True, slots=True)
class Candidate:
    """A row of the other side that comes near.

    Attributes
    ----------
    row : int
        Its number there.
    values : tuple of str
        Its link values as they are shown.
    reason : str
        What keeps it from being the partner, or how alike it is.
    """

    row: int
    values: tuple[str, ...]
    reason: str


@dataclass(frozen=True, slots=True)
class Reason:
    """Why a row found no partner.

    Attributes
    ----------
    text : str
        In sentences.
    candidates : tuple of Candidate
        The nearest first.
    values : tuple of str
        The row's own values of the fields that the candidates' values are of.
    fields : tuple of int
        Their places among the fields of the link.
    rows : int
        How many rows of its side have these values and no partner, itself among them.
    """

    text: str
    candidates: tuple[Candidate, ...] = ()
    values: tuple[str, ...] = ()
    fields: tuple[int, ...] = ()
    rows: int = 1


def why_not(tie: Tied, row: int, side: Side = "left") -> Reason:
    """Return why a row of one side found no partner on the other.

    Parameters
    ----------
    tie : Tied
    row : int
        The number of the row in its table.
    side : "left" or "right"

    Raises
    ------
    ValueError
        The row has a partner.
    WordError
        `side` is no side.
    """
    known(tr("The side of a row"), side, SIDES)
    partners = tie.match.partners if side == "left" else tie.match.right_partners
    if partners[row]:
        raise ValueError(f"Row {row} has a partner.")
    name, other = tie.names if side == "left" else tie.names[::-1]
    sides = [_Sides.of(tie, field, place, side) for place, field in enumerate(tie.link.fields)]
    # from what the row itself lacks to what the other side lacks: what explains it first is said
    unread = [s for s in sides if s.is_unread(row)]
    if unread:
        first = unread[0]
        kind = first.field.compare_as
        return Reason(
            tr(
                "“{written}” in {own_name} cannot be compared as {kind}.",
                written=first.written(row),
                own_name=first.own_name,
                kind=kind,
            )
        )
    gaps = _each_once(s.own_name for s in sides if s.state(row) == GAP)
    if gaps:
        return Reason(
            tr_n(
                len(gaps),
                "{fields} of this row is a gap, and a gap matches nothing.",
                "{fields} of this row are gaps, and a gap matches nothing.",
                fields=listed(gaps),
            )
        )
    # blanks match blanks under “equals” alone; a condition of order is never true of them
    blank = _each_once(
        s.own_name
        for s in sides
        if s.state(row) == BLANK and (tie.link.blanks == "never" or s.field.operator != "=")
    )
    if blank:
        return Reason(
            tr_n(
                len(blank),
                "{fields} of this row is blank, and blanks match nothing.",
                "{fields} of this row are blank, and blanks match nothing.",
                fields=listed(blank),
            )
        )
    if tie.link.partner != "every" and _fits_some(tie, row, side):
        return Reason(_taken_words(tie, name, other))
    missing = [s for s in sides if s.field.operator == "=" and not s.equal_rows(row).size]
    if missing:
        first = missing[0]
        if first.state(row) == BLANK:
            return Reason(
                tr(
                    "{other} has no row in which {other_name} is blank.",
                    other=other,
                    other_name=first.other_name,
                )
            )
        text = tr(
            "{other} has no {other_name} “{own_text}”.",
            other=other,
            other_name=first.other_name,
            own_text=first.own_text(row),
        )
        return Reason(text, first.nearest(row), *_own([first], row, partners))
    return _not_together(tie, sides, row, partners=partners, name=name, other=other)


def _not_together(
    tie: Tied, sides: list[_Sides], row: int, partners: Rows, name: str, other: str
) -> Reason:
    """Explain a row whose values are there, but not on one row, or not within the bounds."""
    equal = [s for s in sides if s.field.operator == "="]
    ordered = [s for s in sides if s.field.operator != "="]
    # each field by itself is met by some row; what is left after all of them meets them together
    rows = np.arange(len(sides[0].other))
    for s in equal:
        rows = np.intersect1d(rows, s.equal_rows(row))
    if equal and not len(rows):
        values = listed([f"{s.other_name} “{s.own_text(row)}”" for s in equal])
        near = _candidates(sides, equal[0].equal_rows(row), tr("another of the fields"))
        text = tr("{other} has {values}, but not together on one row.", other=other, values=values)
        return Reason(text, near, *_own(sides, row, partners))
    if not ordered:
        return Reason(_taken_words(tie, name, other))
    conditions = listed([condition_words(s.field) for s in ordered])
    values = listed(_each_once(f"{s.own_name} {s.own_text(row)}" for s in ordered))
    near = _candidates(sides, ordered[0].by_distance(row, rows), tr("outside the bounds"))
    text = tr(
        "No {other} row fits {values}: {conditions} does not hold for any of {rows:,}.",
        other=other,
        values=values,
        conditions=conditions,
        rows=len(rows),
    )
    return Reason(text, near, *_own(sides, row, partners))


def _own(
    sides: list[_Sides], row: int, partners: Rows
) -> tuple[tuple[str, ...], tuple[int, ...], int]:
    """Return the row's own values of some fields, their places, and how many rows are like it."""
    # rows with the very same values have the same reason
    like = partners == 0
    for s in sides:
        like &= s.own.values == s.own.values[row]
        if s.own.state is not None:
            like &= s.own.state == s.own.state[row]
    values = tuple(s.own_text(row) for s in sides)
    return values, tuple(s.place for s in sides), int(np.count_nonzero(like))


def _candidates(sides: list[_Sides], rows: Rows, reason: str) -> tuple[Candidate, ...]:
    """Return the first of some rows of the other side with what stands in their link fields."""
    return tuple(
        Candidate(int(row), tuple(s.other_text(int(row)) for s in sides), reason)
        for row in rows[:_CANDIDATES]
    )


def _each_once(words: Iterable[str]) -> list[str]:
    return list(dict.fromkeys(words))


def _fits_some(tie: Tied, row: int, side: Side) -> bool:
    """Whether a row has partners before one of several is taken."""
    # The same link with every partner, for this one row.
    link = replace(tie.link, partner="every", order=())
    one = np.array([row])
    left, right = (
        (tie.left.take(one), tie.right) if side == "left" else (tie.left, tie.right.take(one))
    )
    return paired(left, right, link, tie.names).counts.pairs > 0


def _taken_words(tie: Tied, name: str, other: str) -> str:
    if tie.link.partner == "only":
        return tr(
            "This row has several matches in {other}, and only a single one is taken.", other=other
        )
    return tr(
        "Its matches in {other} were taken by none: the {partner} of others was.",
        other=other,
        partner=tr(tie.link.partner),
    )


@dataclass(frozen=True, slots=True, eq=False)
class _Sides:
    """One link field seen from the side of the row that is explained."""

    tie: Tied
    field: LinkField
    place: int
    own: Column
    other: Column
    own_name: str
    other_name: str
    as_it_is: Column
    """The own column before it is put into the kind that it is compared as."""

    @classmethod
    def of(cls, tie: Tied, field: LinkField, place: int, side: Side) -> _Sides:
        columns = field_columns(tie.left, tie.right, field, tie.names)
        names = (field.left, field.right)
        table = tie.left if side == "left" else tie.right
        if side == "right":
            columns, names = columns[::-1], names[::-1]
        return cls(tie, field, place, *columns, *names, table.column(names[0]))

    def state(self, row: int) -> int:
        return PRESENT if self.own.state is None else int(self.own.state[row])

    def is_unread(self, row: int) -> bool:
        """Whether the row has a value that is none of the kind compared as."""
        before = self.as_it_is.state
        return self.state(row) != PRESENT and (before is None or before[row] == PRESENT)

    def written(self, row: int) -> str:
        return self.as_it_is.text(row)

    def own_text(self, row: int) -> str:
        return self.own.text(row)

    def other_text(self, row: int) -> str:
        return self.other.text(row)

    def equal_rows(self, row: int) -> Rows:
        """Return the rows of the other side with the same value."""
        pairs = [(p.left, p.right) for p in self.tie.link.pairs if p.field == self.place]
        one = self.own.take(np.array([row]))
        blanks = self.tie.link.blanks == "match"
        # one row against all of the other side, by the rules that hold for every row
        codes = codes_of(one, self.other, self.tie.link.text, blanks_match=blanks, pairs=pairs)
        if codes.left[0] < 0:
            return np.zeros(0, np.intp)
        return np.flatnonzero(codes.right == codes.left[0])

    def nearest(self, row: int) -> tuple[Candidate, ...]:
        """Return rows of the other side whose value is most like this row's."""
        value = self.own_text(row)
        texts = converted(self.other, Kind.TEXT).column
        assert texts.dictionary is not None
        # each text once, with the first row that has it; -1, the code of no text, is left out
        used, first = np.unique(texts.values, return_index=True)
        rows_of = {int(code): int(at) for code, at in zip(used, first, strict=True) if code >= 0}
        choices = {code: str(texts.dictionary[code].as_py()) for code in rows_of}
        # More than are shown: the library's likeness is rough, and ours decides which of them
        # come first.
        close = process.extract(value, choices, processor=_plain, limit=10 * _CANDIDATES)
        likely = [(explained(value, text), text, code) for text, _, code in close]
        likely.sort(key=lambda found: (not found[0].safe, -found[0].share))
        return tuple(
            Candidate(
                rows_of[code],
                (text,),
                tr("{reason}, {percent} alike", reason=like.reason, percent=percent(like.share)),
            )
            for like, text, code in likely[:_CANDIDATES]
        )

    def by_distance(self, row: int, rows: Rows) -> Rows:
        """Return rows of the other side, the nearest value first; texts as they stand."""
        if self.own.kind in (Kind.TEXT, Kind.BOOLEAN):
            return rows
        apart = roughly_apart(self.own.take(np.array([row])), self.other.take(rows))
        return rows[np.argsort(apart, kind="stable")]


def _plain(text: str) -> str:
    return text.casefold().strip()
