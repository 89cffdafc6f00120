"""What a step or a tie gave: the rows that go on, and what became of all that it took."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    from keen_trellis.data import Table
    from keen_trellis.plan.counts import Group


class Given(Protocol):
    """What whoever shows, counts and keeps the result of a step or a tie knows of it."""

    @property
    def outcome(self) -> Table:
        """The rows that go on."""

    @property
    def groups(self) -> tuple[Group, ...]:
        """The rows that it took, by what became of them."""

    @property
    def numbers(self) -> dict[str, int]:
        """What became of its rows, by the names that machines read."""

    def sentence(self) -> str:
        """Return what became of its rows, in plain words."""

    @property
    def size(self) -> int:
        """The bytes that it holds for itself."""

    def look_ahead(self) -> None:
        """Work out what somebody will look at, so that nobody has to wait then."""
