"""The window: top bar, map, bench and the status line, laid out and connected."""

from __future__ import annotations

import platform
import traceback
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QByteArray, QPoint, QSettings, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QAction,
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeySequence,
    QResizeEvent,
)
from PySide6.QtWidgets import (
    QApplication,
    QLineEdit,
    QMainWindow,
    QMessageBox,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.base.errors import UserError
from keen_trellis.base.language import tr
from keen_trellis.desktop import theme as themes
from keen_trellis.desktop.actions import ACTIONS, ActionSpec
from keen_trellis.desktop.adding.adding import Adding
from keen_trellis.desktop.adding.recent import (
    remember_trellis,
)
from keen_trellis.desktop.bars import MESSAGE_MS, StatusLine, TopBar
from keen_trellis.desktop.bench.bench import Bench
from keen_trellis.desktop.bench.grid import Grid
from keen_trellis.desktop.bench.local_formats import is_local, read_locally
from keen_trellis.desktop.documents import Documents
from keen_trellis.desktop.help.topics import A_CHANGE_REFUSED, WHY
from keen_trellis.desktop.map.map_view import MapView
from keen_trellis.desktop.menus import Menus
from keen_trellis.desktop.notifier import Notifier
from keen_trellis.desktop.preferences import Preferences
from keen_trellis.desktop.preloading import Ahead
from keen_trellis.desktop.reading_order import next_taker
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.start_page import StartPage
from keen_trellis.desktop.theme import Theme
from keen_trellis.document import edits
from keen_trellis.document.items import JoinItem
from keen_trellis.document.storage import ENDING
from keen_trellis.machine.settings import usual_log

_MAP_HEIGHT, _MAP_LEAST, _BENCH_HEIGHT, _MAP_SHARE, _TWO_ROWS = 300, 170, 325, 0.55, 56
_TALL = 900
"""From this height on there is room for all lanes, however many they are."""
SMALLEST = QSize(1000, 640)
"""The smallest window in which nothing is cut off."""
_SPECS = {spec.id: spec for spec in ACTIONS}


if TYPE_CHECKING:
    from keen_trellis.desktop.help.help_panel import HelpPanel
    from keen_trellis.desktop.report.report_view import ReportView
    from keen_trellis.desktop.tour.tour import Tour
    from keen_trellis.document.wants import Want
    from keen_trellis.machine.settings import Value
    from keen_trellis.run.changes import Changes
    from keen_trellis.servers.server import Server


class Window(QMainWindow):
    """One trellis: the map above, the bench below.

    Signals
    -------
    closed()
        It was closed, and nothing goes on in it.
    """

    closed = Signal()

    session: Session
    theme: Theme
    map: MapView
    bench: Bench
    documents: Documents
    adding: Adding
    menus: Menus

    def __init__(self, session: Session, theme: Theme, preferences: Preferences) -> None:
        super().__init__()
        self.setObjectName("window")
        self.session, self.theme, self.preferences = session, theme, preferences
        read_locally(bool(preferences.settings["values.local"]))
        self.map = MapView(session, theme)
        self.bench = Bench(session, theme)
        self._top = TopBar(self.action, theme, self.show_view)
        self._status = StatusLine(session, self.action)
        self._finder: QWidget | None = None
        self._help: HelpPanel | None = None
        self._tour: Tour | None = None
        self._heights_shown = (0.0, 0)
        # Heights are known once the layout has run, which it does after the events that change
        # it: a timer of no time comes behind them.
        self._room_due = QTimer(self, singleShot=True, interval=0)
        self._room_due.timeout.connect(self._renew_room)
        self.documents = Documents(session, lambda: preferences.settings, self)
        self.adding = Adding(session, self.map, self.action, theme=lambda: self.theme, parent=self)
        at_end = [spec.id for spec in ACTIONS if spec.at_end]
        self.menus = Menus(session, self.map, self.action, at_end=at_end, parent=self)
        self.setAcceptDrops(True)
        self._actions = {spec.id: self._action(spec) for spec in ACTIONS}
        self._lay_out()
        self._connect()
        self.resize(1280, 800)
        self.setMinimumSize(SMALLEST)
        self.map.setFocus()
        self._show_document()
        session.looking.untold = preferences.settings.untold
        preferences.changed.connect(self._follow)
        for odd in preferences.settings.odd:
            QTimer.singleShot(0, self, lambda odd=odd: self.tell(odd, True))
        Ahead(session, self)

    def _lay_out(self) -> None:
        whole = QWidget(self)
        self._middle = QStackedWidget(whole)
        halves = self._halves = QSplitter(Qt.Orientation.Vertical, self._middle)
        halves.setObjectName("halves")
        halves.setChildrenCollapsible(False)
        halves.setHandleWidth(5)
        halves.addWidget(self.map)
        halves.addWidget(self.bench)
        halves.setSizes([_MAP_HEIGHT, 430])
        halves.setStretchFactor(1, 1)
        halves.splitterMoved.connect(self._remember_halves)
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self._start = StartPage(self.action, self._middle)
        self._start.trellis_asked.connect(self.documents.open_path)
        self._start.demo_asked.connect(lambda: self.action("help.demo").trigger())
        self._start.tour_asked.connect(lambda: self.action("help.tour").trigger())
        self._middle.addWidget(halves)
        self._middle.addWidget(self._start)
        self._report: ReportView | None = None
        self._shows_report = False
        column.addWidget(self._top)
        column.addWidget(self._middle, 1)
        column.addWidget(self._status)
        self.setCentralWidget(whole)

    def _remember_halves(self) -> None:
        """Keep where the border between map and bench was put by hand."""
        QSettings().setValue("map_height", self._halves.sizes()[0])

    def _share_room(self) -> None:
        """Give the map the room that many lanes need, up to a share, or what was chosen by hand."""
        whole = sum(self._halves.sizes())
        if not whole:
            return
        chosen = QSettings().value("map_height")
        needed = _MAP_HEIGHT
        if self.map.shown.sizes.is_close or whole >= _TALL:
            needed = max(int(self.map.shown.height) + 4, _MAP_HEIGHT)
        height = int(str(chosen)) if chosen is not None else min(needed, int(whole * _MAP_SHARE))
        bench = max(_BENCH_HEIGHT, min(self.bench.needed_height, whole - _MAP_LEAST))
        # `height` is what the map wants, `whole - bench` what it would get: short of it by two
        # rows at most, it is given them.
        if self.map.shown.sizes.is_close and 0 < height - (whole - bench) <= _TWO_ROWS:
            bench = whole - height  # all lanes at once are worth two rows
        height = max(min(height, whole - bench), 0)
        self._halves.setSizes([height, whole - height])

    def _renew_room(self) -> None:
        """Share the room anew where what is shown needs another height, once it is laid out."""
        heights = self.map.shown.height, self.bench.needed_height
        if heights != self._heights_shown:
            self._heights_shown = heights
            self._share_room()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        QTimer.singleShot(0, self, self._share_room)

    def _connect(self) -> None:
        session = self.session
        session.document.changed.connect(self._show_document)
        session.work.ran.connect(self._show_document)
        session.elsewhere.went.connect(self._show_document)
        session.elsewhere.went.connect(self.map.renew)
        session.document.selected.connect(self._enable_actions)
        session.document.selected.connect(self._room_due.start)
        session.looking.noticed.connect(self._room_due.start)
        session.telling.said.connect(self.tell)
        session.work.working.connect(self._status.show_work)
        session.work.working.connect(self._enable_work)
        notifier = Notifier(
            self,
            name=lambda: session.trellis.name,
            wanted=lambda: bool(self.preferences.settings["telling.notify"]),
        )
        session.work.working.connect(notifier.work)
        session.telling.crashed.connect(self.show_crash)
        session.work.compared.connect(self.show_changes)
        session.telling.leave_wanted.connect(self.ask_leave)
        session.telling.may_replace.connect(self._ask_to_replace)
        session.telling.may_update.connect(self._ask_to_update)
        session.telling.password_wanted.connect(self._ask_password)
        session.document.filed.connect(remember_trellis)
        session.telling.typing_ends.connect(self._end_typing)
        session.telling.help_wanted.connect(self.show_help)
        session.asked.connect(lambda name: self.action(name).trigger())
        self.map.add_lane_asked.connect(self.adding.offer_places)
        self.map.add_item_asked.connect(self.menus.offer_items)
        self.map.menu_asked.connect(self.menus.offer_actions)
        self.map.tie_asked.connect(session.building.tie)

    def _action(self, spec: ActionSpec) -> QAction:
        action = QAction(spec.text, self)
        action.setObjectName(spec.id)
        action.setToolTip(spec.tip)
        if spec.shortcut:
            keys = (spec.shortcut, *spec.more_keys)
            action.setShortcuts([QKeySequence(key) for key in keys])
        # Qt hands `checked` over where a slot takes an argument: the lambda takes none on
        # purpose.
        action.triggered.connect(lambda: spec.run(self))
        self.addAction(action)
        return action

    def _end_typing(self) -> None:
        """Take what stands in the field that is typed into, as leaving it would."""
        field = self.focusWidget()
        if isinstance(field, QLineEdit):
            # Qt sends it when the field is left or Return is pressed; a key for saving does
            # neither. An edit that changes nothing is none, so once too often does no harm.
            field.editingFinished.emit()

    def action(self, action_id: str) -> QAction:
        """Return the action with an id."""
        return self._actions[action_id]

    def _enable_actions(self) -> None:
        for spec in ACTIONS:
            self._actions[spec.id].setEnabled(spec.when(self.session))
        undo = self.session.document.undo
        self.action("edit.undo").setText(
            tr("Undo: {undotext}", undotext=undo.undoText()) if undo.canUndo() else tr("Undo")
        )
        self.action("edit.redo").setText(
            tr("Redo: {redotext}", redotext=undo.redoText()) if undo.canRedo() else tr("Redo")
        )

    def _enable_work(self, fraction: float, doing: str) -> None:
        for name in ("job.stop", "trellis.run"):
            action = self._actions[name]
            action.setEnabled(_SPECS[name].when(self.session))

    def _show_document(self) -> None:
        session = self.session
        is_empty = not session.trellis.lanes
        self._room_due.start()
        if is_empty and self._middle.currentWidget() is not self._start:
            self._start.renew()
        if self._shows_report and not is_empty and self._report is not None:
            self._middle.setCurrentWidget(self._report)
        else:
            self._middle.setCurrentIndex(int(is_empty))
        is_here = session.elsewhere.place is None
        if not is_here and self._shows_report:  # a report of the first rows alone tells nothing
            self._shows_report = False
            self._middle.setCurrentIndex(0)
        self._top.show_view(self._shows_report, not is_empty and is_here)
        saved = session.document.undo.isClean()
        self.setWindowTitle(f"{session.trellis.name}{'' if saved else ' *'} – Keen Trellis")
        self._top.show_document(session)
        self._status.show_document(session)
        self._enable_actions()

    def show_view(self, name: str) -> None:
        """Show the trellis or the report; with an empty name the one that is not shown."""
        self._shows_report = (name or ("trellis" if self._shows_report else "report")) == "report"
        if self._shows_report and self._report is None:
            from keen_trellis.desktop.report.report_view import ReportView

            self._report = ReportView(self.session, self.theme, self._serve_report)
            self._middle.addWidget(self._report)
        self.session.reporting.see(self._shows_report)
        self._show_document()
        if self._shows_report and self._report is not None:
            self._report.take_keyboard()
        else:
            self.map.setFocus()

    def _serve_report(self, grid: Grid) -> None:
        """Let rows behind a report be sorted and copied, and lead to the lanes they come from."""
        self.bench.serve(grid)
        grid.source_asked.connect(lambda *_: self.show_view("trellis"))

    def export_report(self) -> None:
        """Save the picture of the report that is looked at."""
        self.show_view("report")
        assert self._report is not None
        self._report.export()

    def rename_trellis(self) -> None:
        """Let the trellis's name be typed over in the top bar."""
        self._top.edit_name(
            self.session.trellis.name, lambda name: self.session.do(edits.RenameTrellis(name))
        )

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.documents.may_leave() or not self.documents.may_stop_writing():
            event.ignore()
            return
        # Work ends before the geometry is kept: a job that came back in between would find a
        # window that is half gone.
        self.session.finish()
        QSettings().setValue("window", self.saveGeometry())
        event.accept()
        self.closed.emit()

    @property
    def is_untouched(self) -> bool:
        """Whether nothing was begun in it."""
        session = self.session
        return (
            session.path is None and not session.trellis.lanes and not session.document.undo.count()
        )

    def focusNextPrevChild(self, next: bool) -> bool:
        taker = next_taker(self, QApplication.focusWidget(), is_back=not next)
        if taker is None:
            return False
        back, on = Qt.FocusReason.BacktabFocusReason, Qt.FocusReason.TabFocusReason
        taker.setFocus(on if next else back)
        return True

    def be_as_it_was_left(self) -> None:
        """Take the place and size that the last window had when it was closed."""
        place = QSettings().value("window")
        if isinstance(place, QByteArray):
            self.restoreGeometry(place)

    def ask_leave(self, wanted: Sequence[Want]) -> None:
        """Ask whether the trellis may do what nobody has allowed to it yet."""
        from keen_trellis.desktop.sheets import ask_leave

        ask_leave(self.session, wanted, self)

    def offer_left_work(self) -> None:
        """Offer the latest work that a crash left behind; the others at the next start."""
        from keen_trellis.desktop.sheets import offer_left_work
        from keen_trellis.machine.unsaved_work import left_work

        for work in left_work()[:1]:
            offer_left_work(self.session, work, self)

    def _ask_password(self, server: Server, go_on: Callable[[], object]) -> None:
        from keen_trellis.desktop.adding.passwords import ask_password

        if ask_password(self, server, self.session.secrets):
            go_on()

    def _ask_to_replace(self, paths: Sequence[Path], go_on: Callable[[], object]) -> None:
        from keen_trellis.desktop.sheets import ask_to_replace

        ask_to_replace(paths, go_on, self)

    def _ask_to_update(self, sentences: Sequence[str], go_on: Callable[[], object]) -> None:
        from keen_trellis.desktop.sheets import ask_to_update

        ask_to_update(sentences, go_on, self)

    def show_changes(self, changes: Changes) -> None:
        """Show what another read brought."""
        from keen_trellis.desktop.reread_summary import RereadSummary

        summary = RereadSummary(changes, self.theme, self)
        summary.repaired.connect(self.session.do)
        summary.show()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Open a trellis that is dropped, or bring in files and folders, one after the other."""
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        event.acceptProposedAction()
        trellises = [path for path in paths if path.suffix == ENDING]
        if trellises:
            self.documents.open_path(trellises[0])
        elif paths:
            # Dialogs must not open within a drop: the program that it came from waits for its
            # end.
            QTimer.singleShot(0, lambda: self.adding.take_dropped(paths))

    def show_join_types(self) -> None:
        """Open the table of what every join type would give."""
        self.bench.open_page("match")
        asked = self.bench.findChild(QPushButton, "match.join_types")
        if asked is not None:
            asked.click()

    def link_by_formula(self) -> None:
        """Ask for a formula that links the selected join."""
        from keen_trellis.desktop.parts.join.formula_dialog import FormulaDialog

        item = self.session.selected_item
        if isinstance(item, JoinItem):
            FormulaDialog(self.session, item, self.theme, self).open()

    def offer_places(self) -> None:
        """Offer the places where the trellis can run, below the word that says where it does."""
        below = self._top.findChild(QPushButton, "topbar.place")
        assert below is not None
        self.menus.offer_places(below)

    def find_action(self) -> None:
        """Open the action finder below the top bar."""
        from keen_trellis.desktop.finder import Finder

        # The finder shows what can be done now; what enables an action may have changed without a
        # signal that the window hears.
        self._enable_actions()
        finder = self._finder = Finder(list(self._actions.values()), self)
        finder.move(self.mapToGlobal(QPoint((self.width() - finder.width()) // 2, 52)))
        finder.show()

    def switch_local_reading(self) -> None:
        """Show numbers and dates as they are written here, or not, and remember it."""
        self._prefer("values.local", not is_local())

    def switch_theme(self) -> None:
        """Show the window in the other set of colours, and remember it."""
        self._prefer("look.theme", "light" if self.theme is themes.DARK else "dark")

    def _prefer(self, setting: str, value: Value) -> None:
        try:
            self.preferences.set(setting, value)
        except UserError as error:
            self.session.telling.trouble(error)

    def show_help(self, heading: str = "") -> None:
        """Show the guide where it speaks of what is selected, or the section under a heading."""
        self._help_panel().show_section(heading or self._speaks_of())

    def begin_tour(self) -> None:
        """Open the demo with the tour, at the stop where it was left."""
        from keen_trellis.desktop.tour.tour import Tour, stop_left_at

        if not self.documents.open_demo("winter-season.trellis"):
            return
        if self._tour is None:
            self._tour = Tour(self.session, self._open_page, self.bench.open_id, self)
        self._tour.begin(stop_left_at())

    def _open_page(self, name: str) -> None:
        """Open a page of the bench, in front of whatever is shown."""
        self.show_view("trellis")
        self.bench.open_page(name)

    def show_keys(self) -> None:
        """Show every action that has keys."""
        self._help_panel().show_keys()

    def _help_panel(self) -> HelpPanel:
        if self._help is None:
            from keen_trellis.desktop.help.help_panel import HelpPanel

            self._help = HelpPanel(lambda: list(self._actions.values()), self)
        return self._help

    def _speaks_of(self) -> str:
        """Return the heading of the guide's section on what is in front."""
        if self._middle.currentWidget() is self._start:
            return tr("Begin")
        return tr("Report") if self._shows_report else self.bench.help

    def show_log(self) -> None:
        """Show what the program did, when, and how long it took."""
        from keen_trellis.desktop.log_dialog import LogDialog

        LogDialog(usual_log(), self).open()

    def show_settings(self) -> None:
        """Show everything that can be set on this machine."""
        from keen_trellis.desktop.settings_dialog import SettingsDialog

        SettingsDialog(self.preferences, self).open()

    def _follow(self, setting: str) -> None:
        """Show what is set now."""
        if setting == "look.theme":
            self.set_theme(self.preferences.theme)
        elif setting.startswith("findings."):
            self.session.looking.untold = self.preferences.settings.untold
            self.session.looking.noticed.emit()
        elif setting == "limits.cross_rows":
            self.session.work.run()
        elif setting == "values.local":
            read_locally(bool(self.preferences.settings[setting]))
            for grid in self.findChildren(Grid):
                grid.fit_columns()
                grid.viewport().update()

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        self.theme = theme
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        themes.dress(application, theme)
        self.map.set_theme(theme)
        self.bench.set_theme(theme)
        if self._report is not None:
            self._report.set_theme(theme)
        self._top.set_theme(theme)

    def tell(self, sentence: str, is_trouble: bool) -> None:
        """Tell something: trouble stands in the bench's head, the rest in the status line."""
        if is_trouble:
            # `telling.why` is of the latest trouble: it is taken now, not when the button is
            # pressed.
            why = partial(self.show_help, self.session.telling.why or A_CHANGE_REFUSED)
            self.bench.notice.tell(sentence, (WHY, why))
            QTimer.singleShot(MESSAGE_MS, self, lambda: self._forget(sentence))
        else:
            self.bench.notice.tell("")
            self._status.tell(sentence)

    def _forget(self, sentence: str) -> None:
        # A newer trouble stays as long as it was promised, from its own beginning.
        if self.bench.notice.text == sentence:
            self.bench.notice.tell("")

    def show_crash(self, error: BaseException) -> None:
        """Tell of a fault of the program itself; the trellis stays as it is."""
        box = QMessageBox(self)
        box.setObjectName("crash")
        box.setIcon(QMessageBox.Icon.Warning)
        box.setText(tr("Keen Trellis made a mistake. Your trellis is as it was; save it now."))
        box.setInformativeText(
            tr(
                "What stands under the details says where, and holds none of your "
                "values: send it to "
                "whoever looks after the program for you, with what you did before."
            )
        )
        box.setDetailedText(crash_report(error))
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        box.open()


def crash_report(error: BaseException) -> str:
    """Return where a fault happened and in which versions, without a value of anybody's data.

    The message of an error may quote a value, so only its type is told.
    """
    from importlib import metadata

    frames = traceback.extract_tb(error.__traceback__)
    where = [
        tr(
            "  {name}, line {lineno}, in {f_name}",
            name=Path(f.filename).name,
            lineno=f.lineno,
            f_name=f.name,
        )
        for f in frames
    ]
    versions = ", ".join(
        f"{name} {metadata.version(name)}"
        for name in ("keen-trellis", "PySide6-Essentials", "numpy", "pyarrow")
    )
    about = tr(
        "{versions}, Python {python_version}, {system}",
        versions=versions,
        python_version=platform.python_version(),
        system=platform.system(),
    )
    return "\n".join(
        [
            about,
            type(error).__name__,
            *where,
            tr("What was done before: {usual_log}", usual_log=usual_log()),
        ]
    )
