"""The trellis in the window: its file, its edits, what is selected, what it is allowed."""

from __future__ import annotations

from collections.abc import Iterable
from operator import is_not
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from keen_trellis.base.errors import UserError
from keen_trellis.base.language import tr
from keen_trellis.desktop.session.telling import Telling
from keen_trellis.document import Lane, Trellis, edits, load, save
from keen_trellis.document.items import Item
from keen_trellis.document.sources import Source
from keen_trellis.document.trellis import UNNAMED
from keen_trellis.document.trellis_wants import added_wants, wants
from keen_trellis.document.wants import Want


def _bytes_of(path: Path) -> bytes | None:
    """Return what a file holds now; None where it cannot be read."""
    try:
        return path.read_bytes()
    except OSError:
        return None


class OpenDocument(QObject):
    """The trellis that is open, and all that may be done with it.

    Signals
    -------
    changed
        The trellis, its file or its name is another.
    outdated
        What was worked out is of a trellis of before.
    taken_up
        Another trellis is open, and nothing is known of it yet.
    opened
        Another trellis is open, and can be seen.
    moved(before)
        It lies at another place than before; None where it lay nowhere.
    saved(path), filed(path)
        It was saved; it was opened or saved.
    selected
        Something else is selected.

    Attributes
    ----------
    trellis : Trellis
    path : Path or None
    undo : QUndoStack
    selection : str
        The id of a lane or item; empty for none.
    allowed : frozenset of str
        The keys of what it was allowed.
    fresh : str
        The tie or step that was just added; empty after any other edit.
    """

    changed = Signal()
    outdated = Signal()
    taken_up = Signal()
    opened = Signal()
    moved = Signal(object)
    saved = Signal(object)
    filed = Signal(object)
    selected = Signal()

    def __init__(self, telling: Telling) -> None:
        super().__init__()
        self._telling = telling
        self.trellis = Trellis.empty()
        self.path: Path | None = None
        self.selection = ""
        self.undo = QUndoStack(self)
        self.fresh = ""
        self.allowed: frozenset[str] = frozenset()
        self._saved, self._on_disk = self.trellis, b""
        self._wanted: tuple[tuple[object, ...], list[Want]] | None = None
        self.undo.cleanChanged.connect(self._clean_changed)

    def _clean_changed(self, clean: bool) -> None:
        self.changed.emit()

    # files

    def new(self) -> None:
        """Begin an empty trellis."""
        self._take_up(Trellis.empty(), None)
        self.opened.emit()

    def open(self, path: Path) -> bool:
        """Open a trellis; say why when it cannot be opened."""
        try:
            trellis = load(path)
        except UserError as error:
            self._telling.trouble(error)
            return False
        from keen_trellis.machine.approvals import approvals

        path = path.absolute()
        self._take_up(trellis, path, frozenset(approvals(path).allowed))
        self.filed.emit(path)
        self.opened.emit()
        if self.not_allowed:
            self._telling.leave_wanted.emit(self.not_allowed)
        return True

    def _take_up(
        self, trellis: Trellis, path: Path | None, allowed: frozenset[str] = frozenset()
    ) -> None:
        self.trellis, self.path, self.allowed = trellis, path, allowed
        self._saved, self._on_disk = trellis, (_bytes_of(path) or b"") if path else b""
        self.undo.clear()
        self.fresh = ""
        first_tie = next((tie.id for _, tie in trellis.ties()), "")
        self.selection = first_tie or (trellis.lanes[0].id if trellis.lanes else "")
        # In this order: who works forgets the document before, then everybody draws the new one,
        # then pages open for what is selected. A page drawn first would ask for results of
        # before.
        self.taken_up.emit()
        self.changed.emit()
        self.selected.emit()

    @property
    def is_as_saved(self) -> bool:
        """Whether it is what was opened or saved last."""
        return self.trellis is self._saved

    @property
    def changed_outside(self) -> bool:
        """Whether the trellis's file holds something else than when it was opened or saved."""
        return self.path is not None and _bytes_of(self.path) not in (self._on_disk, None)

    def save(self, path: Path) -> bool:
        """Save the trellis; say why when it cannot be saved.

        One that has no name yet is called by its file.
        """
        if self.trellis.name == UNNAMED and path.stem.strip():
            self.do(edits.RenameTrellis(path.stem))
        try:
            save(self.trellis, path)
        except UserError as error:
            self._telling.trouble(error)
            return False
        # elsewhere, other files lie outside of its folder: what it was allowed, it stays allowed
        refused = {want.words for want in self.not_allowed}
        is_elsewhere, before = self.path != path.absolute(), self.path
        self.path = path.absolute()
        if is_elsewhere:
            self.moved.emit(before)
        self._allow(want.key for want in self.not_allowed if want.words not in refused)
        # What the file is compared with later is taken from the file itself, as it will be then.
        self._saved, self._on_disk = self.trellis, _bytes_of(path) or b""
        self.undo.setClean()
        self.saved.emit(self.path)
        self.changed.emit()
        self.filed.emit(self.path)
        self._telling.say(tr("Saved as {name}.", name=path.name))
        return True

    # what it is allowed

    @property
    def not_allowed(self) -> list[Want]:
        """What the trellis wants and nobody has allowed; a lane that wants it is not read."""
        # By identity, not by value: these are replaced and never changed, and comparing them
        # would cost as much as finding the answer. Asked at every renewal of every action.
        asked = (self.trellis, self.path, self.allowed)
        if self._wanted is None or any(map(is_not, self._wanted[0], asked)):
            found = [one for one in wants(self.trellis, self.path) if one.key not in self.allowed]
            self._wanted = asked, found
        return self._wanted[1]

    def look_again(self) -> None:
        """Find out anew what it wants: links may lead elsewhere by now."""
        self._wanted = None

    def asks_leave(self, wanted: Iterable[Want]) -> bool:
        """Ask about what nobody has allowed; tell whether there is anything."""
        missing = [want for want in wanted if want.key not in self.allowed]
        if missing:
            self._telling.leave_wanted.emit(missing)
        return bool(missing)

    def allow(self, wanted: Iterable[Want]) -> None:
        """Let the trellis have what it wants, now and when it is opened here again."""
        self._allow(want.key for want in wanted)
        self.outdated.emit()

    def _allow(self, keys: Iterable[str]) -> None:
        self.allowed |= {*keys}
        if self.path is not None:
            from keen_trellis.machine.approvals import allow

            allow(self.path, self.allowed)

    def refuses(self, source: Source) -> list[str]:
        """Return what a source wants that nobody has allowed, in words."""
        return [want.words for want in source.wants(self.folder) if want.key not in self.allowed]

    @property
    def folder(self) -> Path | None:
        """Where it lies; None where it has not been saved yet."""
        return self.path.parent if self.path is not None else None

    # edits

    def do(self, edit: edits.Edit) -> bool:
        """Make a change that can be undone; say why when it is not allowed."""
        try:
            trellis, back = edits.apply(edit, self.trellis)
        except UserError as error:
            self._telling.trouble(error)
            return False
        # Compared by value: an edit that changes nothing leaves nothing on the undo stack.
        if trellis == self.trellis:
            return True
        added = added_wants(self.trellis, trellis, self.path)
        if added:  # whoever adds it here has allowed it by that
            self._allow(want.key for want in added)
        # QUndoStack calls `redo` of what is pushed: that is where the change is made, the first
        # time too.
        self.undo.push(_EditCommand(self, trellis, back))
        return True

    def take(self, trellis: Trellis) -> None:
        """Make a changed trellis the one that is shown; for the undo stack."""
        self.trellis, self.fresh = trellis, ""
        if self.selection and self._missing(self.selection):
            self.selection = ""
            self.selected.emit()
        self.changed.emit()
        self.outdated.emit()

    # what is selected

    def select(self, part: str) -> None:
        """Select a lane or an item by its id."""
        if part != self.selection and not (part and self._missing(part)):
            self.selection = part
            self.selected.emit()

    def _missing(self, part: str) -> bool:
        ids = {p.id for lane in self.trellis.lanes for p in (lane, *lane.items)}
        return part not in ids

    @property
    def selected_lane(self) -> Lane | None:
        """The selected lane, or the lane that the selected item stands on."""
        return self._selected[0] if self._selected else None

    @property
    def selected_item(self) -> Item | None:
        """The selected step, tie or delivery."""
        lane, place = self._selected or (None, 0)
        return lane.items[place - 1] if lane is not None and place else None

    @property
    def _selected(self) -> tuple[Lane, int] | None:
        try:
            return self.trellis.place_after(self.selection) if self.selection else None
        except KeyError:
            return None


class _EditCommand(QUndoCommand):
    """A change on the undo stack: applying one gives the change that takes it back."""

    def __init__(self, document: OpenDocument, trellis: Trellis, back: edits.Edit) -> None:
        super().__init__(back.label)
        self._document, self._after, self._back = document, trellis, back

    def redo(self) -> None:
        self._document.take(self._after)

    def undo(self) -> None:
        self._document.take(edits.apply(self._back, self._after)[0])
