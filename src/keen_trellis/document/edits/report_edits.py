"""Edits of reports."""

from __future__ import annotations

from dataclasses import dataclass

from keen_trellis.base.language import tr
from keen_trellis.document.edits.edit import required, with_changes
from keen_trellis.document.items import Taken
from keen_trellis.document.reports import Report
from keen_trellis.document.trellis import Trellis


@dataclass(frozen=True, slots=True)
class AddReport:
    """Make a report of an outcome.

    Attributes
    ----------
    report : Report
        Its id and name are made free where others have them.
    """

    report: Report
    label: str = tr("Add a report")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the report behind the others."""
        name = trellis.fresh_report_name(required(self.report.name, tr("A report")))
        made = self.report.but(name=name, id=trellis.fresh_id(name))
        return with_changes(trellis, reports=(*trellis.reports, made))


@dataclass(frozen=True, slots=True)
class SetReport:
    """Change a report."""

    report: Report
    label: str = tr("Change a report")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis with the report changed; `KeyError` where there is no such one."""
        name = required(self.report.name, tr("A report"))
        trellis.report(self.report.id)
        made = self.report.but(name=name)
        reports = tuple(made if one.id == made.id else one for one in trellis.reports)
        return with_changes(trellis, reports=reports)


@dataclass(frozen=True, slots=True)
class RemoveReport:
    """Take a report out."""

    report: str
    label: str = tr("Remove a report")

    def changed(self, trellis: Trellis) -> Trellis:
        """Return the trellis without the report; `KeyError` where there is no such one."""
        gone = trellis.report(self.report)
        return with_changes(trellis, reports=tuple(r for r in trellis.reports if r is not gone))


def report_at(lane: str, after: str | None, name: str) -> Report:
    """Return a report of an outcome, which counts its rows until it is told more."""
    return Report(id="report", name=name, at=Taken(lane=lane, after=after))
