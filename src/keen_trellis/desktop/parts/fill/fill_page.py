"""The page of the step that fills blanks and gaps."""

from __future__ import annotations

from functools import partial
from typing import Any, get_args

from PySide6.QtWidgets import QWidget

from keen_trellis.base.language import grouped_digits, tr
from keen_trellis.base.progress import Report
from keen_trellis.data import Table
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.step_page import StepPage, tell_columns
from keen_trellis.desktop.controls import OneLine
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme, value_font
from keen_trellis.document.items.fill import Empty, With

_TOLD = 8


class FillPage(StepPage):
    """What is filled, in which columns, and with what."""

    kind = "fill"

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__(session, theme, parent)
        self._still = OneLine()
        self._still.setObjectName("fill.still")
        self._still.setProperty("soft", True)
        self._counted: object = None
        self.below_sentence.addWidget(self._still)

    def show_below(self, item: Any, before: Table | None) -> None:
        """Say which columns still have cells without a value, once that has been counted."""
        rows = self.session.results.rows.get(item.id)
        if not isinstance(rows, Table):
            self._still.setText("")
        elif rows is not self._counted:
            self._counted = rows
            self._still.setText("")

            def count(report: Report) -> list[tuple[str, int]]:
                from keen_trellis.compute.row_view import empty_cells

                return empty_cells(rows, report)

            self.session.work.find_out(count, partial(self._say_still, rows), "")

    def _say_still(self, rows: object, found: list[tuple[str, int]]) -> None:
        if rows is self._counted:
            told = [f"{name} {grouped_digits(count)}" for name, count in found[:_TOLD]]
            more = tr(" and {found:,} more", found=len(found) - _TOLD) if len(found) > _TOLD else ""
            words = (
                tr("Still without a value: {told}{more}", told=", ".join(told), more=more)
                if told
                else ""
            )
            self._still.setText(words or tr("No column has a cell without a value any more."))

    def tell(self, say: Sentence, item: Any, before: Table | None, lane: str) -> None:
        """Say what is filled."""
        say.word(tr("Fill"))
        say.choice(
            "fill.empty",
            tr("What is filled"),
            {one: tr(one) for one in get_args(Empty)},
            current=item.empty,
            chosen=lambda value: self.change(empty=value),
        )
        say.word(tr("of"))
        tell_columns(
            say, "fill.column", item.columns, before, lambda columns: self.change(columns=columns)
        )
        say.word(tr("with"))
        say.choice(
            "fill.with",
            tr("What stands in their place"),
            {one: tr(one) for one in get_args(With)},
            current=item.with_,
            chosen=lambda value: self.change(with_=value, value=""),
        )
        if item.with_ == "a value":
            says = tr("The value to fill with")
            say.field("fill.value", says, item.value, 150, lambda text: self.change(value=text))
        if item.with_ == "another column":
            fields = before.fields if before is not None else ()
            say.choice(
                "fill.other",
                tr("The column to fill from"),
                [(f.name, f.name, tr(f.kind)) for f in fields if f.name not in item.columns],
                current=item.value,
                chosen=lambda value: self.change(value=value),
                font=value_font(),
            )
