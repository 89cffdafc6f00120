"""What is wished of a match report; apart, since it is asked for before the report is needed."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class PageOptions:
    """What is wished of a match report.

    Attributes
    ----------
    made_for : str
        Whom it is made for; nobody in particular where it is empty.
    with_values : bool
        Whether values of the sources may stand in it: rows without a partner, pairs, the groups of
        reports.
    rows : int
        How many rows without a partner are shown of each side.
    columns : tuple of str
        The columns of these that are shown, where they are there, and else the link fields; these
        and some others where none is named.
    """

    made_for: str = ""
    with_values: bool = True
    rows: int = 20
    columns: tuple[str, ...] = ()


USUAL = PageOptions()
"""What is wished where nothing was said."""
