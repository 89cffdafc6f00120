"""Where the program starts: before its modules are loaded, so that Ctrl+C is heard by then."""

from __future__ import annotations

import os
import sys

from keen_trellis.base.language import SOURCE, speak, tr


def start() -> int:
    """Run the command line; return its exit code."""
    try:
        from keen_trellis.machine.settings import read_settings

        # many texts are looked up while their module is loaded, so this comes before them
        if "--json" in sys.argv:  # a program reads it, and compares it with that of another day
            speak(SOURCE)
        elif "KEEN_TRELLIS_LANGUAGE" not in os.environ:
            speak(str(read_settings()["look.language"]))
        from keen_trellis.cli.main import main

        return main()
    except KeyboardInterrupt:
        print(
            tr("keen-trellis: Stopped. What was not whole has not been written."), file=sys.stderr
        )
        return 130
