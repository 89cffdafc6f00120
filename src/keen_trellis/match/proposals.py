"""Which fields of two tables could belong together, judged by their values and their names."""

from __future__ import annotations

import difflib
from dataclasses import dataclass

import numpy as np

from keen_trellis.data import Kind, Table
from keen_trellis.match.keys import codes_of
from keen_trellis.progress import Report, quiet

_LEAST_OVERLAP = 0.2


@dataclass(frozen=True, slots=True)
class ProposedLink:
    """Two fields that share values.

    Attributes
    ----------
    left, right : str
        The names of the fields.
    left_found, right_found : float
        The share of each side's distinct values that the other side has.
    score : float
        The larger, the likelier.
    """

    left: str
    right: str
    left_found: float
    right_found: float
    score: float


def propose_links(left: Table, right: Table, report: Report = quiet) -> list[ProposedLink]:
    """Return the pairs of fields that share values, the likeliest first.

    Yes/no fields and fields with fewer than two values are left out: they share values with
    everything. Every row is looked at.
    """
    proposed = []
    for place, a in enumerate(left.fields):
        report(place / max(len(left.fields), 1), f"Comparing {a.name} with every field")
        for b in right.fields:
            if a.kind is b.kind and a.kind is not Kind.YES_NO:
                link = _judged(left, right, a.name, b.name)
                if link is not None:
                    proposed.append(link)
    return sorted(proposed, key=lambda link: -link.score)


def _judged(left: Table, right: Table, a: str, b: str) -> ProposedLink | None:
    codes = codes_of(left.column(a), right.column(b))
    in_left = np.bincount(codes.left[codes.left >= 0], minlength=codes.size) > 0
    right_rows = np.bincount(codes.right[codes.right >= 0], minlength=codes.size)
    in_right = right_rows > 0
    n_left, n_right = int(in_left.sum()), int(in_right.sum())
    if n_left < 2 or n_right < 2:
        return None
    shared = int((in_left & in_right).sum())
    left_found, right_found = shared / n_left, shared / n_right
    if max(left_found, right_found) < _LEAST_OVERLAP:
        return None
    alike = difflib.SequenceMatcher(None, a.lower(), b.lower()).ratio()
    unique = n_right / int(right_rows.sum())
    score = left_found + 0.5 * right_found + 0.4 * alike + 0.4 * unique
    return ProposedLink(a, b, left_found, right_found, score)
