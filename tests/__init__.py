"""The tests, in the language of the texts, whatever the desktop of whoever runs them says."""

import os

os.environ["KEEN_TRELLIS_LANGUAGE"] = "en"
