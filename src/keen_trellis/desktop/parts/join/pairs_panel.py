"""Pairs of a tie: those proposed, to say the same or not the same, and those kept with it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.base.language import tr
from keen_trellis.base.words import SPACES, counted
from keen_trellis.desktop.controls import OneLine, button, discard, label
from keen_trellis.desktop.theme import Theme, value_font
from keen_trellis.desktop.tips import as_it_is
from keen_trellis.document.items import SameValues

if TYPE_CHECKING:
    from keen_trellis.advice.pairs import ProposedPair

_SHOWN_AT_MOST = 40


class PairsPanel(QFrame):
    """Proposed pairs above, kept ones below.

    Signals
    -------
    same(pairs)
        Proposed pairs are taken.
    not_same(pair)
        One is refused.
    undone(place)
        A kept pair is taken back.
    look_asked, load_asked, save_asked
        Likely pairs are to be looked for; pairs come from a sheet, or go to one.
    """

    same = Signal(object)
    not_same = Signal(object)
    undone = Signal(int)
    look_asked = Signal()
    load_asked = Signal()
    save_asked = Signal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("pairs")
        self.setProperty("card", True)
        self.theme = theme
        self._rows = QVBoxLayout()
        self._rows.setContentsMargins(12, 10, 12, 8)
        self._rows.setSpacing(6)
        inner = QWidget()
        inner.setLayout(self._rows)
        scroll = QScrollArea()
        scroll.setAccessibleName(tr("Proposed pairs"))
        scroll.setWidget(inner)
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        self._all = button(tr("Take all safe pairs"), "pairs.all_safe", self._take_safe, "plain")
        self._look = button(tr("Look for pairs"), "pairs.look", self.look_asked.emit, "soft")
        load = button(tr("Load from a sheet …"), "pairs.load", self.load_asked.emit, "plain")
        self._save = button(tr("Save to a sheet …"), "pairs.save", self.save_asked.emit, "plain")
        below = QHBoxLayout()
        below.setContentsMargins(8, 0, 8, 6)
        for one in (self._look, self._all):
            below.addWidget(one)
        below.addStretch(1)
        below.addWidget(load)
        below.addWidget(self._save)
        column = QVBoxLayout(self)
        column.setContentsMargins(1, 1, 1, 1)
        column.addWidget(scroll, 1)
        column.addLayout(below)
        self._proposed: Sequence[ProposedPair] = ()
        self._made: dict[object, QWidget] = {}

    def show_pairs(
        self,
        proposed: Sequence[ProposedPair] | None,
        kept: Sequence[SameValues],
        inks: tuple[str, str],
        note: str = "",
    ) -> None:
        """Show pairs; None proposed are being looked for, or are too many to be looked for unasked.

        Parameters
        ----------
        inks : (str, str)
            The colours of both lanes.
        note : str
            What is said where there are no proposals to show.
        """
        self._proposed = proposed or ()
        before, self._made = self._made, {}
        for _ in range(self._rows.count()):  # what is shown again is put in again, not made anew
            self._rows.takeAt(0)
        self._put(
            before, "proposed", self._head, tr("Proposed pairs"), tr("they look like one thing")
        )
        of_kind = Counter(one.reason for one in self._proposed)
        reason = ""
        for number, one in enumerate(self._proposed[:_SHOWN_AT_MOST]):
            if one.reason != reason:
                reason = one.reason
                self._put(before, (reason, of_kind[reason]), self._kind, reason, of_kind[reason])
            row = self._put(before, (one, inks), self._proposal, one, inks)
            for name, made in zip(("same", "not"), row.findChildren(QPushButton), strict=True):
                made.setObjectName(f"pairs.{name}.{number}")
        more = len(self._proposed) - _SHOWN_AT_MOST
        if more > 0:
            note = tr("{pairs} when these are decided.", pairs=counted(more, "more pair"))
        if note or not self._proposed:
            self._put(before, tr("note {note}", note=note), self._note, note)
        self._put(
            before, "kept", self._head, tr("Kept with this tie"), tr("the sources stay as they are")
        )
        for number, pair in enumerate(kept):
            self._put(before, (number, pair, inks), self._kept, number, pair, inks)
        if not kept:
            self._put(before, "none", partial(label, tr("None yet."), soft=True))
        self._rows.addStretch(1)
        for gone in before.values():
            discard(gone)
        safe = sum(one.safe for one in self._proposed)
        self._all.setText(tr("Take all safe pairs ({safe})", safe=safe))
        self._all.setVisible(safe > 0)
        self._save.setEnabled(bool(kept))

    def offer_look(self, is_offered: bool) -> None:
        """Offer to look for likely pairs, where that takes a while."""
        self._look.setVisible(is_offered)

    def _put(
        self,
        before: dict[object, QWidget],
        key: object,
        make: Callable[..., QWidget],
        *arguments: object,
    ) -> QWidget:
        """Add what is shown at the end of the list: the one of before, where it is the same."""
        made = before.pop(key, None) or make(*arguments)
        self._made[key] = made
        self._rows.addWidget(made)
        return made

    def _note(self, note: str) -> QWidget:
        says = label(note or tr("No value looks like one of the other side."), soft=True)
        says.setObjectName("pairs.note")
        says.setWordWrap(True)
        return says

    def _kind(self, reason: str, pairs: int) -> QWidget:
        """Return the heading of the pairs of one reason, with the way to take all of them."""
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(2, 2, 0, 0)
        line.addWidget(label(f"{reason} · {counted(pairs, 'pair')}", soft=True))
        line.addStretch(1)
        if pairs > 1:
            take = partial(self._take_kind, reason)
            all_of = button(tr("Take all of this kind"), f"pairs.kind.{reason}", take, "plain")
            all_of.setAccessibleName(
                tr("Take all {pairs} pairs of this kind: {reason}", pairs=pairs, reason=reason)
            )
            line.addWidget(all_of)
        return row

    def _take_kind(self, reason: str) -> None:
        self.same.emit([one.pair for one in self._proposed if one.reason == reason])

    def _head(self, title: str, soft: str) -> QWidget:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 2, 0, 2)
        line.addWidget(label(title, strong=True))
        line.addWidget(label(soft, soft=True, small=True))
        line.addStretch(1)
        return row

    def _proposal(self, one: ProposedPair, inks: tuple[str, str]) -> QWidget:
        row = QFrame()
        row.setProperty("card", True)
        line = QHBoxLayout(row)
        line.setContentsMargins(8, 4, 8, 4)
        line.setSpacing(6)
        line.addWidget(self._chip(one.pair.left, inks[0]))
        line.addWidget(label(tr("is"), soft=True))
        line.addWidget(self._chip(one.pair.right, inks[1]))
        share = f" · {one.how_alike}" if one.how_alike else ""
        why = label(f"+{counted(one.rows, 'row')}{share}", soft=True)
        why.setToolTip(tr("It finds {rows} more.", rows=counted(one.rows, "row")))
        line.addWidget(why)
        line.addStretch(1)
        says = tr("“{left}” and “{right}”", left=one.pair.left, right=one.pair.right)
        for words, name, does, look in (
            (tr("Same"), "same", partial(self.same.emit, [one.pair]), "soft"),
            (tr("Not the same"), "not", partial(self.not_same.emit, one.pair), ""),
        ):
            made = button(words, f"pairs.{name}", does, look)
            made.setAccessibleName(f"{words}: {says}")
            line.addWidget(made)
        return row

    def _kept(self, number: int, pair: SameValues, inks: tuple[str, str]) -> QWidget:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(6)
        line.addWidget(self._chip(pair.left, inks[0]))
        line.addWidget(label(tr("is"), soft=True))
        line.addWidget(self._chip(pair.right, inks[1]))
        line.addStretch(1)
        undo = button(
            tr("Undo"), f"pairs.undo.{number}", partial(self.undone.emit, number), "plain"
        )
        undo.setAccessibleName(
            tr("No longer the same: “{left}” and “{right}”", left=pair.left, right=pair.right)
        )
        line.addWidget(undo)
        return row

    def _chip(self, text: str, ink: str) -> QLabel:
        made = OneLine()
        made.setText(_with_strays(text))
        made.setToolTip(as_it_is(text))
        made.setFont(value_font(13, bold=True))
        made.setMinimumWidth(30)
        made.setMaximumWidth(280)
        made.setStyleSheet(f"color: {ink};")
        return made

    def _take_safe(self) -> None:
        self.same.emit([one.pair for one in self._proposed if one.safe])


def _with_strays(text: str) -> str:
    """Return a value with the spaces at its ends drawn."""
    before = len(text) - len(text.lstrip(SPACES))
    after = len(text) - len(text.rstrip(SPACES)) if before < len(text) else 0
    return "␣" * before + text[before : len(text) - after] + "␣" * after
