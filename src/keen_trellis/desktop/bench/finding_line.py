"""What stands out at the selected tie, step or lane: the weightiest first, its remedy one click."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict, dataclass
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QMenu, QPushButton

from keen_trellis.base.language import tr
from keen_trellis.desktop.controls import button
from keen_trellis.desktop.help.topics import WHY, topic_of_finding
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.tips import as_it_is
from keen_trellis.document import edits
from keen_trellis.document.items import Item, JoinItem, SameValues
from keen_trellis.document.rows_before import stays_before

if TYPE_CHECKING:
    from keen_trellis.advice.findings import Finding, Remedy, Shows


@dataclass(frozen=True, slots=True)
class _Told:
    """One finding: the edit that mends it, where its rows are, and the edit that refuses it."""

    text: str
    topic: str
    edit: edits.Edit | None
    shows: Shows | None = None
    whole: str = ""
    refusal: edits.Edit | None = None


_NO_WEDGE = "QPushButton { padding: 4px 2px; } QPushButton::menu-indicator { width: 0; }"


class FindingLine(QFrame):
    """A line with a finding, the button that mends it, and the way to the others."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("finding")
        self.setProperty("trouble", True)
        self._session = session
        self._first: _Told | None = None
        self._text = QLabel()
        self._text.setTextFormat(Qt.TextFormat.PlainText)
        self._text.setObjectName("finding.text")
        self._mend = button("", "finding.mend", self._mend_first, "plain")
        self._more = QPushButton()
        self._more.setObjectName("finding.more")
        self._more.setProperty("plain", True)
        self._more.setMenu(QMenu(self._more))
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 2, 4, 2)
        row.setSpacing(4)
        row.addWidget(self._text, 1)
        self._else = QPushButton("⋯")
        self._else.setObjectName("finding.else")
        self._else.setProperty("plain", True)
        self._else.setAccessibleName(tr("What else can be done about this finding"))
        self._else.setFixedWidth(30)
        self._else.setMenu(QMenu(self._else))
        self._else.setStyleSheet(_NO_WEDGE)
        row.addWidget(self._mend)
        row.addWidget(self._else)
        row.addWidget(self._more)
        session.looking.noticed.connect(self.renew)
        self.hide()

    @property
    def whole_width(self) -> int:
        """How wide it must be to say all in one line."""
        margins = self.contentsMargins()
        row = self.layout()
        assert row is not None
        around = row.contentsMargins()
        words = self._text.fontMetrics().horizontalAdvance(self._text.text()) + 2
        others = [one for one in (self._mend, self._else, self._more) if not one.isHidden()]
        rest = sum(one.sizeHint().width() + row.spacing() for one in others)
        return words + rest + sum((around.left(), around.right(), margins.left(), margins.right()))

    def take_lines(self, several: bool) -> None:
        """Let what it says take several lines, or stand in one."""
        self._text.setWordWrap(several)

    def renew(self) -> None:
        """Show what is known of the selected tie, step or lane."""
        found = list(self._told())
        self.setVisible(bool(found))
        self._first = found[0] if found else None
        if not found:
            return
        first, *others = found
        self._text.setText(first.text)
        self._text.setToolTip(as_it_is(first.whole or first.text))
        self.setAccessibleName(first.whole or first.text)
        self._offer_else(first)
        self._mend.setVisible(first.edit is not None)
        if first.edit is not None:
            self._mend.setText(first.edit.label)
            self._mend.setAccessibleName(first.edit.label)
        self._more.setVisible(bool(others))
        self._more.setText(tr("{others} more", others=len(others)))
        self._more.setAccessibleName(tr("{others} more findings", others=len(others)))
        self._offer(others)

    def _told(self) -> Iterator[_Told]:
        session, item = self._session, self._session.selected_item
        if item is not None and item.changes_rows:
            yield from self._told_of_item(item)
        elif item is None and (lane := session.selected_lane) is not None:
            reading = session.results.reading(lane.id)
            for number, one in enumerate(reading.noticed if reading else ()):
                mended = None
                if one.remedy is not None:
                    source = lane.source.mended(one.remedy)
                    mended = edits.SetSource(lane.id, source, one.remedy.label)
                yield _Told(one.text, f"lane.{number}", mended)

    def _told_of_item(self, item: Item) -> Iterator[_Told]:
        """Yield what stands out at a tie or step; first what one just added leaves before it."""
        session = self._session
        facts = session.results.facts.items.get(item.id)
        for number, broken in enumerate(getattr(facts, "broken", ())):
            yield _Told(tr("Promise broken: {broken}.", broken=broken), f"promise.{number}", None)
        moved = []
        if left_before := stays_before(session.trellis, item.id):
            label = tr("Move behind the {word}", word=tr(item.word))
            moved = [_Told(left_before, "stays before", edits.MoveBehind(item.id, label))]
        # What somebody has just put here is told of first; later it is told last, being no news.
        if session.document.fresh == item.id:
            yield from moved
        for finding in session.looking.findings:
            edit = _carried_out(item.id, finding.remedy) if finding.remedy else None
            refusal = _refused(item, finding)
            yield _Told(finding.text, finding.topic, edit, finding.shows, finding.whole, refusal)
        if session.document.fresh != item.id:
            yield from moved

    def _offer_else(self, told: _Told) -> None:
        """Offer to show the rows of the first finding, and to hear no more of it."""
        menu = self._else.menu()
        menu.clear()
        if told.shows is not None:
            show = menu.addAction(tr("Show the rows"), lambda: self._session.shows.emit(told.shows))
            show.setObjectName("finding.show")
        refusal = told.refusal
        if refusal is not None:
            refuse = menu.addAction(tr("Not a problem here"), lambda: self._session.do(refusal))
            refuse.setObjectName("finding.refuse")
        why = partial(self._session.telling.help_wanted.emit, topic_of_finding(told.topic))
        menu.addAction(WHY, why).setObjectName("finding.why")
        item = self._session.selected_item
        if isinstance(item, JoinItem) and item.ignored:
            again = edits.SetIgnored(item.id, (), tr("Tell again what was no problem"))
            told_again = menu.addAction(again.label, lambda: self._session.do(again))
            told_again.setObjectName("finding.again")

    def _offer(self, told: list[_Told]) -> None:
        menu = self._more.menu()
        menu.clear()
        for one in told:
            # Qt draws what stands behind the tab at the right, where keys would stand.
            words = f"{one.text}\t{one.edit.label}" if one.edit else one.text
            action = menu.addAction(words.replace("&", "&&"))
            action.setObjectName(f"finding.{one.topic}")
            action.setEnabled(one.edit is not None)
            action.triggered.connect(lambda _=False, t=one: self._mend_with(t))

    def _mend_first(self) -> None:
        if self._first is not None:
            self._mend_with(self._first)

    def _mend_with(self, told: _Told) -> None:
        if told.edit is not None:
            self._session.do(told.edit)


def _refused(item: Item, finding: Finding) -> edits.Edit | None:
    """Return the edit after which a finding is not told again."""
    if not isinstance(item, JoinItem):
        return None
    link = finding.remedy.link if finding.remedy else None
    if finding.topic == "likely pair" and link is not None:
        new = SameValues(**asdict(link.pairs[-1]))
        return edits.SetPairs(item.id, item.pairs, (*item.not_same, new), tr("Not the same"))
    return edits.SetIgnored(item.id, (*item.ignored, finding.topic))


def _carried_out(tie: str, remedy: Remedy) -> edits.Edit:
    """Return the edit that carries out the remedy of a finding at a tie."""
    if remedy.link is not None:
        return edits.TakeLink(tie, remedy.link, remedy.label)
    assert remedy.keep is not None
    return edits.SetKeep(tie, remedy.keep, remedy.label)
