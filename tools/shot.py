"""Takes a picture of the window with a trellis in it: shot.py OUT.png [--dark] [--select ID]."""

from __future__ import annotations

import argparse
import os
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from keen_trellis.desktop import theme as themes
from keen_trellis.desktop.application import make_application, make_window


def settle(application, window) -> None:
    end = time.monotonic() + 20
    while time.monotonic() < end:
        application.processEvents()
        if not window.session.jobs.busy:
            break
    for _ in range(5):
        application.processEvents()


if __name__ == "__main__":
    parser = argparse.ArgumentParser()
    parser.add_argument("out")
    parser.add_argument("--file", default="demo/winter-season.trellis")
    parser.add_argument("--dark", action="store_true")
    parser.add_argument("--select", default="")
    parser.add_argument("--page", default="")
    parser.add_argument("--choose", default="")
    parser.add_argument("--trigger", default="")
    parser.add_argument("--size", default="1280x800")
    options = parser.parse_args()
    application = make_application()
    window = make_window(application, themes.DARK if options.dark else themes.LIGHT)
    window.resize(*map(int, options.size.split("x")))
    window.show()
    window.session.open(Path(options.file).absolute())
    settle(application, window)
    if options.select:
        window.session.select(options.select)
    if options.page:
        window.bench.open_page(options.page)
    settle(application, window)
    target = window
    if options.trigger:
        window.action(options.trigger).trigger()
        settle(application, window)
        target = application.activePopupWidget() or window
    if options.choose:
        from keen_trellis.desktop.chooser import Chooser

        window.choose_from(Path(options.choose).absolute())
        target = window.findChild(Chooser)
        end = time.monotonic() + 3
        while time.monotonic() < end:
            application.processEvents()
    target.grab().save(options.out)
