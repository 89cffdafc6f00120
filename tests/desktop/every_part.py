"""A document with one of every kind of part, all of whose names have a word in common."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from keen_trellis.desktop.parts import view_of
from tests.desktop.window_case import WindowTestCase

ITEMS: dict[str, dict[str, Any]] = {
    "filter": {"conditions": [{"column": "{w} code", "is_": "<>", "values": ["{w}9"]}]},
    "tidy": {"columns": ["{w} code"], "without": ["outer spaces"]},
    "replace": {"columns": ["{w} code"], "replacements": [{"old": "{w}1", "new": "{w}one"}]},
    "formula": {"columns": [{"name": "{w} made", "formula": "\"{w} code\" || '{w}'"}]},
    "fill": {"columns": ["{w} code"], "value": "{w}none"},
    "columns": {"first": ["{w} amount"], "names": {"{w} seats": "{w} places"}},
    "kinds": {"kinds": {"{w} amount": "number"}},
    "split": {"column": "{w} code", "mark": "e", "into": ["{w} head", "{w} tail"]},
    "together": {"columns": ["{w} code", "{w} made"], "name": "{w} both"},
    "across": {"name": "{w} place", "what": "row number", "by": ["{w} code"]},
    "repeats": {"by": ["{w} code"]},
    "unpivot": {"columns": ["{w} made"], "name": "{w} of", "value": "{w} it"},
    "order": {"by": [{"field": "{w} code"}]},
    "first": {"n": 40},
    "join": {"lane": "others", "link": [{"left": "{w} code", "right": "{w} key"}]},
    "stack": {"lanes": [{"lane": "more"}], "source_column": "{w} source"},
    "blend": {
        "fields": ["{w} code"],
        "figures": [{"how": "count", "name": "{w} rows"}],
        "lanes": [{"lane": "others", "fields": ["{w} key"], "figures": [{"how": "count"}]}],
    },
    "pivot": {
        **{"field": "{w} code", "values": ["{w}1"], "by": ["{w} code"]},
        **{"how": "count", "rest": "{w} rest"},
    },
    "summarise": {"by": ["{w} code"], "figures": [{"how": "count", "name": "{w} rows of it"}]},
    "delivery": {"name": "{w} delivery", "path": "{w}.csv"},
}
"""One of each kind, in an order in which each has what it needs; `{w}` is a document's word."""

BARE = {
    "join": {"lane": "others"},
    "stack": {"lanes": [{"lane": "more"}]},
    "blend": {"lanes": [{"lane": "others"}]},
    "delivery": {"name": "New", "path": "new.csv"},
}


class EveryPartCase(WindowTestCase):
    """Opens such documents, in the states that a document can be in."""

    def open_one(self, word: str, state: str) -> None:
        folder = self.folder / f"{word} {state}"
        folder.mkdir()
        self.write_rows(folder, word, state)
        items: list[Any] = [
            {"type": kind, "id": kind, **(BARE.get(kind, {}) if state == "new" else item)}
            for kind, item in ITEMS.items()
        ]
        if state == "with broken promises":
            tie = next(item for item in items if item["type"] == "join")
            tie["promises"] = [{"what": "found"}]
        lanes = [
            {"id": name, "name": f"{{w}} {name}", "colour": n, "items": items if not n else []}
            | {"source": {"type": "delimited", "path": f"{name}.csv"}}
            for n, name in enumerate(("rows", "others", "more"))
        ]
        document = {"format": "keen trellis", "version": 3, "name": "{w}", "lanes": lanes}
        text = json.dumps(document, ensure_ascii=False)
        (folder / "it.trellis").write_text(self.named(text, word))
        self.assertTrue(self.session.document.open(folder / "it.trellis"))
        self.settle()

    def named(self, text: str, word: str) -> str:
        """Return what a document says, with its word."""
        return text.replace("{w}", word)

    def write_rows(self, folder: Path, word: str, state: str) -> None:
        """Write the three files that the lanes are read from."""

        def write(file: str, text: str) -> None:
            (folder / file).write_text(self.named(text, word))

        code = "another name" if state == "without a column" else "{w} code"
        names = f"{code},{{w}} amount,{{w}} seats\n"
        rows = "".join(f"{{w}}{n},{n}.50,{n}\n" for n in (1, 1, 2, 3))
        if state != "without its file":
            write("rows.csv", names + rows)
        write("more.csv", names + rows)
        write("others.csv", "{w} key,{w} zone\n{w}2,{w} inner\n")

    def parts(self, with_notes: bool = True) -> Iterator[str]:
        """Open every page of every part; give each. Notes are one page, whatever they are of."""
        for part in ("rows", *ITEMS):
            self.session.select(part)
            self.settle()
            for page in view_of(self.session.selected_item).pages:
                if page.id == "notes" and not with_notes:
                    continue
                self.click(f"page.{page.id}")
                yield f"{part}, {page.id}"
