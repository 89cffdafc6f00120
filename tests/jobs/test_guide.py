"""What the guide says is what happens: its examples are run as they stand."""

import contextlib
import doctest
import importlib
import os
import pkgutil
import unittest
from pathlib import Path

import keen_trellis
from keen_trellis.plan.functions import FUNCTIONS

ROOT = Path(__file__).parents[2]


class GuideTest(unittest.TestCase):
    def test_the_examples_of_the_guide(self) -> None:
        with contextlib.chdir(ROOT):
            failed, tried = doctest.testfile(str(ROOT / "docs" / "guide.md"), module_relative=False)
        self.assertGreater(tried, 20)
        self.assertEqual(failed, 0)

    def test_the_table_of_functions_is_that_of_the_registry(self) -> None:
        guide = (ROOT / "docs" / "guide.md").read_text()
        for one in FUNCTIONS.values():
            self.assertIn(one.means.replace("|", "\\|"), guide, "run `make docs`")

    def test_the_examples_in_the_code(self) -> None:
        tried = 0
        for module in pkgutil.walk_packages(keen_trellis.__path__, "keen_trellis."):
            if not module.name.startswith(("keen_trellis.desktop", "keen_trellis.__main__")):
                found = doctest.testmod(importlib.import_module(module.name))
                self.assertEqual(found.failed, 0, module.name)
                tried += found.attempted
        self.assertGreater(tried, 3)

    def test_the_pictures_in_the_readme_are_there(self) -> None:
        readme = (ROOT / "README.md").read_text()
        for name in os.listdir(ROOT / "docs" / "screenshots"):
            self.assertIn(name, readme)
