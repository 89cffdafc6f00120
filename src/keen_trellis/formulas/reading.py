"""From the text of a formula to an expression whose kind is known, checked against columns."""

from __future__ import annotations

import datetime as dt
import difflib
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from functools import lru_cache
from typing import TYPE_CHECKING

from keen_trellis.data import Kind
from keen_trellis.data.kinds import castable, widest
from keen_trellis.errors import FormulaError, with_article
from keen_trellis.formulas.today import today
from keen_trellis.plan.formulas import Applied, Cell, Constant, Valued
from keen_trellis.plan.functions import FUNCTIONS, Function, Takes
from keen_trellis.plan.schema import Schema
from keen_trellis.plan.text_rules import TEXT_RULES
from keen_trellis.words import counted, listed

if TYPE_CHECKING:
    from sqlglot import exp

LETTERS_AT_MOST = 4_000
DEPTH_AT_MOST = 60

Place = tuple[int, int]


def formula(text: str, schema: Schema, where: str = "these rows") -> Valued:
    """Return the expression that a formula says.

    Parameters
    ----------
    text : str
        An expression of SQL: names of columns as they are or between double quotes, texts between
        single ones.
    schema : Schema
        The columns that it may name.
    where : str
        What they are called in sentences.

    Raises
    ------
    FormulaError
        It cannot be read, or asks for what the kinds of columns do not allow; it says where.
    UnknownColumnError
        Never: a column that is not there is a `FormulaError` as well, with its place.
    """
    return _formula(text, schema, where, today())


def renamed(text: str, change: Callable[[str], str]) -> str:
    """Return a formula with its columns called otherwise; one that cannot be read as it is."""
    from sqlglot import exp

    from keen_trellis.formulas.grammar import parsed

    try:
        tree = parsed(text)
    except FormulaError:
        return text
    for column in sorted(tree.find_all(exp.Column), key=lambda one: -_place(one, text)[0]):
        new = change(column.name)
        if new != column.name:
            start, end = _place(column, text)
            doubled = new.replace('"', '""')
            text = f'{text[:start]}"{doubled}"{text[end:]}'
    return text


def names_in(text: str) -> tuple[str, ...]:
    """Return the columns that a formula names; none where it cannot be read."""
    from sqlglot import exp

    from keen_trellis.formulas.grammar import parsed

    try:
        tree = parsed(text)
    except FormulaError:
        return ()
    return tuple(dict.fromkeys(column.name for column in tree.find_all(exp.Column)))


@lru_cache(512)
def _formula(text: str, schema: Schema, where: str, today: dt.date) -> Valued:
    from keen_trellis.formulas.grammar import parsed

    if len(text) > LETTERS_AT_MOST:
        raise FormulaError(
            f"The formula has more than {LETTERS_AT_MOST:,} letters.",
            "Take it apart.",
            (0, len(text)),
        )
    tree = parsed(text)
    try:
        made = _Reading(text, schema, where, today).read(tree)
    except RecursionError as error:
        raise _too_deep(text) from error
    if isinstance(made, _Interval):
        raise FormulaError(
            "An INTERVAL alone is no value of a column.", "Add it to a date.", (0, len(text))
        )
    return _known(made, Kind.TEXT, text, whole=True)


def _too_deep(text: str) -> FormulaError:
    return FormulaError(
        f"The formula is nested more than {DEPTH_AT_MOST} deep.", "Take it apart.", (0, len(text))
    )


@dataclass(frozen=True, slots=True)
class _Interval:
    """A span of time: so many of a unit, which is the name of a function and a factor."""

    function: str
    amount: Valued


class _Nothing(Constant):
    """NULL whose kind nothing has settled yet."""

    __slots__ = ()


def _known(value: Valued, kind: Kind, text: str, whole: bool = False) -> Valued:
    """Return a value of a kind that is known: NULL takes the one it meets."""
    if not isinstance(value, _Nothing):
        return value
    if whole:
        raise FormulaError(
            "NULL alone is of no kind.", "Say which: CAST(NULL AS DATE).", (0, len(text))
        )
    return Constant(None, kind)


_UNITS: Mapping[str, tuple[str, int]] = {
    "YEAR": ("later by months", 12),
    "QUARTER": ("later by months", 3),
    "MONTH": ("later by months", 1),
    "WEEK": ("later by days", 7),
    "DAY": ("later by days", 1),
    "HOUR": ("later by seconds", 3600),
    "MINUTE": ("later by seconds", 60),
    "SECOND": ("later by seconds", 1),
}
EXTRACTED = (
    *("YEAR", "QUARTER", "MONTH", "WEEK", "DAY", "DOY", "DOW", "ISODOW"),
    *("HOUR", "MINUTE", "SECOND"),
)
_OF_DAY = ("HOUR", "MINUTE", "SECOND")
TRUNCATED = ("year", "quarter", "month", "week", "day", "hour", "minute", "second")
_FLAT = {"Add": "+", "Sub": "-", "Mul": "*", "Div": "/", "Mod": "MOD", "DPipe": "||"}
_COMPARES = {
    **{"EQ": "=", "NEQ": "<>", "LT": "<", "LTE": "<=", "GT": ">", "GTE": ">="},
    **{"NullSafeEQ": "IS DISTINCT FROM", "NullSafeNEQ": "IS DISTINCT FROM"},
}
_PLAIN: Mapping[str, tuple[str, tuple[str, ...]]] = {
    "Upper": ("UPPER", ("this",)),
    "Lower": ("LOWER", ("this",)),
    "Trim": ("TRIM", ("this", "expression")),
    "Substring": ("SUBSTRING", ("this", "start", "length")),
    "StrPosition": ("POSITION", ("substr", "this")),
    "Length": ("CHAR_LENGTH", ("this",)),
    "Overlay": ("OVERLAY", ("this", "expression", "from_", "for_")),
    "Left": ("LEFT", ("this", "expression")),
    "Right": ("RIGHT", ("this", "expression")),
    "Replace": ("REPLACE", ("this", "expression", "replacement")),
    "SplitPart": ("SPLIT_PART", ("this", "delimiter", "part_index")),
    "Round": ("ROUND", ("this", "decimals")),
    "Abs": ("ABS", ("this",)),
    "Ceil": ("CEILING", ("this",)),
    "Floor": ("FLOOR", ("this",)),
    "Pow": ("POWER", ("this", "expression")),
    "Sqrt": ("SQRT", ("this",)),
    "Sign": ("SIGN", ("this",)),
    "Initcap": ("INITCAP", ("this",)),
    "ConcatWs": ("CONCAT_WS", ("expressions",)),
    "RegexpReplace": ("REGEXP_REPLACE", ("this", "expression", "replacement")),
    "Nullif": ("NULLIF", ("this", "expression")),
    "Coalesce": ("COALESCE", ("this", "expressions")),
    "Greatest": ("GREATEST", ("this", "expressions")),
    "Least": ("LEAST", ("this", "expressions")),
    "Like": ("LIKE", ("this", "expression")),
    "Neg": ("-", ("this",)),
    "Not": ("NOT", ("this",)),
}
"""sqlglot's names of what needs nothing but its arguments, and where it keeps them."""

_TYPES: Mapping[str, Kind] = {
    **dict.fromkeys(("VARCHAR", "TEXT", "NVARCHAR"), Kind.TEXT),
    **dict.fromkeys(("INT", "BIGINT", "SMALLINT"), Kind.INTEGER),
    **dict.fromkeys(("DOUBLE", "FLOAT"), Kind.NUMBER),
    "DECIMAL": Kind.EXACT,
    "BOOLEAN": Kind.BOOLEAN,
    "DATE": Kind.DATE,
    "TIMESTAMP": Kind.DATE_TIME,
    "TIME": Kind.TIME,
}


class _Reading:
    """One formula being read: from sqlglot's tree to ours, with the kind of every part."""

    def __init__(self, text: str, schema: Schema, where: str, today: dt.date) -> None:
        self.text, self.schema, self.where, self.today = text, schema, where, today
        self.depth = 0

    def read(self, tree: exp.Expr | None) -> Valued | _Interval:
        """Return the expression of a part of the tree; what is missing in it is said."""
        if tree is None:
            end = len(self.text)
            raise FormulaError(
                "The formula is not finished.", "Write what is missing.", (end - 1, end)
            )
        self.depth += 1
        if self.depth > DEPTH_AT_MOST:
            raise _too_deep(self.text)
        try:
            return self._read(tree)
        finally:
            self.depth -= 1

    def _read(self, tree: exp.Expr) -> Valued | _Interval:
        name = type(tree).__name__
        special = getattr(self, f"_{name.lower()}", None)
        if special is not None:
            made: Valued | _Interval = special(tree)
            return made
        if name in _FLAT:
            return self._calculated(tree, _FLAT[name])
        if name in _COMPARES:
            return self._compared(tree, _COMPARES[name])
        if name in _PLAIN:
            return self._plain(tree, *_PLAIN[name])
        raise self._unknown(tree)

    def value(self, tree: exp.Expr | None) -> Valued:
        """Return a part that is a value, which an interval is not."""
        made = self.read(tree)
        if isinstance(made, _Interval):
            assert tree is not None
            raise self.error(
                tree, "An INTERVAL can only be added to a date or time.", "Write date + INTERVAL."
            )
        return made

    def error(self, tree: exp.Expr, happened: str, remedy: str) -> FormulaError:
        """Return what is wrong with a part, and where it stands."""
        return FormulaError(happened, remedy, _place(tree, self.text))

    def shown(self, tree: exp.Expr) -> str:
        """Return the text of a part, as short as a sentence can bear."""
        start, end = _place(tree, self.text)
        part = self.text[start:end]
        return part if len(part) <= 40 else f"{part[:37]} …"

    def _unknown(self, tree: exp.Expr) -> FormulaError:
        from sqlglot import exp

        if isinstance(tree, exp.Func):
            return self._no_function(tree, tree.sql_name())
        place = (0, len(self.text)) if self.depth == 1 else _place(tree, self.text)
        word = self.text[slice(*place)].strip()
        return FormulaError(
            f"“{word[:40]}” is nothing that a formula can say.", "Take it out.", place
        )

    def _no_function(self, tree: exp.Expr, name: str) -> FormulaError:
        functions = [one for one in FUNCTIONS if FUNCTIONS[one].form.startswith(f"{one}(")]
        near = difflib.get_close_matches(name, functions, n=1)
        remedy = f"Did you mean {near[0]}?" if near else "Choose one of the list."
        own = tree.meta if tree.meta.get("end") is not None else {}
        place = (own["start"], own["end"] + 1) if own else _place(tree, self.text)
        return FormulaError(f"There is no function {name}.", remedy, place)

    # names and constants

    def _column(self, tree: exp.Column) -> Valued:
        wanted, names = tree.name, self.schema.names
        if tree.args.get("table") is not None:
            raise self.error(
                tree, "A column is named without its lane here.", f'Write "{wanted}" alone.'
            )
        if wanted not in names:
            alike = [name for name in names if name.casefold() == wanted.casefold()]
            near = alike or difflib.get_close_matches(wanted, names, n=1)
            remedy = f'Did you mean "{near[0]}"?' if near else "Choose one of its columns."
            raise self.error(tree, f"There is no column “{wanted}” in {self.where}.", remedy)
        return Cell(wanted, self.schema.column(wanted).kind)

    def _paren(self, tree: exp.Paren) -> Valued | _Interval:
        return self.read(tree.this)

    def _null(self, tree: exp.Null) -> Valued:
        return _Nothing(None, Kind.TEXT)

    def _boolean(self, tree: exp.Boolean) -> Valued:
        return Constant(bool(tree.this), Kind.BOOLEAN)

    def _literal(self, tree: exp.Literal) -> Valued:
        if tree.is_string:
            return Constant(str(tree.this), Kind.TEXT)
        digits = str(tree.this)
        try:
            value = Decimal(digits)
        except InvalidOperation as error:
            raise self.error(
                tree, f"“{digits[:40]}” is no number.", "Write one such as 1.5."
            ) from error
        if "e" in digits.lower():
            number = float(value)
            if math.isinf(number):
                raise self.error(tree, "A number has 308 digits at most.", "Write fewer.")
            return Constant(number, Kind.NUMBER)
        if digits.isdecimal() and int(digits) < 2**63:
            return Constant(int(digits), Kind.INTEGER)
        if len(value.as_tuple().digits) > 38 or -int(value.as_tuple().exponent) > 38:
            raise self.error(tree, "A number has 38 digits at most.", "Write fewer.")
        return Constant(value, Kind.EXACT)

    def _currentdate(self, tree: exp.CurrentDate) -> Valued:
        return Constant(self.today, Kind.DATE)

    # arithmetic and intervals

    def _calculated(self, tree: exp.Expr, sign: str) -> Valued | _Interval:
        left, right = self.read(tree.this), self.read(tree.expression)
        if isinstance(left, _Interval) or isinstance(right, _Interval):
            return self._with_interval(tree, sign, left, right)
        if sign == "+" and left.kind is Kind.INTEGER and right.kind is Kind.DATE:
            left, right = right, left
        return self.applied(tree, sign, (left, right), (tree.this, tree.expression))

    def _with_interval(
        self, tree: exp.Expr, sign: str, left: Valued | _Interval, right: Valued | _Interval
    ) -> Valued | _Interval:
        if sign in ("+", "*") and isinstance(left, _Interval):
            left, right = right, left
        if isinstance(left, _Interval) or not isinstance(right, _Interval):
            raise self.error(
                tree, "An INTERVAL can only be added to a date or time.", "Write date + INTERVAL."
            )
        whole = left.kind is Kind.INTEGER
        if sign == "*" and whole:
            times = Applied("*", (left, right.amount), Kind.INTEGER)
            return _Interval(right.function, times)
        if sign not in "+-":
            raise self.error(
                tree, "An INTERVAL is multiplied by integers alone.", "Write n * INTERVAL."
            )
        amount: Valued = right.amount
        if sign == "-":
            amount = Applied("-", (amount,), Kind.INTEGER)
        parts = (tree.this, tree.expression)
        return self.applied(tree, right.function, (left, amount), parts)

    def _interval(self, tree: exp.Interval) -> _Interval:
        unit = str(getattr(tree.args.get("unit"), "this", "")).upper().rstrip("S")
        number = str(getattr(tree.this, "this", ""))
        if unit not in _UNITS or not number.lstrip("-").isdecimal():
            raise self.error(
                tree,
                "An INTERVAL is an integer and a unit.",
                f"Write INTERVAL '1' and one of {', '.join(_UNITS)}.",
            )
        function, factor = _UNITS[unit]
        amount = int(number) * factor
        if abs(amount) >= 2**63:
            raise self.error(tree, "The INTERVAL is too long.", "Write a shorter one.")
        return _Interval(function, Constant(amount, Kind.INTEGER))

    # comparisons and logic

    def _compared(self, tree: exp.Expr, sign: str) -> Valued:
        parts = (tree.this, tree.expression)
        made: Valued = self.applied(tree, sign, tuple(map(self.value, parts)), parts)
        return _not(made) if type(tree).__name__ == "NullSafeEQ" else made

    def _and(self, tree: exp.And) -> Valued:
        return self._joined(tree, "AND")

    def _or(self, tree: exp.Or) -> Valued:
        return self._joined(tree, "OR")

    def _joined(self, tree: exp.Expr, word: str) -> Valued:
        parts = list(tree.flatten())  # a long row of them is not deep
        return self.applied(tree, word, tuple(map(self.value, parts)), parts)

    def _between(self, tree: exp.Between) -> Valued:
        looked, low, high = tree.this, tree.args["low"], tree.args["high"]
        value = self.value(looked)
        above = self.applied(tree, ">=", (value, self.value(low)), (looked, low))
        below = self.applied(tree, "<=", (value, self.value(high)), (looked, high))
        return Applied("AND", (above, below), Kind.BOOLEAN)

    def _in(self, tree: exp.In) -> Valued:
        choices = tree.expressions
        if not choices or tree.args.get("query") is not None:
            raise self.error(tree, "IN takes values between brackets.", "Write a IN (1, 2).")
        value = self.value(tree.this)
        equal = [
            self.applied(tree, "=", (value, self.value(one)), (tree.this, one)) for one in choices
        ]
        return equal[0] if len(equal) == 1 else Applied("OR", tuple(equal), Kind.BOOLEAN)

    def _like(self, tree: exp.Like) -> Valued:
        made: Valued = self._plain(tree, "LIKE", ("this", "expression"))
        return _not(made) if tree.args.get("negate") else made

    def _escape(self, tree: exp.Escape) -> Valued:
        like = tree.this
        if type(like).__name__ != "Like":
            raise self._unknown(tree)
        parts = (like.this, like.expression, tree.expression)
        made: Valued = self.applied(tree, "LIKE", tuple(map(self.value, parts)), parts)
        return _not(made) if like.args.get("negate") else made

    def _is(self, tree: exp.Is) -> Valued:
        asked, value = tree.expression, self.value(tree.this)
        kind = type(asked).__name__
        if kind == "Null":
            return Applied("IS NULL", (_known(value, Kind.TEXT, self.text),), Kind.BOOLEAN)
        if kind == "Var":
            return Applied("IS GAP", (_known(value, Kind.TEXT, self.text),), Kind.BOOLEAN)
        if kind != "Boolean":
            raise self._unknown(tree)
        if not asked.this:
            value = self.applied(tree, "NOT", (value,), (tree.this,))
        return self.applied(tree, "IS TRUE", (value,), (tree.this,))

    # functions with words of their own

    def _case(self, tree: exp.Case) -> Valued:
        conditions, values = [], []
        for one in tree.args["ifs"]:
            if tree.this is not None:
                asked: Valued = self.applied(
                    one, "=", (self.value(tree.this), self.value(one.this)), (tree.this, one.this)
                )
            else:
                asked = self.value(one.this)
                if not isinstance(asked, _Nothing) and asked.kind is not Kind.BOOLEAN:
                    raise self._wrong(one.this, asked.kind, "WHEN", (Kind.BOOLEAN,))
            conditions.append(_known(asked, Kind.BOOLEAN, self.text))
            values.append((one.args["true"], self.value(one.args["true"])))
        default = tree.args.get("default")
        if default is not None:
            values.append((default, self.value(default)))
        kind = self._common(tree, [value for _, value in values], "CASE", values)
        arguments: list[Valued] = []
        for place, (_, value) in enumerate(values):
            if place < len(conditions):
                arguments.append(conditions[place])
            arguments.append(_known(value, kind, self.text))
        return Applied("CASE", tuple(arguments), kind)

    def _if(self, tree: exp.If) -> Valued:
        raise self._unknown(tree)

    def _trim(self, tree: exp.Trim) -> Valued:
        made = self._plain(tree, "TRIM", ("this", "expression"))
        side = str(tree.args.get("position") or "BOTH").upper()
        return Applied(made.function, made.arguments, made.kind, (side,))

    def _pad(self, tree: exp.Pad) -> Valued:
        name = "LPAD" if tree.args.get("is_left") else "RPAD"
        return self._plain(tree, name, ("this", "expression", "fill_pattern"))

    def _extract(self, tree: exp.Extract) -> Valued:
        part = str(tree.this.this).upper()
        if part not in EXTRACTED:
            raise self.error(
                tree, f"“{part}” is no part of a date.", f"Choose one of: {', '.join(EXTRACTED)}."
            )
        made = self._plain(tree, "EXTRACT", ("expression",))
        kind = made.arguments[0].kind
        if (part in _OF_DAY) == (kind is Kind.DATE) and kind is not Kind.DATE_TIME:
            raise self.error(
                tree, f"{with_article(kind).capitalize()} has no {part}.", "Choose another part."
            )
        gives = Kind.EXACT if part == "SECOND" else Kind.INTEGER
        return Applied(made.function, made.arguments, gives, (part,))

    def _trunc(self, tree: exp.Expr) -> Valued:
        second = tree.args.get("decimals") or tree.args.get("unit")
        if second is not None and (unit := self._unit(second)):
            return self._truncated(tree, tree.this, unit)
        made = self._plain(tree, "TRUNC", ("this", "decimals"))
        if made.arguments[0].kind not in (Kind.INTEGER, Kind.EXACT, Kind.NUMBER):
            raise self.error(tree, "TRUNC of a date takes a unit.", "Write TRUNC(date, 'month').")
        return made

    def _unit(self, tree: exp.Expr) -> str:
        word = str(tree.this) if type(tree).__name__ in ("Literal", "Var", "WeekStart") else ""
        if type(tree).__name__ == "Literal" and not tree.is_string:
            return ""
        return word.lower()

    def _datetrunc(self, tree: exp.Expr) -> Valued:
        return self._truncated(tree, tree.this, self._unit(tree.args["unit"]))

    _timestamptrunc = _datetrunc

    def _truncated(self, tree: exp.Expr, looked: exp.Expr, unit: str) -> Valued:
        value = self.value(looked)
        if unit not in TRUNCATED:
            raise self.error(
                tree, f"“{unit}” is no part of a date.", f"Choose one of: {', '.join(TRUNCATED)}."
            )
        if not isinstance(value, _Nothing) and value.kind not in (Kind.DATE, Kind.DATE_TIME):
            raise self._wrong(looked, value.kind, "TRUNC", (Kind.DATE, Kind.DATE_TIME))
        value = _known(value, Kind.DATE, self.text)
        return Applied("TRUNC", (value,), value.kind, (unit,))

    def _cast(self, tree: exp.Cast) -> Valued:
        to = tree.args["to"]
        word = getattr(to.this, "value", str(to.this)).upper()
        if word not in _TYPES:
            raise self.error(
                tree,
                f"There is no kind “{word}” here.",
                "Choose one of: VARCHAR, INTEGER, DECIMAL(digits, behind), DOUBLE PRECISION, "
                "BOOLEAN, DATE, TIMESTAMP, TIME.",
            )
        sizes = tuple(
            int(one.this.this) for one in to.expressions if str(one.this.this).isdecimal()
        )
        if (word == "DECIMAL" and sizes and not 0 < sizes[0] <= 38) or sizes[1:] > sizes[:1]:
            raise self.error(tree, "A DECIMAL has 38 digits at most.", "Write DECIMAL(38, 2).")
        value = self.value(tree.this)
        kind = _TYPES[word]
        if isinstance(value, _Nothing):
            return Constant(None, kind)
        if not castable(value.kind, kind):
            raise self.error(
                tree,
                f"“{self.shown(tree.this)}” is {with_article(value.kind)}, which cannot become "
                f"{with_article(kind)}.",
                "Choose another kind.",
            )
        made = Applied("CAST", (value,), kind, sizes)
        if isinstance(value, Constant) and value.kind is Kind.TEXT and kind in _WRITTEN:
            return self._written(tree, str(value.value), kind)
        return made

    _trycast = _cast

    def _written(self, tree: exp.Expr, text: str, kind: Kind) -> Valued:
        """Return a constant such as DATE '2026-01-31', refused where there is no such day."""
        try:
            return Constant(_WRITTEN[kind](text.strip()), kind)
        except ValueError as error:
            raise self.error(
                tree, f"“{text}” is no {kind}.", f"Write one such as {_SUCH_AS[kind]}."
            ) from error

    def _anonymous(self, tree: exp.Anonymous) -> Valued:
        name = str(tree.this).upper()
        if name == "TIDY":
            return self._tidy(tree)
        if name not in FUNCTIONS or not FUNCTIONS[name].form.startswith(f"{name}("):
            raise self._no_function(tree, name)
        parts = tree.expressions
        return self.applied(tree, name, tuple(map(self.value, parts)), parts)

    def _tidy(self, tree: exp.Anonymous) -> Valued:
        first, *rules = tree.expressions or [None]
        if first is None:
            raise self.error(tree, "TIDY takes a text.", "Write TIDY(text, 'outer spaces').")
        words = [str(one.this) for one in rules]
        for one, word in zip(rules, words, strict=True):
            if word not in TEXT_RULES:
                raise self.error(
                    one, f"“{word}” is nothing to tidy.", f"Choose of: {', '.join(TEXT_RULES)}."
                )
        made = self.applied(tree, "TIDY", (self.value(first),), (first,))
        return Applied(made.function, made.arguments, made.kind, tuple(words))

    # functions as the registry has them

    def _plain(self, tree: exp.Expr, name: str, keys: tuple[str, ...]) -> Applied:
        parts: list[exp.Expr] = []
        if (count := tree.meta.get("too_many")) is not None:
            raise self._takes_others(tree, FUNCTIONS[name], count)
        for key in keys:
            given = tree.args.get(key)
            if isinstance(given, list):
                parts += given
            elif given is not None:
                parts.append(given)
        return self.applied(tree, name, tuple(map(self.value, parts)), parts)

    def applied(
        self,
        tree: exp.Expr,
        name: str,
        values: Sequence[Valued],
        parts: Sequence[exp.Expr],
    ) -> Applied:
        """Return a function applied to values, where their kinds allow it."""
        function = FUNCTIONS[name]
        ways = [way for way in function.takes if way.fits_count(len(values))]
        if not ways:
            raise self._takes_others(tree, function, len(values))
        for way in ways:
            if all(
                isinstance(value, _Nothing) or value.kind in way.at(place)
                for place, value in enumerate(values)
            ):
                return self._settled(tree, function, way, values, parts)
        raise self._misfit(function, ways, values, parts)

    def _takes_others(self, tree: exp.Expr, function: Function, count: int) -> FormulaError:
        given = counted(count, "value")
        return self.error(
            tree, f"{function.name} does not take {given}.", f"Write {function.form}."
        )

    def _settled(
        self,
        tree: exp.Expr,
        function: Function,
        way: Takes,
        values: Sequence[Valued],
        parts: Sequence[exp.Expr],
    ) -> Applied:
        met = [value.kind for value in values if not isinstance(value, _Nothing)]
        settled = []
        for place, value in enumerate(values):
            allowed = way.at(place)
            kind = next((one for one in met if one in allowed), allowed[0])
            settled.append(_known(value, kind, self.text))
        try:
            kind = way.gives([value.kind for value in settled])
        except ValueError:
            self._common(tree, settled, function.name, list(zip(parts, values, strict=True)))
            raise
        return Applied(function.name, tuple(settled), kind)

    def _common(
        self,
        tree: exp.Expr,
        values: Sequence[Valued],
        what: str,
        parts: Sequence[tuple[exp.Expr, Valued]],
    ) -> Kind:
        """Return the kind that holds the values of all; which of them do not fit is said."""
        given = [(part, v) for part, v in parts if not isinstance(v, _Nothing)]
        if not given:
            return Kind.TEXT
        try:
            return widest([value.kind for _, value in given])
        except ValueError as error:
            first = given[0][1].kind
            part, odd = next(one for one in given if not _meets(first, one[1].kind))
            raise self.error(
                part,
                f"“{self.shown(part)}” is {with_article(odd.kind)}, but what stands before it in "
                f"{what} is {with_article(first)}.",
                "Give all of them one kind, with CAST(… AS …).",
            ) from error

    def _misfit(
        self,
        function: Function,
        ways: Sequence[Takes],
        values: Sequence[Valued],
        parts: Sequence[exp.Expr],
    ) -> FormulaError:
        """Return which argument does not fit: the last one that a way could not take."""
        reached = -1
        wanted: dict[Kind, None] = {}
        for way in ways:
            place = next(
                n
                for n, value in enumerate(values)
                if not isinstance(value, _Nothing) and value.kind not in way.at(n)
            )
            if place > reached:
                reached, wanted = place, {}
            if place == reached:
                wanted |= dict.fromkeys(way.at(place))
        return self._wrong(parts[reached], values[reached].kind, function.name, tuple(wanted))

    def _wrong(self, part: exp.Expr, kind: Kind, what: str, wanted: Sequence[Kind]) -> FormulaError:
        taken = listed([with_article(one) for one in wanted], "or")
        remedy = "Choose another column, or another function."
        if Kind.TEXT in wanted:
            remedy = f"Write CAST({self.shown(part)} AS VARCHAR)."
        elif kind is Kind.TEXT and wanted:
            remedy = f"Write CAST({self.shown(part)} AS {_SQL_NAMES[wanted[0]]})."
            if type(part).__name__ == "Literal" and wanted[0] in _WRITTEN:
                remedy = f"Write {_SQL_NAMES[wanted[0]]} {self.shown(part)}."
        return self.error(
            part, f"“{self.shown(part)}” is {with_article(kind)}; {what} takes {taken}.", remedy
        )


def _not(made: Valued) -> Applied:
    return Applied("NOT", (made,), Kind.BOOLEAN)


def _meets(first: Kind, second: Kind) -> bool:
    try:
        widest([first, second])
    except ValueError:
        return False
    return True


_WRITTEN: Mapping[Kind, Callable[[str], object]] = {
    Kind.DATE: dt.date.fromisoformat,
    Kind.DATE_TIME: dt.datetime.fromisoformat,
    Kind.TIME: dt.time.fromisoformat,
}
_SUCH_AS = {
    Kind.DATE: "DATE '2026-01-31'",
    Kind.DATE_TIME: "TIMESTAMP '2026-01-31 10:30:00'",
    Kind.TIME: "TIME '10:30:00'",
}
_SQL_NAMES: Mapping[Kind, str] = {
    Kind.TEXT: "VARCHAR",
    Kind.INTEGER: "INTEGER",
    Kind.NUMBER: "DOUBLE PRECISION",
    Kind.EXACT: "DECIMAL(38, 2)",
    Kind.BOOLEAN: "BOOLEAN",
    Kind.DATE: "DATE",
    Kind.DATE_TIME: "TIMESTAMP",
    Kind.TIME: "TIME",
}


def _place(tree: exp.Expr, text: str) -> Place:
    """Return from where to where a part stands in the text, as far as the parser noted it."""
    found = [
        (int(node.meta["start"]), int(node.meta["end"]) + 1)
        for node in tree.walk()
        if node.meta.get("end") is not None
    ]
    if not found:
        return 0, len(text)
    start, end = min(start for start, _ in found), max(end for _, end in found)
    while text.count("(", start, end) > text.count(")", start, end) and ")" in text[end:]:
        end = text.index(")", end) + 1  # the last bracket of a function is no part of the tree
    return start, end
