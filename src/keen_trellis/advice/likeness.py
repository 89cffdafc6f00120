"""Values that look like the same thing: why they could be, how alike they are, and how sure it is.

Values are compared as they are once tidied (sure, where only one fits), then by being spelled out
or shortened, then by their letters. No value is compared with all others: values that share rare
runs of three letters, or the first letters of their words, are.
"""

from __future__ import annotations

import math
import re
from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray
from rapidfuzz.distance import Levenshtein

from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, part, quiet
from keen_trellis.compute.join.tidying import tidy
from keen_trellis.compute.likeness import likeness, plain_text
from keen_trellis.plan.text_rules import TEXT_RULES, TextRule

ALIKE_ENOUGH = 0.72
_HARDLY_OTHER = 0.85
"""So alike that nobody need look for a shortening."""
_BEST = 5
_RUN = 3
_COMMON_RUN = 400
"""A run of letters that more values share tells too little to compare them for it."""
_CODE_RUN = 3
"""Words begin to be longer than this; a misspelled one still has most of its letters."""
_CHUNK = 2_000
_SCORES = 1_000_000
"""Worked out at once: 8 MB of them."""
_BLOCK = 80

Parts = list[list[str]]

_PARTS = re.compile(r"\s*[-–—/,;>|]+\s*")
_LETTERS = re.compile(r"[^\W\d_]+")
_FIGURES = re.compile(r"\d+")
_WORDS = re.compile(r"[^\W_]+")
_RULE_NAMES: dict[TextRule, str] = {
    "outer spaces": tr("outer space"),
    "doubled spaces": tr("doubled space"),
    "case": tr("case"),
    "accents": tr("accents"),
    "punctuation": tr("punctuation"),
    "invisible": tr("invisible characters"),
}


LEGAL_FORM, WORD_ORDER = tr("“&” and legal forms"), tr("word order")
SPELLED_OUT, ABBREVIATION = tr("spelled out"), tr("abbreviation")
_USUAL_WORDS = {
    **{"&": "and", "+": "and", "und": "and", "et": "and"},
    **{"limited": "ltd", "incorporated": "inc", "company": "co", "corporation": "corp"},
    **{"brothers": "bros", "saint": "st", "street": "st", "road": "rd", "number": "no"},
}
"""Words of names of firms and places by the short ones that are written in their place."""
_IN_NAMES = re.compile(r"[^\W_]+|[&+]")


def reason_rank(reason: str) -> int:
    """Return how much a reason tells: the less, the surer; letters that are alike come last."""
    ranks = {LEGAL_FORM: 1, WORD_ORDER: 2, SPELLED_OUT: 3, ABBREVIATION: 3}
    return ranks.get(reason, 4 if reason in _OF_LETTERS else 0)


_OF_LETTERS = (tr("misspelled"), tr("similar letters"))


def _in_usual_words(text: str) -> str:
    """Return a text in the short words that are usual in names: “&” is “and”, Limited is Ltd."""
    words = [_USUAL_WORDS.get(word, word) for word in _IN_NAMES.findall(text.casefold())]
    return " ".join(words)


@dataclass(frozen=True, slots=True)
class Likeness:
    """Why one value could be another.

    Attributes
    ----------
    other : int
        The place of the other value.
    reason : str
        In words: “outer space”, “spelled out”, “misspelled” ...
    share : float
        How alike they are, 0 to 1.
    safe : bool
        Equal once tidied, and to no other value.
    """

    other: int
    reason: str
    share: float
    safe: bool


def likely_partners(
    values: Sequence[str], others: Sequence[str], report: Report = quiet
) -> dict[int, Likeness]:
    """Return for the place of a value the most likely one among others, where there is one.

    Parameters
    ----------
    values, others : sequences of different texts
        No value is among the others.

    Raises
    ------
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    report(
        0.0,
        tr(
            "Looking for {values:,} values among {others:,}", values=len(values), others=len(others)
        ),
    )
    found = _equal_once_tidied(values, others)
    left = [n for n in range(len(values)) if n not in found]
    misspelled = _misspelled(values, others, left, part(report, 0.2, 0.6))
    left = [n for n in left if n not in misspelled or misspelled[n].share < _HARDLY_OTHER]
    return found | misspelled | _shortened(values, others, left, part(report, 0.6, 1.0))


def explained(value: str, other: str) -> Likeness:
    """Return why one value could be another, for two values alone."""
    found = _equal_once_tidied([value], [other]) or _shortened([value], [other], [0], quiet)
    if found:
        return found[0]
    return Likeness(0, tr("similar letters"), likeness(value, other), False)


def _equal_once_tidied(values: Sequence[str], others: Sequence[str]) -> dict[int, Likeness]:
    """Find values that differ by what does not matter, by the least that has to be ignored."""
    a, b = pa.array(values, pa.string()), pa.array(others, pa.string())
    found: dict[int, Likeness] = {}
    # spaces and invisible characters may be ignored in anything; what is made of figures alone is
    # only a number written otherwise; and no way makes other figures of the ones that are there
    plain = {tr("outer space"), tr("doubled space"), tr("invisible characters")}
    plain |= {tr("leading zeros"), tr("a number written otherwise")}
    ways: list[tuple[str, Callable[[pa.StringArray], Iterable[str]]]] = [
        *((_RULE_NAMES[rule], partial(_tidied, (rule,))) for rule in TEXT_RULES),
        (tr("spaces and case"), partial(_tidied, TEXT_RULES[:3])),
        (tr("leading zeros"), lambda t: [_without_zeros(x) for x in t.to_pylist()]),
        (tr("a number written otherwise"), lambda t: [_as_number(x) for x in t.to_pylist()]),
        (tr("several small differences"), partial(_tidied, TEXT_RULES)),
        (LEGAL_FORM, lambda t: [_in_usual_words(x) for x in tidy(t, TEXT_RULES[:4]).to_pylist()]),
        (WORD_ORDER, lambda t: [_sorted_words(x) for x in tidy(t, TEXT_RULES[:4]).to_pylist()]),
    ]
    for reason, way in ways:
        places = defaultdict(list)
        for place, key in enumerate(way(b)):
            places[key].append(place)
        for place, key in enumerate(way(a)):
            if key and place not in found and (fitting := places.get(key)):
                value, other = values[place], others[fitting[0]]
                if reason not in plain and not _may_look_alike(value, other):
                    continue
                safe = len(fitting) == 1 and reason not in (WORD_ORDER, LEGAL_FORM)
                found[place] = Likeness(fitting[0], reason, 1.0, safe)
    return found


def _may_look_alike(value: str, other: str) -> bool:
    """Whether likeness says anything: not of numbers and dates, nor of codes of other figures."""
    letters = any(c.isalpha() for c in value) and any(c.isalpha() for c in other)
    return letters and _FIGURES.findall(value) == _FIGURES.findall(other)


def _is_code(value: str) -> bool:
    """Whether a value is made of short runs of letters, such as KP-BR: another letter, another."""
    return max(map(len, _LETTERS.findall(value)), default=0) <= _CODE_RUN


def _shortened(
    values: Sequence[str], others: Sequence[str], left: Sequence[int], report: Report
) -> dict[int, Likeness]:
    """Find values whose parts are shortenings of each other: KP-BR, Kelp Pt-Brae, Kelp Point-Brae.

    Only values whose words begin alike are compared.
    """
    theirs = [_parts(other) for other in others]
    by_beginning = defaultdict(list)
    for place, parts in enumerate(theirs):
        for beginning in _beginnings(parts):
            by_beginning[beginning].append(place)
    found = {}
    for number, n in enumerate(left):
        if number % _CHUNK == 0:
            report(
                number / len(left),
                tr(
                    "Comparing shortened value {number:,} of {left:,}",
                    number=number,
                    left=len(left),
                ),
            )
        mine = _parts(values[n])
        places = {p for key in _beginnings(mine) for p in by_beginning.get(key, ())[:_BLOCK]}
        best = Likeness(-1, "", 0.0, False)
        for place in places:
            share = _shortening(mine, theirs[place])
            if share > best.share and _may_look_alike(values[n], others[place]):
                longer = len(values[n]) > len(others[place])
                best = Likeness(place, SPELLED_OUT if longer else ABBREVIATION, share, False)
        if best.share:
            found[n] = best
    return found


def _misspelled(
    values: Sequence[str], others: Sequence[str], left: Sequence[int], report: Report
) -> dict[int, Likeness]:
    """Find values of nearly the same letters.

    Candidates are those that share most of the rarer runs of three letters, found by an index of
    which values have each run; the letters are then compared by their edits (V. Levenshtein,
    “Binary codes capable of correcting deletions, insertions and reversals”, Soviet Physics
    Doklady 10, 1966).
    """
    if not left or not others:
        return {}
    mine, theirs = [plain_text(values[n]) for n in left], list(map(plain_text, others))
    having: dict[str, list[int]] = defaultdict(list)
    for place, other in enumerate(theirs):
        for run in _runs(other):
            having[run].append(place)
    # which values have a run, and what it tells: nothing where too many have it
    rare = {
        run: (np.array(places), 1.0 / math.sqrt(len(places)))
        for run, places in having.items()
        if len(places) <= _COMMON_RUN
    }
    found: dict[int, Likeness] = {}
    at_once = max(_SCORES // len(others), 1)
    for start in range(0, len(left), at_once):
        report(
            start / len(left),
            tr("Comparing value {start:,} of {left:,}", start=start, left=len(left)),
        )
        texts = mine[start : start + at_once]
        for n, text, scores in zip(
            left[start:], texts, _scores(texts, rare, len(others)), strict=False
        ):
            for place in _best(scores):
                share = _letters_alike(text, theirs[place])
                if share >= ALIKE_ENOUGH and (n not in found or share > found[n].share):
                    found[n] = Likeness(int(place), tr("misspelled"), share, False)
    return found


def _scores(
    texts: Sequence[str], rare: Mapping[str, tuple[NDArray[np.intp], float]], n: int
) -> NDArray[np.float64]:
    """Return for each text and each of `n` others what the rare runs that both have tell.

    All of them are added up in one pass: a text and an other have the place row * n + other.
    """
    # A run that a text has twice, or another has twice, counts that often, as in a product of
    # the two tables of counts.
    told = [
        (row, *rare[run]) for row, text in enumerate(texts) for run in _runs(text) if run in rare
    ]
    if not told:
        return np.zeros((len(texts), n))
    lengths = [len(places) for _, places, _ in told]
    where = np.repeat([row * n for row, _, _ in told], lengths)
    where += np.concatenate([places for _, places, _ in told])
    weights = np.repeat([weight for _, _, weight in told], lengths)
    scores = np.asarray(np.bincount(where, weights, minlength=len(texts) * n), np.float64)
    return scores.reshape(len(texts), n)


def _best(scores: NDArray[np.float64]) -> NDArray[np.intp]:
    """Return the places of the highest scores, of equal ones the first; none that is 0."""
    places = np.flatnonzero(scores > 0)
    told = scores[places]
    if len(places) > _BEST:
        # all that are level with the last one stay, so that of equals the first are taken
        enough = told >= np.partition(told, -_BEST)[-_BEST]
        places, told = places[enough], told[enough]
    return places[np.argsort(-told, kind="stable")[:_BEST]]


def _runs(text: str) -> list[str]:
    """Return the runs of three letters of a text, one that it has twice twice."""
    padded = f" {text} "
    return [padded[n : n + _RUN] for n in range(len(padded) - _RUN + 1)]


def _letters_alike(value: str, other: str) -> float:
    """Return how alike two plain texts are; in codes and figures no letter is a slip of the pen."""
    if not _may_look_alike(value, other) or _is_code(value) or _is_code(other):
        return 0.0
    return float(Levenshtein.normalized_similarity(value, other))


def _shortening(mine: Parts, theirs: Parts) -> float:
    """Return how alike two values are whose parts shorten each other; 0 where they do not."""
    if len(mine) != len(theirs):
        return 0.0
    total = 0.0
    for a, b in zip(mine, theirs, strict=True):
        short, long = (a, b) if sum(map(len, a)) <= sum(map(len, b)) else (b, a)
        if not _is_shortening(short, long):
            return 0.0
        total += 0.6 + 0.4 * sum(map(len, short)) / max(sum(map(len, long)), 1)
    return total / len(mine)


def _is_shortening(short: list[str], long: list[str]) -> bool:
    """Whether words shorten others: word by word, or as one word of the others' first letters."""
    if len(short) == len(long):
        return all(a[:1] == b[:1] and _in_order(a, b) for a, b in zip(short, long, strict=True))
    if len(short) == 1 and long:
        heads = "".join(word[0] for word in long)
        return short[0].startswith(heads) or heads.startswith(short[0])
    return False


def _in_order(letters: str, word: str) -> bool:
    """Whether all letters stand in a word in their order."""
    rest = iter(word)
    return all(letter in rest for letter in letters)


def _beginnings(parts: Parts) -> Iterable[str]:
    """Yield what values that shorten each other have in common: how their words begin."""
    if sum(map(len, parts)) > 1:
        yield "words " + "|".join("".join(word[0] for word in words) for words in parts)
    yield "parts " + "|".join(_two_letters(words) for words in parts)
    if len(parts) == 1 and len(parts[0]) == 1:
        yield tr(
            "ends {parts_1_1_1}{parts_1_1}", parts_1_1_1=parts[0][0][0], parts_1_1=parts[0][0][-1]
        )


def _two_letters(words: list[str]) -> str:
    if len(words) > 1:
        return words[0][0] + words[1][0]
    return words[0][:2] if words else ""


def _parts(text: str) -> Parts:
    """Return the words of each part of a value."""
    return [_words(part) for part in _PARTS.split(text)]


def _words(text: str) -> list[str]:
    return [word.casefold() for word in _WORDS.findall(text)]


def _tidied(rules: tuple[TextRule, ...], texts: pa.StringArray) -> list[str]:
    return list(tidy(texts, rules).to_pylist())


def _without_zeros(text: str) -> str:
    return re.sub(r"(?<!\d)0+(?=\d)", "", text.strip())


def _as_number(text: str) -> str:
    """Return a number in its plain writing; empty for what is no number."""
    plain = text.strip().replace(" ", "")
    if not re.fullmatch(r"[+-]?\d+([.,]\d+)?", plain):
        return ""
    sign = "-" if plain.startswith("-") else ""
    whole, _, decimals = plain.lstrip("+-").replace(",", ".").partition(".")
    decimals = decimals.rstrip("0")
    return f"{sign}{whole.lstrip('0') or '0'}{'.' + decimals if decimals else ''}"


def _sorted_words(text: str) -> str:
    """Return the words between spaces and commas in one order; empty for a single word.

    A hyphen does not part words here: a route there is not the route back.
    """
    words = sorted(word for word in re.split(r"[\s,]+", text) if word)
    return " ".join(words) if len(words) > 1 else ""
