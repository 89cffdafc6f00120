"""What CONTRIBUTING.md says of adding something is done as it says, in a copy of the code."""

import re
import shutil
import subprocess
import sys
import tempfile
import unittest
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parents[2]
PAGE = (ROOT / "CONTRIBUTING.md").read_text()
TRIED = {
    "A step": """
        import keen_trellis as kt
        from keen_trellis.desktop.parts import VIEWS
        ports = kt.Table.from_columns({"port": ["Brae", None]})
        made = kt.step(ports, "lengths", column="port").outcome
        assert made.column("letters of port").to_list() == [4, None], made
        assert VIEWS["lengths"].pages
    """,
    "A function of formulas": """
        import keen_trellis as kt
        ports = kt.Table.from_columns({"port": ["Brae", None]})
        made = kt.step(ports, "formula", columns={"odd": kt.formula("SWAPCASE(port)")}).outcome
        assert made.column("odd").to_list() == ["bRAE", None], made
    """,
    "A format of deliveries": """
        import keen_trellis as kt, tempfile, pathlib
        from keen_trellis.deliver import deliver
        path = pathlib.Path(tempfile.mkdtemp()) / "ports.jsonl"
        deliver(kt.Table.from_columns({"port": ["Brae", None]}), path)
        assert path.read_text() == '{"port": "Brae"}\\n{"port": null}\\n'
    """,
    "A place to run": """
        from keen_trellis.places.known import PLACES
        kind = PLACES["harbour"]
        assert kind.address_of({"host": " pier "}).host == "pier"
        try:
            kind.address_of({})
        except ValueError as fault:
            assert str(fault) == "Host must be filled in."
        else:
            raise AssertionError
    """,
}


def blocks(part: str) -> Iterator[tuple[str, str, str]]:
    """Yield the code of a part of the page: its sort, the file it is for, and its lines."""
    for sort, code in re.findall(r"^```(python|diff)\n(.*?)^```$", part, re.M | re.S):
        first, _, rest = code.partition("\n")
        yield sort, first.removeprefix("# "), rest


def put(root: Path, sort: str, name: str, code: str) -> None:
    """Write a new file, or put the lines of a list where the page has them."""
    path = root / name
    if sort == "python":
        path.parent.mkdir(exist_ok=True)
        path.write_text(code)
        return
    lines = code.splitlines()
    before = "".join(f"{line[1:]}\n" for line in lines if line[:1] in (" ", "-"))
    after = "".join(f"{line[1:]}\n" for line in lines if line[:1] in (" ", "+"))
    text = path.read_text()
    assert text.count(before) == 1, f"{name} has this {text.count(before)} times:\n{before}"
    path.write_text(text.replace(before, after))


class ContributingTest(unittest.TestCase):
    def test_every_part_is_tried(self) -> None:
        adding = PAGE.partition("## Adding something\n")[2].partition("\n## ")[0]
        self.assertEqual(re.findall(r"^### (.*)$", adding, re.M), list(TRIED))

    def test_each_is_added_as_the_page_says(self) -> None:
        for head, trial in TRIED.items():
            with self.subTest(head), tempfile.TemporaryDirectory() as folder:
                shutil.copytree(ROOT / "src", Path(folder) / "src")
                part = PAGE.partition(f"### {head}\n")[2].partition("\n### ")[0]
                for sort, name, code in blocks(part.partition("\n## ")[0]):
                    put(Path(folder), sort, name, code)
                script = re.sub(r"^ {8}", "", trial, flags=re.M)
                done = subprocess.run(
                    [sys.executable, "-c", script],
                    env={"PYTHONPATH": f"{folder}/src", "QT_QPA_PLATFORM": "offscreen"},
                    capture_output=True,
                    text=True,
                )
                self.assertEqual(done.returncode, 0, done.stderr[-600:])

    def test_what_the_page_names_is_there(self) -> None:
        for name in re.findall(r"`((?:src|docs|tests|tools)/[\w/.]+)`", PAGE):
            self.assertTrue((ROOT / name).exists(), name)
        targets = re.findall(r"^(\w+):", (ROOT / "Makefile").read_text(), re.M)
        for name in re.findall(r"`(?:\w+=\w+ )?make ([\w ]+)`", PAGE):
            self.assertLessEqual(set(name.split()), set(targets))


if __name__ == "__main__":
    unittest.main()
