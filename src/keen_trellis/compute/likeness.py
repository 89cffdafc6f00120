"""How alike two texts are, from 0 to 1: as pairs are judged, and as LIKENESS gives it."""

from __future__ import annotations

import unicodedata


def plain_text(text: str) -> str:
    """Return a text without case, accents and doubled or outer spaces."""
    apart = unicodedata.normalize("NFD", text.casefold())
    return " ".join("".join(c for c in apart if unicodedata.category(c) != "Mn").split())


def likeness(text: str, other: str) -> float:
    """Return the share of letters that two plain texts have in common, in their order.

    The ratio of the longest common subsequence to both lengths (Indel distance, RapidFuzz); 1 where
    only case, accents or spaces differ.
    """
    # A package of its own, which a worker of a cluster does not have.
    from rapidfuzz import fuzz

    return fuzz.ratio(plain_text(text), plain_text(other)) / 100
