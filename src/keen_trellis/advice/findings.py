"""What an expert would notice at a tie, with the remedy and what it would win, counted."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import islice
from typing import Literal

import numpy as np

from keen_trellis.advice.pairs import propose_pairs, with_pairs
from keen_trellis.advice.proposals import ProposedLink, propose_links
from keen_trellis.base.errors import KindsDifferError, LinkError, TooManyRowsError
from keen_trellis.base.language import grouped_digits, tr, tr_n
from keen_trellis.base.progress import Report, quiet
from keen_trellis.base.words import counted, listed, rows_of
from keen_trellis.compute.join.pairing import Names, equal_codes, field_columns, paired
from keen_trellis.compute.join.tidying import acts_on
from keen_trellis.compute.join_result import Tied
from keen_trellis.data import BLANK, Column, Kind, Table
from keen_trellis.plan.bays import Bay, Keep, keep_of
from keen_trellis.plan.counts import Counts
from keen_trellis.plan.link import Link, LinkField, Pair
from keen_trellis.plan.text_rules import RULE_WORDS, TEXT_RULES, TextRule

_VALUES_FOR_PAIRS = 2_000
_OTHERS_FOR_PAIRS = 20_000
_LIKELY_PAIRS = 3
"""What is only likely is decided one by one: more than a few would hide the rest."""
_CLEARLY_BETTER = 1.2
_RULES_NAMED = 2
"""With more rules than this a finding says what is the matter in short."""


@dataclass(frozen=True, slots=True)
class Remedy:
    """A change that mends what was found.

    Attributes
    ----------
    label : str
        What it does, as a button says it.
    wins : int
        Rows that find a partner with it, stay with it, or are no longer multiplied.
    link : Link or None
        The link to take instead.
    keep : Keep or None
        The bays to keep instead.
    """

    label: str
    wins: int
    link: Link | None = None
    keep: Keep | None = None


@dataclass(frozen=True, slots=True)
class Shows:
    """Where the rows of a finding are seen.

    Attributes
    ----------
    bay : Bay
    column : str
        The column that tells them; empty where it is the whole bay.
    what : "value", "blank" or "sorted"
        They have a value, they are blank, or equal values stand together.
    value : str
    """

    bay: Bay
    column: str = ""
    what: Literal["value", "blank", "sorted"] = "value"
    value: str = ""


Topic = Literal[
    "better fields",
    "blank keys",
    "compound link",
    "date against date-time",
    "kinds differ",
    "leading zeros",
    "likely pair",
    "nothing found",
    "rows multiply",
    "rows vanish",
    "safe pairs",
    "texts differ",
]


@dataclass(frozen=True, slots=True)
class Finding:
    """Something noticed at a tie.

    Attributes
    ----------
    topic : Topic
        What it is about, the same for every finding of its sort.
    text : str
        One sentence.
    rows : int
        The rows that it concerns.
    remedy : Remedy or None
    shows : Shows or None
    whole : str
        All that can be said, where `text` is the short of it.
    """

    topic: Topic
    text: str
    rows: int
    remedy: Remedy | None = None
    shows: Shows | None = None
    whole: str = ""

    @property
    def value(self) -> tuple[int, int]:
        """How much there is to win; the larger, the sooner it is shown."""
        return (self.remedy.wins if self.remedy else 0, self.rows)


def findings(tie: Tied, report: Report = quiet) -> list[Finding]:
    """Return what is worth knowing about a tie, the most valuable first.

    Raises
    ------
    Cancelled
        Raised by `report` once the user has asked to stop.
    """
    found: list[Finding] = []
    sorts = (
        _text_differs,
        _numbers_as_text,
        _pairs,
        _other_fields,
        _blank_keys,
        _rows_multiply,
        _rows_vanish,
        _days_and_moments,
    )
    for number, look in enumerate(sorts):
        report(number / len(sorts), tr("Looking for what stands out"))
        found += look(tie)
    return sorted(found, key=lambda finding: finding.value, reverse=True)


def conversions(left: Table, right: Table, link: Link, names: Names) -> list[Finding]:
    """Return a finding for fields whose kinds cannot be compared, with the best conversion.

    Raises
    ------
    LinkError
        The link cannot be matched for another reason.
    """
    try:
        paired(left, right, link, names)
    except KindsDifferError as error:
        place = next(n for n, f in enumerate(link.fields) if (f.left, f.right) == error.fields)
        tried = [
            _compared_as(left, right, link, place=place, kind=kind) for kind in _as_kinds(error)
        ]
        best_link, found = max(tried, key=lambda pair: pair[1])
        kind = best_link.fields[place].compare_as
        remedy = (
            Remedy(
                tr("Compare both as {kind}: +{found:,}", kind=kind, found=found), found, best_link
            )
            if found
            else None
        )
        return [Finding("kinds differ", error.happened, len(left), remedy)]
    return []


def text_rule_gains(tie: Tied) -> dict[TextRule, int]:
    """Return for every text rule not chosen how many more left rows it would find alone."""
    gains = _Gains(tie)
    return {r: gains.of((*tie.link.text, r)) for r in TEXT_RULES if r not in tie.link.text}


def gains_of_rules(
    tie: Tied, choices: Iterable[tuple[TextRule, ...]]
) -> dict[tuple[TextRule, ...], int]:
    """Return how many more left rows are found with each choice of rules that adds to those now."""
    gains, now = _Gains(tie), set(tie.link.text)
    return {rules: gains.of(rules) for rules in choices if now < set(rules)}


class _Gains:
    """Counts how many more rows a link with more rules, pairs or matching blanks finds.

    What it says is what matching with that link gives. Where every field is compared by “equals”
    and each left row takes its own partners, a row that is found stays found, so only the others
    are looked at; else the whole is matched.
    """

    def __init__(self, tie: Tied) -> None:
        self._tie = tie
        self._rest = tie.left.take(tie.match.left_only)
        self._columns = [
            field_columns(tie.left, tie.right, f, tie.names) for f in tie.link.equal_fields
        ]
        link = tie.link
        # A row keeps its own partners under more rules only where no other row takes them from
        # it, and no second comparison is made.
        of_its_own = link.partner == "every" or (
            link.partner in ("first", "last") and link.partner_for == "left"
        )
        self._only_rest = of_its_own and len(link.equal_fields) == len(link.fields)

    def of(self, rules: tuple[TextRule, ...]) -> int:
        """Return how many more rows the link finds with `rules`."""
        added = [rule for rule in rules if rule not in self._tie.link.text]
        if not any(self._acts(rule) for rule in added):
            return 0
        return self.of_link(self._tie.link.with_text(rules))

    def of_link(self, link: Link) -> int:
        """Return how many more rows another link finds; less than none where it loses some."""
        tie = self._tie
        if not self._only_rest:
            counts = _counts(tie, link)
            return counts.left.found - tie.counts.left.found if counts else 0
        codes = equal_codes(self._rest, tie.right, link, tie.names)
        in_right = np.zeros(codes.size + 1, bool)
        in_right[codes.right] = True
        in_right[-1] = False  # where the code of rows without a key points
        return int(np.count_nonzero(in_right[codes.left]))

    def _acts(self, rule: TextRule) -> bool:
        return any(
            column.dictionary is not None and acts_on(column.dictionary, rule)
            for pair in self._columns
            for column in pair
        )


def _text_differs(tie: Tied) -> Iterator[Finding]:
    if tie.counts.left.not_found == 0 or not tie.link.equal_fields:
        return
    gains = _Gains(tie)
    alone = {r: gains.of((*tie.link.text, r)) for r in TEXT_RULES if r not in tie.link.text}
    rules = tuple(rule for rule, rows in alone.items() if rows > 0)
    together = gains.of((*tie.link.text, *alone))
    if together <= 0:
        return
    # Rules that win nothing alone may win together with another (an accent within a capital):
    # then all are proposed.
    if gains.of((*tie.link.text, *rules)) < together:
        rules = tuple(alone)
    words = whole_words = listed([RULE_WORDS[rule] for rule in rules])
    if len(rules) > _RULES_NAMED:  # what is usual has a short name; all of it stands in `whole`
        words = tr("how they are written")
    text = tr_n(
        together,
        "{rows} differs from a value of {other}",
        "{rows} differ from a value of {other}",
        rows=rows_of(together, tie.names[0]),
        other=tie.names[1],
    )
    label = tr("Ignore that") if len(rules) > _RULES_NAMED else tr("Ignore {words}", words=words)
    link = tie.link.with_text((*tie.link.text, *rules))
    yield Finding(
        "texts differ",
        tr("{text} only by {words}.", text=text, words=words),
        together,
        Remedy(f"{label}: +{grouped_digits(together)}", together, link),
        shows=Shows(Bay.LEFT),
        whole=tr("{text} only by {whole_words}.", text=text, whole_words=whole_words),
    )


def _numbers_as_text(tie: Tied) -> Iterator[Finding]:
    """Find codes that differ by leading zeros, or are numbers on one side's paper only."""
    if tie.counts.left.not_found == 0:
        return
    for place, field in enumerate(tie.link.fields):
        kinds = tie.left.field(field.left).kind, tie.right.field(field.right).kind
        if field.operator != "=" or kinds != (Kind.TEXT, Kind.TEXT) or field.compare_as:
            continue
        if not all(_looks_numeric(tie, field)):
            continue
        link, found = _compared_as(
            tie.left, tie.right, tie.link, place=place, kind=Kind.INTEGER, names=tie.names
        )
        more = found - tie.counts.left.found
        if more > 0:
            yield Finding(
                "leading zeros",
                tr_n(
                    more,
                    "{rows} differs from a value of {other} only by leading zeros or by how the "
                    "number is written.",
                    "{rows} differ from a value of {other} only by leading zeros or by how the "
                    "number is written.",
                    rows=rows_of(more, tie.names[0]),
                    other=tie.names[1],
                ),
                more,
                Remedy(tr("Compare both as integers: +{more:,}", more=more), more, link),
                shows=Shows(Bay.LEFT),
            )


def _pairs(tie: Tied) -> Iterator[Finding]:
    """Find values without a partner that look like one, where there are not too many to compare."""
    side = tie.counts
    # Every value without a partner is compared with every one of the other side.
    few = side.left.distinct - side.left.distinct_found <= _VALUES_FOR_PAIRS
    if side.left.not_found == 0 or not few or side.right.distinct > _OTHERS_FOR_PAIRS:
        return
    proposed, gains = propose_pairs(tie), _Gains(tie)
    safe = [pair for pair in proposed if pair.safe]
    rows = gains.of_link(with_pairs(tie.link, safe)) if safe else 0
    if rows > 0:
        yield Finding(
            "safe pairs",
            tr_n(
                len(safe),
                "{n} {own} value without a partner is surely a value of {other}, "
                "written otherwise.",
                "{n:,} {own} values without a partner are surely a value of {other}, "
                "written otherwise.",
                own=tie.names[0],
                other=tie.names[1],
            ),
            rows,
            Remedy(tr("Take as pairs: +{rows:,}", rows=rows), rows, with_pairs(tie.link, safe)),
            shows=Shows(Bay.LEFT),
        )
    told = 0
    for found in (pair for pair in proposed if not pair.safe):
        # each is counted alone: pairs may share rows, and what is said of one must be its own
        rows = gains.of_link(with_pairs(tie.link, [found])) if told < _LIKELY_PAIRS else 0
        if rows > 0:
            told += 1
            yield Finding(
                "likely pair",
                tr(
                    "“{left}” looks like “{right}” of {names_2} ({filter}).",
                    left=found.pair.left,
                    right=found.pair.right,
                    names_2=tie.names[1],
                    filter=", ".join(filter(None, (found.reason, found.how_alike))),
                ),
                rows,
                Remedy(tr("The same: +{rows:,}", rows=rows), rows, with_pairs(tie.link, [found])),
                shows=Shows(
                    Bay.LEFT, tie.link.fields[found.pair.field].left, value=found.pair.left
                ),
            )


def _other_fields(tie: Tied) -> Iterator[Finding]:
    """Find that other fields link more rows, or that one more field keeps rows from multiplying."""
    counts, link = tie.counts, tie.link
    if link.cross or len(link.equal_fields) != len(link.fields):
        return
    # A tie that finds nearly all and doubles none needs no other fields.
    if counts.left.found >= 0.9 * counts.left.rows and not counts.left.multiplied:
        return
    proposals = propose_links(tie.left, tie.right, names=tie.names)
    yield from _better_fields(tie, proposals)
    if counts.left.multiplied:
        single = (one.fields[0] for one in proposals if len(one.fields) == 1)
        more = (field for field in single if field not in link.fields)
        compound = (_compound(tie, field) for field in more)
        yield from islice(filter(None, compound), 1)


def _better_fields(tie: Tied, proposals: Sequence[ProposedLink]) -> Iterator[Finding]:
    """Find one of the first two proposals that links clearly more rows, or that nothing links."""
    counts, link = tie.counts, tie.link
    others = (
        replace(link, fields=proposed.fields, pairs=())
        for proposed in proposals[:2]
        if proposed.fields != link.fields
    )
    better = None
    for other in others:
        found = _counts(tie, other)
        if found and found.left.found > _CLEARLY_BETTER * counts.left.found:
            better = other, found.left.found
            break
    fields = _field_words(link)
    if counts.pairs == 0:
        text = tr("No row finds a partner: {fields} have no value in common.", fields=fields)
        yield Finding("nothing found", text, counts.left.rows, _as_remedy(better, 0))
    elif better is not None:
        text = tr("Other fields find more rows than {fields}.", fields=fields)
        yield Finding("better fields", text, better[1], _as_remedy(better, counts.left.found))


def _compound(tie: Tied, field: LinkField) -> Finding | None:
    """Say that no row multiplies with one more field; None where some do, or many are lost."""
    counts = tie.counts
    compound = replace(tie.link, fields=(*tie.link.fields, field))
    found = _counts(tie, compound)
    if found is None or found.left.multiplied or found.left.found < 0.9 * counts.left.found:
        return None
    rows = counts.left.multiplied
    return Finding(
        "compound link",
        tr(
            "{field_words} alone lets {rows} multiply; together with {left} no row does.",
            field_words=_field_words(tie.link),
            rows=rows_of(rows, tie.names[0]),
            left=field.left,
        ),
        rows,
        Remedy(
            tr(
                "Add {left} = {right}: {rows} once",
                left=field.left,
                right=field.right,
                rows=counted(rows, "row"),
            ),
            rows,
            compound,
        ),
    )


def _field_words(link: Link) -> str:
    return listed(
        [tr("{left} with {right}", left=field.left, right=field.right) for field in link.fields]
    )


def _blank_keys(tie: Tied) -> Iterator[Finding]:
    counts = tie.counts
    if tie.link.blanks == "match" or not counts.left.blank:
        return
    remedy = None
    if counts.right.blank and tie.link.equal_fields:
        link = replace(tie.link, blanks="match")
        wins = _Gains(tie).of_link(link)
        if wins > 0:
            remedy = Remedy(tr("Let blanks match: +{wins:,}", wins=wins), wins, link)
    fields = listed([field.left for field in tie.link.fields])
    text = tr_n(
        counts.left.blank,
        "{rows} has a blank in {fields} and matches nothing.",
        "{rows} have a blank in {fields} and match nothing.",
        rows=rows_of(counts.left.blank, tie.names[0]),
        fields=fields,
    )
    blank = (f.left for f in tie.link.fields if tie.left.column(f.left).count(BLANK))
    column = next(blank, "")
    shows = Shows(Bay.LEFT, column, "blank") if column else Shows(Bay.LEFT)
    yield Finding("blank keys", text, counts.left.blank, remedy, shows)


def _rows_multiply(tie: Tied) -> Iterator[Finding]:
    rows = tie.counts.left.multiplied
    if not rows or tie.link.cross or Bay.BOTH not in tie.keep:
        return
    doubled = _doubled_columns(tie)
    totals = (
        tr(" Totals of {doubled} would count them again.", doubled=listed(doubled))
        if doubled
        else ""
    )
    link = replace(tie.link, partner="first", partner_for="left")
    fewer = _rows_fewer(tie, link)
    remedy = Remedy(
        tr("Take the first match only: {rows} fewer", rows=counted(fewer, "row")), rows, link
    )
    text = tr_n(
        rows,
        "{rows} stands more than once, since {other} repeats.",
        "{rows} stand more than once, since {other} repeats.",
        rows=rows_of(rows, tie.names[0]),
        other=tie.names[1],
    )
    shows = Shows(Bay.BOTH, tie.link.fields[0].left, "sorted") if tie.link.fields else None
    found = remedy if fewer > 0 else None
    yield Finding("rows multiply", text + totals, rows, found, shows)


def _rows_fewer(tie: Tied, link: Link) -> int:
    """Return how many rows fewer go on with a link that takes the first match of each left row."""
    if tie.link.partner == "every" and Bay.RIGHT not in tie.keep:
        return tie.counts.pairs - tie.counts.left.found  # one is left of each row's several
    counts = _counts(tie, link)
    return tie.counts.rows(tie.keep) - counts.rows(tie.keep) if counts else 0


def _rows_vanish(tie: Tied) -> Iterator[Finding]:
    lost = tie.counts.left.not_found
    if lost and Bay.LEFT not in tie.keep and Bay.BOTH in tie.keep:
        keep = keep_of((*tie.keep, Bay.LEFT))
        yield Finding(
            "rows vanish",
            tr_n(
                lost,
                "{rows} without a match does not go on.",
                "{rows} without a match do not go on.",
                rows=rows_of(lost, tie.names[0]),
            ),
            lost,
            Remedy(tr("Keep them, with gaps: +{lost:,}", lost=lost), lost, keep=keep),
            shows=Shows(Bay.LEFT),
        )


def _days_and_moments(tie: Tied) -> Iterator[Finding]:
    for field in tie.link.fields:
        kinds = {tie.left.field(field.left).kind, tie.right.field(field.right).kind}
        if kinds == {Kind.DATE, Kind.DATE_TIME}:
            text = tr(
                "{left} and {right} are compared by their day: one has no time.",
                left=field.left,
                right=field.right,
            )
            yield Finding("date against date-time", text, tie.counts.left.rows)


def _doubled_columns(tie: Tied) -> list[str]:
    rows = np.flatnonzero(tie.match.partners > 1)
    linked = {field.left for field in tie.link.fields}
    amounts = [f for f in tie.left.fields if f.kind.is_numeric and f.name not in linked]
    multiplied = tie.left.take(rows)
    return [f.name for f in amounts if multiplied.fetch(f).count(0)]


def _looks_numeric(tie: Tied, field: LinkField) -> Iterator[bool]:
    """Tell of each side whether its first texts are numbers for the most part."""
    for column in field_columns(tie.left, tie.right, field, tie.names):
        texts = _first_texts(column)
        yield sum(t.strip().lstrip("+-").isdigit() for t in texts) > len(texts) / 2


def _first_texts(column: Column) -> list[str]:
    assert column.dictionary is not None
    return list(column.dictionary.slice(0, 200).to_pylist())


def _shown_value(tie: Tied, pair: Pair) -> Shows:
    return Shows(Bay.LEFT, tie.link.fields[pair.field].left, value=pair.left)


def _as_kinds(error: KindsDifferError) -> list[Kind]:
    kinds = [Kind(kind) for kind in error.kinds]
    return [*(k for k in kinds if k is not Kind.TEXT), Kind.TEXT]


def _compared_as(
    left: Table, right: Table, link: Link, place: int, kind: Kind, names: Names = ("", "")
) -> tuple[Link, int]:
    """Return the link with one field compared as a kind, and the rows that it finds."""
    fields = list(link.fields)
    fields[place] = replace(fields[place], compare_as=kind)
    changed = replace(link, fields=tuple(fields))
    try:
        return changed, paired(left, right, changed, names).counts.left.found
    except LinkError:  # a second field differs too
        return changed, 0


def _counts(tie: Tied, link: Link) -> Counts | None:
    try:
        return paired(tie.left, tie.right, link, tie.names).counts
    except (LinkError, TooManyRowsError):
        # A link that cannot be made is no remedy; why it cannot is said where somebody makes it.
        return None


def _as_remedy(better: tuple[Link, int] | None, found: int) -> Remedy | None:
    if better is None:
        return None
    link, rows = better
    words = listed([f"{f.left} = {f.right}" for f in link.fields])
    return Remedy(tr("Link {words}: +{rows:,}", words=words, rows=rows - found), rows - found, link)
