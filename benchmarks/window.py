"""From the start of the process to the empty window, and to the window with the demo's bays."""

from __future__ import annotations

import os
import subprocess
import sys
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
BAYS = """
import gc, sys, time
gc.disable()
from pathlib import Path
import keen_trellis.cli.main
keen_trellis.cli.main.leave_others_alone()
import keen_trellis.document  # as the command does
from keen_trellis.desktop import theme
from keen_trellis.desktop.application import make_application, make_window
application = make_application()
window = make_window(application, theme.LIGHT)
window.show()
window.session.document.open(Path(sys.argv[1]))
while not window.session.results.ties:
    application.processEvents()
    time.sleep(0.002)  # an event loop waits, and lets the job have the interpreter
application.processEvents()
print(time.time())
window.session.finish()
"""


def run() -> Iterator[Result]:
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    environment.pop("PYTHONDONTWRITEBYTECODE", None)  # the first of the runs compiles

    def took(program: str) -> float:
        command = [sys.executable, "-c", program, str(DEMO)]
        begun = time.time()
        done = subprocess.run(command, check=True, env=environment, capture_output=True, text=True)
        return float(done.stdout or time.time()) - begun

    for program in (IMPORTS, EMPTY, BAYS):
        took(program)
    turns = [[took(program) for program in (IMPORTS, EMPTY, BAYS)] for _ in range(TIMES)]
    imports_s, empty_s, bays_s = (median(times) for times in zip(*turns, strict=True))
    yield Result(
        "empty window, new process, to the libraries alone", empty_s / imports_s, None, 1.6, "times"
    )
    yield Result(
        "the demo's bays, new process, to the libraries alone",
        bays_s / imports_s,
        None,
        2.6,
        "times",
    )
