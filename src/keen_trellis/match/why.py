"""Why one row found no partner: the reason in words, and the nearest candidates."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from rapidfuzz import process

from keen_trellis.data import Column, Kind, Rows
from keen_trellis.data.column import PRESENT
from keen_trellis.match.comparing import converted
from keen_trellis.match.keys import codes_of
from keen_trellis.match.likeness import explained
from keen_trellis.match.link import LinkField, Side
from keen_trellis.match.matching import field_columns
from keen_trellis.match.sentences import condition_words, listed
from keen_trellis.match.tie import Tie

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
    """

    text: str
    candidates: tuple[Candidate, ...] = ()


def why_not(tie: Tie, row: int, side: Side = "left") -> Reason:
    """Return why a row of one side found no partner on the other.

    Parameters
    ----------
    tie : Tie
    row : int
        The number of the row in its table.
    side : "left" or "right"

    Raises
    ------
    ValueError
        The row has a partner.
    """
    partners = tie.match.partners if side == "left" else tie.match.right_partners
    if partners[row]:
        raise ValueError(f"Row {row} has a partner.")
    name, other = tie.names if side == "left" else tie.names[::-1]
    sides = [_Sides.of(tie, field, place, side) for place, field in enumerate(tie.link.fields)]
    blank = [s.own_name for s in sides if s.is_blank(row)]
    if blank and not (tie.link.blanks == "match" and all(s.field.operator == "=" for s in sides)):
        return Reason(f"{listed(blank)} of this row is blank, and blanks match nothing.")
    missing = [s for s in sides if s.field.operator == "=" and not s.equal_rows(row).size]
    if missing:
        first = missing[0]
        text = f"{other} has no {first.other_name} “{first.own_text(row)}”."
        return Reason(text, first.nearest(row))
    return _not_together(tie, sides, row, name, other)


def _not_together(tie: Tie, sides: list[_Sides], row: int, name: str, other: str) -> Reason:
    """Explain a row whose values are there, but not on one row, or not within the bounds."""
    equal = [s for s in sides if s.field.operator == "="]
    ordered = [s for s in sides if s.field.operator != "="]
    rows = equal[0].equal_rows(row) if equal else np.arange(len(sides[0].other))
    for s in equal[1:]:
        rows = np.intersect1d(rows, s.equal_rows(row))
    if equal and not len(rows):
        values = listed([f"{s.other_name} “{s.own_text(row)}”" for s in equal])
        near = tuple(
            Candidate(int(n), tuple(s.other_text(int(n)) for s in sides), "another of the fields")
            for n in equal[0].equal_rows(row)[:_CANDIDATES]
        )
        return Reason(f"{other} has {values}, but not together on one row.", near)
    if tie.link.partner != "every" and not ordered:
        return Reason(_taken_words(tie, name, other))
    conditions = listed([condition_words(s.field) for s in ordered])
    values = listed([f"{s.own_name} {s.own_text(row)}" for s in ordered])
    near = tuple(
        Candidate(int(n), tuple(s.other_text(int(n)) for s in sides), "outside the bounds")
        for n in ordered[0].by_distance(row, rows)[:_CANDIDATES]
    )
    text = f"No {other} row fits {values}: {conditions} does not hold for any of {len(rows):,}."
    return Reason(text, near)


def _taken_words(tie: Tie, name: str, other: str) -> str:
    if tie.link.partner == "only":
        return f"This row has several matches in {other}, and only a single one is taken."
    return f"Its matches in {other} were taken by none: the {tie.link.partner} of others was."


@dataclass(frozen=True, slots=True, eq=False)
class _Sides:
    """One link field seen from the side of the row that is explained."""

    tie: Tie
    field: LinkField
    place: int
    own: Column
    other: Column
    own_name: str
    other_name: str

    @classmethod
    def of(cls, tie: Tie, field: LinkField, place: int, side: Side) -> _Sides:
        columns = field_columns(tie.left, tie.right, field, tie.names)
        names = (field.left, field.right)
        if side == "right":
            columns, names = columns[::-1], names[::-1]
        return cls(tie, field, place, *columns, *names)

    def is_blank(self, row: int) -> bool:
        return self.own.state is not None and self.own.state[row] != PRESENT

    def own_text(self, row: int) -> str:
        return self.own.text(row)

    def other_text(self, row: int) -> str:
        return self.other.text(row)

    def equal_rows(self, row: int) -> Rows:
        """Return the rows of the other side with the same value."""
        pairs = [(p.left, p.right) for p in self.tie.link.pairs if p.field == self.place]
        one = self.own.take(np.array([row]))
        blanks = self.tie.link.blanks == "match"
        codes = codes_of(one, self.other, self.tie.link.text, blanks, pairs)
        if codes.left[0] < 0:
            return np.zeros(0, np.intp)
        return np.flatnonzero(codes.right == codes.left[0])

    def nearest(self, row: int) -> tuple[Candidate, ...]:
        """Return rows of the other side whose value is most like this row's."""
        value = self.own_text(row)
        texts = converted(self.other, Kind.TEXT)
        assert texts.dictionary is not None
        used, first = np.unique(texts.values, return_index=True)
        rows_of = {int(code): int(at) for code, at in zip(used, first, strict=True) if code >= 0}
        choices = {code: str(texts.dictionary[code].as_py()) for code in rows_of}
        close = process.extract(value, choices, processor=_plain, limit=10 * _CANDIDATES)
        likely = [(explained(value, text), text, code) for text, _, code in close]
        likely.sort(key=lambda found: (not found[0].safe, -found[0].share))
        return tuple(
            Candidate(rows_of[code], (text,), f"{like.reason}, {like.share:.0%} alike")
            for like, text, code in likely[:_CANDIDATES]
        )

    def by_distance(self, row: int, rows: Rows) -> Rows:
        """Return rows of the other side, the nearest value first."""
        both: Any = [converted(c, Kind.TEXT) for c in (self.own, self.other)]
        if self.own.kind.dtype.kind in "if" and self.own.kind is not Kind.TEXT:
            gaps = np.abs(self.other.values[rows].astype(float) - float(self.own.values[row]))
            return rows[np.argsort(gaps, kind="stable")]
        wanted = both[0].text(row)
        return np.array(sorted(rows, key=lambda n: both[1].text(int(n)) != wanted), np.intp)


def _plain(text: str) -> str:
    return text.casefold().strip()
