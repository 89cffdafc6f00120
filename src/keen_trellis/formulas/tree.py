"""From the tree that sqlglot makes of a formula to an expression whose kind is known."""

from __future__ import annotations

import datetime as dt
import difflib
import math
import re
from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from typing import TYPE_CHECKING

from keen_trellis.base.errors import FormulaError, with_article
from keen_trellis.base.language import tr
from keen_trellis.base.words import with_capital
from keen_trellis.data import Kind
from keen_trellis.data.kinds import castable
from keen_trellis.formulas.checking import SUCH_AS, WRITTEN, Checking, Nothing, known_as, place_of
from keen_trellis.plan.formulas import Applied, Cell, Constant, Valued
from keen_trellis.plan.functions import FUNCTIONS
from keen_trellis.plan.schema import Schema
from keen_trellis.plan.text_rules import TEXT_RULES

if TYPE_CHECKING:
    from sqlglot import exp

# Every level costs some frames of Python here, in sqlglot and where it is worked out.
DEPTH_AT_MOST = 60


@dataclass(frozen=True, slots=True)
class Interval:
    """A span of time: so many of a unit, which is the name of a function and a factor."""

    function: str
    amount: Valued


# Months and years are not so many days: a unit is a function of the calendar and a factor.
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
# Chains of these make a deep tree of a flat text, and are put together without going down.
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
    "Ln": ("LN", ("this",)),
    "Log": ("LOG", ("this", "expression")),
    "Exp": ("EXP", ("this",)),
    "Initcap": ("INITCAP", ("this",)),
    "ConcatWs": ("CONCAT_WS", ("expressions",)),
    "RegexpReplace": ("REGEXP_REPLACE", ("this", "expression", "replacement")),
    "RegexpLike": ("REGEXP_LIKE", ("this", "expression")),
    "RegexpCount": ("REGEXP_COUNT", ("this", "expression")),
    "RegexpSubstr": ("REGEXP_SUBSTR", ("this", "expression")),
    "Reverse": ("REVERSE", ("this",)),
    "Repeat": ("REPEAT", ("this", "times")),
    "Translate": ("TRANSLATE", ("this", "from_", "to")),
    "MonthsBetween": ("MONTHS_BETWEEN", ("this", "expression")),
    "ToChar": ("TO_CHAR", ("this", "format")),
    "Nullif": ("NULLIF", ("this", "expression")),
    "Coalesce": ("COALESCE", ("this", "expressions")),
    "Greatest": ("GREATEST", ("this", "expressions")),
    "Least": ("LEAST", ("this", "expressions")),
    "Like": ("LIKE", ("this", "expression")),
    "Neg": ("-", ("this",)),
    "Not": ("NOT", ("this",)),
}
"""sqlglot's names of what needs nothing but its arguments, and where it keeps them."""

_OWN: Mapping[str, tuple[str, ...]] = {
    "Column": ("this", "table"),
    "Paren": ("this",),
    "Null": (),
    "Boolean": ("this",),
    "Literal": ("this", "is_string"),
    "CurrentDate": (),
    "Interval": ("this", "unit"),
    "And": ("this", "expression"),
    "Or": ("this", "expression"),
    "Between": ("this", "low", "high"),
    "In": ("this", "expressions", "query", "unnest", "field"),
    "Like": ("this", "expression", "negate"),
    "Escape": ("this", "expression"),
    "Is": ("this", "expression"),
    "Case": ("this", "ifs", "default"),
    "Trim": ("this", "expression", "position"),
    "Pad": ("this", "expression", "fill_pattern", "is_left"),
    "Extract": ("this", "expression"),
    "Trunc": ("this", "decimals", "unit"),
    "DateTrunc": ("this", "unit"),
    "Cast": ("this", "to"),
    "Anonymous": ("this", "expressions"),
    **dict.fromkeys((*_FLAT, *_COMPARES), ("this", "expression")),
}
"""What is read of those that have a way of their own: all else that stands there is refused."""

_NOTHING_SAID = ("safe", "typed", "ignore_nulls")
"""What sqlglot notes of its own dialects, and nobody has written."""

_SIZED: Mapping[str, int] = {"VARCHAR": 1, "TEXT": 1, "NVARCHAR": 1, "DECIMAL": 2}
"""How many sizes may stand behind a kind."""
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


_WHOLE = re.compile(r"-?[0-9]+")


class Reading(Checking):
    """One formula being read: from sqlglot's tree to ours, with the kind of every part."""

    def __init__(self, text: str, schema: Schema, where: str, today: dt.date) -> None:
        super().__init__(text)
        self.schema, self.where, self.today = schema, where, today
        self.depth = 0

    def read(self, tree: exp.Expr | None) -> Valued | Interval:
        """Return the expression of a part of the tree; what is missing in it is said.

        Raises
        ------
        FormulaError
            It is not finished, too deep, or none that a formula can have.
        """
        if tree is None:
            end = len(self.text)
            raise FormulaError(
                tr("The formula is not finished."), tr("Write what is missing."), (end - 1, end)
            )
        # Counted by hand: Python's own limit is met in the middle of a library, and its error
        # says nothing of the formula.
        self.depth += 1
        if self.depth > DEPTH_AT_MOST:
            raise too_deep(self.text)
        try:
            return self._read(tree)
        finally:
            self.depth -= 1

    def _read(self, tree: exp.Expr) -> Valued | Interval:
        name = type(tree).__name__
        self._refuse_unread(tree, name)
        # sqlglot's class names are the table: what has a method here has a way of its own, what
        # stands in the tables above needs none, and all else is refused by name.
        special = getattr(self, f"_{name.lower()}", None)
        if special is not None:
            made: Valued | Interval = special(tree)
            return made
        if name in _FLAT:
            return self._calculated(tree, _FLAT[name])
        if name in _COMPARES:
            return self._compared(tree, _COMPARES[name])
        if name in _PLAIN:
            return self._plain(tree, *_PLAIN[name])
        raise self._unknown(tree)

    def _refuse_unread(self, tree: exp.Expr, name: str) -> None:
        """Refuse an argument or a word that was parsed and says nothing to us.

        Raises
        ------
        FormulaError
            There is one.
        """
        from sqlglot import exp

        if name in _PLAIN:
            read: tuple[str, ...] = _OWN.get(name, _PLAIN[name][1])
            written = FUNCTIONS.get(_PLAIN[name][0])
        elif name in _OWN:
            read, written = _OWN[name], FUNCTIONS.get(name.upper())
        else:
            return
        # The parser takes more than it says: words of other dialects would be read and not done.
        for key, part in tree.args.items():
            if key in read or key in _NOTHING_SAID or part in (None, False, [], ""):
                continue
            is_tree = isinstance(part, exp.Expr)
            if is_tree and name == "Initcap" and part.meta.get("end") is None:
                continue  # sqlglot's own list of marks between words
            what = f"“{self.shown(part)}”" if is_tree else f"“{key.upper().replace('_', ' ')}”"
            form = (
                tr("Write {form}.", form=written.form)
                if written is not None
                else tr("Take it out.")
            )
            title = written.name if written is not None else name.upper()
            raise self.error(
                tree, tr("{what} is nothing that {title} takes here.", what=what, title=title), form
            )

    def value(self, tree: exp.Expr | None) -> Valued:
        """Return a part that is a value, which an interval is not.

        Raises
        ------
        FormulaError
            It is an interval, which can only be added to a date.
        """
        made = self.read(tree)
        if isinstance(made, Interval):
            assert tree is not None
            raise self.error(
                tree,
                tr("An INTERVAL can only be added to a date or time."),
                tr("Write date + INTERVAL."),
            )
        return made

    def _unknown(self, tree: exp.Expr) -> FormulaError:
        from sqlglot import exp

        if isinstance(tree, exp.Func):
            return self.no_function(tree, tree.sql_name())
        # sqlglot notes no place of a whole statement.
        place = (0, len(self.text)) if self.depth == 1 else place_of(tree, self.text)
        word = self.text[slice(*place)].strip()
        return FormulaError(
            tr("“{word}” is nothing that a formula can say.", word=word[:40]),
            tr("Take it out."),
            place,
        )

    def _column(self, tree: exp.Column) -> Valued:
        wanted, names = tree.name, self.schema.names
        if tree.args.get("table") is not None:
            raise self.error(
                tree,
                tr("A column is named without its lane here."),
                tr('Write "{wanted}" alone.', wanted=wanted),
            )
        if wanted not in names:
            # A name in other letters is the likeliest slip, and not always the closest by
            # difflib.
            alike = [name for name in names if name.casefold() == wanted.casefold()]
            near = alike or difflib.get_close_matches(wanted, names, n=1)
            remedy = (
                tr('Did you mean "{near_1}"?', near_1=near[0])
                if near
                else tr("Choose one of its columns.")
            )
            raise self.error(
                tree,
                tr("There is no column “{wanted}” in {where}.", wanted=wanted, where=self.where),
                remedy,
            )
        return Cell(wanted, self.schema.column(wanted).kind)

    def _paren(self, tree: exp.Paren) -> Valued | Interval:
        return self.read(tree.this)

    def _null(self, tree: exp.Null) -> Valued:
        return Nothing(None, Kind.TEXT)

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
                tree,
                tr("“{digits}” is no number.", digits=digits[:40]),
                tr("Write one such as 1.5."),
            ) from error
        # As in SQL: a literal with an exponent is an approximate number, one with a decimal mark
        # is exact, and digits alone are an integer as long as 64 bits hold them.
        if "e" in digits.lower():
            number = float(value)
            if math.isinf(number):
                raise self.error(tree, tr("A number has 308 digits at most."), tr("Write fewer."))
            return Constant(number, Kind.NUMBER)
        # The sign stands outside a literal: -2**63 is exact, and cast where an integer is asked
        # for.
        if digits.isdecimal() and int(digits) < 2**63:
            return Constant(int(digits), Kind.INTEGER)
        if len(value.as_tuple().digits) > 38 or -int(value.as_tuple().exponent) > 38:
            raise self.error(tree, tr("A number has 38 digits at most."), tr("Write fewer."))
        return Constant(value, Kind.EXACT)

    def _currentdate(self, tree: exp.CurrentDate) -> Valued:
        return Constant(self.today, Kind.DATE)

    def _calculated(self, tree: exp.Expr, sign: str) -> Valued | Interval:
        left, right = self.read(tree.this), self.read(tree.expression)
        if isinstance(left, Interval) or isinstance(right, Interval):
            return self._with_interval(tree, sign, left, right)
        # 5 + date is date + 5; the function takes them in one order.
        if sign == "+" and left.kind is Kind.INTEGER and right.kind is Kind.DATE:
            left, right = right, left
        return self.applied(tree, sign, (left, right), (tree.this, tree.expression))

    def _with_interval(
        self, tree: exp.Expr, sign: str, left: Valued | Interval, right: Valued | Interval
    ) -> Valued | Interval:
        # INTERVAL + date and INTERVAL * n are written as often as the other way round.
        if sign in ("+", "*") and isinstance(left, Interval):
            left, right = right, left
        if isinstance(left, Interval) or not isinstance(right, Interval):
            raise self.error(
                tree,
                tr("An INTERVAL can only be added to a date or time."),
                tr("Write date + INTERVAL."),
            )
        whole = left.kind is Kind.INTEGER
        # Its factor is in the amount by now, so that n * INTERVAL is one multiplication more.
        if sign == "*" and whole:
            times = Applied("*", (left, right.amount), Kind.INTEGER)
            return Interval(right.function, times)
        if sign not in "+-":
            raise self.error(
                tree, tr("An INTERVAL is multiplied by integers alone."), tr("Write n * INTERVAL.")
            )
        amount: Valued = right.amount
        # A constant turned round as an expression, since it may be one already: n * INTERVAL.
        if sign == "-":
            amount = Applied("-", (amount,), Kind.INTEGER)
        parts = (tree.this, tree.expression)
        return self.applied(tree, right.function, (left, amount), parts)

    def _interval(self, tree: exp.Interval) -> Interval:
        named = tree.args.get("unit")
        # DAYS as DAY; no unit has an S at its end otherwise.
        unit = str(getattr(named, "this", "")).upper().rstrip("S")
        number = str(getattr(tree.this, "this", ""))
        is_span = type(named).__name__ != "Var"  # DAY TO SECOND
        if unit not in _UNITS or is_span or not _WHOLE.fullmatch(number):
            raise self.error(
                tree,
                tr("An INTERVAL is an integer and a unit."),
                tr("Write INTERVAL '1' and one of {units}.", units=", ".join(_UNITS)),
            )
        function, factor = _UNITS[unit]
        amount = int(number) * factor
        if abs(amount) >= 2**63:
            raise self.error(tree, tr("The INTERVAL is too long."), tr("Write a shorter one."))
        return Interval(function, Constant(amount, Kind.INTEGER))

    def _compared(self, tree: exp.Expr, sign: str) -> Valued:
        parts = (tree.this, tree.expression)
        made: Valued = self.applied(tree, sign, tuple(map(self.value, parts)), parts)
        return _not(made) if type(tree).__name__ == "NullSafeEQ" else made

    def _and(self, tree: exp.And) -> Valued:
        return self._joined(tree, "AND")

    def _or(self, tree: exp.Or) -> Valued:
        return self._joined(tree, "OR")

    def _joined(self, tree: exp.Expr, word: str) -> Valued:
        # `a AND b AND c` is parsed as a tree as deep as the row is long.
        parts = list(tree.flatten())  # a long row of them is not deep
        return self.applied(tree, word, tuple(map(self.value, parts)), parts)

    def _between(self, tree: exp.Between) -> Valued:
        looked, low, high = tree.this, tree.args["low"], tree.args["high"]
        value = self.value(looked)
        # As the standard defines BETWEEN, nulls included; the value is read once for both.
        above = self.applied(tree, ">=", (value, self.value(low)), (looked, low))
        below = self.applied(tree, "<=", (value, self.value(high)), (looked, high))
        return Applied("AND", (above, below), Kind.BOOLEAN)

    def _in(self, tree: exp.In) -> Valued:
        choices = tree.expressions
        if not choices or tree.args.get("query") is not None:
            raise self.error(
                tree, tr("IN takes values between brackets."), tr("Write a IN (1, 2).")
            )
        value = self.value(tree.this)
        # IN as the equalities that it means, so that kinds and nulls are those of =.
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
            return Applied("IS NULL", (known_as(value, Kind.TEXT, self.text),), Kind.BOOLEAN)
        # IS GAP is ours; sqlglot takes the word for a name.
        if kind == "Var":
            return Applied("IS GAP", (known_as(value, Kind.TEXT, self.text),), Kind.BOOLEAN)
        if kind != "Boolean":
            raise self._unknown(tree)
        if not asked.this:
            # IS FALSE: true of NOT; both are false of null.
            value = self.applied(tree, "NOT", (value,), (tree.this,))
        return self.applied(tree, "IS TRUE", (value,), (tree.this,))

    def _case(self, tree: exp.Case) -> Valued:
        conditions, values = [], []
        for one in tree.args["ifs"]:
            if tree.this is not None:
                asked: Valued = self.applied(
                    one, "=", (self.value(tree.this), self.value(one.this)), (tree.this, one.this)
                )
            else:
                asked = self.value(one.this)
                if not isinstance(asked, Nothing) and asked.kind is not Kind.BOOLEAN:
                    raise self.wrong(one.this, asked.kind, "WHEN", (Kind.BOOLEAN,))
            conditions.append(known_as(asked, Kind.BOOLEAN, self.text))
            values.append((one.args["true"], self.value(one.args["true"])))
        default = tree.args.get("default")
        if default is not None:
            values.append((default, self.value(default)))
        # All that may come out has one kind; what is compared on the way has kinds of its own.
        kind = self.common(tree, [value for _, value in values], "CASE", values)
        arguments: list[Valued] = []
        for place, (_, value) in enumerate(values):
            if place < len(conditions):
                arguments.append(conditions[place])
            arguments.append(known_as(value, kind, self.text))
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
                tree,
                tr("“{part}” is no part of a date.", part=part),
                tr("Choose one of: {extracted}.", extracted=", ".join(EXTRACTED)),
            )
        made = self._plain(tree, "EXTRACT", ("expression",))
        kind = made.arguments[0].kind
        # A date has no hour, a time no year; a date-time has both.
        if (part in _OF_DAY) == (kind is Kind.DATE) and kind is not Kind.DATE_TIME:
            raise self.error(
                tree,
                tr(
                    "{with_article} has no {part}.",
                    with_article=with_capital(with_article(kind)),
                    part=part,
                ),
                tr("Choose another part."),
            )
        # A second may have a fraction, and its digits are kept.
        gives = Kind.EXACT if part == "SECOND" else Kind.INTEGER
        return Applied(made.function, made.arguments, gives, (part,))

    def _trunc(self, tree: exp.Expr) -> Valued:
        # TRUNC is of numbers and of dates: what stands second tells which, before kinds are
        # known.
        second = tree.args.get("decimals") or tree.args.get("unit")
        if second is not None and (unit := self._unit(second)):
            return self._truncated(tree, tree.this, unit)
        made = self._plain(tree, "TRUNC", ("this", "decimals"))
        if made.arguments[0].kind not in (Kind.INTEGER, Kind.EXACT, Kind.NUMBER):
            raise self.error(
                tree, tr("TRUNC of a date takes a unit."), tr("Write TRUNC(date, 'month').")
            )
        return made

    def _unit(self, tree: exp.Expr) -> str:
        word = str(tree.this) if type(tree).__name__ in ("Literal", "Var", "WeekStart") else ""
        if type(tree).__name__ == "Literal" and not tree.is_string:
            return ""
        return word.lower()

    def _datetrunc(self, tree: exp.Expr) -> Valued:
        return self._truncated(tree, tree.this, self._unit(tree.args["unit"]))

    def _truncated(self, tree: exp.Expr, looked: exp.Expr, unit: str) -> Valued:
        value = self.value(looked)
        if unit not in TRUNCATED:
            raise self.error(
                tree,
                tr("“{unit}” is no part of a date.", unit=unit),
                tr("Choose one of: {truncated}.", truncated=", ".join(TRUNCATED)),
            )
        if not isinstance(value, Nothing) and value.kind not in (Kind.DATE, Kind.DATE_TIME):
            raise self.wrong(looked, value.kind, "TRUNC", (Kind.DATE, Kind.DATE_TIME))
        value = known_as(value, Kind.DATE, self.text)
        return Applied("TRUNC", (value,), value.kind, (unit,))

    def _cast(self, tree: exp.Cast) -> Valued:
        to = tree.args["to"]
        word = getattr(to.this, "value", str(to.this)).upper()
        if word not in _TYPES:
            raise self.error(
                tree,
                tr("There is no kind “{word}” here.", word=word),
                tr(
                    "Choose one of: VARCHAR, INTEGER, DECIMAL(digits, behind), DOUBLE PRECISION, "
                    "BOOLEAN, DATE, TIMESTAMP, TIME."
                ),
            )
        sizes = tuple(self._size(one, word) for one in to.expressions)
        # A size that would be read and not kept is a loss without a word.
        if len(sizes) > _SIZED.get(word, 0):
            raise self.error(
                tree,
                tr("{word} has no size here.", word=word),
                tr("Write CAST(… AS {word}).", word=word),
            )
        # More digits behind than in all: compared as tuples, of which the shorter of none is
        # smaller.
        if (word == "DECIMAL" and sizes and not 0 < sizes[0] <= 38) or sizes[1:] > sizes[:1]:
            raise self.error(
                tree, tr("A DECIMAL has 38 digits at most."), tr("Write DECIMAL(38, 2).")
            )
        value = self.value(tree.this)
        kind = _TYPES[word]
        if isinstance(value, Nothing):
            return Constant(None, kind)
        if not castable(value.kind, kind):
            raise self.error(
                tree,
                tr(
                    "“{shown}” is {with_article}, which cannot become {with_article_2}.",
                    shown=self.shown(tree.this),
                    with_article=with_article(value.kind),
                    with_article_2=with_article(kind),
                ),
                tr("Choose another kind."),
            )
        made = Applied("CAST", (value,), kind, sizes)
        # DATE '2026-01-31' comes as a cast of a text: read here, so that a day that does not
        # exist is refused while one types.
        if isinstance(value, Constant) and value.kind is Kind.TEXT and kind in WRITTEN:
            return self._written(tree, str(value.value), kind)
        return made

    def _size(self, part: exp.Expr, word: str) -> int:
        number = str(getattr(part.this, "this", ""))
        if not _WHOLE.fullmatch(number) or number.startswith("-"):
            raise self.error(
                part,
                tr("“{shown}” is no size of {word}.", shown=self.shown(part), word=word),
                tr("Take it out."),
            )
        return int(number)

    def _written(self, tree: exp.Expr, text: str, kind: Kind) -> Valued:
        """Return a constant such as DATE '2026-01-31', refused where there is no such day."""
        try:
            return Constant(WRITTEN[kind](text.strip()), kind)
        except ValueError as error:
            raise self.error(
                tree,
                tr("“{text}” is no {kind}.", text=text, kind=kind),
                tr("Write one such as {such_as}.", such_as=SUCH_AS[kind]),
            ) from error

    def _anonymous(self, tree: exp.Anonymous) -> Valued:
        name = str(tree.this).upper()
        if name == "TIDY":
            return self._tidy(tree)
        # Operators stand in the table too, and are not called by name: =(a, b) is none.
        if name not in FUNCTIONS or not FUNCTIONS[name].form.startswith(f"{name}("):
            raise self.no_function(tree, name)
        parts = tree.expressions
        return self.applied(tree, name, tuple(map(self.value, parts)), parts)

    def _tidy(self, tree: exp.Anonymous) -> Valued:
        # The rules are settings and not arguments: they are words of ours, and never worked out.
        first, *rules = tree.expressions or [None]
        if first is None:
            raise self.error(
                tree, tr("TIDY takes a text."), tr("Write TIDY(text, 'outer spaces').")
            )
        words = [str(one.this) for one in rules]
        for one, word in zip(rules, words, strict=True):
            if word not in TEXT_RULES:
                raise self.error(
                    one,
                    tr("“{word}” is nothing to tidy.", word=word),
                    tr("Choose of: {text_rules}.", text_rules=", ".join(TEXT_RULES)),
                )
        made = self.applied(tree, "TIDY", (self.value(first),), (first,))
        return Applied(made.function, made.arguments, made.kind, tuple(words))

    def _plain(self, tree: exp.Expr, name: str, keys: tuple[str, ...]) -> Applied:
        parts: list[exp.Expr] = []
        if (count := tree.meta.get("too_many")) is not None:
            raise self.takes_others(tree, FUNCTIONS[name], count)
        for key in keys:
            given = tree.args.get(key)
            if isinstance(given, list):
                parts += given
            elif given is not None:
                parts.append(given)
        return self.applied(tree, name, tuple(map(self.value, parts)), parts)


def too_deep(text: str) -> FormulaError:
    """Return that a formula is nested too deeply."""
    return FormulaError(
        tr("The formula is nested more than {depth_at_most} deep.", depth_at_most=DEPTH_AT_MOST),
        tr("Take it apart."),
        (0, len(text)),
    )


def _not(made: Valued) -> Applied:
    return Applied("NOT", (made,), Kind.BOOLEAN)
