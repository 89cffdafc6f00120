"""The step that tidies text: spaces, case, accents and the like, in several columns at once."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal, Self

from keen_trellis.base.errors import LinkError
from keen_trellis.base.language import tr
from keen_trellis.base.words import listed
from keen_trellis.data import Kind
from keen_trellis.document.items.item import Lanes, Named, StepExample, StepItem
from keen_trellis.plan.formulas import Applied, Cell, Valued
from keen_trellis.plan.link import Side
from keen_trellis.plan.nodes import Node
from keen_trellis.plan.steps import Computed
from keen_trellis.plan.text_rules import RULE_WORDS, TextRule

Letters = Literal["stay", "capitals", "small letters", "capitals at the beginning"]
_FUNCTIONS = {
    "capitals": "UPPER",
    "small letters": "LOWER",
    "capitals at the beginning": "INITCAP",
}


class TidyItem(StepItem):
    """Take off what should not be in texts, and write them in one case.

    Attributes
    ----------
    columns : tuple of str
    without : tuple of TextRule
        What is taken off; “case” is none of it.
    letters : Letters
    """

    type: Literal["tidy"] = "tidy"
    columns: tuple[str, ...] = ()
    without: tuple[
        Literal["outer spaces", "doubled spaces", "accents", "punctuation", "invisible"], ...
    ] = (
        "outer spaces",
        "doubled spaces",
    )
    letters: Letters = "stay"

    @property
    def title(self) -> str:
        """What stands above it on the map."""
        return tr("Tidy text")

    @property
    def within(self) -> str:
        """What it is called within a sentence."""
        return tr("tidy text")

    @classmethod
    def example(cls) -> StepExample:
        """Return an example of what it does."""
        return StepExample(
            cls(id="", columns=("port",), letters="capitals at the beginning"),
            before=(
                "port,riders",
                " kelp  point,98",
                "Brae,12",
            ),
            after=(
                "port,riders",
                "Kelp Point,98",
                "Brae,12",
            ),
        )

    def node(self, rows: Node, taken: Sequence[Node], names: Sequence[str]) -> Node:
        """Return the rows with the texts tidied."""
        return Computed(
            rows, names[0], tuple((c, self._tidied(rows, c, names[0])) for c in self.columns)
        )

    def _tidied(self, rows: Node, column: str, where: str) -> Valued:
        kind = rows.schema.column(column, where).kind
        if kind is not Kind.TEXT:
            raise LinkError(
                tr(
                    "“{column}” of {where} is {kind}; only texts can be tidied.",
                    column=column,
                    where=where,
                    kind=kind,
                ),
                tr("Take the column out, or make it text first."),
            )
        made: Valued = Cell(column, kind)
        if self.without:
            rules: tuple[TextRule, ...] = self.without
            made = Applied("TIDY", (made,), kind, rules)
        if self.letters != "stay":
            made = Applied(_FUNCTIONS[self.letters], (made,), kind)
        return made

    @property
    def brief(self) -> str:
        """What it does in the fewest words, for the map."""
        return tr("tidy {columns}", columns=", ".join(self.columns))

    def renamed(self, change: Callable[[str], str], side: Side | int) -> Self:
        """Return the step with its columns renamed."""
        return self.but(columns=tuple(map(change, self.columns)))

    def sentence(self, lanes: Lanes, lane: Named) -> str:
        """Return what is tidied."""
        if not self.columns:
            return tr("Tidies no column yet.")
        does = []
        if self.without:
            does.append(
                tr(
                    "takes off {without}",
                    without=listed([RULE_WORDS[rule] for rule in self.without]),
                )
            )
        if self.letters != "stay":
            does.append(tr("writes {letters}", letters=tr(self.letters)))
        done = listed(does) if does else tr("leaves all as it is")
        return tr("In {columns} {done}.", columns=listed(self.columns), done=done)
