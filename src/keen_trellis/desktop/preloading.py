"""What the first clicks will need is loaded while nobody clicks, so that none of them is a pause.

The window opens with what it shows; everything else is loaded when it is first asked for. That
would be a tenth of a second at the first letter of a formula or the first report, so once the
window has been quiet for a while it is loaded ahead: what knows nothing of windows on a thread,
then the pages on the window's own thread, one module at a time.
"""

from __future__ import annotations

import gc
from collections import deque
from importlib import import_module
from threading import Thread
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer

from keen_trellis.desktop.bench.page import LOADED_LATER
from keen_trellis.document.items.item import Part

if TYPE_CHECKING:
    from collections.abc import Iterator

    from pydantic import BaseModel

    from keen_trellis.desktop.session import Session

_QUIET_FOR, _BETWEEN = 1_500, 60
"""Milliseconds before the first module, and between two: half of the time is the window's."""

WITHOUT_WINDOWS = (
    *("compute.formula.evaluate", "compute.link_values", "compute.step_execution"),
    *("compute.summary", "compute.node_result", "data.profile", "document.edits"),
    *("document.edits.items", "document.edits.report_edits", "formulas.checking"),
    *("report.filtering", "report.pictures", "report.summing", "report.report_rows", "run.effects"),
    *("run.first_look",),
)
WITH_WINDOWS = (
    *("desktop.adding.chooser", "desktop.adding.source_form", "desktop.adding.typed_grid"),
    *("desktop.bench.formula_field", "desktop.bench.condition_fields"),
    *("desktop.bench.profile_beside", "desktop.parts.join.pairs_panel"),
    *("desktop.parts.join.row_bars", "desktop.parts.join.types_card", "desktop.report.rows_sheet"),
    *("desktop.report.report_view",),
)


class Ahead(QObject):
    """Loads modules ahead, and is done with it after some seconds."""

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self._session = session
        self._waiting = deque((*WITH_WINDOWS, *LOADED_LATER))
        self._thread = Thread(target=_load_without_windows, daemon=True)
        self._timer = QTimer(self, interval=_QUIET_FOR)
        self._timer.timeout.connect(self._go_on)
        self._timer.start()

    def _go_on(self) -> None:
        if self._session.work.busy:
            self._timer.setInterval(_QUIET_FOR)
        elif self._thread.ident is None:
            # `ident` is None until a thread was started: a Thread starts once, and this is asked
            # every time.
            self._thread.start()
            self._timer.setInterval(_BETWEEN)
        elif not self._thread.is_alive():
            self._timer.setInterval(_BETWEEN)
            _load(self._waiting.popleft())
            if not self._waiting:
                self._timer.stop()
                gc.freeze()  # all of it stays: the collector need not walk through it ever again


def _load_without_windows() -> None:
    for name in WITHOUT_WINDOWS:
        # Imports hold a lock for each module, not Python's whole: the window goes on between
        # them.
        _load(name)
    from keen_trellis.formulas.grammar import parsed

    parsed("1 + 1")  # the grammar makes its tables at its first formula
    for model in _with_those_below(Part):
        model.model_rebuild()  # a model makes what reads it at its first use


def _with_those_below(model: type[BaseModel]) -> Iterator[type[BaseModel]]:
    yield model
    for below in model.__subclasses__():
        yield from _with_those_below(below)


def _load(name: str) -> None:
    import_module(f"keen_trellis.{name}")
