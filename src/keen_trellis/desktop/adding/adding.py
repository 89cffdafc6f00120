"""Bringing lanes in, and seeing to those whose source cannot be read."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QAction, QCursor, QGuiApplication
from PySide6.QtWidgets import QFileDialog, QMenu, QWidget

from keen_trellis.base.errors import (
    MissingFileError,
    MissingTableError,
    NotAllowedError,
    PasswordError,
)
from keen_trellis.base.language import tr
from keen_trellis.desktop.adding.recent import (
    Place,
    place_words,
    recent_places,
    remember_place,
)
from keen_trellis.desktop.map.map_view import MapView
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme
from keen_trellis.document import FolderSource, Lane, TypedSource, edits
from keen_trellis.servers.secrets import LockedFile
from keen_trellis.servers.server import Server

if TYPE_CHECKING:
    from keen_trellis.desktop.adding.chooser import Chooser


class Adding:
    """Asks where tables are, and has the session bring them in.

    Parameters
    ----------
    session, map_
    action : callable
        Takes an id and returns the action.
    theme : callable
        Returns the theme of now.
    parent : QWidget
        What boxes stand above.
    """

    def __init__(
        self,
        session: Session,
        map_: MapView,
        action: Callable[[str], QAction],
        theme: Callable[[], Theme],
        parent: QWidget,
    ) -> None:
        self._session, self._map, self._action = session, map_, action
        self._theme, self._parent = theme, parent
        self._dropped: list[Path] = []

    def take_dropped(self, paths: Sequence[Path]) -> None:
        """Bring in files and folders that were dropped, one after the other."""
        self._dropped = list(paths)
        self._choose_next()

    def offer_places(self) -> None:
        """Offer the ways to bring in a table, and the places that were used lately."""
        menu = QMenu(self._parent)
        menu.setObjectName("add.menu")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for name in ("file", "folder", "database"):
            menu.addAction(self._action(f"lane.add_{name}"))
        menu.addAction(self._action("lane.type_in"))
        menu.addAction(self._action("lane.paste"))
        places = recent_places()
        if places:
            menu.addSection(tr("Used lately"))
        for number, place in enumerate(places):
            action = menu.addAction(place_words(place).replace("&", "&&"))
            action.setObjectName(f"add.recent.{number}")
            action.triggered.connect(lambda _=False, p=place: self.choose_from(p))
        corner = self._map.to_screen(self._map.shown.add_lane).topLeft().toPoint()
        menu.popup(self._map.viewport().mapToGlobal(corner + QPoint(28, 26)))

    def add_from_file(self) -> None:
        """Ask for a file, then for what of it to bring in."""
        path = _ask_source_path(self._parent, self._folder())
        if path:
            self.choose_from(Path(path))

    def add_from_folder(self) -> None:
        """Ask for a folder, then for which of its files become one lane."""
        folder = _ask_folder(self._parent, self._folder())
        if folder:
            self.choose_from(Path(folder))

    def add_from_database(self) -> None:
        """Ask for a server and an account, then for what of it to bring in."""
        from keen_trellis.desktop.adding.passwords import ConnectDialog

        asking = ConnectDialog(self._session.secrets, self._parent)
        asking.accepted.connect(lambda: self.choose_from(asking.server))
        asking.finished.connect(asking.deleteLater)
        asking.open()

    def type_in(self) -> None:
        """Let a small table be typed in."""
        self.choose_from(TypedSource(columns=()))

    def paste_lane(self) -> None:
        """Begin a typed table with the cells on the clipboard."""
        from keen_trellis.desktop.adding.typed_grid import too_many

        text = QGuiApplication.clipboard().text()
        if why := too_many(text):
            self._session.telling.trouble(why)
            return
        if not text.strip():
            self._session.telling.trouble(
                tr("There are no cells on the clipboard: copy some in a sheet first.")
            )
            return
        from keen_trellis.desktop.adding.chooser import Chooser

        self.type_in()
        chooser = self._parent.findChild(Chooser)
        if chooser is not None:
            chooser.paste(text)

    def choose_from(self, place: Place | TypedSource | None) -> None:
        """Show what is in a place, and bring in what is chosen of it."""
        if place is None:
            return
        from keen_trellis.desktop.adding.chooser import Chooser

        session = self._session
        chooser = Chooser(
            place, session.trellis, session.secrets, theme=self._theme(), parent=self._parent
        )
        chooser.accepted.connect(lambda: self._add_chosen(chooser, place))
        # `accepted` comes before `finished`: what was chosen is taken before the dialog is gone.
        chooser.finished.connect(chooser.deleteLater)
        chooser.finished.connect(lambda _: self._choose_next())
        chooser.open()

    def _add_chosen(self, chooser: Chooser, place: Place | TypedSource) -> None:
        if not isinstance(place, TypedSource):
            remember_place(place)
        if chooser.lanes and self._session.do(edits.AddLanes(chooser.lanes)):
            self._session.select(self._session.trellis.lanes[-1].id)

    def _choose_next(self) -> None:
        """Go on with the next of several files that were dropped."""
        if self._dropped:
            self.choose_from(self._dropped.pop(0))

    def _folder(self) -> str:
        return str(self._session.path.parent if self._session.path else Path.cwd())

    def add_again(self) -> None:
        """Bring in the selected lane's table a second time."""
        lane = self._session.selected_lane
        if lane and self._session.do(edits.AddLane(lane.name, lane.source)):
            self._session.select(self._session.trellis.lanes[-1].id)

    def reread_lane(self) -> None:
        """Read the selected lane's source anew."""
        lane = self._session.selected_lane
        if lane is not None:
            self._session.work.run(reread={lane.id})

    def mend_source(self) -> None:
        """Do what can be done at once about a source that could not be read."""
        lane = self._session.selected_lane
        trouble = self._session.results.readings.get(lane.id) if lane else None
        server = getattr(lane.source, "database", None) if lane else None
        if isinstance(trouble, MissingFileError):
            self.move_source()
        elif isinstance(trouble, MissingTableError) and lane is not None:
            self._offer_tables(lane, trouble.available)
        elif isinstance(trouble, NotAllowedError):
            self._session.telling.leave_wanted.emit(self._session.document.not_allowed)
        elif isinstance(trouble, PasswordError) and lane is not None:
            from keen_trellis.desktop.adding.passwords import ask_password

            locked = server if isinstance(server, Server) else LockedFile(trouble.server)
            if ask_password(self._parent, locked, self._session.secrets):
                self._session.work.run()
        else:
            self.reread_lane()

    def _offer_tables(self, lane: Lane, names: Sequence[str]) -> None:
        """Offer the sheets or tables that there are in the place of one that is gone."""
        menu = QMenu(self._parent)
        menu.setObjectName("tables.menu")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for name in names:
            action = menu.addAction(name.replace("&", "&&"))
            action.setObjectName(f"tables.{name}")
            source = lane.source.taking(name)
            edit = edits.SetSource(
                lane.id,
                source,
                tr("Read “{name}” into {lane_name}", name=name, lane_name=lane.name),
            )
            # Each action binds its own edit: the loop goes on.
            action.triggered.connect(lambda _=False, e=edit: self._session.do(e))
        menu.popup(QCursor.pos())

    def move_source(self) -> None:
        """Ask where the selected lane's file is now; what stood beside it is found, too."""
        lane = self._session.selected_lane
        if lane is None or not lane.source.place:
            return
        place = lane.source.place
        is_folder = isinstance(lane.source, FolderSource)
        ask = _ask_folder if is_folder else _ask_source_path
        found = ask(self._parent, self._folder())
        if found and found != place:
            self._session.do(edits.FindSources(place, found))


def _ask_source_path(parent: QWidget, folder: str) -> str:
    """Ask for the file of a lane; empty when nothing was chosen."""
    path, _ = QFileDialog.getOpenFileName(parent, tr("Add a lane from a file"), folder)
    return path


def _ask_folder(parent: QWidget, folder: str) -> str:
    """Ask for a folder whose files become one lane; empty when nothing was chosen."""
    return QFileDialog.getExistingDirectory(parent, tr("Add a lane from a folder"), folder)
