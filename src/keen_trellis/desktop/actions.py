"""Every action of the program, in one list: menus, shortcuts, the finder and tests read it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

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
        words = "Switch a step on" if step.is_off else "Switch a step off"
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
        "file.new", "New trellis", "Begin an empty trellis.", lambda d: d.documents.new(), "Ctrl+N"
    ),
    ActionSpec("file.open", "Open …", "Open a trellis.", lambda d: d.documents.open(), "Ctrl+O"),
    ActionSpec("file.save", "Save", "Save the trellis.", lambda d: d.documents.save(), "Ctrl+S"),
    ActionSpec(
        "file.save_as",
        "Save as …",
        "Save the trellis as another file.",
        lambda d: d.documents.save_as(),
        "Ctrl+Shift+S",
    ),
    ActionSpec(
        "file.allow",
        "What does it want to reach?",
        "See what the trellis wants and nobody has allowed to it yet, and allow it.",
        lambda d: d.session.telling.leave_wanted.emit(d.session.document.not_allowed),
        "",
        lambda session: bool(session.document.not_allowed),
    ),
    ActionSpec(
        "edit.undo",
        "Undo",
        "Take the last change back.",
        lambda d: d.session.document.undo.undo(),
        "Ctrl+Z",
        lambda s: s.document.undo.canUndo(),
    ),
    ActionSpec(
        "edit.redo",
        "Redo",
        "Make the change again that was taken back.",
        lambda d: d.session.document.undo.redo(),
        "Ctrl+Shift+Z",
        lambda s: s.document.undo.canRedo(),
        more_keys=("Ctrl+Y",),
    ),
    ActionSpec(
        "trellis.rename",
        "Rename the trellis",
        "Give the trellis another name.",
        lambda d: d.rename_trellis(),
    ),
    ActionSpec(
        "lane.add",
        "Add a lane …",
        "Offer every way to bring in a table.",
        lambda d: d.adding.offer_places(),
        "Ctrl+L",
    ),
    ActionSpec(
        "lane.add_file",
        "Add lanes from a file …",
        "Bring in sheets of a workbook, a text, a columnar file, or tables of an SQLite file.",
        lambda d: d.adding.add_from_file(),
    ),
    ActionSpec(
        "lane.add_folder",
        "Add a lane from a folder …",
        "Bring in all files of a folder as one table.",
        lambda d: d.adding.add_from_folder(),
    ),
    ActionSpec(
        "lane.add_database",
        "Add lanes from a database …",
        "Bring in tables, views or a query of a PostgreSQL, MariaDB or MySQL server.",
        lambda d: d.adding.add_from_database(),
    ),
    ActionSpec(
        "lane.type_in",
        "Type in a table …",
        "Type or paste a small table that is kept in the trellis.",
        lambda d: d.adding.type_in(),
    ),
    ActionSpec(
        "lane.paste",
        "Add a lane from the clipboard …",
        "Bring in cells copied from a sheet, kept in the trellis.",
        lambda d: d.adding.paste_lane(),
        "Ctrl+Shift+V",
    ),
    ActionSpec(
        "lane.again",
        "Add the lane's table once more",
        "Bring in the same table as a lane of its own; it is read only once.",
        lambda d: d.adding.add_again(),
        "",
        _lane_selected,
    ),
    ActionSpec(
        "lane.reread",
        "Read the lane again",
        "Read the selected lane's source anew.",
        lambda d: d.adding.reread_lane(),
        "F5",
        _from_outside,
    ),
    ActionSpec(
        "lane.move",
        "Find the lane's file elsewhere …",
        "Choose where the file is now; what stood beside it is found, too.",
        lambda d: d.adding.move_source(),
        "",
        _from_file,
    ),
    ActionSpec(
        "lane.mend",
        "See to a lane that cannot be read",
        "Find its file, choose another table, enter a password, or read it again.",
        lambda d: d.adding.mend_source(),
        "",
        _from_outside,
    ),
    ActionSpec(
        "page.rows",
        "Show the lane's rows",
        "Open the Rows page of the selected lane.",
        lambda d: d.bench.open_page("rows"),
        "Ctrl+4",
        _has_page("rows"),
    ),
    ActionSpec(
        "page.columns",
        "Show the lane's columns",
        "Open the Columns page of the selected lane: kinds and profiles.",
        lambda d: d.bench.open_page("columns"),
        "Ctrl+5",
        _has_page("columns"),
    ),
    ActionSpec(
        "page.source",
        "Show the lane's source",
        "Open the Source page of the selected lane: how it is read.",
        lambda d: d.bench.open_page("source"),
        "Ctrl+6",
        _has_page("source"),
    ),
    ActionSpec(
        "page.notes",
        "Show the notes",
        "Open the Notes page of what is selected: why it is so.",
        lambda d: d.bench.open_page("notes"),
        "Ctrl+7",
        _has_page("notes"),
    ),
    ActionSpec(
        "lane.rename",
        "Rename the lane",
        "Give the selected lane another name.",
        lambda d: d.bench.rename_lane(),
        "F2",
        _lane_selected,
    ),
    ActionSpec(
        "lane.tie",
        "Tie the lane with …",
        "Bring another lane to the selected one.",
        lambda d: d.menus.offer_ties(),
        "Ctrl+T",
        _two_lanes,
    ),
    ActionSpec(
        "step.add",
        "Add a step …",
        "Search the steps that can be put behind what is selected.",
        lambda d: d.menus.offer_steps(),
        "Ctrl+Shift+A",
        _lane_selected,
        at_end=True,
    ),
    *map(_step_spec, STEPS),
    ActionSpec(
        "step.switch",
        "Switch the step off or on",
        "Let rows pass the selected step as they are, or not; nothing of it is lost.",
        _switch_step,
        "Ctrl+Shift+O",
        _step_selected,
    ),
    ActionSpec(
        "item.without",
        "Go on without the column that is gone",
        "Take what names a column that is no longer there out of the selected step or tie.",
        lambda d: d.session.building.go_on_without(),
        "",
        lambda session: bool(session.building.gone_column),
    ),
    ActionSpec(
        "step.copy",
        "Copy the step to a lane …",
        "Put the same step at the end of another lane.",
        lambda d: d.menus.offer_step_lanes(),
        "",
        _step_selected,
    ),
    ActionSpec(
        "lane.stack",
        "Stack a lane below …",
        "Put another lane's rows below those of the selected one, by the names of columns.",
        lambda d: d.menus.offer_stacks(),
        "",
        _two_lanes,
        at_end=True,
    ),
    ActionSpec(
        "lane.blend",
        "Blend with a lane …",
        "Summarise the selected lane and another to the fields they share, then join them.",
        lambda d: d.menus.offer_blends(),
        "Ctrl+Shift+B",
        _two_lanes,
        at_end=True,
    ),
    ActionSpec(
        "lane.branch",
        "Begin a lane with these rows",
        "Take the rows from here on as a lane of their own, too.",
        lambda d: d.session.building.begin_with_rows(),
        "",
        _lane_selected,
        at_end=True,
    ),
    ActionSpec(
        "lane.deliver",
        "Add a delivery …",
        "Write the rows at the selected lane's end to a file.",
        lambda d: d.documents.add_delivery(),
        "Ctrl+D",
        _lane_selected,
        at_end=True,
    ),
    ActionSpec(
        "part.remove",
        "Remove what is selected",
        "Take the selected lane, step, tie or delivery out.",
        _remove,
        "Ctrl+Delete",
        _lane_selected,
    ),
    ActionSpec(
        "tie.toggle_left",
        "Keep or leave the rows only in the first lane",
        "Switch the left bay of the selected tie.",
        _toggle(Bay.LEFT),
        "Alt+1",
        _bays_selected,
    ),
    ActionSpec(
        "tie.toggle_both",
        "Keep or leave the rows in both",
        "Switch the middle bay of the selected tie.",
        _toggle(Bay.BOTH),
        "Alt+2",
        _bays_selected,
    ),
    ActionSpec(
        "tie.toggle_right",
        "Keep or leave the rows only in the second lane",
        "Switch the right bay of the selected tie.",
        _toggle(Bay.RIGHT),
        "Alt+3",
        _bays_selected,
    ),
    ActionSpec(
        "tie.lane_left",
        "Begin a lane with the rows only in the first lane",
        "Take the left bay of the selected tie, kept or left, as a lane of its own.",
        lambda d: d.session.building.begin_with_bay(Bay.LEFT),
        "Alt+Shift+1",
        _bays_selected,
    ),
    ActionSpec(
        "tie.lane_both",
        "Begin a lane with the rows in both",
        "Take the middle bay of the selected tie as a lane of its own.",
        lambda d: d.session.building.begin_with_bay(Bay.BOTH),
        "Alt+Shift+2",
        _bays_selected,
    ),
    ActionSpec(
        "tie.lane_right",
        "Begin a lane with the rows only in the second lane",
        "Take the right bay of the selected tie, kept or left, as a lane of its own.",
        lambda d: d.session.building.begin_with_bay(Bay.RIGHT),
        "Alt+Shift+3",
        _bays_selected,
    ),
    ActionSpec(
        "tie.natural",
        "Link all columns of one name",
        "Link the selected join by every column that both sides have (a natural join).",
        lambda d: d.session.building.link_naturally(),
        "",
        _join_selected,
    ),
    ActionSpec(
        "tie.formula",
        "Link by a formula …",
        "Link the selected join by a column that a formula works out right before it.",
        lambda d: d.link_by_formula(),
        "",
        _join_selected,
    ),
    ActionSpec(
        "tie.swap",
        "Swap the sides",
        "Let the other lane of the selected join go on; every setting is turned round with it.",
        lambda d: d.session.building.swap_sides(),
        "Ctrl+Shift+W",
        _join_selected,
    ),
    ActionSpec(
        "tie.join_types",
        "What would other join types give?",
        "Show rows and gaps of every join type at the selected tie.",
        lambda d: d.show_join_types(),
        "Ctrl+J",
        _join_selected,
    ),
    ActionSpec(
        "page.match",
        "Show the match",
        "Open the Match page of the selected tie.",
        lambda d: d.bench.open_page("match"),
        "Ctrl+1",
        _has_page("match"),
    ),
    ActionSpec(
        "page.outcome",
        "Show the outcome",
        "Open the Outcome page of the selected tie.",
        lambda d: d.bench.open_page("outcome"),
        "Ctrl+2",
        _has_page("outcome"),
    ),
    ActionSpec(
        "page.values",
        "Show the link values",
        "Open the Link values page of the selected tie: every value with its rows, and pairs.",
        lambda d: d.bench.open_page("values"),
        "Ctrl+9",
        _has_page("values"),
    ),
    ActionSpec(
        "page.tie_columns",
        "Show what goes on, column by column",
        "Open the Columns page of the selected tie: which columns go on, and those of one name.",
        lambda d: d.bench.open_page("tie_columns"),
        "Ctrl+8",
        _has_page("tie_columns"),
    ),
    ActionSpec(
        "page.promises",
        "Show the promises",
        "Open the Promises page of the selected tie: what must hold at every run.",
        lambda d: d.bench.open_page("promises"),
        "Ctrl+3",
        _has_page("promises"),
    ),
    ActionSpec(
        "trellis.reread",
        "Re-read every source",
        "Read every source anew and do everything again.",
        lambda d: d.session.work.run(reread=True),
        "Ctrl+R",
        _has_lanes,
    ),
    ActionSpec(
        "delivery.write",
        "Deliver what is selected",
        "Write the selected delivery.",
        lambda d: d.session.delivering.deliver([d.session.selection]),
        "",
        _delivery_selected,
    ),
    ActionSpec(
        "trellis.deliver",
        "Deliver all",
        "Write every delivery of the trellis.",
        lambda d: d.session.delivering.deliver(),
        "Ctrl+Shift+D",
        _has_deliveries,
    ),
    ActionSpec(
        "trellis.deliver_despite",
        "Deliver all despite broken promises",
        "Write every delivery, also those that a broken promise stops.",
        lambda d: d.session.delivering.deliver(despite=True),
        "",
        _has_broken,
    ),
    ActionSpec(
        "report.add",
        "Make a report of what is selected …",
        "Summarise what comes out of the selected lane or item: groups, figures, a picture.",
        _add_report,
        "Ctrl+Alt+R",
        _runs_here,
        at_end=True,
    ),
    ActionSpec(
        "report.remove",
        "Remove the report",
        "Take the report out that is looked at.",
        lambda d: d.session.reporting.remove(),
        "",
        _has_report,
    ),
    ActionSpec(
        "report.export",
        "Save the report's picture …",
        "Save the picture of the report as .svg or .png.",
        lambda d: d.export_report(),
        "",
        _has_report,
    ),
    ActionSpec(
        "report.match",
        "Save the match report …",
        "Write what was read, tied and found, for whoever has to check it: .html, .pdf or .xlsx.",
        lambda d: d.documents.save_match_report(),
        "",
        _runs_here,
    ),
    ActionSpec(
        "view.report",
        "Switch between the trellis and the report",
        "Show the report, or the trellis again.",
        lambda d: d.show_view(""),
        "F8",
        _runs_here,
    ),
    ActionSpec(
        "job.stop",
        "Stop the work under way",
        "Stop reading, matching or writing; nothing half done is kept.",
        lambda d: d.session.stop(),
        "Ctrl+.",
        lambda s: s.work.busy,
    ),
    ActionSpec(
        "trellis.run",
        "Go on working it out",
        "Take up the work again that was stopped.",
        lambda d: d.session.work.run(),
        "",
        lambda s: not s.work.up_to_date and not s.work.running,
    ),
    ActionSpec(
        "trellis.place",
        "Choose where the trellis runs …",
        "Run it on this machine, in a PostgreSQL server or on a Spark cluster, where the data is.",
        lambda d: d.offer_places(),
        "Ctrl+Shift+H",
        _has_lanes,
    ),
    ActionSpec(
        "there.count",
        "Count everything there",
        "Count every part of the trellis at the place where it runs.",
        lambda d: d.session.elsewhere.count(),
        "F9",
        lambda s: s.elsewhere.place is not None and not s.elsewhere.jobs.busy,
    ),
    ActionSpec(
        "view.finder",
        "Find an action",
        "Search every action by its name.",
        lambda d: d.find_action(),
        "Ctrl+K",
    ),
    ActionSpec(
        "view.map",
        "Go to the map",
        "Put the keyboard on the map.",
        lambda d: d.map.setFocus(),
        "F6",
    ),
    ActionSpec(
        "view.save_map",
        "Save the map as a picture …",
        "Save the whole map as .svg or .png.",
        lambda d: d.documents.save_map(d.map.save_picture),
        "",
        _has_lanes,
    ),
    ActionSpec(
        "view.zoom_in",
        "Make the map larger",
        "Zoom into the map.",
        lambda d: d.map.zoom_by(1.1),
        "Ctrl++",
    ),
    ActionSpec(
        "view.zoom_out",
        "Make the map smaller",
        "Zoom out of the map.",
        lambda d: d.map.zoom_by(1 / 1.1),
        "Ctrl+-",
    ),
    ActionSpec(
        "view.local",
        "Read numbers and dates as they are written here, or not",
        "Group digits and show dates as the system does; values, copies and files stay.",
        lambda d: d.switch_local_reading(),
        "",
    ),
    ActionSpec(
        "view.theme",
        "Switch between light and dark",
        "Show the window in the other set of colours.",
        lambda d: d.switch_theme(),
        "Ctrl+Shift+L",
    ),
    ActionSpec(
        "help.here",
        "Help on what is selected",
        "Open the guide where it speaks of what is selected.",
        lambda d: d.show_help(),
        "F1",
    ),
    ActionSpec(
        "help.keys",
        "All keys",
        "List every action that has keys.",
        lambda d: d.show_keys(),
        "Shift+F1",
    ),
    ActionSpec(
        "help.demo",
        "Open the demo",
        "A made-up ferry company with all the usual flaws in its data.",
        lambda d: d.documents.open_demo(),
    ),
    ActionSpec(
        "help.tour",
        "Take the tour",
        "Ten stops through the demo, each of which asks for something to be done.",
        lambda d: d.begin_tour(),
    ),
    ActionSpec(
        "help.log",
        "Show the log",
        "What the program did, when, and how long it took.",
        lambda d: d.show_log(),
    ),
    ActionSpec(
        "app.settings",
        "Settings …",
        "Theme, letters, how values are shown, how new deliveries are written, limits.",
        lambda d: d.show_settings(),
        "Ctrl+,",
    ),
    ActionSpec("app.quit", "Quit", "Close the window.", lambda d: d.close(), "Ctrl+Q"),
)
