"""Adding a lane: the sheets or tables of a file, with a look at the rows before they come in."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QProgressBar,
    QVBoxLayout,
    QWidget,
)

from keen_trellis.desktop.bench.grid import Grid, Origins
from keen_trellis.desktop.bench.pages import rows_line
from keen_trellis.desktop.controls import Notice, button, label
from keen_trellis.desktop.jobs import Jobs
from keen_trellis.desktop.theme import Theme
from keen_trellis.errors import UserError
from keen_trellis.flow import (
    DelimitedSource,
    SheetSource,
    Source,
    TableSource,
    Trellis,
    read_source,
)
from keen_trellis.progress import Cancelled, Report
from keen_trellis.read import Reading, database, sheet_names, table_names, workbook


class Chooser(QDialog):
    """Shows what is in a file and how it would be read; the lane gets a name here."""

    def __init__(self, path: Path, trellis: Trellis, theme: Theme, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.setObjectName("chooser")
        self.setWindowTitle("Add a lane")
        self.resize(880, 520)
        self._path, self._trellis, self._theme = path, trellis, theme
        self._jobs = Jobs()
        self._request = 0
        self._source: Source | None = None
        self._named = False
        self._list = QListWidget()
        self._list.setObjectName("chooser.tables")
        self._list.setAccessibleName("Sheets and tables of the file")
        self._list.setFixedWidth(200)
        self._name = QLineEdit()
        self._name.setObjectName("chooser.name")
        self._name.setAccessibleName("Name of the lane")
        self._name.textEdited.connect(self._name_was_typed)
        self._notice = Notice("chooser.trouble")
        self._line = label(soft=True)
        self._line.setObjectName("chooser.line")
        self._line.setWordWrap(True)
        self._grid = Grid(theme, "chooser.grid")
        self._progress = QProgressBar()
        self._progress.setTextVisible(False)
        self._progress.setRange(0, 1000)
        self._add = button("Add this lane", "chooser.add", self.accept, "main")
        self._add.setDefault(True)
        self._lay_out()
        self._list.currentTextChanged.connect(lambda _: self._look())
        self._list_tables()

    def _lay_out(self) -> None:
        top = QHBoxLayout()
        top.addWidget(label(self._path.name, heading=True))
        top.addWidget(label(str(self._path.parent), soft=True), 1)
        middle = QHBoxLayout()
        middle.setSpacing(14)
        middle.addWidget(self._list)
        right = QVBoxLayout()
        right.addWidget(self._line)
        right.addWidget(self._notice)
        right.addWidget(self._grid, 1)
        right.addWidget(self._progress)
        middle.addLayout(right, 1)
        bottom = QHBoxLayout()
        bottom.addWidget(label("Name of the lane", soft=True))
        bottom.addWidget(self._name)
        bottom.addStretch()
        cancel = button("Cancel", "chooser.cancel", self.reject)
        cancel.setAutoDefault(False)
        bottom.addWidget(cancel)
        bottom.addWidget(self._add)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(12)
        column.addLayout(top)
        column.addLayout(middle, 1)
        column.addLayout(bottom)

    @property
    def source(self) -> Source | None:
        """What was chosen; None when it cannot be read."""
        return self._source

    @property
    def lane_name(self) -> str:
        """The name typed, or proposed."""
        return self._name.text()

    def _list_tables(self) -> None:
        ending = self._path.suffix.lower()
        self._list.hide()
        if ending not in workbook.ENDINGS + database.ENDINGS:
            self._look()
            return

        def names(report: Report) -> list[str]:
            is_workbook = ending in workbook.ENDINGS
            return sheet_names(self._path) if is_workbook else table_names(self._path)

        def listed(found: list[str]) -> None:
            self._list.addItems(found)
            self._list.show()
            self._list.setCurrentRow(0)
            self._list.setFocus()

        self._jobs.start(names, listed, self._failed)

    def _wanted(self) -> Source:
        path, table = str(self._path), self._list.currentItem()
        ending = self._path.suffix.lower()
        if ending in workbook.ENDINGS and table:
            return SheetSource(path=path, sheet=table.text())
        if ending in database.ENDINGS and table:
            return TableSource(path=path, table=table.text())
        return DelimitedSource(path=path)

    def _look(self) -> None:
        """Read what is chosen, and show it; only the newest answer counts."""
        self._request += 1
        request, wanted = self._request, self._wanted()
        self._source = None
        self._add.setEnabled(False)
        self._progress.setValue(0)
        self._progress.show()
        self._jobs.stop_all()

        def done(reading: Reading) -> None:
            if request == self._request:
                self._show(reading, wanted)

        def failed(error: Exception) -> None:
            if request == self._request:
                self._failed(error)

        self._jobs.start(
            lambda report: read_source(wanted, report),
            done,
            failed,
            lambda fraction, _: self._progress.setValue(int(1000 * fraction)),
        )

    def _show(self, reading: Reading, source: Source) -> None:
        table = reading.table
        self._source = source
        self._progress.hide()
        self._notice.tell("")
        size = f"{len(table):,} rows, {len(table.columns)} columns"
        self._line.setText(f"{size}. {rows_line(reading)}.")
        colours = self._theme.lane(self._trellis.fresh_colour())
        if not self._named:
            wish = source.path if isinstance(source, DelimitedSource) else ""
            wish = wish or self._list.currentItem().text()
            self._name.setText(self._trellis.fresh_lane_name(_nice_name(wish)))
        origins = Origins({"": self._name.text()}, {"": colours})
        self._grid.show_table(table, origins)
        self._grid.show()
        self._add.setEnabled(True)

    def _failed(self, error: Exception) -> None:
        self._progress.hide()
        if isinstance(error, Cancelled):
            return
        if not isinstance(error, UserError):
            raise error
        self._notice.tell(str(error))
        self._line.setText("")
        self._grid.hide()

    def _name_was_typed(self) -> None:
        self._named = True
        self._add.setEnabled(self._source is not None and bool(self._name.text().strip()))

    def done(self, result: int) -> None:
        self._jobs.finish()
        super().done(result)


def ask_source_path(parent: QWidget, folder: str) -> Path | None:
    """Ask for the file of a lane; None when nothing was chosen."""
    tables = " ".join(f"*{e}" for e in (*workbook.ENDINGS, *database.ENDINGS))
    patterns = f"Tables (*.csv *.tsv *.txt {tables});;All files (*)"
    path, _ = QFileDialog.getOpenFileName(parent, "Add a lane", folder, patterns)
    return Path(path) if path else None


def _nice_name(wish: str) -> str:
    stem = Path(wish).stem.replace("_", " ").replace("-", " ").strip()
    return stem[:1].upper() + stem[1:] if stem else "Lane"
