"""What ships with the program: it is whole, as others' checks want it, and what the code says."""

import contextlib
import io
import os
import shutil
import subprocess
import sys
import tempfile
import unittest
from importlib import metadata
from pathlib import Path
from unittest import mock

from keen_trellis.base.errors import UserError
from keen_trellis.base.shipped import SHIPPED, demo_in
from keen_trellis.base.version import VERSION
from keen_trellis.cli.main import main
from keen_trellis.machine import desktop_entry

ROOT = Path(__file__).parents[2]
DESKTOP = SHIPPED / "desktop"


def tool(name: str) -> str:
    """Return a program of Debian's; where it is missing the test is skipped, but not in CI."""
    found = shutil.which(name)
    if found is None and "CI" not in os.environ:
        raise unittest.SkipTest(f"{name} is not on this machine")
    assert found is not None, f"{name} is missing"
    return found


def said(*words: str | Path) -> str:
    done = subprocess.run([*map(str, words)], capture_output=True, text=True, timeout=300)
    assert done.returncode == 0, f"{words}: {done.stdout}{done.stderr}"
    return done.stdout


class ShippedTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def keen_trellis(self, *words: str) -> str:
        told = io.StringIO()
        with contextlib.redirect_stdout(told), mock.patch.dict(os.environ, self.surroundings):
            self.assertEqual(main(words), 0)
        return told.getvalue()

    @property
    def surroundings(self) -> dict[str, str]:
        return {"XDG_DATA_HOME": str(self.folder), "XDG_STATE_HOME": str(self.folder / "state")}

    def test_entry_metadata_and_type_are_what_the_validators_want(self) -> None:
        said(tool("desktop-file-validate"), DESKTOP / "keen-trellis.desktop")
        said(tool("appstreamcli"), "validate", "--no-net", next(DESKTOP.glob("*.metainfo.xml")))
        # as the desktop does it: the type is found by the ending, and by how the file begins
        self.keen_trellis("desktop", "--install")
        said(tool("update-mime-database"), self.folder / "mime")
        demo = demo_in(self.folder / "demo")
        self.assertIn("keen-trellis", (self.folder / "mime" / "globs2").read_text())
        named_otherwise = demo.with_suffix(".json")
        demo.rename(named_otherwise)
        begins = named_otherwise.read_bytes()[:64]
        self.assertIn(b'"format": "keen trellis"', begins)
        self.assertIn(b'"format": "keen trellis"', (self.folder / "mime" / "magic").read_bytes())

    def test_one_user_has_it_in_the_menu_and_out_again(self) -> None:
        there = self.keen_trellis("desktop", "--install")
        entry = self.folder / "applications" / "keen-trellis.desktop"
        self.assertIn(str(entry), there)
        said(tool("desktop-file-validate"), entry)
        self.assertRegex(entry.read_text(), r"(?m)^Exec=.*keen-trellis open %f$")
        self.keen_trellis("desktop", "--install")  # once more does no harm
        gone = self.keen_trellis("desktop", "--remove")
        self.assertEqual(len(gone.splitlines()), 5)
        ours = [one for one in self.folder.rglob("*") if "keen" in one.name.lower()]
        self.assertEqual(ours, [])
        self.assertIn("Nothing of it was there", self.keen_trellis("desktop", "--remove"))

    def test_a_program_at_an_odd_place_is_started_all_the_same(self) -> None:
        odd_places = ("/a b/keen", "/it's/keen", '/"q"/keen', "/50%/$HOME/`x`/keen", "/b\\s/keen")
        for odd in odd_places:
            with self.subTest(odd):
                entry = next(
                    path
                    for path in desktop_entry.install(odd, self.folder)
                    if path.suffix == ".desktop"
                )
                said(tool("desktop-file-validate"), entry)
                line = entry.read_text().partition("\nExec=")[2].partition("\n")[0]
                # what a desktop makes of it: a string, then words, then fields
                line = line.replace("\\\\", "\\")
                words = said("sh", "-c", f"printf '%s\\n' {line}").splitlines()
                self.assertEqual([one.replace("%%", "%") for one in words], [odd, "open", "%f"])

    def test_a_folder_that_cannot_be_written_to_is_said(self) -> None:
        (self.folder / "applications").write_text("in the way")
        with self.assertRaisesRegex(UserError, "cannot be written below"):
            desktop_entry.install("keen-trellis", self.folder)

    def test_the_demo_is_copied_once_and_never_over_what_was_worked_on(self) -> None:
        demo = demo_in(self.folder / "demo")
        demo.write_text("mine")
        (self.folder / "demo" / "fares.csv").unlink()
        self.assertEqual(demo_in(self.folder / "demo"), demo)
        self.assertEqual(demo.read_text(), "mine")
        self.assertTrue((self.folder / "demo" / "fares.csv").exists())
        self.assertFalse((self.folder / "demo" / "make_demo.py").exists())

    def test_the_version_stands_once(self) -> None:
        self.assertEqual(metadata.version("keen-trellis"), VERSION)
        about = next(DESKTOP.glob("*.metainfo.xml")).read_text()
        self.assertIn(f'<release version="{VERSION}"', about)
        self.assertIn(f"## {VERSION}", (ROOT / "CHANGELOG.md").read_text())

    def test_manual_and_completions_are_those_of_the_command_line(self) -> None:
        sys.path.insert(0, str(ROOT / "tools"))
        self.addCleanup(sys.path.remove, str(ROOT / "tools"))
        import write_docs  # type: ignore[import-not-found]

        for path, text in write_docs.for_shells().items():
            self.assertEqual(path.read_text(), text, f"{path.name}: run `make docs`")
        manual = said(tool("man"), "-l", SHIPPED / "man" / "keen-trellis.1")
        self.assertIn("keen-trellis desktop", manual)
