"""Writes what docs, manual and completions take from the code: they say what is so now."""

import argparse
import json
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path

import grimp
import shtab
from argparse_manpage.manpage import Manpage

from keen_trellis.base.shipped import SHIPPED
from keen_trellis.base.version import VERSION
from keen_trellis.cli.main import parser
from keen_trellis.document import Trellis
from keen_trellis.document.edits import AddLane, apply
from keen_trellis.document.items import STEPS
from keen_trellis.document.sources import TypedSource
from keen_trellis.document.storage import schema
from keen_trellis.machine.settings import SETTINGS
from keen_trellis.plan.functions import FUNCTIONS
from keen_trellis.run.run_summary import schema as run_schema

DOCS = Path(__file__).parents[1] / "docs"


def table() -> str:
    """Return every function with how it is written, what it gives, and an example."""
    lines = []
    group = ""
    for one in FUNCTIONS.values():
        if one.group != group:
            group = one.group
            lines += [
                "",
                f"**{group.capitalize()}**",
                "",
                "| written | gives | such as |",
                "|---|---|---|",
            ]
        formula, value = one.examples[0]
        shown = "a blank" if value is None else f"`{value}`" if value else "an empty text"
        cells = (f"`{one.form}`", one.means, f"`{formula}` is {shown}")
        lines.append(f"| {' | '.join(cell.replace('|', chr(92) + '|') for cell in cells)} |")
    return "\n".join(lines[1:]) + "\n"


def arrows() -> str:
    """Return every room with those that it knows, and by how many imports of modules."""
    graph = grimp.build_graph("keen_trellis")
    known: dict[str, dict[str, int]] = defaultdict(lambda: defaultdict(int))
    for module in graph.modules:
        for imported in graph.find_modules_directly_imported_by(module):
            room, other = _room(module), _room(imported)
            if room and other and room != other:
                known[room][other] += 1
    lines = ["", "| room | knows |", "|---|---|"]
    for room, others in sorted(known.items()):
        told = (f"`{other}` {count}" for other, count in sorted(others.items()))
        lines.append(f"| `{room}` | {', '.join(told)} |")
    total = sum(map(len, known.values()))
    return "\n".join([*lines, "", f"{total} arrows between {len(known) + 1} rooms."]) + "\n"


def _room(module: str) -> str:
    """Return the room of a module, or nothing for the face of the package."""
    return module.split(".")[1] if "." in module else ""


def steps() -> str:
    """Return every kind of step with an example: its rows before and after."""
    lines = []
    for kind in STEPS:
        step, before, after = kind.example()
        cells = [tuple(line.split(",")) for line in before]
        source = TypedSource(columns=cells[0], rows=tuple(cells[1:]))
        trellis, _ = apply(AddLane("Rows", source), Trellis())
        lines += ["", f"### {step.type.capitalize()}", ""]
        lines += [step.sentence(trellis, trellis.lanes[0]), "", "```"]
        wide = max(map(len, before))
        for number in range(max(len(before), len(after))):
            left, right = (side[number] if number < len(side) else "" for side in (before, after))
            lines.append(f"{left:{wide}}  {'→' if number == 0 else ' '}  {right}".rstrip())
        lines.append("```")
    return "\n".join(lines[1:]) + "\n"


def preferences() -> str:
    """Return every setting with what it may be and what it is usually."""
    lines = ["| setting | what it does | usually | in the file |", "|---|---|---|---|"]
    for one in SETTINGS:
        words = dict(one.choices)
        usual = words.get(str(one.default), one.default)
        if isinstance(one.default, bool):
            usual = "on" if one.default else "off"
        elif one.unit:
            usual = f"{one.default:,} {one.unit}"
        may_be = ", ".join(f"`{value}`" for value in words) or (
            "`true`, `false`" if isinstance(one.default, bool) else f"{one.least:,} to {one.most:,}"
        )
        cells = (one.name, one.says, str(usual), f"`{one.id}`: {may_be}")
        lines.append(f"| {' | '.join(cell.replace('|', chr(92) + '|') for cell in cells)} |")
    return "\n".join(lines) + "\n"


COMPLETIONS = {"bash": "keen-trellis", "zsh": "_keen-trellis", "fish": "keen-trellis.fish"}
"""The name that each shell looks for, by the shell."""


def for_shells() -> dict[Path, str]:
    """Return the manual and the completions of the command line by the files they stand in."""
    read = parser()
    for action in _arguments(read):
        if action.type is Path:
            action.complete = shtab.FILE  # type: ignore[attr-defined]
    made = {
        SHIPPED / "completions" / name: shtab.complete(read, shell)
        for shell, name in COMPLETIONS.items()
    }
    read = parser()
    read.man_short_description = "joins between tables, with every row in view"
    page = Manpage(read, format="single-commands-section")
    # no date: the page changes when what it says does
    page.date, page.source, page.manual = "", f"Keen Trellis {VERSION}", "User commands"
    return made | {SHIPPED / "man" / "keen-trellis.1": str(page)}


def _arguments(read: argparse.ArgumentParser) -> Iterator[argparse.Action]:
    """Yield every argument of a command line, and of its commands."""
    for action in read._actions:
        if isinstance(action, argparse._SubParsersAction):
            for command in action.choices.values():
                yield from _arguments(command)
        else:
            yield action


def with_part(text: str, name: str, part: str) -> str:
    """Return a page with a part that is written here as it is now."""
    begin, end = f"<!-- {name}: written by `make docs` -->\n", f"<!-- end of {name} -->"
    before, _, rest = text.partition(begin)
    _, _, after = rest.partition(end)
    return f"{before}{begin}{part}{end}{after}"


def main() -> None:
    (DOCS / "trellis.schema.json").write_text(json.dumps(schema(), indent=2) + "\n")
    (DOCS / "run.schema.json").write_text(json.dumps(run_schema(), indent=2) + "\n")
    for page, name, part in (
        ("guide.md", "functions", table()),
        ("guide.md", "steps", steps()),
        ("guide.md", "settings", preferences()),
        ("architecture.md", "arrows", arrows()),
    ):
        path = DOCS / page
        path.write_text(with_part(path.read_text(), name, part))
    for path, text in for_shells().items():
        path.write_text(text)


if __name__ == "__main__":
    main()
