"""The page of the step that replaces values: in which columns, what by what."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QPlainTextEdit,
    QVBoxLayout,
)

from keen_trellis.base.errors import SourceError
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report
from keen_trellis.base.words import counted
from keen_trellis.data import Table
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.step_page import StepPage, tell_columns
from keen_trellis.desktop.controls import label
from keen_trellis.desktop.theme import value_font
from keen_trellis.document.items import Replacement

MATCHED = {
    "whole values": tr("whole values"),
    "parts": tr("parts of texts"),
    "patterns": tr("patterns (regular expressions)"),
}
_TOLD = 6


class ReplacePage(StepPage):
    """What is replaced by what, in which columns."""

    kind = "replace"

    def tell(self, say: Sentence, item: Any, before: Table | None, lane: str) -> None:
        """Say what is replaced."""
        say.word(tr("In"))
        tell_columns(say, "replace.column", item.columns, before, lambda c: self.change(columns=c))
        say.word(tr("replace"))
        say.choice(
            "replace.matched",
            tr("What is compared"),
            MATCHED,
            current=item.matched,
            chosen=lambda value: self.change(matched=value),
        )
        for place, one in enumerate(item.replacements[:_TOLD]):
            self._tell_one(say, item, place, one)
        more = len(item.replacements) - _TOLD
        if more > 0:
            say.word(tr("and {others}", others=counted(more, "other")))
        say.button(
            tr("+ value"), "replace.add", tr("Replace one more"), lambda: self._add(item, before)
        )
        says = tr("Type or paste a list: one a line, a tab between what and by what")
        say.button(tr("as a list …"), "replace.list", says, partial(self._as_list, item))
        says = tr("Load a list: the first two columns of a sheet or text, what and by what")
        say.button(tr("from a sheet …"), "replace.load", says, partial(self._load, item))

    def _tell_one(self, say: Sentence, item: Any, place: int, one: Replacement) -> None:
        name = f"replace.{place}"

        def put(**changes: str) -> None:
            made = (*item.replacements[:place], one.but(**changes), *item.replacements[place + 1 :])
            self.change(replacements=made)

        says = tr("What is replaced, {place}; empty for a blank", place=place + 1)
        say.field(f"{name}.old", says, one.old, 120, lambda text: put(old=text))
        say.word(tr("by"))
        says = tr("What stands in its place, {place}; empty for a blank", place=place + 1)
        say.field(f"{name}.new", says, one.new, 120, lambda text: put(new=text))
        rest = (*item.replacements[:place], *item.replacements[place + 1 :])
        says = tr("Do not replace {old}", old=one.old)
        say.button("×", f"{name}.remove", says, lambda: self.change(replacements=rest))

    def _add(self, item: Any, before: Table | None) -> None:
        """Begin with a value that the first column has, and that is not replaced yet."""
        old = ""
        if before is not None and item.columns and item.columns[0] in before.columns:
            taken = {one.old for one in item.replacements}
            shown = before.window(0, 500).column(item.columns[0]).texts().to_pylist()
            old = next((text for text in shown if text and text not in taken), "")
        self.change(replacements=(*item.replacements, Replacement(old=old, new=old)))

    def _load(self, item: Any) -> None:
        """Take the first two columns of a file; what it does not have stays in the list."""
        folder = self.session.path.parent if self.session.path else Path.cwd()
        path, _ = QFileDialog.getOpenFileName(self, tr("Load a list from a sheet"), str(folder))
        if not path:
            return

        def load(report: Report) -> dict[str, str]:
            from keen_trellis.read import read

            table = read(path, report=report)
            if len(table.columns) < 2:
                raise SourceError(
                    tr(
                        "{name} has one column, and a list has two: what, and by what.",
                        name=Path(path).name,
                    ),
                    tr("Choose another file."),
                )
            old, new = (table.fetch(field).texts().to_pylist() for field in table.fields[:2])
            return {a or "": b or "" for a, b in zip(old, new, strict=True)}

        def take(found: dict[str, str]) -> None:
            listed = {one.old: one.new for one in item.replacements} | found
            made = tuple(Replacement(old=old, new=new) for old, new in listed.items())
            self.change(replacements=made)
            self.session.telling.say(tr("{values} loaded.", values=counted(len(found), "value")))

        self.session.work.find_out(load, take, tr("Stopped: no list was loaded."))

    def _as_list(self, item: Any) -> None:
        dialog = QDialog(self)
        dialog.setObjectName("replace.dialog")
        dialog.setWindowTitle(tr("Replace by a list"))
        dialog.resize(480, 420)
        text = QPlainTextEdit("\n".join(f"{one.old}\t{one.new}" for one in item.replacements))
        text.setObjectName("replace.dialog.text")
        text.setAccessibleName(tr("One a line: what, a tab, by what"))
        text.setFont(value_font())
        text.setTabStopDistance(180)
        buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel
        )
        buttons.accepted.connect(dialog.accept)
        buttons.rejected.connect(dialog.reject)
        column = QVBoxLayout(dialog)
        column.addWidget(
            label(tr("One a line: what, a tab, by what. Two columns of a sheet paste so."))
        )
        column.addWidget(text, 1)
        column.addWidget(buttons)
        dialog.accepted.connect(lambda: self.change(replacements=_listed(text.toPlainText())))
        dialog.open()


def _listed(text: str) -> tuple[Replacement, ...]:
    """Return the replacements of a list; the last of one value counts."""
    found: dict[str, str] = {}
    for line in text.splitlines():
        old, tab, new = line.partition("\t")
        if old or tab:
            found[old] = new
    return tuple(Replacement(old=old, new=new) for old, new in found.items())
