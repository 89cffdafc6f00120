"""The one vocabulary of comparisons, for links, filters and the conditions of databases."""

from __future__ import annotations

from typing import Literal, get_args

from keen_trellis.base.language import tr

Comparison = Literal["=", "<>", "<", "<=", ">", ">="]
"""How two values are compared, with SQL's meaning: with a blank, none of them is true."""

Operator = Literal["=", "<>", "<", "<=", ">", ">=", "nearest earlier", "nearest later"]
"""How a left value is compared with a right one.

“Nearest earlier” finds the right rows with the largest value that is not above the left one,
“nearest later” those with the smallest that is not below it.
"""

Test = Literal[
    "=",
    "<>",
    "<",
    "<=",
    ">",
    ">=",
    "in",
    "between",
    "contains",
    "begins with",
    "is blank",
    "is not blank",
]
"""What can be asked of one column: a comparison, or a test of its own."""

COMPARISONS: tuple[Comparison, ...] = get_args(Comparison)
OPERATORS: tuple[Operator, ...] = get_args(Operator)
TESTS: tuple[Test, ...] = get_args(Test)
NEAREST: tuple[Operator, ...] = ("nearest earlier", "nearest later")
OF_TEXT: tuple[Test, ...] = ("contains", "begins with")
"""Tests that only a text can be asked."""

TURNED: dict[str, Comparison] = {
    "=": "=",
    "<>": "<>",
    "<": ">",
    "<=": ">=",
    ">": "<",
    ">=": "<=",
}
"""The comparison that holds with the two sides changed over."""

NEAR: dict[tuple[str, bool], Comparison] = {
    ("nearest earlier", False): ">=",
    ("nearest earlier", True): ">",
    ("nearest later", False): "<=",
    ("nearest later", True): "<",
}
"""What holds between a left value and any candidate for its nearest, by whether it is strict."""

_MANY = 1_000_000
VALUES_OF: dict[Test, range] = {
    **{comparison: range(1, 2) for comparison in COMPARISONS},
    "contains": range(1, 2),
    "begins with": range(1, 2),
    "in": range(1, _MANY),
    "between": range(2, 3),
    "is blank": range(0, 1),
    "is not blank": range(0, 1),
}
"""How many values each test takes."""

OPERATOR_WORDS: dict[Operator, str] = {
    "=": tr("equals"),
    "<>": tr("is not"),
    "<": tr("is before or less than"),
    "<=": tr("is at most"),
    ">": tr("is after or more than"),
    ">=": tr("is at least"),
    "nearest earlier": tr("takes the nearest earlier or equal"),
    "nearest later": tr("takes the nearest later or equal"),
}
TEST_WORDS: dict[Test, str] = {
    "=": tr("is"),
    "<>": tr("is not"),
    "<": tr("is less than"),
    "<=": tr("is at most"),
    ">": tr("is more than"),
    ">=": tr("is at least"),
    "in": tr("is one of"),
    "between": tr("is between"),
    "contains": tr("contains"),
    "begins with": tr("begins with"),
    "is blank": tr("is blank"),
    "is not blank": tr("is not blank"),
}
