"""What is read as a formula: sqlglot's expressions of SQL, with places, and with IS GAP."""

from __future__ import annotations

from typing import Any, ClassVar

from sqlglot import exp, parser, tokens
from sqlglot.dialects.dialect import Dialect
from sqlglot.errors import ParseError, TokenError
from sqlglot.parser import IsPredicatePrecedence

from keen_trellis.base.errors import FormulaError
from keen_trellis.base.language import tr

GAP = "GAP"
_STUMBLES = (AttributeError, TypeError, ValueError, KeyError, IndexError)
"""What the parser raises where something is missing that it relies on, such as INTERVAL without a
number; whatever is typed must end in a sentence."""


class _Formulas(Dialect):
    """SQL as sqlglot reads it where no dialect is asked for, but for what is said below."""

    class Tokenizer(tokens.Tokenizer):
        """Leaves DIV a name: it is a function here, not an operator."""

        KEYWORDS: ClassVar = {
            word: kind for word, kind in tokens.Tokenizer.KEYWORDS.items() if word != "DIV"
        }

    class Parser(parser.Parser):
        """Notes where literals stand, and knows gaps; IS binds less than signs, as in SQL."""

        IS_PREDICATE_PRECEDENCE = IsPredicatePrecedence.LOW

        def validate_expression(self, expression: Any, args: Any = None) -> Any:
            """Leave the number of arguments to our own checker, which knows what it takes."""
            if args and len(args) > len(expression.arg_types):
                expression.meta["too_many"] = len(args)
            return expression

        def _parse_primary(self) -> Any:
            """Read a literal, and note where it stands: sqlglot does so for names alone."""
            token = self._curr
            made = super()._parse_primary()
            if made is not None and token is not None and not made.meta.get("end"):
                made.meta.update(start=token.start, end=self._prev.end)
            return made

        def _parse_is_rhs(self, *args: Any, **kwargs: Any) -> Any:
            """Read what stands behind IS; GAP is ours."""
            if self._match_text_seq(GAP):
                return exp.Var(this=GAP)
            return super()._parse_is_rhs(*args, **kwargs)


def parsed(text: str) -> exp.Expr:
    """Return the syntax of a formula.

    Raises
    ------
    FormulaError
        It cannot be read; the error says where.
    """
    if not text.strip():
        raise FormulaError(tr("There is no formula yet."), tr("Type one."), (0, len(text)))
    try:
        dialect = _Formulas()
        tokens = dialect.tokenize(text)
        made = dialect.parser().parse(tokens, text)
    except ParseError as error:
        raise _said(error, text) from error
    except TokenError as error:
        raise FormulaError(
            tr("A text or a name has no end."),
            tr("Close it: texts stand between ' and ', names between \" and \"."),
            (max(text.rfind("'"), text.rfind('"'), 0), len(text)),
        ) from error
    except _STUMBLES as error:
        raise FormulaError(
            tr("The formula is not finished."), tr("Write what is missing."), (0, len(text))
        ) from error
    except RecursionError as error:
        raise FormulaError(
            tr("The formula is nested too deeply."), tr("Take it apart."), (0, len(text))
        ) from error
    if len(made) != 1 or made[0] is None:
        raise FormulaError(tr("This is more than one formula."), tr("Leave one."), (0, len(text)))
    found: exp.Expr = made[0]
    return found


def _said(error: ParseError, text: str) -> FormulaError:
    """Return what the parser says as a sentence of ours, with its place."""
    first = error.errors[0] if error.errors else {}
    mark = str(first.get("highlight") or "")
    line, column = int(first.get("line") or 1), int(first.get("col") or 0)
    lines = text.split("\n")
    end = sum(len(one) + 1 for one in lines[: line - 1]) + column
    place = (max(end - len(mark), 0), max(end, 1))
    said = str(first.get("description") or "")
    if said.startswith("Expecting"):
        wanted = said.removeprefix("Expecting").strip()
        return FormulaError(
            tr("Something is missing here: {wanted} is expected.", wanted=wanted),
            tr("Write it."),
            place,
        )
    if mark and place[1] < len(text.rstrip()):
        return FormulaError(
            tr("“{mark}” does not belong here.", mark=mark),
            tr("Take it out, or write what goes before it."),
            place,
        )
    return FormulaError(
        tr("The formula is not finished."), tr("Write what is missing at its end."), place
    )
