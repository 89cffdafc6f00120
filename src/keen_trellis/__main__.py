"""Lets `python -m keen_trellis` be the command line."""

import sys

from keen_trellis.cli import main

sys.exit(main())
