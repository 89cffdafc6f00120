"""What stands out at the selected tie, and what the selected step does, found out aside."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, cast

from PySide6.QtCore import QObject, QTimer, Signal

from keen_trellis.base.errors import KindsDifferError, UserError
from keen_trellis.base.progress import Cancelled, Report
from keen_trellis.desktop.jobs import Job
from keen_trellis.desktop.session.open_document import OpenDocument
from keen_trellis.desktop.session.telling import Telling
from keen_trellis.desktop.session.work import Work
from keen_trellis.document import edits
from keen_trellis.document.items import Item, JoinItem, StepItem
from keen_trellis.plan.text_rules import TEXT_CHOICES, TextRule
from keen_trellis.run import Results

if TYPE_CHECKING:
    from keen_trellis.advice.field_shares import Shares
    from keen_trellis.advice.findings import Finding
    from keen_trellis.compute.join_result import Tied


Gains = dict[tuple[TextRule, ...], int]
Look = Callable[[Report], list[Any]]

_AFTER_MS = 60
"""How long a look waits for the window to be drawn: both want Python's lock."""


class Looking(QObject):
    """Looks at what is selected, once for each result, in the lane of looks.

    Signals
    -------
    noticed
        What stands out at the selected tie, or what the selected step does, is known.
    """

    noticed = Signal()

    def __init__(self, document: OpenDocument, work: Work, telling: Telling) -> None:
        super().__init__()
        self._document, self._work, self._telling = document, work, telling
        # By the part that is looked at: what it was found for, and what was found; None while it
        # is looked for. Another object at the same part is another question.
        self._known: dict[str, tuple[object, list[Any] | None]] = {}
        self._gains: dict[str, tuple[object, Gains]] = {}
        self._shares: tuple[object, Shares] = (None, {})
        self.untold: frozenset[str] = frozenset()  # topics that nobody here wants to hear of
        self._job: Job | None = None
        self._due = QTimer(self, singleShot=True, interval=_AFTER_MS)
        self._due.timeout.connect(self._begin)
        self._waiting: tuple[str, object, Look] | None = None
        work.counts(is_due=self._due.isActive)
        work.begins.connect(self._give_way)
        work.ran.connect(self.renew)
        document.selected.connect(self.renew)

    def stop(self) -> None:
        """Begin no look that is due; it can be asked for again."""
        self._due.stop()
        if self._waiting is not None:
            place, result, _ = self._waiting
            self._waiting = None
            self._unknown(place, result)

    def forget(self) -> None:
        """Forget all that is known; another trellis is taken up."""
        self._known, self._gains, self._shares = {}, {}, (None, {})

    def _give_way(self) -> None:
        """Let go of a look that runs the trellis of before, which a run would wait for."""
        if isinstance(self._document.selected_item, StepItem):
            self.stop()
            if self._job is not None:
                self._job.stop()

    def renew(self) -> None:
        """Find out what stands out at the selected tie or step, unless that is known already."""
        item = self._document.selected_item
        # what stands out in the first rows alone is not told: there may be a thousand million
        is_whole = self._work.rows_at_most is None
        result = self._looked_at(item) if is_whole else None
        known = self._known.get(item.id) if item else None
        work = None
        if item is not None and result is not None and not (known and known[0] is result):
            work = self._looking(item.id, result)
        if work is None or item is None:
            self.noticed.emit()
            return
        self.stop()
        if self._job is not None:
            self._job.stop()
        self._known[item.id] = (result, None)
        self._waiting = item.id, result, work
        self._due.start()
        self.noticed.emit()

    def _begin(self) -> None:
        if self._waiting is None:
            return
        place, result, work = self._waiting
        self._waiting = None

        def done(found: list[Any]) -> None:
            self._work.rest()
            # Another result may have come meanwhile, and with it a look of its own.
            if self._known.get(place, (None,))[0] is result:
                self._known[place] = (result, found)
                self.noticed.emit()

        def failed(error: Exception) -> None:
            self._work.rest()
            self._unknown(place, result)
            if not isinstance(error, Cancelled | UserError):
                self._telling.crashed.emit(error)

        self._job = self._work.looks.start(work, done, failed, self._work.working.emit)

    def _unknown(self, place: str, result: object) -> None:
        """Let something that was not looked at to the end be looked at again."""
        if self._known.get(place) == (result, None):
            del self._known[place]

    @property
    def effects(self) -> list[str]:
        """What the selected step does at the ties behind it, as far as it is known."""
        item = self._document.selected_item
        result, found = self._known.get(item.id, (None, None)) if item else (None, None)
        return found or [] if isinstance(item, StepItem) and result is self._work.results else []

    @property
    def findings(self) -> list[Finding]:
        """What stands out at the selected tie, as far as it is known of the tie as it is now."""
        item = self._document.selected_item
        if not isinstance(item, JoinItem):
            return []
        result, found = self._known.get(item.id, (None, None))
        # What was found is of the tie as it ran. Settings that change which rows match, or which
        # go on, make it untrue at once, long before the next run has ended.
        is_now = result is not None and result is self._work.results.ties.get(item.id)
        then = self._work.results.trellis.join(item.id) if is_now else None
        if then is None or then.match_link() != item.match_link() or then.keep != item.keep:
            return []
        refused = {(pair.left, pair.right, pair.field) for pair in item.not_same}
        untold = self.untold | set(item.ignored)
        told = (one for one in found or [] if one.topic not in untold)
        return [one for one in told if not _declares(one, item) & refused]

    def find_shares(self) -> None:
        """Find out how much each other field of the selected join would find."""
        item = self._document.selected_item
        tied = self._work.results.ties.get(item.id) if item else None
        match = getattr(tied, "match", None)
        if item is None or match is None or self._shares[0] is match:
            return
        # Noted before it is known, so that it is asked for once however often a page is drawn.
        self._shares = (match, {})

        def work(report: Report) -> Shares:
            from keen_trellis.advice.field_shares import field_shares

            return field_shares(cast("Tied", tied), report)

        def done(found: Shares) -> None:
            if self._shares[0] is match:
                self._shares = (match, found)
                self.noticed.emit()

        self._work.find_out(work, done, "", given_up=self._forget_shares)

    def _forget_shares(self) -> None:
        self._shares = (None, {})

    def share(self, place: int, side: str, column: str) -> float | None:
        """Return the share of left rows that a link field would find with another column."""
        item = self._document.selected_item
        tied = self._work.results.ties.get(item.id) if item else None
        if self._shares[0] is None or self._shares[0] is not getattr(tied, "match", None):
            return None  # those known are of another link
        return self._shares[1].get((place, side, column))

    @property
    def text_gains(self) -> Gains:
        """How many more rows each choice of text rules would find at the selected join."""
        item = self._document.selected_item
        result, gains = self._gains.get(item.id, (None, {})) if item else (None, {})
        tied = self._work.results.ties.get(item.id) if item else None
        return gains if result is not None and getattr(tied, "match", None) is result else {}

    def _looked_at(self, item: Item | None) -> object:
        """Return what there is to look at; another object whenever that is another."""
        if isinstance(item, JoinItem):
            return self._work.results.ties.get(item.id)
        is_now = self._work.up_to_date and self._work.results.trellis is self._document.trellis
        is_step = isinstance(item, StepItem) and not item.is_off
        return self._work.results if is_step and is_now else None

    def _looking(self, tie: str, result: object) -> Look | None:
        if isinstance(result, Results):
            step = cast("StepItem", result.trellis.item(tie))
            # What a step does is seen by running the trellis without it: the same runner, so that
            # all before the step comes from its memory.
            without = edits.apply(edits.SetItem(step.but(off=True)), result.trellis)[0]

            def compare(report: Report) -> list[str]:
                from keen_trellis.run.effects import effects

                return list(effects(self._work.runner.run(without, report), result))

            return compare
        if not isinstance(result, UserError):
            tied = cast("Tied", result)

            def notice(report: Report) -> list[Finding]:
                from keen_trellis.advice.findings import findings, gains_of_rules

                found = findings(tied, report)
                if self._gains.get(tie, (None, {}))[0] is not tied.match:  # not by what is kept
                    self._gains[tie] = (tied.match, gains_of_rules(tied, TEXT_CHOICES.values()))
                return found

            return notice
        if not isinstance(result, KindsDifferError):
            return None
        lane, _ = self._work.results.trellis.place_of(tie)
        item = self._work.results.trellis.join(tie)
        left, right, *_ = self._work.results.sides(tie)
        names = (lane.name, self._work.results.trellis.lane(item.lane).name)
        # The tie failed for its kinds, so there is no result to look at: the two sides are looked
        # at themselves, where both are there.
        if left is None or isinstance(left, UserError):
            return None
        if right is None or isinstance(right, UserError):
            return None
        sides = (left, right)

        def convert(report: Report) -> list[Finding]:
            from keen_trellis.advice.findings import conversions

            found = conversions(*sides, item.match_link(), names)
            return [finding for finding in found if finding.remedy]  # the rest is said already

        return convert


def _declares(finding: Finding, item: JoinItem) -> set[tuple[str, str, int]]:
    """Return the pairs that the remedy of a finding adds to those of a join."""
    if finding.remedy is None or finding.remedy.link is None:
        return set()
    kept = {(pair.left, pair.right, pair.field) for pair in item.pairs}
    pairs = finding.remedy.link.pairs
    return {(pair.left, pair.right, pair.field) for pair in pairs} - kept
