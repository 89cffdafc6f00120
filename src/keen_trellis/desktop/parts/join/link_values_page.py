"""The Link values page of a tie: every value with its rows on both sides, and the pairs."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.advice.pairs import (
    ProposedPair,
    pairs_of_table,
    propose_pairs,
    table_of_pairs,
)
from keen_trellis.base.errors import UserError
from keen_trellis.base.language import grouped_digits, tr
from keen_trellis.base.progress import Report
from keen_trellis.base.words import counted, listed
from keen_trellis.compute.join_result import Tied
from keen_trellis.compute.link_values import LinkValues, link_values, shown
from keen_trellis.desktop.bench.grid import Grid
from keen_trellis.desktop.bench.look_line import LookLine
from keen_trellis.desktop.bench.page import Page
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.controls import Choice, Notice, label
from keen_trellis.desktop.parts.join.pairs_panel import PairsPanel
from keen_trellis.desktop.parts.join.row_bars import Bars
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import Theme
from keen_trellis.document import Lane, edits
from keen_trellis.document.items import Item, JoinItem, SameValues
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.link import Pair

_LOOKED_FOR_UNASKED = 2_000, 20_000
"""So many values without a partner, and so many to be theirs, are compared at once."""


class LinkValuesPage(Page):
    """Values on the left, pairs on the right."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__(session, theme, parent)
        self._item: JoinItem | None = None
        self._tie: Tied | None = None
        self._found: LinkValues | None = None
        self._proposed: list[ProposedPair] | None = None
        self._which = "all"
        self._origins = Origins({}, {})
        self._notice = Notice("values.trouble")
        self._show = Choice("values.show", tr("Which values are shown"))
        self._show.chosen.connect(self._choose)
        self._says = label(soft=True)
        self._says.setObjectName("values.says")
        self.grid = Grid(theme, "values.grid", self)
        self.grid.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.grid.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.grid.selectionModel().selectionChanged.connect(self._offer_pair)
        # Delegates are not owned by the grid: without a name here they would be gone.
        self._bars = {side: Bars(self.grid) for side in (0, 1)}
        self._hand = QPushButton()
        self._hand.setObjectName("values.same")
        self._hand.setProperty("soft", True)
        self._hand.clicked.connect(self._pair_by_hand)
        self.pairs = PairsPanel(theme)
        self._body = QFrame()
        self._lay_out()
        self.pairs.same.connect(self._take)
        self.pairs.not_same.connect(self._refuse)
        self.pairs.undone.connect(self._undo)
        self.pairs.look_asked.connect(self._look_for_pairs)
        self.pairs.load_asked.connect(self._load)
        self.pairs.save_asked.connect(self._save)

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(label(tr("Show")))
        head.addWidget(self._show)
        head.addStretch(1)
        head.addWidget(LookLine(self.grid, self))
        values = QVBoxLayout()
        values.setSpacing(6)
        values.addLayout(head)
        values.addWidget(self.grid, 1)
        below = QHBoxLayout()
        below.addWidget(self._hand)
        below.addWidget(self._says, 1)
        values.addLayout(below)
        row = QHBoxLayout(self._body)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(14)
        row.addLayout(values, 11)
        row.addWidget(self.pairs, 10)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 8, 20, 10)
        column.addWidget(self._notice)
        column.addWidget(self._body, 1)
        column.addStretch(0)

    def set_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        super().set_theme(theme)
        self.grid.set_theme(theme)
        # Its rows are made anew by `_show_found`, in these colours.
        self.pairs.theme = theme
        self._show_found()

    def show_part(self, lane: Lane, item: Item | None, origins: Origins) -> None:
        """Show the values of a tie's link."""
        assert isinstance(item, JoinItem)
        result = self.session.results.ties.get(item.id)
        is_other = self._item is None or self._item.id != item.id
        self._item, self._origins = item, origins
        if is_other:
            self._which = "all"
        trouble = str(result) if isinstance(result, UserError) else ""
        self.tell_trouble(self._notice, result)
        self._body.setVisible(not trouble)
        if not isinstance(result, Tied):
            self._tie = self._found = None
        elif self._tie is None or is_other or self._tie.match is not result.match:
            # Values are counted once for a match; which bays are kept changes nothing of them.
            self._tie, self._found, self._proposed = result, None, None
            self._count(result)
        self._tie = result if isinstance(result, Tied) else None
        self._show_found()

    def _count(self, tie: Tied) -> None:
        def done(found: LinkValues) -> None:
            if self._tie is not None and self._tie.match is tie.match:
                self._found = found
                self._show_found()
                left, right = found.found_in(Bay.LEFT), found.right_rows > 0
                most = _LOOKED_FOR_UNASKED
                # Every value is compared with every other: what takes long is asked for first.
                if np.count_nonzero(left) <= most[0] and np.count_nonzero(right) <= most[1]:
                    self._look_for_pairs()

        self.session.work.find_out(lambda report: link_values(tie, report), done, "")

    def _look_for_pairs(self) -> None:
        tie = self._tie
        if tie is None:
            return

        def done(found: list[ProposedPair]) -> None:
            if self._tie is not None and self._tie.match is tie.match:
                self._proposed = found
                self._show_pairs()

        # Before the work begins: a second click would look for the same.
        self.pairs.offer_look(False)
        self.session.work.find_out(
            lambda report: propose_pairs(tie, report),
            done,
            tr("Stopped: no pairs were looked for."),
        )

    def _show_found(self) -> None:
        found, tie = self._found, self._tie
        if found is None or tie is None or self._item is None:
            self._show.offer([("all", tr("all values"), "")], "all")
            self._says.setText(tr("Being worked out …") if tie else "")
            self.pairs.show_pairs(None, (), self._inks(), tr("Being worked out …"))
            return
        masks = _masks(found)
        words = _words(tie.names)
        options = [
            (name, words[name], grouped_digits(int(np.count_nonzero(mask))))
            for name, mask in masks.items()
        ]
        self._show.offer(options, self._which)
        self._show.setText(
            f"{words[self._which]}  {grouped_digits(int(np.count_nonzero(masks[self._which])))}"
        )
        table = shown(found, tie.names, masks[self._which])
        first = len(found.fields)
        # One measure for both columns, so that bars beside each other can be compared.
        longest = int(max(found.left_rows.max(initial=1), found.right_rows.max(initial=1)))
        for bars, lane in zip(self._bars.values(), (self._lane_id(), self._item.lane), strict=True):
            bars.longest, bars.colour = longest, self._origins.colours[lane].fill
        before = self.grid.whole.columns
        self.grid.show_table(table, self._origins, set(found.values.columns))
        for column in range(len(table.columns)):
            bars_of = self._bars.get(column - first)
            self.grid.setItemDelegateForColumn(
                column, bars_of if bars_of is not None else self.grid.itemDelegate()
            )
            # Only for other columns: a width that somebody has set stays.
            if bars_of is not None and before != table.columns:
                self.grid.setColumnWidth(column, 138)
        self._offer_pair()
        self._show_pairs()

    def _show_pairs(self) -> None:
        assert self._item is not None
        refused = {_pair(one) for one in self._item.not_same}
        taken = {_pair(one) for one in self._item.pairs}
        proposed = self._proposed
        if proposed is not None:
            # Left out here and not where they are proposed: a click is answered without looking
            # again.
            proposed = [one for one in proposed if one.pair not in refused | taken]
        texts = self._tie is not None and bool(self._tie.link.fields)
        note = ""
        if proposed is None:
            note = (
                tr("Looking for values that look alike …")
                if self.session.work.looks.busy
                else tr("There are many values here: looking takes a while.")
            )
        self.pairs.offer_look(proposed is None and texts and not self.session.work.looks.busy)
        self.pairs.show_pairs(proposed, self._item.pairs, self._inks(), note)

    def _lane_id(self) -> str:
        assert self._item is not None
        return self.session.trellis.place_of(self._item.id)[0].id

    def _inks(self) -> tuple[str, str]:
        if self._item is None or not self._origins.colours:
            return self.theme.ink, self.theme.ink
        colours = self._origins.colours
        return colours[self._lane_id()].ink, colours[self._item.lane].ink

    def _choose(self, which: str) -> None:
        self._which = which
        self._show_found()

    def _selected(self) -> list[Pair]:
        """Return the pairs that the two selected values make: one for each field that differs."""
        rows = sorted({index.row() for index in self.grid.selectionModel().selectedRows()})
        if self._found is None or len(rows) != 2:
            return []
        # From what is selected in the grid (which may be sorted or searched) to the row of the
        # shown table, to the place among all values.
        which = np.flatnonzero(_masks(self._found)[self._which])
        places = [int(which[self.grid.row_of(row)]) for row in rows]
        left_only = self._found.found_in(Bay.LEFT)
        # The value of the left side first: that is how a pair is written.
        places.sort(key=lambda place: not left_only[place])
        texts = [
            [self._found.values.take(np.array([at])).column(name).text(0) for at in places]
            for name in self._found.values.columns
        ]
        made = [
            Pair(a, b, self._place_of(number))
            for number, (a, b) in enumerate(texts)
            # A field that is the same in both values needs no pair, and one without a value can
            # have none.
            if a != b and a and b
        ]
        return [] if self._found.blank[places].any() else made

    def _place_of(self, number: int) -> int:
        assert self._found is not None and self._tie is not None
        return self._tie.link.fields.index(self._found.fields[number])

    def _offer_pair(self) -> None:
        pairs = self._selected()
        self._hand.setVisible(bool(pairs))
        words = listed(
            [tr("“{left}” is “{right}”", left=one.left, right=one.right) for one in pairs]
        )
        self._hand.setText(tr("The same: {words}", words=words))
        self._hand.setAccessibleName(self._hand.text())
        asks = tr(
            "Select two values to declare them the same (Ctrl and a click, or Shift and arrows)."
        )
        many = self._found is not None and not self._found.fields
        no_values = tr("No field is compared by equals, so there are no values to list.")
        self._says.setText("" if pairs else no_values if many else asks)

    def _pair_by_hand(self) -> None:
        self._take(self._selected())

    def _take(self, pairs: Sequence[Pair]) -> None:
        assert self._item is not None
        kept = {_pair(one) for one in self._item.pairs}
        new = [SameValues(**_parts(one)) for one in dict.fromkeys(pairs) if one not in kept]
        # A pair that is taken is not refused any more.
        refused = tuple(one for one in self._item.not_same if _pair(one) not in pairs)
        if new:
            words = tr("Take pairs") if len(new) > 1 else tr("Take a pair")
            self.session.do(
                edits.SetPairs(self._item.id, (*self._item.pairs, *new), refused, words)
            )

    def _refuse(self, pair: Pair) -> None:
        assert self._item is not None
        refused = (*self._item.not_same, SameValues(**_parts(pair)))
        self.session.do(
            edits.SetPairs(self._item.id, self._item.pairs, refused, tr("Not the same"))
        )

    def _undo(self, place: int) -> None:
        assert self._item is not None
        pairs = self._item.pairs[:place] + self._item.pairs[place + 1 :]
        self.session.do(
            edits.SetPairs(self._item.id, pairs, self._item.not_same, tr("Take a pair back"))
        )

    def _load(self) -> None:
        assert self._item is not None
        path, _ = QFileDialog.getOpenFileName(
            self, tr("Load pairs from a sheet"), str(self._folder())
        )
        # Asked for now: the worker must not look at a document that goes on being edited.
        link = self._item.match_link()
        if not path:
            return

        def load(report: Report) -> tuple[Pair, ...]:
            from keen_trellis.read import read

            return pairs_of_table(read(path, report=report), link, Path(path).name)

        self.session.work.find_out(load, self._take_loaded, tr("Stopped: no pairs were loaded."))

    def _take_loaded(self, pairs: tuple[Pair, ...]) -> None:
        assert self._item is not None
        kept = {_pair(one) for one in self._item.pairs}
        new = len(set(pairs) - kept)
        self._take(pairs)
        self.session.telling.say(
            tr("{new:,} of {pairs:,} pairs are new.", new=new, pairs=len(pairs))
        )

    def _save(self) -> None:
        assert self._item is not None and self._tie is not None
        start = str(self._folder() / tr("{names_1} pairs.csv", names_1=self._tie.names[0]))
        path, _ = QFileDialog.getSaveFileName(self, tr("Save the pairs to a sheet"), start)
        if not path:
            return
        table = table_of_pairs(self._item.match_link(), self._tie.names)
        trellis = self.session.trellis

        def save(report: Report) -> Any:
            from keen_trellis.deliver import deliver

            trellis.refuse_to_write(Path(path), tr("The list of pairs"))
            deliver(table, path, sheet=tr("Pairs"), report=report)

        said = tr(
            "{pairs} written to {name}.", pairs=counted(len(table), "pair"), name=Path(path).name
        )
        self.session.work.find_out(
            save,
            lambda _: self.session.telling.say(said),
            tr("Stopped: nothing was written."),
        )

    def _folder(self) -> Path:
        return self.session.path.parent if self.session.path else Path.cwd()


def _masks(found: LinkValues) -> dict[str, NDArray[np.bool_]]:
    """Return which values can be shown, by what one may want to see."""
    left, both, right = (found.found_in(bay) for bay in Bay)
    made = {"all": np.ones(len(found), bool), "one": left | right}
    made |= {"left": left, "both": both, "right": right, "repeats": found.repeated}
    made["repeats left"] = (found.left_rows > 1) & ~found.blank
    made["repeats right"] = (found.right_rows > 1) & ~found.blank
    return made | {"blank": found.blank}


def _words(names: tuple[str, str]) -> dict[str, str]:
    return {
        "all": tr("all values"),
        "one": tr("values only on one side"),
        "left": tr("only in {names_1}", names_1=names[0]),
        "both": tr("in both"),
        "right": tr("only in {names_2}", names_2=names[1]),
        "repeats": tr("repeats on both sides"),
        "repeats left": tr("repeats in {names_1}", names_1=names[0]),
        "repeats right": tr("repeats in {names_2}", names_2=names[1]),
        "blank": tr("rows with a blank"),
    }


def _pair(one: SameValues) -> Pair:
    return Pair(one.left, one.right, one.field)


def _parts(pair: Pair) -> dict[str, Any]:
    return {"left": pair.left, "right": pair.right, "field": pair.field}
