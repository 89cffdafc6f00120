"""The match report: what an auditor asks of a run, as one page of HTML, or printed as PDF.

Everything on it is taken from facts and outcomes; nothing is worked out here but the reports.
"""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from importlib import resources
from pathlib import Path
from typing import Any

from keen_trellis.base.errors import DeliveryError, UserError, reason
from keen_trellis.base.language import grouped_digits, spoken, tr, tr_n
from keen_trellis.base.progress import Report as Progress
from keen_trellis.base.progress import part, quiet
from keen_trellis.base.whole_files import whole_file
from keen_trellis.base.words import counted, listed
from keen_trellis.compute.join_result import Tied
from keen_trellis.data import Table
from keen_trellis.document.items import JoinItem
from keen_trellis.document.reports import Report
from keen_trellis.document.trellis import Lane
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.counts import Counts
from keen_trellis.report.page_options import USUAL, PageOptions
from keen_trellis.report.pictures import PAPER, can_be_drawn, written
from keen_trellis.report.report_rows import Running, worked_out
from keen_trellis.report.summing import ALL, Summed
from keen_trellis.run.account import (
    WITHHELD,
    account,
    numbers_alone,
    withheld_notes,
)
from keen_trellis.run.changes import Changes, Snapshot, changes
from keen_trellis.run.facts import JoinFacts
from keen_trellis.run.results import Results

ENDINGS = (".html", ".pdf", ".xlsx")

_COLUMNS_AT_MOST, _PAIRS_AT_MOST = 8, 60
_LINES_AT_MOST = 200


@dataclass(frozen=True, slots=True)
class _Cell:
    text: str
    state: int = 0


@dataclass(frozen=True, slots=True)
class _Line:
    cells: tuple[_Cell, ...]
    is_sum: bool = False


@dataclass(frozen=True, slots=True)
class _Rows:
    """A table on the page."""

    caption: str
    heads: tuple[str, ...]
    numeric: tuple[bool, ...]
    lines: tuple[_Line, ...]


@dataclass(slots=True)
class _Item:
    """A step or tie on the page."""

    title: str
    sentence: str = ""
    says: str = ""
    note: str = ""
    bays: str = ""
    sides: list[tuple[str, ...]] = field(default_factory=list)
    promises: list[str] = field(default_factory=list)
    pairs: str = ""
    unmatched: list[_Rows] = field(default_factory=list)


def save_match_report(
    results: Results,
    path: Path,
    runner: Running,
    options: PageOptions = USUAL,
    before: Snapshot | None = None,
    progress: Progress = quiet,
) -> None:
    """Write the match report of a run, whole or not at all.

    Parameters
    ----------
    results : Results
    path : Path
        Its ending says the form: .html, .pdf or .xlsx.
    runner : Running
        Works out the reports of the trellis that have filters.
    options : PageOptions
    before : Snapshot, optional
        The run that this one is compared with.
    progress : Report of progress

    Raises
    ------
    DeliveryError
        The ending is none of these, a lane reads the file, the folder cannot be written to, or the
        system has no library to print with.
    Cancelled
        Raised by `progress` once the user has asked to stop.
    """
    path = path.expanduser()
    ending = path.suffix.lower()
    if ending not in ENDINGS:
        raise DeliveryError(
            tr(
                "{name} cannot be a match report: its ending is none of {endings}.",
                name=path.name,
                endings=", ".join(ENDINGS),
            ),
            tr("Give the file one of these endings."),
        )
    results.trellis.refuse_to_write(path, tr("The match report"))
    if ending == ".xlsx":
        from keen_trellis.deliver import deliver

        told = account(results, options.with_values, options.made_for)
        deliver(told, path, tr("Match report"), progress)
        return
    page = match_page(results, runner, options, before, part(progress, 0.0, 0.6))
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with whole_file(path) as beside:
            if ending == ".html":
                beside.write_text(page, encoding="utf-8")
            else:
                progress(0.7, tr("Printing the match report"))
                beside.write_bytes(printed(page, results.read_at))
    except OSError as error:
        raise DeliveryError(
            tr("{path} cannot be written: {reason}.", path=path, reason=reason(error)),
            tr("Choose a folder that you may write to and that has room."),
        ) from error


def printed(page: str, at: dt.datetime | None) -> bytes:
    """Return a page as PDF; the same page gives the same bytes.

    Raises
    ------
    DeliveryError
        The system lacks the library that sets text.
    """
    try:
        import weasyprint
    except OSError as error:  # it is there, but the library beneath it is not
        raise DeliveryError(
            tr("No PDF can be printed here: the library Pango is not installed."),
            tr("Install it (on Debian: libpangoft2-1.0-0), or write .html and print that."),
        ) from error
    from weasyprint.text.fonts import FontConfiguration

    # One for the style sheet and the page: else the faces of the one are unknown to the other,
    # and the system's font is taken.
    fonts = FontConfiguration()
    faces = weasyprint.CSS(string=_faces(), font_config=fonts)
    made = weasyprint.HTML(string=page).write_pdf(
        stylesheets=[faces], font_config=fonts, pdf_tags=True
    )
    assert isinstance(made, bytes)
    # what is drawn anew each time would make two reports of one run differ
    return re.sub(rb"/ID ?\[<[0-9a-f]*> ?<[0-9a-f]*>\]", b"", made)


def match_page(
    results: Results,
    runner: Running,
    options: PageOptions = USUAL,
    before: Snapshot | None = None,
    progress: Progress = quiet,
) -> str:
    """Return the match report of a run as one page of HTML.

    Raises
    ------
    Cancelled
        Raised by `progress` once the user has asked to stop.
    """
    from jinja2 import Environment, StrictUndefined

    text = (resources.files("keen_trellis.report") / "pages" / "match_report.html").read_text()
    # the macro stands behind the page that uses it, which Jinja allows to be told first
    macro = text[text.index("{% macro") :]
    # Escaped by the template engine, all of it: names and values of a stranger's data stand on
    # this page.
    environment = Environment(autoescape=True, undefined=StrictUndefined, trim_blocks=True)
    template = environment.from_string(macro + text[: text.index("{% macro")])
    page = _Page(results, runner, options, before, progress).content()
    return str(template.render(page=page, tr=tr, language=spoken()))


def _faces() -> str:
    """Return the style sheet that makes the bundled fonts known."""
    folder = resources.files("keen_trellis") / "desktop" / "fonts"
    made = []
    for file in sorted(folder.iterdir(), key=lambda one: one.name):
        if not file.name.endswith(".ttf"):
            continue
        family = "Mono" if "Mono" in file.name else "Next"
        weight = 600 if "Bold" in file.name else 400
        with resources.as_file(file) as path:
            made.append(
                f"@font-face {{ font-family: 'Atkinson Hyperlegible {family}'; "
                f"font-weight: {weight}; src: url('{path.as_uri()}'); }}"
            )
    return "\n".join(made)


class _Page:
    """Puts together what stands on the page."""

    def __init__(
        self,
        results: Results,
        runner: Running,
        options: PageOptions,
        before: Snapshot | None,
        progress: Progress,
    ) -> None:
        self._results, self._runner, self._options = results, runner, options
        self._before, self._progress = before, progress
        self._trellis, self._facts = results.trellis, results.facts
        self._met: set[str] = set()  # the columns of rows without a partner

    def content(self) -> dict[str, Any]:
        """Return what the page is filled with."""
        results, trellis = self._results, self._trellis
        joins = list(self._facts.joins())
        broken = [f"{join.name}: {one}" for join in joins for one in self._broken(join)]
        read_at = results.read_at
        made_at = (read_at or dt.datetime.now()).strftime("%Y-%m-%d %H:%M")
        found = changes(self._before, results) if self._before is not None else None
        ways = [way for lane in trellis.lanes if (way := self._way(lane))]
        return {
            "title": trellis.name,
            "made_for": self._options.made_for,
            "made_at": made_at,
            "foot": tr(
                "{in_css}: match report, {made_at}", in_css=_in_css(trellis.name), made_at=made_at
            ),
            "has_values": self._options.with_values,
            "summary": [*self._summary(joins), *self._missed()],
            "errors": self._errors(),
            "broken": broken,
            "lanes": [self._lane(lane) for lane in trellis.lanes],
            "changes": list(_said(found)),
            "since": self._before.read_at if self._before is not None else "",
            "ways": ways,
            "reports": list(self._reports()),
            "deliveries": list(self._deliveries()),
        }

    def _summary(self, joins: Sequence[JoinFacts]) -> list[str]:
        lanes = [lane for lane in self._facts.lanes.values() if lane.is_read]
        rows = sum(lane.rows or 0 for lane in lanes)
        said = [
            tr(
                "{sources} with {rows} read.",
                sources=counted(len(lanes), "source"),
                rows=counted(rows, "row"),
            )
        ]
        for join in joins:
            left, right = join.counts.left, join.counts.right
            said.append(
                tr(
                    "{lane} and {other}: {found:,} of {rows} of {lane} found, "
                    "{right_found:,} of {right_rows:,} of {other}; {join}, {go_on}.",
                    lane=join.lane,
                    other=join.other,
                    found=left.found,
                    rows=counted(left.rows, "row"),
                    right_found=right.found,
                    right_rows=right.rows,
                    join=tr(join.join),
                    go_on=tr_n(join.rows or 0, "{n:,} row goes on", "{n:,} rows go on"),
                )
            )
        return said

    def _missed(self) -> list[str]:
        """Return what is said of wanted columns that none of the rows without a partner has."""
        if not self._met:
            return []
        missed = [f"“{one}”" for one in self._options.columns if one not in self._met]
        if not missed:
            return []
        return [
            tr(
                "No row without a partner has {missed}, which was to be shown of them.",
                missed=listed(missed),
            )
        ]

    def _errors(self) -> list[str]:
        errors = [error.happened for error in self._results.errors()]
        if self._options.with_values or not errors:
            return errors
        return [
            tr_n(
                len(errors),
                "{n:,} part has no rows; what is wrong may quote values, and is left out.",
                "{n:,} parts have no rows; what is wrong may quote values, and is left out.",
            )
        ]

    def _broken(self, join: JoinFacts) -> Sequence[str]:
        if self._options.with_values:
            return join.broken
        return [promise.sentence for promise in join.promises if not promise.is_kept]

    def _notes(self, notes: Sequence[str]) -> Sequence[str]:
        return notes if self._options.with_values else withheld_notes(len(notes))

    def _trouble(self, trouble: str) -> str:
        return trouble if self._options.with_values or not trouble else WITHHELD

    def _lane(self, lane: Lane) -> dict[str, Any]:
        facts = self._facts.lanes[lane.id]
        says = [tr("files: {files}", files=listed(facts.files))] if facts.files else []
        says += self._notes(facts.notes)
        if facts.trouble:
            says.append(self._trouble(facts.trouble))
        return {
            "name": lane.name,
            "where": self._trellis.begins_words(lane),
            "rows": "–" if facts.rows is None else grouped_digits(facts.rows),
            "columns": grouped_digits(len(facts.columns)),
            "says": says,
        }

    def _way(self, lane: Lane) -> dict[str, Any] | None:
        items = [self._item(lane, item.id) for item in lane.items if item.word != "delivery"]
        if not items and not lane.note:
            return None
        return {"name": lane.name, "note": lane.note.strip(), "parts": items}

    def _item(self, lane: Lane, item_id: str) -> _Item:
        item, facts = self._trellis.item(item_id), self._facts.items[item_id]
        title = facts.name if item.takes() else item.title
        made = _Item(title, "")
        made.note = item.note.strip()
        if self._options.with_values:
            if not isinstance(facts, JoinFacts):  # what that says begins with it
                made.sentence = item.sentence(self._trellis, lane)
            made.says = facts.trouble or facts.says
            if facts.waits_for:
                made.says = tr("Waits: {waits_for}", waits_for=facts.waits_for)
            if item.is_off:
                made.says = tr("It is switched off.")
        else:
            made.says = numbers_alone(facts, item)
        given = self._results.given.get(item_id)
        if isinstance(facts, JoinFacts) and isinstance(given, Tied):
            self._tell_join(made, facts, given, item)
        return made

    def _tell_join(self, made: _Item, facts: JoinFacts, tied: Tied, item: object) -> None:
        names = tied.names
        made.bays = _bays(facts.counts, names, tuple(tied.keep))
        for name, side in zip(names, (facts.counts.left, facts.counts.right), strict=True):
            numbers = (side.rows, side.found, side.not_found, side.blank, side.multiplied)
            every = (*numbers, side.distinct, side.distinct_found)
            made.sides.append((name, *(grouped_digits(number) for number in every)))
        for promise in facts.promises:
            says = f", {promise.says}" if self._options.with_values else ""
            state = tr("kept") if promise.is_kept else tr("broken") + says
            made.promises.append(
                tr("Promised: {sentence}: {state}.", sentence=promise.sentence, state=state)
            )
        if not self._options.with_values:
            return
        if isinstance(item, JoinItem) and item.pairs:
            pairs = [f"{pair.left} = {pair.right}" for pair in item.pairs]
            more = len(pairs) - _PAIRS_AT_MOST
            rest = [tr("and {more:,} more", more=more)] if more > 0 else []
            made.pairs = "; ".join([*pairs[:_PAIRS_AT_MOST], *rest])
        sides = ((Bay.LEFT, tied.left, names), (Bay.RIGHT, tied.right, names[::-1]))
        for bay, _, (name, other) in sides:
            links = [f.left if bay is Bay.LEFT else f.right for f in tied.link.fields]
            rows = self._unmatched(tied.bay(bay), links, name=name, other=other)
            if rows is not None:
                made.unmatched.append(rows)

    def _unmatched(self, table: Table, links: Sequence[str], name: str, other: str) -> _Rows | None:
        """Return the first rows of a bay, with the columns that are wanted."""
        if not len(table) or not self._options.rows:
            return None
        self._met.update(table.columns)
        wanted = [one for one in self._options.columns if one in table.columns]
        if not wanted:  # where columns were chosen, nothing is shown that was not, but the links
            rest = () if self._options.columns else table.columns
            first = [one for one in links if one in table.columns]
            wanted = list(dict.fromkeys([*first, *rest]))[:_COLUMNS_AT_MOST]
        shown = table.window(0, self._options.rows)
        columns = [shown.column(one) for one in wanted]
        lines = []
        for row in range(len(shown)):
            states = [0 if c.state is None else int(c.state[row]) for c in columns]
            cells = (
                _Cell("" if state else column.text(row), state)
                for column, state in zip(columns, states, strict=True)
            )
            lines.append(_Line(tuple(cells)))
        of = tr("The first {shown} of ", shown=len(shown)) if len(shown) < len(table) else ""
        caption = tr(
            "{of}{rows} of {name} without {other}",
            of=of,
            rows=counted(len(table), "row"),
            name=name,
            other=other,
        )
        numeric = tuple(column.kind.is_numeric for column in columns)
        return _Rows(caption, tuple(wanted), numeric, tuple(lines))

    def _reports(self) -> Iterator[dict[str, Any]]:
        reports = self._trellis.reports
        for number, report in enumerate(reports):
            share = part(self._progress, number / len(reports), (number + 1) / len(reports))
            made: dict[str, Any] = {
                "name": report.name,
                "sentence": report.sentence(self._trellis, self._options.with_values),
                "note": report.note.strip(),
                "filters": [],
                "picture": "",
                "rows": None,
                "notes": (),
                "trouble": "",
                "chain": [],
            }
            try:
                found = worked_out(self._results, report, self._runner, share)
            except UserError as error:
                made["trouble"] = self._trouble(str(error))
                yield made
                continue
            made["filters"] = [
                tr(
                    "The filter on {column} {sentence}.",
                    column=one.filter.column,
                    sentence=one.sentence(),
                )
                for one in found.reaches
            ]
            made["notes"] = list(self._notes(found.summed.notes))
            made["chain"] = self._chain(report, found.summed)
            if self._options.with_values:
                made["rows"] = _lines(found.summed)
                made["picture"] = _picture(found.summed)
            yield made

    def _chain(self, report: Report, found: Summed) -> list[tuple[str, str]]:
        """Return the way from a total back to the rows of its source, with the rows at each part.

        Rows that the report's own filters leave out stand in the first line alone.
        """
        trellis = self._trellis
        place = trellis.taken_after(report.at)
        chain = [(tr("the report {name}", name=report.name), grouped_digits(len(found.rows)))]
        while place:
            lane, number = trellis.place_after(place)
            table = self._results.table(place)
            rows = "–" if table is None else grouped_digits(len(table))
            if number:
                item = lane.items[number - 1]
                if item.gives_rows:
                    with_others = listed([trellis.lane(t.lane).name for t in item.takes()])
                    says = tr("{title} on {name}", title=item.within, name=lane.name)
                    chain.append(
                        (
                            tr("{says}, with {with_others}", says=says, with_others=with_others)
                            if with_others
                            else says,
                            rows,
                        )
                    )
                place = trellis.part_at(lane, number - 1)
            else:
                chain.append((f"{lane.name}, {trellis.begins_words(lane)}", rows))
                place = trellis.begins_after(lane)
        return chain

    def _deliveries(self) -> Iterator[str]:
        for _, item in self._trellis.deliveries():
            table = self._results.table(item.id)
            rows = tr("no rows yet") if table is None else counted(len(table), "row")
            stopped = self._results.broken_before(item.id)
            more = tr(", stopped by a broken promise") if stopped else ""
            yield tr(
                "{name}: {rows} to {place}{more}.",
                name=item.name,
                rows=rows,
                place=item.place,
                more=more,
            )


def _lines(found: Summed) -> _Rows:
    report = found.report
    groups = [group.title for group in report.groups] or [tr("rows of")]
    heads = (*groups, *(figure.title for figure in report.figures), tr("rows"))
    kinds = [kind.is_numeric for kind in found.figure_kinds]
    shown = found.lines
    caption = report.name
    if len(shown) > _LINES_AT_MOST:
        first = tr(
            "the first {lines_at_most} of {shown:,} lines",
            lines_at_most=_LINES_AT_MOST - 1,
            shown=len(shown),
        )
        caption = tr("{caption}: {first}, and that of all rows", caption=caption, first=first)
        shown = (*shown[: _LINES_AT_MOST - 1], found.total)
    lines = []
    for line in shown:
        cells = [_Cell(one.text, one.state) for one in line.groups]
        cells += [_Cell(ALL if n == line.level else "") for n in range(line.level, len(groups))]
        cells += [_Cell(found.figure_text(n, value)) for n, value in enumerate(line.figures)]
        is_sum = line.level < found.n_groups or not found.n_groups
        lines.append(_Line((*cells, _Cell(grouped_digits(line.rows))), is_sum))
    return _Rows(caption, heads, (*(False for _ in groups), *kinds, True), tuple(lines))


def _picture(found: Summed) -> Any:
    """Return the picture of a report as SVG within the page; nothing where there is none."""
    if found.report.picture == "none" or not can_be_drawn(found):
        return ""
    from markupsafe import Markup, escape

    svg = written(found, PAPER, "svg", 860, 380).decode()
    svg = svg[svg.index("<svg") :]
    title = escape(tr("Picture of {name}; its numbers stand in the table", name=found.report.name))
    said = f'role="img" aria-label="{title}"'
    return Markup(svg.replace("<svg", f"<svg {said}", 1))


def _bays(counts: Counts, names: tuple[str, str], keep: tuple[Bay, ...]) -> Any:
    """Return the three bays in true proportion: filled where kept, hatched where left."""
    from markupsafe import Markup, escape

    left, right = counts.left.not_found, counts.right.not_found
    groups = (
        (Bay.LEFT, tr("only in {names_1}", names_1=names[0]), left),
        (Bay.BOTH, tr("in both"), counts.pairs),
        (Bay.RIGHT, tr("only in {names_2}", names_2=names[1]), right),
    )
    largest = max(rows for _, _, rows in groups) or 1
    bars = []
    for number, (bay, words, rows) in enumerate(groups):
        y = 22 * number
        width = 420 * rows / largest
        fill = "#1f6b52" if bay in keep else "url(#left)"
        state = tr("kept") if bay in keep else tr("left out")
        bars.append(
            f'<text x="214" y="{y + 14}" text-anchor="end">{escape(words)}</text>'
            f'<rect x="222" y="{y + 3}" width="{max(width, 1.5 if rows else 0):.1f}" height="14" '
            f'fill="{fill}" stroke="#1f6b52" stroke-width="0.8"/>'
            f'<text x="{230 + width:.1f}" y="{y + 14}">{grouped_digits(rows)} {state}</text>'
        )
    said = "; ".join(f"{words}: {grouped_digits(rows)}" for _, words, rows in groups)
    return Markup(
        f'<svg viewBox="0 0 780 66" width="780" height="66" role="img" aria-label="{escape(said)}" '
        'font-family="sans-serif" font-size="12" fill="#20302b"><defs><pattern id="left" '
        'width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">'
        '<rect width="6" height="6" fill="#fff"/><line x1="0" y1="0" x2="0" y2="6" '
        f'stroke="#55615c" stroke-width="1.5"/></pattern></defs>{"".join(bars)}</svg>'
    )


def _said(found: Changes | None) -> Iterator[str]:
    """Yield what is different since the run before."""
    if found is None:
        return
    for lane in found.lanes:
        if not lane.is_any:
            continue
        rows = ["–" if n is None else grouped_digits(n) for n in (lane.before, lane.now)]
        parts = [tr("{rows_1} rows before, {rows_2} now", rows_1=rows[0], rows_2=rows[1])]
        for words, names in (
            (tr("gone"), lane.gone),
            (tr("new"), lane.come),
            (tr("of another kind"), lane.other_kind),
            (tr("files gone"), lane.files_gone),
            (tr("files new"), lane.files_come),
        ):
            if names:
                parts.append(f"{words}: {listed(names)}")
        yield f"{lane.name}: {'; '.join(parts)}."
    for tie in found.ties:
        before, now = tie.before, tie.now
        yield tr(
            "{name}: {found:,} of {rows} found, {before_found:,} of {before_rows:,} before.",
            name=tie.name,
            found=now.found,
            rows=counted(now.rows, "row"),
            before_found=before.found,
            before_rows=before.rows,
        )


def _in_css(text: str) -> str:
    """Return a text as it may stand in a string of a style sheet."""
    return re.sub(r"[^\w .,:()-]", " ", text)
