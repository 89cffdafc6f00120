"""Where the program starts: before its modules are loaded, so that Ctrl+C is heard from then on."""

from __future__ import annotations

import sys


def start() -> int:
    """Run the command line; return its exit code."""
    try:
        from keen_trellis.cli.main import main

        return main()
    except KeyboardInterrupt:
        print("keen-trellis: Stopped. What was not whole has not been written.", file=sys.stderr)
        return 130
