"""Why a row found no partner: the reason, the nearest candidates, the remedy for all like it."""

from __future__ import annotations

from collections.abc import Callable
from difflib import SequenceMatcher
from functools import partial
from html import escape
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QFrame, QGridLayout, QLabel, QVBoxLayout, QWidget

from keen_trellis.base.language import tr
from keen_trellis.desktop.controls import button, label
from keen_trellis.desktop.theme import Theme, value_font

if TYPE_CHECKING:
    from keen_trellis.advice.missing_partner import Reason

_WIDTH = 520
_LONGEST = 60
_IN_COMMON = 0.6


class WhyCard(QFrame):
    """Opens beside a row; Esc closes it."""

    def __init__(
        self,
        reason: Reason,
        theme: Theme,
        remedy: Callable[[int], tuple[str, Callable[[], object]] | None],
        parent: QWidget,
    ) -> None:
        """Show a reason.

        Parameters
        ----------
        remedy : callable
            Takes the number of a candidate; returns what takes it as the same, in words, and does
            it. None where nothing can be done.
        """
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("why")
        self.setProperty("picker", True)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setFixedWidth(_WIDTH)
        self.setAccessibleName(reason.text)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        column.setSpacing(8)
        text = label(reason.text, strong=True)
        text.setObjectName("why.text")
        text.setWordWrap(True)
        column.addWidget(text)
        if not reason.candidates:
            return
        column.addWidget(label(tr("The nearest"), soft=True, small=True))
        near = QGridLayout()
        near.setHorizontalSpacing(14)
        near.setColumnStretch(1, 1)
        for number, one in enumerate(reason.candidates):
            near.addWidget(self._values(reason.values, one.values, theme), number, 0)
            says = label(one.reason, soft=True)
            says.setObjectName(f"why.{number}.reason")
            near.addWidget(says, number, 1)
            found = remedy(number)
            if found is not None:
                words, do = found
                take = button(words, f"why.{number}.same", partial(self._take, do), "soft")
                take.setAccessibleName(f"{words}: {', '.join(one.values)}")
                near.addWidget(take, number, 2)
        column.addLayout(near)

    def open_at(self, place: QPoint) -> None:
        """Open beside a place on the screen."""
        self.adjustSize()
        room = self.screen().availableGeometry()
        x = min(place.x(), room.right() - self.width() - 8)
        y = place.y() + 4
        # Above the row then, so that the row itself stays seen.
        if y + self.height() > room.bottom():
            y = place.y() - self.height() - 28
        self.move(max(x, room.left()), max(y, room.top()))
        self.show()

    def _take(self, do: Callable[[], object]) -> None:
        self.close()
        do()

    def _values(self, own: tuple[str, ...], other: tuple[str, ...], theme: Theme) -> QLabel:
        shown = QLabel()
        shown.setTextFormat(Qt.TextFormat.RichText)
        shown.setFont(value_font(13, bold=True))
        lines = [
            marked(mine, theirs, theme.stray) for mine, theirs in zip(own, other, strict=False)
        ]
        shown.setText("<br>".join(lines))
        shown.setAccessibleName(", ".join(other))
        return shown


def marked(own: str, other: str, colour: str) -> str:
    """Return another value as HTML, with the characters tinted that are not in one's own.

    Values that have little in common are shown as they are.

    >>> marked("KP-MS ", "KP-MS", "#eee")
    'KP-MS<span style="background:#eee">&nbsp;</span>'
    """
    # `SequenceMatcher` is quadratic in the length: long texts are compared by their beginnings.
    own, other = own[:_LONGEST], other[:_LONGEST]
    compared = SequenceMatcher(None, own, other)
    if compared.ratio() < _IN_COMMON:
        return escape(other)
    parts = []
    for what, start, stop, first, last in compared.get_opcodes():
        text = escape(other[first:last]).replace(" ", "&nbsp;")
        if what == "equal":
            parts.append(text)
        else:  # what one's own has and the other has not is a place, as wide as a letter
            missing = text or "&nbsp;" * (stop - start)
            parts.append(f'<span style="background:{colour}">{missing}</span>')
    return "".join(parts)
