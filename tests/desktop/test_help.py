"""The guide inside: on what is selected, on what stands out, on every error, and found by words."""

import contextlib
import io
import re
import unittest
from typing import get_args
from unittest import mock

import xlsxwriter
from PySide6.QtCore import QSize, Qt, QUrl
from PySide6.QtGui import QFont, QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QTextBrowser,
    QWidget,
)

import keen_trellis as kt
from keen_trellis.advice.findings import Topic
from keen_trellis.base.errors import TooManyRowsError, UserError
from keen_trellis.base.limits import Limits, set_limits
from keen_trellis.base.logs import begin_log
from keen_trellis.cli.main import main
from keen_trellis.desktop import theme as themes
from keen_trellis.desktop.actions import ACTIONS
from keen_trellis.desktop.application import scale_of
from keen_trellis.desktop.bench.finding_line import FindingLine
from keen_trellis.desktop.help import manual, topics
from keen_trellis.desktop.help.help_panel import HelpPanel
from keen_trellis.desktop.parts import VIEWS
from keen_trellis.document import edits
from keen_trellis.document.sources import DelimitedSource, QuerySource, SheetSource
from keen_trellis.machine.settings import SETTINGS, read_settings, settings_file, usual_log
from keen_trellis.run.source_reading import read_source
from keen_trellis.servers.server import SqliteFile
from tests.desktop.window_case import WindowTestCase


def errors(kind: type[UserError] = UserError) -> set[type[UserError]]:
    return {kind, *(one for sub in kind.__subclasses__() for one in errors(sub))}


NATIVE = QKeySequence.SequenceFormat.NativeText


class ManualTest(unittest.TestCase):
    def test_every_page_finding_and_error_has_a_section(self) -> None:
        wanted = {page.help for view in VIEWS.values() for page in view.pages}
        wanted |= {topics.topic_of(kind.__new__(kind)) for kind in errors()}
        wanted |= {topics.topic_of_finding(one) for one in get_args(Topic)}
        wanted |= {topics.topic_of_finding(one) for one in ("promise.3", "stays before", "lane.0")}
        self.assertGreater(len(wanted), 40)
        for title in wanted:
            self.assertGreater(len(manual.section(title).text), len(title) + 40, title)

    def test_no_link_of_the_guide_is_dead(self) -> None:
        tried = 0
        for one in manual.sections():
            for link in re.findall(r"\]\(([^)]+)\)", one.own):
                tried += 1
                out = link.endswith((".json", ".png")) or link.startswith("http")
                self.assertTrue(out or manual.linked(link, one.page), f"{one.title}: {link}")
        self.assertGreater(tried, 3)

    def test_what_looks_like_a_heading_in_code_is_none(self) -> None:
        text = "# One\n\n```\n# no heading\n```\n\n## Two\nwords\n\n### Three\nmore\n\n## Four\n"
        made = manual.of_page("x.md", text)
        self.assertEqual([one.title for one in made], ["One", "Two", "Three", "Four"])
        self.assertIn("Three", made[1].text)
        self.assertNotIn("Four", made[1].text)
        self.assertEqual(made[1].own.strip(), "words")

    def test_words_are_found_in_headings_first(self) -> None:
        self.assertEqual(manual.found("rows MULTIPLY")[0].title, "Rows multiply")
        self.assertEqual(manual.found("xylophone"), [])
        self.assertEqual(manual.found("   "), [])


class HelpTest(WindowTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.open_demo()

    @property
    def panel(self) -> HelpPanel:
        return self.find(HelpPanel, "help")

    def test_f1_opens_the_guide_on_what_is_selected(self) -> None:
        for part, page, heading in (
            ("sailings-routes", "match", "Tie two lanes"),
            ("sailings-routes", "promises", "Promise what must hold"),
            ("sailings", "source", "See whether it was read right"),
        ):
            self.session.select(part)
            self.click(f"page.{page}")
            QTest.keyClick(self.window, Qt.Key.Key_F1)
            self.assertEqual(self.panel.heading, heading)
        text = self.find(QTextBrowser, "help.text")
        self.assertTrue(text.hasFocus())
        QTest.keyClick(text, Qt.Key.Key_Escape)
        self.assertFalse(self.panel.isVisible())
        self.window.map.setFocus()
        QTest.keyClick(self.window.map, Qt.Key.Key_F1)
        QTest.keyClick(text, Qt.Key.Key_Escape)
        self.assertTrue(self.window.map.hasFocus())  # one goes on where one was

    def test_what_stands_out_says_why(self) -> None:
        self.session.select("sailings-routes")
        self.settle()
        self.assertTrue(self.find(FindingLine, "finding").isVisible())
        menu = self.find(QPushButton, "finding.else").menu()
        why = next(one for one in menu.actions() if one.objectName() == "finding.why")
        why.trigger()
        self.assertEqual(self.panel.heading, "Likely pairs")

    def test_trouble_says_why(self) -> None:
        (self.folder / "operations.ods").unlink()
        self.trigger("trellis.reread")
        self.settle()
        self.session.select("sailings")
        buttons = [one for one in self.window.findChildren(QPushButton) if one.text() == "Why?"]
        shown = next(one for one in buttons if one.isVisible())
        QTest.mouseClick(shown, Qt.MouseButton.LeftButton)
        self.assertEqual(self.panel.heading, "A file or a table is not there")

    def test_no_section_shows_what_is_typed_into_python(self) -> None:
        self.trigger("help.here")
        text = self.find(QTextBrowser, "help.text")
        for one in manual.sections():
            self.window.show_help(one.title)
            self.assertNotIn(">>>", text.toPlainText(), one.title)
            self.assertTrue(text.toPlainText().strip(), one.title)

    def test_what_is_refused_says_why(self) -> None:
        into_a_source = edits.AddDelivery("sailings", "Mine", "fares.csv")
        self.session.do(edits.SetSource("takings", DelimitedSource(path="fares.csv")))
        self.assertFalse(self.session.do(into_a_source))
        self.why("A change was not made")
        self.assertFalse(self.session.document.open(self.folder / "harbour.sqlite"))
        self.why("The trellis cannot be opened")

    def why(self, heading: str) -> None:
        buttons = self.window.bench.notice.findChildren(QPushButton)
        (shown,) = [one for one in buttons if one.isVisible() and one.text() == "Why?"]
        QTest.mouseClick(shown, Qt.MouseButton.LeftButton)
        self.assertEqual(self.panel.heading, heading)

    def test_the_guide_is_searched_and_read_by_its_links(self) -> None:
        self.trigger("help.here")
        search, text = self.find(QLineEdit, "help.search"), self.find(QTextBrowser, "help.text")
        QTest.keyClicks(search, "likely pairs")
        self.assertIn("Likely pairs", text.toPlainText())
        text.anchorClicked.emit(QUrl("guide.md#likely-pairs"))
        self.assertEqual((self.panel.heading, search.text()), ("Likely pairs", ""))
        self.click("help.back")
        self.assertNotEqual(self.panel.heading, "Likely pairs")
        text.anchorClicked.emit(QUrl("nothing.md"))  # leads nowhere, and does no harm
        self.click("help.all")
        self.assertIn("Choose the columns that go on", text.toPlainText())

    def test_all_keys_are_listed_from_the_actions(self) -> None:
        QTest.keyClick(self.window, Qt.Key.Key_F1, Qt.KeyboardModifier.ShiftModifier)
        told = self.find(QTextBrowser, "help.text").toPlainText()
        for spec in ACTIONS:
            if spec.shortcut:
                shown = QKeySequence(spec.shortcut).toString(NATIVE)
                self.assertIn(shown, told)
                self.assertIn(spec.text, told)

    def test_the_log_is_shown(self) -> None:
        self.addCleanup(begin_log)
        begin_log(kept=usual_log())
        self.trigger("trellis.reread")
        self.settle()
        self.trigger("help.log")
        told = self.find(QPlainTextEdit, "log.text").toPlainText()
        self.assertRegex(told, r"rows in \d+\.\d{3} s")
        self.assertNotIn("Kelp Pt-Brae", told)


class SettingsTest(WindowTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.addCleanup(set_limits, Limits())  # they are of the whole process

    def test_every_setting_is_found_changed_and_kept(self) -> None:
        self.open_demo()
        for setting in SETTINGS:
            with self.subTest(setting.id):
                self.trigger("app.settings")
                dialog = self.dialog("settings")
                name = f"settings.{setting.id}"
                control = dialog.findChild(QPushButton, name)
                search = dialog.findChild(QLineEdit, "settings.search")
                QTest.keyClicks(search, setting.name)
                self.assertTrue(dialog.isVisible())
                if setting.choices:
                    control.chosen.emit(setting.choices[-1][0])
                    wanted: object = setting.choices[-1][0]
                elif isinstance(setting.default, bool):
                    box = dialog.findChild(QCheckBox, name)
                    self.assertTrue(box.isVisible())
                    QTest.mouseClick(box, Qt.MouseButton.LeftButton)
                    wanted = not setting.default
                else:
                    number = dialog.findChild(QLineEdit, name)
                    for typed in ("many", str(setting.most + 1), "", "-1"):
                        number.selectAll()
                        self.key(Qt.Key.Key_Return, number, typed)
                        self.assertEqual(read_settings()[setting.id], setting.default)
                    number.selectAll()
                    self.key(Qt.Key.Key_Return, number, f"{setting.most:,}")
                    self.assertTrue(dialog.isVisible())
                    wanted = setting.most
                dialog.findChild(QPushButton, "settings.close").click()
                self.assertEqual(read_settings()[setting.id], wanted)

    def test_a_file_that_somebody_spoilt_is_told_of_and_takes_nothing_else_along(self) -> None:
        path = settings_file()
        path.parent.mkdir(parents=True)
        path.write_text('{"look.theme": "pink", "telling.log": false, "of.later": [1]}')
        found = read_settings()
        self.assertEqual((found["look.theme"], found["telling.log"]), ("desktop", False))
        self.assertIn("look.theme", found.odd[0])
        self.window.preferences.settings = found
        self.window.preferences.set("values.local", True)
        self.assertIn("of.later", path.read_text())
        for spoilt in ("", "[]", "\0", "null", '{"look.letters": 1e9}'):
            path.write_text(spoilt)
            self.assertEqual(read_settings()["look.letters"], 100)
            self.assertTrue(read_settings().odd, spoilt)

    def test_what_nobody_wants_to_hear_of_is_not_told(self) -> None:
        topics = {topic.replace(" ", "_") for topic in get_args(Topic)}
        declared = {one.id.partition(".")[2] for one in SETTINGS if one.group == "findings"}
        self.assertEqual(declared, topics)
        self.open_demo()
        self.session.select("sailings-routes")
        self.settle()
        told = self.find(FindingLine, "finding").accessibleName()
        self.assertIn("looks like", told)
        self.window.preferences.set("findings.likely_pair", False)
        self.assertNotIn("looks like", self.find(FindingLine, "finding").accessibleName())
        self.window.preferences.set("findings.likely_pair", True)
        self.assertEqual(self.find(FindingLine, "finding").accessibleName(), told)

    def test_what_is_set_takes_effect(self) -> None:
        few = kt.Table.of({"n": kt.Column.of(list(range(40)))})
        self.window.preferences.set("limits.cross_rows", 1_000)
        with self.assertRaisesRegex(TooManyRowsError, "1,600 rows.*settings"):
            len(kt.tie(few, few, "cross").outcome)
        self.window.preferences.set("limits.cross_rows", 1_600)
        self.assertEqual(len(kt.tie(few, few, "cross").outcome), 1_600)
        self.window.preferences.set("limits.query_s", 1)
        endless = "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT * FROM n"
        harbour = SqliteFile(str(self.folder / "harbour.sqlite"))
        with self.assertRaisesRegex(UserError, "not done in the time allowed"):
            read_source(QuerySource(database=harbour, query=endless, timeout_s=900))
        with xlsxwriter.Workbook(self.folder / "large.xlsx", {"constant_memory": True}) as book:
            sheet = book.add_worksheet("All")
            for row in range(40_000):
                sheet.write_row(row, 0, [f"text {row}", f"more {row}"])
        large = SheetSource(path=str(self.folder / "large.xlsx"), sheet="All")
        set_limits(Limits(parser_mb=30))  # less than one can set, for a file of less
        with self.assertRaisesRegex(UserError, "memory"):
            read_source(large)
        self.window.preferences.set("limits.parser_mb", 4_000)
        self.assertEqual(len(read_source(large).table), 39_999)
        usual, room = QFont("Sans", 10), QSize(3_000, 2_000)
        scales = [scale_of(usual, room, letters) for letters in (80, 100, 150, 200)]
        self.assertEqual(scales, [0.8, 1.0, 1.5, 2.0])
        document = str(self.folder / "winter-season.trellis")
        for kept in (False, True):
            self.window.preferences.set("telling.log", kept)
            with contextlib.redirect_stdout(io.StringIO()):
                self.assertEqual(main(["check", document]), 0)
            self.assertEqual(usual_log().exists(), kept)
        begin_log()

    def test_a_new_delivery_is_written_as_the_settings_say(self) -> None:
        self.open_demo()
        self.window.preferences.set("deliveries.decimal", ",")
        self.window.preferences.set("deliveries.delimiter", ";")
        self.session.select("sailings")
        for name, delimiter in (("mine.csv", ";"), ("mine.tsv", "\t")):
            into = (str(self.folder / "out" / name), "")
            with mock.patch.object(QFileDialog, "getSaveFileName", return_value=into):
                self.trigger("lane.deliver")
            form = self.session.trellis.lane("sailings").items[-1].form
            self.assertEqual((form.decimal, form.delimiter), (",", delimiter))

    def test_they_are_a_key_away_and_searched(self) -> None:
        self.open_demo()
        QTest.keyClick(self.window, Qt.Key.Key_Comma, Qt.KeyboardModifier.ControlModifier)
        dialog = self.dialog("settings")
        QTest.keyClicks(dialog.findChild(QLineEdit, "settings.search"), "dark colours")
        shown = {one.id for one in SETTINGS if self.is_shown(dialog, one.id)}
        self.assertEqual(shown, {"look.theme"})
        dialog.findChild(QPushButton, "settings.look.theme").chosen.emit("contrast")
        self.assertIs(self.window.theme, themes.CONTRAST)

    def is_shown(self, dialog: QWidget, setting: str) -> bool:
        control = dialog.findChild(QWidget, f"settings.{setting}")
        return bool(control.isVisible())
