"""The page of the step that tidies text."""

from __future__ import annotations

from typing import Any

from keen_trellis.base.language import tr
from keen_trellis.data import Kind, Table
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.step_page import StepPage, tell_columns
from keen_trellis.plan.text_rules import RULE_WORDS, TEXT_RULES, TextRule

LETTERS = {
    "stay": tr("stay as it is"),
    "capitals": tr("capitals"),
    "small letters": tr("small letters"),
    "capitals at the beginning": tr("capitals at the beginning of words"),
}


class TidyPage(StepPage):
    """In which columns, what is taken off, and in which case texts are written."""

    kind = "tidy"

    def tell(self, say: Sentence, item: Any, before: Table | None, lane: str) -> None:
        """Say what is tidied."""
        say.word(tr("In"))
        tell_columns(
            say,
            "tidy.column",
            item.columns,
            before,
            lambda columns: self.change(columns=columns),
            kinds=(Kind.TEXT,),
        )
        say.word(tr("take off") if item.without else tr("take nothing off"))
        for rule in item.without:
            self._tell_rule(say, item, rule)
        self._offer_rule(say, item)
        say.word(tr("and write in") if item.letters != "stay" else tr("and let the case"))
        say.choice(
            "tidy.letters",
            tr("The case of letters"),
            LETTERS,
            current=item.letters,
            chosen=lambda value: self.change(letters=value),
        )

    def _tell_rule(self, say: Sentence, item: Any, rule: TextRule) -> None:
        words = RULE_WORDS[rule]
        say.button(
            f"{words} ×",
            f"tidy.without.{rule}",
            tr("Leave {words} as they are", words=words),
            lambda: self.change(without=tuple(one for one in item.without if one != rule)),
        )

    def _offer_rule(self, say: Sentence, item: Any) -> None:
        left = [
            (rule, RULE_WORDS[rule], "")
            for rule in TEXT_RULES
            if rule != "case" and rule not in item.without
        ]
        add = say.choice(
            "tidy.without.add",
            tr("What else to take off"),
            left,
            current="",
            chosen=lambda rule: self.change(without=(*item.without, rule)),
        )
        add.setText(tr("+ more"))
        add.setEnabled(bool(left))
