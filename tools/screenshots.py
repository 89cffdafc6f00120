"""Takes the pictures in docs/screenshots from the demo, at 1280x800."""

from __future__ import annotations

import os
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from contextlib import closing
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QEvent, QPoint, QRect, QSettings, QSize, QStandardPaths
from PySide6.QtWidgets import QDialog, QListWidget, QPushButton, QWidget

from keen_trellis.base.language import SOURCE, spoken
from keen_trellis.data import GAP
from keen_trellis.desktop import theme as themes
from keen_trellis.desktop.adding.chooser import Chooser
from keen_trellis.desktop.application import make_application, make_window
from keen_trellis.desktop.bench.grid import Grid
from keen_trellis.desktop.reread_summary import RereadSummary
from keen_trellis.desktop.window import Window
from keen_trellis.document.edits import (
    SetDelivery,
    SetPlace,
    SetPromises,
)
from keen_trellis.document.items import (
    FigureItem,
    FormulaItem,
    NamedFormula,
    Promised,
    SummariseItem,
    TidyItem,
)
from keen_trellis.document.places import RunPlace
from keen_trellis.plan.bays import Bay
from keen_trellis.report.match_report import save_match_report
from keen_trellis.report.page_options import PageOptions
from keen_trellis.servers.server import Server, SqliteFile

HERE = Path(__file__).parents[1]
DEMO, SHOTS = HERE / "demo", HERE / "docs" / "screenshots"
PICTURES = SHOTS.parent / "pictures"
WORK = Path(tempfile.gettempdir()) / "sallow-isles"


def wait(true: Callable[[], bool], seconds: float = 20) -> None:
    end = time.monotonic() + seconds
    while not true() and time.monotonic() < end:
        APPLICATION.processEvents()
        time.sleep(0.002)
    for _ in range(5):
        APPLICATION.processEvents()
    APPLICATION.sendPostedEvents(None, QEvent.Type.DeferredDelete)


def settled(window: Window) -> None:
    wait(lambda: not window.session.work.busy)


def shoot(widget: QWidget, name: str) -> None:
    SHOTS.mkdir(parents=True, exist_ok=True)
    widget.grab().save(str(SHOTS / f"{name}.png"))
    print(SHOTS / f"{name}.png")


def illustrate(window: Window, name: str, part: QWidget | QRect, width: int = 380) -> None:
    """Keep a part of the window as a picture of the guide: as wide as the help is, at most."""
    place = part
    if isinstance(part, QWidget):
        place = QRect(part.mapTo(window, QPoint(0, 0)), part.size())
    place = QRect(place.topLeft(), QSize(min(place.width(), width), place.height()))
    PICTURES.mkdir(parents=True, exist_ok=True)
    window.grab(place).save(str(PICTURES / f"{name}.png"))
    print(PICTURES / f"{name}.png")


def shoot_help(window: Window) -> None:
    """Show the tour beside the guide, the settings, and high contrast."""
    window.session.select("sailings-routes")
    settled(window)
    window.show_help("Rows multiply")
    window.begin_tour()
    settled(window)
    wait(lambda: False, 0.4)
    shoot(window, "tour-and-help")
    window.findChild(QPushButton, "tour.leave").click()
    window.findChild(QPushButton, "help.close").click()
    window.show_settings()
    settled(window)
    dialog = window.findChild(QDialog, "settings")
    shoot(dialog, "settings")
    dialog.close()
    window.set_theme(themes.CONTRAST)
    settled(window)
    shoot(window, "contrast")
    window.set_theme(themes.LIGHT)


def opened(theme: themes.Theme, folder: Path) -> Window:
    window = make_window(APPLICATION, theme)
    window.resize(1280, 800)
    window.show()
    window.session.document.open(folder / "winter-season.trellis")
    settled(window)
    return window


def show_first_gap(grid: Grid, column: str) -> None:
    model = grid.table_model
    place = model.table.columns.index(column)
    row = next(r for r in range(model.rowCount()) if model.state(r, place) == GAP)
    grid.setCurrentIndex(model.index(row, place))
    grid.verticalScrollBar().setValue(max(row - 6, 0))


def shoot_chooser(window: Window, place: Path | SqliteFile, name: str, row: int = 0) -> None:
    window.adding.choose_from(place)
    chooser = window.findChild(Chooser)
    add = chooser.findChild(QPushButton, "chooser.add")
    wait(add.isEnabled)
    tables = chooser.findChild(QListWidget, "chooser.tables")
    if row:
        tables.setCurrentRow(row)
        wait(lambda: not add.isEnabled())
        wait(add.isEnabled)
    shoot(chooser, name)
    chooser.reject()
    settled(window)


def odd_text(folder: Path) -> Path:
    """Return a text as offices send it: a title, semicolons, commas, a torn line, a slip."""
    lines = ["Bookings of the winter office", "", "booked;route;seats;fare;note"]
    for n in range(260):
        route = ("KP-MS", "BR-KP", " KP-GH")[n % 3]
        day, month = 1 + n % 9, 1 + n % 11
        note = "late" if n % 9 == 0 else ""
        lines.append(f"{day:02}/{month:02}/2026;{route};{n % 7 + 1};{9 + n % 21},50;{note}")
    lines.insert(120, "03/04/2026;KP-MS")
    lines.insert(200, "04/04/2026;BR-KP;two;9,50;")
    path = folder / "bookings.csv"
    path.write_text("\n".join(lines) + "\n")
    return path


def change_sources(folder: Path) -> None:
    """Let a month pass: a file more, rows less, a column under another name."""
    january = (folder / "takings" / "2026-01.csv").read_text()
    (folder / "takings" / "2026-04.csv").write_text(january.replace("2026-01", "2026-04"))
    with closing(sqlite3.connect(folder / "harbour.sqlite")) as harbour, harbour:
        harbour.execute("alter table routes rename column code to route_code")
        harbour.execute("delete from routes where zone = 'Outer' and minutes > 160")


def shoot_steps(window: Window) -> None:
    """Show promises, of which one is broken; they are taken back."""
    session = window.session
    session.select("sailings-routes")
    session.building.begin_with_bay(Bay.LEFT)
    promises = (
        Promised(what="found"),
        Promised(what="few without", side="right", rows=5),
        Promised(what="same total", column="passengers"),
    )
    session.do(SetPromises("sailings-routes", promises))
    session.select("sailings-routes")
    window.bench.open_page("promises")
    settled(window)
    shoot(window, "promises")
    top = window.bench.mapTo(window, QPoint(10, 44))
    illustrate(window, "promises", QRect(top, QSize(380, 170)))
    window.bench.open_page("match")
    while session.document.undo.canUndo():
        session.document.undo.undo()
    settled(window)


def shoot_lane_ready(window: Window) -> None:
    """Show a formula, the steps that a column offers, and a summary in the dark."""
    session = window.session
    session.select("sailings")
    session.building.add_step(TidyItem(id="", columns=("route",), letters="capitals"), "sailings")
    settled(window)
    columns = (
        NamedFormula(name="name", formula="INITCAP(skipper) || ', ' || UPPER(vessel)"),
        NamedFormula(name="share", formula="passengers / NULLIF(vehicles, 0)"),
    )
    session.building.add_step(FormulaItem(id="", columns=columns))
    settled(window)
    shoot(window, "formula")
    window.bench.open_page("step_rows")
    settled(window)
    window.bench.open_page("formula")
    window.set_theme(themes.DARK)
    session.select("takings")
    session.building.add_step(
        SummariseItem(
            id="",
            by=("route", "month"),
            figures=(FigureItem(column="amount"), FigureItem(how="count")),
        )
    )
    settled(window)
    shoot(window, "summarise-dark")
    window.set_theme(themes.LIGHT)
    while session.document.undo.canUndo():
        session.document.undo.undo()
    settled(window)


def shoot_ties(window: Window) -> None:
    """Show the values of a link, and proposed pairs."""
    session = window.session
    session.select("sailings-routes")
    window.bench.open_page("values")
    wait(lambda: window.findChild(QPushButton, "pairs.same.0") is not None)
    window.findChild(QPushButton, "pairs.all_safe").click()
    wait(lambda: window.findChild(QPushButton, "pairs.same.0") is not None)
    settled(window)
    shoot(window, "link-values")
    window.bench.open_page("match")
    while session.document.undo.canUndo():
        session.document.undo.undo()
    settled(window)


def shoot_season(window: Window, folder: Path) -> None:
    """Show the demo of all ten tables, and its blend."""
    window.session.document.open(folder / "whole-season.trellis")
    settled(window)
    window.session.select("sailings-fares")
    settled(window)
    shoot(window, "whole-season")
    window.session.select("takings-budget")
    settled(window)
    shoot(window, "blend")
    shoot_elsewhere(window)
    shoot_reports(window, folder)
    window.session.document.open(folder / "winter-season.trellis")
    settled(window)


def shoot_reports(window: Window, folder: Path) -> None:
    """Show a report, a delivery of several sheets, and the first page of the match report."""
    session = window.session
    window.show_view("report")
    settled(window)
    wait_for_picture(window)
    shoot(window, "report")
    window.show_view("trellis")
    session.select("season-rows")
    item = session.selected_item
    path = item.path.replace("season.csv", "season-{date}.xlsx")
    session.do(SetDelivery(item.but(path=path, beside=("left", "several", "report"))))
    settled(window)
    shoot(window, "delivery")
    session.document.undo.undo()
    settled(window)
    printed = folder / "season.pdf"
    save_match_report(session.results, printed, session.work.runner, PageOptions("the board"))
    page = SHOTS / "match-report"
    command = ["pdftoppm", "-r", "70", "-png", "-singlefile", "-f", "1", "-l", "1"]
    if shutil.which(command[0]):  # of poppler-utils; without it the picture stays what it was
        subprocess.run([*command, str(printed), str(page)], check=True)


def shoot_elsewhere(window: Window) -> None:
    """Show a run in PostgreSQL; without a server the picture stays what it was."""
    session = window.session
    server = Server("postgresql", "127.0.0.1", "test", "postgres")
    session.secrets.give(server, "")
    session.do(SetPlace(RunPlace(name="Harbour server", at=server)))
    session.elsewhere.choose("Harbour server")
    settled(window)
    window.action("there.count").trigger()
    wait(lambda: session.elsewhere.results is not None and not session.work.busy)
    if session.elsewhere.results is not None:
        session.select("sailings-routes")
        settled(window)
        window.bench.open_one.findChild(QPushButton, "there.fetch").click()
        settled(window)
        shoot(window, "there")
    session.elsewhere.choose("")
    settled(window)
    session.document.undo.undo()
    settled(window)


def wait_for_picture(window: Window) -> None:
    canvas = window.findChild(QWidget, "report.canvas")
    reporting = window.session.reporting
    lines = {line.codes for line in reporting.found.summed.full_lines}
    wait(lambda: {mark.line.codes for mark in canvas.marks} == lines)
    settled(window)


def shoot_german(folder: Path) -> None:
    """Show the window in German; a language is settled at the start, so in a process of its own."""
    window = opened(themes.LIGHT, folder)
    window.session.document.open(folder / "whole-season.trellis")
    settled(window)
    shoot(window, "german")
    window.session.finish()


def main(folder: Path) -> None:
    QSettings().clear()  # what other runs opened, and where they put the border of the map
    empty = make_window(APPLICATION, themes.LIGHT)
    empty.resize(1280, 800)
    empty.show()
    settled(empty)
    shoot(empty, "start")
    empty.session.finish()
    empty.close()
    window = opened(themes.LIGHT, folder)
    shoot(window, "match-light")
    illustrate(window, "bays", window.findChild(QWidget, "bay.left"))
    illustrate(window, "tie", QRect(440, 44, 380, 180))
    shoot_help(window)
    window.session.document.open(folder / "winter-season.trellis")
    settled(window)
    window.bench.open_page("outcome")
    window.bench.findChild(QPushButton, "outcome.beside").click()
    show_first_gap(window.bench.findChild(Grid, "outcome.grid"), "zone")
    profile = window.bench.findChild(QWidget, "outcome.profile.view")
    wait(lambda: "gaps" in profile.accessibleDescription())
    shoot(window, "outcome")
    outcome = window.bench.findChild(Grid, "outcome.grid")
    illustrate(window, "gaps", QRect(outcome.mapTo(window, QPoint(420, 0)), QSize(380, 220)))
    window.bench.findChild(QPushButton, "outcome.beside").click()
    shoot_lane_ready(window)
    shoot_steps(window)
    shoot_ties(window)
    shoot_chooser(window, odd_text(folder), "chooser-text")
    shoot_season(window, folder)
    change_sources(folder)
    window.session.watching.look()
    wait(lambda: bool(window.session.watching.stale))
    window.session.work.run(reread=True)
    settled(window)
    shoot(window.findChild(RereadSummary), "reread")
    window.session.finish()


if __name__ == "__main__":
    shutil.rmtree(WORK, ignore_errors=True)  # always the same place: it is seen in the pictures
    for one in ("STATE", "CONFIG", "DATA"):
        os.environ[f"XDG_{one}_HOME"] = str(WORK / one.lower())
    QStandardPaths.setTestModeEnabled(True)
    APPLICATION = make_application()
    shutil.copytree(DEMO, WORK / "season", ignore=shutil.ignore_patterns("out"))
    if spoken() == SOURCE:
        german = os.environ | {"KEEN_TRELLIS_LANGUAGE": "de"}
        main(WORK / "season")
        subprocess.run([sys.executable, __file__], env=german, check=True)
    else:
        shoot_german(WORK / "season")
    shutil.rmtree(WORK, ignore_errors=True)
