"""What a place offers and how a source can be read, worked out without any widget."""

import os
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq

from keen_trellis.base.progress import quiet
from keen_trellis.desktop.adding.entries import entries_of, nice_name, rows_to_look_at
from keen_trellis.desktop.adding.source_settings import settings_of
from keen_trellis.document import (
    ColumnarSource,
    DelimitedSource,
    FolderSource,
    QuerySource,
    SheetSource,
    Source,
    TableSource,
    TypedSource,
)
from keen_trellis.layouts.source_layouts import SheetLayout, TextLayout
from keen_trellis.run.source_reading import read_source
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Server, SqliteFile
from tests.read.source_case import SourceTestCase

DEMO = Path(__file__).parents[2] / "demo"
SERVER = Server("postgresql", "db.example", "harbour", "reader")


class EntriesTest(SourceTestCase):
    def offered(self, place: Path | SqliteFile) -> list[tuple[str, str, type, str]]:
        entries = entries_of(place, Secrets(), quiet)
        return [(e.text, e.remark, type(e.source), e.name) for e in entries]

    def test_every_place_offers_its_tables_with_names_for_lanes(self) -> None:
        pq.write_table(pa.table({"n": [1]}), self.folder / "tide_levels.parquet")
        for place, expected in (
            (DEMO / "fares.csv", [("fares.csv", "", DelimitedSource, "Fares")]),
            (
                self.folder / "tide_levels.parquet",
                [("tide_levels.parquet", "", ColumnarSource, "Tide levels")],
            ),
            (DEMO / "takings", [("*.csv", "3 files", FolderSource, "Takings")]),
            (
                DEMO / "harbour.sqlite",
                [
                    ("routes", "~23 rows", TableSource, "Routes"),
                    ("A query typed by hand", "", QuerySource, "Query"),
                ],
            ),
            (
                DEMO / "operations.ods",
                [(name, "", SheetSource, name) for name in ("Sailings", "Vessels", "Crew")],
            ),
        ):
            with self.subTest(place=place.name):
                self.assertEqual(self.offered(place), expected)

    def test_a_folder_offers_each_sort_of_file_and_says_when_there_is_none(self) -> None:
        for name in ("a.csv", "b.csv", "c.xlsx", "notes.pdf"):
            self.text("a,b\n1,2\n", name)
        offered = [(text, remark) for text, remark, *_ in self.offered(self.folder)]
        self.assertEqual(offered, [("*.csv", "2 files"), ("*.xlsx", "1 file")])
        empty = self.folder / "empty"
        empty.mkdir()
        with self.refused("holds no text, workbook or columnar file"):
            entries_of(empty, Secrets(), quiet)

    def test_only_small_sources_are_read_whole_for_a_look(self) -> None:
        small = DelimitedSource(path=str(self.text("a\n1\n")))
        large = self.folder / "large.csv"
        with large.open("wb") as file:
            os.truncate(file.fileno(), 9 << 20)
        self.assertIsNone(rows_to_look_at(small))
        self.assertEqual(rows_to_look_at(small.at(str(large))), 2_000)
        self.assertIsNone(rows_to_look_at(TypedSource(columns=("a",))))
        self.assertEqual(rows_to_look_at(TableSource(database=SERVER, table="t")), 2_000)
        self.assertEqual(nice_name("tide_levels-2026"), "Tide levels 2026")


class SettingsTest(SourceTestCase):
    """Every choice that is offered can be taken, and reads the source in that way."""

    def words(self, source: Source) -> dict[str, str]:
        reading = None if isinstance(source, TableSource | QuerySource) else read_source(source)
        return {setting.name: setting.words for setting in settings_of(source, reading)}

    def test_what_was_found_is_what_is_shown(self) -> None:
        path = str(self.text("n;d\n1.204,5;25.04.2026\n"))
        self.assertEqual(
            self.words(DelimitedSource(path=path)),
            {
                "delimiter": "Semicolon separated",
                "encoding": "UTF-8",
                "header_row": "header in row 1",
                "quote": 'quotes "',
                "decimal": "decimal comma",
                "thousands": "thousands point",
                "dates": "day first",
                "blanks": "no word is a blank",
                "total_row": "last row kept",
            },
        )
        sheet = SheetSource(path=str(DEMO / "operations.ods"), sheet="Sailings")
        self.assertEqual(
            self.words(sheet),
            {
                "header_row": "header in row 3",
                "merged": "merged cells as they are",
                "total_row": "last row kept",
                "blanks": "no word is a blank",
            },
        )
        folder = FolderSource(path=str(DEMO / "takings"), file_column="from")
        self.assertEqual(self.words(folder)["file_column"], "file names in “from”")
        self.assertEqual(
            self.words(QuerySource(database=SERVER, query="select 1", timeout_s=60)),
            {"zone": "moments in UTC", "timeout_s": "given up after a minute"},
        )
        self.assertEqual(self.words(TypedSource(columns=("a",))), {})

    def test_each_choice_of_a_text_can_be_taken(self) -> None:
        source = DelimitedSource(path=str(self.text("a,b\n1,2\n3,4\n")))
        for setting in settings_of(source, read_source(source)):
            for value, words in setting.options:
                with self.subTest(setting=setting.name, words=words):
                    chosen = source.with_setting(setting.name, value)
                    self.assertEqual(getattr(chosen.layout, setting.name), value)
                    self.assertNotEqual(chosen, source)

    def test_what_is_not_on_the_list_is_shown_as_it_is(self) -> None:
        odd = DelimitedSource(
            path=str(self.text("a^b\n1^2\n")), layout=TextLayout(delimiter="^", encoding="cp437")
        )
        shown = self.words(odd)
        self.assertEqual((shown["delimiter"], shown["encoding"]), ("“^” separated", "cp437"))
        late = SheetSource(
            path=str(DEMO / "operations.ods"), sheet="Crew", layout=SheetLayout(header_row=20)
        )
        self.assertEqual(self.words(late)["header_row"], "header in row 20")
