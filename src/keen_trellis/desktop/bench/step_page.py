"""The page of a step: its sentence, what became of the rows, before and after, what it wins."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import Any

from pydantic import ValidationError
from PySide6.QtWidgets import (
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QPushButton,
    QScrollBar,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.base.errors import UserError
from keen_trellis.base.language import tr
from keen_trellis.compute.step_result import Flags, Stepped
from keen_trellis.data import Kind, Table
from keen_trellis.desktop.bench.page import Page
from keen_trellis.desktop.bench.rows_card import RowsCard
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.controls import Notice, OneLine, button, label
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import LaneColours, Theme, value_font
from keen_trellis.desktop.tips import as_it_is
from keen_trellis.document import Lane, edits
from keen_trellis.document.items import Item, StepItem
from keen_trellis.run.first_look import FirstLook


class StepPage(Page):
    """What every step shows; a kind of step adds its sentence.

    Attributes
    ----------
    kind : str
        The beginning of the object names.
    chooses_rows : bool
        Whether rows only go on or are left out, so that these two are shown.
    """

    kind = "step"
    chooses_rows = False

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__(session, theme, parent)
        name = self.kind
        self._sentence = Sentence(f"{name}.sentence")
        self._item: Any = None
        self.others: tuple[str, ...] = ()
        """Where values become columns: those that are none yet."""
        self._all_rows = False
        self._looked_at: object = None
        self._notice = Notice(f"{name}.trouble")
        ends = ("kept", "left_out") if self.chooses_rows else ("before", "after")
        nothing = (
            (tr("No row goes on."), tr("No row is left out.")) if self.chooses_rows else ("", "")
        )
        self._cards = tuple(
            RowsCard(f"{name}.{end}", theme, self, words or tr("No rows here."))
            for end, words in zip(ends, nothing, strict=True)
        )
        self._cards[0 if self.chooses_rows else 1].grid.offers_steps = True
        self._middle = QWidget()
        cards = QHBoxLayout(self._middle)
        cards.setContentsMargins(0, 0, 0, 0)
        cards.setSpacing(12)
        for card in self._cards:
            cards.addWidget(card, 1)
        if not self.chooses_rows:
            self._scroll_together()
        self._spare = QWidget()  # below a notice, where there are no rows
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 8, 20, 8)
        column.setSpacing(9)
        column.addWidget(self._sentence)
        self.below_sentence = QVBoxLayout()
        column.addLayout(self.below_sentence)
        column.addWidget(self._notice)
        column.addLayout(self._told_line())
        column.addWidget(self._middle, 1)
        column.addWidget(self._wins_bar())
        column.addWidget(self._spare, 1)
        session.looking.noticed.connect(self._show_effects)

    def _told_line(self) -> QHBoxLayout:
        """Return the line that counts, with what can be done with the step at its end."""
        line = QHBoxLayout()
        line.setSpacing(6)
        self._words = OneLine()
        self._words.setProperty("strong", True)
        self._words.setObjectName(f"{self.kind}.said")
        line.addWidget(self._words)
        line.addStretch(1)
        self._shown = QButtonGroup(self)
        self._changed = self._toggle("changed", tr("Show the rows that change"), line)
        self._all = self._toggle("all", tr("Show all rows"), line)
        self._off = button("", f"{self.kind}.off", self._switch, "plain")
        copy = button(tr("Copy to a lane …"), f"{self.kind}.copy", self._copy, "plain")
        for made in (self._off, copy):
            line.addWidget(made)
        for made in (self._changed, self._all, self._off, copy):
            made.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        return line

    def _toggle(self, name: str, says: str, line: QHBoxLayout) -> QPushButton:
        made = button("", f"{self.kind}.{name}", partial(self._show_all, name == "all"), "plain")
        made.setCheckable(True)
        made.setToolTip(as_it_is(says))
        self._shown.addButton(made)
        line.addWidget(made)
        return made

    def _wins_bar(self) -> QFrame:
        self._wins = QFrame()
        self._wins.setProperty("said", True)
        wins = QHBoxLayout(self._wins)
        wins.setContentsMargins(14, 8, 14, 8)
        wins.addWidget(label(tr("What this wins"), strong=True))
        self._effects = OneLine()
        self._effects.setObjectName(f"{self.kind}.effects")
        wins.addWidget(self._effects)
        wins.addStretch(1)
        return self._wins

    def _scroll_together(self) -> None:
        """Let before and after show the same rows and columns."""
        first, second = (card.grid for card in self._cards)

        def follow(one: QScrollBar, other: QScrollBar, sideways: bool) -> None:
            def moved(value: int) -> None:
                # Sideways only where both show the same columns: else a place on the one is none
                # on the other.
                columns = [grid.table_model.table.columns for grid in (first, second)]
                if not sideways or columns[0] == columns[1]:
                    other.setValue(value)

            one.valueChanged.connect(moved)

        for a, b, sideways in (
            (first.verticalScrollBar(), second.verticalScrollBar(), False),
            (first.horizontalScrollBar(), second.horizontalScrollBar(), True),
        ):
            follow(a, b, sideways)
            follow(b, a, sideways)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        super().set_theme(theme)
        self._sentence.forget()
        for card in self._cards:
            card.set_theme(theme)

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show a step as the latest results have it."""
        assert isinstance(item, StepItem)
        if self._item is None or item.id != self._item.id:
            self._all_rows = False
        self._item = item
        first = self.session.work.first_look(item)
        given, before = self._known_of(item, first)
        self.others = given.others if isinstance(given, Stepped) else ()
        key = (item, lane.name, before.fields if before is not None else (), self.others)
        self._sentence.say(key, lambda: self.tell(self._sentence, item, before, lane.name))
        self.show_below(item, before)
        if item.off:
            self._notice.tell(tr("It is switched off: rows pass it as they are."))
        else:
            self.tell_trouble(self._notice, given)
        self._off.setText(tr("Switch on") if item.off else tr("Switch off"))
        is_there = given is not None and not isinstance(given, UserError)
        self._middle.setVisible(is_there)
        self._spare.setVisible(not is_there)
        self._words.setText("")
        for toggle in (self._changed, self._all):
            toggle.hide()
        if given is not None and not isinstance(given, UserError):
            said = given.sentence() if first is None else first.sentence()
            self._words.setText(said)
            self._words.setToolTip(as_it_is(said))
            colours = origins.colours[lane.id]
            if self.chooses_rows:
                self._show_chosen(given, origins, colours)
            elif isinstance(given, Stepped):
                self._show_before_and_after(given, origins, colours)
        self._show_effects()

    def _known_of(self, item: Item, first: FirstLook | None) -> tuple[Any, Table | None]:
        """Return what the step gave, or gives for its first rows, and the rows before it."""
        if first is not None:
            return first.given, first.before
        results = self.session.results
        return results.given.get(item.id), results.table(self.session.trellis.before(item.id))

    def tell(self, say: Sentence, item: Any, before: Table | None, lane: str) -> None:
        """Say the step as a sentence with choices."""
        raise NotImplementedError

    def show_below(self, item: Any, before: Table | None) -> None:
        """Show what a kind of step has below its sentence; nothing, for most."""

    def looked_at(self, item: Any) -> set[str]:
        """Return the columns that a step which chooses rows looks at."""
        return set()

    def _show_chosen(self, given: Any, origins: Origins, colours: LaneColours) -> None:
        kept, left_out = self._cards
        names = self.looked_at(self._item)
        kept.show_head(tr("Go on"), len(given.outcome), True, colours)
        kept.show_rows(given.outcome, origins, names)
        left_out.show_head(tr("Left out"), len(given.left_out), False, colours)
        left_out.show_rows(given.left_out, origins, names)

    def _show_before_and_after(
        self, given: Stepped, origins: Origins, colours: LaneColours
    ) -> None:
        before, after = given.before, given.outcome
        rows = given.changed_rows
        can_choose = bool(given.changed or given.faults) and len(rows) > 0
        for toggle, words in (
            (self._changed, tr("Changed {rows:,}", rows=len(rows))),
            (self._all, tr("All {before:,}", before=len(before))),
        ):
            toggle.setVisible(can_choose)
            toggle.setText(words)
        only = can_choose and not self._all_rows
        (self._changed if only else self._all).setChecked(True)
        marks: Mapping[str, Flags] = given.changed
        if only:
            before, after, marks = given.only_changed
        first, second = self._cards
        first.show_head(tr("Before"), len(before), False, colours)
        first.show_rows(before, origins, set(), marks)
        second.show_head(tr("After"), len(after), True, colours)
        second.show_rows(after, origins, set(given.added), marks)
        if self._looked_at is not given:
            self._looked_at = given
            for name in (*given.added, *given.changed)[:1]:
                second.grid.bring_into_view(name)

    def _show_all(self, all_rows: bool) -> None:
        self._all_rows = all_rows
        self.session.document.changed.emit()

    def _show_effects(self) -> None:
        """Say what the step does at the next ties; the others are in the tool tip."""
        found = self.session.looking.effects
        more = tr("{found} ties differ: ", found=len(found)) if len(found) > 1 else ""
        self._effects.setText(f"{more}{found[0]}" if found else "")
        self._effects.setToolTip(as_it_is("\n".join(found)))
        self._wins.setVisible(bool(found))

    def _switch(self) -> None:
        words = tr("Switch a step on") if self._item.off else tr("Switch a step off")
        self.session.do(edits.SetItem(self._item.but(off=not self._item.off), words))

    def _copy(self) -> None:
        self.session.asked.emit("step.copy")

    def change(self, **changes: object) -> None:
        """Change the step; where it cannot be so, it is said."""
        if self._item.id not in self.session.trellis:  # undone while something was typed into it
            return
        try:
            edit = edits.SetItem(
                self._item.but(**changes), tr("Change a step: {title}", title=self._item.title)
            )
        except ValidationError as error:
            self.session.telling.trouble(edits.first_fault(error))
            return
        self.session.building.change_columns(edit, self._item.id)


def tell_columns(
    say: Sentence,
    name: str,
    columns: Sequence[str],
    table: Table | None,
    taken: Callable[[tuple[str, ...]], object],
    kinds: Sequence[Kind] = (),
    more: str = tr("+ column"),
) -> None:
    """Add columns to a sentence, each of which can be another or taken out, and one more.

    Parameters
    ----------
    say, name
        The sentence, and the beginning of the object names.
    columns : sequence of str
        Those chosen.
    table : Table or None
        What they are chosen from.
    taken : callable
        Takes the columns as they are to be.
    kinds : sequence of Kind
        Those that can be chosen; all where none is given.
    """
    fields = table.fields if table is not None else ()
    options = [(f.name, f.name, tr(f.kind)) for f in fields if not kinds or f.kind in kinds]

    def exchange(place: int, column: str) -> None:
        # A column that is chosen twice stands once, at its first place.
        taken(tuple(dict.fromkeys((*columns[:place], column, *columns[place + 1 :]))))

    def take_out(place: int) -> None:
        taken((*columns[:place], *columns[place + 1 :]))

    for place, column in enumerate(columns):
        say.choice(
            f"{name}.{place}",
            tr("The column"),
            options,
            current=column,
            chosen=partial(exchange, place),
            font=value_font(),
        )
        says = tr("Take {column} out", column=column)
        say.button("×", f"{name}.{place}.remove", says, partial(take_out, place))
    left = [option for option in options if option[0] not in columns]
    add = say.choice(
        f"{name}.add",
        tr("One more column"),
        left,
        current="",
        chosen=lambda column: taken((*columns, column)),
    )
    add.setText(more)
    add.setEnabled(bool(left))
