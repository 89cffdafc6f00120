"""The one registry of what a formula can do: names, kinds, meanings, examples.

The checker, the completion of the editor, the table in the guide and the tests are made from it.
How each is worked out on columns stands in `compute/formula`, by the same names.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

from keen_trellis.base.language import tr
from keen_trellis.data import Kind
from keen_trellis.data.kinds import BY_DAY, NUMERIC, widest

Kinds = tuple[Kind, ...]
Group = Literal["text", "numbers", "dates and times", "comparisons", "choices", "kinds"]

TEXT: Kinds = (Kind.TEXT,)
WHOLE: Kinds = (Kind.INTEGER,)
NUMBERS: Kinds = NUMERIC
COUNTED: Kinds = (Kind.INTEGER, Kind.EXACT)
DAYS: Kinds = BY_DAY
MOMENTS: Kinds = (*BY_DAY, Kind.TIME)
TRUTH: Kinds = (Kind.BOOLEAN,)
ANY: Kinds = tuple(Kind)


@dataclass(frozen=True, slots=True)
class Takes:
    """One way to apply a function: the kinds of its arguments, and the kind of what it gives.

    Attributes
    ----------
    kinds : tuple of tuples of Kind
        For each argument the kinds that it may have.
    gives : callable
        Takes the kinds of the arguments.
    optional : int
        How many of the last arguments may be left out.
    many : bool
        Whether the last one may be repeated.
    """

    kinds: tuple[Kinds, ...]
    gives: Callable[[Sequence[Kind]], Kind]
    optional: int = 0
    many: bool = False

    def fits_count(self, n: int) -> bool:
        """Whether it can be applied to so many arguments."""
        return len(self.kinds) - self.optional <= n and (self.many or n <= len(self.kinds))

    def at(self, place: int) -> Kinds:
        """Return the kinds that the argument at a place may have."""
        # Where the last argument may be repeated, it stands for all behind it.
        return self.kinds[min(place, len(self.kinds) - 1)]


@dataclass(frozen=True, slots=True)
class Function:
    """One thing that a formula can do.

    Attributes
    ----------
    name : str
    form : str
        How it is written.
    means : str
        What it gives, in a sentence.
    group : Group
    takes : tuple of Takes
    examples : tuple of (formula, what it gives written as text; None for a blank)
    """

    name: str
    form: str
    means: str
    group: Group
    takes: tuple[Takes, ...]
    examples: tuple[tuple[str, str | None], ...]


def fixed(kind: Kind) -> Callable[[Sequence[Kind]], Kind]:
    """Return what always gives one kind."""
    return lambda kinds: kind


def first(kinds: Sequence[Kind]) -> Kind:
    """Return the kind of the first argument."""
    return kinds[0]


_text, _truth, _whole = fixed(Kind.TEXT), fixed(Kind.BOOLEAN), fixed(Kind.INTEGER)
_number, _exact = fixed(Kind.NUMBER), fixed(Kind.EXACT)
_ARITHMETIC = Takes((NUMBERS, NUMBERS), widest)
_COMPARED = (
    Takes((TEXT, TEXT), _truth),
    Takes((NUMBERS, NUMBERS), _truth),
    Takes((DAYS, DAYS), _truth),
    Takes(((Kind.TIME,), (Kind.TIME,)), _truth),
    Takes((TRUTH, TRUTH), _truth),
)


def _of(
    name: str,
    form: str,
    means: str,
    group: Group,
    takes: Takes | tuple[Takes, ...],
    *examples: tuple[str, str | None],
) -> Function:
    ways = takes if isinstance(takes, tuple) else (takes,)
    return Function(name, form, means, group, ways, examples)


def _compares(name: str, means: str, *examples: tuple[str, str | None]) -> Function:
    return _of(name, f"a {name} b", means, "comparisons", _COMPARED, *examples)


_ALL = (
    _of(
        "+",
        "a + b",
        tr("The sum; with a date, so many days or an INTERVAL later."),
        "numbers",
        (_ARITHMETIC, Takes(((Kind.DATE,), WHOLE), first)),
        ("2 + 0.50", "2.50"),
        ("DATE '2026-01-30' + 3", "2026-02-02"),
        ("DATE '2026-01-31' + INTERVAL '1' MONTH", "2026-02-28"),
    ),
    _of(
        "-",
        "a - b",
        tr(
            "The difference; of two dates the days between, of a date so many days or an INTERVAL "
            "earlier."
        ),
        "numbers",
        (
            _ARITHMETIC,
            Takes(((Kind.DATE,), (Kind.DATE,)), _whole),
            Takes(((Kind.DATE,), WHOLE), first),
            Takes((NUMBERS,), first),
        ),
        ("2 - 0.5", "1.5"),
        ("DATE '2026-03-01' - DATE '2026-02-01'", "28"),
    ),
    _of("*", "a * b", tr("The product."), "numbers", _ARITHMETIC, ("1.5 * 3", "4.5")),
    _of(
        "/",
        "a / b",
        tr("The quotient as a number, with nothing dropped; a blank where b is zero."),
        "numbers",
        Takes((NUMBERS, NUMBERS), _number),
        ("7 / 2", "3.5"),
        ("7 / 0", None),
    ),
    _of(
        "DIV",
        "DIV(a, b)",
        tr("The quotient without what is behind the decimal mark; a blank where b is zero."),
        "numbers",
        Takes((COUNTED, COUNTED), widest),
        ("DIV(7, 2)", "3"),
        ("DIV(-7, 2)", "-3"),
    ),
    _of(
        "MOD",
        "MOD(a, b)",
        tr(
            "What is left over when a is divided by b, with the sign of a; a blank where b is zero."
        ),
        "numbers",
        Takes((COUNTED, COUNTED), widest),
        ("MOD(7, 3)", "1"),
        ("MOD(-7, 3)", "-1"),
    ),
    _of(
        "ABS",
        "ABS(a)",
        tr("The amount without its sign."),
        "numbers",
        Takes((NUMBERS,), first),
        ("ABS(-1.5)", "1.5"),
    ),
    _of(
        "SIGN",
        "SIGN(a)",
        tr("-1, 0 or 1."),
        "numbers",
        Takes((NUMBERS,), _whole),
        ("SIGN(-3)", "-1"),
    ),
    _of(
        "ROUND",
        "ROUND(a [, digits])",
        tr("Rounded to so many digits behind the mark, halves away from zero."),
        "numbers",
        (
            Takes((WHOLE,), first),
            Takes((NUMBERS, WHOLE), _exact, optional=1),
        ),
        ("ROUND(2.5)", "3"),
        ("ROUND(2.345, 2)", "2.35"),
        ("ROUND(1234.5, -2)", "1200"),
    ),
    _of(
        "CEILING",
        "CEILING(a)",
        tr("The next whole number above, as the kind of a."),
        "numbers",
        Takes((NUMBERS,), first),
        ("CEILING(1.2)", "2"),
    ),
    _of(
        "FLOOR",
        "FLOOR(a)",
        tr("The next whole number below, as the kind of a."),
        "numbers",
        Takes((NUMBERS,), first),
        ("FLOOR(-1.2)", "-2"),
    ),
    _of(
        "POWER",
        "POWER(a, b)",
        tr("a to the power of b."),
        "numbers",
        Takes((NUMBERS, NUMBERS), _number),
        ("POWER(2, 10)", "1024"),
    ),
    _of(
        "SQRT",
        "SQRT(a)",
        tr("The square root; a blank below zero."),
        "numbers",
        Takes((NUMBERS,), _number),
        ("SQRT(9)", "3"),
        ("SQRT(-1)", None),
    ),
    _of(
        "LN",
        "LN(a)",
        tr("The natural logarithm; a blank of zero and below."),
        "numbers",
        Takes((NUMBERS,), _number),
        ("LN(1)", "0"),
        ("LN(0)", None),
    ),
    _of(
        "LOG",
        "LOG(base, a)",
        tr("The logarithm to a base; a blank of zero and below."),
        "numbers",
        Takes((NUMBERS, NUMBERS), _number),
        ("LOG(10, 1000)", "3"),
        ("LOG(2, 0.5)", "-1"),
    ),
    _of(
        "EXP",
        "EXP(a)",
        tr("Euler's number to the power of a."),
        "numbers",
        Takes((NUMBERS,), _number),
        ("EXP(0)", "1"),
    ),
    _of(
        "||",
        "a || b",
        tr("One text behind the other; a blank where either is blank."),
        "text",
        Takes((TEXT, TEXT), _text),
        ("'KP' || '-' || 'MS'", "KP-MS"),
        ("'KP' || NULL", None),
    ),
    _of(
        "UPPER",
        "UPPER(text)",
        tr("In capitals."),
        "text",
        Takes((TEXT,), _text),
        ("UPPER('kp-ms')", "KP-MS"),
    ),
    _of(
        "LOWER",
        "LOWER(text)",
        tr("In small letters."),
        "text",
        Takes((TEXT,), _text),
        ("LOWER('KP')", "kp"),
    ),
    _of(
        "TRIM",
        "TRIM([LEADING | TRAILING | BOTH] [letters FROM] text)",
        tr("Without spaces, or any of the letters given, at its beginning, its end, or both."),
        "text",
        Takes((TEXT, TEXT), _text, optional=1),
        ("TRIM('  KP ')", "KP"),
        ("TRIM(LEADING '0' FROM '007')", "7"),
        ("TRIM(BOTH 'xy' FROM 'xyKPx')", "KP"),
    ),
    _of(
        "SUBSTRING",
        "SUBSTRING(text FROM start [FOR length])",
        tr("The letters from a place on, the first being 1."),
        "text",
        Takes((TEXT, WHOLE, WHOLE), _text, optional=1),
        ("SUBSTRING('KP-MS' FROM 4)", "MS"),
        ("SUBSTRING('KP-MS' FROM 1 FOR 2)", "KP"),
        ("SUBSTRING('KP-MS' FROM 0 FOR 2)", "K"),
    ),
    _of(
        "LEFT",
        "LEFT(text, n)",
        tr("The first letters; with a negative n all but the last."),
        "text",
        Takes((TEXT, WHOLE), _text),
        ("LEFT('KP-MS', 2)", "KP"),
        ("LEFT('KP-MS', -3)", "KP"),
    ),
    _of(
        "RIGHT",
        "RIGHT(text, n)",
        tr("The last letters; with a negative n all but the first."),
        "text",
        Takes((TEXT, WHOLE), _text),
        ("RIGHT('KP-MS', 2)", "MS"),
    ),
    _of(
        "POSITION",
        "POSITION(part IN text)",
        tr("Where a part first stands in a text, 0 where it does not."),
        "text",
        Takes((TEXT, TEXT), _whole),
        ("POSITION('-' IN 'KP-MS')", "3"),
    ),
    _of(
        "CHAR_LENGTH",
        "CHAR_LENGTH(text)",
        tr("How many letters it has."),
        "text",
        Takes((TEXT,), _whole),
        ("CHAR_LENGTH('KP-MS')", "5"),
    ),
    _of(
        "OVERLAY",
        "OVERLAY(text PLACING other FROM start [FOR length])",
        tr("With other letters in place of those from a place on."),
        "text",
        Takes((TEXT, TEXT, WHOLE, WHOLE), _text, optional=1),
        ("OVERLAY('KP-MS' PLACING '/' FROM 3 FOR 1)", "KP/MS"),
        ("OVERLAY('KP-MS' PLACING '//' FROM 3)", "KP//S"),
    ),
    _of(
        "REPLACE",
        "REPLACE(text, part, other)",
        tr("With every such part replaced by another."),
        "text",
        Takes((TEXT, TEXT, TEXT), _text),
        ("REPLACE('a.b.c', '.', '-')", "a-b-c"),
    ),
    _of(
        "LPAD",
        "LPAD(text, length [, with])",
        tr("Filled up, or cut, to a length at its beginning."),
        "text",
        Takes((TEXT, WHOLE, TEXT), _text, optional=1),
        ("LPAD('7', 3, '0')", "007"),
        ("LPAD('7', 3)", "  7"),
    ),
    _of(
        "RPAD",
        "RPAD(text, length [, with])",
        tr("Filled up, or cut, to a length at its end."),
        "text",
        Takes((TEXT, WHOLE, TEXT), _text, optional=1),
        ("RPAD('7', 3, '.')", "7.."),
        ("RPAD('7', 3)", "7  "),
    ),
    _of(
        "SPLIT_PART",
        "SPLIT_PART(text, mark, n)",
        tr("The n-th part between marks; the last one is -1."),
        "text",
        Takes((TEXT, TEXT, WHOLE), _text),
        ("SPLIT_PART('KP-MS', '-', 2)", "MS"),
        ("SPLIT_PART('KP-MS', '-', 3)", ""),
    ),
    _of(
        "INITCAP",
        "INITCAP(text)",
        tr("With a capital at the beginning of every word, and small letters behind it."),
        "text",
        Takes((TEXT,), _text),
        ("INITCAP('marrow SOUND')", "Marrow Sound"),
    ),
    _of(
        "CONCAT_WS",
        "CONCAT_WS(mark, a, b ...)",
        tr("The texts that have a value, with a mark between them; empty where none has."),
        "text",
        Takes((TEXT, TEXT), _text, many=True),
        ("CONCAT_WS('-', 'KP', NULL, 'MS')", "KP-MS"),
        ("CONCAT_WS('-', 'KP')", "KP"),
    ),
    _of(
        "REGEXP_REPLACE",
        "REGEXP_REPLACE(text, pattern, other)",
        tr(
            "With every part that is like a pattern replaced; the patterns are regular expressions."
        ),
        "text",
        Takes((TEXT, TEXT, TEXT), _text),
        ("REGEXP_REPLACE('KP 12 MS', ' [0-9]+ ', '-')", "KP-MS"),
    ),
    _of(
        "REGEXP_LIKE",
        "REGEXP_LIKE(text, pattern)",
        tr("Whether some part of a text is like a pattern, a regular expression."),
        "text",
        Takes((TEXT, TEXT), _truth),
        ("REGEXP_LIKE('KP 12', '[0-9]{2}')", "true"),
        ("REGEXP_LIKE('KP 12', '^[0-9]+$')", "false"),
    ),
    _of(
        "REGEXP_SUBSTR",
        "REGEXP_SUBSTR(text, pattern)",
        tr("The first part of a text that is like a pattern; a blank where none is."),
        "text",
        Takes((TEXT, TEXT), _text),
        ("REGEXP_SUBSTR('KP 12 MS 7', '[0-9]+')", "12"),
        ("REGEXP_SUBSTR('KP', '[0-9]+')", None),
    ),
    _of(
        "REGEXP_COUNT",
        "REGEXP_COUNT(text, pattern)",
        tr("How many parts of a text are like a pattern."),
        "text",
        Takes((TEXT, TEXT), _whole),
        ("REGEXP_COUNT('KP 12 MS 7', '[0-9]+')", "2"),
    ),
    _of(
        "REVERSE",
        "REVERSE(text)",
        tr("The letters from the last to the first."),
        "text",
        Takes((TEXT,), _text),
        ("REVERSE('KP-MS')", "SM-PK"),
    ),
    _of(
        "REPEAT",
        "REPEAT(text, n)",
        tr("The text n times."),
        "text",
        Takes((TEXT, WHOLE), _text),
        ("REPEAT('ab', 3)", "ababab"),
        ("REPEAT('ab', 0)", ""),
    ),
    _of(
        "TRANSLATE",
        "TRANSLATE(text, letters, others)",
        tr("With each of some letters replaced by the one in its place, or taken out without one."),
        "text",
        Takes((TEXT, TEXT, TEXT), _text),
        ("TRANSLATE('1.234,50', ',.', '.')", "1234.50"),
    ),
    _of(
        "LIKENESS",
        "LIKENESS(a, b)",
        tr(
            "How alike two texts are, from 0 to 1, as pairs are judged: 1 where only case, accents "
            "or spaces differ."
        ),
        "text",
        Takes((TEXT, TEXT), _number),
        ("LIKENESS('Kelp Point', 'KELP  point')", "1"),
        ("LIKENESS('kelp', 'help')", "0.75"),
    ),
    _of(
        "TIDY",
        "TIDY(text, 'what' ...)",
        tr(
            "Without outer spaces, doubled spaces, case, accents, punctuation, invisible, as named."
        ),
        "text",
        Takes((TEXT,), _text),
        ("TIDY(' KP   MS ', 'outer spaces', 'doubled spaces')", "KP MS"),
    ),
    _of(
        "LIKE",
        "text LIKE pattern [ESCAPE letter]",
        tr("Whether a text is like a pattern: % stands for any letters, _ for one."),
        "text",
        Takes((TEXT, TEXT, TEXT), _truth, optional=1),
        ("'KP-MS' LIKE 'KP%'", "true"),
        ("'10%' LIKE '10!%' ESCAPE '!'", "true"),
    ),
    _of(
        "EXTRACT",
        "EXTRACT(YEAR FROM date)",
        tr(
            "A part of a date or time: YEAR, QUARTER, MONTH, WEEK, DAY, DOY, DOW, ISODOW, HOUR, "
            "MINUTE, SECOND."
        ),
        "dates and times",
        Takes((MOMENTS,), _whole),
        ("EXTRACT(MONTH FROM DATE '2026-11-26')", "11"),
        ("EXTRACT(ISODOW FROM DATE '2026-11-26')", "4"),
    ),
    _of(
        "TRUNC",
        "TRUNC(date, 'month')",
        tr(
            "The beginning of its year, quarter, month, week, day, hour, minute or "
            "second; of a number "
            "what is left without the digits behind the mark."
        ),
        "dates and times",
        (
            Takes((DAYS,), first),
            Takes((WHOLE,), first),
            Takes((NUMBERS, WHOLE), _exact, optional=1),
        ),
        ("TRUNC(DATE '2026-11-26', 'quarter')", "2026-10-01"),
        ("TRUNC(2.79, 1)", "2.7"),
        ("TRUNC(2.79)", "2"),
    ),
    _of(
        "MAKE_DATE",
        "MAKE_DATE(year, month, day)",
        tr("The date of three numbers; a blank where there is no such day."),
        "dates and times",
        Takes((WHOLE, WHOLE, WHOLE), fixed(Kind.DATE)),
        ("MAKE_DATE(2026, 11, 26)", "2026-11-26"),
        ("MAKE_DATE(2026, 2, 29)", None),
    ),
    _of(
        "MONTHS_BETWEEN",
        "MONTHS_BETWEEN(first, second)",
        tr("How many whole months can be added to the first date without passing the second."),
        "dates and times",
        Takes((DAYS, DAYS), _whole),
        ("MONTHS_BETWEEN(DATE '2026-01-31', DATE '2026-02-28')", "1"),
        ("MONTHS_BETWEEN(DATE '2026-11-26', DATE '2025-11-27')", "-11"),
    ),
    _of(
        "WORKDAYS_BETWEEN",
        "WORKDAYS_BETWEEN(first, second [, holiday ...])",
        tr(
            "The days from Monday to Friday from the first date to before the second, without the "
            "holidays."
        ),
        "dates and times",
        Takes(((Kind.DATE,), (Kind.DATE,), (Kind.DATE,)), _whole, optional=1, many=True),
        ("WORKDAYS_BETWEEN(DATE '2026-11-26', DATE '2026-12-03')", "5"),
        ("WORKDAYS_BETWEEN(DATE '2026-12-24', DATE '2026-12-29', DATE '2026-12-25')", "2"),
        (
            "WORKDAYS_BETWEEN(DATE '2026-12-24', DATE '2026-12-29', DATE '2026-12-25', "
            "DATE '2026-12-28')",
            "1",
        ),
    ),
    _of(
        "DAY_NAME",
        "DAY_NAME(date [, language])",
        tr("The name of its day of the week, in English or the language of a code such as 'de'."),
        "dates and times",
        Takes((DAYS, TEXT), _text, optional=1),
        ("DAY_NAME(DATE '2026-11-26')", "Thursday"),
        ("DAY_NAME(DATE '2026-11-26', 'de')", "Donnerstag"),
    ),
    _of(
        "MONTH_NAME",
        "MONTH_NAME(date [, language])",
        tr("The name of its month, in English or the language of a code such as 'fr'."),
        "dates and times",
        Takes((DAYS, TEXT), _text, optional=1),
        ("MONTH_NAME(DATE '2026-11-26')", "November"),
        ("MONTH_NAME(DATE '2026-12-01', 'fr')", "décembre"),
    ),
    _of(
        "TO_CHAR",
        "TO_CHAR(date, pattern)",
        tr(
            "As a text by a pattern of YYYY, YY, Q, MM, DD, DDD, IYYY, IW, HH24, HH12, MI, SS, AM, "
            "and marks; words in double quotes."
        ),
        "dates and times",
        Takes((MOMENTS, TEXT), _text),
        ("TO_CHAR(DATE '2026-11-26', 'DD.MM.YYYY')", "26.11.2026"),
        ("TO_CHAR(DATE '2026-11-26', 'YYYY-\"Q\"Q')", "2026-Q4"),
        ("TO_CHAR(TIME '17:05:00', 'HH12:MI AM')", "05:05 PM"),
    ),
    _of(
        "TO_DATE",
        "TO_DATE(text, pattern)",
        tr(
            "The date that a text says by a pattern, as TO_CHAR writes it; a blank where it is "
            "written otherwise."
        ),
        "dates and times",
        Takes((TEXT, TEXT), fixed(Kind.DATE)),
        ("TO_DATE('26.11.2026', 'DD.MM.YYYY')", "2026-11-26"),
        ("TO_DATE('2026-Q4', 'YYYY-\"Q\"Q')", "2026-10-01"),
        ("TO_DATE('26/11', 'DD.MM.YYYY')", None),
    ),
    _of(
        "TO_TIMESTAMP",
        "TO_TIMESTAMP(text, pattern)",
        tr("The date-time that a text says by a pattern; a blank where it is written otherwise."),
        "dates and times",
        Takes((TEXT, TEXT), fixed(Kind.DATE_TIME)),
        ("TO_TIMESTAMP('5:05 PM 26/11/26', 'HH12:MI AM DD/MM/YY')", "2026-11-26 17:05:00"),
    ),
    _of(
        "later by months",
        "date + INTERVAL '1' MONTH",
        tr("So many months later; the last day of a month that is shorter."),
        "dates and times",
        Takes((DAYS, WHOLE), first),
        ("DATE '2026-01-31' + 1 * INTERVAL '1' MONTH", "2026-02-28"),
        ("DATE '2024-02-29' - INTERVAL '1' YEAR", "2023-02-28"),
    ),
    _of(
        "later by days",
        "date + INTERVAL '1' DAY",
        tr("So many days later."),
        "dates and times",
        Takes((DAYS, WHOLE), first),
        ("DATE '2026-02-28' + INTERVAL '1' DAY", "2026-03-01"),
    ),
    _of(
        "later by seconds",
        "time + INTERVAL '1' HOUR",
        tr("So many hours, minutes or seconds later; a date becomes a date-time."),
        "dates and times",
        (
            Takes(((Kind.TIME,), WHOLE), first),
            Takes((DAYS, WHOLE), fixed(Kind.DATE_TIME)),
        ),
        ("TIMESTAMP '2026-01-31 23:30:00' + INTERVAL '1' HOUR", "2026-02-01 00:30:00"),
    ),
    _of(
        "CURRENT_DATE",
        "CURRENT_DATE",
        tr("The day of the run, one for all rows."),
        "dates and times",
        Takes((), fixed(Kind.DATE)),
        ("CURRENT_DATE - CURRENT_DATE", "0"),
    ),
    _compares("=", tr("Whether both are equal."), ("1 = 1.0", "true"), ("1 = NULL", None)),
    _compares("<>", tr("Whether they differ."), ("'a' <> 'A'", "true")),
    _compares("<", tr("Whether a is less or earlier."), ("2 < 10", "true")),
    _compares("<=", tr("Whether a is at most b."), ("2 <= 2", "true")),
    _compares(
        ">", tr("Whether a is more or later."), ("DATE '2026-01-02' > DATE '2026-01-01'", "true")
    ),
    _compares(">=", tr("Whether a is at least b."), ("2 >= 3", "false")),
    _of(
        "IS DISTINCT FROM",
        "a IS [NOT] DISTINCT FROM b",
        tr("Whether they differ, a blank being equal to a blank; never blank itself."),
        "comparisons",
        _COMPARED,
        ("1 IS DISTINCT FROM NULL", "true"),
        ("1 IS NOT DISTINCT FROM 1", "true"),
    ),
    _of(
        "BETWEEN",
        "a BETWEEN low AND high",
        tr("Whether a is at least low and at most high."),
        "comparisons",
        (),
        ("5 BETWEEN 1 AND 5", "true"),
        ("5 NOT BETWEEN 1 AND 4", "true"),
    ),
    _of(
        "IN",
        "a IN (b, c ...)",
        tr("Whether a equals any of them."),
        "comparisons",
        (),
        ("'b' IN ('a', 'b')", "true"),
        ("'c' NOT IN ('a', NULL)", None),
    ),
    _of(
        "AND",
        "a AND b",
        tr("Whether both hold; with a blank, false where the other is false, else blank."),
        "comparisons",
        Takes((TRUTH, TRUTH), _truth, many=True),
        ("FALSE AND NULL", "false"),
        ("TRUE AND NULL", None),
    ),
    _of(
        "OR",
        "a OR b",
        tr("Whether any holds; with a blank, true where the other is true, else blank."),
        "comparisons",
        Takes((TRUTH, TRUTH), _truth, many=True),
        ("TRUE OR NULL", "true"),
        ("FALSE OR NULL", None),
    ),
    _of(
        "NOT",
        "NOT a",
        tr("The opposite; a blank stays blank."),
        "comparisons",
        Takes((TRUTH,), _truth),
        ("NOT TRUE", "false"),
    ),
    _of(
        "IS NULL",
        "a IS [NOT] NULL",
        tr("Whether there is no value, be it a blank or a gap."),
        "comparisons",
        Takes((ANY,), _truth),
        ("NULLIF(1, 1) IS NULL", "true"),
        ("1 IS NOT NULL", "true"),
    ),
    _of(
        "IS GAP",
        "a IS [NOT] GAP",
        tr(
            "Whether there is no value because a tie found no partner; a blank of the "
            "source is none."
        ),
        "comparisons",
        Takes((ANY,), _truth),
        ("NULLIF(1, 1) IS GAP", "false"),
    ),
    _of(
        "IS TRUE",
        "a IS [NOT] TRUE",
        tr("Whether a holds; never blank itself. IS FALSE tells whether its opposite does."),
        "comparisons",
        Takes((TRUTH,), _truth),
        ("(1 = NULL) IS TRUE", "false"),
        ("(1 = 2) IS FALSE", "true"),
    ),
    _of(
        "CASE",
        "CASE WHEN a THEN b ... [ELSE c] END",
        tr(
            "What stands behind the first condition that holds; CASE x WHEN y compares "
            "x with each y."
        ),
        "choices",
        (),
        ("CASE WHEN 1 > 2 THEN 'a' ELSE 'b' END", "b"),
        ("CASE 2 WHEN 1 THEN 'a' WHEN 2 THEN 'b' END", "b"),
        ("CASE 3 WHEN 1 THEN 'a' END", None),
    ),
    _of(
        "COALESCE",
        "COALESCE(a, b ...)",
        tr("The first that has a value."),
        "choices",
        Takes((ANY, ANY), widest, optional=1, many=True),
        ("COALESCE(NULLIF(1, 1), 2)", "2"),
        ("COALESCE(NULLIF(1, 1), NULLIF(2, 2), 3)", "3"),
        ("COALESCE(2)", "2"),
    ),
    _of(
        "NULLIF",
        "NULLIF(a, b)",
        tr("A blank where both are equal, else a."),
        "choices",
        tuple(Takes(way.kinds, first) for way in _COMPARED),
        ("NULLIF('-', '-')", None),
        ("NULLIF('a', '-')", "a"),
    ),
    _of(
        "GREATEST",
        "GREATEST(a, b ...)",
        tr("The largest or latest of those that have a value."),
        "choices",
        Takes((ANY, ANY), widest, optional=1, many=True),
        ("GREATEST(1, 2.5, NULL)", "2.5"),
        ("GREATEST(3)", "3"),
    ),
    _of(
        "LEAST",
        "LEAST(a, b ...)",
        tr("The smallest or earliest of those that have a value."),
        "choices",
        Takes((ANY, ANY), widest, optional=1, many=True),
        ("LEAST('b', 'a')", "a"),
        ("LEAST('c', 'a', 'b')", "a"),
        ("LEAST('b')", "b"),
    ),
    _of(
        "CAST",
        "CAST(a AS kind)",
        tr(
            "In another kind: VARCHAR, INTEGER, DECIMAL(digits, behind), DOUBLE "
            "PRECISION, BOOLEAN, "
            "DATE, TIMESTAMP, TIME; a blank where a is none of that kind."
        ),
        "kinds",
        Takes((ANY,), first),
        ("CAST('12' AS INTEGER)", "12"),
        ("CAST(2.5 AS INTEGER)", "3"),
        ("CAST('twelve' AS INTEGER)", None),
        ("CAST(12 AS VARCHAR)", "12"),
    ),
)

FUNCTIONS: dict[str, Function] = {one.name: one for one in _ALL}
"""Every function and operator by its name."""
