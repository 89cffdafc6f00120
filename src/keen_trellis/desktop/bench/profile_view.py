"""A column's profile as a picture: numbers in words, a distribution, values and shapes."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPoint, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFontMetrics, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from keen_trellis.base.language import grouped_digits, tr
from keen_trellis.base.words import counted
from keen_trellis.data import Kind
from keen_trellis.data.profile import Profile
from keen_trellis.desktop.theme import LaneColours, Theme, text_font, value_font

_BARS_HEIGHT = 64
_LINE = 20
_LISTED = 12
_TOP = 4


class ProfileView(QWidget):
    """Shows what is in one column.

    What it shows is also its accessible description, in words.
    """

    def __init__(self, theme: Theme, name: str) -> None:
        super().__init__()
        self.setObjectName(name)
        self.setAccessibleName(tr("Profile of the column"))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(420, 120)
        self._theme = theme
        self._profile: Profile | None = None
        self._colours = theme.lane(0)

    def set_theme(self, theme: Theme) -> None:
        """Draw in the colours of a theme."""
        self._theme = theme
        self.update()

    def show_profile(self, profile: Profile | None, colours: LaneColours) -> None:
        """Show a profile; None while it is worked out."""
        self._profile, self._colours = profile, colours
        self.setAccessibleDescription(" ".join(profile_words(profile)) if profile else "")
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(520, 300)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._profile is None:
            painter.setFont(text_font(13))
            painter.setPen(QColor(self._theme.ink_soft))
            painter.drawText(QPoint(0, _TOP + 14), tr("Looking at its values …"))
            return
        y = self._draw_words(painter, self._profile)
        y = self._draw_bars(painter, self._profile, y + 10)
        self._draw_lists(painter, self._profile, y + 12)

    def _draw_words(self, painter: QPainter, profile: Profile) -> int:
        numbers, *others = profile_words(profile)
        painter.setFont(text_font(13, bold=True))
        painter.setPen(QColor(self._theme.ink))
        painter.drawText(QPoint(0, _TOP + 13), numbers)
        painter.setFont(text_font(13))
        painter.setPen(QColor(self._theme.ink_soft))
        y = _TOP + 13
        for words in others:
            y += _LINE
            painter.drawText(QPoint(0, y), self._fitting(words, painter, self.width()))
        return y

    def _draw_bars(self, painter: QPainter, profile: Profile, top: int) -> int:
        if len(profile.bars) < 2:
            return top
        is_text = profile.kind is Kind.TEXT
        painter.setFont(text_font(12, bold=True))
        painter.setPen(QColor(self._theme.ink_soft))
        title = tr("Rows by length of the text") if is_text else tr("Rows from least to greatest")
        painter.drawText(QPoint(0, top + 12), title)
        top += 20
        width = min(self.width(), 620)
        most = max(profile.bars)
        step = width / len(profile.bars)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(self._colours.fill))
        for number, rows in enumerate(profile.bars):
            # A bar that holds anything is seen; one that holds nothing is not.
            height = max(_BARS_HEIGHT * rows / most, 1.5 if rows else 0)
            gap = min(2.0, step / 4)
            painter.drawRect(QRectF(number * step, top + _BARS_HEIGHT - height, step - gap, height))
        base = top + _BARS_HEIGHT + 1
        painter.setPen(QPen(QColor(self._theme.line), 1))
        painter.drawLine(0, base, width, base)
        painter.setPen(QColor(self._theme.ink_soft))
        painter.setFont(text_font(11))
        room = QRect(0, base + 2, width, 16)
        first, last = (self._fitting(end, painter, width // 2 - 8) for end in profile.bar_ends)
        painter.drawText(room, Qt.AlignmentFlag.AlignLeft, first)
        painter.drawText(room, Qt.AlignmentFlag.AlignRight, last)
        return base + 18

    def _draw_lists(self, painter: QPainter, profile: Profile, top: int) -> None:
        if top + 2 * _LINE > self.height():  # no value would stand below its heading
            return
        title = tr("Some of the values") if profile.unique else tr("Most frequent values")
        lists = [(title, profile.frequent)]
        if profile.shapes:
            lists.append((tr("Shapes: A a letter, 9 a digit"), profile.shapes))
        width = min((self.width() - 24) // 2, 360)
        present = profile.rows - profile.blanks - profile.gaps
        for place, (title, values) in enumerate(lists):
            x = place * (width + 24)
            painter.setFont(text_font(12, bold=True))
            painter.setPen(QColor(self._theme.ink_soft))
            painter.drawText(QPoint(x, top + 12), title)
            self._draw_list(painter, values, QRect(x, top + 20, width, 0), max(present, 1))

    def _draw_list(
        self, painter: QPainter, values: Sequence[tuple[str, int]], room: QRect, present: int
    ) -> None:
        font = value_font(12)
        metrics = QFontMetrics(font)
        for number, (value, rows) in enumerate(values[:_LISTED]):
            line = QRect(room.x(), room.y() + number * _LINE, room.width(), _LINE - 2)
            # A value is drawn whole or not at all.
            if line.bottom() > self.height():
                return
            share = QRectF(line)
            share.setWidth(max(line.width() * rows / present, 2))
            painter.fillRect(share, QColor(self._colours.tint))
            painter.setFont(font)
            painter.setPen(QColor(self._theme.ink))
            count = grouped_digits(rows)
            inner = line.adjusted(6, 0, -6, 0)
            text = inner.adjusted(0, 0, -metrics.horizontalAdvance(count) - 10, 0)
            shown = metrics.elidedText(
                value[:200].replace("\n", "⏎") or tr("(empty text)"),
                Qt.TextElideMode.ElideRight,
                text.width(),
            )
            painter.drawText(text, Qt.AlignmentFlag.AlignVCenter, shown)
            side = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(inner, side, count)

    @staticmethod
    def _fitting(words: str, painter: QPainter, width: int) -> str:
        mode = Qt.TextElideMode.ElideRight
        return painter.fontMetrics().elidedText(words.replace("\n", "⏎"), mode, width)


def profile_words(profile: Profile) -> list[str]:
    """Return what a profile tells in a few sentences, the counts first."""
    counts = [counted(profile.rows, "row"), counted(profile.distinct, "distinct value")]
    counts.append(
        tr("{blanks:,} blank", blanks=profile.blanks) if profile.blanks else tr("no blanks")
    )
    if profile.gaps:
        counts.append(tr("{gaps:,} gaps", gaps=profile.gaps))
    words = [" · ".join(counts)]
    if profile.distinct:
        words.append(
            tr("No value repeats: it tells every row apart.")
            if profile.unique
            else tr(
                "{repeated:,} rows share their value with another row.", repeated=profile.repeated
            )
        )
        quoted = ("“", "”") if profile.kind is Kind.TEXT else ("", "")
        least, greatest = (f"{quoted[0]}{v}{quoted[1]}" for v in (profile.least, profile.greatest))
        words.append(tr("From {least} to {greatest}.", least=least, greatest=greatest))
    if profile.strays:
        words.append(
            tr(
                "{rows} with a space before or behind the value.",
                rows=counted(profile.strays, "row"),
            )
        )
    return words
