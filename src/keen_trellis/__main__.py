"""Lets `python -m keen_trellis` be the command line."""

import sys

from keen_trellis.cli.start import start

sys.exit(start())
