"""Tests: examples of the job, and properties that must hold whatever the rows."""

import os

os.environ.setdefault("KEEN_TRELLIS_CHECKED", "1")  # every column proves what code relies on
os.environ.setdefault("KEEN_TRELLIS_LANGUAGE", "en")  # whatever the desktop says

from hypothesis import settings

# a busy machine must not fail a test, and a failure must come back when it is run again
settings.register_profile("keen", deadline=None, derandomize=True)
settings.load_profile("keen")
