"""The window in another language: nothing is left in English, and longer texts have their place."""

import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[2]
sys.path.insert(0, str(ROOT / "tools"))

from catalogues import DOMAIN, pseudo  # noqa: E402


class LanguagesTest(unittest.TestCase):
    def test_the_whole_window_is_walked_in_a_language_of_longer_texts(self) -> None:
        with tempfile.TemporaryDirectory() as data:
            place = Path(data) / "keen-trellis" / "languages" / "xx" / "LC_MESSAGES"
            place.mkdir(parents=True)
            (place / f"{DOMAIN}.mo").write_bytes(pseudo())
            walked = subprocess.run(
                [sys.executable, "-m", "unittest", "tests.desktop.spoken_window"],
                cwd=ROOT,
                env=os.environ | {"KEEN_TRELLIS_LANGUAGE": "xx", "XDG_DATA_HOME": data},
                capture_output=True,
                text=True,
                timeout=600,
            )
        self.assertEqual(walked.returncode, 0, walked.stderr[-3_000:])
