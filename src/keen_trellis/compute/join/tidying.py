"""Texts compared without what should not matter: once per distinct text, never per row."""

from __future__ import annotations

import re
import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from keen_trellis.plan.text_rules import TEXT_RULES, TextRule

_CACHED = 64

_SPACE = r"[\s\v\x{85}\p{Z}]"  # every space of Unicode, which the class of spaces alone is not
_PIECE = 1 << 18  # bytes
_ASCII_ACTED_ON: dict[TextRule, re.Pattern[bytes]] = {
    "outer spaces": re.compile(rb"\s"),
    "doubled spaces": re.compile(rb"\s"),
    "case": re.compile(rb"[A-Z]"),
    "accents": re.compile(rb"[\x80-\xff]"),
    "punctuation": re.compile(rb"[!-/:-@\[-`{-~]"),
    "invisible": re.compile(rb"[\x00-\x08\x0e-\x1f\x7f]"),
}
"""The ASCII letters that a rule can act on; a text without them is as it was."""


@dataclass(frozen=True, slots=True, eq=False)
class Tidied:
    """A dictionary after rules: its distinct texts, and which of them each entry became.

    Attributes
    ----------
    texts : pyarrow.StringArray
    place : ndarray, shape (entries,)
        For each entry of the dictionary the place of its tidied text.
    """

    texts: pa.StringArray
    place: NDArray[np.intp]


def tidied(dictionary: pa.StringArray, rules: tuple[TextRule, ...]) -> Tidied:
    """Return a dictionary with `rules` applied; kept, since the same one is asked for again."""
    if not rules:
        return Tidied(dictionary, np.arange(len(dictionary)))
    key = (id(dictionary), rules)
    with _cache_free:  # runs and looks ask at the same time, and each may push out the other's
        known = _cache.get(key)
        if known is not None:
            _cache.move_to_end(key)
            return known[1]
    texts = tidy(dictionary, rules)
    encoded = texts.dictionary_encode()
    place = encoded.indices.to_numpy(zero_copy_only=False).astype(np.intp)
    made = Tidied(encoded.dictionary, place)
    with _cache_free:
        # the dictionary is kept with it, so that its id is not given to another one
        _cache[key] = (dictionary, made)
        while len(_cache) > _CACHED:
            _cache.popitem(last=False)
    return made


def tidy(texts: pa.StringArray, rules: tuple[TextRule, ...]) -> pa.StringArray:
    """Return texts without what the rules ignore.

    Case is folded as Unicode says (The Unicode Standard, section 5.18), accents are taken off by
    canonical decomposition (Unicode Standard Annex 15).
    """
    for rule in _ORDER:
        if rule in rules and acts_on(texts, rule):
            texts = _RULES[rule](texts)
    return texts


def acts_on(texts: pa.StringArray, rule: TextRule) -> bool:
    """Whether a rule could change any text; quick, and never wrongly no."""
    letters = _letters(texts)
    return _found(_NOT_ASCII, letters) or _found(_ASCII_ACTED_ON[rule], letters)


def _found(one_byte: re.Pattern[bytes], letters: memoryview) -> bool:
    """Look for a byte piece by piece: a search holds the interpreter's lock to its end."""
    pieces = range(0, len(letters), _PIECE)
    return any(one_byte.search(letters, start, start + _PIECE) for start in pieces)


def _letters(texts: pa.StringArray) -> memoryview:
    buffer = texts.buffers()[2]
    return memoryview(buffer if buffer is not None else b"")


def _fold_case(texts: pa.StringArray) -> pa.StringArray:
    lower = pc.utf8_lower(texts)
    plain = pc.string_is_ascii(texts)
    if pc.all(plain).as_py():
        return lower
    others = texts.filter(pc.invert(plain)).to_pylist()
    folded = pa.array([text.casefold() for text in others], pa.string())
    return pc.replace_with_mask(lower, pc.invert(plain), folded)


def _without_accents(texts: pa.StringArray) -> pa.StringArray:
    apart = pc.utf8_normalize(texts, form="NFD")
    return pc.utf8_normalize(pc.replace_substring_regex(apart, r"\p{Mn}+", ""), form="NFC")


def _replacing(pattern: str, by: str) -> Callable[[pa.StringArray], pa.StringArray]:
    return lambda texts: pc.replace_substring_regex(texts, pattern, by)


_RULES: dict[TextRule, Callable[[pa.StringArray], pa.StringArray]] = {
    "invisible": _replacing(r"[\p{Cf}\x00-\x08\x0e-\x1f\x7f]+", ""),
    "accents": _without_accents,
    "case": _fold_case,
    "punctuation": _replacing(r"[\p{P}\p{S}]+", ""),
    "doubled spaces": _replacing(f"{_SPACE}{{2,}}", " "),
    "outer spaces": _replacing(f"^{_SPACE}+|{_SPACE}+$", ""),
}
_ORDER: tuple[TextRule, ...] = tuple(_RULES)  # what uncovers a space comes before the spaces
_NOT_ASCII = re.compile(rb"[\x80-\xff]")
_cache_free = threading.Lock()
_cache: OrderedDict[tuple[int, tuple[TextRule, ...]], tuple[pa.StringArray, Tidied]] = OrderedDict()

assert set(_ORDER) == set(TEXT_RULES)
