"""The stops of the tour: what each speaks of, what it asks for, and how it is seen to be done."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

from keen_trellis.base.language import tr
from keen_trellis.desktop.session import Session

TIE = "sailings-routes"


class Toured(Protocol):
    """What a stop can look at: the document, the window, and how both were when it began."""

    session: Session
    began: str
    read_at: object

    def is_shown(self, name: str) -> bool:
        """Return whether a widget is on the screen."""

    def page(self) -> str:
        """Return the name of the page of the bench that is open."""


@dataclass(frozen=True, slots=True)
class Stop:
    """One card of the tour.

    Attributes
    ----------
    title, says : str
    asks : str
        What the person is asked to do; a key stands in brackets, [Alt+1].
    beside : str
        The name of the widget that it stands beside.
    page : str
        The page of the tie that is opened for it; empty where it does not matter.
    is_done : callable
        Whether that has been done.
    """

    title: str
    says: str
    asks: str
    beside: str
    page: str
    is_done: Callable[[Toured], bool]


def tie_as_told(session: Session) -> str:
    """Return all that is said of the tie of the tour, to see later whether that is another."""
    return repr(session.trellis.item(TIE)) if TIE in session.trellis else ""


def changed(toured: Toured) -> bool:
    """Return whether the tie is another than when the stop began."""
    return tie_as_told(toured.session) != toured.began


def page_is(name: str) -> Callable[[Toured], bool]:
    """Return what tells whether a page is open."""
    return lambda toured: toured.page() == name


def shown(name: str) -> Callable[[Toured], bool]:
    """Return what tells whether a widget is on the screen."""
    return lambda toured: toured.is_shown(name)


STOPS = (
    Stop(
        tr("Some sailings found no route"),
        tr(
            "They stand here, in a bay of their own, and go on with gaps. Keep them, and this is a "
            "left outer join; leave them, and it is an inner join."
        ),
        tr("press [Alt+1] or Leave, and watch the line at the bottom."),
        "bay.left",
        "match",
        changed,
    ),
    Stop(
        tr("What every other join would give"),
        tr(
            "The name of a join follows from the bays. All of them stand in one table, with the "
            "rows that each would give here."
        ),
        tr("press [Ctrl+J], or click the words at the bottom right."),
        "match.said",
        "match",
        shown("join_types"),
    ),
    Stop(
        tr("What stands out"),
        tr(
            "The line in the head of the bench tells what is worth knowing, the weightiest first, "
            "with what there is to win. The button beside it mends it; undo brings it back."
        ),
        tr("click the button at the right of the line."),
        "finding.mend",
        "match",
        lambda toured: changed(toured) or toured.is_shown("join_types"),
    ),
    Stop(
        tr("Why has this row no partner?"),
        tr(
            "Every row without a partner can be asked: which field stands in its way, and which "
            "rows come nearest."
        ),
        tr("double-click a row of the left bay, or press Return on it."),
        "bay.left.grid",
        "match",
        shown("why"),
    ),
    Stop(
        tr("Values that are written otherwise"),
        tr(
            "Every link value with its rows on both sides. What looks the same becomes a pair of "
            "this tie alone; nothing in your files is changed."
        ),
        tr("open the page Link values, [Ctrl+9]."),
        "page.values",
        "match",
        page_is("values"),
    ),
    Stop(
        tr("Choose what goes on"),
        tr("Columns of both sides, renamed, put in order, with their gaps filled."),
        tr("open the page Columns, [Ctrl+8]."),
        "page.tie_columns",
        "match",
        page_is("tie_columns"),
    ),
    Stop(
        tr("A gap is no blank"),
        tr(
            "What the join could not fill is hatched: the source never had a cell "
            "there. A blank is "
            "a cell that the source left empty."
        ),
        tr("open the page Outcome, [Ctrl+2]."),
        "page.outcome",
        "match",
        page_is("outcome"),
    ),
    Stop(
        tr("Promise what must hold"),
        tr(
            "Next month the files are others. A promise is looked at on every run; a broken one "
            "shows its rows, and stops the deliveries."
        ),
        tr("open the page Promises, [Ctrl+3], and promise something."),
        "page.promises",
        "match",
        changed,
    ),
    Stop(
        tr("Read everything again"),
        tr(
            "The sources are read as they are now. What it brought is told: rows before and now, "
            "what broke, and the repair."
        ),
        tr("press [Ctrl+R]."),
        "topbar.reread",
        "",
        lambda toured: toured.session.results.read_at != toured.read_at,
    ),
    Stop(
        tr("Report"),
        tr(
            "A report is a sentence as well. A double click on a number shows the rows that it is "
            "made of, and where they are from."
        ),
        tr("press [F8]."),
        "topbar.view",
        "",
        shown("report"),
    ),
)
