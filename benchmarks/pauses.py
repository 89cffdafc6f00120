"""How long the window stands still while somebody works in it: the longest pause of its loop."""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
from PySide6.QtCore import QCoreApplication, QEvent

from benchmarks.measure import Result

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
LEFT, RIGHT, LANES, COLUMNS = 2_000_000, 200_000, 100, 1_000


class Window:
    """A window whose loop is watched."""

    def __init__(self) -> None:
        from PySide6.QtCore import QStandardPaths

        from keen_trellis.desktop import theme
        from keen_trellis.desktop.application import make_application, make_window

        QStandardPaths.setTestModeEnabled(True)
        self.application = make_application()
        self.window = make_window(self.application, theme.LIGHT)
        self.window.show()
        self.session = self.window.session

    def until_quiet(self) -> None:
        quiet_since = time.monotonic()
        while time.monotonic() - quiet_since < 0.3:
            self.application.processEvents()
            if self.session.work.busy:
                quiet_since = time.monotonic()
            time.sleep(0.001)

    def until_done(self, results_only: bool = False) -> None:
        """Wait until nothing is worked on, and let go of widgets that are to be, as a loop does."""
        self.application.processEvents()
        while self.session.work.running if results_only else self.session.work.busy:
            self.application.processEvents()
            time.sleep(0.001)
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)

    def until_loaded(self) -> None:
        """Wait until what first clicks need has been loaded ahead."""
        ready = time.monotonic() + 6
        while time.monotonic() < ready:
            self.application.processEvents()
            time.sleep(0.002)

    def longest_pause(self, act: Callable[[], object], times: int = 3) -> float:
        """Return the shortest of several longest pauses, in seconds: the machine is shared."""
        return min(self._pause(act, 0.3, time.monotonic) for _ in range(times))

    def first_pause(self, act: Callable[[], object]) -> float:
        """Return the longest turn of the loop, in seconds that this thread worked."""
        return self._pause(act, 0.5, time.thread_time)

    def _pause(
        self, act: Callable[[], object], quiet_s: float, clock: Callable[[], float]
    ) -> float:
        longest, quiet_since, acted = 0.0, time.monotonic(), False
        while time.monotonic() - quiet_since < quiet_s:
            begun = clock()
            if not acted:
                act()
                acted = True
            self.application.processEvents()
            longest = max(longest, clock() - begun)
            if self.session.work.busy:
                quiet_since = time.monotonic()
            time.sleep(0.001)
        return longest

    def close(self) -> None:
        self.session.document.undo.setClean()
        self.window.close()
        self.application.processEvents()


def run() -> Iterator[Result]:
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_STATE_HOME"] = folder
        yield from _first_clicks(Path(folder))
        yield from _many_lanes(Path(folder))
        yield from _wide(Path(folder))
        yield from _large(Path(folder))


def _first_clicks(folder: Path) -> Iterator[Result]:
    """Do for the first time what was loaded ahead while the window was quiet."""
    import shutil

    from PySide6.QtWidgets import QApplication, QDialog, QPlainTextEdit, QPushButton, QTableView

    demo = folder / "demo"
    shutil.copytree(Path(__file__).parents[1] / "demo", demo)
    shown = Window()
    shown.session.document.open(demo / "winter-season.trellis")
    shown.until_quiet()
    shown.until_loaded()
    act = lambda name: shown.window.action(name).trigger()  # noqa: E731
    shown.session.select("sailings")
    shown.until_quiet()
    step = shown.first_pause(lambda: act("step.formula"))
    yield Result("first use: a formula step added", step, None, 50, "ms")
    field = shown.window.findChild(QPlainTextEdit, "formula.0.text")
    letter = shown.first_pause(lambda: field.insertPlainText("r"))
    yield Result("first use: a letter of a formula", letter, None, 50, "ms")
    act("edit.undo")
    shown.session.select("sailings-routes")
    shown.until_quiet()
    values = shown.first_pause(lambda: act("page.values"))
    yield Result("first use: the link values and pairs of a tie", values, None, 50, "ms")
    same = shown.window.findChild(QPushButton, "pairs.same.0")
    yield Result("first use: *Same* for a pair", shown.first_pause(same.click), None, 50, "ms")
    report = shown.first_pause(lambda: act("report.add"))
    yield Result("first use: a report", report, None, 50, "ms")
    chooser = shown.first_pause(lambda: shown.window.adding.choose_from(demo / "routes.csv"))
    yield Result("first use: a file to be chosen", chooser, None, 50, "ms")
    _close_dialogs(shown)
    act("lane.type_in")
    shown.until_quiet()
    cells = "\n".join("\t".join(str(row * n) for n in range(20)) for row in range(5_000))
    QApplication.clipboard().setText(cells)
    tops = QApplication.topLevelWidgets()
    (dialog,) = [w for w in tops if isinstance(w, QDialog) and w.isVisible()]
    grid = dialog.findChild(QTableView, "chooser.form.cells")
    paste = shown.first_pause(lambda: grid.paste(cells))
    yield Result("100,000 cells pasted: longest pause", paste, None, 50, "ms")
    _close_dialogs(shown)
    shown.close()


def _close_dialogs(shown: Window) -> None:
    from PySide6.QtWidgets import QApplication, QDialog, QMessageBox

    for widget in QApplication.topLevelWidgets():
        if isinstance(widget, QDialog) and widget.isVisible():
            question, QMessageBox.question = QMessageBox.question, _discard
            widget.reject()
            QMessageBox.question = question
    shown.until_quiet()


def _discard(*_: object, **__: object) -> object:
    from PySide6.QtWidgets import QMessageBox

    return QMessageBox.StandardButton.Discard


def _many_lanes(folder: Path) -> Iterator[Result]:
    from keen_trellis.document import DelimitedSource
    from keen_trellis.document.edits import AddLane, AddTie, RenameLane
    from keen_trellis.document.items import LinkedFields

    shown = Window()
    for n in range(LANES):
        (folder / f"{n}.csv").write_text(
            "code,value\n" + "".join(f"{i},{i * n}\n" for i in range(50))
        )
        shown.session.do(AddLane(f"Lane {n}", DelimitedSource(path=str(folder / f"{n}.csv"))))
    link = (LinkedFields(left="code", right="code"),)
    for n in range(1, LANES, 2):
        shown.session.do(AddTie(f"lane-{n - 1}", f"lane-{n}", link))
    shown.until_quiet()
    shown.until_loaded()
    names = iter(f"Name {n}" for n in range(100))
    pause = shown.longest_pause(lambda: shown.session.do(RenameLane("lane-7", next(names))))
    yield Result(f"a lane renamed among {LANES}: longest pause", pause, None, 30, "ms")
    building = shown.session.building
    pairs = iter([("lane-0", "lane-3"), ("lane-4", "lane-7"), ("lane-8", "lane-11")])
    tied = min(shown.first_pause(lambda: building.tie(*next(pairs))) for _ in range(3))
    yield Result(f"two of {LANES} lanes tied: longest pause", tied, None, 50, "ms")
    shown.close()


def _wide(folder: Path) -> Iterator[Result]:
    from keen_trellis.document import DelimitedSource
    from keen_trellis.document.edits import AddLane, AddTie
    from keen_trellis.document.items import LinkedFields

    shown = Window()
    for side in "ab":
        names = ["code", *(f"{side} {n}" for n in range(COLUMNS - 1))]
        rows = [",".join(str(i + n) for n in range(COLUMNS)) for i in range(100)]
        (folder / f"{side}.csv").write_text("\n".join([",".join(names), *rows]) + "\n")
        shown.session.do(AddLane(side, DelimitedSource(path=str(folder / f"{side}.csv"))))
    shown.session.do(AddTie("a", "b", (LinkedFields(left="code", right="code"),)))
    shown.until_quiet()

    def there_and_back() -> None:
        shown.session.select("a")
        shown.session.select("a-b")

    pause = shown.longest_pause(there_and_back)
    yield Result(f"a match of {COLUMNS} columns a side shown", pause, None, 200, "ms")
    shown.close()


def _large(folder: Path) -> Iterator[Result]:
    from keen_trellis.document import DelimitedSource
    from keen_trellis.document.edits import AddLane, AddTie, SetBay, TakeLink
    from keen_trellis.document.items import LinkedFields
    from keen_trellis.plan.bays import Bay

    shown = Window()
    numbers = np.random.default_rng(1)
    for name, rows in (("left", LEFT), ("right", RIGHT)):
        codes = numbers.integers(0, 250_000, rows)
        lines = "\n".join(f"K-{code:06},{n}" for n, code in enumerate(codes.tolist()))
        (folder / f"{name}.csv").write_text(f"code,{name}\n{lines}\n")
        shown.session.do(AddLane(name, DelimitedSource(path=str(folder / f"{name}.csv"))))
    shown.session.do(AddTie("left", "right", (LinkedFields(left="code", right="code"),)))
    shown.session.select("left-right")
    shown.until_quiet()
    kept = iter([False, True] * 10)
    switch = lambda: shown.session.do(SetBay("left-right", Bay.LEFT, next(kept)))  # noqa: E731
    what = f"{LEFT // 1_000_000}M x {RIGHT // 1000}k"
    yield Result(
        f"{what}, a bay switched: longest pause", shown.longest_pause(switch), None, 50, "ms"
    )
    rules = iter([("case",), ()] * 10)

    def change() -> None:
        link = shown.session.trellis.join("left-right").match_link().with_text(next(rules))
        shown.session.do(TakeLink("left-right", link))

    yield Result("… a text rule chosen: longest pause", shown.longest_pause(change), None, 50, "ms")
    parts = iter(["left", "left-right"] * 10)
    select = lambda: shown.session.select(next(parts))  # noqa: E731
    yield Result(
        "… another part selected: longest pause", shown.longest_pause(select), None, 50, "ms"
    )
    pages = iter(["values", "match"] * 10)
    shown.session.select("left-right")
    shown.until_quiet()
    turn = lambda: shown.window.bench.open_page(next(pages))  # noqa: E731
    what = f"… its {250_000:,} link values shown: longest pause"
    yield Result(what, shown.longest_pause(turn), None, 50, "ms")
    shown.window.bench.open_page("outcome")
    shown.until_quiet()
    grid = shown.window.bench.open_one.grid
    orders = iter(["code", "left", ""] * 10)
    sort = lambda: grid.sort_by(next(orders))  # noqa: E731
    yield Result("… its outcome sorted: longest pause", shown.longest_pause(sort), None, 50, "ms")
    grid.selectAll()
    copy = lambda: grid.ask_copy()  # noqa: E731
    yield Result("… all of it copied: longest pause", shown.longest_pause(copy), None, 50, "ms")
    yield from _report(shown)
    yield from _steps(shown)
    shown.close()


def _report(shown: Window) -> Iterator[Result]:
    """Change the figures of a report of all rows, and a filter that reaches both sides."""
    session = shown.session
    session.select("left-right")
    shown.window.show_view("report")
    session.reporting.add()
    groups = ({"column": "left", "by": "width", "width": "100000"},)
    session.reporting.change(groups=groups, figures=({"column": "right"},))
    shown.until_quiet()
    hows = iter(["average", "sum"] * 10)
    change = lambda: session.reporting.change(figures=({"column": "right", "how": next(hows)},))  # noqa: E731
    what = "… a figure of a report changed: longest pause"
    yield Result(what, shown.longest_pause(change), None, 50, "ms")
    codes = iter([f"K-{n:06}" for n in range(20)])

    def narrow() -> None:
        one = {"column": "code", "is_": ">=", "values": (next(codes),)}
        session.reporting.change(filters=(one,))

    what = "… its filter changed, which reaches both sides: longest pause"
    yield Result(what, shown.longest_pause(narrow), None, 50, "ms")
    shown.window.show_view("trellis")
    session.reporting.remove()
    shown.until_quiet()


def _steps(shown: Window) -> Iterator[Result]:
    """Change a step that changes every row, and type into a formula; the tie stands behind both."""
    from PySide6.QtWidgets import QPlainTextEdit

    from keen_trellis.document.edits import SetItem
    from keen_trellis.document.items import FormulaItem, NamedFormula, TidyItem

    session = shown.session
    session.select("left")
    shown.window.bench.open_page("rows")
    session.building.add_step(TidyItem(id="", columns=("code",), letters="small letters"), "left")
    shown.until_quiet()
    letters = iter(["stay", "small letters"] * 10)
    tidy = lambda: session.do(SetItem(session.selected_item.but(letters=next(letters))))  # noqa: E731
    what = "… a step changed before the tie, all rows: longest pause"
    yield Result(what, shown.longest_pause(tidy), None, 50, "ms")
    columns = (NamedFormula(name="new", formula="code || 'x'"),)
    session.building.add_step(FormulaItem(id="", columns=columns))
    shown.until_quiet()
    field = shown.window.findChild(QPlainTextEdit, "formula.0.text")
    keys = iter("abcdefghij")
    typed = lambda: field.insertPlainText(next(keys))  # noqa: E731
    yield Result(
        "… a key typed into a formula: longest pause", shown.longest_pause(typed), None, 50, "ms"
    )
