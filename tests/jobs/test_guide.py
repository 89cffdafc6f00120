"""What the guide says is what happens: its examples are run as they stand."""

import contextlib
import doctest
import importlib
import os
import pkgutil
import re
import unittest
from pathlib import Path

import grimp

import keen_trellis
from keen_trellis.plan.functions import FUNCTIONS

ROOT = Path(__file__).parents[2]
ARCHITECTURE = (ROOT / "docs" / "architecture.md").read_text()


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

    def test_the_map_draws_every_arrow_between_rooms(self) -> None:
        drawn = re.findall(r"^\| `(\w+)` \| (`.*) \|$", ARCHITECTURE, re.M)
        pairs = {(room, other) for room, all_ in drawn for other in re.findall(r"`(\w+)`", all_)}
        graph = grimp.build_graph("keen_trellis", cache_dir=None)
        there = {
            tuple(name.split(".")[1] for name in (one, other))
            for one in graph.modules
            for other in graph.find_modules_directly_imported_by(one)
            if "." in one and "." in other
        }
        there = {(room, other) for room, other in there if room != other}
        self.assertEqual(pairs, there, "run `make docs`")

    def test_the_examples_in_the_code(self) -> None:
        finder, runner = doctest.DocTestFinder(), doctest.DocTestRunner()
        for module in pkgutil.walk_packages(keen_trellis.__path__, "keen_trellis."):
            if not module.name.startswith(("keen_trellis.desktop", "keen_trellis.__main__")):
                for one in finder.find(importlib.import_module(module.name)):
                    if one.examples:  # the others take a look at every file there is, each
                        self.assertEqual(runner.run(one).failed, 0, one.name)
        self.assertGreater(runner.tries, 20)

    def test_the_pictures_in_the_readme_are_there(self) -> None:
        readme = (ROOT / "README.md").read_text()
        for name in os.listdir(ROOT / "docs" / "screenshots"):
            self.assertIn(name, readme)
