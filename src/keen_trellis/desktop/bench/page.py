"""What a page of the bench is, and how a kind of part says which pages it has."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from importlib import import_module

from PySide6.QtWidgets import QWidget

from keen_trellis.base.errors import (
    MissingFileError,
    MissingTableError,
    NotAllowedError,
    PasswordError,
    SourceError,
    UserError,
    WaitingError,
)
from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.controls import Notice
from keen_trellis.desktop.help.topics import WHY, topic_of
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme
from keen_trellis.document import Lane, Trellis
from keen_trellis.document.items import Item


class Page(QWidget):
    """Shows one side of what is selected; made once, and shown again and again.

    It is made with its parent, as all that is large in it: whatever gets another parent later takes
    the style of the application once more, with all that stands in it.

    Attributes
    ----------
    rows_height : int
        What it wants for rows beside all that it says, before the map yields to it.
    """

    rows_height = 90

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.theme = session, theme

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        self.theme = theme

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show a lane, or an item on it, as the latest results have it."""
        raise NotImplementedError

    def tell_trouble(self, notice: Notice, given: object, trouble: str = "") -> None:
        """Tell what went wrong with what is selected, with every remedy that there is."""
        said = str(given) if isinstance(given, UserError) else trouble
        notice.tell(said, *self._remedies(given))

    def _remedies(self, given: object) -> Iterator[tuple[str, Callable[[], object]]]:
        """Yield what helps: where the trouble stands, what to mend it with, what can be left."""
        building = self.session.building
        if isinstance(given, WaitingError):
            there = building.where_failed(given)
            if there is not None:
                part, name = there
                yield tr("Go to {name}", name=name), partial(self.session.select, part)
        elif self.session.selected_item is None and (words := mend_words(given)):
            yield words, partial(self.session.asked.emit, "lane.mend")
        elif self.session.selected_item is not None:
            for name in building.successors:
                words = tr(
                    "Take “{name}” for “{missing_column}”",
                    name=name,
                    missing_column=building.missing_column,
                )
                yield words, partial(building.go_on_with, name)
            if building.gone_column:
                yield (
                    tr("Go on without “{gone_column}”", gone_column=building.gone_column),
                    building.go_on_without,
                )
        if isinstance(given, UserError):
            yield WHY, partial(self.session.telling.help_wanted.emit, topic_of(given))


def mend_words(trouble: object) -> str:
    """Return what can be done at once about a source that could not be read."""
    match trouble:
        case MissingFileError():
            return tr("Find it …")
        case MissingTableError():
            return tr("Choose another one …")
        case PasswordError():
            return tr("Enter the password …")
        case NotAllowedError():
            return tr("What does it want? …")
        case SourceError():
            return tr("Read it again")
    return ""


@dataclass(frozen=True, slots=True)
class PageSpec:
    """A page that a kind of part has.

    Attributes
    ----------
    id : str
        Of its tab (`page.<id>`) and of the action that opens it.
    title : str
    make : callable
        Takes the session, the theme and the parent.
    help : str
        The heading of the guide's section on it, as it stands there.
    counts_rows : bool
        Whether the number of rows after the part stands behind the title.
    """

    id: str
    title: str
    make: Callable[[Session, Theme, QWidget], Page]
    help: str
    counts_rows: bool = False


LOADED_LATER: list[str] = []
"""The modules of pages that are loaded when they are opened, or when there is time for it."""


def later(name: str) -> Callable[[Session, Theme, QWidget], Page]:
    """Return what makes a page whose module is loaded when the page is opened.

    Parameters
    ----------
    name : str
        Of the module below `keen_trellis.desktop`, and of the class in it.
    """
    module, _, kind = name.rpartition(".")
    # Noted when the list of views is made, and loaded one by one once the window is quiet.
    LOADED_LATER.append(f"desktop.{module}")

    def make(session: Session, theme: Theme, parent: QWidget) -> Page:
        # Import finds a module that is loaded at once; the first opening of a page pays for its
        # own.
        of_kind = getattr(import_module(f"keen_trellis.desktop.{module}"), kind)
        page: Page = of_kind(session, theme, parent)
        return page

    return make


def lanes_title(trellis: Trellis, lane: Lane, item: Item | None) -> str:
    """Return the names of a tie's lanes, as its heading."""
    taken = item.takes() if item else ()
    return " + ".join([lane.name, *(trellis.lane(one.lane).name for one in taken)])


NOTES = PageSpec(
    "notes",
    tr("Notes"),
    later("bench.notes_page.NotesPage"),
    "Write down why",
)
"""The last page of every kind of part."""


@dataclass(frozen=True, slots=True)
class PartView:
    """How a kind of part shows itself.

    Attributes
    ----------
    pages : tuple of PageSpec
        The first is open when one is selected for the first time.
    title : callable
        Takes the trellis, the lane and the item; returns the heading of the bench.
    glyph : str
        The sign on its bead on the map; empty for what stands there in another shape.
    offer, tip : str
        How a step is offered, and what it does in a sentence; empty for what is no step.
    """

    pages: tuple[PageSpec, ...]
    title: Callable[[Trellis, Lane, Item | None], str]
    glyph: str = ""
    offer: str = ""
    tip: str = ""


def step_view(kind: str, title: str, *, glyph: str, offer: str, tip: str, page: str) -> PartView:
    """Return how a step shows itself: its own page, its rows, its notes.

    Parameters
    ----------
    kind : str
        The type of the item, which is the id of its page, too.
    title : str
        Of its page.
    glyph, offer, tip
        As in `PartView`.
    page : str
        Of the module below `keen_trellis.desktop`, and of the page in it.
    """

    def heading(trellis: Trellis, lane: Lane, item: Item | None) -> str:
        steps = [one for one in lane.items if one.word == "step"]
        return (
            tr(
                "{name} · step {index} of {steps}",
                name=lane.name,
                index=steps.index(item) + 1,
                steps=len(steps),
            )
            if item in steps
            else ""
        )

    rows = PageSpec(
        "step_rows",
        tr("Rows"),
        later("bench.step_rows_page.StepRowsPage"),
        "Look at rows",
        counts_rows=True,
    )
    return PartView(
        (PageSpec(kind, title, later(page), kind.capitalize()), rows, NOTES),
        heading,
        glyph,
        offer,
        tip,
    )
