"""The window: top bar, map, bench and the status line, and what its actions ask for."""

from __future__ import annotations

import traceback
from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtCore import QPoint, QSettings, Qt, QTimer
from PySide6.QtGui import (
    QAction,
    QCloseEvent,
    QColor,
    QCursor,
    QDragEnterEvent,
    QDropEvent,
    QGuiApplication,
    QKeySequence,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMainWindow,
    QMenu,
    QMessageBox,
    QProgressBar,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.desktop import theme as themes
from keen_trellis.desktop.actions import ACTIONS, ActionSpec
from keen_trellis.desktop.bench.bench import Bench
from keen_trellis.desktop.chooser import Chooser, ask_folder, ask_source_path
from keen_trellis.desktop.controls import button, label
from keen_trellis.desktop.entries import Place
from keen_trellis.desktop.finder import Finder
from keen_trellis.desktop.map.view import MapView
from keen_trellis.desktop.parts.delivery.delivery_page import ask_delivery_path
from keen_trellis.desktop.passwords import ConnectDialog, ask_password
from keen_trellis.desktop.recent import (
    place_words,
    recent_places,
    remember_place,
    remember_trellis,
)
from keen_trellis.desktop.reread_summary import RereadSummary
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.start_page import StartPage
from keen_trellis.desktop.theme import Theme
from keen_trellis.document import FolderSource, Lane, TypedSource
from keen_trellis.document.describe import parts_words
from keen_trellis.document.edits import (
    AddDelivery,
    AddLane,
    AddLanes,
    FindSources,
    RenameTrellis,
    SetSource,
)
from keen_trellis.document.storage import ENDING
from keen_trellis.errors import MissingFileError, MissingTableError, PasswordError
from keen_trellis.read import Server, pasted_cells
from keen_trellis.run.changes import Changes

_MESSAGE_MS = 9_000
_SPECS = {spec.id: spec for spec in ACTIONS}


class Window(QMainWindow):
    """One trellis: the map above, the bench below."""

    session: Session
    theme: Theme
    map: MapView
    bench: Bench

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("window")
        self.session, self.theme = session, theme
        self.map = MapView(session, theme)
        self.bench = Bench(session, theme)
        self._top = _TopBar(self)
        self._status = _StatusLine(self)
        self._finder: Finder | None = None
        self._dropped: list[Path] = []
        self.setAcceptDrops(True)
        self._actions = {spec.id: self._action(spec) for spec in ACTIONS}
        self._lay_out()
        self._connect()
        self.resize(1280, 800)
        self.setMinimumSize(1000, 640)
        self.map.setFocus()
        self._show_document()

    def _lay_out(self) -> None:
        halves = QSplitter(Qt.Orientation.Vertical)
        halves.setChildrenCollapsible(False)
        halves.setHandleWidth(5)
        halves.addWidget(self.map)
        halves.addWidget(self.bench)
        halves.setSizes([300, 430])
        halves.setStretchFactor(1, 1)
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self._start = StartPage(self.action)
        self._start.trellis_asked.connect(self._open_asked)
        self._middle = QStackedWidget()
        self._middle.addWidget(halves)
        self._middle.addWidget(self._start)
        column.addWidget(self._top)
        column.addWidget(self._middle, 1)
        column.addWidget(self._status)
        self.setCentralWidget(whole)

    def _connect(self) -> None:
        session = self.session
        session.changed.connect(self._show_document)
        session.ran.connect(self._show_document)
        session.selected.connect(self._enable_actions)
        session.said.connect(self.tell)
        session.working.connect(self._status.show_work)
        session.working.connect(self._enable_work)
        session.crashed.connect(self.show_crash)
        session.compared.connect(self.show_changes)
        session.filed.connect(remember_trellis)
        session.asked.connect(lambda name: self.action(name).trigger())
        self.map.add_lane_asked.connect(self.offer_places)
        self.map.add_item_asked.connect(self.offer_items)
        self.map.menu_asked.connect(self.offer_actions)
        self.map.tie_asked.connect(session.tie)

    def _action(self, spec: ActionSpec) -> QAction:
        action = QAction(spec.text, self)
        action.setObjectName(spec.id)
        action.setToolTip(spec.tip)
        if spec.shortcut:
            action.setShortcut(QKeySequence(spec.shortcut))
        action.triggered.connect(lambda: spec.run(self))
        self.addAction(action)
        return action

    def action(self, action_id: str) -> QAction:
        """Return the action with an id."""
        return self._actions[action_id]

    def _enable_actions(self) -> None:
        for spec in ACTIONS:
            self._actions[spec.id].setEnabled(spec.when(self.session))
        undo = self.session.undo
        self.action("edit.undo").setText(f"Undo: {undo.undoText()}" if undo.canUndo() else "Undo")
        self.action("edit.redo").setText(f"Redo: {undo.redoText()}" if undo.canRedo() else "Redo")

    def _enable_work(self, fraction: float, doing: str) -> None:
        for name in ("job.stop", "trellis.run"):
            action = self._actions[name]
            action.setEnabled(_SPECS[name].when(self.session))

    def _show_document(self) -> None:
        session = self.session
        is_empty = not session.trellis.lanes
        if is_empty and self._middle.currentWidget() is not self._start:
            self._start.renew()
        self._middle.setCurrentIndex(int(is_empty))
        saved = session.undo.isClean()
        self.setWindowTitle(f"{session.trellis.name}{'' if saved else ' *'} – Keen Trellis")
        self._top.show_document(session)
        self._status.show_document(session)
        self._enable_actions()

    # documents

    def new(self) -> None:
        """Begin an empty trellis, once the one in the window is safe."""
        if self._may_leave():
            self.session.new()

    def open(self) -> None:
        """Ask for a trellis and open it, once the one in the window is safe."""
        if not self._may_leave():
            return
        folder = str(self.session.path.parent if self.session.path else Path.cwd())
        path, _ = QFileDialog.getOpenFileName(
            self, "Open a trellis", folder, f"Trellises (*{ENDING});;All files (*)"
        )
        if path:
            self.session.open(Path(path))

    def _open_asked(self, path: Path) -> None:
        if self._may_leave():
            self.session.open(path)

    def save(self) -> bool:
        """Save the trellis, asking where if it has no file yet; tell whether it was saved."""
        path = self.session.path
        if path is None:
            return self.save_as()
        if self.session.changed_outside:
            return self._save_beside(path)
        return self.session.save(path)

    def _save_beside(self, path: Path) -> bool:
        """Ask what to do where somebody else changed the file; tell whether it was saved."""
        box = QMessageBox(self)
        box.setObjectName("save.conflict")
        box.setIcon(QMessageBox.Icon.Warning)
        box.setText(f"{path.name} was changed elsewhere since it was opened here.")
        box.setInformativeText("Saving in its place would lose what was changed there.")
        roles = QMessageBox.ButtonRole
        both = box.addButton("Keep both …", roles.AcceptRole)
        replace = box.addButton("Save in its place", roles.DestructiveRole)
        box.addButton(QMessageBox.StandardButton.Cancel)
        box.setDefaultButton(both)
        box.exec()
        if box.clickedButton() is both:
            return self.save_as(path.with_name(f"{path.stem} (mine){path.suffix}"))
        return box.clickedButton() is replace and self.session.save(path)

    def save_as(self, wish: Path | None = None) -> bool:
        """Ask where to save the trellis; tell whether it was saved."""
        usual = self.session.path or Path.cwd() / f"{self.session.trellis.name}{ENDING}"
        start = str(wish or usual)
        path, _ = QFileDialog.getSaveFileName(self, "Save the trellis", start, f"*{ENDING}")
        if not path:
            return False
        named = Path(path)
        return self.session.save(named if named.suffix == ENDING else Path(f"{path}{ENDING}"))

    def rename_trellis(self) -> None:
        """Let the trellis's name be typed over in the top bar."""
        self._top.edit_name(
            self.session.trellis.name, lambda name: self.session.do(RenameTrellis(name))
        )

    def _may_leave(self) -> bool:
        if self.session.undo.isClean():
            return True
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self,
            "Keen Trellis",
            f"Save the changes to “{self.session.trellis.name}” first?",
            buttons.Save | buttons.Discard | buttons.Cancel,
            buttons.Save,
        )
        return self.save() if answer == buttons.Save else answer == buttons.Discard

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self._may_leave() or not self._may_stop_writing():
            event.ignore()
            return
        self.session.finish()
        event.accept()

    def _may_stop_writing(self) -> bool:
        """Ask before a delivery that is being written is given up."""
        if not self.session.writes.busy:
            return True
        box = QMessageBox(self)
        box.setObjectName("quit.writing")
        box.setText("A delivery is being written.")
        box.setInformativeText("What is not written whole leaves the earlier file as it is.")
        give_up = box.addButton("Give it up and quit", QMessageBox.ButtonRole.DestructiveRole)
        wait = box.addButton("Let it finish", QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(wait)
        box.exec()
        return box.clickedButton() is give_up or not self.session.writes.busy

    # lanes and items

    def offer_places(self) -> None:
        """Offer the ways to bring in a table, and the places that were used lately."""
        menu = QMenu(self)
        menu.setObjectName("add.menu")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for name in ("file", "folder", "database"):
            menu.addAction(self.action(f"lane.add_{name}"))
        menu.addAction(self.action("lane.type_in"))
        menu.addAction(self.action("lane.paste"))
        places = recent_places()
        if places:
            menu.addSection("Used lately")
        for number, place in enumerate(places):
            action = menu.addAction(place_words(place).replace("&", "&&"))
            action.setObjectName(f"add.recent.{number}")
            action.triggered.connect(lambda _=False, p=place: self.choose_from(p))
        corner = self.map.to_screen(self.map.shown.add_lane).topLeft().toPoint()
        menu.popup(self.map.viewport().mapToGlobal(corner + QPoint(28, 26)))

    def add_from_file(self) -> None:
        """Ask for a file, then for what of it to bring in."""
        path = ask_source_path(self, self._folder())
        if path:
            self.choose_from(Path(path))

    def add_from_folder(self) -> None:
        """Ask for a folder, then for which of its files become one lane."""
        folder = ask_folder(self, self._folder())
        if folder:
            self.choose_from(Path(folder))

    def add_from_database(self) -> None:
        """Ask for a server and an account, then for what of it to bring in."""
        asking = ConnectDialog(self.session.secrets, self)
        asking.accepted.connect(lambda: self.choose_from(asking.server))
        asking.finished.connect(asking.deleteLater)
        asking.open()

    def type_in(self) -> None:
        """Let a small table be typed in."""
        self.choose_from(TypedSource(columns=()))

    def paste_lane(self) -> None:
        """Begin a typed table with the cells on the clipboard."""
        text = QGuiApplication.clipboard().text()
        if not pasted_cells(text):
            self.tell("There are no cells on the clipboard: copy some in a sheet first.", True)
            return
        self.type_in()
        chooser = self.findChild(Chooser)
        if chooser is not None:
            chooser.paste(text)

    def choose_from(self, place: Place | TypedSource | None) -> None:
        """Show what is in a place, and bring in what is chosen of it."""
        if place is None:
            return
        session = self.session
        chooser = Chooser(place, session.trellis, session.secrets, self.theme, self)
        chooser.accepted.connect(lambda: self._add_chosen(chooser, place))
        chooser.finished.connect(chooser.deleteLater)
        chooser.finished.connect(lambda _: self._choose_next())
        chooser.open()

    def _add_chosen(self, chooser: Chooser, place: Place | TypedSource) -> None:
        if not isinstance(place, TypedSource):
            remember_place(place)
        if chooser.lanes and self.session.do(AddLanes(chooser.lanes)):
            self.session.select(self.session.trellis.lanes[-1].id)

    def _choose_next(self) -> None:
        """Go on with the next of several files that were dropped."""
        if self._dropped:
            self.choose_from(self._dropped.pop(0))

    def _folder(self) -> str:
        return str(self.session.path.parent if self.session.path else Path.cwd())

    def add_again(self) -> None:
        """Bring in the selected lane's table a second time."""
        lane = self.session.selected_lane
        if lane and self.session.do(AddLane(lane.name, lane.source)):
            self.session.select(self.session.trellis.lanes[-1].id)

    def reread_lane(self) -> None:
        """Read the selected lane's source anew."""
        lane = self.session.selected_lane
        if lane is not None:
            self.session.run(reread={lane.id})

    def mend_source(self) -> None:
        """Do what can be done at once about a source that could not be read."""
        lane = self.session.selected_lane
        trouble = self.session.results.readings.get(lane.id) if lane else None
        server = getattr(lane.source, "database", None) if lane else None
        if isinstance(trouble, MissingFileError):
            self.move_source()
        elif isinstance(trouble, MissingTableError) and lane is not None:
            self._offer_tables(lane, trouble.available)
        elif isinstance(trouble, PasswordError) and isinstance(server, Server):
            if ask_password(self, server, self.session.secrets):
                self.session.run()
        else:
            self.reread_lane()

    def _offer_tables(self, lane: Lane, names: Sequence[str]) -> None:
        """Offer the sheets or tables that there are in the place of one that is gone."""
        menu = QMenu(self)
        menu.setObjectName("tables.menu")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for name in names:
            action = menu.addAction(name.replace("&", "&&"))
            action.setObjectName(f"tables.{name}")
            source = lane.source.taking(name)
            edit = SetSource(lane.id, source, f"Read “{name}” into {lane.name}")
            action.triggered.connect(lambda _=False, e=edit: self.session.do(e))
        menu.popup(QCursor.pos())

    def move_source(self) -> None:
        """Ask where the selected lane's file is now; what stood beside it is found, too."""
        lane = self.session.selected_lane
        if lane is None or not lane.source.place:
            return
        place = lane.source.place
        is_folder = isinstance(lane.source, FolderSource)
        ask = ask_folder if is_folder else ask_source_path
        found = ask(self, self._folder())
        if found and found != place:
            self.session.do(FindSources(place, found))

    def show_changes(self, changes: Changes) -> None:
        """Show what another read brought."""
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
        if trellises and self._may_leave():
            self.session.open(trellises[0])
        elif paths and not trellises:
            self._dropped = list(paths)
            QTimer.singleShot(0, self._choose_next)

    def offer_items(self, lane_id: str, at: QPoint) -> None:
        """Offer what can be added at a lane's end."""
        self.session.select(lane_id)
        menu = self._tie_menu()
        menu.addSeparator()
        menu.addActions(self._at_end())
        menu.popup(at)

    def _end_on_screen(self) -> QPoint:
        """Return where the selected lane ends, or the nearest point of the map that is seen."""
        lane = self.session.selected_lane
        plus = next((p for p in self.map.shown.pluses if lane and p.lane == lane.id), None)
        head = self.map.shown.box_of(lane.id) if lane else None
        box = plus.box if plus else head or self.map.shown.add_lane
        at = self.map.to_screen(box).bottomLeft().toPoint()
        seen = self.map.viewport().rect().adjusted(8, 8, -40, -8)
        at.setX(min(max(at.x(), seen.left()), seen.right()))  # a lane may be scrolled out of sight
        at.setY(min(max(at.y(), seen.top()), seen.bottom()))
        return self.map.viewport().mapToGlobal(at)

    def _at_end(self) -> list[QAction]:
        return [self._actions[spec.id] for spec in ACTIONS if spec.at_end]

    def offer_ties(self) -> None:
        """Offer the lanes that the selected one can be tied with."""
        self._tie_menu().popup(self._end_on_screen())

    def offer_stacks(self) -> None:
        """Offer the lanes whose rows can be put below those of the selected one."""
        stack = self.session.stack
        self._lanes_menu("stack", "Stack {} below", stack).popup(self._end_on_screen())

    def _tie_menu(self) -> QMenu:
        return self._lanes_menu("tie", "Tie with {}", self.session.tie)

    def _lanes_menu(self, name: str, words: str, bring: Callable[[str, str], object]) -> QMenu:
        """Return a menu of the other lanes; the one chosen is brought to the selected lane."""
        menu = QMenu(self)
        menu.setObjectName(f"{name}.menu")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        lane = self.session.selected_lane
        for other in self.session.trellis.lanes:
            if lane is not None and other.id != lane.id:
                action = menu.addAction(words.format(other.name).replace("&", "&&"))
                action.setObjectName(f"{name}.with.{other.id}")
                action.triggered.connect(lambda _=False, a=lane.id, b=other.id: bring(a, b))
        if menu.isEmpty():
            menu.addAction(f"{words.format('another lane')}: add one first").setEnabled(False)
        return menu

    def offer_actions(self, at: QPoint) -> None:
        """Offer what can be done with what is selected."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        names = ("lane.rename", "lane.reread", "lane.again", "part.remove", "lane.add")
        offered = [self.action("lane.tie"), *self._at_end(), *map(self.action, names)]
        menu.addActions([action for action in offered if action.isEnabled()])
        menu.popup(at)

    def add_delivery(self) -> None:
        """Ask for a file that the rows at the selected lane's end go to."""
        lane = self.session.selected_lane
        if lane is None:
            return
        folder = self.session.path.parent if self.session.path else Path.cwd()
        path = ask_delivery_path(self, str(folder / f"{lane.name}.xlsx"))
        if path and self.session.do(AddDelivery(lane.id, Path(path).stem, path)):
            self.session.select(self.session.trellis.lane(lane.id).items[-1].id)

    def show_join_types(self) -> None:
        """Open the table of what every join type would give."""
        self.bench.open_page("match")
        asked = self.bench.findChild(QPushButton, "match.join_types")
        if asked is not None:
            asked.click()

    # the window itself

    def find_action(self) -> None:
        """Open the action finder below the top bar."""
        self._enable_actions()
        self._finder = Finder(list(self._actions.values()), self)
        middle = self.mapToGlobal(QPoint((self.width() - self._finder.width()) // 2, 52))
        self._finder.move(middle)
        self._finder.show()

    def switch_theme(self) -> None:
        """Show the window in the other set of colours, and remember it."""
        self.set_theme(themes.LIGHT if self.theme is themes.DARK else themes.DARK)
        QSettings().setValue("theme", self.theme.name)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        self.theme = theme
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        themes.dress(application, theme)
        self.map.set_theme(theme)
        self.bench.set_theme(theme)
        self._top.set_theme(theme)

    def tell(self, sentence: str, is_trouble: bool) -> None:
        """Tell something: trouble stands in the bench's head, the rest in the status line."""
        if is_trouble:
            self.bench.notice.tell(sentence)
            QTimer.singleShot(_MESSAGE_MS, self, lambda: self._forget(sentence))
        else:
            self.bench.notice.tell("")
            self._status.tell(sentence)

    def _forget(self, sentence: str) -> None:
        if self.bench.notice.text == sentence:
            self.bench.notice.tell("")

    def show_crash(self, error: BaseException) -> None:
        """Tell of a fault of the program itself; the trellis stays as it is."""
        box = QMessageBox(self)
        box.setObjectName("crash")
        box.setIcon(QMessageBox.Icon.Warning)
        box.setText("Keen Trellis made a mistake. Your trellis is as it was; save it now.")
        box.setDetailedText("".join(traceback.format_exception(error)))
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        box.open()


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


class _TopBar(QWidget):
    """The document, when its sources were read, and the way to every action."""

    def __init__(self, window: Window) -> None:
        super().__init__()
        self.setObjectName("topbar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(44)
        self._window = window
        self._mark = _Mark()
        self._name = button("", "topbar.name", window.rename_trellis, "plain")
        self._name.setToolTip("Rename the trellis")
        self._file = label(soft=True)
        self._file.setObjectName("topbar.file")
        self._read = label(soft=True)
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(10, 0, 12, 0)
        self._row.setSpacing(8)
        self._row.addWidget(self._mark)
        self._row.addWidget(self._name)
        self._row.addWidget(self._file)
        self._row.addStretch()
        self._row.addWidget(self._read)
        self._open = self._trigger("Open …", "topbar.open", "file.open", "soft")
        self._reread = self._trigger("Re-read", "topbar.reread", "trellis.reread", "soft")
        self._deliver = self._trigger("Deliver all", "topbar.deliver", "trellis.deliver", "soft")
        for wide in (self._open, self._reread, self._deliver):
            self._row.addWidget(wide)
        self._row.addWidget(self._trigger("Find an action   Ctrl K", "topbar.find", "view.finder"))
        self.set_theme(window.theme)

    def _trigger(self, text: str, name: str, action: str, look: str = "") -> QPushButton:
        return button(text, name, lambda: self._window.action(action).trigger(), look)

    def set_theme(self, theme: Theme) -> None:
        self._mark.colour = QColor(theme.accent)
        self._name.setStyleSheet(f"font-size: 16px; color: {theme.ink}; padding: 2px 4px;")
        self._mark.update()

    def show_document(self, session: Session) -> None:
        self._name.setText(session.trellis.name.replace("&", "&&"))
        self._name.setAccessibleName(f"Name of the trellis: {session.trellis.name}")
        lanes = session.trellis.lanes
        self._open.setVisible(not lanes)
        self._reread.setVisible(bool(lanes))
        self._deliver.setVisible(any(True for _ in session.trellis.deliveries()))
        unsaved = "not saved yet" if lanes else "nothing in it yet"
        file = session.path.name if session.path else unsaved
        state = "saved" if session.undo.isClean() else "changed"
        self._file.setText(f"{file} · {state}" if session.path else file)
        self._read.setText(session.read_words)

    def edit_name(self, name: str, done: Callable[[str], object]) -> None:
        """Put a field in the place of the name until it is left."""
        field = QLineEdit(name)
        field.setObjectName("topbar.rename")
        field.setAccessibleName("Name of the trellis")
        self._row.insertWidget(1, field)
        self._name.hide()
        field.selectAll()
        field.setFocus()

        def finish() -> None:
            if self._name.isHidden():
                self._name.show()
                text = field.text()
                field.deleteLater()
                if text.strip() and text != name:
                    done(text)

        field.editingFinished.connect(finish)


class _StatusLine(QWidget):
    """What the trellis holds, what goes on, and the button that stops it."""

    def __init__(self, window: Window) -> None:
        super().__init__()
        self.setObjectName("statusline")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(26)
        self._session = window.session
        self._holds, self._doing = QLabel(), QLabel()
        self._holds.setObjectName("status.holds")
        self._doing.setObjectName("status.doing")
        self._bar = QProgressBar()
        self._bar.setRange(0, 1000)
        self._bar.setTextVisible(False)
        self._bar.setFixedWidth(160)
        self._resume = button(
            "Go on", "status.resume", lambda: window.action("trellis.run").trigger(), "plain"
        )
        self._resume.setStyleSheet("padding: 0 8px;")
        self._stop = button("Stop", "status.stop", window.session.stop, "plain")
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
        self._told = QTimer(self, singleShot=True, interval=_MESSAGE_MS)
        self._told.timeout.connect(lambda: self.show_document(self._session))

    def show_document(self, session: Session) -> None:
        trellis = session.trellis
        self._holds.setText(" · ".join(parts_words(trellis)))
        if not self._told.isActive():
            self._doing.setText(session.state_words)
            self._resume.setVisible(not session.up_to_date and not session.jobs.busy)

    def tell(self, sentence: str) -> None:
        self._doing.setText(sentence)
        self._told.start()

    def show_work(self, fraction: float, doing: str) -> None:
        going_on = fraction < 1
        self._bar.setVisible(going_on)
        self._stop.setVisible(going_on)
        if not going_on:
            self.show_document(self._session)
        self._bar.setValue(int(1000 * fraction))
        if going_on:
            self._doing.setText(doing)
