"""The tour as it goes: a card beside the thing it speaks of, which sees when that was done."""

from __future__ import annotations

import re
from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, QPoint, QRect, QSettings, Qt, QTimer
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from keen_trellis.base.language import tr
from keen_trellis.desktop.controls import button, label
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.tour.stops import STOPS, TIE, Stop, tie_as_told

_WIDTH, _GAP, _EDGE, _LOOKS_MS = 340, 10, 12, 150
_KEPT_AS = "tour"


def stop_left_at() -> int:
    """Return the number of the stop at which the tour was left; 0 where it was not begun."""
    kept = QSettings().value(_KEPT_AS, 0, int)
    return kept if isinstance(kept, int) and 0 <= kept < len(STOPS) else 0


class Tour(QObject):
    """Leads from stop to stop.

    Parameters
    ----------
    session : Session
    open_page : callable
        Opens a page of the bench by its id.
    page : callable
        Gives the id of the page that is open.
    window : QWidget
        Over which its card lies.
    """

    def __init__(
        self,
        session: Session,
        open_page: Callable[[str], object],
        page: Callable[[], str],
        window: QWidget,
    ) -> None:
        super().__init__(window)
        self.session, self._open_page, self.page, self._window = session, open_page, page, window
        self.began = ""
        self.read_at: object = None
        self._number = 0
        self._is_done = False
        self._ring = _Ring(window)
        self.card = _Card(self.back, self.leave, self.next, window)
        self._looks = QTimer(self, interval=_LOOKS_MS)
        # Looked at again and again: what a stop asks for comes about in many ways, by keys, clicks,
        # undo and menus, and what it stands beside moves.
        self._looks.timeout.connect(self._look)
        self._escape = QShortcut(QKeySequence(Qt.Key.Key_Escape), window)
        self._escape.activated.connect(self.leave)
        self._escape.setEnabled(False)
        session.document.opened.connect(self.leave)  # another trellis has none of its stops
        window.installEventFilter(self)

    @property
    def is_under_way(self) -> bool:
        """Whether a card is shown."""
        return not self.card.isHidden()

    def begin(self, number: int = 0) -> None:
        """Show a stop."""
        self._number = number
        stop = STOPS[number]
        QSettings().setValue(_KEPT_AS, number)
        if stop.page and TIE in self.session.trellis:
            self.session.select(TIE)
            self._open_page(stop.page)
        self.began = tie_as_told(self.session)
        self.read_at = self.session.results.read_at
        self._is_done = False
        self.card.tell(number, stop)
        self.card.show()
        self.card.raise_()
        self._escape.setEnabled(True)
        self._looks.start()
        self._take_place()
        self.card.setFocus()

    def next(self) -> None:
        """Go on to the next stop, or end at the last."""
        if self._number + 1 < len(STOPS):
            self.begin(self._number + 1)
        else:
            self.leave()
            QSettings().setValue(_KEPT_AS, 0)

    def back(self) -> None:
        """Go back to the stop before."""
        if self._number:
            self.begin(self._number - 1)

    def leave(self) -> None:
        """Put the card away; the tour is taken up again where it was left."""
        if not self.is_under_way:
            return
        self._looks.stop()
        self._escape.setEnabled(False)
        self.card.hide()
        self._ring.hide()
        self._window.setFocus()

    def is_shown(self, name: str) -> bool:
        """Return whether a widget of the window is on the screen."""
        return self._widget(name) is not None

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize and self.is_under_way:
            self._take_place()
        return super().eventFilter(watched, event)

    def _widget(self, name: str) -> QWidget | None:
        named = self._window.findChildren(QWidget, name)
        return next((one for one in named if one.isVisible()), None)

    def _look(self) -> None:
        """See whether what was asked for has been done, and stay beside what it speaks of."""
        if not self._is_done and STOPS[self._number].is_done(self):
            self._is_done = True
            self.card.tell_done()
        self._take_place()

    def _take_place(self) -> None:
        beside = self._widget(STOPS[self._number].beside)
        self.card.adjustSize()
        room = self._window.rect().adjusted(_EDGE, _EDGE, -_EDGE, -_EDGE)
        target = QRect()
        if beside is not None:
            target = QRect(beside.mapTo(self._window, QPoint(0, 0)), beside.size())
        self._ring.surround(target)
        place = placed(self.card.size().width(), self.card.size().height(), target, room)
        if self.card.geometry() != place:
            self.card.setGeometry(place)
        self.card.raise_()  # above the guide, where both are open


def placed(width: int, height: int, target: QRect, room: QRect) -> QRect:
    """Return where a card stands: beside a target where there is room, else over its far end."""
    places = (
        QPoint(target.right() + _GAP, target.top()),
        QPoint(target.left(), target.bottom() + _GAP),
        QPoint(target.left(), target.top() - _GAP - height),
        QPoint(target.left() - _GAP - width, target.top()),
        QPoint(target.right() - width, target.bottom() + _GAP),
        QPoint(target.right() - width, target.top() - _GAP - height),
    )
    card = QRect(0, 0, width, height)
    if target.isNull():
        card.moveCenter(room.center())
        return card
    # The first place that fits, in the order of what covers least of the page.
    for place in places:
        card.moveTopLeft(place)
        if room.contains(card):
            return card
    card.moveBottomRight(QPoint(min(target.right() + width, room.right()), room.bottom()))
    return card


class _Card(QFrame):
    """Says what there is to see and to do."""

    def __init__(
        self,
        back: Callable[[], object],
        leave: Callable[[], object],
        go_on: Callable[[], object],
        window: QWidget,
    ) -> None:
        super().__init__(window)
        self.setObjectName("tour")
        self.setProperty("floating", True)
        self.setFixedWidth(_WIDTH)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._number = label(soft=True, small=True)
        self._title = label(heading=True)
        self._says, self._asks = QLabel(), QLabel()
        self._asks.setTextFormat(Qt.TextFormat.RichText)
        self._title.setObjectName("tour.title")
        self._asks.setObjectName("tour.asks")
        for text in (self._title, self._says, self._asks):
            text.setWordWrap(True)
        asked = QFrame()
        asked.setProperty("said", True)
        within = QVBoxLayout(asked)
        within.setContentsMargins(12, 8, 12, 8)
        within.addWidget(self._asks)
        self._back = button(tr("Back"), "tour.back", back, "plain")
        self._next = button(tr("Next"), "tour.next", go_on)
        feet = QHBoxLayout()
        feet.addWidget(self._back)
        feet.addWidget(button(tr("Leave the tour"), "tour.leave", leave, "plain"))
        feet.addStretch()
        feet.addWidget(self._next)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        column.setSpacing(8)
        for widget in (self._number, self._title, self._says, asked):
            column.addWidget(widget)
        column.addLayout(feet)
        self.hide()

    def tell(self, number: int, stop: Stop) -> None:
        """Show a stop that is to be done."""
        self._number.setText(tr("{number} of {stops}", number=number + 1, stops=len(STOPS)))
        self._title.setText(stop.title)
        self._says.setText(stop.says)
        keys = re.sub(r"\[(.+?)\]", r"<b>\1</b>", stop.asks)
        self._asks.setText(tr("<b>Try it:</b> {keys}", keys=keys))
        plainly = stop.asks.replace("[", "").replace("]", "")
        self.setAccessibleName(
            tr(
                "Tour, {number} of {stops}: {title}",
                number=number + 1,
                stops=len(STOPS),
                title=stop.title,
            )
        )
        self.setAccessibleDescription(
            tr("{says} Try it: {plainly}", says=stop.says, plainly=plainly)
        )
        self._back.setVisible(number > 0)
        self._next.setText(tr("Next") if number + 1 < len(STOPS) else tr("End the tour"))
        self._look_main(False)

    def tell_done(self) -> None:
        """Show that it was done."""
        self._asks.setText(tr("<b>Done.</b> Undo (<b>Ctrl+Z</b>) takes back what you changed."))
        self._look_main(True)

    def _look_main(self, is_main: bool) -> None:
        self._next.setProperty("main", is_main)
        # A stylesheet that asks for a property looks at it when a widget is polished, and never
        # again by itself.
        self._next.style().unpolish(self._next)
        self._next.style().polish(self._next)


class _Ring(QFrame):
    """A line around what a card speaks of, through which everything can be clicked."""

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self.setObjectName("tour.ring")
        self.setProperty("ring", True)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.hide()

    def surround(self, target: QRect) -> None:
        """Stand around a part of the window, or nowhere."""
        if target.isNull():
            self.hide()
            return
        around = target.adjusted(-3, -3, 3, 3)
        if self.geometry() != around or self.isHidden():
            self.setGeometry(around)
            self.show()
            card = self.window().findChild(QFrame, "tour")
            assert card is not None
            self.stackUnder(card)
