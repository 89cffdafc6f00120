"""Takes the pictures in docs/screenshots from the demo, at 1280x800."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtWidgets import QWidget

from keen_trellis.data import GAP
from keen_trellis.desktop import theme as themes
from keen_trellis.desktop.application import make_application, make_window
from keen_trellis.desktop.bench.grid import Grid
from keen_trellis.desktop.chooser import Chooser
from keen_trellis.desktop.window import Window

HERE = Path(__file__).parents[1]
DEMO, SHOTS = HERE / "demo", HERE / "docs" / "screenshots"


def wait(true: Callable[[], bool]) -> None:
    end = time.monotonic() + 20
    while not true() and time.monotonic() < end:
        APPLICATION.processEvents()
        time.sleep(0.002)
    for _ in range(5):
        APPLICATION.processEvents()


def settled(window: Window) -> None:
    wait(lambda: not window.session.jobs.busy)


def shoot(widget: QWidget, name: str) -> None:
    SHOTS.mkdir(parents=True, exist_ok=True)
    widget.grab().save(str(SHOTS / f"{name}.png"))
    print(SHOTS / f"{name}.png")


def opened(theme: themes.Theme, file: str = "winter-season.trellis") -> Window:
    window = make_window(APPLICATION, theme)
    window.resize(1280, 800)
    window.show()
    window.session.open(DEMO / file)
    settled(window)
    return window


def show_first_gap(grid: Grid, column: str) -> None:
    model = grid.table_model
    place = model.table.columns.index(column)
    row = next(r for r in range(model.rowCount()) if model.state(r, place) == GAP)
    grid.verticalScrollBar().setValue(max(row - 6, 0))


def main() -> None:
    window = opened(themes.LIGHT)
    shoot(window, "match-light")
    window.bench.open_page("Outcome")
    show_first_gap(window.bench.outcome_page.grid, "zone")
    settled(window)
    shoot(window, "outcome")
    window.choose_from(DEMO / "operations.ods")
    chooser = window.findChild(Chooser)
    wait(lambda: chooser.source is not None)
    shoot(chooser, "sheet-chooser")
    chooser.reject()
    window.bench.open_page("Match")
    window.set_theme(themes.DARK)
    window.session.select("sailings-vessels")
    settled(window)
    shoot(window, "match-dark")


if __name__ == "__main__":
    APPLICATION = make_application()
    main()
