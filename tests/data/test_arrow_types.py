"""Every type that Arrow can hold a value in: each gives the same column, or is refused by name."""

import datetime as dt
import tempfile
import unittest
from decimal import Decimal
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.feather
import pyarrow.parquet
from hypothesis import given
from hypothesis import strategies as st

from keen_trellis.data import Kind, from_arrow
from keen_trellis.read import read_columnar

DAY, NOON = dt.date(1969, 7, 20), dt.datetime(2026, 11, 30, 12, 30, 15)
TEXTS = ["Kelp", "", None, "Brae", "Kelp"]
VALUES: dict[Kind, tuple[list[Any], tuple[pa.DataType, ...]]] = {
    Kind.TEXT: (TEXTS, (pa.string(), pa.large_string(), pa.string_view())),
    Kind.INTEGER: (
        [1, None, 0, 7, 7],
        (
            *(pa.int8(), pa.int16(), pa.int32(), pa.int64()),
            *(pa.uint8(), pa.uint16(), pa.uint32()),
        ),
    ),
    Kind.NUMBER: ([1.5, None, -0.25, 8.0, 8.0], (pa.float16(), pa.float32(), pa.float64())),
    Kind.EXACT: (
        [Decimal("1.50"), None, Decimal("-0.25"), Decimal("8.00"), Decimal("8.00")],
        (
            *(pa.decimal32(9, 2), pa.decimal64(18, 2), pa.decimal128(38, 2)),
            pa.decimal256(40, 2),
        ),
    ),
    Kind.BOOLEAN: ([True, None, False, True, True], (pa.bool_(),)),
    Kind.DATE: ([DAY, None, dt.date(2026, 2, 28), DAY, DAY], (pa.date32(), pa.date64())),
    Kind.DATE_TIME: (
        [NOON, None, dt.datetime(1900, 1, 1), NOON, NOON],
        tuple(pa.timestamp(unit) for unit in ("s", "ms", "us", "ns")),
    ),
    Kind.TIME: (
        [dt.time(9, 15), None, dt.time(0), dt.time(23, 59, 59), dt.time(9, 15)],
        (pa.time32("s"), pa.time32("ms"), pa.time64("us"), pa.time64("ns")),
    ),
}
WIDER = {
    pa.string_view(): pa.string(),
    pa.decimal32(9, 2): pa.decimal128(9, 2),
    pa.decimal64(18, 2): pa.decimal128(18, 2),
}
NONE_OF_OURS = (
    pa.array([b"x"]),
    pa.array([b"x"], pa.large_binary()),
    pa.array([b"x"], pa.binary_view()),
    pa.array([b"x"], pa.binary(1)),
    pa.array([[1, 2]]),
    pa.array([{"a": 1}]),
    pa.array([[("a", 1)]], pa.map_(pa.string(), pa.int64())),
    pa.array([(1, 2, 3)], pa.month_day_nano_interval()),
    pa.array([dt.timedelta(1)]),
)


def packed(plain: pa.Array) -> dict[str, pa.Array | pa.ChunkedArray]:
    """Return an array in every way in which Arrow packs one."""
    odd = pa.concat_arrays([plain[:1], plain, plain[:2]])[1:-2]  # it begins within its buffers
    made = {"plain": plain, "a slice": odd, "chunks": pa.chunked_array([plain[:2], plain[2:]])}
    made["empty chunks"] = pa.chunked_array([plain[:0], plain, plain[:0]])
    wide = WIDER.get(plain.type, plain.type)  # Arrow itself cannot make a dictionary of some
    known = plain.cast(wide).dictionary_encode()
    made["dictionary"] = pa.DictionaryArray.from_arrays(
        known.indices, known.dictionary.cast(plain.type)
    )
    if plain.type != pa.string_view():
        made["runs"] = pc.run_end_encode(plain)
        made["runs in chunks"] = pa.chunked_array([made["runs"][:3], made["runs"][3:]])
    return made


class ArrowTypesTest(unittest.TestCase):
    def test_every_type_and_packing_gives_the_same_column(self) -> None:
        for kind, (values, types) in VALUES.items():
            for stored in types:
                plain = pa.array(values, pa.float32() if stored == pa.float16() else stored)
                for name, array in packed(plain.cast(stored)).items():
                    with self.subTest(stored=str(stored), packed=name):
                        column = from_arrow(array)
                        self.assertEqual((column.kind, column.to_list()), (kind, values))

    def test_of_no_rows_the_type_is_known_as_well(self) -> None:
        for kind, (_, types) in VALUES.items():
            for stored in types:
                self.assertEqual(from_arrow(pa.array([], stored)).kind, kind)
                self.assertEqual(from_arrow(pa.chunked_array([], stored)).kind, kind)
                if stored != pa.string_view():
                    runs = pa.run_end_encoded(pa.int32(), stored)
                    self.assertEqual(from_arrow(pa.chunked_array([], runs)).kind, kind)

    @given(st.lists(st.none() | st.text(), max_size=30), st.integers(0, 30))
    def test_texts_of_any_letters_come_out_of_views_as_they_went_in(
        self, texts: list[str | None], cut: int
    ) -> None:
        sound = [None if t is None else t.encode(errors="replace").decode() for t in texts]
        view = pa.array(sound, pa.string_view())
        for array in (view, pa.chunked_array([view[:cut], view[cut:]])):
            self.assertEqual(from_arrow(array).to_list(), sound)

    def test_what_is_no_value_of_ours_is_refused_by_its_name(self) -> None:
        for array in NONE_OF_OURS:
            with self.subTest(str(array.type)), self.assertRaisesRegex(TypeError, "of the type"):
                from_arrow(array)

    def test_files_tell_only_of_what_is_changed(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            for kind, (values, types) in VALUES.items():
                for number, stored in enumerate(types):
                    plain = pa.array(values, pa.float32() if stored == pa.float16() else stored)
                    table = pa.table({"c": plain.cast(stored)})
                    path = Path(folder) / f"{kind}{number}.parquet"
                    pyarrow.parquet.write_table(table, path)
                    with self.subTest(str(stored)):
                        reading = read_columnar(path)
                        column = reading.table.column("c")
                        self.assertEqual((column.kind, column.to_list()), (kind, values))
                        self.assertEqual(reading.noticed, ())


if __name__ == "__main__":
    unittest.main()
