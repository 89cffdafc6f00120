"""From the start of the process to the window with the demo's bays in it."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

from benchmarks.measure import Result

DEMO = Path(__file__).parents[1] / "demo" / "winter-season.trellis"
START = """
import gc, sys, time
gc.disable()
from pathlib import Path
from keen_trellis.desktop import theme
from keen_trellis.desktop.application import make_application, make_window
application = make_application()
window = make_window(application, theme.LIGHT)
window.show()
gc.enable()
window.session.open(Path(sys.argv[1]))
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
    command = [sys.executable, "-c", START, str(DEMO)]

    def start() -> float:
        begun = time.time()
        done = subprocess.run(command, check=True, env=environment, capture_output=True, text=True)
        return float(done.stdout) - begun

    shown_s = min(start() for _ in range(3))
    yield Result("window shown with the bays of the demo, new process", shown_s, None, 2, "s")
