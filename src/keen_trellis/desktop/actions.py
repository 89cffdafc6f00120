"""Every action of the program, in one list: menus, shortcuts, the finder and tests read it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from keen_trellis.base.language import tr
from keen_trellis.desktop.action_context import Doing
from keen_trellis.desktop.parts import VIEWS, view_of
from keen_trellis.desktop.session import Session
from keen_trellis.document import edits
from keen_trellis.document.items import STEPS, BlendItem, DeliveryItem, JoinItem, StepItem
from keen_trellis.plan.bays import Bay


def _always(session: Session) -> bool:
    return True


def _has_lanes(session: Session) -> bool:
    return bool(session.trellis.lanes)


def _runs_here(session: Session) -> bool:
    return _has_lanes(session) and session.elsewhere.place is None


def _lane_selected(session: Session) -> bool:
    return session.selected_lane is not None


def _from_file(session: Session) -> bool:
    lane = session.selected_lane
    return lane is not None and bool(lane.source.place)


def _from_outside(session: Session) -> bool:
    lane = session.selected_lane
    return lane is not None and lane.source.begins_at() is None


def _two_lanes(session: Session) -> bool:
    return _lane_selected(session) and len(session.trellis.lanes) > 1


def _join_selected(session: Session) -> bool:
    return isinstance(session.selected_item, JoinItem)


def _bays_selected(session: Session) -> bool:
    return session.selected_item is not None and session.selected_item.has_bays


def _has_page(name: str) -> Callable[[Session], bool]:
    """Tell whether what is selected, or the lane that it stands on, has a page of an id."""

    def has(session: Session) -> bool:
        shown = (view_of(session.selected_item), VIEWS["lane"])
        return _lane_selected(session) and any(
            page.id == name for view in shown for page in view.pages
        )

    return has


def _delivery_selected(session: Session) -> bool:
    return isinstance(session.selected_item, DeliveryItem)


def _has_deliveries(session: Session) -> bool:
    return any(True for _ in session.trellis.deliveries())


def _has_broken(session: Session) -> bool:
    return any(join.broken for join in session.results.facts.joins())


def _has_report(session: Session) -> bool:
    return session.reporting.report is not None


@dataclass(frozen=True, slots=True)
class ActionSpec:
    """One thing that can be done.

    Attributes
    ----------
    id : str
        Object name, and handle for tests.
    text : str
        As menus and the finder say it.
    tip : str
        One sentence on what it does.
    run : callable
        Takes what there is to do it with.
    shortcut : str
    more_keys : tuple of str
        Other keys that do it, too.
    when : callable
        Tells from the session whether it can be done now.
    at_end : bool
        Whether it adds something to a lane, and is offered at its end.
    """

    id: str
    text: str
    tip: str
    run: Callable[[Doing], object]
    shortcut: str = ""
    when: Callable[[Session], bool] = _always
    at_end: bool = False
    more_keys: tuple[str, ...] = ()


def _add_report(doing: Doing) -> None:
    doing.session.reporting.add()
    doing.show_view("report")


def _remove(doing: Doing) -> None:
    session = doing.session
    item, lane = session.selected_item, session.selected_lane
    if item is not None:
        session.do(edits.RemoveItem(item.id))
    elif lane is not None:
        session.do(edits.RemoveLane(lane.id))


def _toggle(bay: Bay) -> Callable[[Doing], object]:
    def toggle(doing: Doing) -> None:
        item = doing.session.selected_item
        if isinstance(item, JoinItem | BlendItem):
            doing.session.do(edits.SetBay(item.id, bay, bay not in item.keep))

    return toggle


def _step_selected(session: Session) -> bool:
    return isinstance(session.selected_item, StepItem)


def _switch_step(doing: Doing) -> None:
    step = doing.session.selected_item
    if isinstance(step, StepItem):
        words = tr("Switch a step on") if step.is_off else tr("Switch a step off")
        doing.session.do(edits.SetItem(step.but(off=not step.is_off), words))


def _step_spec(kind: type[StepItem]) -> ActionSpec:
    """Return the action that adds a kind of step."""
    sort = kind.model_fields["type"].default
    view = VIEWS[sort]
    return ActionSpec(
        f"step.{sort}",
        f"{view.offer} …",
        view.tip,
        lambda d: d.session.building.add_step(kind(id="", type=sort)),
        "Ctrl+Shift+F" if sort == "filter" else "",
        _lane_selected,
    )


ACTIONS = (
    ActionSpec(
        "file.new",
        tr("New trellis"),
        tr("Begin an empty trellis."),
        lambda d: d.documents.new(),
        "Ctrl+N",
    ),
    ActionSpec(
        "file.open", tr("Open …"), tr("Open a trellis."), lambda d: d.documents.open(), "Ctrl+O"
    ),
    ActionSpec(
        "file.save", tr("Save"), tr("Save the trellis."), lambda d: d.documents.save(), "Ctrl+S"
    ),
    ActionSpec(
        "file.save_as",
        tr("Save as …"),
        tr("Save the trellis as another file."),
        lambda d: d.documents.save_as(),
        "Ctrl+Shift+S",
    ),
    ActionSpec(
        "file.allow",
        tr("What does it want to reach?"),
        tr("See what the trellis wants and nobody has allowed to it yet, and allow it."),
        lambda d: d.session.telling.leave_wanted.emit(d.session.document.not_allowed),
        "",
        lambda session: bool(session.document.not_allowed),
    ),
    ActionSpec(
        "edit.undo",
        tr("Undo"),
        tr("Take the last change back."),
        lambda d: d.session.document.undo.undo(),
        "Ctrl+Z",
        lambda s: s.document.undo.canUndo(),
    ),
    ActionSpec(
        "edit.redo",
        tr("Redo"),
        tr("Make the change again that was taken back."),
        lambda d: d.session.document.undo.redo(),
        # Ctrl+Y beside it: half of the desktops have the one, half the other.
        "Ctrl+Shift+Z",
        lambda s: s.document.undo.canRedo(),
        more_keys=("Ctrl+Y",),
    ),
    ActionSpec(
        "trellis.rename",
        tr("Rename the trellis"),
        tr("Give the trellis another name."),
        lambda d: d.rename_trellis(),
    ),
    ActionSpec(
        "lane.add",
        tr("Add a lane …"),
        tr("Offer every way to bring in a table."),
        lambda d: d.adding.offer_places(),
        "Ctrl+L",
    ),
    ActionSpec(
        "lane.add_file",
        tr("Add lanes from a file …"),
        tr("Bring in sheets of a workbook, a text, a columnar file, or tables of an SQLite file."),
        lambda d: d.adding.add_from_file(),
    ),
    ActionSpec(
        "lane.add_folder",
        tr("Add a lane from a folder …"),
        tr("Bring in all files of a folder as one table."),
        lambda d: d.adding.add_from_folder(),
    ),
    ActionSpec(
        "lane.add_database",
        tr("Add lanes from a database …"),
        tr("Bring in tables, views or a query of a PostgreSQL, MariaDB or MySQL server."),
        lambda d: d.adding.add_from_database(),
    ),
    ActionSpec(
        "lane.type_in",
        tr("Type in a table …"),
        tr("Type or paste a small table that is kept in the trellis."),
        lambda d: d.adding.type_in(),
    ),
    ActionSpec(
        "lane.paste",
        tr("Add a lane from the clipboard …"),
        tr("Bring in cells copied from a sheet, kept in the trellis."),
        lambda d: d.adding.paste_lane(),
        "Ctrl+Shift+V",
    ),
    ActionSpec(
        "lane.again",
        tr("Add the lane's table once more"),
        tr("Bring in the same table as a lane of its own; it is read only once."),
        lambda d: d.adding.add_again(),
        "",
        _lane_selected,
    ),
    ActionSpec(
        "lane.reread",
        tr("Read the lane again"),
        tr("Read the selected lane's source anew."),
        lambda d: d.adding.reread_lane(),
        "F5",
        _from_outside,
    ),
    ActionSpec(
        "lane.move",
        tr("Find the lane's file elsewhere …"),
        tr("Choose where the file is now; what stood beside it is found, too."),
        lambda d: d.adding.move_source(),
        "",
        _from_file,
    ),
    ActionSpec(
        "lane.mend",
        tr("See to a lane that cannot be read"),
        tr("Find its file, choose another table, enter a password, or read it again."),
        lambda d: d.adding.mend_source(),
        "",
        _from_outside,
    ),
    ActionSpec(
        "page.rows",
        tr("Show the lane's rows"),
        tr("Open the Rows page of the selected lane."),
        lambda d: d.bench.open_page("rows"),
        "Ctrl+4",
        _has_page("rows"),
    ),
    ActionSpec(
        "page.columns",
        tr("Show the lane's columns"),
        tr("Open the Columns page of the selected lane: kinds and profiles."),
        lambda d: d.bench.open_page("columns"),
        "Ctrl+5",
        _has_page("columns"),
    ),
    ActionSpec(
        "page.source",
        tr("Show the lane's source"),
        tr("Open the Source page of the selected lane: how it is read."),
        lambda d: d.bench.open_page("source"),
        "Ctrl+6",
        _has_page("source"),
    ),
    ActionSpec(
        "page.notes",
        tr("Show the notes"),
        tr("Open the Notes page of what is selected: why it is so."),
        lambda d: d.bench.open_page("notes"),
        "Ctrl+7",
        _has_page("notes"),
    ),
    ActionSpec(
        "lane.rename",
        tr("Rename the lane"),
        tr("Give the selected lane another name."),
        lambda d: d.bench.rename_lane(),
        "F2",
        _lane_selected,
    ),
    ActionSpec(
        "lane.tie",
        tr("Tie the lane with …"),
        tr("Bring another lane to the selected one."),
        lambda d: d.menus.offer_ties(),
        "Ctrl+T",
        _two_lanes,
    ),
    ActionSpec(
        "step.add",
        tr("Add a step …"),
        tr("Search the steps that can be put behind what is selected."),
        lambda d: d.menus.offer_steps(),
        "Ctrl+Shift+A",
        _lane_selected,
        at_end=True,
    ),
    *map(_step_spec, STEPS),
    ActionSpec(
        "step.switch",
        tr("Switch the step off or on"),
        tr("Let rows pass the selected step as they are, or not; nothing of it is lost."),
        _switch_step,
        "Ctrl+Shift+O",
        _step_selected,
    ),
    ActionSpec(
        "item.without",
        tr("Go on without the column that is gone"),
        tr("Take what names a column that is no longer there out of the selected step or tie."),
        lambda d: d.session.building.go_on_without(),
        "",
        lambda session: bool(session.building.gone_column),
    ),
    ActionSpec(
        "step.copy",
        tr("Copy the step to a lane …"),
        tr("Put the same step at the end of another lane."),
        lambda d: d.menus.offer_step_lanes(),
        "",
        _step_selected,
    ),
    ActionSpec(
        "lane.stack",
        tr("Stack a lane below …"),
        tr("Put another lane's rows below those of the selected one, by the names of columns."),
        lambda d: d.menus.offer_stacks(),
        "",
        _two_lanes,
        at_end=True,
    ),
    ActionSpec(
        "lane.blend",
        tr("Blend with a lane …"),
        tr("Summarise the selected lane and another to the fields they share, then join them."),
        lambda d: d.menus.offer_blends(),
        "Ctrl+Shift+B",
        _two_lanes,
        at_end=True,
    ),
    ActionSpec(
        "lane.branch",
        tr("Begin a lane with these rows"),
        tr("Take the rows from here on as a lane of their own, too."),
        lambda d: d.session.building.begin_with_rows(),
        "",
        _lane_selected,
        at_end=True,
    ),
    ActionSpec(
        "lane.deliver",
        tr("Add a delivery …"),
        tr("Write the rows at the selected lane's end to a file."),
        lambda d: d.documents.add_delivery(),
        "Ctrl+D",
        _lane_selected,
        at_end=True,
    ),
    ActionSpec(
        "part.remove",
        tr("Remove what is selected"),
        tr("Take the selected lane, step, tie or delivery out."),
        _remove,
        "Ctrl+Delete",
        _lane_selected,
    ),
    ActionSpec(
        "tie.toggle_left",
        tr("Keep or leave the rows only in the first lane"),
        tr("Switch the left bay of the selected tie."),
        _toggle(Bay.LEFT),
        "Alt+1",
        _bays_selected,
    ),
    ActionSpec(
        "tie.toggle_both",
        tr("Keep or leave the rows in both"),
        tr("Switch the middle bay of the selected tie."),
        _toggle(Bay.BOTH),
        "Alt+2",
        _bays_selected,
    ),
    ActionSpec(
        "tie.toggle_right",
        tr("Keep or leave the rows only in the second lane"),
        tr("Switch the right bay of the selected tie."),
        _toggle(Bay.RIGHT),
        "Alt+3",
        _bays_selected,
    ),
    ActionSpec(
        "tie.lane_left",
        tr("Begin a lane with the rows only in the first lane"),
        tr("Take the left bay of the selected tie, kept or left, as a lane of its own."),
        lambda d: d.session.building.begin_with_bay(Bay.LEFT),
        "Alt+Shift+1",
        _bays_selected,
    ),
    ActionSpec(
        "tie.lane_both",
        tr("Begin a lane with the rows in both"),
        tr("Take the middle bay of the selected tie as a lane of its own."),
        lambda d: d.session.building.begin_with_bay(Bay.BOTH),
        "Alt+Shift+2",
        _bays_selected,
    ),
    ActionSpec(
        "tie.lane_right",
        tr("Begin a lane with the rows only in the second lane"),
        tr("Take the right bay of the selected tie, kept or left, as a lane of its own."),
        lambda d: d.session.building.begin_with_bay(Bay.RIGHT),
        "Alt+Shift+3",
        _bays_selected,
    ),
    ActionSpec(
        "tie.natural",
        tr("Link all columns of one name"),
        tr("Link the selected join by every column that both sides have (a natural join)."),
        lambda d: d.session.building.link_naturally(),
        "",
        _join_selected,
    ),
    ActionSpec(
        "tie.formula",
        tr("Link by a formula …"),
        tr("Link the selected join by a column that a formula works out right before it."),
        lambda d: d.link_by_formula(),
        "",
        _join_selected,
    ),
    ActionSpec(
        "tie.swap",
        tr("Swap the sides"),
        tr("Let the other lane of the selected join go on; every setting is turned round with it."),
        lambda d: d.session.building.swap_sides(),
        "Ctrl+Shift+W",
        _join_selected,
    ),
    ActionSpec(
        "tie.join_types",
        tr("What would other join types give?"),
        tr("Show rows and gaps of every join type at the selected tie."),
        lambda d: d.show_join_types(),
        "Ctrl+J",
        _join_selected,
    ),
    ActionSpec(
        "page.match",
        tr("Show the match"),
        tr("Open the Match page of the selected tie."),
        lambda d: d.bench.open_page("match"),
        "Ctrl+1",
        _has_page("match"),
    ),
    ActionSpec(
        "page.outcome",
        tr("Show the outcome"),
        tr("Open the Outcome page of the selected tie."),
        lambda d: d.bench.open_page("outcome"),
        "Ctrl+2",
        _has_page("outcome"),
    ),
    ActionSpec(
        "page.values",
        tr("Show the link values"),
        tr("Open the Link values page of the selected tie: every value with its rows, and pairs."),
        lambda d: d.bench.open_page("values"),
        "Ctrl+9",
        _has_page("values"),
    ),
    ActionSpec(
        "page.tie_columns",
        tr("Show what goes on, column by column"),
        tr(
            "Open the Columns page of the selected tie: which columns go on, and those of one name."
        ),
        lambda d: d.bench.open_page("tie_columns"),
        "Ctrl+8",
        _has_page("tie_columns"),
    ),
    ActionSpec(
        "page.promises",
        tr("Show the promises"),
        tr("Open the Promises page of the selected tie: what must hold at every run."),
        lambda d: d.bench.open_page("promises"),
        "Ctrl+3",
        _has_page("promises"),
    ),
    ActionSpec(
        "trellis.reread",
        tr("Re-read every source"),
        tr("Read every source anew and do everything again."),
        lambda d: d.session.work.run(reread=True),
        "Ctrl+R",
        _has_lanes,
    ),
    ActionSpec(
        "delivery.write",
        tr("Deliver what is selected"),
        tr("Write the selected delivery."),
        lambda d: d.session.delivering.deliver([d.session.selection]),
        "",
        _delivery_selected,
    ),
    ActionSpec(
        "trellis.deliver",
        tr("Deliver all"),
        tr("Write every delivery of the trellis."),
        lambda d: d.session.delivering.deliver(),
        "Ctrl+Shift+D",
        _has_deliveries,
    ),
    ActionSpec(
        "trellis.deliver_despite",
        tr("Deliver all despite broken promises"),
        tr("Write every delivery, also those that a broken promise stops."),
        lambda d: d.session.delivering.deliver(despite=True),
        "",
        _has_broken,
    ),
    ActionSpec(
        "report.add",
        tr("Make a report of what is selected …"),
        tr("Summarise what comes out of the selected lane or item: groups, figures, a picture."),
        _add_report,
        "Ctrl+Alt+R",
        _runs_here,
        at_end=True,
    ),
    ActionSpec(
        "report.remove",
        tr("Remove the report"),
        tr("Take the report out that is looked at."),
        lambda d: d.session.reporting.remove(),
        "",
        _has_report,
    ),
    ActionSpec(
        "report.export",
        tr("Save the report's picture …"),
        tr("Save the picture of the report as .svg or .png."),
        lambda d: d.export_report(),
        "",
        _has_report,
    ),
    ActionSpec(
        "report.match",
        tr("Save the match report …"),
        tr(
            "Write what was read, tied and found, for whoever has to check it: .html, "
            ".pdf or .xlsx."
        ),
        lambda d: d.documents.save_match_report(),
        "",
        _runs_here,
    ),
    ActionSpec(
        "view.report",
        tr("Switch between the trellis and the report"),
        tr("Show the report, or the trellis again."),
        lambda d: d.show_view(""),
        "F8",
        _runs_here,
    ),
    ActionSpec(
        "job.stop",
        tr("Stop the work under way"),
        tr("Stop reading, matching or writing; nothing half done is kept."),
        lambda d: d.session.stop(),
        "Ctrl+.",
        lambda s: s.work.busy,
    ),
    ActionSpec(
        "trellis.run",
        tr("Go on working it out"),
        tr("Take up the work again that was stopped."),
        lambda d: d.session.work.run(),
        "",
        # Only where work was stopped: at all other times it goes on by itself.
        lambda s: not s.work.up_to_date and not s.work.running,
    ),
    ActionSpec(
        "trellis.place",
        tr("Choose where the trellis runs …"),
        tr(
            "Run it on this machine, in a PostgreSQL server or on a Spark cluster, "
            "where the data is."
        ),
        lambda d: d.offer_places(),
        "Ctrl+Shift+H",
        _has_lanes,
    ),
    ActionSpec(
        "there.count",
        tr("Count everything there"),
        tr("Count every part of the trellis at the place where it runs."),
        lambda d: d.session.elsewhere.count(),
        "F9",
        lambda s: s.elsewhere.place is not None and not s.elsewhere.jobs.busy,
    ),
    ActionSpec(
        "view.finder",
        tr("Find an action"),
        tr("Search every action by its name."),
        lambda d: d.find_action(),
        "Ctrl+K",
    ),
    ActionSpec(
        "view.map",
        tr("Go to the map"),
        tr("Put the keyboard on the map."),
        lambda d: d.map.setFocus(),
        "F6",
    ),
    ActionSpec(
        "view.save_map",
        tr("Save the map as a picture …"),
        tr("Save the whole map as .svg or .png."),
        lambda d: d.documents.save_map(d.map.save_picture),
        "",
        _has_lanes,
    ),
    ActionSpec(
        "view.zoom_in",
        tr("Make the map larger"),
        tr("Zoom into the map."),
        lambda d: d.map.zoom_by(1.1),
        "Ctrl++",
    ),
    ActionSpec(
        "view.zoom_out",
        tr("Make the map smaller"),
        tr("Zoom out of the map."),
        lambda d: d.map.zoom_by(1 / 1.1),
        "Ctrl+-",
    ),
    ActionSpec(
        "view.local",
        tr("Read numbers and dates as they are written here, or not"),
        tr("Group digits and show dates as the system does; values, copies and files stay."),
        lambda d: d.switch_local_reading(),
        "",
    ),
    ActionSpec(
        "view.theme",
        tr("Switch between light and dark"),
        tr("Show the window in the other set of colours."),
        lambda d: d.switch_theme(),
        "Ctrl+Shift+L",
    ),
    ActionSpec(
        "help.here",
        tr("Help on what is selected"),
        tr("Open the guide where it speaks of what is selected."),
        lambda d: d.show_help(),
        "F1",
    ),
    ActionSpec(
        "help.keys",
        tr("All keys"),
        tr("List every action that has keys."),
        lambda d: d.show_keys(),
        "Shift+F1",
    ),
    ActionSpec(
        "help.demo",
        tr("Open the demo"),
        tr("A made-up ferry company with all the usual flaws in its data."),
        lambda d: d.documents.open_demo(),
    ),
    ActionSpec(
        "help.tour",
        tr("Take the tour"),
        tr("Ten stops through the demo, each of which asks for something to be done."),
        lambda d: d.begin_tour(),
    ),
    ActionSpec(
        "help.log",
        tr("Show the log"),
        tr("What the program did, when, and how long it took."),
        lambda d: d.show_log(),
    ),
    ActionSpec(
        "app.settings",
        tr("Settings …"),
        tr("Theme, letters, how values are shown, how new deliveries are written, limits."),
        lambda d: d.show_settings(),
        "Ctrl+,",
    ),
    ActionSpec("app.quit", tr("Quit"), tr("Close the window."), lambda d: d.close(), "Ctrl+Q"),
)
