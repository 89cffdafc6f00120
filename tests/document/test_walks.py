"""Lists that something is made from, walked: steps, settings of a document, errors, places."""

import ast
import re
import tempfile
import unittest
from collections.abc import Iterator
from importlib import import_module
from pathlib import Path
from typing import Any

from keen_trellis.base.errors import UserError
from keen_trellis.data import Table
from keen_trellis.document import Trellis, describe, load, save
from keen_trellis.document.edits import AddLane, InsertItem, apply
from keen_trellis.document.items import STEPS, StepItem
from keen_trellis.document.sources import TypedSource
from keen_trellis.document.storage import schema
from keen_trellis.places.known import PLACES
from keen_trellis.places.place_session import Session
from keen_trellis.run import Runner
from keen_trellis.sql.dialects import DIALECTS

ROOT = Path(__file__).parents[2]
GUIDE = (ROOT / "docs" / "guide.md").read_text()
FORMAT = (ROOT / "docs" / "format.md").read_text()


def below(above: Any) -> Iterator[Any]:
    for one in above.__subclasses__():
        yield one
        yield from below(one)


def lines_of(table: Table) -> tuple[str, ...]:
    """Return the names and cells of a table as an example has them."""
    texts = [column.texts().to_pylist() for column in table.fetched()]
    rows = zip(*([text or "" for text in one] for one in texts), strict=True)
    return (",".join(table.columns), *(",".join(row) for row in rows))


def on_a_lane(step: StepItem, before: tuple[str, ...]) -> tuple[Trellis, str]:
    """Return a trellis of one lane with a step on it, and the step's id."""
    cells = [tuple(line.split(",")) for line in before]
    trellis, _ = apply(
        AddLane("Rows", TypedSource(columns=cells[0], rows=tuple(cells[1:]))), Trellis()
    )
    trellis, _ = apply(InsertItem("rows", "rows", step), trellis)
    return trellis, trellis.lanes[0].items[0].id


class StepsTest(unittest.TestCase):
    def test_each_does_what_its_example_says_and_the_guide_shows(self) -> None:
        for kind in STEPS:
            step, before, after = kind.example()
            with self.subTest(step.type):
                self.assertIs(type(step), kind)
                trellis, part = on_a_lane(step, before)
                results = Runner().run(trellis)
                rows = results.rows[part]
                assert isinstance(rows, Table), rows
                self.assertEqual(lines_of(rows), after)
                self.assertNotEqual(before, after)
                made = results.given[part]
                assert not isinstance(made, UserError)
                self.assertTrue(made.sentence().endswith("."))
                self.assertIn(f"### {step.type.capitalize()}\n", GUIDE, "run `make docs`")
                self.assertIn(
                    step.sentence(trellis, trellis.lanes[0]), "\n".join(describe(trellis))
                )

    def test_each_is_saved_and_opened_as_it_is(self) -> None:

        for kind in STEPS:
            trellis, _ = on_a_lane(*kind.example()[:2])
            with self.subTest(kind.__name__), tempfile.TemporaryDirectory() as folder:
                save(trellis, Path(folder) / "one.trellis")
                self.assertEqual(load(Path(folder) / "one.trellis").lanes, trellis.lanes)


class SettingsTest(unittest.TestCase):
    def test_the_page_of_the_format_names_each(self) -> None:
        named = set(re.findall(r"\w+", " ".join(re.findall(r"`([^`]*)`", FORMAT))))
        for name, model in schema()["$defs"].items():
            missing = set(model.get("properties", ())) - named
            self.assertFalse(missing, f"{name}: {missing}")


class ErrorsTest(unittest.TestCase):
    def test_each_is_expected_by_a_test(self) -> None:
        expected: set[str] = set()
        for file in (ROOT / "tests").rglob("*.py"):
            for call in ast.walk(ast.parse(file.read_text())):
                name = getattr(getattr(call, "func", None), "attr", "")
                if name in ("assertRaises", "assertRaisesRegex", "assertIsInstance"):
                    expected |= {n.id for n in ast.walk(call) if isinstance(n, ast.Name)}
        missing = {one.__name__ for one in below(UserError)} - expected
        self.assertFalse(missing)


class PlacesTest(unittest.TestCase):
    def test_each_has_a_dialect_a_session_and_words(self) -> None:
        for sort, kind in PLACES.items():
            with self.subTest(sort):
                self.assertIn(kind.dialect, DIALECTS)
                module, name = kind.session.split(":")
                session = getattr(import_module(f"keen_trellis.places.{module}"), name)
                self.assertTrue(issubclass(session, Session))
                self.assertEqual(session.dialect, DIALECTS[kind.dialect])
                self.assertIn(kind.words, GUIDE)
                self.assertEqual(kind.has_account, not kind.asks)
                if kind.asks:
                    at = kind.address_of({one.name: one.usual or "1" for one in kind.asks})
                    self.assertEqual(at.type, sort)


if __name__ == "__main__":
    unittest.main()
