"""Feeds formulas made of bytes to the reader and the checker for some minutes, guided by coverage.

Any text must give an expression or a sentence. `make fuzz` installs atheris for it.
"""

from __future__ import annotations

import sys
import time

import atheris

with atheris.instrument_imports(include=["keen_trellis.formulas", "keen_trellis.plan"]):
    from keen_trellis.formulas.formula_parser import formula

from keen_trellis.base.errors import UserError
from keen_trellis.compute.formula.evaluate import evaluated
from keen_trellis.compute.table_schema import schema_of
from keen_trellis.data import Table

TABLE = Table.from_columns({"route": ["KP-MS", None], "n": [1, None], "x": [1.5, None]})
SCHEMA = schema_of(TABLE)
WORDS = (
    *("route", "n", "x", "'a'", "1", "1.5", "(", ")", ",", "+", "-", "*", "/", "||", "=", "<", ">"),
    *("NOT", "AND", "OR", "IS", "NULL", "GAP", "TRUE", "CASE", "WHEN", "THEN", "ELSE", "END", "IN"),
    *("CAST(", "AS DATE)", "BETWEEN", "LIKE", "ESCAPE", "INTERVAL '1' DAY", "DATE '2026-01-31'"),
    *("UPPER(", "TRIM(", "EXTRACT(YEAR FROM", "TRUNC(", "COALESCE(", "SUBSTRING(", "TIDY("),
)
LONGEST_S = 0.5


def try_one(data: bytes) -> None:
    given = atheris.FuzzedDataProvider(data)
    if given.ConsumeBool():
        text = given.ConsumeUnicodeNoSurrogates(400)
    else:
        count = given.ConsumeIntInRange(1, 40)
        text = " ".join(WORDS[given.ConsumeIntInRange(0, len(WORDS) - 1)] for _ in range(count))
    began = time.perf_counter()
    try:
        evaluated(formula(text, SCHEMA), TABLE)
    except UserError as error:
        assert str(error).strip(), text
    took_s = time.perf_counter() - began
    assert took_s < LONGEST_S, f"{took_s:.2f} s for {text!r}"


if __name__ == "__main__":
    formula("1", SCHEMA)  # sqlglot is loaded before time is taken
    atheris.Setup([*sys.argv, "-max_total_time=300", "-rss_limit_mb=2048"], try_one)
    atheris.Fuzz()
