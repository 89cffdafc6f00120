"""Dictionaries of many different texts, made in parts and brought together, keep every text."""

import unittest

import numpy as np
import pyarrow as pa
from hypothesis import given, settings
from hypothesis import strategies as st

from keen_trellis.data.dictionaries import ABSENT_CODE, encoded, joint, some_of


class DictionariesTest(unittest.TestCase):
    def test_many_different_texts_are_coded_in_parts_and_none_is_lost(self) -> None:
        rng = np.random.default_rng(7)
        shapes = ("K{}", "{}", "é{}", "{}日", "x" * 40 + "{}", "{:05}")
        numbers = rng.integers(0, 60_000, 260_000)
        texts = [shapes[n % len(shapes)].format(n) for n in numbers.tolist()]
        texts[::97] = [""] * len(texts[::97])
        texts[5::101] = ["a", "b", "é", "ab"][:1] * len(texts[5::101])
        cells: list[str | None] = [None if n % 89 == 0 else t for n, t in enumerate(texts)]
        whole = pa.array(cells, pa.string())
        for array in (whole, whole.slice(13, 230_000)):
            codes, dictionary = encoded(array)
            self.assertEqual(len(dictionary.unique()), len(dictionary))
            self.assertEqual(dictionary.null_count, 0)
            told = pa.array(codes, mask=codes == ABSENT_CODE)
            self.assertTrue(dictionary.take(told).equals(array))

    @settings(deadline=None)
    @given(st.lists(st.text(st.sampled_from("ab\0é𝄞"), max_size=5), unique=True), st.data())
    def test_some_texts_are_the_same_in_any_order(
        self, texts: list[str], data: st.DataObject
    ) -> None:
        how_many = data.draw(st.integers(1, 30))
        other = data.draw(st.permutations(texts))
        found = some_of(pa.array(texts, pa.string()), how_many).to_pylist()
        moved = some_of(pa.array(["no", *other], pa.string()).slice(1), how_many).to_pylist()
        self.assertCountEqual(found, moved)
        self.assertEqual(len(found), min(how_many, len(texts)))

    def test_two_dictionaries_as_one_have_each_text_once(self) -> None:
        first, second = pa.array(["b", "x", "a", ""]), pa.array(["a", "b", "c"])
        both = joint(first, second)
        self.assertEqual(both.dictionary.to_pylist(), ["a", "b", "c", "x", ""])
        self.assertEqual(both.size, 5)
        moved = both.moved(np.array([0, 1, ABSENT_CODE, 3], np.int32))
        self.assertEqual(moved.tolist(), [1, 3, ABSENT_CODE, 4])
        self.assertIs(joint(first, second), both)
        self.assertEqual(joint(first.slice(0, 0), second).size, 3)
