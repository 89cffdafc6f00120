"""Writes what the docs take from the code: schemas of documents and runs, the functions."""

import json
from pathlib import Path

from keen_trellis.document.storage import schema
from keen_trellis.plan.functions import FUNCTIONS
from keen_trellis.run.told import schema as run_schema

DOCS = Path(__file__).parents[1] / "docs"
BEGIN, END = "<!-- functions: written by `make docs` -->\n", "<!-- end of functions -->"


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


def with_table(guide: str) -> str:
    """Return the guide with the table as it is now."""
    before, _, rest = guide.partition(BEGIN)
    _, _, after = rest.partition(END)
    return f"{before}{BEGIN}{table()}{END}{after}"


def main() -> None:
    (DOCS / "trellis.schema.json").write_text(json.dumps(schema(), indent=2) + "\n")
    (DOCS / "run.schema.json").write_text(json.dumps(run_schema(), indent=2) + "\n")
    guide = DOCS / "guide.md"
    guide.write_text(with_table(guide.read_text()))


if __name__ == "__main__":
    main()
