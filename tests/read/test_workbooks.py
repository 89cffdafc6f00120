"""Sheets as people make them: titles, merges, totals, errors, numbers as text, in every format."""

import datetime as dt
import zipfile
from pathlib import Path
from unittest import mock

import openpyxl
from msoffcrypto.format.ooxml import OOXMLFile
from odf import table as odf
from odf.opendocument import OpenDocumentSpreadsheet
from odf.text import P
from openpyxl.workbook.defined_name import DefinedName
from openpyxl.worksheet.table import Table as SheetTable
from openpyxl.worksheet.worksheet import Worksheet

import keen_trellis as kt
from keen_trellis.base.errors import PasswordError
from keen_trellis.data import Kind
from keen_trellis.layouts.source_layouts import SheetLayout
from keen_trellis.read import read_sheet, sheet_names, unpacking, workbook_parts
from keen_trellis.servers.secrets import LockedFile, Secrets
from tests.read.source_case import SourceTestCase

CALC = "urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0"
TITLED: list[list[object]] = [
    [None, "Crew of the season"],
    [],
    [None, "id", "name", "since", "share"],
    [None, 101, "Ailsa Orme", dt.date(2020, 5, 1), 0.5],
    [],
    [None, 102, "Hamish Udal", None, 1],
]


class WorkbookTest(SourceTestCase):
    def workbook(self, rows: list[list[object]], name: str = "book.xlsx") -> Path:
        path = self.folder / name
        made = openpyxl.Workbook()
        sheet = made.active
        assert sheet is not None
        sheet.title = "Crew"
        for row in rows:
            sheet.append(row)
        made.create_sheet("Nothing")
        made.save(path)
        return path

    def opened(self, path: Path) -> tuple[openpyxl.Workbook, Worksheet]:
        book = openpyxl.load_workbook(path)
        return book, book["Crew"]

    def test_the_header_is_found_below_titles_and_empty_edges_left_out(self) -> None:
        reading = read_sheet(self.workbook(TITLED), "Crew")
        self.assertEqual(reading.taken_as, "header in row 3")
        self.assertEqual(reading.notes, ("1 blank row of book.xlsx › Crew left out.",))
        self.assertEqual(
            list(reading.table.rows()),
            [(101, "Ailsa Orme", dt.date(2020, 5, 1), 0.5), (102, "Hamish Udal", None, 1.0)],
        )

    def test_what_is_a_header_and_what_is_not(self) -> None:
        for rows, columns, n_rows in (
            ([["route", 2025, 2026], ["KP-MS", 12, 14]], ("route", "2025", "2026"), 1),
            ([["KP-MS", 12], ["KP-GH", 14]], ("column 1", "column 2"), 2),
            ([["a", None, "c"], [1, 2, 3], [4, 5, 6]], ("a", "column 2", "c"), 2),
            ([["only"], ["x"], ["y"]], ("only",), 2),
        ):
            with self.subTest(rows=rows):
                table = read_sheet(self.workbook(rows), "Crew").table
                self.assertEqual((table.columns, len(table)), (columns, n_rows))
        denied = read_sheet(self.workbook([["a"], ["b"]]), "Crew", SheetLayout(header_row=0))
        self.assertEqual(list(denied.table.rows()), [("a",), ("b",)])

    def test_every_kind_of_cell_arrives(self) -> None:
        moment = dt.datetime(2026, 1, 5, 8, 30)
        cells = [dt.time(9, 30), True, moment, dt.timedelta(hours=30), 7, 0.25, "007"]
        path = self.workbook([["time", "yes", "moment", "long", "n", "share", "code"], cells])
        book, sheet = self.opened(path)
        sheet["D2"].number_format = "[h]:mm:ss"
        book.save(path)
        reading = read_sheet(path, "Crew")
        self.assertEqual(
            list(reading.table.rows()), [(dt.time(9, 30), True, moment, 30.0, 7, 0.25, "007")]
        )
        self.assertIn("“long” holds durations of a day and more", reading.notes[0])

    def test_numbers_kept_as_text_stay_text_and_are_offered(self) -> None:
        rows: list[list[object]] = [[n, f"{n:03}", str(n)] for n in range(20, 60)]
        path = self.workbook([["id", "mentor", "n"], *rows])
        reading = read_sheet(path, "Crew")
        self.assertEqual(
            [f.kind for f in reading.table.fields], [Kind.INTEGER, Kind.TEXT, Kind.TEXT]
        )
        (found,) = reading.noticed
        self.assertEqual(found.text, "All 40 values of “n” look like integers kept as text.")
        assert found.remedy
        taken = read_sheet(path, "Crew", kinds=found.remedy.kinds)
        self.assertIs(taken.table.field("n").kind, Kind.INTEGER)
        self.assertEqual(taken.noticed, ())

    def test_a_date_column_with_one_word_in_it(self) -> None:
        days: list[list[object]] = [[dt.date(2026, 1, n)] for n in range(1, 31)]
        path = self.workbook([["day"], *days, ["tba"]])
        (found,) = read_sheet(path, "Crew").noticed
        self.assertIn("30 of its values look like dates: 1 value is not, such as “tba”", found.text)
        chosen = read_sheet(path, "Crew", kinds={"day": Kind.DATE})
        self.assertEqual(chosen.table.column("day").to_list()[-2:], [dt.date(2026, 1, 30), None])
        self.assertEqual(chosen.unfit[0].texts, ("tba",))

    def test_a_total_row_is_proposed_for_leaving_out(self) -> None:
        rows = [["zone", "target"], ["north", 10], ["south", 20], ["west", 5]]
        text = ["Total", "35"]  # where somebody typed an apostrophe before the figure
        for last, why in (
            (["Total", 35], "“Total”"),
            ([None, 35], "sums of the rows above"),
            (text, "“Total”"),
        ):
            path = self.workbook([*rows, last])
            kept = read_sheet(path, "Crew")
            self.assertEqual(len(kept.table), 4)
            self.assertRegex(kept.notes[0], f"looks like a total: .*{why}")
            out = read_sheet(path, "Crew", SheetLayout(total_row="left out"))
            self.assertEqual(len(out.table), 3)
        no_total = read_sheet(self.workbook(rows), "Crew", SheetLayout(total_row="left out"))
        self.assertEqual((len(no_total.table), len(no_total.notes)), (3, 1))

    def test_merged_cells_are_filled_only_when_asked(self) -> None:
        rows = [["zone", "port"], ["north", "Brae"], [None, "Tolland"], ["south", "Kelp"]]
        path = self.workbook(rows)
        book, sheet = self.opened(path)
        sheet.merge_cells("A2:A3")
        book.save(path)
        reading = read_sheet(path, "Crew")
        self.assertEqual(reading.table.column("zone").to_list(), ["north", None, "south"])
        self.assertIn("1 range of merged cells", reading.notes[0])
        filled = read_sheet(path, "Crew", SheetLayout(merged="filled"))
        self.assertEqual(filled.table.column("zone").to_list(), ["north", "north", "south"])

    def test_errors_are_blanks_and_counted(self) -> None:
        path = self.workbook([["a", "b"], [1, "x"], ["#N/A", "y"], ["#DIV/0!", "z"]])
        reading = read_sheet(path, "Crew")
        self.assertEqual(reading.table.column("a").to_list(), [1, None, None])
        self.assertEqual(
            reading.notes[0],
            "2 cells hold errors in book.xlsx › Crew, the first in A3; they are read as blanks.",
        )

    def test_named_ranges_and_tables_are_offered_and_read(self) -> None:
        path = self.workbook([["note"], ["code", "n", "x"], ["KP", 1, 2], ["MS", 3, 4], ["end"]])
        book, sheet = self.opened(path)
        sheet.add_table(SheetTable(displayName="Routes", ref="A2:B4"))
        book.defined_names["Codes"] = DefinedName("Codes", attr_text="Crew!$A$2:$A$4")
        sheet.sheet_state = "visible"
        book["Nothing"].sheet_state = "hidden"
        book.save(path)
        parts = [(p.name, p.sheet, p.named, p.hidden) for p in workbook_parts(path)]
        self.assertEqual(
            parts,
            [
                ("Crew", "Crew", False, False),
                ("Nothing", "Nothing", False, True),
                ("Routes", "Crew", True, False),
                ("Codes", "Crew", True, False),
            ],
        )
        routes = read_sheet(path, "Crew", named="Routes").table
        self.assertEqual(routes.columns, ("code", "n"))
        self.assertEqual(list(routes.rows()), [("KP", 1), ("MS", 3)])
        codes = read_sheet(path, "Crew", named="Codes").table
        self.assertEqual(list(codes.rows()), [("KP",), ("MS",)])
        with self.refused("no range or table called “Route”", "It has: Crew"):
            read_sheet(path, "Crew", named="Route")

    def test_an_open_document_sheet_with_merges_errors_and_ranges(self) -> None:
        book, sheet = OpenDocumentSpreadsheet(), odf.Table(name="Crew")

        def cell(text: str, **more: object) -> odf.TableCell:
            made = odf.TableCell(valuetype="string", **more)
            made.addElement(P(text=text))
            return made

        wrong = cell("#N/A")
        wrong.setAttrNS(CALC, "value-type", "error")
        long = odf.TableCell(valuetype="time", timevalue="PT30H00M00S")
        for cells in (
            [cell("zone"), cell("code"), cell("hours")],
            [cell("north", numberrowsspanned=2, numbercolumnsspanned=1), cell("KP"), long],
            [odf.CoveredTableCell(), wrong, odf.TableCell()],
        ):
            row = odf.TableRow()
            for one in cells:
                row.addElement(one)
            sheet.addElement(row)
        book.spreadsheet.addElement(sheet)
        names = odf.NamedExpressions()
        place = {"cellrangeaddress": "$Crew.$B$1:.$B$3", "basecelladdress": "$Crew.$A$1"}
        names.addElement(odf.NamedRange(name="codes", **place))
        book.spreadsheet.addElement(names)
        path = self.folder / "crew.ods"
        book.save(path)
        filled = read_sheet(path, "Crew", SheetLayout(merged="filled"))
        self.assertEqual(list(filled.table.rows()), [("north", "KP", 30.0), ("north", None, None)])
        self.assertEqual([p.name for p in workbook_parts(path)], ["Crew", "codes"])
        self.assertEqual(list(read_sheet(path, "Crew", named="codes").table.rows()), [("KP",)])

    def test_what_cannot_be_read_is_said(self) -> None:
        path = self.workbook([["id"], [1]])
        self.assertEqual(sheet_names(path), ["Crew", "Nothing"])
        torn = self.text(path.read_bytes()[:900], "torn.xlsx")
        bomb = self.folder / "bomb.xlsx"
        with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("xl/workbook.xml", b"0" * (9 << 20))
        far = self.workbook([["id"], [1]], "far.xlsx")
        book, sheet = self.opened(far)
        sheet["XFD1048576"] = "stray"
        book.save(far)
        locked = self.folder / "locked.xlsx"
        with path.open("rb") as plain, locked.open("wb") as file:
            OOXMLFile(plain).encrypt("open-harbour", file)
        broken = self.text(bytes.fromhex("d0cf11e0a1b11ae1") + b"?" * 900, "broken.xls")
        for file, name, *words in (
            (path, "Crow", "no sheet “Crow”", "Crew, Nothing"),
            (path, "Nothing", "book.xlsx › Nothing is empty"),
            (self.text("a,b\n1,2\n", "text.xlsx"), "Crew", "not a workbook"),
            (torn, "Crew", "cut off or damaged", "anew"),
            (bomb, "Crew", "bomb.xlsx unpacks to 9 MB", "which no table does"),
            (far, "Crew", "as far apart as A1 and XFD1048576", "Delete"),
            (locked, "Crew", "protected by a password", "Save a copy without"),
            (broken, "Crew", "broken.xls is not a workbook", "save it anew"),
        ):
            with (
                self.subTest(words=words),
                mock.patch.object(unpacking, "SUSPICIOUS_FROM", 4 << 20),
                self.refused(*words),
            ):
                read_sheet(file, name)


class LockedTest(SourceTestCase):
    """A workbook with a password is opened in memory; nothing of it is written anywhere."""

    def locked(self) -> Path:
        book = openpyxl.Workbook()
        assert book.active is not None
        book.active.title = "Crew"
        for row in (["id", "name"], [101, "Ailsa Orme"], [102, "Hamish Udal"]):
            book.active.append(row)
        plain = self.folder / "plain.xlsx"
        book.save(plain)
        path = self.folder / "locked.xlsx"
        with plain.open("rb") as file, path.open("wb") as target:
            OOXMLFile(file).encrypt("open-harbour", target)
        plain.unlink()
        return path

    def test_it_is_read_with_its_password_alone(self) -> None:
        path = self.locked()
        table = kt.read(path, password="open-harbour")
        self.assertEqual(table.column("name").to_list(), ["Ailsa Orme", "Hamish Udal"])
        with self.assertRaises(PasswordError) as caught:
            kt.read(path, password="open sesame")
        self.assertEqual(
            str(caught.exception), "The password does not open locked.xlsx. Enter the right one."
        )
        secrets = Secrets()
        with self.assertRaises(PasswordError):
            workbook_parts(path, secrets)
        secrets.give(LockedFile.of(path), "open-harbour")
        self.assertEqual([part.name for part in workbook_parts(path, secrets)], ["Crew"])
        with self.refused(f"{path} has no sheet “Crow”"):
            read_sheet(path, "Crow", secrets=secrets)
        self.assertEqual([one.name for one in self.folder.iterdir()], ["locked.xlsx"])
