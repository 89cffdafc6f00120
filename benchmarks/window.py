"""From the start of the process to the first thing drawn: an empty window, a map, its bays."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from statistics import median

from benchmarks.measure import Result

DEMO = Path(__file__).parents[1] / "demo" / "winter-season.trellis"
TIMES = 7
IMPORTS = "import numpy, pyarrow.compute, PySide6.QtWidgets"
"""Loads what the program rests on, and ends: what no start can do without."""
EMPTY = """
import gc, time
gc.disable()
import keen_trellis.cli.main
keen_trellis.cli.main.leave_others_alone()
import keen_trellis.document  # as the command does
from keen_trellis.desktop import theme
from keen_trellis.desktop.application import make_application, make_window
application = make_application()
window = make_window(application, theme.LIGHT)
window.show()
application.processEvents()
print(time.time())
window.session.finish()
"""
DRAWN = """
import os, sys, time
from PySide6.QtCore import QEvent, QObject
class Drawn(QObject):
    def eventFilter(self, what, event):
        if event.type() is QEvent.Type.Paint:
            see(what)
        return False
def end(*times):
    print(*times, flush=True)
    os._exit(0)
"""
BARE = f"""{DRAWN}
from PySide6.QtWidgets import QApplication, QMainWindow, QTableWidget
def see(what):
    end(time.time())
application = QApplication(sys.argv)
drawn = Drawn()
application.installEventFilter(drawn)
window = QMainWindow()
window.setCentralWidget(QTableWidget(20, 5))
window.resize(1280, 800)
window.show()
application.exec()
"""
"""A window with an empty table, and nothing of ours."""
OPENED = f"""{DRAWN}
import gc
gc.disable()  # as the command does
from pathlib import Path
import keen_trellis.cli.main
import keen_trellis.desktop.application as ours
from keen_trellis.desktop.map.map_view import MapView
maps = []
def see(what):
    if type(what) is not MapView and not isinstance(what.parent(), MapView):
        return
    session = what.window().session
    if session.trellis.lanes and not maps:
        maps.append(time.time())
    if session.results.ties:
        end(*maps, time.time())
make = ours.make_application
def watched():
    application = make()
    application.drawn = Drawn()
    application.installEventFilter(application.drawn)
    return application
ours.make_application = watched
ours.start(Path(sys.argv[1]))
"""
"""Opens a document as the command does: until its map is drawn, and until its bays are."""


def run() -> Iterator[Result]:
    with tempfile.TemporaryDirectory() as home:
        own = {name: f"{home}/{name}" for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME")}
        fixed = {"QT_QPA_PLATFORM": "offscreen", "QT_SCALE_FACTOR": "1"}
        environment = {**os.environ, **own, **fixed}
        environment.pop("PYTHONDONTWRITEBYTECODE", None)  # the first of the runs compiles

        def took(program: str) -> list[float]:
            command = [sys.executable, "-c", program, str(DEMO)]
            begun = time.time()
            done = subprocess.run(
                command, check=True, env=environment, capture_output=True, text=True
            )
            ends = done.stdout.split() or [str(time.time())]
            return [float(end) - begun for end in ends]

        programs = (IMPORTS, EMPTY, BARE, OPENED)
        for program in programs:
            took(program)
        turns = [[end for one in programs for end in took(one)] for _ in range(TIMES)]
    imports_s, empty_s, bare_s, map_s, bays_s = (median(one) for one in zip(*turns, strict=True))
    yield Result(
        "empty window, new process, to the libraries alone", empty_s / imports_s, None, 1.6, "times"
    )
    yield Result("the demo's map drawn, to a bare window", map_s / bare_s, None, 2.2, "times")
    yield Result("the demo's bays drawn, to a bare window", bays_s / bare_s, None, 4.5, "times")
