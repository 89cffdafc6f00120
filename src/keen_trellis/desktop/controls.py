"""Small widgets that the window is put together from."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PySide6.QtCore import QPoint, QPointF, QRect, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QAction,
    QColor,
    QEnterEvent,
    QFocusEvent,
    QFont,
    QFontMetrics,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPalette,
    QPen,
)
from PySide6.QtWidgets import (
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLayout,
    QLayoutItem,
    QMenu,
    QPushButton,
    QSizePolicy,
    QWidget,
)

from keen_trellis.base.language import tr
from keen_trellis.desktop.tips import as_it_is


def label(text: str = "", **properties: bool) -> QLabel:
    """Return a label; `soft`, `small`, `heading` and `strong` say how it looks."""
    made = QLabel(text)
    for name, value in properties.items():
        made.setProperty(name, value)
    made.setTextFormat(Qt.TextFormat.PlainText)
    return made


def button(text: str, name: str, clicked: Callable[[], object], look: str = "") -> QPushButton:
    """Return a button; its look is `soft`, `main`, `plain` or the usual one."""
    made = QPushButton(text)
    made.setObjectName(name)
    made.setAccessibleName(text.replace("&", ""))
    if look:
        made.setProperty(look, True)
    made.setCursor(Qt.CursorShape.PointingHandCursor)
    # Qt would hand `checked` over to a slot that takes anything; and a bound method is held
    # weakly, so that it could be gone with its owner.
    made.clicked.connect(lambda: clicked())
    return made


_WIDEST = 620
"""How wide a word of a sentence may be; longer words are cut, and whole in the tip."""

_MENU_AT_MOST = 16
"""With more to choose from, it is a list that can be searched."""


NONE_YET = "\0"
"""The current value of a choice of which nothing is chosen, where an empty one means something."""


class Choice(QPushButton):
    """A word of a sentence that can be exchanged: a button that opens its alternatives."""

    chosen = Signal(str)
    near = Signal()
    """Somebody is about to choose: what is said of the values may be found out now."""

    def __init__(self, name: str, says: str, font: QFont | None = None, ink: str = "") -> None:
        super().__init__()
        self.setObjectName(name)
        self._says, self._ink = says, ink
        if font is not None:
            self.setFont(font)
        self.setAccessibleName(says)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self._menu = QMenu(self)
        self._menu.aboutToShow.connect(self._fill)
        self.setMenu(self._menu)
        self._options: Sequence[tuple[str, str, str]] = ()
        self.remark: Callable[[str], str] | None = None
        """What is said of a value when the menu is opened, where it may not be known before."""
        self._current = ""
        self.is_gone = False
        """Whether the current value is none that can be chosen."""
        self._room = ("", 36)
        self.clicked.connect(self._pick)

    def offer(self, options: Sequence[tuple[str, str, str]], current: str) -> None:
        """Offer (value, words, remark) to choose from, and show the current one's words."""
        self._options, self._current = options, current
        # A button without a menu sends `clicked`, which opens the list that can be searched.
        few = len(options) <= _MENU_AT_MOST
        self.setMenu(self._menu if few else None)  # type: ignore[arg-type]
        words = {value: text for value, text, _ in options}
        self.setText(words.get(current, current or tr("choose")))
        # what is named and not there any more is seen in the sentence itself
        self.is_gone = bool(options) and current not in ("", NONE_YET, *words)
        there = tr(", which is not there") if self.is_gone else ""
        self.setAccessibleName(f"{self._says}: {self.text()}{there}")
        self.update()

    def _fill(self) -> None:
        """Make the menu when it is opened: there may be a thousand columns to choose from."""
        self.near.emit()
        menu = self._menu
        menu.clear()
        for value, text, remark in self._options:
            remark = self.remark(value) if self.remark is not None else remark
            text = text.replace("&", "&&")
            action = menu.addAction(f"{text}\t{remark}" if remark else text)
            action.setObjectName(f"{self.objectName()}.{value}")
            action.setCheckable(True)
            action.setChecked(value == self._current)
            # The default binds the value of this turn of the loop; the first argument is Qt's
            # `checked`.
            action.triggered.connect(lambda _=False, v=value: self.chosen.emit(v))

    def enterEvent(self, event: QEnterEvent) -> None:
        super().enterEvent(event)
        self.near.emit()

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.near.emit()

    def renew(self) -> None:
        """Say again what is known of each value, where the menu is open."""
        if self._menu.isVisible() and self.remark is not None:
            for action, (value, text, _) in zip(self._menu.actions(), self._options, strict=False):
                remark = self.remark(value)
                words = text.replace("&", "&&")
                action.setText(f"{words}\t{remark}" if remark else words)

    def _pick(self) -> None:
        """Offer a list to search, where a menu would run off the screen."""
        if self.menu() is not None:
            return
        from keen_trellis.desktop.picker import Pick, Picker

        said = self.remark
        picks = [
            Pick(value, text, said(value) if said is not None else remark)
            for value, text, remark in self._options
        ]
        asks = tr("{says}: type a part of its name", says=self._says)
        picker = Picker(f"{self.objectName()}.picker", asks, picks, self)
        picker.resize(380, 340)
        picker.mark(self._current)
        picker.chosen.connect(self.chosen.emit)
        below = self.mapToGlobal(self.rect().bottomLeft())
        screen = self.screen().availableGeometry()
        picker.move(
            min(below.x(), screen.right() - picker.width()),
            min(below.y() + 2, screen.bottom() - picker.height()),
        )
        picker.show()

    def sizeHint(self) -> QSize:
        if self._room[0] != self.text():  # asked for again and again while a sentence is said
            width = QFontMetrics(self._shown_font()).horizontalAdvance(self.text())
            self._room = self.text(), min(width + 36, _WIDEST)
            self.setToolTip(as_it_is(self.text() if width + 36 > _WIDEST else ""))
        return QSize(self._room[1], 27)

    def _shown_font(self) -> QFont:
        font = QFont(self.font())
        font.setPixelSize(13)
        font.setWeight(QFont.Weight.DemiBold)
        return font

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw a word in a frame with a small wedge; a stylesheet leaves no room for it."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        palette = self.palette()
        marked = self.hasFocus() or self.underMouse()
        accent = palette.color(QPalette.ColorRole.Link)
        frame = accent if marked else palette.color(QPalette.ColorRole.Mid)
        wrong = palette.color(QPalette.ColorRole.BrightText)
        pen = QPen(wrong if self.is_gone else frame, 1.6 if self.hasFocus() else 1.0)
        pen.setStyle(Qt.PenStyle.DashLine if self.is_gone else Qt.PenStyle.SolidLine)
        painter.setPen(pen)
        painter.setBrush(palette.color(QPalette.ColorRole.Base))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 6, 6)
        ink = QColor(self._ink) if self._ink else palette.color(QPalette.ColorRole.WindowText)
        ink = wrong if self.is_gone else ink
        painter.setPen(ink)
        painter.setFont(self._shown_font())
        room = self.rect().adjusted(10, 0, -24, 0)
        text = painter.fontMetrics().elidedText(
            self.text(), Qt.TextElideMode.ElideRight, room.width()
        )
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, text)
        painter.setPen(QPen(ink, 1.5))
        x, y = self.width() - 16, self.height() / 2 - 1.5
        painter.drawPolyline([QPointF(x - 4, y), QPointF(x, y + 4), QPointF(x + 4, y)])


class StayingMenu(QMenu):
    """A menu of things to tick that stays open meanwhile.

    Signals
    -------
    ticked()
        It has been closed, and other things are ticked than when it was opened.
    """

    ticked = Signal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._before: list[bool] = []
        self.aboutToShow.connect(self._remember)
        self.aboutToHide.connect(self._tell)
        self.triggered.connect(lambda _: None if self.isVisible() else self.ticked.emit())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Tick what is clicked, and stay."""
        self._tick(self.actionAt(event.position().toPoint()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Tick with Space; Return and Esc close as they do."""
        if event.key() == Qt.Key.Key_Space:
            self._tick(self.activeAction())
        else:
            super().keyPressEvent(event)

    def _tick(self, action: QAction | None) -> None:
        if action is not None and action.isEnabled():
            action.setChecked(not action.isChecked())

    def _remember(self) -> None:
        self._before = [action.isChecked() for action in self.actions()]

    def _tell(self) -> None:
        if self._before != [action.isChecked() for action in self.actions()]:
            QTimer.singleShot(0, self, self.ticked.emit)  # what is said anew takes the menu away


class Switch(QFrame):
    """Two or more words of which one holds, side by side."""

    chosen = Signal(int)

    def __init__(self, name: str, words: Sequence[str], says: str) -> None:
        super().__init__()
        self.setObjectName(name)
        row = QHBoxLayout(self)
        row.setContentsMargins(2, 2, 2, 2)
        row.setSpacing(0)
        self._group = QButtonGroup(self)
        self._group.setExclusive(True)
        for number, word in enumerate(words):
            part = QPushButton(word)
            part.setObjectName(f"{name}.{word.lower()}")
            part.setCheckable(True)
            part.setCursor(Qt.CursorShape.PointingHandCursor)
            self._group.addButton(part, number)
            row.addWidget(part)
        self._group.idClicked.connect(self.chosen.emit)
        self.name_parts(says)

    def name_parts(self, says: str) -> None:
        """Say to who hears them what the words are about."""
        for part in self._group.buttons():
            part.setAccessibleName(f"{says}: {part.text()}")

    def set_chosen(self, number: int) -> None:
        """Show which one holds."""
        self._group.button(number).setChecked(True)

    def part(self, number: int) -> QPushButton:
        """Return one of the words as a button."""
        found = self._group.button(number)
        assert isinstance(found, QPushButton)
        return found

    def paint_with(self, ground: str, line: str, fill: str, on_fill: str, ink: str) -> None:
        """Take colours."""
        self.setStyleSheet(
            f"QFrame {{ background: {ground}; border: 1px solid {line}; border-radius: 13px; }}"
            f"QPushButton {{ background: transparent; border: 1px solid transparent; color: {ink};"
            f" border-radius: 10px; padding: 1px 11px; }}"
            f"QPushButton:checked {{ background: {fill}; color: {on_fill}; font-weight: 600; }}"
            f"QPushButton:focus {{ border: 1px solid {ink}; }}"
        )


class Flow(QLayout):
    """Lays widgets out like words: one behind the other, going on in the next line."""

    def __init__(self, spacing: int = 6) -> None:
        super().__init__()
        self._items: list[QLayoutItem] = []
        self._heights: dict[int, int] = {}  # asked for again and again while words are added
        self._measured: list[tuple[QSize, bool]] = []  # of every item, until one is another
        self.hangs = False  # whether what is lower begins where its line does, as cards do
        self.setSpacing(spacing)
        self.setContentsMargins(0, 0, 0, 0)

    def addItem(self, item: QLayoutItem) -> None:
        self._items.append(item)
        self.invalidate()

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        if not 0 <= index < len(self._items):
            return None
        item = self._items.pop(index)
        self.invalidate()
        return item

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        if width not in self._heights:
            self._heights[width] = self._arrange(QRect(0, 0, width, 0), move=False)
        return self._heights[width]

    def invalidate(self) -> None:
        self._heights, self._measured = {}, []
        super().invalidate()

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        size = QSize()
        for item in self._items:
            size = size.expandedTo(item.minimumSize())
        return size

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._arrange(rect, move=True)

    def _arrange(self, rect: QRect, move: bool) -> int:
        # First which item stands in which line, then where: an item is put in the middle of its
        # line, whose height is that of its highest item.
        lines: list[list[tuple[QLayoutItem, QSize, int]]] = [[]]
        x = rect.x()
        if len(self._measured) != len(self._items):
            self._measured = [_measure(item) for item in self._items]
        for item, (size, begins_line) in zip(self._items, self._measured, strict=True):
            # An item that is wider than the room has a line of its own all the same, and is cut
            # there.
            if lines[-1] and (begins_line or x + size.width() > rect.right() + 1):
                lines.append([])
                x = rect.x()
            lines[-1].append((item, size, x))
            x += size.width() + self.spacing()
        y = rect.y()
        for line in lines:
            height = max((size.height() for _, size, _ in line), default=0)
            if move:
                for item, size, at in line:
                    top = y if self.hangs else y + (height - size.height()) // 2
                    item.setGeometry(QRect(QPoint(at, top), size))
            y += height + self.spacing()
        return y - self.spacing() - rect.y()

    def clear(self) -> None:
        """Take everything out."""
        while item := self.takeAt(0):
            if widget := item.widget():
                discard(widget)


def _measure(item: QLayoutItem) -> tuple[QSize, bool]:
    """Return the room that an item takes, and whether it begins a line of its own."""
    widget = item.widget()
    if widget is None:
        return item.sizeHint(), False
    return _size_of(widget), bool(widget.property("begins_line"))


def _size_of(widget: QWidget) -> QSize:
    """Return the room that a widget takes: also when it is new, and only about to be shown."""
    # `isHidden` alone is also true of a widget that has not been shown yet, with its parent.
    if widget.isHidden() and widget.testAttribute(Qt.WidgetAttribute.WA_WState_ExplicitShowHide):
        return QSize()  # on purpose
    return widget.sizeHint().expandedTo(widget.minimumSize()).boundedTo(widget.maximumSize())


class FlowRow(QWidget):
    """Widgets laid out like words, as high as they need at any width."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setObjectName(name)
        self.flow = Flow()
        self.setLayout(self.flow)
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
        # Else the layout above asks for a size hint alone, and gives it one line.
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)


def discard(widget: QWidget) -> None:
    """Take a widget out at once; it is deleted when the signal under way has ended."""
    widget.hide()
    widget.setObjectName(
        ""
    )  # nobody finds it any more; another parent would cost ten times as much
    widget.deleteLater()


REMEDIES_AT_MOST, _REMEDY_WIDTH = 4, 260


class Notice(QFrame):
    """A line that tells what is wrong and what to do, where it concerns, in nobody's way."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setObjectName(name)
        self.setProperty("trouble", True)
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(12, 8, 12, 8)
        self._text = QLabel()
        self._text.setObjectName(f"{name}.text")
        self._text.setWordWrap(True)
        self._text.setTextFormat(Qt.TextFormat.PlainText)
        self._text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._text.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self._row.addWidget(self._text)
        self._does: tuple[Callable[[], object], ...] = ()
        self._mends: list[QPushButton] = []  # most notices never need one
        self.hide()

    @property
    def text(self) -> str:
        """What it tells; empty when there is nothing to tell."""
        return self._text.text()

    def tell(self, text: str, *remedies: tuple[str, Callable[[], object]]) -> None:
        """Tell something, with buttons for what would help; or with an empty text vanish."""
        self._text.setText(text)
        self._does = tuple(does for _, does in remedies[:REMEDIES_AT_MOST])
        # Buttons stay once they are made: one may be what is being pressed.
        while len(self._mends) < len(self._does):
            self._add_mend(len(self._mends))
        for number, mend in enumerate(self._mends):
            words = remedies[number][0] if number < len(remedies) else ""
            shown = mend.fontMetrics().elidedText(
                words, Qt.TextElideMode.ElideMiddle, _REMEDY_WIDTH
            )
            mend.setText(shown)
            mend.setToolTip(as_it_is(words) if shown != words else "")
            mend.setAccessibleName(words or tr("What would help"))
            mend.setVisible(bool(words))
        self.setAccessibleName(text)
        self.setVisible(bool(text))

    def _add_mend(self, number: int) -> None:
        name = f"{self.objectName()}.remedy" + (f".{number}" if number else "")
        self._mends.append(button("", name, partial(self._do, number), "plain"))
        self._row.addWidget(self._mends[-1])

    def _do(self, number: int) -> None:
        if number < len(self._does):
            self._does[number]()


class OneLine(QLabel):
    """A line that ends in an ellipsis where there is no room, and says all when pointed at.

    Parameters
    ----------
    fills : bool
        Whether it takes all the room there is, so that what follows stands at the other end.
    names : bool
        Whether it is a name: these often begin alike, and are cut in their middle.
    """

    def __init__(self, fills: bool = False, names: bool = False) -> None:
        super().__init__()
        mode = Qt.TextElideMode
        self._cut = mode.ElideMiddle if names else mode.ElideRight
        self.setTextFormat(Qt.TextFormat.PlainText)
        wide = QSizePolicy.Policy.Expanding if fills else QSizePolicy.Policy.Maximum
        self.setSizePolicy(wide, QSizePolicy.Policy.Preferred)
        self.setMinimumWidth(80)

    def setText(self, text: str) -> None:
        super().setText(text)
        self.setToolTip(as_it_is(text))

    def sizeHint(self) -> QSize:
        return QSize(self.fontMetrics().horizontalAdvance(self.text()) + 4, 20)

    def minimumSizeHint(self) -> QSize:
        return QSize(self.minimumWidth(), 20)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setPen(self.palette().color(QPalette.ColorRole.WindowText))
        shown = self.fontMetrics().elidedText(self.text(), self._cut, self.width())
        # the words are read one way, and begin where the window's lines begin
        painter.setLayoutDirection(Qt.LayoutDirection.LeftToRight)
        flag = Qt.AlignmentFlag
        side = flag.AlignRight if self.isRightToLeft() else flag.AlignLeft
        painter.drawText(self.rect(), side | flag.AlignVCenter, shown)
