"""The guide beside the work: a card over the right of the window, which can be searched."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from html import escape

from PySide6.QtCore import QEvent, QObject, Qt, QUrl
from PySide6.QtGui import (
    QAction,
    QDesktopServices,
    QKeyEvent,
    QKeySequence,
    QTextCursor,
    QTextDocument,
)
from PySide6.QtWidgets import (
    QApplication,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)
from shiboken6 import isValid

from keen_trellis.base.language import tr
from keen_trellis.desktop.controls import OneLine, button, label
from keen_trellis.desktop.help.manual import GUIDE, Section, found, linked, section, sections

_NATIVE = QKeySequence.SequenceFormat.NativeText
_WIDTH, _EDGE, _TOP = 430, 18, 56
_HEARD_AT_MOST, _PREVIEW = 40, 90


class HelpPanel(QFrame):
    """Shows one section of the guide at a time, and what a search finds.

    Parameters
    ----------
    actions : callable
        Gives every action, for the list of keys.
    parent : QWidget
        It lies over the right of it.
    """

    def __init__(self, actions: Callable[[], Sequence[QAction]], parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("help")
        self.setAccessibleName(tr("Help"))
        self.setProperty("floating", True)
        self._actions = actions
        self._shown: Section | None = None
        self._before: list[Section] = []
        self._before_it: QWidget | None = None  # what had the keyboard
        self._search = QLineEdit()
        self._search.setObjectName("help.search")
        self._search.setPlaceholderText(tr("Search the guide …"))
        self._search.setAccessibleName(tr("Search the guide"))
        self._search.textChanged.connect(self._look_for)
        self._text = QTextBrowser()
        self._text.setObjectName("help.text")
        self._text.setAccessibleName(tr("The guide"))
        self._text.setOpenLinks(False)
        self._text.setFrameShape(QFrame.Shape.NoFrame)
        self._text.setSearchPaths([str(GUIDE)])
        self._text.anchorClicked.connect(self._go)
        self._where = OneLine(fills=True)
        self._where.setProperty("soft", True)
        self._where.setProperty("small", True)
        self._where.setMinimumWidth(0)
        self._back = button(tr("Back"), "help.back", self._go_back, "plain")
        self._lay_out()
        parent.installEventFilter(self)
        self.hide()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(label(tr("Help"), heading=True))
        head.addWidget(self._where, 1)
        head.addWidget(self._back)
        head.addWidget(button(tr("All sections"), "help.all", self.show_contents, "plain"))
        head.addWidget(button(tr("Keys"), "help.keys", self.show_keys, "plain"))
        shut = button("×", "help.close", self.shut, "plain")
        shut.setAccessibleName(tr("Close the help"))
        shut.setFixedWidth(28)
        head.addWidget(shut)
        head.setSpacing(2)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 12, 12, 14)
        column.setSpacing(10)
        column.addLayout(head)
        column.addWidget(self._search)
        column.addWidget(self._text, 1)

    def show_section(self, title: str) -> None:
        """Show the section under a heading."""
        self._turn_to(section(title))
        self._appear()

    def show_contents(self) -> None:
        """Show all headings of the guide."""
        self._show_listed(tr("What there is in the guide"), sections())
        self._appear()

    def show_keys(self) -> None:
        """Show every action that has keys, with them."""
        rows = []
        for action in self._actions():
            told = QKeySequence.listToString(action.shortcuts(), _NATIVE)
            if told:
                rows.append(
                    f"<tr><td><b>{escape(told)}</b>&nbsp;&nbsp;</td>"
                    f"<td>{escape(action.text())}</td></tr>"
                )
        self._shown = None
        self._text.setHtml(f"<h3>Keys</h3><table cellspacing='4'>{''.join(rows)}</table>")
        self._forget_search()
        self._where.setText("")
        self._appear()

    def shut(self) -> None:
        """Go away, and give the keyboard back to what had it."""
        self.hide()
        before = self._before_it
        if before is not None and isValid(before) and before.isVisible():
            before.setFocus()
        elif (window := self.parentWidget()) is not None:
            window.setFocus()

    @property
    def heading(self) -> str:
        """The heading of the section that is shown; empty for a list."""
        return self._shown.title if self._shown else ""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.shut()
        else:
            super().keyPressEvent(event)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize and not self.isHidden():
            self._take_place()
        return super().eventFilter(watched, event)

    def _appear(self) -> None:
        if self.isHidden():
            self._before_it = QApplication.focusWidget()
        self._take_place()
        self.show()
        self.raise_()
        self._text.setFocus()

    def _take_place(self) -> None:
        window = self.parentWidget()
        assert window is not None
        width = min(_WIDTH, window.width() - 2 * _EDGE)
        height = window.height() - _TOP - _EDGE - 30
        self.setGeometry(window.width() - width - _EDGE, _TOP, width, height)

    def _turn_to(self, wanted: Section) -> None:
        if self._shown is not None and self._shown is not wanted:
            self._before.append(self._shown)
        self._shown = wanted
        self._back.setVisible(bool(self._before))
        self._forget_search()
        self._text.document().setDefaultFont(self.font())
        self._text.setMarkdown(_as_read(wanted.text))
        _give_room(self._text.document())
        self._where.setText("" if wanted.page == "guide.md" else wanted.page.removesuffix(".md"))
        self._text.verticalScrollBar().setValue(0)

    def _forget_search(self) -> None:
        self._search.blockSignals(True)
        self._search.clear()
        self._search.blockSignals(False)

    def _go_back(self) -> None:
        if self._before:
            self._shown = None
            self._turn_to(self._before.pop())

    def _go(self, url: QUrl) -> None:
        page = self._shown.page if self._shown else "guide.md"
        there = linked(url.toString(), page)
        if there is not None:
            self._turn_to(there)
        elif url.scheme() in ("http", "https"):
            QDesktopServices.openUrl(url)

    def _look_for(self, typed: str) -> None:
        if typed.strip():
            listed = found(typed)
            self._show_listed(
                tr("{listed:,} sections have these words", listed=len(listed)), listed
            )

    def _show_listed(self, heading: str, listed: Sequence[Section]) -> None:
        lines = [f"<h3>{escape(heading)}</h3>"]
        for one in listed[:_HEARD_AT_MOST] if self._search.text() else listed:
            words = " ".join(one.own.replace("|", " ").replace("*", "").split())[:_PREVIEW]
            inset = "&nbsp;" * 4 * max(one.rank - 2, 0)
            soft = self.palette().placeholderText().color().name()
            more = f"<br><span style='color: {soft}'>{escape(words)} …</span>"
            more = more if self._search.text() else ""
            lines.append(
                f"<p style='margin:2px'>{inset}<a href='{one.page}#{one.anchor}'>"
                f"{escape(one.title)}</a>{more}</p>"
            )
        if not listed:
            lines.append("<p>Try one word of it, or look at all sections.</p>")
        if self._shown is not None:
            self._before.append(self._shown)
        self._shown = None
        self._back.setVisible(bool(self._before))
        self._text.setHtml("".join(lines))
        self._where.setText("")


def _give_room(document: QTextDocument) -> None:
    """Set paragraphs apart: what Qt makes of Markdown has none between them."""
    block = document.begin()
    while block.isValid():
        if block.textList() is None and QTextCursor(block).currentTable() is None:
            form = block.blockFormat()
            form.setBottomMargin(8)
            QTextCursor(block).setBlockFormat(form)
        block = block.next()


_SESSION = re.compile(r"^ *>>> .*(?:\n.*\S.*)*\n?", re.M)
"""What is typed into Python and what it answers, down to the next empty line."""


def _as_read(text: str) -> str:
    """Return Markdown as it is shown: a section begins with its heading in the same size always.

    Examples for a notebook are left out: who reads this sits at the window.
    """
    head, _, rest = _SESSION.sub("", text).partition("\n")
    return f"### {head.lstrip('# ')}\n{rest}"
