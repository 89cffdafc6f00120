"""The page of a filter: its conditions as a sentence with choices, the rows kept and left out."""

from __future__ import annotations

from typing import Any

from PySide6.QtWidgets import QWidget

from keen_trellis.base.language import tr
from keen_trellis.data import Kind, Table
from keen_trellis.desktop.bench.condition_fields import Conditions
from keen_trellis.desktop.bench.formula_field import FormulaField
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.step_page import StepPage
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme
from keen_trellis.document.items import ConditionItem

_OF = {"all": tr("all of these hold"), "any": tr("any of these holds")}


class FilterPage(StepPage):
    """Which rows go on, said as a sentence; below it both sorts of rows."""

    kind = "filter"
    chooses_rows = True

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__(session, theme, parent)
        self._formula = FormulaField("filter.formula", theme)
        self._formula.taken.connect(self._take_formula)
        self._formula.hide()
        self._asked = ""
        self.below_sentence.addWidget(self._formula)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        super().set_theme(theme)
        self._formula.theme = theme

    def show_below(self, item: Any, before: Table | None) -> None:
        """Show the formula, where there is one or one is asked for."""
        lane = self.session.selected_lane
        where = lane.name if lane is not None else tr("these rows")
        self._formula.setVisible(bool(item.formula) or self._asked == item.id)
        if self._formula.isVisibleTo(self):
            self._formula.show_formula(item.formula, before, where, wanted=Kind.BOOLEAN)

    def _ask_formula(self) -> None:
        self._asked = self._item.id
        self.session.document.changed.emit()
        self._formula.text.setFocus()

    def _take_formula(self, text: str) -> None:
        if text != self._item.formula:
            self.change(formula=text)

    def looked_at(self, item: Any) -> set[str]:
        """Return the columns that conditions are about."""
        from keen_trellis.formulas.formula_parser import names_in

        named = names_in(item.formula) if item.formula else ()
        return {*(condition.column for condition in item.conditions), *named}

    def tell(self, say: Sentence, item: Any, before: Table | None, lane: str) -> None:
        """Say the conditions."""
        is_asked = item.conditions or item.formula
        say.word(
            tr("Keep the rows of {lane} where", lane=lane)
            if is_asked
            else tr("Every row of {lane}", lane=lane)
        )
        if len(item.conditions) + bool(item.formula) > 1:
            says = tr("Whether all must hold")
            say.choice(
                "filter.of", says, _OF, current=item.of, chosen=lambda value: self.change(of=value)
            )
        told = Conditions(
            say,
            "filter",
            before,
            item.conditions,
            changed=self._take,
            find_out=self.session.work.find_out,
        )
        between = tr("and") if item.of == "all" else tr("or")
        for place in range(len(item.conditions)):
            if place:
                say.word(between)
            told.tell(place)
        if not is_asked:
            say.word(tr("goes on, until something is asked of it:"))
        told.offer(tr("+ condition") if item.conditions else tr("choose a column"))
        if not item.formula:
            says = tr("Keep rows by a formula, also conditions within conditions")
            say.button(tr("+ formula"), "filter.ask_formula", says, self._ask_formula)
        elif item.conditions:
            say.word(between)

    def _take(self, conditions: tuple[ConditionItem, ...]) -> None:
        self.change(conditions=conditions)
