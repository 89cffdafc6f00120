"""The Match page: a tie as a sentence with choices, its three bays, and what comes out."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QMenu, QVBoxLayout, QWidget

from keen_trellis.compute.outcome import outcome_fields
from keen_trellis.compute.tied import Tied
from keen_trellis.data import Field, Table
from keen_trellis.desktop.bench.grid import Origins
from keen_trellis.desktop.bench.page import Page
from keen_trellis.desktop.bench.rows_card import RowsCard
from keen_trellis.desktop.controls import Choice, Flow, Notice, Switch, button, label
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import LaneColours, Theme, readable, value_font
from keen_trellis.document.edits import RemoveLinkField, SetBay, SetKeep, SetLink, TakeLink
from keen_trellis.document.items import Item, JoinItem, LinkedFields
from keen_trellis.document.trellis import Lane
from keen_trellis.errors import TooManyRowsError, UserError
from keen_trellis.plan.bays import Bay, Keep
from keen_trellis.plan.link import Link
from keen_trellis.plan.operators import NEAREST, OPERATOR_WORDS, Operator
from keen_trellis.plan.outcome import ALL_COLUMNS
from keen_trellis.plan.sentences import cardinality_words, join_title, outcome_sentences
from keen_trellis.plan.text_rules import TEXT_RULES, TextRule
from keen_trellis.words import counted, listed

_PARTNERS = {
    "every": "every match",
    "first": "the first match",
    "last": "the last match",
    "only": "the match if it is the only one",
}
_Options = tuple[tuple[str, str], ...]
_BLANKS = {"never": "never match", "match": "match blanks"}
_TEXT_CHOICES: tuple[tuple[str, tuple[TextRule, ...]], ...] = (
    ("exactly", ()),
    ("ignoring outer spaces", ("outer spaces",)),
    ("ignoring case", ("case",)),
    ("ignoring case and spaces", TEXT_RULES[:3]),
    ("ignoring all but the letters", TEXT_RULES),
)


class BayCard(RowsCard):
    """One bay: its name and rows, Keep or Leave, and the rows themselves."""

    lane_asked = Signal()

    def __init__(self, bay: Bay, theme: Theme) -> None:
        none = "No rows here." if bay is Bay.BOTH else "Every row has a match."
        super().__init__(f"bay.{bay}", theme, none)
        self.bay = bay
        more = button("⋯", f"bay.{bay}.more", self._offer, "plain")
        more.setAccessibleName("What can be done with the rows of this bay")
        more.setToolTip(more.accessibleName())
        self.switch = Switch(f"bay.{bay}.switch", ("Keep", "Leave"), "This bay")
        self.head_row.addWidget(more)
        self.head_row.addWidget(self.switch)
        self._of: tuple[Tied, set[str]] | None = None
        self._table: Table | None = None

    def _offer(self) -> None:
        menu = QMenu(self)
        menu.setObjectName(f"bay.{self.bay}.menu")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        own = menu.addAction("Begin a lane with these rows", self.lane_asked.emit)
        own.setObjectName(f"bay.{self.bay}.lane")
        below = self.switch.mapToGlobal(self.switch.rect().bottomLeft())
        menu.popup(below)

    def show_bay(self, tie: Tied, fields: set[str], right: str, origins: Origins) -> None:
        """Show the rows of the bay; the same rows as before stay where they were scrolled to.

        Raises
        ------
        TooManyRowsError
            There are more pairs of partners than can be shown.
        """
        shown, linked = self._of or (None, None)
        is_other = shown is None or any(
            a is not b
            for a, b in ((shown.match, tie.match), (shown.left, tie.left), (shown.right, tie.right))
        )
        if self._table is None or is_other or linked != fields:
            self._table = _link_first(tie.bay(self.bay), fields, right)
            self._of = tie, fields
        self.show_rows(self._table, origins, fields)

    def show_head(self, name: str, rows: int, kept: bool, colours: LaneColours) -> None:
        """Show what the bay is called, how many rows it has, and whether they are kept."""
        super().show_head(name, rows, kept, colours)
        theme = self.theme
        self.switch.set_chosen(0 if kept else 1)
        on_fill = theme.surface if theme.name == "light" else theme.ground
        strong = colours.ink if kept else theme.ink_soft
        self.switch.paint_with(theme.surface, theme.line, strong, on_fill, theme.ink_soft)


class MatchPage(Page):
    """What belongs together, which rows found a partner, and the fate of those that did not."""

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__(session, theme)
        self._sentence = Flow()
        self._sentence_key: object = None
        self._notice = Notice("match.trouble")
        self._bays = {bay: BayCard(bay, theme) for bay in Bay}
        self._bay_row = QWidget()
        self._said = _SaidBar(self._choose_join_type, theme)
        self._lay_out()
        for bay, panel in self._bays.items():
            panel.switch.chosen.connect(lambda number, b=bay: self._switch_bay(b, number == 0))
            panel.lane_asked.connect(lambda b=bay: self.session.begin_with_bay(b))

    def _lay_out(self) -> None:
        bays = QHBoxLayout(self._bay_row)
        bays.setContentsMargins(0, 0, 0, 0)
        bays.setSpacing(12)
        for bay, share in ((Bay.LEFT, 35), (Bay.BOTH, 53), (Bay.RIGHT, 34)):
            bays.addWidget(self._bays[bay], share)
        sentence = QWidget()
        sentence.setLayout(self._sentence)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 8, 20, 8)
        column.setSpacing(9)
        column.addWidget(sentence)
        column.addWidget(self._notice)
        column.addWidget(self._bay_row, 1)
        column.addWidget(self._said)
        self._spare = QWidget()  # below a notice, where there are no bays
        column.addWidget(self._spare, 1)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        super().set_theme(theme)
        self._said.theme = theme
        self._sentence_key = None
        for panel in self._bays.values():
            panel.set_theme(theme)

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show a tie as the latest results have it."""
        assert isinstance(item, JoinItem)
        result = self.session.results.ties.get(item.id)
        self._show_sentence(lane, item, origins)
        trouble = str(result) if isinstance(result, UserError) else ""
        self._notice.tell(trouble)
        is_there = isinstance(result, Tied)
        self._bay_row.setVisible(is_there)
        self._said.setVisible(is_there)
        self._spare.setVisible(not is_there)
        if isinstance(result, Tied):
            self._show_bays(item, result, origins)
            # said of the tie that was worked out: the one in the sentence may be newer
            keep, columns = result.keep, result.columns
            words = outcome_sentences(result.counts, keep, *result.names, columns)
            tip = cardinality_words(result.counts, *result.names)
            self._said.say(f"{join_title(keep, columns, result.link.cross)}.", words, tip)
            self._said.types = (result, item.keep)

    def _show_bays(self, item: JoinItem, tie: Tied, origins: Origins) -> None:
        left, right = tie.names
        lane_ids = self.session.trellis.place_of(item.id)[0].id, item.lane
        tint = origins.colours[lane_ids[0]].tint
        ink = readable(self.theme.both_fill, tint, self.theme.ink)
        both = LaneColours(self.theme.both_fill, ink, tint)
        left_fields = {field.left for field in tie.link.fields}
        right_fields = {field.right for field in tie.link.fields}
        shown = [f.name for f in outcome_fields(tie.left, tie.right, Link(), right, ALL_COLUMNS)]
        shift = len(tie.left.fields)
        moved = {
            shown[shift + place]
            for place, field in enumerate(tie.right.fields)
            if field.name in right_fields
        }
        for bay, name, colours, fields in (
            (Bay.LEFT, f"Only in {left}", origins.colours[lane_ids[0]], left_fields),
            (Bay.BOTH, "In both", both, left_fields | moved),
            (Bay.RIGHT, f"Only in {right}", origins.colours[lane_ids[1]], right_fields),
        ):
            panel, rows = self._bays[bay], tie.counts.bay(bay)
            panel.show_head(name, rows, bay in item.keep, colours)
            try:
                panel.show_bay(tie, fields, lane_ids[1], origins)
            except TooManyRowsError as error:
                panel.show_sentence(str(error))

    # the sentence

    def _show_sentence(self, lane: Lane, item: JoinItem, origins: Origins) -> None:
        other = self.session.trellis.lane(item.lane)
        left_options, right_options = self._field_options(item)
        key = (item, lane.name, other.name, left_options, right_options)
        if key == self._sentence_key:
            return
        self._sentence_key = key
        focused = self.focusWidget()
        name = focused.objectName() if focused else ""
        self._sentence.clear()
        own, its = origins.colours[lane.id], origins.colours[other.id]
        if item.cross:
            self._word("Every row of")
            self._word(lane.name, own.ink)
            self._word("stands beside every row of")
            self._word(other.name, its.ink)
            return
        first, second = (lane.name, own.ink), (other.name, its.ink)
        if item.partner_for == "right":
            first, second = second, first
        self._word("For each")
        self._word(*first)
        self._word("row, take")
        self._option("link.partner", "Which match", _PARTNERS, item.partner, item, "partner")
        self._word("in")
        self._word(*second)
        self._word("where")
        for place, field in enumerate(item.link):
            if place:
                self._word("and")
            self._field_choice(item, place, "left", field.left, left_options, own)
            self._operator_choice(item, place, field.operator)
            self._field_choice(item, place, "right", field.right, right_options, its)
            if len(item.link) > 1:
                self._add_button("×", f"link.{place}.remove", "Take this pair of fields out", place)
        look, text = ("soft", "+ field") if item.link else ("main", "choose fields")
        add = button(text, "link.add", lambda: self._add_field(item), look)
        if not left_options or not right_options:
            missing = other.name if left_options else lane.name
            add.setEnabled(False)
            add.setToolTip(f"The columns of {missing} are not known: see to what is before.")
        self._sentence.addWidget(add)
        self._word("Text compares")
        self._text_choice(item)
        self._word("· blanks")
        self._option("link.blanks", "Blanks", _BLANKS, item.blanks, item, "blanks")
        if item.pairs:
            self._word(f"· {counted(len(item.pairs), 'pair')} of values the same")
        if name and (again := self.findChild(QWidget, name)):
            again.setFocus()

    def _field_options(self, item: JoinItem) -> tuple[_Options, _Options]:
        """Return the columns on either side with their kinds, as far as they are known."""
        trellis, rows = self.session.trellis, self.session.results.rows
        sides = (trellis.before(item.id), *map(trellis.taken_after, item.takes()))
        left, right = (_options(rows.get(side)) for side in sides)
        return left, right

    def _word(self, text: str, colour: str = "") -> None:
        word = QLabel(text)
        word.setTextFormat(Qt.TextFormat.PlainText)
        if colour:
            word.setStyleSheet(f"color: {colour}; font-weight: 600;")
        self._sentence.addWidget(word)

    def _add_button(self, text: str, name: str, says: str, place: int) -> None:
        made = button(text, name, lambda: self._remove_field(place), "plain")
        made.setToolTip(says)
        made.setAccessibleName(says)
        self._sentence.addWidget(made)

    def _field_choice(
        self,
        item: JoinItem,
        place: int,
        side: str,
        current: str,
        options: tuple[tuple[str, str], ...],
        colours: LaneColours,
    ) -> None:
        says = f"The {side} link field"
        choice = Choice(f"link.{place}.{side}", says, value_font(), colours.ink)
        choice.offer([(name, name, kind) for name, kind in options], current)
        choice.chosen.connect(lambda name: self._set_field(item, place, side, name))
        self._sentence.addWidget(choice)

    def _option(
        self, name: str, says: str, words: dict[str, str], current: str, item: JoinItem, part: str
    ) -> None:
        """Add a word that stands for one setting of the link."""
        choice = Choice(name, says)
        choice.offer([(value, text, "") for value, text in words.items()], current)
        choice.chosen.connect(lambda value: self._change_link(item, **{part: value}))
        self._sentence.addWidget(choice)

    def _operator_choice(self, item: JoinItem, place: int, current: Operator) -> None:
        choice = Choice(f"link.{place}.operator", "How the fields are compared")
        choice.offer([(op, words, op) for op, words in OPERATOR_WORDS.items()], current)
        choice.chosen.connect(lambda value: self._set_field(item, place, "operator", value))
        self._sentence.addWidget(choice)

    def _text_choice(self, item: JoinItem) -> None:
        """Add the word that says what is ignored when texts are compared."""
        rules = dict(_TEXT_CHOICES)
        current = next((w for w, chosen in rules.items() if chosen == item.text), None)
        if current is None:
            current = f"ignoring {listed(item.text)}"
            rules[current] = item.text
        choice = Choice("link.text", "How text compares")
        choice.offer([(words, words, "") for words in rules], current)
        choice.chosen.connect(lambda words: self._change_link(item, text=rules[words]))
        self._sentence.addWidget(choice)

    def _change_link(self, item: JoinItem, **changes: Any) -> None:
        self.session.do(TakeLink(item.id, replace(item.match_link(), **changes)))

    def _current(self) -> JoinItem | None:
        item = self.session.selected_item
        return item if isinstance(item, JoinItem) else None

    def _set_field(self, item: JoinItem, place: int, side: str, name: str) -> None:
        link = list(item.link)
        settings = {**dict(link[place]), side: name}
        if side == "operator" and name not in NEAREST:  # these say nothing of other comparisons
            settings |= {"strict": False, "within": None}
        link[place] = LinkedFields(**settings)
        self.session.do(SetLink(item.id, tuple(link)))

    def _add_field(self, item: JoinItem) -> None:
        """Add the first pair of like-named fields that is not linked yet, else of one kind."""
        left, right = self._field_options(item)
        if not left or not right:
            return
        used = {(f.left, f.right) for f in item.link}
        pairs = [
            (a, b, (a != b, ka != kb)) for a, ka in left for b, kb in right if (a, b) not in used
        ]
        a, b, _ = min(pairs, key=lambda pair: pair[2])
        link = (*item.link, LinkedFields(left=a, right=b))
        self.session.do(SetLink(item.id, link))

    def _remove_field(self, place: int) -> None:
        item = self._current()
        if item is not None:
            self.session.do(RemoveLinkField(item.id, place))

    # the bays

    def _switch_bay(self, bay: Bay, kept: bool) -> None:
        item = self._current()
        if item is not None and not self.session.do(SetBay(item.id, bay, kept)):
            self._bays[bay].switch.set_chosen(0 if bay in item.keep else 1)

    def _choose_join_type(self, keep: Keep) -> None:
        item = self._current()
        if item is not None:
            self.session.do(SetKeep(item.id, keep))


class _SaidBar(QFrame):
    """What comes out, in words, and the way to what the other join types would give."""

    def __init__(self, choose: Callable[[Keep], object], theme: Theme) -> None:
        super().__init__()
        self.setProperty("said", True)
        self.setObjectName("match.said")
        self.theme = theme
        self._choose = choose
        self.types: tuple[Tied, Keep] | None = None
        self._title, self._words = label(strong=True), label()
        self._words.setObjectName("match.said.words")
        self._title.setObjectName("match.said.title")
        self._words.setWordWrap(True)
        self._ask = button(
            "What would other join types give?", "match.join_types", self.show_types, "plain"
        )
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 4, 6, 4)
        row.addWidget(self._title)
        row.addWidget(self._words, 1)
        row.addWidget(self._ask)
        self._popover: QFrame | None = None

    def say(self, title: str, words: str, tip: str) -> None:
        self._title.setText(title)
        self._words.setText(words)
        self.setToolTip(tip)

    def show_types(self) -> None:
        """Open a small table of all join types with their rows and gaps."""
        if self.types is None:
            return
        tie, keep = self.types
        popover = QFrame(self.window(), Qt.WindowType.Popup)
        popover.setObjectName("popover")
        popover.setAccessibleName("What every join type would give")
        popover.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        grid = QGridLayout(popover)
        grid.setContentsMargins(14, 12, 14, 12)
        grid.setHorizontalSpacing(22)
        grid.setVerticalSpacing(3)
        left, right = tie.names

        def pick(keep: Keep) -> None:
            popover.close()
            self._choose(keep)

        heads = ("join type", "rows", f"gaps in {left}", f"gaps in {right}", "multiplied")
        for column, head in enumerate(heads):
            side = Qt.AlignmentFlag.AlignRight if column else Qt.AlignmentFlag.AlignLeft
            grid.addWidget(label(head, soft=True, small=True), 0, column, side)
        kinds = [kind for kind in tie.join_types() if not kind.semi]  # those are about columns
        for row, kind in enumerate(kinds, start=1):
            chosen = button(
                kind.name, f"join_type.{'-'.join(kind.keep)}", partial(pick, kind.keep), "plain"
            )
            if kind.keep == keep:
                chosen.setText(f"{kind.name}  · now")
            grid.addWidget(chosen, row, 0, Qt.AlignmentFlag.AlignLeft)
            numbers = (kind.rows, kind.left_gaps, kind.right_gaps, kind.multiplied)
            for column, number in enumerate(numbers, start=1):
                shown = label(f"{number:,}" if number else "–", soft=not number)
                grid.addWidget(shown, row, column, Qt.AlignmentFlag.AlignRight)

        popover.adjustSize()
        corner = self._ask.mapToGlobal(self._ask.rect().topRight())
        popover.move(corner.x() - popover.width(), corner.y() - popover.height() - 6)
        popover.show()
        self._popover = popover


def _link_first(table: Table, fields: set[str], right_origin: str) -> Table:
    """Return the table with what shows the match in front: a bay is narrow.

    First come the first column and the link fields of the left side, then the right side, its
    link fields first, then the rest of the left side.
    """
    left = [field for field in table.fields if field.origin != right_origin]
    right = [field for field in table.fields if field.origin == right_origin]
    wanted = (*left[:1], *_linked(left, fields), *_linked(right, fields), *right, *left)
    ordered = {field.name: field for field in wanted}
    return Table(tuple(ordered.values()), table.strands, table.n_rows)


def _linked(fields: list[Field], names: set[str]) -> list[Field]:
    return [field for field in fields if field.name in names]


def _options(table: Table | UserError | None) -> _Options:
    if not isinstance(table, Table):
        return ()
    return tuple((field.name, str(field.kind)) for field in table.fields)
