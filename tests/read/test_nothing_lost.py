"""A value in is the same value out, or what was read says otherwise: for texts by chance."""

import csv
import datetime as dt
import io
import re
from decimal import Decimal
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from keen_trellis.data import Kind
from tests.read.source_case import SourceTestCase

ASCII = st.characters(min_codepoint=32, max_codepoint=126) | st.just("€")
SHAPES = st.sampled_from(
    [
        *(r"-?\d{1,4}", r"0\d{2,5}", r"\d{17,40}", r"\d{1,3}\.\d{1,3}", r"\d{1,3},\d{1,3}"),
        *(r"\d{1,2}[eE]\d{1,2}", r"\+\d{9,13}", r"\d{1,3}( \d{3}){1,2}", r"\d{1,3}(\.\d{3}){1,2}"),
        *(r"\d{1,3}(,\d{3}){1,2}\.\d\d", r"\d\.\d\.1[0-9]", r"[1-9]\.[1-9]\.20[0-2]\d"),
        *(r"20[0-2]\d-0[1-9]-[12]\d", r"20[0-2]\d-0[1-9]-[12]\d 1\d:[0-5]\d(:[0-5]\d)?"),
        *(
            r"0\d/0[1-9]/20[0-2]\d",
            r"1\d:[0-5]\d",
            r"[1-9]:[0-5]\d",
            r"true|false|TRUE",
            r"1-2-0\d",
        ),
        *(r"[A-Z]{2}-?\d{1,3}", r" ?[a-z]{1,3} ?", r"(NA|N/A|n/a|NULL|-|\.|nan|null|None|#N/A)"),
        *(
            r"20[0-2]\d-0[1-9]-[12]\dT1\d:00:00(Z|\+02:00)",
            r"-?0\.\d{1,20}",
            r"\d{1,3}%",
            r"€ ?\d\d",
        ),
    ]
)


@st.composite
def columns(draw: st.DrawFn) -> list[str]:
    """Draw the texts of a column: of one shape, or of one with a few of another."""
    shape, other = draw(SHAPES), draw(SHAPES)
    most = draw(st.lists(st.from_regex(shape, fullmatch=True, alphabet=ASCII), min_size=1))
    few = draw(st.lists(st.from_regex(other, fullmatch=True, alphabet=ASCII), max_size=2))
    gaps = draw(st.lists(st.just(""), max_size=2))
    return draw(st.permutations([*most, *few, *gaps]))


def is_kept(text: str, value: Any) -> bool:
    """Tell whether a value is what a text says, by other means than those that read it."""
    numbers = [int(part) for part in re.findall(r"\d+", text)]
    match value:
        case None:
            return not text
        case bool():
            return text.lower() == str(value).lower()
        case int() | float() | Decimal():
            plain = re.sub(r"[ '%€]", "", text)
            without = (plain, plain.replace(",", ""), plain.replace(".", "").replace(",", "."))
            return any(_is_number(one, value) for one in without)
        case dt.datetime():
            parts = [*value.timetuple()[:6]]
            return numbers[:3] == parts[:3] and (numbers[3:] + [0] * 3)[:3] == parts[3:]
        case dt.date():
            return sorted(numbers) == sorted([value.year, value.month, value.day])
        case dt.time():
            return [*numbers, 0][:3] == [value.hour, value.minute, value.second]
    return bool(text == value)


def _is_number(text: str, value: float | Decimal) -> bool:
    try:
        return type(value)(text) == value
    except (ValueError, ArithmeticError):
        return False


class TextsByChanceTest(SourceTestCase):
    @settings(max_examples=300, deadline=None)
    @given(columns())
    def test_every_cell_of_a_text_is_its_value_or_is_spoken_of(self, texts: list[str]) -> None:
        file = io.StringIO()
        csv.writer(file).writerows([["row", "it"], *([str(n), t] for n, t in enumerate(texts))])
        reading = self.read(file.getvalue())
        column, said = reading.table.column("it"), "\n".join(reading.notes)
        values = column.to_list()
        self.assertEqual(len(values), len(texts), said)
        for text, value in zip(texts, values, strict=True):
            if not is_kept(text, value):
                self.assertIn(text, said, (column.kind, texts, values))
        written: dict[Any, set[str]] = {}
        for text, value in zip(texts, values, strict=True):
            written.setdefault(value, set()).add(text)
        merged = [pair for value, pair in written.items() if value is not None and len(pair) > 1]
        if merged and column.kind is not Kind.BOOLEAN:
            self.assertTrue(any(f"“{t}”" in said for pair in merged for t in pair), said)
