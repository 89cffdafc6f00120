"""Functions of the registry applied to what a formula gives them, where kinds allow it."""

from __future__ import annotations

import datetime as dt
import difflib
from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, TypeVar

from keen_trellis.base.errors import FormulaError, with_article
from keen_trellis.base.language import tr
from keen_trellis.base.words import counted, listed
from keen_trellis.data import Kind
from keen_trellis.data.kinds import widest
from keen_trellis.plan.formulas import Applied, Constant, Valued
from keen_trellis.plan.functions import FUNCTIONS, Function, Takes

if TYPE_CHECKING:
    from sqlglot import exp

Place = tuple[int, int]


_OF_MANY_ROWS = frozenset(("COUNT", "SUM", "AVG", "MIN", "MAX", "FIRST", "LAST", "MEDIAN"))
"""What SQL calls figures of a group."""


class Nothing(Constant):
    """NULL whose kind nothing has settled yet."""

    __slots__ = ()


def known_as(value: Valued, kind: Kind, text: str, whole: bool = False) -> Valued:
    """Return a value of a kind that is known: NULL takes the one it meets.

    Raises
    ------
    FormulaError
        It meets nothing that has a kind.
    """
    if not isinstance(value, Nothing):
        return value
    if whole:
        raise FormulaError(
            tr("NULL alone is of no kind."), tr("Say which: CAST(NULL AS DATE)."), (0, len(text))
        )
    return Constant(None, kind)


class Checking:
    """The text of one formula, and what may stand where in it."""

    def __init__(self, text: str) -> None:
        self.text = text

    def error(self, tree: exp.Expr, happened: str, remedy: str) -> FormulaError:
        """Return what is wrong with a part, and where it stands."""
        return FormulaError(happened, remedy, place_of(tree, self.text))

    def shown(self, tree: exp.Expr) -> str:
        """Return the text of a part, as short as a sentence can bear."""
        start, end = place_of(tree, self.text)
        part = self.text[start:end]
        return part if len(part) <= 40 else f"{part[:37]} …"

    def no_function(self, tree: exp.Expr, name: str) -> FormulaError:
        """Return that there is no such function, and one that is called alike."""
        functions = [one for one in FUNCTIONS if FUNCTIONS[one].form.startswith(f"{one}(")]
        near = difflib.get_close_matches(name, functions, n=1)
        remedy = (
            tr("Did you mean {near_1}?", near_1=near[0]) if near else tr("Choose one of the list.")
        )
        if name in _OF_MANY_ROWS:
            remedy = tr("It takes many rows, and a formula one: add the step Summarise for it.")
        own = tree.meta if tree.meta.get("end") is not None else {}
        place = (own["start"], own["end"] + 1) if own else place_of(tree, self.text)
        return FormulaError(tr("There is no function {name}.", name=name), remedy, place)

    def applied(
        self,
        tree: exp.Expr,
        name: str,
        values: Sequence[Valued],
        parts: Sequence[exp.Expr],
    ) -> Applied:
        """Return a function applied to values, where their kinds allow it.

        Raises
        ------
        FormulaError
            It takes another number of values, or other kinds.
        """
        function = FUNCTIONS[name]
        # A function may be applied in several ways (numbers, dates, texts): the first that takes
        # these kinds is meant.
        ways = [way for way in function.takes if way.fits_count(len(values))]
        if not ways:
            raise self.takes_others(tree, function, len(values))
        for way in ways:
            if all(
                isinstance(value, Nothing) or value.kind in way.at(place)
                for place, value in enumerate(values)
            ):
                return self._settled(tree, function, way, values, parts)
        raise self._misfit(function, ways, values, parts)

    def takes_others(self, tree: exp.Expr, function: Function, count: int) -> FormulaError:
        """Return that a function is not applied to so many values."""
        given = counted(count, "value")
        return self.error(
            tree,
            tr("{name} does not take {given}.", name=function.name, given=given),
            tr("Write {form}.", form=function.form),
        )

    def _settled(
        self,
        tree: exp.Expr,
        function: Function,
        way: Takes,
        values: Sequence[Valued],
        parts: Sequence[exp.Expr],
    ) -> Applied:
        met = [value.kind for value in values if not isinstance(value, Nothing)]
        settled = []
        for place, value in enumerate(values):
            allowed = way.at(place)
            # NULL takes a kind that stands beside it, where that is allowed here; else the first
            # that the function takes.
            kind = next((one for one in met if one in allowed), allowed[0])
            settled.append(known_as(value, kind, self.text))
        try:
            kind = way.gives([value.kind for value in settled])
        except ValueError:
            self.common(tree, settled, function.name, list(zip(parts, values, strict=True)))
            raise
        return Applied(function.name, tuple(settled), kind)

    def common(
        self,
        tree: exp.Expr,
        values: Sequence[Valued],
        what: str,
        parts: Sequence[tuple[exp.Expr, Valued]],
    ) -> Kind:
        """Return the kind that holds the values of all; which of them do not fit is said.

        Raises
        ------
        FormulaError
            No kind holds them all.
        """
        given = [(part, v) for part, v in parts if not isinstance(v, Nothing)]
        if not given:
            return Kind.TEXT
        try:
            return widest([value.kind for _, value in given])
        except ValueError as error:
            first = given[0][1].kind
            part, odd = next(one for one in given if not _meets(first, one[1].kind))
            raise self.error(
                part,
                tr(
                    "“{shown}” is {with_article}, but what stands before it in "
                    "{what} is {with_article_2}.",
                    shown=self.shown(part),
                    with_article=with_article(odd.kind),
                    what=what,
                    with_article_2=with_article(first),
                ),
                tr("Give all of them one kind, with CAST(… AS …)."),
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
                if not isinstance(value, Nothing) and value.kind not in way.at(n)
            )
            # The way that got furthest is the one that was meant: its wish at that place is what
            # is told.
            if place > reached:
                reached, wanted = place, {}
            if place == reached:
                wanted |= dict.fromkeys(way.at(place))
        return self.wrong(parts[reached], values[reached].kind, function.name, tuple(wanted))

    def wrong(self, part: exp.Expr, kind: Kind, what: str, wanted: Sequence[Kind]) -> FormulaError:
        """Return that a part is of a kind that is not taken, and how it becomes one that is."""
        taken = listed([with_article(one) for one in wanted], "or")
        remedy = tr("Choose another column, or another function.")
        if Kind.TEXT in wanted:
            remedy = tr("Write CAST({shown} AS VARCHAR).", shown=self.shown(part))
        elif kind is Kind.TEXT and wanted:
            remedy = tr(
                "Write CAST({shown} AS {sql_names}).",
                shown=self.shown(part),
                sql_names=_SQL_NAMES[wanted[0]],
            )
            if type(part).__name__ == "Literal" and wanted[0] in WRITTEN:
                remedy = tr(
                    "Write {sql_names} {shown}.",
                    sql_names=_SQL_NAMES[wanted[0]],
                    shown=self.shown(part),
                )
        return self.error(
            part,
            tr(
                "“{shown}” is {with_article}; {what} takes {taken}.",
                shown=self.shown(part),
                with_article=with_article(kind),
                what=what,
                taken=taken,
            ),
            remedy,
        )


def _meets(first: Kind, second: Kind) -> bool:
    try:
        widest([first, second])
    except ValueError:
        return False
    return True


def place_of(tree: exp.Expr, text: str) -> Place:
    """Return from where to where a part stands in the text, as far as the parser noted it."""
    found = [
        (int(node.meta["start"]), int(node.meta["end"]) + 1)
        for node in tree.walk()
        if node.meta.get("end") is not None
    ]
    if not found:
        return 0, len(text)
    start, end = min(start for start, _ in found), max(end for _, end in found)
    # sqlglot notes where words begin and end, but not the closing bracket of a function.
    while text.count("(", start, end) > text.count(")", start, end) and ")" in text[end:]:
        end = text.index(")", end) + 1  # the last bracket of a function is no part of the tree
    return start, end


_Moment = TypeVar("_Moment", dt.datetime, dt.time)


def _of_no_zone(moment: _Moment) -> _Moment:
    """Return what a clock shows; a moment of another zone than that of columns would be lost."""
    if moment.tzinfo is not None:
        raise ValueError
    return moment


WRITTEN: Mapping[Kind, Callable[[str], object]] = {
    Kind.DATE: dt.date.fromisoformat,
    Kind.DATE_TIME: lambda text: _of_no_zone(dt.datetime.fromisoformat(text)),
    Kind.TIME: lambda text: _of_no_zone(dt.time.fromisoformat(text)),
}
SUCH_AS = {
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
