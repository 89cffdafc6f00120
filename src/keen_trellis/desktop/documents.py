"""Trellises as files: begun, opened, saved, and never left with changes that nobody saved."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import platformdirs
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QMessageBox, QWidget

from keen_trellis.base.errors import UserError, reason
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report
from keen_trellis.base.shipped import demo_in
from keen_trellis.desktop.session import Session
from keen_trellis.document import edits
from keen_trellis.document.storage import ENDING
from keen_trellis.machine.settings import Settings

if TYPE_CHECKING:
    from keen_trellis.report.page_options import PageOptions


class Documents:
    """Asks about files, in boxes above the window, and has the session do what was answered."""

    def __init__(self, session: Session, settings: Callable[[], Settings], parent: QWidget) -> None:
        self._session, self._preferences, self._parent = session, settings, parent

    def new(self) -> None:
        """Begin an empty trellis, once the one in the window is safe."""
        if self.may_leave():
            self._session.document.new()

    def open(self) -> None:
        """Ask for a trellis and open it, once the one in the window is safe."""
        if not self.may_leave():
            return
        folder = str(self._session.path.parent if self._session.path else Path.cwd())
        path, _ = QFileDialog.getOpenFileName(
            self._parent,
            tr("Open a trellis"),
            folder,
            tr("Trellises (*{ending});;All files (*)", ending=ENDING),
        )
        if path:
            self._session.document.open(Path(path))

    def open_path(self, path: Path) -> None:
        """Open a trellis, once the one in the window is safe."""
        if self.may_leave():
            self._session.document.open(path)

    def open_demo(self, name: str = "whole-season.trellis") -> bool:
        """Open a trellis of the demo, in a copy that is this user's; tell whether it is open.

        It is as it was left when it is there already.
        """
        folder = platformdirs.user_data_path("keen-trellis") / "demo"
        try:
            demo = demo_in(folder)
        except OSError as error:
            self._session.telling.trouble(
                tr(
                    "The demo cannot be put into {folder}: {reason}.",
                    folder=folder,
                    reason=reason(error),
                )
            )
            return False
        path = demo.with_name(name)
        if self._session.path != path:
            self.open_path(path)
        return self._session.path == path

    def save(self) -> bool:
        """Save the trellis, asking where if it has no file yet; tell whether it was saved."""
        # Before anything is asked: what still stands in a field belongs to what is saved.
        self._session.telling.typing_ends.emit()
        path = self._session.path
        if path is None:
            return self.save_as()
        if self._session.document.changed_outside:
            return self._save_beside(path)
        return self._session.document.save(path)

    def _save_beside(self, path: Path) -> bool:
        """Ask what to do where somebody else changed the file; tell whether it was saved."""
        box = QMessageBox(self._parent)
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setObjectName("save.conflict")
        box.setIcon(QMessageBox.Icon.Warning)
        box.setText(tr("{name} was changed elsewhere since it was opened here.", name=path.name))
        box.setInformativeText(tr("Saving in its place would lose what was changed there."))
        roles = QMessageBox.ButtonRole
        both = box.addButton(tr("Keep both …"), roles.AcceptRole)
        replace = box.addButton(tr("Save in its place"), roles.DestructiveRole)
        box.addButton(QMessageBox.StandardButton.Cancel)
        box.setDefaultButton(both)
        box.exec()
        if box.clickedButton() is both:
            return self.save_as(
                path.with_name(tr("{stem} (mine){suffix}", stem=path.stem, suffix=path.suffix))
            )
        return box.clickedButton() is replace and self._session.document.save(path)

    def save_as(self, wish: Path | None = None) -> bool:
        """Ask where to save the trellis; tell whether it was saved."""
        self._session.telling.typing_ends.emit()
        usual = self._session.path or Path.cwd() / f"{self._session.trellis.name}{ENDING}"
        start = str(wish or usual)
        path, _ = QFileDialog.getSaveFileName(
            self._parent, tr("Save the trellis"), start, f"*{ENDING}"
        )
        if not path:
            return False
        named = Path(path)
        return self._session.document.save(
            named if named.suffix == ENDING else Path(f"{path}{ENDING}")
        )

    def save_map(self, save: Callable[[Path], None]) -> None:
        """Ask where to save a picture of the map, and let `save` do it."""
        usual = (self._session.path or Path.cwd() / "map").with_suffix(".svg")
        kinds = tr("Pictures (*.svg *.png)")
        path, _ = QFileDialog.getSaveFileName(
            self._parent, tr("Save the map as a picture"), str(usual), kinds
        )
        if not path:
            return
        try:
            self._session.trellis.refuse_to_write(Path(path), tr("The picture"))
            save(Path(path))
        except (UserError, OSError) as error:
            self._session.telling.trouble(tr("The map was not saved. {error}", error=error))
        else:
            self._session.telling.say(tr("The map is saved as {name}.", name=Path(path).name))

    def save_match_report(self) -> None:
        """Ask whom the match report is for, and how much stands in it; then where to save it."""
        from keen_trellis.desktop.report.match_report_sheet import MatchReportSheet

        MatchReportSheet(self._save_match_report, self._parent).open()

    def _save_match_report(self, wished: PageOptions) -> None:
        """Ask where to save the match report of the latest results, and write it aside."""
        usual = (self._session.path or Path.cwd() / tr("match report")).with_suffix(".html")
        kinds = tr("Pages to read (*.html);;Pages to print (*.pdf);;A sheet (*.xlsx)")
        name, kind = QFileDialog.getSaveFileName(
            self._parent, tr("Save the match report"), str(usual), kinds
        )
        if not name:
            return
        path = Path(name)
        if not path.suffix:
            path = path.with_suffix(kind.partition("*")[2].rstrip(")"))
        session = self._session
        results, before, runner = session.results, session.work.compared_with, session.work.runner

        def write(report: Report) -> None:
            from keen_trellis.report.match_report import save_match_report

            save_match_report(results, path, runner, wished, before, report)

        def done(_: None) -> None:
            session.telling.say(tr("The match report is saved as {name}.", name=path.name))

        session.work.find_out(write, done, tr("Stopped: no match report was written."))

    def may_leave(self) -> bool:
        """Ask what becomes of changes that are not saved; tell whether the trellis may go."""
        self._session.telling.typing_ends.emit()
        if self._session.document.undo.isClean():
            return True
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self._parent,
            "Keen Trellis",
            tr("Save the changes to “{name}” first?", name=self._session.trellis.name),
            buttons.Save | buttons.Discard | buttons.Cancel,
            buttons.Save,
        )
        return self.save() if answer == buttons.Save else answer == buttons.Discard

    def may_stop_writing(self) -> bool:
        """Ask before a delivery that is being written is given up."""
        if not self._session.delivering.jobs.busy:
            return True
        box = QMessageBox(self._parent)
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setObjectName("quit.writing")
        box.setText(tr("A delivery is being written."))
        box.setInformativeText(tr("What is not written whole leaves the earlier file as it is."))
        give_up = box.addButton(tr("Give it up and quit"), QMessageBox.ButtonRole.DestructiveRole)
        wait = box.addButton(tr("Let it finish"), QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(wait)
        box.exec()
        # It may have ended while the box was open: then there is nothing left to give up.
        return box.clickedButton() is give_up or not self._session.delivering.jobs.busy

    def add_delivery(self) -> None:
        """Ask for a file that the rows at the selected lane's end go to."""
        from keen_trellis.desktop.parts.delivery.delivery_page import ask_delivery_path

        lane = self._session.selected_lane
        if lane is None:
            return
        folder = self._session.path.parent if self._session.path else Path.cwd()
        path = ask_delivery_path(self._parent, str(folder / f"{lane.name}.xlsx"))
        if not path:
            return
        form = self._preferences().text_form(Path(path).suffix.lower())
        if self._session.do(edits.AddDelivery(lane.id, Path(path).stem, path, form)):
            self._session.select(self._session.trellis.lane(lane.id).items[-1].id)
