"""How many rows: exact, and known before any row of an outcome is built."""

from __future__ import annotations

from dataclasses import dataclass

from keen_trellis.plan.bays import JOIN_NAMES, SEMI_NAMES, Bay, Keep


@dataclass(frozen=True, slots=True)
class Group:
    """Some of the rows that a step or a tie was given: what they are, and whether they go on."""

    name: str
    rows: int
    goes_on: bool = True


@dataclass(frozen=True, slots=True)
class SideCounts:
    """What a tie does to the rows of one side.

    Attributes
    ----------
    rows : int
    found : int
        Rows with at least one partner.
    blank : int
        Rows with a blank or a gap in a link field, which never match.
    repeated : int
        Rows whose link value stands on another row of the same side too.
    multiplied : int
        Rows with more than one partner, which the outcome holds more than once.
    distinct : int
        Different link values.
    distinct_found : int
        Different link values that the other side has too.
    ambiguous : int
        Rows that had several partners of which one, or none, was taken.
    """

    rows: int
    found: int
    blank: int
    repeated: int
    multiplied: int
    distinct: int
    distinct_found: int
    ambiguous: int = 0

    @property
    def not_found(self) -> int:
        """Rows without a partner."""
        return self.rows - self.found


@dataclass(frozen=True, slots=True)
class Counts:
    """What a tie does to both sides.

    Attributes
    ----------
    left, right : SideCounts
    pairs : int
        Rows in the middle bay: every left row with every partner of it.
    """

    left: SideCounts
    right: SideCounts
    pairs: int

    def bay(self, bay: Bay) -> int:
        """Return the rows in one bay."""
        return {
            Bay.LEFT: self.left.not_found,
            Bay.BOTH: self.pairs,
            Bay.RIGHT: self.right.not_found,
        }[bay]

    def rows(self, keep: Keep) -> int:
        """Return the rows that go on."""
        return sum(self.bay(bay) for bay in keep)

    def spill(self, keep: Keep) -> int:
        """Return the rows that stay behind: source rows for the outer bays, pairs for both."""
        return sum(self.bay(bay) for bay in Bay if bay not in keep)

    def join_types(self) -> list[JoinType]:
        """Return what every join type would give, semi joins included."""
        types = [
            JoinType(
                name=name,
                keep=keep,
                rows=self.rows(keep),
                # a side none of whose rows go on brings no columns, hence no gaps
                left_gaps=self.bay(Bay.RIGHT) if Bay.RIGHT in keep[1:] else 0,
                # Rows of the left alone have gaps in the right columns, unless they are all that
                # goes on: an anti join brings no right columns.
                right_gaps=self.bay(Bay.LEFT) if keep[:1] == (Bay.LEFT,) != keep else 0,
                multiplied=self.pairs - self.left.found if Bay.BOTH in keep else 0,
            )
            for keep, name in JOIN_NAMES.items()
        ]
        for side, counts in (("left", self.left), ("right", self.right)):
            types.append(
                JoinType(
                    SEMI_NAMES[side],
                    (Bay.BOTH,),
                    counts.found,
                    left_gaps=0,
                    right_gaps=0,
                    multiplied=0,
                    semi=side,
                )
            )
        return types


@dataclass(frozen=True, slots=True)
class JoinType:
    """What one join type would give.

    Attributes
    ----------
    name : str
    keep : Keep
    rows : int
        Rows that go on.
    left_gaps, right_gaps : int
        Rows with gaps in the columns of the left or the right side.
    multiplied : int
        Rows over one for each left row that was found.
    semi : "left", "right" or ""
        With a semi join the side whose columns go on.
    """

    name: str
    keep: Keep
    rows: int
    left_gaps: int
    right_gaps: int
    multiplied: int
    semi: str = ""
