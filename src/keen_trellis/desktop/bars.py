"""The bars above and below: the document and the way to every action, and what goes on."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QAction, QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QProgressBar, QPushButton, QWidget

from keen_trellis.base.language import tr
from keen_trellis.desktop.controls import OneLine, Switch, button, label
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme
from keen_trellis.desktop.tips import as_it_is
from keen_trellis.document.describe import parts_words

MESSAGE_MS = 9_000
"""How long something told stays to be read."""

_PLACE_LETTERS = 24
_PATIENCE_MS = 150
"""How long work goes on before it is shown."""


class _Mark(QWidget):
    """The sign of the program: a small lattice."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(26, 26)
        self.colour = QColor()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self.colour, 2))
        for at in (6, 13, 20):
            painter.drawLine(at, 2, at, 24)
            painter.drawLine(2, at, 24, at)


_LEAST_TOLD = 24


class TopBar(QWidget):
    """The document, when its sources were read, and the way to every action."""

    def __init__(
        self,
        action: Callable[[str], QAction],
        theme: Theme,
        show_view: Callable[[str], object],
    ) -> None:
        super().__init__()
        self.setObjectName("topbar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(44)
        self._action = action
        self._mark = _Mark()
        self._name = self._trigger("", "topbar.name", "trellis.rename", "plain")
        self._name.setToolTip(tr("Rename the trellis"))
        self._file, self._read = OneLine(), OneLine()
        for told in (self._file, self._read):  # what the buttons need, they give
            told.setProperty("soft", True)
            told.setMinimumWidth(_LEAST_TOLD)
        self._file.setObjectName("topbar.file")
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(10, 0, 12, 0)
        self._row.setSpacing(8)
        self._row.addWidget(self._mark)
        self._row.addWidget(self._name)
        self._row.addWidget(self._file)
        self._row.addStretch()
        self._views = Switch("topbar.view", (tr("Trellis"), tr("Report")), tr("Show"))
        self._views.setFixedHeight(30)
        self._views.chosen.connect(lambda number: show_view(("trellis", "report")[number]))
        self._row.addWidget(self._views)
        self._row.addStretch()
        self._row.addWidget(self._read)
        self._place = self._trigger("", "topbar.place", "trellis.place", "plain")
        self._row.addWidget(self._place)
        self._open = self._trigger(tr("Open …"), "topbar.open", "file.open", "soft")
        self._reread = self._trigger(tr("Re-read"), "topbar.reread", "trellis.reread", "soft")
        self._deliver = self._trigger(
            tr("Deliver all"), "topbar.deliver", "trellis.deliver", "soft"
        )
        for wide in (self._open, self._reread, self._deliver):
            self._row.addWidget(wide)
        self._row.addWidget(
            self._trigger(tr("Find an action   Ctrl K"), "topbar.find", "view.finder")
        )
        self.set_theme(theme)

    def _trigger(self, text: str, name: str, action: str, look: str = "") -> QPushButton:
        return button(text, name, lambda: self._action(action).trigger(), look)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        self._mark.colour = QColor(theme.accent)
        self._name.setStyleSheet(f"font-size: 16px; color: {theme.ink}; padding: 2px 4px;")
        self._views.paint_with(
            ground=theme.surface,
            line=theme.line,
            fill=theme.accent,
            on_fill=theme.on_accent,
            ink=theme.ink_soft,
        )
        self._mark.update()

    def show_view(self, is_report: bool, has_both: bool) -> None:
        """Show which view is seen; a trellis that is empty, or runs elsewhere, has only one."""
        self._views.set_chosen(int(is_report))
        self._views.setVisible(has_both)

    def show_document(self, session: Session) -> None:
        """Show what the session works on."""
        self._name.setText(session.trellis.name.replace("&", "&&"))
        self._name.setAccessibleName(tr("Name of the trellis: {name}", name=session.trellis.name))
        lanes = session.trellis.lanes
        self._open.setVisible(not lanes)
        self._reread.setVisible(bool(lanes))
        self._deliver.setVisible(any(True for _ in session.trellis.deliveries()))
        unsaved = tr("not saved yet") if lanes else tr("nothing in it yet")
        file = session.path.name if session.path else unsaved
        state = tr("saved") if session.document.undo.isClean() else tr("changed")
        self._file.setText(f"{file} · {state}" if session.path else file)
        self._read.setText(session.work.read_words)
        place = session.elsewhere.place
        name = tr("here") if place is None else place.name
        short = name if len(name) <= _PLACE_LETTERS else f"{name[: _PLACE_LETTERS - 1].rstrip()}…"
        short = short.replace("&", "&&")
        runs = tr("Runs here") if place is None else tr("Runs on {place}", place=short)
        self._place.setText(f"{runs}  ▾")
        self._place.setToolTip(as_it_is(tr("Where the trellis runs: {name}", name=name)))
        self._place.setAccessibleName(tr("Where the trellis runs: {name}", name=name))
        self._place.setVisible(bool(lanes))

    def edit_name(self, name: str, done: Callable[[str], object]) -> None:
        """Put a field in the place of the name until it is left."""
        field = QLineEdit(name)
        field.setObjectName("topbar.rename")
        field.setAccessibleName(tr("Name of the trellis"))
        self._row.insertWidget(1, field)
        self._name.hide()
        field.selectAll()
        field.setFocus()

        def finish() -> None:
            # `editingFinished` comes twice, for Return and then for the field that is left: only
            # the first finds the name hidden.
            if self._name.isHidden():
                self._name.show()
                text = field.text()
                field.deleteLater()
                if text.strip() and text != name:
                    done(text)

        field.editingFinished.connect(finish)


class StatusLine(QWidget):
    """What the trellis holds, what goes on, and the button that stops it."""

    def __init__(self, session: Session, action: Callable[[str], QAction]) -> None:
        super().__init__()
        self.setObjectName("statusline")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(26)
        self._session = session
        self._holds, self._doing = label(), label()
        self._holds.setObjectName("status.holds")
        self._doing.setObjectName("status.doing")
        self._bar = QProgressBar()
        self._bar.setRange(0, 1000)
        self._bar.setTextVisible(False)
        self._bar.setFixedWidth(160)
        self._resume = button(
            tr("Go on"), "status.resume", lambda: action("trellis.run").trigger(), "plain"
        )
        self._resume.setStyleSheet("padding: 0 8px;")
        self._stop = button(tr("Stop"), "status.stop", session.stop, "plain")
        self._stop.setStyleSheet("padding: 0 8px;")
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 0, 20, 0)
        row.addWidget(self._holds)
        row.addStretch()
        for widget in (self._doing, self._resume, self._bar, self._stop):
            row.addWidget(widget)
        self._resume.hide()
        self._bar.hide()
        self._stop.hide()
        self._work = (1.0, "")
        self._patience = QTimer(self, singleShot=True, interval=_PATIENCE_MS)
        self._patience.timeout.connect(self._show_progress)
        self._told = QTimer(self, singleShot=True, interval=MESSAGE_MS)
        self._told.timeout.connect(lambda: self.show_document(self._session))

    def show_document(self, session: Session) -> None:
        """Show what the session works on."""
        trellis = session.trellis
        self._holds.setText(" · ".join(parts_words(trellis)))
        if not self._told.isActive():
            self._doing.setText(session.work.state_words)
            self._resume.setVisible(not session.work.up_to_date and not session.work.running)

    def tell(self, sentence: str) -> None:
        """Tell something for a while."""
        self._doing.setText(sentence)
        self._told.start()

    def show_work(self, fraction: float, doing: str) -> None:
        """Show how far the work is."""
        self._work = fraction, doing
        if fraction >= 1:
            self._patience.stop()
            if self._bar.isVisible():
                self._bar.hide()
                self._stop.hide()
            self.show_document(self._session)
        elif self._bar.isVisible():
            self._show_progress()
        elif not self._patience.isActive():
            # Not started anew by each report: it runs from the first one on.
            self._patience.start()

    def _show_progress(self) -> None:
        """Show the work under way; work that is over in a moment is not worth the flicker."""
        fraction, doing = self._work
        self._bar.show()
        self._stop.show()
        self._bar.setValue(int(1000 * fraction))
        self._doing.setText(doing)
