"""A sentence whose parts are choices: how every step and tie is said and changed."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence

from PySide6.QtCore import Qt
from PySide6.QtGui import QFont
from PySide6.QtWidgets import QLabel, QLayoutItem, QLineEdit, QWidget

from keen_trellis.base.language import tr
from keen_trellis.data.kinds import BY_DAY, Kind
from keen_trellis.desktop.controls import Choice, FlowRow, button
from keen_trellis.desktop.tips import as_it_is
from keen_trellis.plan.spans import SPANS, Span

Options = Sequence[tuple[str, str, str]]
"""What can be chosen: value, words, and a remark that stands behind them in the menu."""


_WORD_WIDTH = 300
"""How wide words may be; a longer name is cut, and whole in its tip."""


class Sentence(FlowRow):
    """Words and choices, said anew when what they say has changed; the keyboard stays put."""

    def __init__(self, name: str) -> None:
        super().__init__(name)
        self._key: object = None

    def say(self, key: object, tell: Callable[[], None]) -> None:
        """Say the sentence by calling `tell`, unless it says the same as before.

        Parameters
        ----------
        key : object
            All that the sentence is made of.
        tell : callable
            Adds the words and choices, one after the other.
        """
        if key == self._key:
            return
        self._key = key
        # By its object name, which names the place in the sentence: the widgets that are made now
        # are others.
        focused = self.focusWidget()
        name = focused.objectName() if focused else ""
        # Shown at once and laid out once at the end: Qt would show each word later, by an event of
        # its own, and ask for the height of the whole line after every one.
        self.flow.setEnabled(False)
        self.flow.clear()
        tell()
        if self.isVisible():
            for place in range(self.flow.count()):
                self._show_word(self.flow.itemAt(place))
        self.flow.setEnabled(True)
        self.flow.invalidate()
        self.updateGeometry()
        if name and (again := self.findChild(QWidget, name)):
            again.setFocus()

    @staticmethod
    def _show_word(item: QLayoutItem | None) -> None:
        widget = item.widget() if item is not None else None
        hidden = Qt.WidgetAttribute.WA_WState_ExplicitShowHide
        if widget is not None and not widget.testAttribute(hidden):  # else it is hidden on purpose
            widget.show()

    def forget(self) -> None:
        """Say it anew next time, whatever it says: the colours are others."""
        self._key = None

    def begin_line(self, with_this: QWidget) -> None:
        """Let what was added begin a line of its own."""
        with_this.setProperty("begins_line", True)
        self.flow.invalidate()

    def word(self, text: str, colour: str = "") -> None:
        """Add words, such as the name of a lane in its colour."""
        word = QLabel()
        word.setTextFormat(Qt.TextFormat.PlainText)
        metrics = word.fontMetrics()
        # names of lanes often begin alike, and end in the month that tells them apart
        shown = metrics.elidedText(text, Qt.TextElideMode.ElideMiddle, _WORD_WIDTH)
        word.setText(shown)
        if shown != text:
            word.setToolTip(as_it_is(text))
        if colour:
            word.setStyleSheet(f"color: {colour}; font-weight: 600;")
        self.flow.addWidget(word)

    def choice(
        self,
        name: str,
        says: str,
        options: Options | Mapping[str, str],
        current: str,
        chosen: Callable[[str], object],
        font: QFont | None = None,
        ink: str = "",
    ) -> Choice:
        """Add a word that can be another; return it.

        Parameters
        ----------
        name, says : str
            Its object name, and what it is for those who hear it.
        options : sequence of (value, words, remark), or mapping of value to words
        current : str
        chosen : callable
            Takes the value that was chosen.
        """
        if isinstance(options, Mapping):
            options = [(value, words, "") for value, words in options.items()]
        made = Choice(name, says, font, ink)
        made.offer(options, current)
        # a method alone would be held weakly, and gone with what told the sentence
        made.chosen.connect(lambda value: chosen(value))
        self.flow.addWidget(made)
        return made

    def button(
        self, text: str, name: str, says: str, clicked: Callable[[], object], look: str = "plain"
    ) -> QWidget:
        """Add a button, such as the × that takes a part out; return it."""
        made = button(text, name, clicked, look)
        made.setToolTip(as_it_is(says))
        made.setAccessibleName(says)
        made.setProperty("slim", len(text) == 1)
        self.flow.addWidget(made)
        return made

    def field(
        self, name: str, says: str, text: str, width: int, taken: Callable[[str], object]
    ) -> QLineEdit:
        """Add a place to type in; `taken` gets what stands there once it is left."""
        made = QLineEdit(text)
        made.setCursorPosition(0)  # of a long text the beginning is seen
        made.setObjectName(name)
        made.setAccessibleName(says)
        made.setFixedWidth(width)

        def finish() -> None:
            # a field that has been taken away is left as well, and says nothing any more
            if not made.isHidden() and made.text() != text:
                taken(made.text())

        made.editingFinished.connect(finish)
        self.flow.addWidget(made)
        return made


def tell_span(
    say: Sentence,
    name: str,
    says: str,
    kinds: Collection[Kind | None],
    span: Span | None,
    chosen: Callable[[str], object],
) -> None:
    """Say by which span of the calendar fields are taken, where all are days or moments.

    One that was chosen is said in any case: the kinds may be others by now. A date beside a
    date-time is its whole day, whatever is chosen.
    """
    if span is None and not (kinds and all(kind in BY_DAY for kind in kinds)):
        return
    as_they_are = tr("its day") if set(kinds) == set(BY_DAY) else tr("the value as it is")
    options: dict[str, str] = {"": as_they_are, **{one: tr("its {one}", one=one) for one in SPANS}}
    say.word(tr("by"))
    say.choice(name, says, options, current=span or "", chosen=chosen)
